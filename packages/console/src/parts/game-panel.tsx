/** The game's own part of a match: its reports as buttons, and a clock that is moved by hand. */

import type { SeenMatch } from "@zany/client";
import type { ReportOption } from "@zany/core";
import { type ReactNode, useState } from "react";
import { client } from "../service.js";
import { Button, Trouble } from "./basics.js";
import { ParameterInput } from "./parameter-input.js";

const SECOND = 1_000;
const LEAPS: readonly (readonly [string, number])[] = [
  ["+1 s", SECOND],
  ["+10 s", 10 * SECOND],
  ["+1 min", 60 * SECOND],
];

export function GamePanel({ id, gameKey, match }: { id: string; gameKey: string; match: SeenMatch }): ReactNode {
  const { view, reports, clock } = match;
  const [problem, setProblem] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const attempt = async (wish: () => Promise<unknown>): Promise<void> => {
    setBusy(true);
    setProblem(null);
    await wish().catch(setProblem);
    setBusy(false);
  };
  if (view.outcome || (reports.length === 0 && clock === "real")) return null;
  return (
    <section aria-label="The game" className="border-t border-line px-4 py-2">
      <h2 className="mb-1 font-semibold">The game</h2>
      {reports.length > 0 ? (
        <ul aria-label="Reports" className="space-y-1">
          {reports.map((report) => (
            <li key={report.report}>
              <Report
                option={report}
                busy={busy}
                onReport={(args) =>
                  void attempt(() => client.report(id, gameKey, report.report, args, crypto.randomUUID()))
                }
              />
            </li>
          ))}
        </ul>
      ) : null}
      {clock === "hand" ? (
        <div className="mt-2 flex flex-wrap items-center gap-2">
          <span className="text-soft">
            clock <time className="tabular-nums text-ink">{new Date(view.now).toISOString().slice(11, 23)}</time>
            {view.due === undefined
              ? ", no timer runs"
              : `, next timer in ${((view.due - view.now) / SECOND).toFixed(1)} s`}
          </span>
          <Button
            disabled={busy || view.due === undefined}
            onClick={() => void attempt(() => client.moveClock(id, gameKey))}
          >
            To the next timer
          </Button>
          {LEAPS.map(([label, by]) => (
            <Button key={label} disabled={busy} onClick={() => void attempt(() => client.moveClock(id, gameKey, by))}>
              {label}
            </Button>
          ))}
        </div>
      ) : null}
      <Trouble error={problem} />
    </section>
  );
}

/** One report: a button, and its arguments one after the other. */
function Report({
  option,
  busy,
  onReport,
}: {
  option: ReportOption;
  busy: boolean;
  onReport: (args: Readonly<Record<string, unknown>>) => void;
}): ReactNode {
  const [args, setArgs] = useState<Readonly<Record<string, unknown>> | null>(null);
  const next = args && option.parameters.find((p) => !Object.hasOwn(args, p.name));
  const go = (now: Readonly<Record<string, unknown>>): void => {
    if (option.parameters.every((p) => Object.hasOwn(now, p.name))) {
      setArgs(null);
      onReport(now);
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
          className="min-w-24 rounded border border-sail bg-sail-wash px-2 py-1 text-left font-medium disabled:opacity-50"
        >
          {option.report}
        </button>
        <span className="text-xs text-soft">{option.heard ? "some state hears it now" : "nobody hears it now"}</span>
      </div>
      {next && args ? (
        <fieldset className="mt-1 rounded border border-line p-2">
          <legend className="px-1 text-soft">
            {option.report}: {next.name}
          </legend>
          <ParameterInput key={next.name} parameter={next} onChoose={(value) => go({ ...args, [next.name]: value })} />
        </fieldset>
      ) : null}
    </div>
  );
}
