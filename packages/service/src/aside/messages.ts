/** What the service and the thread of large machines tell each other. */

/** Carries the secret that shows a request was passed on by the service itself. */
export const TOKEN_HEADER = "x-zany-passed-on";

export interface AsideOptions {
  /** The database's file. */
  readonly file: string;
  readonly token: string;
  /** A level of pino's. */
  readonly logLevel: string;
}

export type FromAside =
  /** It listens, at this port of 127.0.0.1. */
  | { readonly port: number }
  /** A match is not played aside any more. */
  | { readonly comesBack: string }
  /** Why nothing can be written, in words; undefined when it can be again. */
  | { readonly failing: string | undefined };
