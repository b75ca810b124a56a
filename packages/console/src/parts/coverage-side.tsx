/** What of a machine its tests come to, and simulated matches and a search: sums, and what is missing. */

import { COVER_WORDS, type CoverageResult, type CoverItem, type Missing, sumsOf } from "@zany/core";
import { type ReactNode, useState } from "react";
import { Button, counted, Scrolling } from "./basics.js";
import type { ShownMatch } from "./match-window.js";
import { Choice, Running } from "./running.js";
import { save } from "./save.js";
import type { Searching } from "./searching.js";

interface PickProps {
  readonly onPick: (position: number) => void;
  readonly onMatch: (match: ShownMatch) => void;
}

export function CoverageSide({
  searching,
  ok,
  onPick,
  onMatch,
}: {
  searching: Searching<CoverageResult>;
  ok: boolean;
} & PickProps): ReactNode {
  const [matches, setMatches] = useState(0);
  const [steps, setSteps] = useState(0);
  const [look, setLook] = useState(0);
  const [kept, setKept] = useState(true);
  const { result, byService } = searching;
  return (
    <div className="flex h-full flex-col">
      <Running
        searching={searching}
        label="Count"
        disabled={!ok}
        onRun={() => searching.run({ kind: "coverage", matches, steps, look, kept: kept && byService })}
      >
        <Choice label="Matches at random" value={matches} values={[0, 100, 1_000]} onChange={setMatches} />
        <Choice label="Steps of a search" value={steps} values={[0, 20_000, 200_000]} onChange={setSteps} />
        <Choice
          label="Steps to find what is missing"
          value={look}
          values={[0, 100_000, 750_000, 3_000_000]}
          onChange={setLook}
        />
        {byService ? (
          <label className="flex items-center gap-1.5 py-1.5 text-sm">
            <input type="checkbox" checked={kept} onChange={(event) => setKept(event.target.checked)} />
            Kept matches
          </label>
        ) : null}
      </Running>
      {result ? (
        <Scrolling label="What is covered">
          {result.kept ? (
            <p className="mb-1 text-soft">
              Counted with {result.kept.counted === result.kept.of ? "" : `${result.kept.counted} of `}
              {counted(result.kept.of, "kept match", "kept matches")}, {counted(result.kept.steps, "step")}.
            </p>
          ) : null}
          <table className="w-full">
            <tbody>
              {sumsOf(result.items).map(({ kind, covered, all }) => (
                <tr key={kind}>
                  <th scope="row" className="w-44 text-left font-normal">
                    {COVER_WORDS[kind].all}
                  </th>
                  <td>
                    <div className="h-3 rounded bg-sunken">
                      <div className="h-full rounded bg-sea" style={{ width: `${(covered / all) * 100}%` }} />
                    </div>
                  </td>
                  <td className={`w-20 pl-2 text-right tabular-nums ${covered === all ? "text-good" : "text-sail"}`}>
                    {covered} of {all}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <Pairs pairs={result.pairs} />
          <Missed result={result} onPick={onPick} onMatch={onMatch} />
          <p className="mt-3 flex gap-2">
            <Button onClick={() => save(new Blob([result.lcov]), "coverage.lcov")}>Save as LCOV</Button>
            <SaveTests missing={result.missing ?? []} />
          </p>
        </Scrolling>
      ) : searching.running ? null : (
        <p className="p-4 text-soft">
          Counts what the machine's tests come to: states, actions and what closes them, branches both ways, endings;
          with matches at random and a search, if you like. For what is missing, it looks for the shortest matches that
          would cover it.
        </p>
      )}
    </div>
  );
}

/** In which state which input was taken, and how often: what is rare stands first. */
function Pairs({ pairs }: { pairs: CoverageResult["pairs"] }): ReactNode {
  return (
    <details className="mt-3">
      <summary className="cursor-pointer font-medium">{counted(pairs.length, "pair")} of state and input</summary>
      <table className="mt-1 w-full">
        <tbody>
          {[...pairs]
            .sort((a, b) => a.count - b.count)
            .map(({ state, input, count }) => (
              <tr key={`${state} ${input}`}>
                <th scope="row" className="w-44 text-left font-normal">
                  {state}
                </th>
                <td>{input}</td>
                <td className="w-20 text-right tabular-nums">{count}</td>
              </tr>
            ))}
        </tbody>
      </table>
    </details>
  );
}

function Missed({ result: { items, missing }, onPick, onMatch }: { result: CoverageResult } & PickProps): ReactNode {
  const left: readonly Missing[] = missing ?? items.filter(({ count }) => count === 0);
  if (left.length === 0) return <p className="mt-3 text-good">Everything is covered.</p>;
  return (
    <>
      <h3 className="mt-4 font-medium">Not covered</h3>
      <ul aria-label="Not covered">
        {left.map((one) => (
          <li
            key={`${one.item.kind} ${one.item.from} ${one.item.way}`}
            className="flex items-baseline gap-2 py-0.5 hover:bg-sunken"
          >
            <button type="button" onClick={() => onPick(one.item.from)} className="flex flex-1 gap-3 text-left">
              <span className="w-28 shrink-0 text-sail">{COVER_WORDS[one.item.kind].missed}</span>
              <span>
                {one.item.name}
                {one.item.kind === "branch" ? (
                  <span className="text-soft"> {one.item.way ? "never so" : "always so"}</span>
                ) : null}
              </span>
            </button>
            {missing ? <Way missing={one} onMatch={onMatch} /> : null}
          </li>
        ))}
      </ul>
    </>
  );
}

/** The match that would cover something, as far as one was found. */
function Way({
  missing: { item, evidence, mayBeShorter },
  onMatch,
}: Pick<PickProps, "onMatch"> & { missing: Missing }): ReactNode {
  if (!evidence) return <span className="text-soft">no match was found</span>;
  const steps = counted(evidence.steps.length, "step");
  return (
    <>
      <span className="whitespace-nowrap text-soft" title={mayBeShorter && "There may be a shorter one."}>
        {mayBeShorter ? `at most ${steps}` : steps}
      </span>
      <Button onClick={() => onMatch({ title: titleOf(item), evidence })}>Show the match</Button>
    </>
  );
}

function titleOf({ kind, name, way }: CoverItem): string {
  return `Covers ${name}${kind === "branch" ? (way ? ", where it holds" : ", where it does not") : ""}`;
}

/** All tests that would cover more, in one file. */
function SaveTests({ missing }: { missing: readonly Missing[] }): ReactNode {
  const tests = missing.flatMap(({ evidence }) => (evidence ? [evidence.test] : []));
  if (tests.length === 0) return null;
  return (
    <Button onClick={() => save(new Blob([tests.join("\n")]), "missing-tests.zany")}>
      Save {counted(tests.length, "test")} that would
    </Button>
  );
}
