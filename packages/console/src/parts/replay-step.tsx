/** One step of a replay: what was done, rolled, told and changed, and the data behind it. */

import {
  type Difference,
  differenceInWords,
  inputInWords,
  type Json,
  type Logbook,
  pathInWords,
  type Situation,
  type StepLine,
  valueInWords,
  type View,
} from "@zany/core";
import type { ReactNode } from "react";
import { SeatData, SharedData, valueAt } from "./data.js";
import { StepDetails } from "./story.js";

/** One step as it is shown. */
export interface Shown {
  readonly line: StepLine;
  /** As it stands on this version, also behind a divergence; missing while the match could not be begun. */
  readonly situation?: Situation;
  /** Who is on turn then. */
  readonly turn: readonly string[];
  readonly differences: readonly Difference[];
}

/** Input, dice, notes and changes of one step. */
export function StepCard({
  shown,
  before,
  refused,
  bothWays,
}: {
  shown: Shown;
  before: View | undefined;
  refused: Logbook["refused"];
  /** What goes otherwise stands beside it, both ways. */
  bothWays: boolean;
}): ReactNode {
  const { line, differences } = shown;
  const changes = line.step === 0 ? [] : line.changes;
  return (
    <section aria-label="This step" className="rounded-lg border border-line bg-panel p-3">
      <h2 className="text-base font-semibold">
        {inputInWords(line.input)}{" "}
        <span className="text-xs font-normal text-soft">{line.time.replace("T", " ").replace(/\.\d+Z$/, " UTC")}</span>
      </h2>
      <dl className="mt-2 grid grid-cols-[5rem_1fr] gap-y-1">
        <dt className="text-soft">states</dt>
        <dd>{line.states.join(" \u203a ") || "over"}</dd>
        {line.dice.length > 0 ? (
          <>
            <dt className="text-soft">dice</dt>
            <dd>
              {line.dice.map((d, i) => (
                <span
                  // biome-ignore lint/suspicious/noArrayIndexKey: a step never changes
                  key={i}
                  className="mr-3"
                  title={`rolled at ${d.source} of the text`}
                >
                  <span className="font-medium">{valueInWords(d.value)}</span>{" "}
                  <span className="text-soft">of {d.range}</span>
                </span>
              ))}
            </dd>
          </>
        ) : null}
        {line.notes.length > 0 || line.signals || line.clamped ? (
          <>
            <dt className="text-soft">notes</dt>
            <dd>
              <StepDetails line={line} />
            </dd>
          </>
        ) : null}
        {changes.length > 0 ? (
          <>
            <dt className="text-soft">changes</dt>
            <dd>
              {changes.map((c) => (
                <span key={c.path} className="block">
                  <code>{pathInWords(c.path)}</code> <Before value={valueAt(before, c.path)} />
                  <span className="font-medium">{c.value === undefined ? "removed" : valueInWords(c.value)}</span>
                </span>
              ))}
            </dd>
          </>
        ) : null}
        {refused.length > 0 ? (
          <>
            <dt className="text-soft">refused</dt>
            <dd>
              {refused.map(({ refused: input, words }, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a match that is over never changes
                <span key={i} className="block">
                  after it {inputInWords(input)}: <span className="text-bad">{words}</span>
                </span>
              ))}
            </dd>
          </>
        ) : null}
      </dl>
      {differences.length > 0 && !bothWays ? (
        <div className="mt-3 rounded border border-bad bg-bad-wash p-2 text-bad">
          <p className="font-medium">The replay diverges here:</p>
          {differences.map((d) => (
            <p key={d.path}>{differenceInWords(d)}</p>
          ))}
        </div>
      ) : null}
    </section>
  );
}

/** What a value was; behind a divergence that is not known. */
function Before({ value }: { value: Json | undefined }): ReactNode {
  if (value === undefined) return <span className="text-soft">is now </span>;
  return (
    <span className="text-soft">
      {valueInWords(value)} {"\u2192"}{" "}
    </span>
  );
}

/** The data of all seats and the shared ones after a step. */
export function StepData({ view: seen, line }: { view: View; line: StepLine }): ReactNode {
  const changed = new Set(line.step === 0 ? [] : line.changes.map((c) => c.path));
  return (
    <div className="mt-3 space-y-3">
      <div
        className="grid gap-3"
        style={{ gridTemplateColumns: `repeat(${Math.min(3, seen.seats.length)}, minmax(0, 1fr))` }}
      >
        {seen.seats.map(({ seat, status }) => (
          <section
            key={seat}
            aria-label={seat}
            className={`rounded-lg border bg-panel p-2 ${seen.turn.includes(seat) ? "border-sail" : "border-line"}`}
          >
            <h3 className="mb-1 flex font-semibold">
              {seat}
              <span className="ml-auto text-xs font-normal text-soft">
                {seen.outcome?.results.find((r) => r.seat === seat)?.result ??
                  (seen.turn.includes(seat) ? "on turn" : status === "in" ? "" : status)}
              </span>
            </h3>
            <SeatData view={seen} seat={seat} changed={changed} />
          </section>
        ))}
      </div>
      <SharedData view={seen} changed={changed} />
    </div>
  );
}
