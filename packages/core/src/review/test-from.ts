/**
 * A test out of a match that went wrong: the steps up to the one in question, shortened to those that matter. What
 * counts is why: the same fault, refusal or broken law by the same rule, the same changes, or a condition of one's own.
 */

import type { FindPart } from "../compile.js";
import { compile } from "../compile.js";
import { runTests } from "../engine/matches/machine-tests.js";
import { Runnable } from "../engine/matches/runnable.js";
import { changesBetween } from "../engine/situation/situation-json.js";
import type { Situation } from "../engine/situation/situation.js";
import { traceStep } from "../engine/matches/trace.js";
import { ruleAt, rulesOf } from "../check/rule-names.js";
import { flatten } from "../logbook/responsible.js";
import { canonicalJson } from "../logbook/canonical.js";
import type { Logbook } from "../logbook/read.js";
import { matchTest } from "../local/match-test.js";
import { type Course, courseOf, type Move, playCourse, type PlayedCourse } from "./course.js";
import { BadQuestion, holdsIn, type OwnCondition, ownCondition } from "./own.js";
import { smallest } from "./smallest.js";

export interface TestFromOptions {
  /** The step in question; without, the last. */
  readonly step?: number | undefined;
  /** A condition of one's own that the test expects at the end, whether it holds there or not. */
  readonly expect?: string | undefined;
  /** What the test is called. */
  readonly words: string;
}

/** A test that was made of a match. */
export interface MadeTest {
  /** The test, to be put behind the machine's text. */
  readonly text: string;
  /** Why the step is in question: a fault, a refusal or a broken law with its rule, its changes, or the condition. */
  readonly reason: Reason;
  /** How many of its moves the match had up to there, and how many are left. */
  readonly moves: { readonly had: number; readonly kept: number };
  /** Whether the test passes on the machine as it is: one that shows a fault does not. */
  readonly passes: boolean;
}

export type Reason =
  | { readonly kind: "fault" | "refusal"; readonly code: string; readonly rule: string; readonly words: string }
  | { readonly kind: "condition"; readonly holds: boolean }
  | { readonly kind: "changes"; readonly changes: string };

/**
 * Makes a test of a match up to a step.
 *
 * @param text the machine's text @param findPart finds what it includes
 * @throws BadQuestion when there is no such step, the match does not go that way on this machine, or the condition is
 * none
 */
export function testFrom(
  text: string,
  findPart: FindPart | undefined,
  logbook: Logbook,
  { step: wanted, expect, words }: TestFromOptions,
): MadeTest {
  const step = wanted ?? logbook.steps.length - 1;
  if (logbook.header.from !== undefined)
    throw new BadQuestion("This match goes on from a whole situation, and a test begins as a match does.");
  if (step < 1 || step >= logbook.steps.length)
    throw new BadQuestion(`There is no step ${step} to test; a match has steps 1 to ${logbook.steps.length - 1}.`);
  const { ok, machine } = compile(text, "machine.zany", findPart, { errorsOnly: true });
  if (!ok) throw new BadQuestion("The machine does not compile.");
  const runnable = new Runnable(machine, false);
  const own = expect === undefined ? undefined : ownCondition(text, expect, findPart);
  const course = courseOf(logbook, step);
  const [last] = course.moves.slice(-1) as [Move];
  const whole = reasonOf(runnable, course, own);
  if (!whole)
    throw new BadQuestion(`On this machine the match does not come to step ${step} by what was recorded up to there.`);
  const wantedReason = identityOf(whole.reason);
  const shorter = (moves: readonly Move[]): Course => ({ how: course.how, moves: [...moves, last] });
  const kept = smallest(course.moves.slice(0, -1), (some) => {
    const found = reasonOf(runnable, shorter(some), own);
    return found !== undefined && identityOf(found.reason) === wantedReason;
  });
  // Of a single move left it has not been tried whether none will do.
  const none = reasonOf(runnable, shorter([]), own);
  const needed = none && identityOf(none.reason) === wantedReason ? [] : kept;
  const moves = withoutWaits([...needed, last], (some) => {
    const found = reasonOf(runnable, { how: course.how, moves: some }, own);
    return found !== undefined && identityOf(found.reason) === wantedReason;
  });
  const { played, reason } = reasonOf(runnable, { how: course.how, moves }, own) ?? whole;
  const stopped = reason.kind === "fault" || reason.kind === "refusal";
  const test = matchTest(runnable, course.how, played.taken, words, played.situation.now, {
    ...(expect !== undefined && { expect: [expect] }),
    ...(stopped && { expect: [], last: { ...last, wait: played.stopped?.left ?? 0 } }),
    ...(reason.kind === "changes" && { changes: changesOfLast(runnable, played) }),
  });
  const results = passesIn(text, test, findPart);
  return { text: test, reason, moves: { had: course.moves.length, kept: moves.length }, passes: results };
}

/** The same moves without the time between them, or with as little of it as is needed. */
function withoutWaits(moves: readonly Move[], works: (some: readonly Move[]) => boolean): readonly Move[] {
  const still = (move: Move): Move => (move.input ? { ...move, wait: 0 } : move);
  const none = moves.map(still);
  if (works(none)) return none;
  let current = moves;
  for (const [i, move] of moves.entries()) {
    const without = current.map((each, at) => (at === i ? still(move) : each));
    if (works(without)) current = without;
  }
  return current;
}

/** Why the last move of a course is in question; undefined when it is not come to, or something rolls otherwise. */
function reasonOf(
  runnable: Runnable,
  course: Course,
  own: OwnCondition | undefined,
): { readonly reason: Reason; readonly played: PlayedCourse } | undefined {
  const played = playCourse(runnable, course);
  if (!played) return undefined;
  const { stopped } = played;
  if (stopped && stopped.at < course.moves.length - 1) return undefined;
  if (stopped) {
    const move = course.moves[stopped.at];
    const { code, words } = stopped.fault ?? stopped.refusal ?? { code: "", words: "" };
    const kind = stopped.fault ? "fault" : "refusal";
    const rule = move ? ruleOf(runnable, played.situation, move, stopped.fault?.position) : "";
    return { reason: { kind, code, rule, words }, played };
  }
  if (own) {
    // The condition was compiled with the machine, so its own engine is asked.
    const there = playCourse(own.runnable, course);
    return there && { reason: { kind: "condition", holds: holdsIn(own, there.situation) }, played };
  }
  return { reason: { kind: "changes", changes: canonicalJson(changesOfLast(runnable, played) as never) }, played };
}

/** What the last step changed. */
function changesOfLast({ machine }: Runnable, { taken }: PlayedCourse): ReturnType<typeof changesBetween> {
  const [before, after] = taken.slice(-2);
  return before && after ? changesBetween(machine, before.situation, after.situation) : [];
}

/** The rule by which an input is refused, or at fault. */
function ruleOf(runnable: Runnable, before: Situation, { input, dice }: Move, position: number | undefined): string {
  const rules = rulesOf(runnable.machine);
  if (position !== undefined) return ruleAt(rules, position) ?? "";
  if (!input) return "";
  const [trace] = traceStep(runnable, before, { ...input, ...(dice.length > 0 && { dice }) } as typeof input);
  const asked = flatten(trace?.nodes ?? []).filter(({ kind, value }) => kind === "rule" && value === false);
  return asked.at(-1)?.name ?? "";
}

/** What two reasons must share to be the same: their kind and rule; of changes and conditions, what they come to. */
function identityOf(reason: Reason): string {
  switch (reason.kind) {
    case "condition":
      return `condition ${reason.holds}`;
    case "changes":
      return reason.changes;
    default:
      return `${reason.kind} ${reason.code} ${reason.rule}`;
  }
}

function passesIn(text: string, test: string, findPart: FindPart | undefined): boolean {
  const { ok, machine } = compile(`${text}\n${test}`, "machine.zany", findPart, { errorsOnly: true });
  if (!ok) throw new BadQuestion("The test that was made does not compile; please tell us of this match.");
  return runTests(new Runnable(machine, false)).at(-1)?.ok ?? false;
}
