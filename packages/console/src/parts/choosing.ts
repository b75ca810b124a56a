/** Goes through the arguments of an action one by one, by pointing where it can, and takes it at the end. */

import type { ActionOption, Arguments, Json } from "@zany/core";
import { useEffect, useRef, useState } from "react";
import type { Moves } from "./moves.js";
import { type Picking, targetOf } from "./picking.js";

/** An action that is being chosen. */
export interface Chosen {
  readonly option: ActionOption;
  /** The names of its parameters, in their order, and the values of those chosen so far. */
  readonly names: readonly string[];
  readonly args: Arguments;
}

interface Choosing {
  readonly busy: boolean;
  readonly problem: unknown;
  readonly chosen: Chosen | null;
  /** What is pointed at for the next argument, when something in sight can be. */
  readonly target: string | undefined;
  begin(option: ActionOption): void;
  next(value: Json): void;
  /** One argument back, and before the first out of it. */
  back(): void;
}

/**
 * @param step what the view shows, for which the choice is made
 * @param inSight what can be pointed at: "cell", "seat", names of lists
 */
export function useChoosing(
  moves: Moves,
  seat: string,
  step: number,
  inSight: ReadonlySet<string>,
  onPicking: (picking: Picking | null) => void,
): Choosing {
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<unknown>(null);
  const [trail, setTrail] = useState<readonly Chosen[]>([]);
  const before = useRef(step);
  if (before.current !== step) {
    before.current = step;
    if (problem !== null) setProblem(null);
    if (trail.length > 0) setTrail([]);
    // The step that was asked for is seen, perhaps before its answer has come.
    if (busy) setBusy(false);
  }
  const chosen = trail.at(-1) ?? null;
  const parameter = chosen?.option.parameters[0];
  const wanted = parameter && targetOf(parameter);
  const target = wanted !== undefined && inSight.has(wanted) ? wanted : undefined;

  /** Goes on with what is chosen so far; a value that is the only one is taken without asking. */
  const go = async (option: ActionOption, names: readonly string[], args: Arguments): Promise<void> => {
    if (names.every((name) => Object.hasOwn(args, name))) {
      await moves.act(seat, option.action, args, step);
      return setTrail([]);
    }
    const [asked] = option.parameters;
    const open = asked?.values?.filter((v) => v.open);
    if (asked && open?.length === 1) return choose({ option, names, args }, open[0]?.value as Json);
    setTrail((so) => [...so, { option, names, args }]);
  };
  const choose = async ({ option, names, args }: Chosen, value: Json): Promise<void> => {
    const [asked] = option.parameters;
    if (!asked) return;
    const now = { ...args, [asked.name]: value };
    if (names.every((name) => Object.hasOwn(now, name))) return go(option, names, now);
    const next = await moves.choose(seat, option.action, now);
    if (next) await go(next, names, now);
  };
  const attempt = (work: () => Promise<void>): void => {
    setBusy(true);
    setProblem(null);
    void work()
      .catch(setProblem)
      .finally(() => setBusy(false));
  };
  const next = (value: Json): void => attempt(() => (chosen ? choose(chosen, value) : Promise.resolve()));

  const nextRef = useRef(next);
  nextRef.current = next;
  useEffect(() => {
    if (target === undefined || !parameter?.values) return;
    onPicking({ target, values: parameter.values, onPick: (value) => nextRef.current(value) });
    return () => onPicking(null);
  }, [target, parameter, onPicking]);

  return {
    busy,
    problem,
    chosen,
    target,
    begin(option) {
      setTrail([]);
      attempt(() =>
        go(
          option,
          option.parameters.map((p) => p.name),
          {},
        ),
      );
    },
    next,
    back: () => setTrail((so) => so.slice(0, -1)),
  };
}
