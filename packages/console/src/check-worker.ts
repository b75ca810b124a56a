/** Checks machines beside the page, so that typing never waits for the reasoning. */

import { compile, type Message, Runnable, runTests, type TestResult } from "@zany/core";

export interface CheckRequest {
  readonly number: number;
  readonly text: string;
  readonly name: string;
  readonly parts: Readonly<Record<string, string>>;
}

/** The messages come first, the tests as soon as they have run. */
export interface CheckAnswer {
  readonly number: number;
  readonly messages: readonly Message[];
  /** Missing while they run; none for a machine that does not compile. */
  readonly tests?: readonly TestResult[];
}

self.onmessage = ({ data: { number, text, name, parts } }: MessageEvent<CheckRequest>) => {
  const { messages, machine, ok } = compile(text, name, (path) =>
    Object.hasOwn(parts, path) ? parts[path] : undefined,
  );
  self.postMessage({ number, messages } satisfies CheckAnswer);
  const tests = ok ? runTests(new Runnable(machine, false)) : [];
  self.postMessage({ number, messages, tests } satisfies CheckAnswer);
};
