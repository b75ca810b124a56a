/** Searches, simulates and counts what is covered, beside the page; one wish at a time. */

import {
  addTallies,
  BadGiven,
  BadQuestion,
  BadSimulation,
  BadSweep,
  CannotExplore,
  compile,
  Coverage,
  type Covered,
  type CoveredPair,
  coverBySearch,
  coverBySimulation,
  coverByTests,
  type Evidence,
  evidenceOf,
  exploreWhole,
  type FindPart,
  type Given,
  givenFrom,
  gridOf,
  type Explored,
  type ExploreFinding,
  lcovOf,
  type Machine,
  type Measure,
  type Message,
  type OwnCondition,
  ownCondition,
  ownMeasures,
  Runnable,
  simulate,
  type Sources,
  type SweepPoint,
  type Tally,
  withEvidence,
} from "@zany/core";

export type SearchWish =
  | { readonly kind: "evidence" }
  /** With a goal, a condition, it is looked for the shortest way there. */
  | { readonly kind: "explore"; readonly situations: number; readonly goal?: string }
  | {
      readonly kind: "simulate";
      readonly matches: number;
      readonly seed: string;
      readonly bots: Readonly<Record<string, string>>;
      /** Expressions that are counted too, and starting data that are varied: `kites.north.lift=5..15`. */
      readonly of: readonly string[];
      readonly vary: readonly string[];
    }
  | { readonly kind: "coverage"; readonly matches: number; readonly steps: number };

export interface SearchRequest {
  readonly wish: SearchWish;
  readonly text: string;
  readonly name: string;
  readonly parts: Readonly<Record<string, string>>;
}

/** Something that a search came to, with the match that shows it. */
export interface ShownFinding extends Pick<ExploreFinding, "words" | "depth"> {
  readonly kind: ExploreFinding["kind"] | "atOnce";
  readonly position?: number;
  readonly evidence?: Evidence;
}

export interface ExploreResult extends Omit<Explored, "findings" | "goal"> {
  /** What was looked for, and the way there; without a depth it was not come to. */
  readonly goal?: { readonly words: string; readonly depth?: number; readonly evidence?: Evidence };
  readonly findings: readonly ShownFinding[];
  readonly branches: readonly Covered[];
}

export interface CoverageResult {
  readonly items: readonly Covered[];
  readonly pairs: readonly CoveredPair[];
  readonly lcov: string;
}

/** What one simulation has counted, or one for each point of a sweep. */
export type SimulateResult = { readonly tally: Tally } | { readonly sweep: readonly SweepPoint[] };

export interface SearchResults {
  readonly evidence: readonly Message[];
  readonly explore: ExploreResult;
  readonly simulate: SimulateResult;
  readonly coverage: CoverageResult;
}

/** How far it came: a share where that is known, in words, and what is known so far. */
export interface SearchProgress {
  readonly share?: number;
  readonly words: string;
  readonly soFar?: Tally;
}

export type SearchAnswer =
  | { readonly progress: SearchProgress }
  | { readonly result: SearchResults[keyof SearchResults] }
  | { readonly problem: string };

/** What a wish that makes no sense comes to, told in words. */
const WISHES = [BadGiven, BadQuestion, BadSimulation, BadSweep, CannotExplore];
/** So many matches are played between two tellings. */
const PART = 25;
/** How far a search goes in memory, in bytes. */
const MOST_BYTES = 300_000_000;

self.onmessage = ({ data: { wish, text, name, parts } }: MessageEvent<SearchRequest>) => {
  const say = (answer: SearchAnswer): void => self.postMessage(answer);
  const findPart = (path: string): string | undefined => (Object.hasOwn(parts, path) ? parts[path] : undefined);
  const compilation = compile(text, name, findPart, { errorsOnly: wish.kind !== "evidence" });
  if (!compilation.ok) return say({ problem: "The machine has errors: mend them first." });
  const { machine, sources } = compilation;
  try {
    switch (wish.kind) {
      case "evidence":
        return say({ result: withEvidence(compilation, { matches: true }).messages });
      case "explore":
        return say({ result: explored(new Runnable(machine, false), wish, goalOf(text, findPart, wish.goal), say) });
      case "simulate":
        return say({ result: simulation(measured(machine, text, findPart, wish.of), wish, say) });
      case "coverage":
        return say({ result: covered(new Coverage(machine), sources, wish) });
    }
  } catch (error) {
    if (!WISHES.some((kind) => error instanceof kind)) throw error;
    say({ problem: (error as Error).message });
  }
};

/** The goal of a search, checked against the machine; undefined for a search of everything. */
function goalOf(text: string, findPart: FindPart, goal: string | undefined): OwnCondition | undefined {
  return goal === undefined || goal.trim() === "" ? undefined : ownCondition(text, goal, findPart);
}

function explored(
  runnable: Runnable,
  { situations, goal }: SearchWish & { readonly kind: "explore" },
  sought: OwnCondition | undefined,
  say: (answer: SearchAnswer) => void,
): ExploreResult {
  const since = performance.now();
  const { exploration, explored, atOnce, branches } = exploreWhole(sought?.runnable ?? runnable, {
    ...(sought && { goal: sought.test }),
    most: { situations, bytes: MOST_BYTES },
    walk: situations,
    progress: ({ situations: found, waiting, depth }) => {
      const rate = Math.round(found / Math.max(0.001, (performance.now() - since) / 1_000));
      say({
        progress: { words: `${found} situations, ${waiting} to go on from, ${depth} steps deep, ${rate} a second` },
      });
      return undefined;
    },
  });
  const shown = (where: Parameters<typeof evidenceOf>[3], words: string): { readonly evidence?: Evidence } => {
    const evidence = evidenceOf(runnable, exploration, {}, where, words.slice(0, 120));
    return evidence ? { evidence } : {};
  };
  const { findings, goal: reached, ...rest } = explored;
  const words = goal ?? "";
  const way = reached && { at: reached.at, move: undefined, fails: false, what: undefined };
  return {
    ...rest,
    branches,
    ...(sought && {
      goal: { words, ...(reached && { depth: reached.depth }), ...(way && shown(way, `reached: ${words}`)) },
    }),
    findings: [
      ...findings.map(({ kind, words, depth, position, at, move, key, fault }): ShownFinding => {
        const where = { at, move, fails: fault !== undefined, what: key };
        return { kind, words, depth, ...(position !== undefined && { position }), ...shown(where, `found: ${words}`) };
      }),
      ...atOnce.map((one): ShownFinding => {
        const words = `${one.endings.join(" and ")} can be come to at once: the order of the branches decides.`;
        return { kind: "atOnce", words, depth: one.depth, position: one.position, ...shown(one, words) };
      }),
    ],
  };
}

type Simulation = SearchWish & { readonly kind: "simulate" };

/** The machine with what is counted of its matches. */
function measured(machine: Machine, text: string, findPart: FindPart, of: readonly string[]): Measured {
  const { runnable, measures } = ownMeasures(text, of, findPart);
  return { runnable: runnable ?? new Runnable(machine, false), measures };
}

interface Measured {
  readonly runnable: Runnable;
  readonly measures: readonly Measure[];
}

function simulated(
  { runnable, measures }: Measured,
  { matches, seed, bots }: Simulation,
  given: Given,
  say: (answer: SearchAnswer) => void,
): Tally {
  let tally: Tally | undefined;
  const since = performance.now();
  for (let first = 0; first < matches; first += PART) {
    const end = Math.min(first + PART, matches);
    const part = simulate(runnable, { seed, bots, given, measures, first, end });
    tally = tally ? addTallies([tally, part]) : part;
    const left = Math.ceil((((performance.now() - since) / end) * (matches - end)) / 1_000);
    say({ progress: { share: end / matches, words: `${end} of ${matches} matches, ${left} s to go`, soFar: tally } });
  }
  return tally as Tally;
}

function simulation(measured: Measured, wish: Simulation, say: (answer: SearchAnswer) => void): SimulateResult {
  return wish.vary.length > 0 ? { sweep: swept(measured, wish, say) } : { tally: simulated(measured, wish, {}, say) };
}

/** The same matches for each point of a grid of starting data. */
function swept(measured: Measured, wish: Simulation, say: (answer: SearchAnswer) => void): readonly SweepPoint[] {
  const grid = gridOf(wish.vary);
  return grid.map((values, i) => {
    const paths = Object.entries(values).map(([path, value]) => `${path}=${value}`);
    const words = `${paths.join(", ")}: ${i + 1} of ${grid.length}`;
    const tell = (answer: SearchAnswer): void => {
      const share = "progress" in answer ? (i + (answer.progress.share ?? 0)) / grid.length : 0;
      say({ progress: { share, words } });
    };
    return { values, tally: simulated(measured, wish, givenFrom(paths), tell) };
  });
}

function covered(
  coverage: Coverage,
  sources: Sources,
  { matches, steps }: SearchWish & { readonly kind: "coverage" },
): CoverageResult {
  coverByTests(coverage);
  if (matches > 0) coverBySimulation(coverage, { seed: "1", first: 0, end: matches });
  if (steps > 0) coverBySearch(coverage, steps);
  const { items, statesAndInputs: pairs } = coverage;
  return { items, pairs, lcov: lcovOf(sources, items, (file) => file) };
}
