/** Every situation a machine can reach: what goes wrong, what never happens, with the matches that show it. */

import { type ExploreResult, FINDING_WORDS } from "@zany/core";
import { type ReactNode, useState } from "react";
import { Button, counted, Scrolling } from "./basics.js";
import type { Files } from "./files.js";
import type { ShownMatch } from "./match-window.js";
import { Choice, Running, Wished } from "./running.js";
import { save } from "./save.js";
import { useSearching } from "./searching.js";

interface ExploreProps {
  readonly files: Files;
  /** The version by its hash, when the texts are just those that are stored. */
  readonly stored: string | undefined;
  readonly ok: boolean;
  readonly onPick: (position: number) => void;
  readonly onMatch: (match: ShownMatch) => void;
}

export function ExploreSide({ files, stored, ok, onPick, onMatch }: ExploreProps): ReactNode {
  const searching = useSearching("explore", files, stored);
  const [situations, setSituations] = useState(100_000);
  const [goal, setGoal] = useState("");
  const { result } = searching;
  return (
    <div className="flex h-full flex-col">
      <Running
        searching={searching}
        label="Explore"
        disabled={!ok}
        onRun={() => searching.run({ kind: "explore", situations, goal })}
      >
        <Choice
          label="Most situations"
          value={situations}
          values={[10_000, 100_000, 500_000, 2_000_000]}
          onChange={setSituations}
        />
        <Wished label="Goal" example="lap > 3 and kites[north].lift < 5" value={goal} onChange={setGoal} />
      </Running>
      {result ? (
        <Explored result={result} onPick={onPick} onMatch={onMatch} />
      ) : searching.running ? null : (
        <p className="p-4 text-soft">
          Visits every situation that this machine can reach: all actions, arguments, dice, timers and events. What it
          finds comes with the shortest match there.
        </p>
      )}
    </div>
  );
}

/** Whether what was looked for was come to, and how. */
function Goal({
  goal: { words, depth, evidence },
  complete,
  onMatch,
}: Pick<ExploreProps, "onMatch"> & { goal: NonNullable<ExploreResult["goal"]>; complete: boolean }): ReactNode {
  return (
    <p role="status" className="my-2 rounded border border-line px-3 py-2">
      <code>{words}</code>{" "}
      {depth === undefined ? (
        <span className="text-sail">{complete ? "never: proven" : "was not come to: not proven"}</span>
      ) : (
        <>
          <span className="text-good">is reached in {counted(depth, "step")}</span>{" "}
          {evidence ? (
            <Button onClick={() => onMatch({ title: `The way to: ${words}`, evidence })}>Show the match</Button>
          ) : null}
        </>
      )}
    </p>
  );
}

function Explored({
  result,
  onPick,
  onMatch,
}: Pick<ExploreProps, "onPick" | "onMatch"> & { result: ExploreResult }): ReactNode {
  const { goal, findings, complete, situations, steps, depth, endings, never, branches, incomplete, unseen } = result;
  const { secretSteps, holdsFor } = result;
  const words = complete
    ? `All ${situations} situations visited${findings.length === 0 ? ": proven" : ""}.`
    : `${findings.length === 0 ? "No finding" : counted(findings.length, "finding")} ` +
      `in ${situations} situations, not proven.`;
  // A search that ended where it was to come to says nothing of the rest.
  const isCutShort = goal?.depth !== undefined && !complete;
  const missed = isCutShort ? [] : Object.entries(never).filter(([, names]) => names.length > 0);
  return (
    <Scrolling label="What was found">
      <p className={`font-medium ${findings.length > 0 ? "text-sail" : complete ? "text-good" : ""}`}>{words}</p>
      <p className="text-soft">
        {counted(steps, "step")}, up to {depth} from the beginning.
        {holdsFor ? ` ${complete ? "This holds for" : "Looked at"}: ${holdsFor.join("; ")}.` : null}
      </p>
      {secretSteps !== undefined && findings.every(({ kind }) => kind !== "secret") ? (
        <p className="text-soft">No secret was seen to show, in {secretSteps} steps of matches in pairs: not proven.</p>
      ) : null}
      {goal ? <Goal goal={goal} complete={complete} onMatch={onMatch} /> : null}
      <ul aria-label="Findings" className="my-3 space-y-2">
        {findings.map((finding) => (
          <li key={`${finding.kind} ${finding.words}`} className="rounded border border-line px-3 py-2">
            <p>
              <span className="font-medium text-bad">{FINDING_WORDS[finding.kind]}</span>{" "}
              <span className="text-soft">in {counted(finding.depth, "step")}</span>
            </p>
            <p>{finding.words}</p>
            <p className="mt-1 flex gap-2">
              {finding.evidence ? (
                <Button onClick={() => onMatch({ title: finding.words, evidence: finding.evidence as never })}>
                  Show the match
                </Button>
              ) : null}
              {finding.position === undefined ? null : (
                <Button onClick={() => onPick(finding.position ?? 0)}>Go to the text</Button>
              )}
            </p>
          </li>
        ))}
      </ul>
      <h3 className="font-medium">Endings</h3>
      <ul>
        {endings.map(({ ending, situations: count }) => (
          <li key={ending}>
            {ending} <span className="text-soft">{counted(count, "situation")}</span>
          </li>
        ))}
      </ul>
      {missed.map(([what, names]) => (
        <p key={what} className="mt-2">
          <span className="text-sail">{complete ? "Never" : "Not met"}</span>, {what}: {names.join(", ")}
        </p>
      ))}
      {(isCutShort ? [] : branches).map(({ item: { name, way, from } }) => (
        <p key={`${from} ${way}`} className="mt-2">
          <span className="text-sail">{complete ? "Never" : "Not met"}</span>, branch:{" "}
          <button type="button" className="underline" onClick={() => onPick(from)}>
            {name}
          </button>{" "}
          {way ? "never holds" : "always holds"}
        </p>
      ))}
      {unseen.length > 0 ? (
        <p className="mt-2 text-soft">
          No rule can see {unseen.join(", ")}: situations that differ in them alone count once.
        </p>
      ) : null}
      {incomplete.map(({ words: why, position }) => (
        <p key={`${position} ${why}`} className="mt-2 text-soft">
          Not complete: {why}.{" "}
          {position === undefined ? null : (
            <button type="button" className="underline" onClick={() => onPick(position)}>
              Where
            </button>
          )}
        </p>
      ))}
      <p className="mt-3">
        <Button onClick={() => save(new Blob([`${JSON.stringify(result, null, 2)}\n`]), "explored.json")}>
          Save as JSON
        </Button>
      </p>
    </Scrolling>
  );
}
