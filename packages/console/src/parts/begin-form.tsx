/** Asks how a match shall begin: dice, seats and bots, clock, given state and data. */

import type { NewMatch } from "@zany/client";
import { givenFrom, type Machine, policyNames, type Runnable } from "@zany/core";
import { type FormEvent, type ReactNode, useState } from "react";
import { Button, ErrorText } from "./basics.js";

export const FIELD = "mt-1 w-full rounded border border-line bg-cloth px-2 py-1.5";

/** What stands in the form for each seat, beside a policy's name. */
const MINE = "";
const OPEN = "(open)";

/** How a match shall begin, whatever its machine is. */
export type Wish = Omit<NewMatch, "machine">;

/** @param hosted somebody else may play too, and time may pass by itself */
export function BeginForm({
  runnable,
  hosted,
  busy,
  problem,
  onBegin,
  onClose,
}: {
  runnable: Runnable;
  hosted: boolean;
  busy: boolean;
  problem: unknown;
  onBegin: (wish: Wish) => void;
  onClose: () => void;
}): ReactNode {
  const { machine } = runnable;
  const { names, least } = machine.seats;
  const [count, setCount] = useState(least);
  const [seed, setSeed] = useState("");
  const [sitting, setSitting] = useState<Readonly<Record<string, string>>>({});
  const [manual, setManual] = useState(false);
  const [given, setGiven] = useState<GivenTexts>({ state: "", args: "", data: "" });
  const [wrong, setWrong] = useState<string | null>(null);
  const seats = names.slice(0, count);
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    try {
      setWrong(null);
      onBegin({
        ...(seed !== "" && { seed }),
        ...(least < names.length && { seats: count }),
        ...(manual && { clock: "manual" }),
        ...whoSits(seats, sitting),
        given: givenFrom(linesOfGiven(given)),
      });
    } catch (error) {
      setWrong((error as Error).message);
    }
  };
  return (
    <form onSubmit={submit} className="mt-3 space-y-3">
      <label className="block">
        <span className="text-soft">Seed of the dice (left empty: a new one)</span>
        <input value={seed} onChange={(e) => setSeed(e.target.value)} className={FIELD} />
      </label>
      {least < names.length ? (
        <label className="block">
          <span className="text-soft">
            Seats, {least} to {names.length}
          </span>
          <input
            type="number"
            min={least}
            max={names.length}
            value={count}
            onChange={(e) => setCount(Math.min(names.length, Math.max(least, Number(e.target.value))))}
            className={FIELD}
          />
        </label>
      ) : null}
      <WhoPlays
        seats={seats}
        policies={policyNames(runnable)}
        sitting={sitting}
        open={hosted}
        onChange={(seat, who) => setSitting({ ...sitting, [seat]: who })}
      />
      {hosted ? (
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={manual} onChange={(e) => setManual(e.target.checked)} />
          <span>Manual clock: time passes only when you let it</span>
        </label>
      ) : null}
      <GivenFields machine={machine} given={given} onChange={setGiven} />
      <ErrorText error={wrong ?? problem} />
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button type="submit" look="main" disabled={busy}>
          Begin
        </Button>
      </div>
    </form>
  );
}

/** Who plays each seat: this browser, a bot, or whoever takes it. */
function WhoPlays({
  seats,
  policies,
  sitting,
  open,
  onChange,
}: {
  seats: readonly string[];
  policies: readonly string[];
  sitting: Readonly<Record<string, string>>;
  /** Seats may be left for others to take. */
  open: boolean;
  onChange: (seat: string, who: string) => void;
}): ReactNode {
  return (
    <fieldset>
      <legend className="text-soft">Who plays</legend>
      <div className="grid grid-cols-2 gap-2">
        {seats.map((seat) => (
          <label key={seat} className="flex items-center gap-2">
            <span className="min-w-16 truncate">{seat}</span>
            <select
              value={sitting[seat] ?? MINE}
              onChange={(e) => onChange(seat, e.target.value)}
              className="min-w-0 flex-1 rounded border border-line bg-cloth px-2 py-1"
            >
              <option value={MINE}>me</option>
              {open ? <option value={OPEN}>open, for somebody</option> : null}
              {policies.map((policy) => (
                <option key={policy} value={policy}>
                  bot {policy}
                </option>
              ))}
            </select>
          </label>
        ))}
      </div>
    </fieldset>
  );
}

/** The seats that are open, and those that bots play. */
function whoSits(
  seats: readonly string[],
  sitting: Readonly<Record<string, string>>,
): { open?: string[]; bots?: Record<string, string> } {
  const open = seats.filter((seat) => sitting[seat] === OPEN);
  const bots = Object.fromEntries(
    seats.flatMap((seat) => (sitting[seat] && sitting[seat] !== OPEN ? [[seat, sitting[seat]]] : [])),
  );
  return { ...(open.length > 0 && { open }), ...(Object.keys(bots).length > 0 && { bots }) };
}

/** What is given instead of the start, as it is typed. */
interface GivenTexts {
  readonly state: string;
  readonly args: string;
  readonly data: string;
}

function linesOfGiven({ state, args, data }: GivenTexts): string[] {
  const ofState = state === "" ? [] : [`state=${state}`, ...linesOf(args, /[,\n]/).map((line) => `state.${line}`)];
  return [...linesOf(data, /\n/), ...ofState];
}

/** Asks for another state and other data to begin with. */
function GivenFields({
  machine,
  given,
  onChange,
}: {
  machine: Machine;
  given: GivenTexts;
  onChange: (given: GivenTexts) => void;
}): ReactNode {
  return (
    <details>
      <summary className="cursor-pointer text-soft">Given: another state, other data</summary>
      <div className="mt-2 space-y-2">
        <label className="block">
          <span className="text-soft">State</span>
          <select value={given.state} onChange={(e) => onChange({ ...given, state: e.target.value })} className={FIELD}>
            <option value="">the start</option>
            {machine.states
              .filter((s) => s.kind === "state")
              .map((s) => (
                <option key={s.id} value={s.name}>
                  {signature(s)}
                </option>
              ))}
          </select>
        </label>
        <label className="block">
          <span className="text-soft">Its arguments, such as pattern=wall, kites=3</span>
          <input value={given.args} onChange={(e) => onChange({ ...given, args: e.target.value })} className={FIELD} />
        </label>
        <label className="block">
          <span className="text-soft">Data, one path=value a line, such as kites.north.lift=3</span>
          <textarea
            value={given.data}
            onChange={(e) => onChange({ ...given, data: e.target.value })}
            rows={3}
            className={`${FIELD} font-mono`}
          />
        </label>
      </div>
    </details>
  );
}

function signature({ name, parameters }: Machine["states"][number]): string {
  return parameters.length === 0 ? name : `${name}(${parameters.map((p) => p.name).join(", ")})`;
}

/** The texts between commas or line ends, without blank ones. */
function linesOf(text: string, between: RegExp): string[] {
  return text
    .split(between)
    .map((part) => part.trim())
    .filter((part) => part !== "");
}
