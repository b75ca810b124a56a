/** What one seat can do: open actions as buttons, closed ones folded with their reason, arguments chosen in place. */

import type { ActionOption, Json } from "@zany/core";
import { ChevronRight } from "lucide-react";
import type { ReactNode } from "react";
import { ErrorText } from "./basics.js";
import { type Chosen, useChoosing } from "./choosing.js";
import type { Moves } from "./moves.js";
import { ParameterInput } from "./parameter-input.js";
import type { Picking } from "./picking.js";

interface ActionsProps {
  readonly seat: string;
  readonly step: number;
  readonly options: readonly ActionOption[];
  readonly moves: Moves;
  readonly inSight: ReadonlySet<string>;
  readonly onPicking: (picking: Picking | null) => void;
}

export function Actions({ seat, step, options, moves, inSight, onPicking }: ActionsProps): ReactNode {
  const choosing = useChoosing(moves, seat, step, inSight, onPicking);
  const open = options.filter((option) => option.open);
  const closed = options.filter((option) => !option.open);
  return (
    <section aria-label={`Actions of ${seat}`} className="min-w-0 flex-1 basis-60 px-3 py-1.5">
      <h2 className="mb-0.5 text-xs font-semibold text-soft">{seat} may</h2>
      <div className="mb-1 empty:hidden">
        <ErrorText error={choosing.problem} />
      </div>
      {open.length > 0 ? (
        <ul className="flex flex-wrap gap-1.5">
          {open.map((option) => (
            <li key={option.action}>
              <button
                type="button"
                disabled={choosing.busy}
                title={option.doc}
                aria-pressed={choosing.chosen?.option.action === option.action}
                onClick={() => choosing.begin(option)}
                className={
                  "rounded border border-sea bg-sea-wash px-2.5 py-1 font-medium text-sea hover:bg-sea " +
                  "hover:text-panel aria-pressed:bg-sea aria-pressed:text-panel disabled:opacity-50"
                }
              >
                {option.action}
                {option.parameters.length > 0 ? " ..." : ""}
              </button>
            </li>
          ))}
        </ul>
      ) : null}
      <Closed options={closed} />
      {choosing.chosen ? (
        <Chooser
          key={Object.keys(choosing.chosen.args).length}
          chosen={choosing.chosen}
          target={choosing.target}
          onChoose={choosing.next}
          onBack={choosing.back}
        />
      ) : null}
    </section>
  );
}

/** Closed actions, one line for all that have the same reason. */
function Closed({ options }: { options: readonly ActionOption[] }): ReactNode {
  const byReason = new Map<string, string[]>();
  for (const { action, reason = "It is closed." } of options)
    byReason.set(reason, [...(byReason.get(reason) ?? []), action]);
  const [reason] = byReason.keys();
  if (reason === undefined) return null;
  return (
    <details className="group mt-1 text-soft" open={byReason.size > 1 && options.length <= 6}>
      <summary className="flex cursor-pointer list-none items-center gap-1">
        <ChevronRight size={14} aria-hidden className="shrink-0 transition-transform group-open:rotate-90" />
        <span>
          {options.length} closed{byReason.size === 1 ? `: ${reason}` : ""}
        </span>
      </summary>
      <dl className="ml-5">
        {[...byReason].map(([why, names]) => (
          <div key={why} className="flex flex-wrap gap-x-2">
            <dt className="font-medium">{names.join(", ")}</dt>
            {byReason.size === 1 ? null : <dd>{why}</dd>}
          </div>
        ))}
      </dl>
    </details>
  );
}

/** Asks for one argument: by pointing, as buttons, or typed. */
function Chooser({
  chosen,
  target,
  onChoose,
  onBack,
}: {
  chosen: Chosen;
  target: string | undefined;
  onChoose: (value: Json) => void;
  onBack: () => void;
}): ReactNode {
  const { option, names, args } = chosen;
  const [parameter] = option.parameters;
  if (!parameter) return null;
  const so = names.filter((name) => Object.hasOwn(args, name));
  return (
    <fieldset className="mt-2 rounded border border-sea bg-panel p-2">
      <legend className="px-1 font-medium">
        {option.action}: {parameter.name}
        {names.length > 1 ? (
          <span className="font-normal text-soft">
            {" "}
            ({so.length + 1} of {names.length})
          </span>
        ) : null}
      </legend>
      {target === "cell" ? (
        <p className="text-soft">Pick a cell on the board.</p>
      ) : (
        <>
          {target === undefined ? null : (
            <p className="mb-1 text-soft">
              Point at {target === "seat" ? "a seat" : `one of ${target}`}, or choose here.
            </p>
          )}
          <ParameterInput parameter={parameter} onChoose={onChoose} />
        </>
      )}
      <button
        type="button"
        onClick={onBack}
        className="mt-2 rounded px-1 text-soft underline-offset-2 hover:text-ink hover:underline"
      >
        {so.length === 0 ? "Leave it" : `Back to ${so.at(-1)}`}
      </button>
    </fieldset>
  );
}
