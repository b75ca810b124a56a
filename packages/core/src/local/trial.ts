/**
 * A match that is tried while its machine is still being written. Its inputs are kept when the text changes: they are
 * played again on the new rules, and where they go differently is told.
 */

import type { BeginOptions } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step, type StepResult } from "../engine/matches/step.js";
import type { SetRoll } from "../engine/situation/memory.js";
import type { Input, Taken } from "../engine/situation/situation.js";
import { canonicalJson } from "../logbook/canonical.js";
import type { LineInput, StepLine } from "../logbook/format.js";
import { valueInWords } from "../logbook/words.js";
import { LogbookWriter, stepLine } from "../logbook/write.js";
import { LocalMatch } from "./local-match.js";

/** Steps that bots take one after the other before a person is asked. */
const BOT_STEPS = 200;

/** The machine's text that a trial is played on. */
export interface TrialSource {
  readonly runnable: Runnable;
  readonly text: string;
  readonly name: string;
  readonly findPart: (path: string) => string | undefined;
}

/** Where kept inputs go differently on other rules. */
export interface Departure {
  readonly step: number;
  readonly input: LineInput;
  /** What is different there, in words. */
  readonly words: string;
}

/** An input that is played again; what somebody asked for can be taken back, what followed by itself goes with it. */
interface Kept {
  readonly input: Input;
  readonly typed: boolean;
}

export class Trial {
  /** Where the inputs went differently when they were last played again; undefined when nowhere. */
  departure: Departure | undefined;
  readonly match: LocalMatch;
  private readonly known: StepLine[] = [];
  /** Inputs that the rules do not take any more; they wait for other rules. */
  private waiting: readonly Kept[] = [];
  /** The steps as they were first taken. */
  private readonly first: StepLine[];

  /**
   * @param before the trial whose inputs are played again
   * @throws CannotBegin when the match does not begin on these rules
   * @throws NoSuchBot
   */
  constructor(
    readonly source: TrialSource,
    readonly how: BeginOptions,
    bots: Readonly<Record<string, string>> = {},
    before?: Trial,
  ) {
    this.match = new LocalMatch(source.runnable, { how, bots }, source);
    this.first = before ? [...before.first] : [];
    this.departure = before && this.playAgain(before);
    if (!before) this.letBotsPlay();
    if (!this.departure) this.first.splice(0, this.first.length, ...this.lines());
  }

  /** All steps, as a logbook has them. */
  lines(): readonly StepLine[] {
    const { taken } = this.match;
    this.known.length = Math.min(this.known.length, taken.length);
    for (let i = this.known.length; i < taken.length; i++)
      this.known.push(stepLine(this.source.runnable, taken[i - 1]?.situation, taken[i] as Taken));
    return this.known;
  }

  /** Takes a step of a person or of the game; bots that are on turn then play. What waited is given up. */
  take(input: Input): StepResult {
    const result = this.match.take(input, true);
    if (result.refusal || result.fault) return result;
    this.letBotsPlay();
    this.accept();
    return result;
  }

  /** Takes the last input back; false when there is none. */
  undo(): boolean {
    const undone = this.match.undo();
    if (undone) this.accept();
    return undone;
  }

  /** The same inputs on other rules. @throws CannotBegin, NoSuchBot */
  on(source: TrialSource): Trial {
    const bots = this.match.seenBy(null).seats.flatMap(({ seat }) => {
      const policy = this.match.botOf(seat);
      return policy === undefined ? [] : [[seat, policy] as const];
    });
    return new Trial(source, this.how, Object.fromEntries(bots), this);
  }

  /** The match so far as a test of its machine. */
  asTest(words: string): string {
    return this.match.asTest(words);
  }

  /** The match so far as a logbook. */
  asLogbook(): string {
    const [first, ...rest] = this.match.taken;
    let text = "";
    const writer = new LogbookWriter(this.source.runnable, this.how, first as Taken, (line) => (text += line));
    for (const taken of rest) writer.add(taken);
    if (this.match.situation.outcome) writer.close();
    return text;
  }

  /** From now on, the steps as they went now are those that others are compared with. */
  private accept(): void {
    this.waiting = [];
    this.departure = undefined;
    this.first.splice(0, this.first.length, ...this.lines());
  }

  /** Lets a policy play a seat, or with null a person. @throws NoSuchBot */
  setBot(seat: string, policy: string | null): void {
    if (policy === null) this.match.removeBot(seat);
    else this.match.setBot(seat, policy);
    this.letBotsPlay();
    this.accept();
  }

  /** Lets bots that are on turn play, until a person is asked. */
  private letBotsPlay(): void {
    for (let i = 0; i < BOT_STEPS && !this.match.situation.outcome; i++) {
      const own = this.match.botStep();
      if (!own) return;
      const { refusal, fault } = this.match.take(own.input);
      if (refusal || fault) return;
    }
  }

  private playAgain(before: Trial): Departure | undefined {
    const { typedAt, taken } = before.match;
    const again = taken.flatMap(({ input }, i) =>
      inputAgain(input).map((kept) => ({ input: kept, typed: typedAt.has(i) })),
    );
    const inputs: readonly Kept[] = [...again, ...before.waiting];
    for (const [i, { input, typed }] of inputs.entries()) {
      const { refusal, fault } = this.match.take(input, typed);
      if (!refusal && !fault) continue;
      this.waiting = inputs.slice(i);
      break;
    }
    const lines = this.lines();
    for (const [i, was] of before.first.entries()) {
      const now = lines[i];
      const words = now ? differenceOf(was, now) : this.stopOf(inputs[i - 1]?.input);
      if (words !== undefined) return { step: was.step, input: was.input, words };
    }
    return undefined;
  }

  /** Why an input is not taken any more. */
  private stopOf(input: Input | undefined): string {
    if (!input) return "nothing comes after it now";
    const { refusal, fault } = step(this.source.runnable, this.match.situation, input);
    return refusal?.words ?? fault?.words ?? "it does not happen by itself now";
  }
}

/** An input as it is asked for anew: for whatever step it then meets. */
function inputAgain(input: Taken["input"]): Input[] {
  if (input.kind === "begin") return [];
  if (input.kind !== "action") return [input];
  const { step: _step, ...rest } = input;
  return [rest];
}

/** What is different in the same step, in words; undefined when people would see the same. */
function differenceOf(was: StepLine, now: StepLine): string | undefined {
  const states = (line: StepLine): string => line.states.join(" \u203a ") || "over";
  if (canonicalJson(was.input) !== canonicalJson(now.input)) return "another input comes first";
  if (was.time !== now.time) return `it comes at ${now.time}, was ${was.time}`;
  if (states(was) !== states(now)) return `it leads to ${states(now)}, was ${states(was)}`;
  const faces = (line: StepLine): string => line.dice.map((d) => valueInWords(d.value)).join(", ") || "none";
  if (faces(was) !== faces(now)) return `dice ${faces(now)}, was ${faces(was)}`;
  const before = new Map(was.changes.map((c) => [c.path, c.value]));
  for (const { path, value } of now.changes) {
    const old = before.get(path);
    if (!before.has(path)) return `${pathInWords(path)} becomes ${valueInWords(value)}, was left alone`;
    if (canonicalJson(old ?? null) !== canonicalJson(value ?? null))
      return `${pathInWords(path)} becomes ${valueInWords(value)}, was ${valueInWords(old)}`;
    before.delete(path);
  }
  const [left] = before.keys();
  return left === undefined
    ? undefined
    : `${pathInWords(left)} is left alone, became ${valueInWords(before.get(left))}`;
}

function pathInWords(path: string): string {
  return path.split("/").slice(2).join(".");
}

/**
 * Dice set by hand as they are typed: `6, yes, _`; `_` leaves one to chance. @throws Error in words for anything else
 */
export function diceFrom(text: string): SetRoll[] {
  return text
    .split(/[\s,]+/)
    .filter((word) => word !== "")
    .map((word): SetRoll => {
      if (word === "_") return null;
      if (word === "yes" || word === "no") return word === "yes";
      const number = Number(word);
      if (Number.isSafeInteger(number)) return number;
      throw new Error(`"${word}" is no roll: write a number, yes, no, or _ for one left to chance.`);
    });
}
