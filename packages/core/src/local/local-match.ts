/**
 * A match played here: all seats at one keyboard, bots in those that are theirs. What goes on by itself, who is asked,
 * what was typed, what can be taken back. Draws nothing.
 */

import type { FindPart } from "../compile.js";
import { type BeginOptions, begin, type Begun } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step, type StepResult } from "../engine/matches/step.js";
import { openActions, type View, view } from "../engine/matches/view.js";
import { type Input, nextTimer, type Situation, type Taken } from "../engine/situation/situation.js";
import { type ViewChange, viewChanges } from "../formats/changes.js";
import { isWritten, type RefusedInput } from "../logbook/write.js";
import { makeBot, wrongBot } from "../search/bot.js";
import { RandomGame } from "../search/random-game.js";
import { matchTest } from "./match-test.js";
import { type Typed, TypedLines } from "./typed-line.js";
import { type Waiting, waiting } from "./waiting.js";

/** A seat or policy that the machine does not have, in words for who asked for it. */
export class NoSuchBot extends Error {}

/** A wish for a match that cannot begin, in words. */
export class CannotBegin extends Error {}

export interface LocalOptions {
  readonly how: BeginOptions;
  /** The policy of each seat that a bot plays. */
  readonly bots?: Readonly<Record<string, string>>;
  /** The game's events happen by themselves too, at random. */
  readonly events?: boolean;
}

/** Something that went on by itself: who did it, and what. */
export interface Own {
  /** `north (careful)`, `the game`, or nobody: then time passes. */
  readonly by?: string;
  readonly input: Input;
}

/** So much that was refused is kept. */
const MOST_REFUSALS = 1_000;

/** Who is asked for a step. */
export interface AskedSeat {
  readonly seat: string;
  /** It is not this seat's turn: the match may as well go on by itself. */
  readonly mayPass: boolean;
}

/** A point to which the match can be taken back: how many steps there were, and where it stood. */
interface Mark {
  readonly steps: number;
  readonly situation: Situation;
}

export class LocalMatch {
  situation: Situation;
  private readonly steps: Taken[];
  private readonly refusals: RefusedInput[] = [];
  private readonly bots = new Map<string, string>();
  private readonly lines: TypedLines;
  /** Before each line that somebody typed. */
  private readonly marks: Mark[] = [];
  /** Where the match stood behind the last step of each seat. */
  private readonly lastOwn = new Map<string, Situation>();

  /**
   * Begins a match.
   *
   * @param text the machine's text, for what is typed; it compiles
   * @param name its file's name
   * @throws NoSuchBot, CannotBegin
   */
  constructor(
    readonly runnable: Runnable,
    readonly options: LocalOptions,
    source: { readonly text: string; readonly name: string; readonly findPart: FindPart },
  ) {
    for (const [seat, policy] of Object.entries(options.bots ?? {})) this.setBot(seat, policy);
    this.lines = new TypedLines(source.text, source.name, source.findPart);
    const begun: Begun = begin(runnable, options.how);
    if (!begun.taken) throw new CannotBegin(begun.refusal?.words ?? begun.fault?.words ?? "The match does not begin.");
    this.situation = begun.taken.situation;
    this.steps = [begun.taken];
  }

  /** Every step so far, the beginning first. */
  get taken(): readonly Taken[] {
    return this.steps;
  }

  /** What was asked for and refused, in order. */
  get refused(): readonly RefusedInput[] {
    return this.refusals;
  }

  /** How many steps there were before each line that somebody typed and that can be taken back. */
  get typedAt(): ReadonlySet<number> {
    return new Set(this.marks.map((mark) => mark.steps));
  }

  // ---- bots --------------------------------------------------------------------------------------

  /** @throws NoSuchBot */
  setBot(seat: string, policy: string): void {
    const wrong = wrongBot(this.runnable, this.runnable.machine.seats.names, seat, policy);
    if (wrong) throw new NoSuchBot(wrong.words);
    this.bots.set(seat, policy);
  }

  /** Gives a seat back to a person; false when no bot played it. */
  removeBot(seat: string): boolean {
    return this.bots.delete(seat);
  }

  botOf(seat: string): string | undefined {
    return this.bots.get(seat);
  }

  // ---- what goes on ------------------------------------------------------------------------------

  /** What a seat sees. */
  seenBy(seat: string | null): View {
    return view(this.runnable, this.situation, seat);
  }

  waiting(): Waiting {
    return waiting(this.runnable, this.situation);
  }

  /** Who is asked: a person on turn to whom something is open, else any person to whom something is; or nobody. */
  asked(): AskedSeat | undefined {
    const { turn, seats } = this.seenBy(null);
    const canAct = (seat: string): boolean =>
      !this.bots.has(seat) && openActions(this.runnable, this.situation, seat).length > 0;
    const onTurn = turn.find(canAct);
    if (onTurn !== undefined) return { seat: onTurn, mayPass: false };
    const other = seats.map((s) => s.seat).find(canAct);
    return other === undefined ? undefined : { seat: other, mayPass: true };
  }

  /** What a bot on turn does now; undefined when no bot has anything to do. */
  botStep(): Own | undefined {
    for (const seat of this.seenBy(null).turn) {
      const policy = this.bots.get(seat);
      const bot = policy && makeBot(this.runnable, policy, `${this.options.how.seed} ${seat} ${this.situation.step}`);
      const input = bot ? bot.choose(this.situation, seat) : undefined;
      if (input) return { by: `${seat} (${policy})`, input };
    }
    return undefined;
  }

  /**
   * What happens when nobody acts: an event, where those come by themselves, or the next timer; undefined for neither.
   */
  ownStep(): Own | undefined {
    const due = nextTimer(this.runnable.machine, this.situation)?.due;
    const game = new RandomGame(this.runnable, `${this.options.how.seed} ${this.situation.step}`);
    const event = this.options.events ? game.choose(this.situation, due !== undefined) : undefined;
    if (event) return { by: "the game", input: event };
    return due === undefined ? undefined : { input: { kind: "time", time: due } };
  }

  /** Reads what was typed, for the situation as it is. */
  read(line: string): Typed {
    return this.lines.read(line, this.situation);
  }

  /**
   * Takes a step. A refusal or a fault leaves the match where it was, but for timers that were due before.
   *
   * @param typed somebody typed it, so that it can be taken back
   */
  take(input: Input, typed = false): StepResult {
    const mark = { steps: this.steps.length, situation: this.situation };
    const result = step(this.runnable, this.situation, input);
    if (typed && result.situation !== this.situation) this.marks.push(mark);
    this.steps.push(...result.taken);
    this.situation = result.situation;
    const { refusal } = result;
    if (refusal && isWritten({ input, refusal }) && this.refusals.length < MOST_REFUSALS)
      this.refusals.push({ input, refusal, after: this.situation.step, now: this.situation.now });
    if (input.kind === "action" && !result.refusal && !result.fault) this.lastOwn.set(input.seat, result.situation);
    return result;
  }

  /** Takes the last typed line back, and all that went on since; false when there is none. */
  undo(): boolean {
    const mark = this.marks.pop();
    if (!mark) return false;
    this.steps.length = mark.steps;
    while ((this.refusals.at(-1)?.after ?? 0) > mark.situation.step) this.refusals.pop();
    this.situation = mark.situation;
    for (const [seat, since] of this.lastOwn) if (since.step > mark.situation.step) this.lastOwn.delete(seat);
    return true;
  }

  /** What a seat sees changed since its own last step, or since the beginning. */
  changedSince(seat: string): ViewChange[] {
    const since = this.lastOwn.get(seat) ?? (this.steps[0] as Taken).situation;
    return viewChanges(view(this.runnable, since, seat), this.seenBy(seat));
  }

  /** The match so far as a test of its machine. */
  asTest(words: string): string {
    return matchTest(this.runnable, this.options.how, this.steps, words, this.situation.now);
  }
}
