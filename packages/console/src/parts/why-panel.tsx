/** Why a step did what it did: what was asked, decided, written and passed over, with the machine's text beside it. */

import {
  type Machine,
  pathInWords,
  type Runnable,
  type Trace,
  type TraceLine,
  type TraceMark,
  traceLines,
} from "@zany/core";
import { type ReactNode, useEffect, useMemo, useState } from "react";
import { Scrolling } from "./basics.js";

/** How each kind of line begins, and looks. */
const MARKS: Readonly<Record<TraceMark, readonly [string, string]>> = {
  yes: ["yes", "text-good"],
  no: ["no", "text-bad"],
  change: ["is", "font-medium text-sea"],
  roll: ["die", "text-sail"],
  note: ["says", "text-soft"],
  arrow: ["to", "font-medium"],
  signal: ["hears", "font-medium"],
  fault: ["fault", "font-medium text-bad"],
  plain: ["", "text-soft"],
};

/** How many lines of the text are shown around the one that is meant. */
const AROUND = 6;

/**
 * @param trace what the step did, made when the panel is shown; undefined for a step of which nothing is known
 * @param about the datum that is looked at first, because it went otherwise; a JSON Pointer
 */
export function WhyPanel({
  runnable,
  trace,
  about,
}: {
  runnable: Runnable;
  trace: Trace | undefined;
  about?: string | undefined;
}): ReactNode {
  const { machine } = runnable;
  const [of, setOf] = useState("");
  const lines = useMemo(() => (trace ? traceLines(machine, trace, of === "" ? {} : { of }) : []), [machine, trace, of]);
  const [at, setAt] = useState(0);
  // Another step, or another datum, is looked at from what is meant, or else from what changed something first.
  useEffect(() => {
    const written = trace?.changes.find(({ path }) => path === about)?.position;
    const meant = lines.findLastIndex(({ mark, from }) => mark === "change" && from === written);
    setAt(Math.max(0, meant >= 0 ? meant : lines.findIndex(({ mark }) => mark === "change" || mark === "fault")));
  }, [lines, trace, about]);
  useEffect(() => setOf((now) => (trace?.changes.some(({ path }) => path === now) ? now : "")), [trace]);
  if (!trace)
    return <p className="p-3 text-soft">The step cannot be taken on this version, so nothing is known of it.</p>;
  const chosen = lines[at];
  return (
    <div className="flex h-full min-h-0 flex-col">
      <label className="flex items-center gap-2 border-b border-line px-3 py-1.5 text-soft">
        Why of
        <select
          value={of}
          onChange={(e) => setOf(e.target.value)}
          className="min-w-0 rounded border border-line bg-panel px-2 py-0.5 text-ink"
        >
          <option value="">all of this step</option>
          {trace.changes.map(({ path }) => (
            <option key={path} value={path}>
              {pathInWords(path)}
            </option>
          ))}
        </select>
      </label>
      <Scrolling label="What was asked and done">
        <ol>
          {lines.map((line, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a step never changes
            <li key={i}>
              <Line line={line} current={i === at} onPick={() => setAt(i)} />
            </li>
          ))}
        </ol>
        {trace.refusal || trace.fault ? (
          <p className="px-3 py-1 text-bad">{trace.refusal?.words ?? trace.fault?.words}</p>
        ) : null}
      </Scrolling>
      {chosen && chosen.to > 0 ? <Source machine={machine} line={chosen} /> : null}
    </div>
  );
}

function Line({ line, current, onPick }: { line: TraceLine; current: boolean; onPick: () => void }): ReactNode {
  const [sign, look] = MARKS[line.mark];
  const row = current ? "bg-sea-wash" : "hover:bg-sunken";
  return (
    <button
      type="button"
      aria-current={current ? "true" : undefined}
      onClick={onPick}
      onFocus={onPick}
      className={`flex w-full items-baseline gap-2 px-3 py-0.5 text-left ${row}`}
    >
      <span className={`w-9 shrink-0 text-right text-xs ${look}`}>{sign}</span>
      <span className="min-w-0" style={{ paddingLeft: line.depth * 12 }}>
        <span className={line.mark === "plain" ? "text-soft" : ""}>{line.text}</span>
        {line.because === "" ? null : <span className="text-xs text-soft"> {line.because}</span>}
        {line.rule === "" ? null : <span className="ml-2 text-xs text-soft italic">{line.rule}</span>}
      </span>
    </button>
  );
}

/** The lines of the machine's text around what is meant, with that marked. */
function Source({ machine: { sources }, line: { from, to } }: { machine: Machine; line: TraceLine }): ReactNode {
  const place = sources.place(from);
  const file = sources.files.find(({ name }) => name === place.file);
  if (!file) return null;
  const [start, end] = [from - file.base, Math.min(to, from + 400) - file.base];
  const rows = file.text.split("\n");
  const first = Math.max(0, place.line - 1 - AROUND);
  let offset = rows.slice(0, first).reduce((sum, row) => sum + row.length + 1, 0);
  return (
    <section
      aria-label={`The text at line ${place.line}`}
      className="max-h-[45%] shrink-0 overflow-auto border-t border-line bg-cloth py-1 font-mono text-xs"
    >
      {rows.slice(first, place.line + AROUND).map((row, i) => {
        const [low, high] = [Math.max(0, start - offset), Math.min(row.length, end - offset)];
        offset += row.length + 1;
        const marked = high > low;
        return (
          <div
            // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a text
            key={i}
            className={`flex whitespace-pre ${first + i === place.line - 1 ? "bg-sea-wash" : ""}`}
          >
            <span className="w-10 shrink-0 pr-2 text-right text-soft select-none">{first + i + 1}</span>
            {marked ? (
              <span>
                {row.slice(0, low)}
                <mark className="rounded bg-sail-wash text-ink">{row.slice(low, high)}</mark>
                {row.slice(high)}
              </span>
            ) : (
              <span>{row}</span>
            )}
          </div>
        );
      })}
    </section>
  );
}
