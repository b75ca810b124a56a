/** A match followed live: what each seat of this browser sees of it, and what happened. */

import type { SeenMatch } from "@zany/client";
import type { StepLine } from "@zany/core";
import { useEffect, useState } from "react";
import { client, hostKeyOf } from "../service.js";

/** A browser opens six connections to one host; streams may not take them all. */
const MAX_STREAMS = 4;

interface Followed {
  /** The match as each seat sees it whose key is held; under "" as everybody does, when none is. */
  readonly seen: Readonly<Record<string, SeenMatch>>;
  /** As the host sees it, when its key is held. */
  readonly hosted: SeenMatch | null;
  readonly lines: readonly StepLine[];
  /** The connection is lost, and is tried again. */
  readonly away: boolean;
}

/** @param keys the keys of the seats this browser holds */
export function useFollowed(id: string, keys: Readonly<Record<string, string>>): Followed {
  const keysText = JSON.stringify(keys);
  const [hosted, setHosted] = useState<SeenMatch | null>(null);
  const [seen, setSeen] = useState<Readonly<Record<string, SeenMatch>>>({});
  const [lines, setLines] = useState<readonly StepLine[]>([]);
  const [away, setAway] = useState(false);
  useEffect(() => {
    const abort = new AbortController();
    setSeen({});
    setLines([]);
    // Taking a seat brings a key of its own, and with it a stream.
    const held = Object.entries(JSON.parse(keysText) as Record<string, string>);
    const see = (who: string, match: SeenMatch): void =>
      setSeen((before) => ((before[who]?.view.step ?? -1) > match.view.step ? before : { ...before, [who]: match }));
    /** What no stream tells: the seats beyond the first few, and the host's part. */
    const look = (): void => {
      for (const [seat, key] of held.slice(MAX_STREAMS))
        void client.match(id, key).then(
          (match) => see(seat, match),
          () => {},
        );
      const own = hostKeyOf(id);
      if (own !== undefined) void client.match(id, own).then(setHosted, () => {});
    };
    const follow = async (seat: string, key: string | undefined, leads: boolean): Promise<void> => {
      for await (const event of client.follow(id, {
        ...(key !== undefined && { key }),
        after: -1,
        signal: abort.signal,
      })) {
        setAway(event.kind === "away");
        if (event.kind === "step")
          setLines((before) =>
            before.some((l) => l.step === event.line.step)
              ? before
              : [...before, event.line].sort((a, b) => a.step - b.step),
          );
        if (event.kind !== "now") continue;
        see(seat, event.match);
        if (leads) look();
      }
    };
    const streams =
      held.length > 0
        ? held.slice(0, MAX_STREAMS).map(([seat, key], i) => follow(seat, key, i === 0))
        : [follow("", undefined, true)];
    for (const stream of streams) stream.catch(() => setAway(!abort.signal.aborted));
    return () => abort.abort();
  }, [id, keysText]);

  return { seen, hosted, lines, away };
}
