/**
 * Secrets that show: two matches that look the same to a seat, and differ in what it may not see alone, are played
 * side by side with the same inputs and the same rolls. Where they come to look otherwise although nobody chose to show
 * anything, the secret shows. What an action shows openly, and what a phase without a turn opens, is meant to be seen.
 *
 * This is possibilistic noninterference (Goguen and Meseguer, 1982), tried by pairs at random: what is found is so, and
 * what is not found proves nothing.
 */

import type { Action, Machine } from "../check/machine.js";
import { begin, type BeginOptions } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step } from "../engine/matches/step.js";
import { keepsSecrets, options, seatsNow, turnOf, view, type View } from "../engine/matches/view.js";
import { type Input, nextTimer, type RollRecord, type Situation, type Taken } from "../engine/situation/situation.js";
import { changesWithBefore } from "../engine/situation/situation-json.js";
import { Dice, randomBelow } from "../engine/values/random.js";
import type { Json } from "../engine/values/json.js";
import { pathInWords } from "../formats/trace-lines.js";
import { canonicalJson } from "../logbook/canonical.js";
import { valueInWords } from "../logbook/words.js";
import type { Span } from "../language/source.js";
import { RandomPlayer } from "../search/random-player.js";
import { courseEvidence } from "./evidence.js";
import type { Evidence } from "../language/message.js";

/** A secret that shows at a place of the text, with the two matches that look the same to the seat until it does. */
export interface ShownSecret extends Span {
  /** Who gets to see it. */
  readonly seat: string;
  readonly words: string;
  /** What the two differ in: `hand.ann (2 or 5)`. */
  readonly secret: string;
  /** How many steps the longer of the two has. */
  readonly depth: number;
  /** One of the two matches, the other as its twin. */
  readonly evidence: Evidence;
}

export interface SecretOptions {
  /** How many steps are taken in all, both matches counted. */
  readonly steps: number;
  readonly seats?: number;
  /** Places of the text that are suspected: once something shows at each of them, it is looked no further. */
  readonly suspected?: readonly Span[];
}

/** How long pairs go on: short ones first, since what they show is seen more easily. */
const LENGTHS = [6, 15, 40];
/** How often another roll or another move is tried where one does not fit both matches. */
const TRIES = 5;
/** How often time passes although somebody could act: once in so many steps. */
const WAITS = 8;
const BEGUN = Date.UTC(2026, 5, 1, 10);
const NOW = { happenings: "now" } as const;

type Rolls = readonly (number | boolean)[];

/** One of the two matches, as far as it was played. */
interface Course {
  readonly how: BeginOptions;
  readonly first: Taken;
  readonly taken: readonly Taken[];
  readonly situation: Situation;
}

type Courses = readonly [Course, Course];

/** What somebody gets to see, and where in the text. */
interface Shown {
  readonly key: string;
  readonly what: string;
  /** What of, where that is not what the two matches differ in. */
  readonly of?: string;
  readonly at: Span;
}

/** Looks for secrets that show; none in a machine without secrets. */
export function shownSecrets(runnable: Runnable, options: SecretOptions): ShownSecret[] {
  return keepsSecrets(runnable) ? new Pairs(runnable, options).run() : [];
}

/** The first of some secrets that shows at a place of the text. */
export function shownAt(secrets: Iterable<ShownSecret>, { from }: Pick<Span, "from">): ShownSecret | undefined {
  for (const secret of secrets) if (secret.from <= from && from < secret.to) return secret;
  return undefined;
}

class Pairs {
  private readonly found = new Map<string, ShownSecret>();
  private readonly names: readonly string[];
  private left: number;

  private readonly seats: number | undefined;
  private readonly suspected: readonly Span[];

  constructor(
    private readonly runnable: Runnable,
    { steps, seats, suspected = [] }: SecretOptions,
  ) {
    this.left = steps;
    this.seats = seats;
    this.suspected = suspected;
    const { taken } = begin(runnable, { seed: "", now: BEGUN, ...(seats !== undefined && { seats }) });
    this.names = taken ? seatsNow(runnable, taken.situation).map(({ seat }) => seat) : [];
  }

  run(): ShownSecret[] {
    const whole = this.left;
    for (const [i, length] of LENGTHS.entries()) {
      // Each length has its share of the work.
      const until = whole * (1 - (i + 1) / LENGTHS.length);
      for (let pair = 0; this.left > until && this.names.length > 0 && !this.isEnough(); pair++) {
        this.left--;
        const seat = this.names[pair % this.names.length] as string;
        const played = new Pair(this.runnable, seat, `${length} ${pair}`, this.seats);
        const seen = played.play(length, (steps) => {
          this.left -= steps;
        });
        if (seen) this.keep(seat, seen);
      }
    }
    return [...this.found.values()].sort((a, b) => a.from - b.from || (a.words < b.words ? -1 : 1));
  }

  private isEnough(): boolean {
    const { suspected, found } = this;
    return suspected.length > 0 && suspected.every((at) => shownAt(found.values(), at) !== undefined);
  }

  private keep(seat: string, { shown: { key, what, of, at }, before, courses }: Seen): void {
    const depth = Math.max(...courses.map(({ taken }) => taken.length));
    const known = this.found.get(key);
    if (known && known.depth <= depth) return;
    const [one, other] = courses;
    const secret = of ?? differing(this.runnable.machine, before);
    const words =
      `${what} tells ${seat} of ${secret}: two matches that look the same to ${seat} until then differ in that ` +
      "alone.";
    const evidence = (course: Course, which: string): Evidence =>
      courseEvidence(this.runnable, course, `${which} of two that ${seat} must not tell apart`);
    this.found.set(key, {
      seat,
      words,
      secret,
      from: at.from,
      to: at.to,
      depth,
      evidence: { ...evidence(one, "one"), twin: evidence(other, "the other") },
    });
  }
}

/** Where a secret shows: the two while they still looked the same, and then. */
interface Seen {
  readonly shown: Shown;
  readonly before: Courses;
  readonly courses: Courses;
}

/** Two matches that look the same to a seat, step by step. */
class Pair {
  private readonly machine: Machine;
  private readonly dice: Dice;
  private readonly player: RandomPlayer;

  constructor(
    private readonly runnable: Runnable,
    private readonly seat: string,
    private readonly seed: string,
    private readonly seats: number | undefined,
  ) {
    this.machine = runnable.machine;
    this.dice = Dice.from(seed, ["pairs"]);
    this.player = new RandomPlayer(runnable, seed);
  }

  /** @param took is told how many steps were taken */
  play(length: number, took: (steps: number) => void): Seen | undefined {
    let pair = this.begun();
    for (let count = 0; pair && count < length; count++) {
      took(2);
      const shown = this.turnAlone(pair) ?? this.choices(pair);
      if (shown) return { shown, before: pair, courses: pair };
      const next = this.next(pair);
      if (!next) return undefined;
      const { shows, courses } = next;
      if (shows) return { shown: shows, before: pair, courses };
      pair = courses;
    }
    return undefined;
  }

  private begun(): Courses | undefined {
    const how = { seed: this.seed, now: BEGUN, ...(this.seats !== undefined && { seats: this.seats }) };
    const one = this.begin(how);
    if (!one) return undefined;
    for (let i = 0; i < TRIES; i++) {
      const dice = this.otherRolls(one.first);
      if (!dice) break;
      const other = this.begin({ ...how, dice });
      if (other && (this.looksSame([one, other]) || this.turnAlone([one, other]))) return [one, other];
    }
    return [one, one];
  }

  private begin(how: BeginOptions): Course | undefined {
    const { taken } = begin(this.runnable, how);
    return taken && !taken.situation.outcome ? { how, first: taken, taken: [], situation: taken.situation } : undefined;
  }

  /** What the seat may do, and why not, has to be the same in both. */
  private choices([one, other]: Courses): Shown | undefined {
    if (one === other) return undefined;
    const [here, there] = [one, other].map(({ situation }) => options(this.runnable, situation, this.seat));
    for (const [i, option] of (here ?? []).entries()) {
      const twin = there?.[i];
      if (twin && isSame(option, twin)) continue;
      const at = actionNamed(option.action, one.situation);
      return at && { key: `choices ${option.action}`, what: `What is open of "${option.action}"`, at };
    }
    return undefined;
  }

  /** Goes on in both; undefined where nothing goes on in both alike. */
  private next(pair: Courses): { readonly courses: Courses; readonly shows?: Shown } | undefined {
    for (let i = 0; i < TRIES; i++) {
      const inputs = this.inputs(pair);
      if (!inputs) return undefined;
      const courses = this.taken(pair, inputs);
      if (!courses) continue;
      if (this.looksSame(courses)) return { courses };
      const shows = this.turnAlone(courses) ?? this.shownBy(pair, inputs, courses);
      return shows && { courses, shows };
    }
    return undefined;
  }

  private inputs([one, other]: Courses): readonly [Input, Input] | undefined {
    const timer = nextTimer(this.machine, one.situation);
    const turn = turnOf(this.runnable, one.situation);
    const acting = turn[randomBelow(this.dice, 0, Math.max(1, turn.length))];
    const chosen =
      acting !== undefined && !(timer && randomBelow(this.dice, 0, WAITS) === 0)
        ? this.player.choose(one.situation, acting)
        : undefined;
    if (!chosen) {
      if (!timer) return undefined;
      const input = { kind: "timer", timer: timer.timer.name, time: timer.due } as const;
      return [input, input];
    }
    // Of a sealed action the others see that it was done, and not what it was.
    if (chosen.seat === this.seat || !actionNamed(chosen.action, one.situation)?.sealed) return [chosen, chosen];
    const twin = this.player.choose(other.situation, chosen.seat);
    return twin && actionNamed(twin.action, other.situation)?.sealed ? [chosen, twin] : undefined;
  }

  /** The same rolls come in both; or other ones, where they are not seen. */
  private taken([one, other]: Courses, [input, twin]: readonly [Input, Input]): Courses | undefined {
    const first = this.take(one, input);
    const last = first?.taken.at(-1);
    if (!first || !last) return undefined;
    const { rolls } = last.happenings;
    const others = randomBelow(this.dice, 0, 2) === 0 ? this.otherRolls(last) : undefined;
    if (others) {
      const second = this.take(other, twin, others);
      if (second && (this.looksSame([first, second]) || this.turnAlone([first, second]))) return [first, second];
    }
    const second =
      one === other && input === twin
        ? first
        : this.take(
            other,
            twin,
            rolls.map(({ value }) => value),
          );
    return second && [first, second];
  }

  private take(course: Course, input: Input, dice: Rolls = []): Course | undefined {
    const asked = { ...input, ...(dice.length > 0 && { dice }) } as Input;
    const { taken, refusal, fault } = step(this.runnable, course.situation, asked, NOW);
    const [last] = taken;
    if (refusal || fault || !last || taken.length > 1) return undefined;
    return { ...course, taken: [...course.taken, last], situation: last.situation };
  }

  /** Whether a roll is by dice that the seat does not see. */
  private isSecret({ stream, seat }: RollRecord): boolean {
    const visibility = this.machine.streams.find(({ name }) => name === stream)?.visibility ?? "public";
    return visibility === "hidden" || (visibility === "private" && seat !== this.seat);
  }

  /** What a step rolled, with one roll otherwise that the seat does not see; undefined where there is none. */
  private otherRolls({ happenings: { rolls } }: Taken): Rolls | undefined {
    const secret = rolls.filter((roll) => this.isSecret(roll));
    if (secret.length === 0) return undefined;
    const other = secret[randomBelow(this.dice, 0, secret.length)];
    return rolls.map((roll) => {
      const { value, range } = roll;
      if (roll !== other) return value;
      if (typeof value === "boolean") return !value;
      const [low = value, high = value] = range.split("..").map(Number);
      return Number.isInteger(low) && Number.isInteger(high) && low < high
        ? low + randomBelow(this.dice, 0, high - low + 1)
        : value;
    });
  }

  private views(courses: Courses): readonly [View, View] {
    const [one, other] = courses.map(({ situation }) => view(this.runnable, situation, this.seat));
    return [one as View, other as View];
  }

  /** The same is seen, and was told in the last step. */
  private looksSame(courses: Courses): boolean {
    const [one, other] = courses;
    if (one === other) return true;
    return isSame(this.notes(one), this.notes(other)) && isSame(...this.views(courses));
  }

  private notes({ first, taken }: Course): string[] {
    const { notes } = (taken.at(-1) ?? first).happenings;
    return notes.filter(({ to = this.seat }) => to === this.seat).map(({ text }) => text);
  }

  /** Two matches that look the same but for whose turn it is. */
  private turnAlone(courses: Courses): Shown | undefined {
    const [one, other] = courses;
    if (one === other || !isSame(this.notes(one), this.notes(other))) return undefined;
    const [here, there] = this.views(courses);
    if (isSame(here.turn, there.turn) || !isSame({ ...here, turn: [] }, { ...there, turn: [] })) return undefined;
    const turn = this.machine.states.findLast((state) => state.turn && here.states.includes(state.name))?.turn;
    return turn && { key: `turn ${turn.from}`, what: "Whose turn it is", at: turn };
  }

  /** What shows it that two matches look otherwise from now on; undefined where somebody chose to show something. */
  private shownBy([before]: Courses, [input, twin]: readonly [Input, Input], courses: Courses): Shown | undefined {
    const was = view(this.runnable, before.situation, this.seat);
    const [here, there] = this.views(courses);
    const stays = [here, there].every((now) => now.states.join() === was.states.join() && !now.outcome);
    // Whoever acted has had their part, and the others still have theirs: nothing was opened.
    const waits = (left: readonly string[]): boolean =>
      left.length > 0 && [here, there].every(({ turn }) => turn.join() === left.join());
    if (!stays) return undefined;
    if (input.kind === "action" && input.seat !== this.seat) {
      const action = actionNamed(input.action, before.situation);
      const left = action?.arrow.kind === "ready" ? was.turn.filter((seat) => seat !== input.seat) : was.turn;
      if (!action?.sealed || !waits(left)) return undefined;
      const what = `What shows of "${action.name}" while others still choose`;
      const of = input === twin ? {} : { of: "what was chosen" };
      return { key: `sealed ${action.from}`, what, at: action, ...of };
    }
    if (input.kind === "timer" && waits(was.turn)) {
      const timer = this.machine.timers.find(({ name }) => name === input.timer);
      if (!timer || (timer.arrow && timer.arrow.kind !== "stay")) return undefined;
      return { key: `timer ${timer.from}`, what: "What the timer does", at: timer };
    }
    return undefined;
  }
}

/** The first action of that name that can be asked for in a situation. */
function actionNamed(name: string, { configuration }: Situation): Action | undefined {
  return configuration.actions.get(name)?.[0]?.action;
}

function isSame(one: unknown, other: unknown): boolean {
  return canonicalJson(one as Json) === canonicalJson(other as Json);
}

/** What two situations differ in, the first three with both their values. */
function differing(machine: Machine, [one, other]: Courses): string {
  const changes = changesWithBefore(machine, one.situation, other.situation);
  const told = changes.map(({ path, before, after }) => {
    return `${pathInWords(path)} (${valueInWords(before)} or ${valueInWords(after)})`;
  });
  return told.length === 0 ? "a secret" : told.slice(0, 3).join(", ");
}
