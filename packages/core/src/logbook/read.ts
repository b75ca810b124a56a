/** Reads a whole logbook into memory, for showing it. */

import type { ClosingLine, Header, RefusedLine, StepLine } from "./format.js";
import { readHeader, readLine } from "./schema.js";
import { splitLines } from "./verify.js";

export interface Logbook {
  readonly header: Header;
  readonly steps: readonly StepLine[];
  /** What was asked for and refused, where that was written down. */
  readonly refused: readonly RefusedLine[];
  readonly closing?: ClosingLine;
}

/** Says why a text is not a logbook. */
export class NotALogbook extends Error {}

/**
 * Takes a logbook apart without replaying it. Lines after one that cannot be read are left out;
 * `verify` says what is wrong with them.
 *
 * @throws NotALogbook when even the header cannot be read
 */
export function readLogbook(text: string): Logbook {
  const [first = "", ...rest] = splitLines(text);
  const header = readHeader(first);
  if ("words" in header) throw new NotALogbook(`This cannot be read: ${header.words}.`);
  const steps: StepLine[] = [];
  const refused: RefusedLine[] = [];
  for (const line of rest) {
    const read = readLine(line);
    if (read.kind === "closing") return { header, steps, refused, closing: read.closing };
    if (read.kind === "wrong") break;
    if (read.kind === "refused") refused.push(read.refused);
    else steps.push(read.step);
  }
  return { header, steps, refused };
}
