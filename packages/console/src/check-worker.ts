/** Checks machines beside the page, so that typing never waits for the reasoning. */

import { compile, type Message } from "@zany/core";

export interface CheckRequest {
  readonly number: number;
  readonly text: string;
  readonly name: string;
  readonly parts: Readonly<Record<string, string>>;
}

export interface CheckAnswer {
  readonly number: number;
  readonly messages: readonly Message[];
}

self.onmessage = ({ data: { number, text, name, parts } }: MessageEvent<CheckRequest>) => {
  const { messages } = compile(text, name, (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined));
  self.postMessage({ number, messages } satisfies CheckAnswer);
};
