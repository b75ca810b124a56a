/**
 * What happened in a match, in words: rounds and who acted as headings, then each step with its dice, signals and who
 * heard them, notes, clamped values.
 */

import { chaptersOf, inputInWords, noteInWords, signalInWords, type StepLine } from "@zany/core";
import { type ReactNode, useMemo } from "react";
import { VirtualList } from "./virtual-list.js";

type Row = { readonly round?: string | undefined; readonly by: string } | StepLine;

/** The newest at the end and in sight. */
export function Story({ lines }: { lines: readonly StepLine[] }): ReactNode {
  const rows = useMemo(
    () => chaptersOf(lines).flatMap(({ round, by, lines: of }): Row[] => [{ round, by }, ...of]),
    [lines],
  );
  return (
    <VirtualList
      label="What happened"
      live
      count={rows.length}
      height={24}
      at={rows.length - 1}
      className="h-full"
      row={(index) => <StoryRow row={rows[index] as Row} />}
    />
  );
}

function StoryRow({ row }: { row: Row }): ReactNode {
  if ("by" in row)
    return (
      <h3 className="flex items-baseline gap-2 px-3 pt-2 text-xs text-soft">
        {row.round === undefined ? null : (
          <span className="rounded bg-sunken px-1.5 font-semibold text-ink">{row.round}</span>
        )}
        <span className="font-semibold">{row.by}</span>
      </h3>
    );
  const { input } = row;
  const words = inputInWords(input);
  return (
    <div className="flex gap-2 px-3 py-0.5">
      <span className="w-8 shrink-0 text-right tabular-nums text-soft">{row.step}</span>
      <span className="min-w-0">
        <span className="font-medium">
          {input.seat !== undefined && words.startsWith(`${input.seat} `) ? words.slice(input.seat.length + 1) : words}
        </span>
        {row.dice.length > 0 ? (
          <span className="text-soft"> dice {row.dice.map((d) => String(d.value)).join(", ")}</span>
        ) : null}
        <StepDetails line={row} />
      </span>
    </div>
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
