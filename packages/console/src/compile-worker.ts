/** Compiles long machines beside the page, so that typing never waits for it. Errors alone are looked for. */

import { type Compilation, compile, type Message, type PortableMachine, toPortable } from "@zany/core";

export interface CompileRequest {
  readonly number: number;
  readonly text: string;
  readonly name: string;
  readonly parts: Readonly<Record<string, string>>;
}

/** A compilation as plain data. */
export interface CompileAnswer {
  readonly number: number;
  readonly machine: PortableMachine;
  readonly messages: readonly Message[];
  readonly parts: Readonly<Record<string, string>>;
  readonly ok: boolean;
  readonly givenUp: boolean;
  readonly accepts: Compilation["accepts"];
}

self.onmessage = ({ data: { number, text, name, parts } }: MessageEvent<CompileRequest>) => {
  const {
    machine,
    sources: _,
    ...rest
  } = compile(text, name, (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined), { errorsOnly: true });
  self.postMessage({ number, machine: toPortable(machine), ...rest } satisfies CompileAnswer);
};
