/** A match as it is played: every seat this browser holds a key for side by side, the live diagram, what happened. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type SeenMatch, ServiceProblem, type StoredMachine } from "@zany/client";
import { type ReactNode, useEffect, useMemo, useState } from "react";
import { ErrorText, Loading } from "../parts/basics.js";
import { useFollowed } from "../parts/followed.js";
import { Clock, StatusBadge, statusOf } from "../parts/match-status.js";
import { MatchTools, PACE_KEY, PACES } from "../parts/match-tools.js";
import { MatchView } from "../parts/match-view.js";
import type { Moves } from "../parts/moves.js";
import { ownKey, useOwnKey } from "../identity.js";
import { client, hostKeyOf, keepKeys, keepWatcher, keysOf, watcherKeyOf } from "../service.js";

export default function MatchPage({ id }: { id: string }): ReactNode {
  useWatcherLink(id);
  const first = useQuery({
    queryKey: ["match", id],
    queryFn: () => client.match(id, firstKeyOf(id)),
    staleTime: 0,
    retry: false,
  });
  const keys = useKeys(id, first.data);
  const hostKey = hostKeyOf(id);
  const [pace, setPace] = useState(() => localStorage.getItem(PACE_KEY) ?? "quickly");
  const { seen, hosted, lines, away } = useFollowed(id, keys, PACES[pace] ?? 0);
  const queries = useQueryClient();
  const info = useQuery({
    queryKey: ["match machine", id],
    queryFn: () => client.machine(first.data?.machine.hash ?? ""),
    enabled: first.data !== undefined,
    retry: false,
  });
  // The language is loaded behind the match itself.
  const drawn = useQuery({
    queryKey: ["drawn", info.data?.hash],
    queryFn: () => import("../drawn.js").then(({ drawnOf }) => drawnOf(info.data as StoredMachine)),
    enabled: info.data !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
  });
  // Each seat has a stream of its own; what all may see is taken from the one that is furthest.
  const match = Object.values(seen).sort((a, b) => b.view.step - a.view.step)[0] ?? first.data;
  const overlays = drawn.data?.nodes.flatMap(({ kind, name }) => (kind === "overlay" ? [name] : [])) ?? [];
  const status = match && statusOf(match, Object.keys(keys), overlays);
  useTitle(match && status ? `${status.title} - ${match.machine.name}` : undefined);
  if (first.error)
    return (
      <div className="p-6">
        <ErrorText error={first.error} />
      </div>
    );
  if (!match || !status) return <Loading />;
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-4 py-2">
        <h1 className="text-base font-semibold">{match.machine.name}</h1>
        <StatusBadge status={status} />
        <Clock match={match} />
        <span className="text-soft">
          step {match.view.step} {"\u00b7"} {match.view.states.join(" \u203a ")}
        </span>
        {away ? <span className="rounded bg-bad-wash px-2 py-0.5 text-bad">connection lost, trying again</span> : null}
        <MatchTools
          match={match}
          own={keys}
          ownerKey={hostKey ?? (first.data?.owner ? ownKey() : undefined)}
          hosts={hostKey !== undefined}
          pace={pace}
          onPace={setPace}
        />
      </div>
      <div className="min-h-0 flex-1">
        <MatchView
          match={match}
          seen={seen}
          hosted={hosted}
          moves={hostedMoves(
            id,
            keys,
            hostKey,
            hostKey !== undefined || first.data?.owner === true,
            () => void queries.invalidateQueries({ queryKey: ["match", id] }),
          )}
          lines={lines}
          graph={drawn.data}
        />
      </div>
    </div>
  );
}

/** A link to watch comes with its key behind the hash; it is kept, and taken out of the address. */
function useWatcherLink(id: string): void {
  const [, key] = /^#watch=([\w-]+)$/.exec(window.location.hash) ?? [];
  if (key === undefined) return;
  keepWatcher(id, key);
  history.replaceState(history.state, "", window.location.pathname + window.location.search);
}

/** What a match is looked at with before it is known which seats are one's own. */
function firstKeyOf(id: string): string | undefined {
  return ownKey() ?? Object.values(keysOf(id))[0] ?? hostKeyOf(id) ?? watcherKeyOf(id);
}

/** The keys of the seats that are played here: those this browser was given, and one's own for the seats one holds. */
function useKeys(id: string, first: SeenMatch | undefined): Readonly<Record<string, string>> {
  const key = useOwnKey();
  const kept = JSON.stringify(keysOf(id));
  return useMemo(() => {
    const own = key === undefined ? [] : (first?.own.map((seat) => [seat, key] as const) ?? []);
    return { ...Object.fromEntries(own), ...(JSON.parse(kept) as Record<string, string>) };
  }, [key, kept, first]);
}

/** What the browser's tab says while the page is open. */
function useTitle(title: string | undefined): void {
  useEffect(() => {
    if (title === undefined) return;
    const before = document.title;
    document.title = title;
    return () => {
      document.title = before;
    };
  }, [title]);
}

/** @param onSeats is told when somebody here got a seat */
function hostedMoves(
  id: string,
  keys: Readonly<Record<string, string>>,
  hostKey: string | undefined,
  invites: boolean,
  onSeats: () => void,
): Moves {
  /** The key that decides about a seat: its own, or the host's. */
  const keyOf = (seat: string): string => keys[seat] ?? hostKey ?? ownKey() ?? "";
  return {
    own: Object.keys(keys),
    async act(seat, action, args, step) {
      try {
        await client.act(id, keyOf(seat), action, args, step, crypto.randomUUID(), seat);
      } catch (error) {
        // A step that came in between is news, not a problem: the new view is on its way.
        if (!(error instanceof ServiceProblem && error.code === "stale")) throw error;
      }
    },
    choose: (seat, action, args) => client.choose(id, keyOf(seat), action, args, seat),
    host:
      hostKey === undefined
        ? undefined
        : {
            async event(event, args) {
              const { heardBy } = await client.event(id, hostKey, event, args, crypto.randomUUID());
              if (heardBy.length === 0) throw new Error(`${event} was told, and no state acted on it.`);
            },
            wait: (by) => client.wait(id, hostKey, by).then(() => {}),
          },
    join: (seat) =>
      client.join(id, seat, ownKey(), crypto.randomUUID()).then(({ key }) => {
        if (key !== undefined) keepKeys(id, { [seat]: key });
        onSeats();
      }),
    decides: (seat) => keys[seat] !== undefined || hostKey !== undefined,
    leave: (seat) => client.leave(id, keyOf(seat), seat).then(() => {}),
    invites: invites
      ? {
          person: (seat, handle) => client.invite(id, hostKey ?? ownKey() ?? "", seat, handle).then(() => {}),
          link: (seat) =>
            client.link(id, hostKey ?? ownKey() ?? "", seat).then(({ link }) => window.location.origin + link),
          withdraw: (seat) => client.withdraw(id, hostKey ?? ownKey() ?? "", seat).then(() => {}),
        }
      : undefined,
    setBot: (seat, policy) => client.setBot(id, keyOf(seat), seat, policy).then(() => {}),
  };
}
