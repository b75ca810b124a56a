/** What the service and the thread of large machines tell each other. */

import type { Doors } from "../access/callers.js";
import type { Patience } from "../matches/care.js";

/** Carries the secret that shows a request was passed on by the service itself. */
export const TOKEN_HEADER = "x-zany-passed-on";

/** What holds in both threads. */
export interface HouseRules {
  /** What the ids of new matches begin with; may be empty. */
  readonly name: string;
  /** Whether keys are needed. */
  readonly doors: Doors;
  /** How long what is left alone is kept. */
  readonly patience: Patience;
  /** Whether what players asked for and did not get is kept with the match. */
  readonly keepsRefusals: boolean;
}

export interface AsideOptions {
  /** The database's file. */
  readonly file: string;
  readonly token: string;
  readonly rules: HouseRules;
  /** A level of pino's. */
  readonly logLevel: string;
}

/** What the service tells the thread: to stop, or which keys were taken away. */
export type ToAside = "stop" | { readonly revoked: readonly string[] };

export type FromAside =
  /** It listens, at this port of 127.0.0.1. */
  | { readonly port: number }
  /** Somebody was told something. */
  | { readonly noticed: true }
  /** Keys that were taken away. */
  | { readonly revoked: readonly string[] }
  /** A match is not played aside any more. */
  | { readonly comesBack: string }
  /** Why nothing can be written, in words; undefined when it can be again. */
  | { readonly failing: string | undefined };
