/**
 * What happened in a match, step by step: inputs, dice, signals and who heard them, notes, clamped values.
 */

import { inputInWords, noteInWords, signalInWords, type StepLine } from "@zany/core";
import { type ReactNode, useEffect, useRef } from "react";
import { reveal } from "./reveal.js";

/** The newest at the end and in sight. */
export function Story({ lines }: { lines: readonly StepLine[] }): ReactNode {
  const end = useRef<HTMLLIElement>(null);
  const count = lines.length;
  useEffect(() => {
    if (count > 0) reveal(end.current);
  }, [count]);
  return (
    <section aria-label="What happened" className="min-h-0 flex-1 overflow-auto border-t border-line">
      <ol className="px-3 py-2" aria-live="polite">
        {lines.map((line, i) => (
          <li key={line.step} ref={i === lines.length - 1 ? end : undefined} className="flex gap-2 py-0.5">
            <span className="w-8 shrink-0 text-right tabular-nums text-soft">{line.step}</span>
            <span className="min-w-0">
              <span className="font-medium">{inputInWords(line.input)}</span>
              {line.dice.length > 0 ? (
                <span className="text-soft"> dice {line.dice.map((d) => String(d.value)).join(", ")}</span>
              ) : null}
              <StepDetails line={line} />
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** The notes of a step, then its signals and clamped values, each on a line of its own. */
export function StepDetails({ line }: { line: StepLine }): ReactNode {
  const details = [
    ...line.notes.map((note) => ({ words: noteInWords(note), quiet: false, title: undefined })),
    ...(line.signals ?? []).map((signal) => ({
      words: `signal ${signalInWords(signal)}`,
      quiet: true,
      title: undefined,
    })),
    ...(line.clamped ?? []).map((clamp) => ({
      words: `clamped to ${clamp.kept} instead of ${clamp.wanted}`,
      quiet: true,
      title: `at ${clamp.source}`,
    })),
  ];
  return details.map(({ words, quiet, title }, i) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: a step never changes
    <span key={i} title={title} className={`block ${quiet ? "text-xs text-soft" : ""}`}>
      {words}
    </span>
  ));
}
