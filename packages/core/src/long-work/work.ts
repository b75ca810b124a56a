/**
 * Long work on a machine: exploring, simulating, counting what is covered, looking for evidence, judging a game's own
 * log. It tells how far it came while it goes; what a simulation has done so far can be kept, and gone on from later.
 */

import type { Machine } from "../check/machine.js";
import { type Compilation, compile, type FindPart } from "../compile.js";
import { Coverage } from "../coverage/coverage.js";
import { lcovOf } from "../coverage/report.js";
import { coverByLogbook, coverBySearch, coverBySimulation, coverByTests, missingIn } from "../coverage/sources.js";
import { exploreWhole } from "../coverage/whole.js";
import type { Given } from "../engine/matches/given.js";
import type { Measure } from "../engine/matches/measure.js";
import { Runnable } from "../engine/matches/runnable.js";
import { withEvidence } from "../evidence/evidence.js";
import { evidenceOf } from "../explore/evidence.js";
import { CannotExplore } from "../explore/report.js";
import { BadGiven, givenFrom } from "../formats/given.js";
import { type Evidence, movedBy } from "../language/message.js";
import type { Sources } from "../language/source.js";
import { type Logbook, NotALogbook, readLogbook } from "../logbook/read.js";
import { bookOf } from "../maps/book.js";
import { compileMap } from "../maps/compile.js";
import { judge } from "../maps/judge.js";
import { rowsOf, UnreadableLog } from "../maps/rows.js";
import { sampleMap } from "../maps/sample.js";
import { BadQuestion, type OwnCondition, ownCondition, ownMeasures } from "../review/own.js";
import { BadSimulation, simulate } from "../search/simulate.js";
import { BadSweep, gridOf } from "../search/sweep.js";
import type { SweepPoint } from "../formats/tally-plots.js";
import { addTallies, type Tally } from "../search/tally.js";
import {
  CannotWork,
  type CoverageResult,
  type CoverageWish,
  type ExploreResult,
  type ExploreWish,
  type JudgedMatch,
  type JudgeResult,
  type JudgeWish,
  type Kept,
  type ShownFinding,
  type SimulateResult,
  type SimulateWish,
  type Wish,
  type WorkProgress,
  type WorkResults,
} from "./wishes.js";

/** The text that is worked on. */
export interface WorkedOn {
  readonly text: string;
  readonly name?: string;
  readonly findPart?: FindPart;
  /** Logbooks of the machine, for coverage: as many as there was room for, of all there are. */
  readonly kept?: { readonly logbooks: readonly string[]; readonly of: number };
}

export interface WorkOptions {
  /** Is told how far it came. @param kept what a simulation has done so far */
  readonly say: (progress: WorkProgress, kept?: Kept) => void;
  /** What was kept when it was given up: a simulation goes on from there. */
  readonly from?: Kept;
  /** How far a search goes in memory, in bytes. */
  readonly bytes?: number;
  /** False where the host runs no generated code and says so in a log. */
  readonly generated?: false;
}

/** Wishes that make no sense say so in words. */
const WISHES = [BadGiven, BadQuestion, BadSimulation, BadSweep, CannotExplore];
/** So many matches are played between two tellings. */
const PART = 25;
/** How far a search goes in memory, in bytes, where nobody says. */
const MOST_BYTES = 300_000_000;

/**
 * Does what is wished.
 *
 * @throws CannotWork when the text has errors, or the wish makes no sense for it
 */
export function work<W extends Wish>(wish: W, on: WorkedOn, options: WorkOptions): WorkResults[W["kind"]] {
  try {
    return worked(wish, on, options) as WorkResults[W["kind"]];
  } catch (error) {
    if (!WISHES.some((kind) => error instanceof kind)) throw error;
    throw new CannotWork((error as Error).message);
  }
}

function worked(wish: Wish, on: WorkedOn, options: WorkOptions): WorkResults[keyof WorkResults] {
  const { text, name, findPart } = on;
  const compilation = compile(text, name, findPart, { errorsOnly: wish.kind !== "evidence" });
  if (!compilation.ok) throw new CannotWork("The machine has errors: mend them first.");
  const { machine, sources } = compilation;
  switch (wish.kind) {
    case "evidence":
      return withEvidence(compilation, { matches: true }).messages;
    case "explore":
      return explored(new Runnable(machine, options.generated), wish, goalOf(on, wish.goal), options);
    case "simulate":
      return simulation(measured(machine, on, wish.of, options), wish, options);
    case "coverage":
      return covered(new Coverage(machine), sources, wish, on, options);
    case "judge":
      return judged(compilation, on, wish);
  }
}

// ---- exploring -----------------------------------------------------------------------------------

/** The goal of a search, checked against the machine; undefined for a search of everything. */
function goalOf({ text, findPart }: WorkedOn, goal: string | undefined): OwnCondition | undefined {
  return goal === undefined || goal.trim() === "" ? undefined : ownCondition(text, goal, findPart);
}

function explored(
  runnable: Runnable,
  { situations, goal }: ExploreWish,
  sought: OwnCondition | undefined,
  { say, bytes = MOST_BYTES }: WorkOptions,
): ExploreResult {
  const since = Date.now();
  const { exploration, explored, atOnce, branches, secrets } = exploreWhole(sought?.runnable ?? runnable, {
    ...(sought && { goal: sought.test }),
    most: { situations, bytes },
    walk: situations,
    progress: ({ situations: found, waiting, depth }) => {
      const rate = Math.round(found / Math.max(0.001, (Date.now() - since) / 1_000));
      say({ words: `${found} situations, ${waiting} to go on from, ${depth} steps deep, ${rate} a second` });
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
    ...(secrets && { secretSteps: secrets.steps }),
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
      ...(secrets?.found ?? []).map(({ words, depth, from, evidence }): ShownFinding => {
        return { kind: "secret", words, depth, position: from, evidence };
      }),
    ],
  };
}

// ---- simulating ----------------------------------------------------------------------------------

interface Measured {
  readonly runnable: Runnable;
  readonly measures: readonly Measure[];
}

/** The machine with what is counted of its matches. */
function measured(machine: Machine, on: WorkedOn, of: readonly string[], { generated }: WorkOptions): Measured {
  const { runnable, measures } = ownMeasures(on.text, of, on.findPart);
  return { runnable: runnable ?? new Runnable(machine, generated), measures };
}

/** One point of a grid: its values, and what they are as starting data. */
interface Point {
  readonly values: SweepPoint["values"];
  readonly given: Given;
}

/** A simulation is a grid of one point; the same matches are played at each. */
function simulation(measured: Measured, wish: SimulateWish, { say, from }: WorkOptions): SimulateResult {
  const swept = wish.vary.length > 0;
  const grid: readonly Point[] = swept
    ? gridOf(wish.vary).map((values) => ({ values, given: givenFrom(pathsOf(values)) }))
    : [{ values: {}, given: {} }];
  const points = [...(from?.points ?? [])];
  let started = from;
  for (let i = points.length; i < grid.length; i++) {
    const point = grid[i] as Point;
    const at = swept ? `${pathsOf(point.values).join(", ")}: ${i + 1} of ${grid.length}` : "";
    const tally = simulated(measured, wish, point.given, started, (end, tally, words) =>
      say(
        {
          share: (i + end / wish.matches) / grid.length,
          words: swept ? at : words,
          ...(!swept && { soFar: tally }),
        },
        { points, matches: end, tally },
      ),
    );
    started = undefined;
    points.push({ values: point.values, tally });
  }
  const { seed, bots, game } = wish;
  const by = { seed, bots, ...(game !== undefined && { game }) };
  return swept ? { sweep: points } : { tally: (points[0] as SweepPoint).tally, by };
}

function pathsOf(values: SweepPoint["values"]): string[] {
  return Object.entries(values).map(([path, value]) => `${path}=${value}`);
}

function simulated(
  { runnable, measures }: Measured,
  { matches, seed, bots, game = "random", rolls = false }: SimulateWish,
  given: Given,
  from: Kept | undefined,
  say: (end: number, tally: Tally, words: string) => void,
): Tally {
  let tally = from?.tally ?? undefined;
  const begun = from?.matches ?? 0;
  const since = Date.now();
  for (let first = begun; first < matches; first += PART) {
    const end = Math.min(first + PART, matches);
    const part = simulate(runnable, { seed, bots, game, given, measures, rolls, first, end });
    tally = tally ? addTallies([tally, part]) : part;
    const left = Math.ceil((((Date.now() - since) / (end - begun)) * (matches - end)) / 1_000);
    say(end, tally, `${end} of ${matches} matches, ${left} s to go`);
  }
  return tally as Tally;
}

// ---- a game's own log ------------------------------------------------------------------------------

/** The name of the mapping in what is told about it. */
const MAP = "map";

function judged({ machine }: Compilation, on: WorkedOn, { log, machineFile, ...wish }: JudgeWish): JudgeResult {
  let map = wish.map ?? "";
  try {
    map = wish.map ?? sampleMap(machine, machineFile, log);
    const compilation = compileMap({ text: map, name: MAP }, { text: on.text, name: on.name ?? "" }, on.findPart);
    const { map: typed, runnable, sources } = compilation;
    const base = sources.files.at(-1)?.base ?? 0;
    const messages = compilation.messages.map((message) => movedBy(message, -base));
    if (!typed || !runnable) return { map, messages, matches: [] };
    const itself = new Runnable(machine, false);
    const matches = judge(runnable, typed, rowsOf(typed, log)).map((judgement): JudgedMatch => {
      const { course: _, ...rest } = judgement;
      const logbook = bookOf(itself, judgement);
      return { ...rest, ...(logbook !== undefined && { logbook }) };
    });
    return { map, messages, matches };
  } catch (error) {
    if (!(error instanceof UnreadableLog)) throw error;
    return { map, messages: [], unreadable: { line: error.line, words: error.message }, matches: [] };
  }
}

// ---- coverage ------------------------------------------------------------------------------------

function covered(
  coverage: Coverage,
  sources: Sources,
  { matches, steps, look = 0, ...wish }: CoverageWish,
  on: WorkedOn,
  { say }: WorkOptions,
): CoverageResult {
  coverByTests(coverage);
  const kept = wish.kept && on.kept ? { ...coverByKept(coverage, on.kept.logbooks, say), of: on.kept.of } : undefined;
  if (matches > 0) coverBySimulation(coverage, { seed: "1", first: 0, end: matches });
  if (steps > 0) coverBySearch(coverage, steps);
  const { items, statesAndInputs: pairs } = coverage;
  const left = items.filter(({ count }) => count === 0).length;
  if (look > 0) say({ words: `looks for matches that cover ${left} more of ${items.length}` });
  const missing = look > 0 ? missingIn(coverage, look) : undefined;
  const lcov = lcovOf(sources, items, (file) => file);
  return { items, pairs, lcov, ...(kept && { kept }), ...(missing && { missing }) };
}

/** Counts what kept matches come to. What is no logbook, or one of another machine, is not counted. */
function coverByKept(
  coverage: Coverage,
  logbooks: readonly string[],
  say: WorkOptions["say"],
): { readonly counted: number; readonly steps: number } {
  let [counted, steps] = [0, 0];
  for (const [i, text] of logbooks.entries()) {
    say({ share: i / logbooks.length, words: `${i} of ${logbooks.length} kept matches` });
    const book = logbookIn(text);
    if (book?.header.machine.name !== coverage.machine.name) continue;
    steps += coverByLogbook(coverage, book);
    counted++;
  }
  return { counted, steps };
}

function logbookIn(text: string): Logbook | undefined {
  try {
    return readLogbook(text);
  } catch (error) {
    if (error instanceof NotALogbook) return undefined;
    throw error;
  }
}
