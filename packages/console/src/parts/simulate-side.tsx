/** Many matches by bots: who wins, how sure that is, how long they take; drawn as bars one can read. */

import {
  type Compilation,
  exampleMatch,
  histogramOf,
  intervalOf,
  meanOf,
  measuredPlots,
  type Plot as Plotted,
  plotsOfSweep,
  plotsOfTally,
  neverCounted,
  plotsSvg,
  policyNames,
  WARY_BOT,
  rolledIn,
  Runnable,
  sweepCsv,
  type SweepPoint,
  type Tally,
  tallyCsv,
} from "@zany/core";
import { type ReactNode, useMemo, useState } from "react";
import { Button, counted, Scrolling } from "./basics.js";
import type { Files } from "./files.js";
import { timeLeft } from "./match-status.js";
import type { ShownMatch } from "./match-window.js";
import { Plot } from "./plot.js";
import { Choice, Running, Wished } from "./running.js";
import { save } from "./save.js";
import { useSearching } from "./searching.js";

/** Of more seats all play at random. */
const MOST_SEATS = 8;

export function SimulateSide({
  files,
  stored,
  compilation,
  onMatch,
}: {
  files: Files;
  /** The version by its hash, when the texts are just those that are stored. */
  stored: string | undefined;
  compilation: Compilation;
  onMatch: (match: ShownMatch) => void;
}): ReactNode {
  const searching = useSearching("simulate", files, stored);
  const { machine, ok } = compilation;
  const [matches, setMatches] = useState(1_000);
  const [bots, setBots] = useState<Readonly<Record<string, string>>>({});
  const policies = useMemo(() => (ok ? policyNames(new Runnable(machine)) : [WARY_BOT]), [ok, machine]);
  const [of, setOf] = useState("");
  const [vary, setVary] = useState("");
  const [rolls, setRolls] = useState(false);
  const { progress, result } = searching;
  const by = result && "tally" in result && !searching.running ? result.by : undefined;
  const show = (ending: string, number: number): void => {
    const evidence = by && exampleMatch(new Runnable(machine), by, number);
    if (evidence) onMatch({ title: `Match ${number} of the simulation: ${ending}`, evidence });
  };
  const tally = progress?.soFar ?? (result && "tally" in result ? result.tally : undefined);
  const list = (text: string): string[] => (text.trim() === "" ? [] : text.split(";").map((each) => each.trim()));
  const named = Object.fromEntries(
    machine.seats.names.flatMap((seat) => (policies.includes(bots[seat] ?? "") ? [[seat, bots[seat] as string]] : [])),
  );
  return (
    <div className="flex h-full flex-col">
      <Running
        searching={searching}
        label="Simulate"
        disabled={!ok}
        onRun={() =>
          searching.run({ kind: "simulate", matches, seed: "1", bots: named, of: list(of), vary: list(vary), rolls })
        }
      >
        <Choice label="Matches" value={matches} values={[100, 1_000, 10_000, 100_000]} onChange={setMatches} />
        {(machine.seats.names.length > MOST_SEATS ? [] : machine.seats.names).map((seat) => (
          <label key={seat} className="text-sm">
            <span className="block text-soft">{seat}</span>
            <select
              value={bots[seat] ?? WARY_BOT}
              onChange={(event) => setBots({ ...bots, [seat]: event.target.value })}
              className="rounded border border-line bg-panel px-2 py-1"
            >
              {policies.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          </label>
        ))}
        <Wished label="Count too" example="lap; kites[north].lift" value={of} onChange={setOf} />
        <Wished label="Vary" example="kites.north.lift=10..40 by 10" value={vary} onChange={setVary} />
        <label className="flex items-center gap-1.5 py-1.5 text-sm">
          <input type="checkbox" checked={rolls} onChange={(event) => setRolls(event.target.checked)} />
          Rolls
        </label>
      </Running>
      {result && "sweep" in result && !searching.running ? (
        <Swept sweep={result.sweep} />
      ) : tally ? (
        <Tallied tally={tally} compilation={compilation} onShow={by && show} />
      ) : searching.running ? null : (
        <p className="p-4 text-soft">
          Bots play many matches: every seat by a policy of the machine, or at random over what is open to it (wary: it
          does not give up).
        </p>
      )}
    </div>
  );
}

/** What differs over the values of starting data. */
function Swept({ sweep }: { sweep: readonly SweepPoint[] }): ReactNode {
  const plots = plotsOfSweep(sweep);
  const [first] = sweep;
  const title = Object.keys(first?.values ?? {}).join(", ");
  return (
    <Scrolling label="What came of it">
      <p className="font-medium">
        {counted(sweep.length, "value")} of {title}, {counted(first?.tally.matches ?? 0, "match", "matches")} each, the
        same for all
      </p>
      <Plots plots={plots} />
      <p className="mt-3 flex gap-2">
        <Button onClick={() => save(new Blob([sweepCsv(sweep)]), "sweep.csv")}>Save as CSV</Button>
        <Button onClick={() => save(new Blob([plotsSvg(title, plots)]), "sweep.svg")}>Save as SVG</Button>
        <Button onClick={() => save(new Blob([`${JSON.stringify(sweep, null, 2)}\n`]), "sweep.json")}>
          Save as JSON
        </Button>
      </p>
    </Scrolling>
  );
}

function Plots({ plots }: { plots: readonly Plotted[] }): ReactNode {
  return plots.map((plot) => (
    <div key={plot.title} className="mt-3">
      <Plot plot={plot} label={`${plot.title} over ${plot.across}`} />
    </div>
  ));
}

function Tallied({
  tally,
  compilation: { machine, sources },
  onShow,
}: {
  tally: Tally;
  compilation: Compilation;
  /** Shows the match of that number; undefined while it is not known how they were played. */
  onShow: ((ending: string, number: number) => void) | undefined;
}): ReactNode {
  const { name } = machine;
  const never = neverCounted(machine, tally);
  const { matches, endings, results, scores, actions, faults } = tally;
  const seats = Object.entries(results);
  const taken = Object.values(actions).reduce((sum, n) => sum + n, 0);
  return (
    <Scrolling label="What came of it">
      <p className="font-medium">
        {counted(matches, "match", "matches")}, {meanOf(tally.lengths).mean.toFixed(1)} steps each
      </p>
      <Bars
        title="Wins; the thin line is where the truth lies in 95 of 100 such reports"
        rows={seats.map(([seat, { win }]) => ({ name: seat, count: win }))}
        all={matches}
      />
      <Bars
        title="Endings"
        rows={Object.entries(endings).map(([name, count]) => ({ name, count }))}
        all={matches}
        more={(name) => {
          const number = tally.examples[name];
          return onShow && number !== undefined ? (
            <button
              type="button"
              className="underline"
              aria-label={`Show a match that ends so: ${name}`}
              onClick={() => onShow(name, number)}
            >
              Show
            </button>
          ) : null;
        }}
      />
      {Object.entries(tally.stood).map(([ending, words]) => (
        <p key={ending} className="mt-2 text-sail">
          {ending} match {tally.examples[ending]} stands {words}
        </p>
      ))}
      <Histogram title="Steps of a match" counts={tally.lengths} words={plain} />
      <Histogram title="Turns of a match" counts={tally.turns} words={plain} />
      <Histogram title="Time of a match" counts={tally.times} words={timeLeft} grain={SECOND} />
      {Object.entries(scores).map(([seat, counts]) => (
        <Histogram key={seat} title={`Score of ${seat}`} counts={counts} words={plain} />
      ))}
      <Bars title="Actions" rows={Object.entries(actions).map(([name, count]) => ({ name, count }))} all={taken} />
      <Never of="endings" names={never.endings} />
      <Never of="actions" names={never.actions} />
      {Object.keys(tally.rolls).length === 0 ? null : (
        <section className="mt-4">
          <h3 className="font-medium">Rolls</h3>
          {rolledIn(machine, tally).map(({ position, words, rolled, values }) => (
            <div key={position} className="mt-2">
              <p>
                <span className="text-soft">line {sources.place(position).line}</span> <code>{words}</code>{" "}
                <span className="text-soft">
                  {rolled === 0 ? "never rolled" : `${rolled.toLocaleString("en-GB")} times`}
                </span>
              </p>
              <Bars
                title=""
                rows={values.slice(0, MOST_VALUES).map(({ value, count }) => ({ name: value, count }))}
                all={rolled}
              />
              {values.length > MOST_VALUES ? (
                <p className="text-soft">and {values.length - MOST_VALUES} other values</p>
              ) : null}
            </div>
          ))}
        </section>
      )}
      <Plots plots={measuredPlots(tally)} />
      {Object.entries(faults).map(([words, count]) => (
        <p key={words} className="mt-2 text-bad">
          {counted(count, "fault")}: {words}
        </p>
      ))}
      <p className="mt-3 flex gap-2">
        <Button onClick={() => save(new Blob([`${JSON.stringify(tally, null, 2)}\n`]), "tally.json")}>
          Save as JSON
        </Button>
        <Button onClick={() => save(new Blob([tallyCsv(tally)]), "tally.csv")}>Save as CSV</Button>
        <Button onClick={() => save(new Blob([plotsSvg(name, plotsOfTally(tally))]), "tally.svg")}>Save as SVG</Button>
      </p>
    </Scrolling>
  );
}

/** How many values of a roll are drawn. */
const MOST_VALUES = 20;

/** What never came about. */
function Never({ of, names }: { of: string; names: readonly string[] }): ReactNode {
  return names.length === 0 ? null : (
    <p className="mt-2 text-sail">
      Never among the {of}: {names.join(", ")}
    </p>
  );
}

/** Shares as bars, each with the interval in which the truth lies. */
function Bars({
  title,
  rows,
  all,
  more,
}: {
  title: string;
  rows: readonly { readonly name: string; readonly count: number }[];
  all: number;
  /** What stands behind a row. */
  more?: (name: string) => ReactNode;
}): ReactNode {
  if (rows.length === 0) return null;
  return (
    <figure className={title === "" ? "" : "mt-4"}>
      {title === "" ? null : <figcaption className="font-medium">{title}</figcaption>}
      <table className="mt-1 w-full">
        <tbody>
          {rows.map(({ name, count }) => {
            const { share, low, high } = intervalOf(count, all);
            return (
              <tr key={name}>
                <th scope="row" className="w-32 pr-2 text-left font-normal">
                  {name}
                </th>
                <td className="w-full">
                  <svg viewBox="0 0 100 10" preserveAspectRatio="none" className="block h-4 w-full" aria-hidden>
                    <rect width="100" height="10" className="fill-sunken" />
                    <rect width={share * 100} height="10" className="fill-sea" />
                    <rect
                      x={low * 100}
                      y="4"
                      width={Math.max(0.4, (high - low) * 100)}
                      height="2"
                      className="fill-sail"
                    />
                  </svg>
                </td>
                <td className="whitespace-nowrap pl-2 text-right tabular-nums">
                  {percent(share)}{" "}
                  <span className="text-soft">
                    {percent(low)} to {percent(high)}
                  </span>
                </td>
                {more ? <td className="pl-2">{more(name)}</td> : null}
              </tr>
            );
          })}
        </tbody>
      </table>
    </figure>
  );
}

function percent(share: number): string {
  return `${(share * 100).toFixed(1)}%`;
}

const SECOND = 1_000;

/** How many bars a histogram has at most. */
const COLUMNS = 30;

/** A number, to one digit behind the point. */
function plain(n: number): string {
  return Number.isInteger(n) ? String(n) : n.toFixed(1);
}

/** How many matches came to each number, with mean and spread; nothing where it was 0 in all of them. */
function Histogram({
  title,
  counts = {},
  words,
  grain = 1,
}: {
  title: string;
  /** Not there in what was counted by an older version. */
  counts: Readonly<Record<number, number>> | undefined;
  words: (n: number) => string;
  /** What bars begin at and are wide is a multiple of it. */
  grain?: number;
}): ReactNode {
  if (Object.keys(counts).every((value) => value === "0")) return null;
  const { low, high, width, columns: bins } = histogramOf(counts, COLUMNS, grain);
  const { mean, spread } = meanOf(counts);
  const most = Math.max(...bins);
  return (
    <figure className="mt-4">
      <h3 className="font-medium">
        {title}: {words(mean)} <span className="text-soft">(spread {words(spread)})</span>
      </h3>
      <svg viewBox={`0 0 ${bins.length} 100`} preserveAspectRatio="none" className="h-24 w-full" role="img">
        <title>
          {`From ${words(low)} to ${words(high)}, ${words(width)} to a bar; the tallest are ${most} matches`}
        </title>
        {bins.map((count, i) => (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: bars stand where they stand
            key={i}
            x={i + 0.06}
            width={0.88}
            y={100 - (count / most) * 100}
            height={(count / most) * 100}
            className="fill-sea"
          />
        ))}
      </svg>
      <figcaption className="flex justify-between text-soft">
        <span>{words(low)}</span>
        <span>the tallest: {counted(most, "match", "matches")}</span>
        <span>{words(high)}</span>
      </figcaption>
    </figure>
  );
}
