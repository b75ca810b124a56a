/** A match as it is played: every seat this browser holds a key for side by side, the live diagram, what happened. */

import { useQuery } from "@tanstack/react-query";
import type { SeenMatch } from "@zany/client";
import { diagramOf } from "@zany/core";
import { type ReactNode, useMemo, useState } from "react";
import { Link } from "wouter";
import { Ended, Hint, ErrorText } from "../parts/basics.js";
import { type Picking, PickingContext } from "../parts/board.js";
import { SharedData, WatchingContext } from "../parts/data.js";
import { Diagram } from "../parts/diagram.js";
import { useFollowed } from "../parts/followed.js";
import { GamePanel } from "../parts/game-panel.js";
import { SeatPanel } from "../parts/seat-panel.js";
import { Story } from "../parts/story.js";
import { useWatching, Watched } from "../parts/watched.js";
import { compileStored } from "../compiled.js";
import { client, hostKeyOf, keysOf } from "../service.js";

export default function MatchPage({ id }: { id: string }): ReactNode {
  const keys = keysOf(id);
  const hostKey = hostKeyOf(id);
  const [picking, setPicking] = useState<Picking | null>(null);
  const { seen, hosted, lines, away } = useFollowed(id, keys);
  const first = useQuery({ queryKey: ["match", id], queryFn: () => client.match(id), staleTime: 0 });
  const info = useQuery({
    queryKey: ["match machine", id],
    queryFn: () => client.machine(first.data?.machine.hash ?? ""),
    enabled: first.data !== undefined,
  });
  const graph = useMemo(() => (info.data ? diagramOf(compileStored(info.data).machine) : undefined), [info.data]);
  const watching = useWatching(first.data?.machine.name ?? "");
  if (first.error) {
    return (
      <div className="p-6">
        <ErrorText error={first.error} />
      </div>
    );
  }
  // Each seat has a stream of its own; what all may see is taken from the one that is furthest.
  const any = Object.values(seen).sort((a, b) => b.view.step - a.view.step)[0] ?? first.data;
  if (!any) return <Hint>Loading ...</Hint>;
  const { view } = any;
  const here = view.outcome ? [view.outcome.ending] : view.states;
  const names = view.seats.map((s) => s.seat);
  const changed = new Set(lines.at(-1)?.changes.map((c) => c.path) ?? []);
  return (
    <WatchingContext value={watching}>
      <div className="flex h-full flex-col">
        <Heading id={id} match={any} away={away} />
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.45fr)_minmax(0,1fr)]">
          <div className="flex min-h-0 flex-col overflow-auto">
            <div
              className="grid gap-3 p-3"
              style={{ gridTemplateColumns: `repeat(${Math.min(3, names.length)}, minmax(0, 1fr))` }}
            >
              {names.map((seat) => (
                <SeatPanel
                  key={seat}
                  seat={seat}
                  match={seen[seat] ?? any}
                  matchKey={keys[seat]}
                  hostKey={hostKey}
                  id={id}
                  changed={changed}
                  onPicking={setPicking}
                />
              ))}
            </div>
            <div className="border-t border-line px-4 py-2">
              <PickingContext value={picking}>
                <SharedData view={view} changed={changed} />
              </PickingContext>
            </div>
            {hostKey !== undefined && hosted ? <GamePanel id={id} hostKey={hostKey} match={hosted} /> : null}
          </div>
          <div className="flex min-h-0 flex-col border-l border-line bg-panel">
            <div className="min-h-0 flex-[1.4] p-2">{graph ? <Diagram graph={graph} active={here} /> : null}</div>
            <Watched watching={watching} views={Object.values(seen).map((m) => m.view)} lines={lines} />
            <Story lines={lines} />
          </div>
        </div>
      </div>
    </WatchingContext>
  );
}

/** Which match this is, where it stands, and what can be had of it. */
function Heading({ id, match, away }: { id: string; match: SeenMatch; away: boolean }): ReactNode {
  const { view } = match;
  return (
    <div className="flex flex-wrap items-center gap-3 border-b border-line px-4 py-2">
      <h1 className="text-base font-semibold">{match.machine.name}</h1>
      <span className="font-mono text-soft">{id}</span>
      <span className="text-soft">step {view.step}</span>
      <span role="status" className="rounded bg-sunken px-2 py-0.5">
        {view.outcome ? <Ended outcome={view.outcome} /> : view.states.join(" \u203a ")}
      </span>
      {away ? <span className="rounded bg-bad-wash px-2 py-0.5 text-bad">connection lost, trying again</span> : null}
      {match.cancelled === null ? null : <span className="rounded bg-sunken px-2 py-0.5">cancelled</span>}
      {match.suspended === null ? null : (
        <span className="rounded bg-bad-wash px-2 py-0.5 text-bad">suspended: {match.suspended}</span>
      )}
      <span className="ml-auto flex gap-4">
        {view.outcome ? (
          <Link href={`/matches/${id}/replay`} className="text-sea underline-offset-2 hover:underline">
            Replay
          </Link>
        ) : null}
        <a href={`/api/matches/${id}/logbook`} download className="text-sea underline-offset-2 hover:underline">
          Logbook
        </a>
      </span>
    </div>
  );
}
