/** Reads a whole logbook into memory, for showing it. */

import { type ClosingLine, type Header, LOGBOOK_FORMAT, type StepLine } from "./format.js";
import { isHeader, isStepLine, otherFormat, splitLines } from "./verify.js";

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
  const [first, ...rest] = splitLines(text);
  const header = parse(first ?? "");
  if (header?.["zany"] === "logbook" && header["format"] !== LOGBOOK_FORMAT)
    throw new NotALogbook(`This cannot be read: ${otherFormat(header["format"])}.`);
  if (header?.["zany"] !== "logbook" || !isHeader(header))
    throw new NotALogbook("The first line is not the header of a Zany logbook.");
  const steps: StepLine[] = [];
  let closing: ClosingLine | undefined;
  for (const line of rest) {
    const value = parse(line);
    if (!value) break;
    if (value["end"] === true) closing = value as unknown as ClosingLine;
    else if (isStepLine(value)) steps.push(value);
    else break;
  }
  return { header, steps, ...(closing && { closing }) };
}

function parse(line: string): Record<string, unknown> | undefined {
  try {
    const value: unknown = JSON.parse(line);
    return value !== null && typeof value === "object" ? (value as Record<string, unknown>) : undefined;
  } catch {
    return undefined;
  }
}
