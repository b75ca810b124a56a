/**
 * Verifies a logbook: every step is played again and compared, the file's own digest is checked. A file
 * that was changed by hand is told apart from rules that have changed: rules leave the digest right.
 */

import { RunningDigest } from "../engine/values/hash.js";
import type { Runnable } from "../engine/matches/runnable.js";
import type { Outcome, Situation } from "../engine/situation/situation.js";
import { canonicalJson } from "./canonical.js";
import type { ClosingLine, Header, RefusedLine, StepLine } from "./format.js";
import { type Difference, type ReplayedStep, Replayer } from "./replay.js";
import { type Responsible, responsibleFor, responsibleForRefused } from "./responsible.js";
import { readHeader, readLine } from "./schema.js";
import { situationDigest } from "./write.js";

/**
 * How a match went otherwise on a machine than it was recorded: its end is the same all the same (`sameResult`), some
 * data, states or notes differ (`changed`), an input is refused now (`refused`), rolls are missing, too many or of
 * another range (`rolls`), a step is at fault (`fault`), or breaks a law (`law`); what was refused is taken now, or
 * refused for another reason (`accepted`).
 */
export type HowDiverged = "sameResult" | "changed" | "refused" | "accepted" | "rolls" | "fault" | "law";

/** A match that goes another way: the file is whole, the rules differ. All told is of the first step that does. */
export interface Diverged {
  readonly kind: "diverged";
  readonly how: HowDiverged;
  readonly step: number;
  readonly line: number;
  readonly input: StepLine["input"];
  readonly differences: readonly Difference[];
  /** What it says of a refusal, a fault or a broken law. */
  readonly words?: string;
  readonly responsible: Responsible;
  /** How many steps could not be taken at all. */
  readonly notTaken: number;
  /**
   * Steps whose rolls were those that were recorded, where the seed would have rolled others; and those that rolled
   * anew.
   */
  readonly rolls: { readonly recorded: number; readonly anew: number };
}

/** What verifying came to. */
export type Verdict = { readonly steps: number; readonly otherRules: boolean } & (
  | { readonly kind: "verified" }
  | Diverged
  /** The file is not as it was written, is none of this machine, or is in a format that this version does not read. */
  | {
      readonly kind: "tampered" | "truncated" | "reordered" | "foreign" | "otherFormat";
      readonly line: number;
      readonly words: string;
    }
);

export interface VerifyOptions {
  /** The version the match was played on, when it is at hand: then what is responsible is known, not guessed. */
  readonly playedOn?: Runnable | undefined;
  /** Is told how many lines have been read, now and then. */
  readonly progress?: (lines: number) => void;
}

/**
 * Verifies the lines of a logbook, in order and one at a time, against a machine.
 *
 * @param lines the file's lines without their line ends
 */
export async function verify(
  runnable: Runnable,
  lines: AsyncIterable<string> | Iterable<string>,
  options: VerifyOptions = {},
): Promise<Verdict> {
  const verifier = new Verifier(runnable, options);
  let count = 0;
  for await (const line of lines) {
    verifier.line(line);
    if (++count % PROGRESS_EVERY === 0) options.progress?.(count);
  }
  return verifier.verdict();
}

/** The same for a text that is in memory. */
export function verifyText(runnable: Runnable, text: string, options: VerifyOptions = {}): Verdict {
  const verifier = new Verifier(runnable, options);
  for (const line of splitLines(text)) verifier.line(line);
  return verifier.verdict();
}

/** The lines of a text; a line end at its very end begins no further line. */
export function splitLines(text: string): string[] {
  const lines = text.split("\n");
  if (lines.at(-1) === "") lines.pop();
  return lines;
}

/** How often it is told how far it came, in lines. */
const PROGRESS_EVERY = 1_000;

/**
 * Whether the numbers of steps that came in another order are all there, each once: by their count, their sum and the
 * sum of their digests, so that a logbook of any length takes no more memory.
 */
class Numbers {
  count = 0;
  last: number | undefined;
  private sums = [0, 0];

  add(number: number): void {
    this.count++;
    this.last = number;
    this.sums = [(this.sums[0] as number) + number, ((this.sums[1] as number) + mixed(number)) | 0];
  }

  /** Whether they are those from 0 up to a number. */
  areUpTo(last: number): boolean {
    if (this.count !== last + 1) return false;
    const whole = new Numbers();
    for (let number = 0; number <= last; number++) whole.add(number);
    return whole.sums.join() === this.sums.join();
  }
}

/** A number with its bits mixed, so that no two sets of numbers that are made by hand add up to the same. */
function mixed(number: number): number {
  let bits = Math.imul(number ^ (number >>> 16), 0x7feb352d);
  bits = Math.imul(bits ^ (bits >>> 15), 0x846ca68b);
  return bits ^ (bits >>> 16);
}

class Verifier {
  private readonly file = new RunningDigest();
  private header: Header | undefined;
  private replayer: Replayer | undefined;
  /** The same match on the version it was played on. */
  private playedOn: { readonly runnable: Runnable; readonly replayer: Replayer } | undefined;
  private closing: ClosingLine | undefined;
  private foreign: { readonly kind: "foreign" | "otherFormat"; readonly words: string } | undefined;
  private broken: { line: number; words: string } | undefined;
  private diverged: Diverged | undefined;
  private readonly numbers = new Numbers();
  private outOfOrder: { line: number; words: string } | undefined;
  private count = 0;
  private fileDigest = "";
  private lastLineUnreadable = false;
  /** The last step, as it was met: what a match ends with comes of it. */
  private last:
    | { readonly text: string; readonly now: Situation | undefined; readonly old: Situation | undefined }
    | undefined;
  private notTaken = 0;
  private readonly rolls = { recorded: 0, anew: 0 };

  constructor(
    private readonly runnable: Runnable,
    private readonly options: VerifyOptions,
  ) {}

  line(text: string): void {
    this.count++;
    if (this.foreign) return;
    if (this.closing) {
      this.broken ??= { line: this.count, words: "there is something after the closing line" };
      return;
    }
    if (this.count === 1) this.begin(text);
    else this.readLine(text);
    this.file.add(text);
    this.file.add("\n");
  }

  private begin(text: string): void {
    const header = readHeader(text);
    const { name } = this.runnable.machine;
    if ("words" in header) this.foreign = { kind: header.otherFormat ? "otherFormat" : "foreign", words: header.words };
    else if (header.machine.name !== name)
      this.foreign = { kind: "foreign", words: `this is a match of ${header.machine.name}, not of ${name}` };
    else {
      this.header = header;
      this.replayer = new Replayer(this.runnable, header);
      const { playedOn } = this.options;
      if (playedOn?.rules === header.machine.rules && playedOn.rules !== this.runnable.rules)
        this.playedOn = { runnable: playedOn, replayer: new Replayer(playedOn, header) };
    }
  }

  private readLine(text: string): void {
    // Behind a line that cannot be read nothing is looked at any more.
    if (this.broken) return;
    const met = { text, now: this.replayer?.situation, old: this.playedOn?.replayer.situation };
    if (this.takenAsWritten(text)) {
      this.last = met;
      return;
    }
    const read = readLine(text);
    this.lastLineUnreadable = read.kind === "wrong";
    if (read.kind === "step") {
      this.last = met;
      this.readStep(read.step);
    }
    if (read.kind === "refused") this.readRefused(read.refused);
    if (read.kind === "wrong") this.broken ??= { line: this.count, words: read.words };
    if (read.kind === "closing") {
      this.closing = read.closing;
      this.fileDigest = this.file.hex();
    }
  }

  /**
   * Takes a step whose line is, to the letter, what is written when it is taken now: nothing in it need be looked at.
   */
  private takenAsWritten(text: string): boolean {
    if (this.outOfOrder || this.diverged || this.playedOn || !this.replayer) return false;
    const step = this.replayer.takeAsWritten(text);
    if (step === undefined) return false;
    this.numbers.add(step);
    this.lastLineUnreadable = false;
    return true;
  }

  private readRefused(line: RefusedLine): void {
    const { count } = this.numbers;
    if (line.after !== count - 1)
      this.outOfOrder ??= {
        line: this.count,
        words: `what was refused after step ${line.after} stands behind step ${count - 1}`,
      };
    const { replayer } = this;
    if (this.outOfOrder || this.diverged || !replayer) return;
    const difference = replayer.refused(line);
    if (!difference) return;
    this.diverged = {
      kind: "diverged",
      how: "accepted",
      step: line.after,
      line: this.count,
      input: line.refused,
      differences: [difference],
      words: line.words,
      responsible: responsibleForRefused(this.runnable, line),
      notTaken: 0,
      rolls: this.rolls,
    };
  }

  private readStep(line: StepLine): void {
    const expected = this.numbers.count;
    this.numbers.add(line.step);
    if (line.step !== expected)
      this.outOfOrder ??= { line: this.count, words: `step ${line.step} stands where step ${expected} belongs` };
    if (this.outOfOrder || this.broken) return;
    const { replayer, header } = this;
    if (!replayer || !header) return;
    const before = replayer.situation;
    const then = this.playedOn && { runnable: this.playedOn.runnable, before: this.playedOn.replayer.situation };
    this.playedOn?.replayer.next(line);
    const replayed = replayer.next(line);
    if (!replayed.taken) this.notTaken++;
    if (replayed.rolls === "record") this.rolls.recorded++;
    if (replayed.rolls === "stream") this.rolls.anew++;
    if (replayed.differences.length === 0 || this.diverged) return;
    const { differences, refused } = replayed;
    this.diverged = {
      kind: "diverged",
      how: howOf(replayed),
      step: line.step,
      line: this.count,
      input: line.input,
      differences,
      ...(refused && { words: refused.words }),
      responsible: responsibleFor(header, line, replayed, { runnable: this.runnable, before }, then),
      notTaken: 0,
      rolls: this.rolls,
    };
  }

  private base(): { steps: number; otherRules: boolean } {
    return {
      steps: Math.max(0, this.numbers.count - 1),
      otherRules: this.header !== undefined && this.header.machine.rules !== this.runnable.rules,
    };
  }

  verdict(): Verdict {
    const base = this.base();
    if (this.count === 0) return { kind: "foreign", line: 1, words: "the file is empty", ...base };
    if (this.foreign) return { ...this.foreign, line: 1, ...base };
    if (!this.closing) {
      const cut = this.lastLineUnreadable ? "the last line is cut off" : "the closing line is missing";
      if (this.broken && this.broken.line < this.count) return { kind: "tampered", ...this.broken, ...base };
      return {
        kind: "truncated",
        line: this.count,
        words: `${cut}, after step ${this.numbers.last ?? "none"}`,
        ...base,
      };
    }
    if (this.outOfOrder) {
      const complete = this.numbers.areUpTo(this.closing.steps);
      const kind = complete ? "reordered" : "tampered";
      return {
        kind,
        line: this.outOfOrder.line,
        words: complete ? this.outOfOrder.words : `${this.outOfOrder.words}: lines were removed or repeated`,
        ...base,
      };
    }
    if (this.broken) return { kind: "tampered", ...this.broken, ...base };
    if (this.fileDigest !== this.closing.file) {
      const at = this.diverged;
      const words = at
        ? `the file's digest is wrong, and step ${at.step} is the first that does not fit`
        : "the file's digest is wrong: it was changed after it was written";
      return { kind: "tampered", line: at?.line ?? this.count, words, ...base };
    }
    return this.compareEnd(this.closing);
  }

  private compareEnd(closing: ClosingLine): Verdict {
    const base = this.base();
    const last = this.replayer?.situation;
    if (closing.steps !== base.steps)
      return {
        kind: "tampered",
        line: this.count,
        words: `the closing line speaks of ${closing.steps} steps, but there are ${base.steps}`,
        ...base,
      };
    const { diverged, notTaken } = this;
    if (diverged) {
      // A match that was not over has no result: only its data can be the same.
      const same =
        last !== undefined &&
        (closing.result === null ? this.endsAs(closing, last) : isSameResult(closing, last.outcome ?? null));
      const how = same && diverged.how === "changed" && notTaken === 0 ? "sameResult" : diverged.how;
      return { ...diverged, how, notTaken, ...base };
    }
    if (!last) return { kind: "tampered", line: this.count, words: "there is no step in it", ...base };
    const differences = endDifferences(this.runnable, last, closing);
    if (differences.length === 0) return { kind: "verified", ...base };
    return { ...this.otherEnd(differences), steps: base.steps, otherRules: base.otherRules };
  }

  /** A match whose steps go as they went, and that ends otherwise all the same. */
  private otherEnd(differences: readonly Difference[]): Diverged {
    const { last, header, runnable, playedOn } = this;
    const read = last && readLine(last.text);
    const line = read?.kind === "step" ? read.step : undefined;
    const replayed = { differences, earlier: [], rolls: "seed" } as const;
    const old = playedOn && { runnable: playedOn.runnable, before: last?.old };
    return {
      kind: "diverged",
      how: "changed",
      step: line?.step ?? 0,
      line: this.count - 1,
      input: line?.input ?? { kind: "begin" },
      differences,
      responsible: header && line ? responsibleFor(header, line, replayed, { runnable, before: last?.now }, old) : {},
      notTaken: this.notTaken,
      rolls: this.rolls,
    };
  }

  /** Whether a match ends in the data that its closing line tells of. */
  private endsAs(closing: ClosingLine, last: Situation): boolean {
    return last.step === closing.steps && situationDigest(this.runnable, last) === closing.digest;
  }
}

/** How the end of a match differs from what its closing line tells, with the paths `result` and `digest`. */
export function endDifferences(runnable: Runnable, last: Situation, closing: ClosingLine): Difference[] {
  const differences: Difference[] = [];
  const result = last.outcome ?? null;
  if (!isSameResult(closing, result))
    differences.push({ path: "result", recorded: closing.result as never, replayed: result as never });
  const digest = situationDigest(runnable, last);
  if (digest !== closing.digest) differences.push({ path: "digest", recorded: closing.digest, replayed: digest });
  return differences;
}

function isSameResult({ result }: ClosingLine, other: Outcome | null): boolean {
  return JSON.stringify(result) === JSON.stringify(other) || canonicalJson(result) === canonicalJson(other);
}

function howOf({ refused, differences }: Pick<ReplayedStep, "refused" | "differences">): HowDiverged {
  if (refused?.kind === "fault")
    return refused.code === "lawBroken" ? "law" : refused.code === "badRoll" ? "rolls" : "fault";
  if (refused) return "refused";
  return differences.some(({ path }) => path === "dice") ? "rolls" : "changed";
}
