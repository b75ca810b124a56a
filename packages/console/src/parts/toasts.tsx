/** What happened elsewhere: a match waits for somebody who sits here, or is over. */

import { useQuery } from "@tanstack/react-query";
import type { MatchInfo } from "@zany/client";
import { X } from "lucide-react";
import { Toast } from "radix-ui";
import { type ReactNode, useCallback, useEffect, useRef, useState } from "react";
import { Link, useLocation } from "wouter";
import { useOwnKey } from "../identity.js";
import { client, keysOf } from "../service.js";

/** How often matches are looked at, in milliseconds, and how long a notice stays. */
const AGAIN = 10_000;
const STAYS = 8_000;

interface Notice {
  readonly match: string;
  readonly words: string;
}

export default function Toasts(): ReactNode {
  const { data } = useQuery({ queryKey: ["matches"], queryFn: () => client.matches(), refetchInterval: AGAIN });
  const [notices, setNotices] = useState<readonly Notice[]>([]);
  const [location] = useLocation();
  const before = useRef<readonly MatchInfo[]>(undefined);
  useEffect(() => {
    if (!data) return;
    const known = new Map(before.current?.map((match) => [match.id, match]));
    const news = before.current
      ? data.items.flatMap((match): Notice[] => {
          const words = newsOf(known.get(match.id), match);
          return words === undefined || location.startsWith(`/matches/${match.id}`) ? [] : [{ match: match.id, words }];
        })
      : [];
    before.current = data.items;
    if (news.length > 0) setNotices((now) => [...now.filter((n) => !news.some((m) => m.match === n.match)), ...news]);
  }, [data, location]);
  const add = useCallback(
    (notice: Notice) => setNotices((now) => [...now.filter((n) => n.match !== notice.match), notice]),
    [],
  );
  useOwnNotices(add);
  return (
    <Toast.Provider duration={STAYS} label="Notice">
      {notices.map((notice) => (
        <Toast.Root
          key={`${notice.match} ${notice.words}`}
          onOpenChange={(open) => !open && setNotices((now) => now.filter((n) => n !== notice))}
          className="flex items-center gap-3 rounded-lg border border-sail bg-panel px-4 py-3 shadow-xl"
        >
          <Toast.Description>{notice.words}</Toast.Description>
          <Toast.Action asChild altText="Go to the match">
            <Link href={`/matches/${notice.match}`} className="font-medium text-sea underline-offset-2 hover:underline">
              Go there
            </Link>
          </Toast.Action>
          <Toast.Close aria-label="Close" className="ml-auto text-soft hover:text-ink">
            <X size={15} aria-hidden />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="fixed right-4 bottom-4 z-50 flex w-96 max-w-[92vw] flex-col gap-2" />
    </Toast.Provider>
  );
}

/** What a notice of a person's is told as; others are not told here. */
const TOLD: Readonly<Record<string, string>> = {
  "your-turn": "it is your turn",
  invited: "you are invited",
  over: "it is over",
  cancelled: "it was cancelled",
  left: "somebody left a seat, and it waits",
};

/** Listens to what the person who sits here is told of their matches, except for what this browser did itself. */
function useOwnNotices(add: (notice: Notice) => void): void {
  const key = useOwnKey();
  useEffect(() => {
    if (key === undefined) return;
    const abort = new AbortController();
    const listen = async (): Promise<void> => {
      for await (const update of client.followMine({ signal: abort.signal })) {
        if (update.kind !== "notice") continue;
        const { kind, match, client: by } = update.notice;
        const words = TOLD[kind];
        if (words === undefined || by === client.name) continue;
        if (window.location.pathname.startsWith(`/matches/${match}`)) continue;
        const { machine } = await client.match(match);
        add({ match, words: `${machine.name}: ${words}.` });
      }
    };
    listen().catch(() => {});
    return () => abort.abort();
  }, [key, add]);
}

/** What is new in a match for whoever sits here; undefined for nothing. */
function newsOf(was: MatchInfo | undefined, now: MatchInfo): string | undefined {
  const seats = Object.keys(keysOf(now.id));
  if (!was || seats.length === 0) return undefined;
  if (was.outcome === null && now.outcome !== null) return `${now.machine.name} is over: ${now.outcome.ending}.`;
  if (was.suspended === null && now.suspended !== null) return `${now.machine.name} is suspended.`;
  const turned = now.turn.filter((seat) => seats.includes(seat) && !was.turn.includes(seat));
  return turned.length > 0 ? `${now.machine.name}: it is ${turned.join(", ")}'s turn.` : undefined;
}
