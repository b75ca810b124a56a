/** Reads a whole logbook into memory, for showing it. */

import type { ClosingLine, Header, StepLine } from "./format.js";
import { readHeader, readLine } from "./schema.js";
import { splitLines } from "./verify.js";

export interface Logbook {
  readonly header: Header;
  readonly steps: readonly StepLine[];
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
  for (const line of rest) {
    const read = readLine(line);
    if (read.kind === "closing") return { header, steps, closing: read.closing };
    if (read.kind === "wrong") break;
    steps.push(read.step);
  }
  return { header, steps };
}
