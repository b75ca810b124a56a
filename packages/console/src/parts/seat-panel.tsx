/** A seat of a match: what it has, who plays it, what it can do. */

import { type SeenMatch, ServiceProblem } from "@zany/client";
import type { ActionOption } from "@zany/core";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { client, keepKeys } from "../service.js";
import { ErrorText } from "./basics.js";
import type { Picking } from "./board.js";
import { SeatData } from "./data.js";
import { ParameterInput } from "./parameter-input.js";

interface SeatPanelProps {
  readonly seat: string;
  readonly match: SeenMatch;
  /** The seat's key, when this browser holds it; the host's decides about every seat. */
  readonly matchKey: string | undefined;
  readonly hostKey: string | undefined;
  readonly id: string;
  readonly changed: ReadonlySet<string>;
  readonly onPicking: (picking: Picking | null) => void;
}

/** One seat: its data, who plays it, and its actions. */
export function SeatPanel({ seat, match, matchKey, hostKey, id, changed, onPicking }: SeatPanelProps): ReactNode {
  const { view } = match;
  const onTurn = view.turn.includes(seat);
  const status = view.seats.find((s) => s.seat === seat)?.status;
  const result = view.outcome?.results.find((r) => r.seat === seat)?.result;
  const options = match.seat === seat ? match.options : [];
  return (
    <section
      aria-label={seat}
      className={`rounded-lg border bg-panel ${onTurn ? "border-sail ring-1 ring-sail" : "border-line"}`}
    >
      <h2
        className={`flex items-center gap-2 rounded-t-lg px-3 py-2 font-semibold ${onTurn ? "bg-sail-wash" : "bg-sunken"}`}
      >
        {seat}
        <span className="ml-auto text-xs font-normal text-soft">
          {result ??
            (onTurn
              ? "on turn"
              : status === "out"
                ? "out"
                : status === "open"
                  ? "open"
                  : view.turn.length > 0
                    ? `waits for ${view.turn.join(", ")}`
                    : "")}
        </span>
      </h2>
      <div className="p-2">
        <SeatData view={view} seat={seat} changed={changed} />
      </div>
      {view.outcome ? null : (
        <Sitting id={id} seat={seat} match={match} seatKey={matchKey ?? hostKey} status={status} />
      )}
      {matchKey !== undefined && options.length > 0 ? (
        <Actions
          id={id}
          seat={seat}
          matchKey={matchKey}
          step={view.step}
          options={options}
          hasBoard={view.data.some((f) => f.type.startsWith("grid"))}
          onPicking={onPicking}
        />
      ) : null}
    </section>
  );
}

/** Who sits here: a person, a bot, or nobody yet; and the way to change that. */
function Sitting({
  id,
  seat,
  match,
  seatKey,
  status,
}: {
  id: string;
  seat: string;
  match: SeenMatch;
  seatKey: string | undefined;
  status: string | undefined;
}): ReactNode {
  const [problem, setProblem] = useState<unknown>(null);
  const attempt = (wish: Promise<unknown>): void => void wish.then(() => setProblem(null), setProblem);
  if (status === "out") return null;
  return (
    <div className="flex flex-wrap items-center gap-2 border-t border-line px-3 py-1 text-xs text-soft">
      {status === "open" ? (
        <button
          type="button"
          className="rounded border border-sea px-2 py-0.5 text-sea"
          onClick={() => attempt(client.join(id, seat).then(({ key }) => keepKeys(id, { [seat]: key })))}
        >
          Take the seat
        </button>
      ) : null}
      {seatKey === undefined || status !== "in" ? null : (
        <>
          <label className="flex items-center gap-1">
            played by
            <select
              aria-label={`Who plays ${seat}`}
              value={match.bots[seat] ?? ""}
              onChange={(e) => attempt(client.setBot(id, seatKey, seat, e.target.value || null))}
              className="rounded border border-line bg-cloth px-1 py-0.5 text-ink"
            >
              <option value="">a person</option>
              {match.policies.map((policy) => (
                <option key={policy} value={policy}>
                  bot {policy}
                </option>
              ))}
            </select>
          </label>
          <button
            type="button"
            className="ml-auto hover:text-bad"
            onClick={() => attempt(client.leave(id, seatKey, seat))}
          >
            Leave
          </button>
        </>
      )}
      <ErrorText error={problem} />
    </div>
  );
}

type Arguments = Readonly<Record<string, unknown>>;

/** An action that is being chosen, with the arguments chosen so far. */
interface Choosing {
  readonly option: ActionOption;
  readonly args: Arguments;
}

/** Goes through the arguments of an action one by one, on the board where it can, and takes it at the end. */
function useChoosing({
  id,
  matchKey,
  step,
  hasBoard,
  onPicking,
}: {
  id: string;
  matchKey: string;
  step: number;
  hasBoard: boolean;
  onPicking: SeatPanelProps["onPicking"];
}): {
  readonly busy: boolean;
  readonly problem: unknown;
  readonly choosing: Choosing | null;
  readonly onBoard: boolean;
  choose(option: ActionOption, args: Arguments): Promise<void>;
  close(): void;
} {
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<unknown>(null);
  const [choosing, setChoosing] = useState<Choosing | null>(null);
  const chooseRef = useRef<(option: ActionOption, args: Arguments) => Promise<void>>(async () => {});
  const before = useRef(step);
  if (before.current !== step) {
    before.current = step;
    if (problem !== null) setProblem(null);
    if (choosing !== null) setChoosing(null);
  }
  // A cell is picked on the board, when there is one.
  const waiting = choosing?.option.parameters.find((p) => !Object.hasOwn(choosing.args, p.name));
  const onBoard = hasBoard && waiting?.type.startsWith("cell") === true;
  useEffect(() => {
    if (!choosing || !onBoard || !waiting?.values) return;
    onPicking({
      values: waiting.values,
      onPick: (value) => void chooseRef.current(choosing.option, { ...choosing.args, [waiting.name]: value }),
    });
    return () => onPicking(null);
  }, [choosing, onBoard, waiting, onPicking]);

  const act = async (action: string, args: Arguments): Promise<void> => {
    setBusy(true);
    setProblem(null);
    try {
      await client.act(id, matchKey, action, args, step, crypto.randomUUID());
    } catch (error) {
      // A step that came in between is news, not a problem: the new view is on its way.
      if (!(error instanceof ServiceProblem && error.code === "stale")) setProblem(error);
    } finally {
      setBusy(false);
    }
  };

  const choose = async (option: ActionOption, args: Arguments): Promise<void> => {
    const next = option.parameters.find((p) => !Object.hasOwn(args, p.name));
    if (!next) return act(option.action, args);
    const current =
      Object.keys(args).length === 0
        ? option
        : await client.choose(id, matchKey, option.action, args).catch(setProblem);
    if (!current) return;
    const open = current.parameters[0]?.values?.filter((v) => v.open);
    if (open?.length === 1 && current.parameters[0])
      return choose(option, { ...args, [current.parameters[0].name]: open[0]?.value });
    setChoosing({
      option: {
        ...option,
        parameters: [...option.parameters.filter((p) => Object.hasOwn(args, p.name)), ...current.parameters],
      },
      args,
    });
  };
  chooseRef.current = choose;

  return { busy, problem, choosing, choose, onBoard, close: () => setChoosing(null) };
}

/** The actions of a seat: open ones as buttons, closed ones with their reason. */
function Actions({
  id,
  seat,
  matchKey,
  step,
  options,
  hasBoard,
  onPicking,
}: {
  id: string;
  seat: string;
  matchKey: string;
  step: number;
  options: readonly ActionOption[];
  hasBoard: boolean;
  onPicking: SeatPanelProps["onPicking"];
}): ReactNode {
  const { busy, problem, choosing, choose, onBoard, close } = useChoosing({ id, matchKey, step, hasBoard, onPicking });

  return (
    <div className="border-t border-line p-2">
      <ul className="space-y-1" aria-label={`Actions of ${seat}`}>
        {options.map((option) => (
          <li key={option.action} className="flex items-baseline gap-2">
            <button
              type="button"
              disabled={!option.open || busy}
              title={option.doc}
              onClick={() => void choose(option, {})}
              className="min-w-24 shrink-0 rounded border border-sea bg-sea-wash px-2 py-1 text-left font-medium text-sea hover:bg-sea hover:text-panel disabled:cursor-not-allowed disabled:border-line disabled:bg-transparent disabled:text-soft"
            >
              {option.action}
            </button>
            <span className="min-w-0 truncate text-xs text-soft" title={option.open ? option.doc : option.reason}>
              {option.open ? (option.doc ?? "") : option.reason}
            </span>
          </li>
        ))}
      </ul>
      {choosing ? (
        <Chooser
          key={Object.keys(choosing.args).length}
          choosing={choosing}
          onBoard={onBoard}
          onChoose={(args) => void choose(choosing.option, args)}
          onClose={close}
        />
      ) : null}
      <div className="mt-2">
        <ErrorText error={problem} />
      </div>
    </div>
  );
}

/** Asks for one argument: on the board, as buttons, or typed. */
function Chooser({
  choosing,
  onBoard,
  onChoose,
  onClose,
}: {
  choosing: Choosing;
  onBoard: boolean;
  onChoose: (args: Arguments) => void;
  onClose: () => void;
}): ReactNode {
  const { option, args } = choosing;
  const parameter = option.parameters.find((p) => !Object.hasOwn(args, p.name));
  if (!parameter) return null;
  return (
    <fieldset className="mt-2 rounded border border-line p-2">
      <legend className="px-1 text-soft">
        {option.action}: {parameter.name}
      </legend>
      {onBoard ? (
        <p className="text-soft">Pick a cell on the board.</p>
      ) : (
        <ParameterInput parameter={parameter} onChoose={(value) => onChoose({ ...args, [parameter.name]: value })} />
      )}
      <button type="button" onClick={onClose} className="mt-1 text-soft hover:text-ink">
        Back
      </button>
    </fieldset>
  );
}
