/**
 * Verifies a logbook: every step is played again and compared, the file's own digest is checked. A file
 * that was changed by hand is told apart from rules that have changed: rules leave the digest right.
 */

import { RunningDigest } from "../engine/values/hash.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { canonicalJson } from "./canonical.js";
import {
  type ClosingLine,
  type Header,
  LAST_READERS,
  type LineInput,
  LOGBOOK_FORMAT,
  type StepLine,
} from "./format.js";
import { type Difference, Replayer } from "./replay.js";
import { situationDigest } from "./write.js";

/** What verifying came to. */
export type Verdict = { readonly steps: number; readonly otherRules: boolean } & (
  | { readonly kind: "verified" }
  /** The file is whole, but the machine goes another way: the rules differ. */
  | {
      readonly kind: "diverged";
      readonly step: number;
      readonly line: number;
      readonly input: StepLine["input"];
      readonly differences: readonly Difference[];
    }
  /** The file is not as it was written. */
  | { readonly kind: "tampered" | "truncated" | "reordered" | "foreign"; readonly line: number; readonly words: string }
);

/**
 * Verifies the lines of a logbook, in order and one at a time, against a machine.
 *
 * @param lines the file's lines without their line ends
 */
export async function verify(runnable: Runnable, lines: AsyncIterable<string> | Iterable<string>): Promise<Verdict> {
  const verifier = new Verifier(runnable);
  for await (const line of lines) verifier.line(line);
  return verifier.verdict();
}

/** The same for a text that is in memory. */
export function verifyText(runnable: Runnable, text: string): Verdict {
  const verifier = new Verifier(runnable);
  for (const line of splitLines(text)) verifier.line(line);
  return verifier.verdict();
}

/** The lines of a text; a line end at its very end begins no further line. */
export function splitLines(text: string): string[] {
  const lines = text.split("\n");
  if (lines.at(-1) === "") lines.pop();
  return lines;
}

class Verifier {
  private readonly file = new RunningDigest();
  private header: Header | undefined;
  private replayer: Replayer | undefined;
  private closing: ClosingLine | undefined;
  private foreign: { line: number; words: string } | undefined;
  private broken: { line: number; words: string } | undefined;
  private diverged: (Verdict & { kind: "diverged" }) | undefined;
  private readonly numbers: number[] = [];
  private outOfOrder: { line: number; words: string } | undefined;
  private count = 0;
  private fileDigest = "";
  private lastLineUnreadable = false;

  constructor(private readonly runnable: Runnable) {}

  line(text: string): void {
    this.count++;
    if (this.foreign) return;
    const value = parseObject(text);
    this.lastLineUnreadable = value === undefined;
    if (this.closing) {
      this.broken ??= { line: this.count, words: "there is something after the closing line" };
      return;
    }
    if (this.count === 1) {
      this.readHeader(value);
    } else if (value === undefined) {
      this.broken ??= { line: this.count, words: "this line is not JSON" };
    } else if (value["end"] === true) {
      this.closing = value as unknown as ClosingLine;
      this.fileDigest = this.file.hex();
    } else if (isStepLine(value)) {
      this.readStep(value);
    } else {
      this.broken ??= { line: this.count, words: "this line is neither a step nor the closing line" };
    }
    this.file.add(`${text}\n`);
  }

  private readHeader(value: Record<string, unknown> | undefined): void {
    const words = foreignHeader(value, this.runnable);
    if (words) {
      this.foreign = { line: 1, words };
      return;
    }
    this.header = value as unknown as Header;
    this.replayer = new Replayer(this.runnable, this.header);
  }

  private readStep(line: StepLine): void {
    const expected = this.numbers.length;
    this.numbers.push(line.step);
    if (line.step !== expected)
      this.outOfOrder ??= { line: this.count, words: `step ${line.step} stands where step ${expected} belongs` };
    if (this.outOfOrder || this.diverged || this.broken) return;
    const { differences } = (this.replayer as Replayer).next(line);
    if (differences.length > 0)
      this.diverged = {
        kind: "diverged",
        step: line.step,
        line: this.count,
        input: line.input,
        differences,
        ...this.base(),
      };
  }

  private base(): { steps: number; otherRules: boolean } {
    return {
      steps: Math.max(0, this.numbers.length - 1),
      otherRules: this.header !== undefined && this.header.machine.rules !== this.runnable.rules,
    };
  }

  verdict(): Verdict {
    const base = this.base();
    if (this.count === 0) return { kind: "foreign", line: 1, words: "the file is empty", ...base };
    if (this.foreign) return { kind: "foreign", ...this.foreign, ...base };
    if (!this.closing) {
      const cut = this.lastLineUnreadable ? "the last line is cut off" : "the closing line is missing";
      if (this.broken && this.broken.line < this.count) return { kind: "tampered", ...this.broken, ...base };
      return {
        kind: "truncated",
        line: this.count,
        words: `${cut}, after step ${this.numbers.at(-1) ?? "none"}`,
        ...base,
      };
    }
    if (this.outOfOrder) {
      const complete =
        [...this.numbers].sort((a, b) => a - b).every((n, i) => n === i) &&
        this.numbers.length === this.closing.steps + 1;
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
    return this.diverged ?? this.compareEnd(this.closing) ?? { kind: "verified", ...base };
  }

  private compareEnd(closing: ClosingLine): Verdict | undefined {
    const base = this.base();
    const last = this.replayer?.situation;
    if (!last || closing.steps !== base.steps)
      return {
        kind: "tampered",
        line: this.count,
        words: `the closing line speaks of ${closing.steps} steps, but there are ${base.steps}`,
        ...base,
      };
    const differences: Difference[] = [];
    if (canonicalJson(closing.result) !== canonicalJson(last.outcome))
      differences.push({ path: "result", recorded: closing.result as never, replayed: last.outcome as never });
    const digest = situationDigest(this.runnable, last);
    if (digest !== closing.digest) differences.push({ path: "digest", recorded: closing.digest, replayed: digest });
    return differences.length > 0
      ? { kind: "diverged", step: last.step, line: this.count, input: { kind: "begin" }, differences, ...base }
      : undefined;
  }
}

function parseObject(text: string): Record<string, unknown> | undefined {
  try {
    const value: unknown = JSON.parse(text);
    return isObject(value) ? value : undefined;
  } catch {
    return undefined;
  }
}

/** Why a first line is not the header of a logbook of this machine; undefined when it is. */
function foreignHeader(value: Record<string, unknown> | undefined, runnable: Runnable): string | undefined {
  if (value?.["zany"] !== "logbook") return "this is not a Zany logbook";
  if (value["format"] !== LOGBOOK_FORMAT) return otherFormat(value["format"]);
  if (value["seed"] === undefined && isHeader({ ...value, seed: "" }))
    return "it has no seed: it was taken for a seat or a watcher while the match went on; take it again at the end";
  if (!isHeader(value)) return "the header is incomplete";
  if (value.machine.name !== runnable.machine.name)
    return `this is a match of ${value.machine.name}, not of ${runnable.machine.name}`;
  return undefined;
}

/** What is said of a logbook in another format. */
export function otherFormat(format: unknown): string {
  const here = `this logbook has format ${String(format)}, and this version reads format ${LOGBOOK_FORMAT}`;
  const reader = typeof format === "number" ? LAST_READERS[format] : undefined;
  return reader === undefined ? here : `${here}; the last version that reads it is ${reader}`;
}

/** True for an object with everything a header must have. */
export function isHeader(value: Record<string, unknown>): value is Record<string, unknown> & Header {
  const machine = value["machine"] as Partial<Header["machine"]> | null | undefined;
  const given = value["given"] as Header["given"] | null;
  return (
    typeof machine?.name === "string" &&
    typeof machine.hash === "string" &&
    typeof machine.rules === "string" &&
    typeof value["seed"] === "string" &&
    typeof value["begun"] === "string" &&
    !Number.isNaN(Date.parse(value["begun"])) &&
    Array.isArray(value["seats"]) &&
    (given === undefined || (given !== null && typeof given === "object" && Array.isArray(given.data ?? [])))
  );
}

/** True for an object with everything a step must have, each of its kind. */
export function isStepLine(value: Record<string, unknown>): value is Record<string, unknown> & StepLine {
  const { step, time, input, dice, states, notes, changes } = value;
  return (
    Number.isInteger(step) &&
    typeof time === "string" &&
    !Number.isNaN(Date.parse(time)) &&
    isInput(input, step === 0) &&
    Array.isArray(dice) &&
    dice.every(isObject) &&
    Array.isArray(states) &&
    Array.isArray(notes) &&
    Array.isArray(changes) &&
    changes.every((change) => isObject(change) && typeof change["path"] === "string")
  );
}

/** The members that each kind of input must have, all of them texts. */
const INPUTS: Readonly<Record<Exclude<LineInput["kind"], "begin">, readonly string[]>> = {
  action: ["seat", "action"],
  event: ["event"],
  join: ["seat"],
  leave: ["seat"],
  timer: ["timer"],
};

function isInput(value: unknown, first: boolean): boolean {
  if (!isObject(value)) return false;
  const { kind, args, dice } = value;
  if (first || kind === "begin") return first && kind === "begin";
  return (
    typeof kind === "string" &&
    Object.hasOwn(INPUTS, kind) &&
    INPUTS[kind as keyof typeof INPUTS].every((member) => typeof value[member] === "string") &&
    (args === undefined || isObject(args)) &&
    (dice === undefined || Array.isArray(dice))
  );
}

function isObject(value: unknown): value is Record<string, unknown> {
  return value !== null && typeof value === "object" && !Array.isArray(value);
}
