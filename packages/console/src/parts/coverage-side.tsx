/** What of a machine its tests come to, and simulated matches and a search: sums, and what is missing. */

import { COVER_WORDS, type CoverageResult, type Covered, sumsOf } from "@zany/core";
import { type ReactNode, useState } from "react";
import { Button, counted, Scrolling } from "./basics.js";
import { Choice, Running } from "./running.js";
import { save } from "./save.js";
import type { Searching } from "./searching.js";

export function CoverageSide({
  searching,
  ok,
  onPick,
}: {
  searching: Searching<CoverageResult>;
  ok: boolean;
  onPick: (position: number) => void;
}): ReactNode {
  const [matches, setMatches] = useState(0);
  const [steps, setSteps] = useState(0);
  const { result } = searching;
  return (
    <div className="flex h-full flex-col">
      <Running
        searching={searching}
        label="Count"
        disabled={!ok}
        onRun={() => searching.run({ kind: "coverage", matches, steps })}
      >
        <Choice label="Matches at random" value={matches} values={[0, 100, 1_000]} onChange={setMatches} />
        <Choice label="Steps of a search" value={steps} values={[0, 20_000, 200_000]} onChange={setSteps} />
      </Running>
      {result ? (
        <Scrolling label="What is covered">
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
          <Missed items={result.items.filter(({ count }) => count === 0)} onPick={onPick} />
          <p className="mt-3">
            <Button onClick={() => save(new Blob([result.lcov]), "coverage.lcov")}>Save as LCOV</Button>
          </p>
        </Scrolling>
      ) : searching.running ? null : (
        <p className="p-4 text-soft">
          Counts what the machine's tests come to: states, actions and what closes them, branches both ways, endings;
          with matches at random and a search, if you like.
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

function Missed({ items, onPick }: { items: readonly Covered[]; onPick: (position: number) => void }): ReactNode {
  if (items.length === 0) return <p className="mt-3 text-good">Everything is covered.</p>;
  return (
    <>
      <h3 className="mt-4 font-medium">Not covered</h3>
      <ul aria-label="Not covered">
        {items.map(({ item: { kind, name, way, from } }) => (
          <li key={`${kind} ${from} ${way}`}>
            <button
              type="button"
              onClick={() => onPick(from)}
              className="flex w-full gap-3 py-0.5 text-left hover:bg-sunken"
            >
              <span className="w-28 text-sail">{COVER_WORDS[kind].missed}</span>
              <span>
                {name}
                {kind === "branch" ? <span className="text-soft"> {way ? "never so" : "always so"}</span> : null}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
