/** What plays for coverage: the machine's tests, kept logbooks, simulated matches, a search of what it can come to. */

import type { Machine } from "../check/machine.js";
import { options } from "../engine/matches/view.js";
import { runTests } from "../engine/matches/machine-tests.js";
import { Exploration } from "../explore/explore.js";
import { CannotExplore } from "../explore/report.js";
import { type Effort, type Found, search } from "../evidence/search.js";
import type { Sign } from "../evidence/claims.js";
import type { Evidence } from "../language/message.js";
import { type Logbook, readLogbook } from "../logbook/read.js";
import { Replayer } from "../logbook/replay.js";
import { Runnable } from "../engine/matches/runnable.js";
import { simulate, type SimulateOptions } from "../search/simulate.js";
import type { Coverage } from "./coverage.js";
import type { CoverItem, Watched } from "./items.js";

/** @returns how many tests were run */
export function coverByTests(coverage: Coverage): number {
  return runTests(coverage.runnable()).length;
}

/**
 * Replays a match as it was recorded.
 *
 * @returns how many steps were taken
 */
export function coverByLogbook(coverage: Coverage, { header, steps }: Logbook): number {
  const replayer = new Replayer(coverage.runnable(), header);
  for (const line of steps) replayer.next(line);
  return steps.length - 1;
}

/** Plays matches. @throws BadSimulation */
export function coverBySimulation(coverage: Coverage, options: SimulateOptions): void {
  simulate(coverage.runnable(), options);
}

/**
 * Visits what the machine can come to, in so many steps.
 *
 * @returns whether that was all: then what was not covered cannot be
 */
export function coverBySearch(coverage: Coverage, steps: number): boolean {
  const exploration = new Exploration(new Runnable(coverage.machine), {
    walk: Math.floor(steps / 2),
    most: { steps: Math.ceil(steps / 2) },
    lookout: {
      probes: coverage.probes,
      asks: [],
      begin: ({ memory }) => coverage.watch(() => memory.configuration.leaves),
      rest: () => {},
      aims: () => [],
      seen: () => [],
    },
  });
  try {
    return exploration.run().complete;
  } catch (error) {
    if (error instanceof CannotExplore) return false;
    throw error;
  }
}

/** Something that nothing covers. */
export interface Missing {
  readonly item: CoverItem;
  /** The shortest match found that would, with a test to be put behind the machine's text; undefined for none. */
  readonly evidence?: Evidence;
  /** The match was come to at random, and shortened: there may be a shorter one. */
  readonly mayBeShorter?: true;
}

/** What share of the steps finds most of what can be found, partly at random; the rest finds shorter matches. */
const FIRST = 0.2;

/**
 * Looks for matches that cover what nothing covered. What was come to at random, or not at all, is looked for once
 * more, breadth first: the first match found so is a shortest.
 *
 * @param steps how many steps are taken to look, in all
 */
export function missingIn(coverage: Coverage, steps: number): readonly Missing[] {
  const { items, how, machine } = coverage;
  const missing = how.filter((_, i) => items[i]?.count === 0);
  const signs = missing.map(signOf);
  const look = (wanted: readonly number[], effort: Pick<Effort, "work" | "shortest">): ReadonlyMap<number, Found> => {
    const sought = wanted.map((i) => [i]);
    return search(new Runnable(machine), signs, { ...effort, sought, around: 0 })?.signs ?? new Map();
  };
  const work = Math.floor(steps * FIRST);
  const first = look([...signs.keys()], { work });
  const far = [...signs.keys()].filter((i) => first.get(i)?.isWalked !== false);
  const again = far.length > 0 ? look(far, { work: steps - work, shortest: true }) : first;
  return missing.map(({ item }, i) => {
    const found = again.get(i) ?? first.get(i);
    const evidence = found?.evidence(`covers ${item.name}`.slice(0, 120));
    if (!found || !evidence) return { item };
    const how = found.isWalked ? { mayBeShorter: true as const } : {};
    if (item.kind !== "refusal") return { item, evidence, ...how };
    const closed = closedIn(machine, item, evidence.logbook);
    if (closed === undefined) return { item };
    return { item, evidence: { ...evidence, test: expecting(evidence.test, closed) }, ...how };
  });
}

/** At the end of a match, the action to which a condition belongs, as a test says that it is closed. */
function closedIn(machine: Machine, { from }: CoverItem, logbook: string): string | undefined {
  const action = machine.actions.find((each) => each.from <= from && from < each.to);
  const { header, steps } = readLogbook(logbook);
  const runnable = new Runnable(machine, false);
  const replayer = new Replayer(runnable, header);
  for (const line of steps) replayer.next(line);
  const { situation } = replayer;
  if (!situation || !action) return undefined;
  for (const seat of machine.seats.names) {
    const option = options(runnable, situation, seat).find((each) => each.action === action.name);
    if (!option || option.code === "notYourTurn") continue;
    if (!option.open) return `closed ${seat} ${action.name}`;
    const refused = option.parameters[0]?.values?.find(({ open }) => !open);
    if (refused && option.parameters.length === 1) return `closed ${seat} ${action.name}(${refused.label})`;
  }
  return undefined;
}

/** A test that expects something more at its end. */
function expecting(test: string, what: string): string {
  return test.replace(/\n\}\s*$/, `\n  expect ${what}\n}\n`);
}

function signOf({ by }: Watched): Sign {
  switch (by.kind) {
    case "value":
      return { kind: "value", of: by.of, is: (value) => value === by.is };
    case "taken":
      return { kind: "taken", at: by.at };
    case "entered":
      return { kind: "entered", state: by.id };
    case "ended":
      return { kind: "ended", ending: by.id };
  }
}
