/** A match followed live: what each seat of this browser sees of it, and what happened. */

import type { SeenMatch } from "@zany/client";
import type { StepLine } from "@zany/core";
import { useEffect, useRef, useState } from "react";
import { client, hostKeyOf, watcherKeyOf } from "../service.js";

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

/** More than this are not shown one by one: whoever comes late sees where the match stands. */
const MOST_QUEUED = 20;

/**
 * @param keys the keys of the seats this browser holds
 * @param pace how long each step is shown before the next, in milliseconds; 0 for as they come
 */
export function useFollowed(id: string, keys: Readonly<Record<string, string>>, pace: number): Followed {
  const paceNow = useRef(pace);
  paceNow.current = pace;
  const keysText = JSON.stringify(keys);
  const [hosted, setHosted] = useState<SeenMatch | null>(null);
  const [seen, setSeen] = useState<Readonly<Record<string, SeenMatch>>>({});
  const [lines, setLines] = useState<readonly StepLine[]>([]);
  const [away, setAway] = useState(false);
  useEffect(() => {
    const abort = new AbortController();
    setSeen({});
    setLines([]);
    const queue = new Paced(() => paceNow.current);
    // Taking a seat brings a key of its own, and with it a stream.
    const held = Object.entries(JSON.parse(keysText) as Record<string, string>);
    const see = (who: string, match: SeenMatch): void =>
      setSeen((before) => ((before[who]?.view.step ?? -1) > match.view.step ? before : { ...before, [who]: match }));
    /** What no stream tells: the seats beyond the first few, and the host's part. */
    const look = (): void => {
      for (const [seat, key] of held.slice(MAX_STREAMS))
        void client.match(id, key, seat).then(
          (match) => see(seat, match),
          () => {},
        );
      const own = hostKeyOf(id);
      if (own !== undefined) void client.match(id, own).then(setHosted, () => {});
    };
    const follow = async (seat: string, key: string | undefined, leads: boolean): Promise<void> => {
      for await (const event of client.follow(id, {
        ...(key !== undefined && { key }),
        ...(seat !== "" && { seat }),
        after: -1,
        signal: abort.signal,
      })) {
        setAway(event.kind === "away");
        if (event.kind === "step") {
          const { line } = event;
          queue.at(line.step, () => setLines((before) => withLine(before, line)));
        }
        if (event.kind !== "now") continue;
        const { match } = event;
        queue.at(match.view.step, () => {
          see(seat, match);
          if (leads) look();
        });
      }
    };
    const streams =
      held.length > 0
        ? held.slice(0, MAX_STREAMS).map(([seat, key], i) => follow(seat, key, i === 0))
        : [follow("", watcherKeyOf(id), true)];
    for (const stream of streams) stream.catch(() => setAway(!abort.signal.aborted));
    return () => {
      abort.abort();
      queue.close();
    };
  }, [id, keysText]);

  return { seen, hosted, lines, away };
}

function withLine(lines: readonly StepLine[], line: StepLine): readonly StepLine[] {
  const last = lines.at(-1);
  if (!last || line.step > last.step) return [...lines, line];
  return lines.some((l) => l.step === line.step) ? lines : [...lines, line].sort((a, b) => a.step - b.step);
}

/** Shows what comes step by step, each for a while, so that steps in quick succession can be followed. */
class Paced {
  private readonly waiting: { readonly step: number; readonly show: () => void }[] = [];
  private shown = -1;
  private since = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(private readonly pace: () => number) {}

  /** Shows something of a step when it is that step's time. */
  at(step: number, show: () => void): void {
    this.waiting.push({ step, show });
    if (this.timer === undefined) this.go();
  }

  close(): void {
    clearTimeout(this.timer);
    this.waiting.length = 0;
  }

  private go(): void {
    this.timer = undefined;
    for (let next = this.waiting[0]; next; next = this.waiting[0]) {
      const left = this.since + this.pace() - performance.now();
      // What was there when the page was opened is shown at once.
      if (next.step > this.shown && this.shown >= 0 && left > 0 && this.waiting.length <= MOST_QUEUED) {
        this.timer = setTimeout(() => this.go(), left);
        return;
      }
      this.waiting.shift();
      if (next.step > this.shown) {
        this.shown = next.step;
        this.since = performance.now();
      }
      next.show();
    }
  }
}
