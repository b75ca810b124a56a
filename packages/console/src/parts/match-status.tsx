/** How a match stands, told by words, a picture and a colour; and its clock. */

import type { SeenMatch } from "@zany/client";
import { Ban, CircleAlert, Flag, Hourglass, Pause, Timer, Trophy } from "lucide-react";
import { type ComponentType, type ReactNode, useEffect, useState } from "react";
import { Ended } from "./basics.js";

interface Status {
  readonly words: ReactNode;
  /** For the page's title. */
  readonly title: string;
  readonly look: string;
  readonly Icon: ComponentType<{ size: number; "aria-hidden": true; className?: string }>;
}

/**
 * @param own the seats that are played here
 * @param overlays the machine's overlays: under one of them the match is paused
 */
export function statusOf(match: SeenMatch, own: readonly string[], overlays: readonly string[]): Status {
  const { view, suspended, cancelled } = match;
  if (cancelled !== null)
    return { words: "cancelled", title: "cancelled", look: "bg-sunken text-soft line-through", Icon: Ban };
  if (view.outcome)
    return {
      words: <Ended outcome={view.outcome} />,
      title: `ended: ${view.outcome.ending}`,
      look: "bg-sunken",
      Icon: Trophy,
    };
  if (suspended !== null)
    return { words: `suspended: ${suspended}`, title: "suspended", look: "bg-bad-wash text-bad", Icon: CircleAlert };
  const overlay = view.here.find((name) => overlays.includes(name));
  if (overlay !== undefined)
    return { words: overlay, title: overlay, look: "border border-dashed border-soft", Icon: Pause };
  const mine = view.turn.filter((seat) => own.includes(seat));
  if (mine.length > 0) {
    const words =
      own.length === 1
        ? "your turn"
        : mine.length > 2
          ? `your turn in ${mine.length} seats`
          : `${mine.join(", ")}: your turn`;
    return { words, title: words, look: "bg-sail-wash text-sail font-semibold ring-1 ring-sail", Icon: Flag };
  }
  const words = view.turn.length > 0 ? `waits for ${view.turn.join(", ")}` : "nobody's turn";
  return { words, title: words, look: "bg-sea-wash text-sea", Icon: Hourglass };
}

export function StatusBadge({ status: { words, look, Icon } }: { status: Status }): ReactNode {
  return (
    <span role="status" className={`flex min-w-0 items-center gap-1.5 rounded-full px-3 py-0.5 ${look}`}>
      <Icon size={15} aria-hidden className="shrink-0" />
      <span className="truncate">{words}</span>
    </span>
  );
}

const SECOND = 1_000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

/** How long it is until the next timer that would do something, and what; it runs where time does. */
export function Clock({ match: { view, clock, suspended } }: { match: SeenMatch }): ReactNode {
  const { due, outcome } = view;
  const runs = clock === "real" && due !== undefined && !outcome;
  const [, tick] = useState(0);
  useEffect(() => {
    if (!runs) return;
    const timer = setInterval(() => tick((n) => n + 1), SECOND / 4);
    return () => clearInterval(timer);
  }, [runs]);
  if (due === undefined || outcome || suspended !== null) return null;
  const left = Math.max(0, due.at - (clock === "real" ? Date.now() : view.now));
  return (
    <span
      role="timer"
      aria-live="off"
      title={`In ${timeLeft(left)} ${due.words}`}
      className={
        "flex min-w-0 items-center gap-1 tabular-nums " +
        `${left < 10 * SECOND ? "font-semibold text-sail" : "text-soft"}`
      }
    >
      <Timer size={14} aria-hidden />
      {timeLeft(left)}
      {due.to.length > 0 ? <span className="truncate max-sm:hidden">until {due.to.join(" or ")}</span> : null}
    </span>
  );
}

/** A length of time as a clock shows it. */
export function timeLeft(ms: number): string {
  if (ms >= DAY) return `${Math.floor(ms / DAY)} d ${Math.floor((ms % DAY) / HOUR)} h`;
  const two = (n: number): string => String(Math.floor(n)).padStart(2, "0");
  const seconds = Math.ceil(ms / SECOND) * SECOND;
  const hours = seconds >= HOUR ? `${Math.floor(seconds / HOUR)}:` : "";
  return `${hours}${two((seconds % HOUR) / MINUTE)}:${two((seconds % MINUTE) / SECOND)}`;
}
