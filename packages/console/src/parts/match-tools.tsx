/** Above a match: how fast its steps are shown, what can be had of it, what becomes of it, and what comes after it. */

import { useQueryClient } from "@tanstack/react-query";
import type { SeenMatch } from "@zany/client";
import { Ban, CheckCheck, Download, Eye, History, Play, RotateCcw } from "lucide-react";
import { type ComponentType, lazy, type ReactNode, Suspense, useState } from "react";
import { Link, useLocation } from "wouter";
import { ownKey } from "../identity.js";
import { client, keepKeys } from "../service.js";
import { ErrorText } from "./basics.js";
import { Confirm } from "./confirm.js";
import { save } from "./save.js";

const PassOn = lazy(() => import("./pass-on.js"));
const ResumeWindow = lazy(() => import("./resume-window.js"));

/** How long each step is shown, by the words for it, in milliseconds. */
export const PACES: Readonly<Record<string, number>> = { "at once": 0, quickly: 300, slowly: 1_000 };
export const PACE_KEY = "zany pace";

const LOOK = "flex items-center gap-1 text-sea underline-offset-2 hover:underline";

interface ToolsProps {
  readonly match: SeenMatch;
  /** The keys of the seats that are played here. */
  readonly own: Readonly<Record<string, string>>;
  /** The key of whoever invites to the match and may cancel it, when that is who sits here. */
  readonly ownerKey: string | undefined;
  /** Whether that key speaks for the game. */
  readonly hosts: boolean;
  readonly pace: string;
  readonly onPace: (pace: string) => void;
}

export function MatchTools({ match, own, ownerKey, hosts, pace, onPace }: ToolsProps): ReactNode {
  const { id, view, cancelled, suspended } = match;
  const [problem, setProblem] = useState<unknown>(null);
  const going = view.outcome === null && cancelled === null;
  const owner = ownerKey !== undefined && going;
  const saveLogbook = (): void => {
    const key = hosts ? ownerKey : (Object.values(own)[0] ?? ownKey());
    client
      .matchLogbook(id, key)
      .then(
        (text) => save(new Blob([text], { type: "application/x-ndjson" }), `${match.machine.name}-${id}.jsonl`),
        setProblem,
      );
  };
  return (
    <span className="ml-auto flex flex-wrap items-center gap-x-4">
      <ErrorText error={problem} />
      {owner && suspended !== null ? <Resume match={match} ownerKey={ownerKey} /> : null}
      {owner ? <WatchLink id={id} ownerKey={ownerKey} onProblem={setProblem} /> : null}
      {owner ? <Cancel id={id} ownerKey={ownerKey} /> : null}
      {going ? <Pace pace={pace} onPace={onPace} /> : <Afterwards match={match} own={own} onProblem={setProblem} />}
      <Tool Icon={Download} words="Logbook" onClick={saveLogbook} />
    </span>
  );
}

function Tool({
  Icon,
  words,
  onClick,
}: {
  Icon: ComponentType<{ size: number; "aria-hidden": true }>;
  words: string;
  onClick: () => void;
}): ReactNode {
  return (
    <button type="button" className={LOOK} onClick={onClick}>
      <Icon size={15} aria-hidden /> {words}
    </button>
  );
}

function Pace({ pace, onPace }: Pick<ToolsProps, "pace" | "onPace">): ReactNode {
  return (
    <label className="flex items-center gap-1 text-soft">
      steps
      <select
        value={pace}
        onChange={(e) => {
          localStorage.setItem(PACE_KEY, e.target.value);
          onPace(e.target.value);
        }}
        className="rounded border border-line bg-panel px-1 py-0.5 text-ink"
      >
        {Object.keys(PACES).map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
    </label>
  );
}

/** Makes a link for those who only look. */
function WatchLink({
  id,
  ownerKey,
  onProblem,
}: {
  id: string;
  ownerKey: string;
  onProblem: (problem: unknown) => void;
}): ReactNode {
  const [link, setLink] = useState<string>();
  return (
    <>
      <Tool
        Icon={Eye}
        words="Watch link"
        onClick={() =>
          client.watcher(id, ownerKey).then((made) => setLink(window.location.origin + made.link), onProblem)
        }
      />
      {link === undefined ? null : (
        <Suspense>
          <PassOn
            title="A link to watch"
            text={link}
            words="Whoever has it sees what everybody may see, and can do nothing."
            onClose={() => setLink(undefined)}
          />
        </Suspense>
      )}
    </>
  );
}

/** Lets a suspended match go on, as it is or on a mended version. */
function Resume({ match, ownerKey }: { match: SeenMatch; ownerKey: string }): ReactNode {
  const [asking, setAsking] = useState(false);
  return (
    <>
      <Tool Icon={Play} words="Resume" onClick={() => setAsking(true)} />
      {asking ? (
        <Suspense>
          <ResumeWindow match={match} ownerKey={ownerKey} onClose={() => setAsking(false)} />
        </Suspense>
      ) : null}
    </>
  );
}

function Cancel({ id, ownerKey }: { id: string; ownerKey: string }): ReactNode {
  const queries = useQueryClient();
  const [asking, setAsking] = useState(false);
  return (
    <>
      <Tool Icon={Ban} words="Cancel" onClick={() => setAsking(true)} />
      {asking ? (
        <Confirm
          title="Cancel this match?"
          words="It ends for all seats, without a result. Its logbook stays."
          yes="Cancel the match"
          onYes={() => client.cancel(id, ownerKey).then(() => queries.invalidateQueries())}
          onClose={() => setAsking(false)}
        />
      ) : null}
    </>
  );
}

/** A match that is over is replayed, confirmed, and played again. */
function Afterwards({
  match,
  own,
  onProblem,
}: Pick<ToolsProps, "match" | "own"> & { onProblem: (problem: unknown) => void }): ReactNode {
  const { id, view, confirmed, rematch } = match;
  const [, navigate] = useLocation();
  const [done, setDone] = useState<readonly string[]>(confirmed);
  const open = Object.keys(own).filter((seat) => !done.includes(seat));
  const confirm = async (): Promise<void> => {
    for (const seat of open) setDone((await client.confirm(id, own[seat] ?? "", seat)).confirmed);
  };
  const again = async (): Promise<void> => {
    let to = "";
    for (const [seat, key] of Object.entries(own)) {
      const next = await client.rematch(id, key, { seat, request: crypto.randomUUID() });
      if (next.seat !== null && next.key !== undefined) keepKeys(next.match, { [next.seat]: next.key });
      to = next.match;
    }
    navigate(`/matches/${to}`);
  };
  return (
    <>
      {view.outcome && open.length > 0 ? (
        <Tool Icon={CheckCheck} words="Confirm" onClick={() => confirm().catch(onProblem)} />
      ) : null}
      {Object.keys(own).length > 0 ? (
        <Tool
          Icon={RotateCcw}
          words={rematch === null ? "Rematch" : "Agree to the rematch"}
          onClick={() => again().catch(onProblem)}
        />
      ) : null}
      <Link href={`/matches/${id}/replay`} className={LOOK}>
        <History size={15} aria-hidden /> Replay
      </Link>
    </>
  );
}
