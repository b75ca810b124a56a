/** The host's part of a match: events of the game as buttons, and time on a manual clock. */

import type { SeenMatch } from "@zany/client";
import type { EventOption } from "@zany/core";
import { type ReactNode, useState } from "react";
import { Button, ErrorText } from "./basics.js";
import type { HostMoves } from "./moves.js";
import { timeLeft } from "./match-status.js";
import { ParameterInput } from "./parameter-input.js";

const SECOND = 1_000;
const LEAPS: readonly (readonly [string, number])[] = [
  ["+1 s", SECOND],
  ["+10 s", 10 * SECOND],
  ["+1 min", 60 * SECOND],
];

const SMALL = "px-2! py-0.5!";

export function GamePanel({ match, host }: { match: SeenMatch; host: HostMoves }): ReactNode {
  const { view, events, clock } = match;
  const [problem, setProblem] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const attempt = async (wish: () => Promise<unknown>): Promise<void> => {
    setBusy(true);
    setProblem(null);
    await wish().catch(setProblem);
    setBusy(false);
  };
  if (view.outcome || (events.length === 0 && clock === "real")) return null;
  return (
    <section aria-label="The game" className="shrink-0 border-t border-line bg-panel px-3 py-1.5">
      {events.length > 0 ? (
        <ul aria-label="Events" className="space-y-1">
          {events.map((option) => (
            <li key={option.event}>
              <Event
                option={option}
                busy={busy}
                onTell={(args) => void attempt(() => host.event(option.event, args))}
              />
            </li>
          ))}
        </ul>
      ) : null}
      {clock === "manual" ? (
        <div className="flex flex-wrap items-center gap-1.5 text-xs">
          <span className="text-soft">
            clock <time className="tabular-nums text-ink">{new Date(view.now).toISOString().slice(11, 23)}</time>
            {view.due === undefined
              ? ", no timer would do anything"
              : `, in ${timeLeft(view.due.at - view.now)} ${view.due.words}`}
          </span>
          <Button
            className={SMALL}
            disabled={busy || view.due === undefined}
            onClick={() => void attempt(() => host.wait())}
          >
            To the next timer
          </Button>
          {LEAPS.map(([label, by]) => (
            <Button key={label} className={SMALL} disabled={busy} onClick={() => void attempt(() => host.wait(by))}>
              {label}
            </Button>
          ))}
        </div>
      ) : null}
      <ErrorText error={problem} />
    </section>
  );
}

/** One event: a button, and its arguments one after the other. */
function Event({
  option,
  busy,
  onTell,
}: {
  option: EventOption;
  busy: boolean;
  onTell: (args: Readonly<Record<string, unknown>>) => void;
}): ReactNode {
  const [args, setArgs] = useState<Readonly<Record<string, unknown>> | null>(null);
  const next = args && option.parameters.find((p) => !Object.hasOwn(args, p.name));
  const go = (now: Readonly<Record<string, unknown>>): void => {
    if (option.parameters.every((p) => Object.hasOwn(now, p.name))) {
      setArgs(null);
      onTell(now);
    } else {
      setArgs(now);
    }
  };
  return (
    <div>
      <div className="flex items-baseline gap-2">
        <button
          type="button"
          disabled={busy}
          title={option.doc}
          onClick={() => go({})}
          className={
            "min-w-24 rounded border border-sail bg-sail-wash px-2 py-1 text-left font-medium disabled:opacity-50"
          }
        >
          {option.event}
        </button>
        <span className="text-xs text-soft">{option.heard ? "some state hears it now" : "nobody hears it now"}</span>
      </div>
      {next && args ? (
        <fieldset className="mt-1 rounded border border-line p-2">
          <legend className="px-1 text-soft">
            {option.event}: {next.name}
          </legend>
          <ParameterInput key={next.name} parameter={next} onChoose={(value) => go({ ...args, [next.name]: value })} />
        </fieldset>
      ) : null}
    </div>
  );
}
