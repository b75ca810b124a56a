/** The messages of a text that is being typed: names and types at once, the rest from the worker a moment later. */

import type { Compilation, Message, TestResult } from "@zany/core";
import { useEffect, useRef, useState } from "react";
import type { CheckAnswer, CheckRequest } from "../check-worker.js";

/** Typing that pauses this long is checked whole, in milliseconds. */
const PAUSE = 150;

/** @returns the messages, whether they are complete for this text, and its tests once they have run */
export function useMessages(
  compilation: Compilation,
  text: string,
  name: string,
  parts: Readonly<Record<string, string>>,
): {
  readonly messages: readonly Message[];
  readonly complete: boolean;
  readonly tests: readonly TestResult[] | undefined;
} {
  const worker = useRef<Worker>(null);
  const [answer, setAnswer] = useState<{ readonly of: Compilation; readonly answer: CheckAnswer }>();
  const number = useRef(0);
  const latest = useRef(compilation);
  latest.current = compilation;
  useEffect(() => {
    const started = new Worker(new URL("../check-worker.ts", import.meta.url), { type: "module" });
    worker.current = started;
    started.onmessage = ({ data }: MessageEvent<CheckAnswer>) => {
      if (data.number === number.current) setAnswer({ of: latest.current, answer: data });
    };
    return () => started.terminate();
  }, []);
  useEffect(() => {
    const asked = ++number.current;
    const timer = setTimeout(
      () => worker.current?.postMessage({ number: asked, text, name, parts } satisfies CheckRequest),
      PAUSE,
    );
    return () => clearTimeout(timer);
  }, [text, name, parts]);
  const now = answer?.of === compilation ? answer.answer : undefined;
  return { messages: now?.messages ?? compilation.messages, complete: now !== undefined, tests: now?.tests };
}
