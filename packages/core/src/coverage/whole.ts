/** A search that looks for all there is to be found: beside what goes wrong, endings that hold at once and branches. */

import { endingInWords, hasWinner, haveSameResult } from "../check/endings.js";
import type { Expr, Machine } from "../check/machine.js";
import { writtenArrows } from "../check/tree.js";
import { inTurn, type Probe, type Probes } from "../engine/code/probes.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { keepsSecrets } from "../engine/matches/view.js";
import type { Sign } from "../evidence/claims.js";
import { Signs } from "../evidence/signs.js";
import { Exploration } from "../explore/explore.js";
import type { ExploreOptions, Lookout, Sighting } from "../explore/options.js";
import type { Explored } from "../explore/report.js";
import { shownSecrets, type ShownSecret } from "../explore/secrets.js";
import { aimAt } from "../evidence/distance.js";
import type { Engine } from "../engine/matches/runnable.js";
import type { Aim } from "../explore/walk.js";
import type { Covered } from "./coverage.js";
import { itemsOf } from "./items.js";

/** Two branches of a choice that lead to different endings, and can hold at once: the first in the text is taken. */
export interface EndingsAtOnce extends Sighting {
  readonly endings: readonly [string, string];
  /** Where the second condition stands. */
  readonly position: number;
  /** What it is known by in its search. */
  readonly what: number;
}

export interface ExploredWhole {
  readonly exploration: Exploration;
  readonly explored: Explored;
  readonly atOnce: readonly EndingsAtOnce[];
  /** Conditions of branches that never came out so. */
  readonly branches: readonly Covered[];
  /** Secrets that show, found in pairs of matches; undefined where they were not looked for: nothing is secret. */
  readonly secrets?: SoughtSecrets;
}

interface SoughtSecrets {
  /** How many steps were taken to look for them: what was not found is not proven. */
  readonly steps: number;
  readonly found: readonly ShownSecret[];
}

/** How many steps are taken to look for secrets that show. */
const SECRET_STEPS = 3_000;

/** Where it is looked for something: towards the goal, or away from the law that is to break. */
function aimOf(engine: Engine, { goal, law }: ExploreOptions): Aim | undefined {
  if (goal) return aimAt(engine, goal);
  const sought = engine.machine.laws.find(({ form, words }) => form === "holds" && words === law);
  return sought?.form === "holds" ? aimAt(engine, sought.test, false) : undefined;
}

/** @throws CannotExplore when no match can be begun so */
export function exploreWhole(runnable: Runnable, options: ExploreOptions): ExploredWhole {
  const { machine } = runnable;
  const branches = branchesOf(machine);
  const pairs = pairsIn(machine);
  // Where the first never holds without the second it is a branch of its own for both.
  const signs = new Signs(
    machine,
    [true, false].flatMap((holds) => pairs.map(({ first, second }): Sign => ({ kind: "both", first, second, holds }))),
    undefined,
    true,
  );
  let sought: Aim | undefined;
  const lookout: Lookout = {
    probes: { values: together(signs.probes.values, branches.values) },
    asks: signs.asks,
    begin: (engine, intoBoxes) => {
      signs.begin(engine, intoBoxes);
      sought = aimOf(engine, options);
    },
    rest: (engine) => signs.rest(engine),
    aims: () => (sought ? [sought] : signs.aims()),
    seen: () => signs.seen(),
    quiet: signs,
  };
  const exploration = new Exploration(runnable, { ...options, lookout });
  const explored = exploration.run();
  const atOnce = [...exploration.sightings].flatMap(([what, sighting]) => {
    const pair = pairs[what];
    return pair && exploration.sightings.has(what + pairs.length)
      ? [{ ...sighting, endings: pair.endings, position: pair.second.from, what }]
      : [];
  });
  const isAsked = options.goal === undefined && options.law === undefined && keepsSecrets(runnable);
  return {
    exploration,
    explored,
    atOnce,
    branches: branches.never().filter(({ item }) => !isLeftOut(machine, item.from, options)),
    ...(isAsked && { secrets: secretsOf(runnable, options) }),
  };
}

function secretsOf(runnable: Runnable, { seats }: ExploreOptions): SoughtSecrets {
  const found = shownSecrets(runnable, { steps: SECRET_STEPS, ...(seats !== undefined && { seats }) });
  return { steps: SECRET_STEPS, found };
}

interface Pair {
  readonly first: Expr;
  readonly second: Expr;
  readonly endings: readonly [string, string];
}

/**
 * Conditions of one choice that lead to different endings. A win before an ending that nobody wins counts at the last
 * moment, and is meant.
 */
function pairsIn(machine: Machine): readonly Pair[] {
  return writtenArrows(machine).flatMap((arrow) => {
    if (arrow.kind !== "choose") return [];
    const ends = arrow.branches.flatMap(({ test, arrow: way }) =>
      test && way.kind === "to" && way.target.kind === "ending" ? [{ test, to: way.target }] : [],
    );
    return ends.flatMap((one, i) =>
      ends.slice(i + 1).flatMap((other): Pair[] => {
        const isMeant = hasWinner(machine, one.to) && !hasWinner(machine, other.to);
        if (isMeant || haveSameResult(machine, one.to, other.to)) return [];
        const endings = [endingInWords(machine, one.to), endingInWords(machine, other.to)] as const;
        return [{ first: one.test, second: other.test, endings }];
      }),
    );
  });
}

/** Whether something stands where only is heard what a search leaves out: that seats come and go, and events. */
function isLeftOut({ states, signals }: Machine, at: number, { leaving, noEvents }: ExploreOptions): boolean {
  const isDeaf = (signal: number): boolean => {
    const origin = signals[signal]?.origin;
    return (origin === "system" && !leaving) || (origin === "event" && noEvents === true);
  };
  return states.some(({ listeners }) =>
    listeners.some(({ signal, from, to }) => from <= at && at < to && isDeaf(signal)),
  );
}

/** What both of two listen to. */
function together(one: Probes["values"], other: Probes["values"]): Probes["values"] {
  const values = new Map<Expr, Probe>(one);
  for (const [e, probe] of other) values.set(e, inTurn(values.get(e), probe));
  return values;
}

/** Listens to conditions of branches: how each came out, once at least. */
function branchesOf(machine: Machine): { readonly values: Probes["values"]; never(): readonly Covered[] } {
  const items = itemsOf(machine).flatMap(({ item, by }) =>
    item.kind === "branch" && by.kind === "value" ? [{ item, by }] : [],
  );
  const ways = new Map(items.map(({ by }) => [by.of, { yes: false, no: false }]));
  const values = new Map<Expr, Probe>();
  for (const [of, way] of ways)
    values.set(of, (value) => {
      if (value === true) way.yes = true;
      else way.no = true;
    });
  return {
    values,
    never: () =>
      items.flatMap(({ item, by }) =>
        (by.is ? ways.get(by.of)?.yes : ways.get(by.of)?.no) ? [] : [{ item, count: 0 }],
      ),
  };
}
