/**
 * Verifies a logbook: every step is played again and compared, the file's own digest is checked. A file
 * that was changed by hand is told apart from rules that have changed: rules leave the digest right.
 */

import { RunningDigest } from "../engine/values/hash.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { canonicalJson } from "./canonical.js";
import type { ClosingLine, Header, StepLine } from "./format.js";
import { type Difference, Replayer } from "./replay.js";
import { readHeader, readLine } from "./schema.js";
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
    if (this.closing) {
      this.broken ??= { line: this.count, words: "there is something after the closing line" };
      return;
    }
    if (this.count === 1) this.begin(text);
    else this.readLine(text);
    this.file.add(`${text}\n`);
  }

  private begin(text: string): void {
    const header = readHeader(text);
    if ("words" in header) this.foreign = { line: 1, words: header.words };
    else if (header.machine.name !== this.runnable.machine.name)
      this.foreign = {
        line: 1,
        words: `this is a match of ${header.machine.name}, not of ${this.runnable.machine.name}`,
      };
    else {
      this.header = header;
      this.replayer = new Replayer(this.runnable, header);
    }
  }

  private readLine(text: string): void {
    // Behind a line that cannot be read nothing is looked at any more.
    if (this.broken) return;
    const read = readLine(text);
    this.lastLineUnreadable = read.kind === "wrong";
    if (read.kind === "step") this.readStep(read.step);
    else if (read.kind === "wrong") this.broken ??= { line: this.count, words: read.words };
    else {
      this.closing = read.closing;
      this.fileDigest = this.file.hex();
    }
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
