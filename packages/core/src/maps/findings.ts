/** What a machine does not explain of a log: the furthest that was come, and why it goes no further. */

import type { Sources } from "../language/source.js";
import { Fault } from "../engine/values/fault.js";
import { type Json, WrongValue } from "../engine/values/json.js";
import type { LogRow } from "./rows.js";
import { Untold } from "./told.js";
import type { Reason } from "./why.js";

/** What a row comes to that the machine does not explain. */
export interface Finding {
  /** The number of the row in the log, from 1, and the line on which it stands. */
  readonly row: number;
  readonly line: number;
  /** The row as it is written. */
  readonly text: string;
  /** Which element of the row's lists, such as `.turns[3].moves[0]`, where it comes to several moves. */
  readonly inside?: string;
  /** What it means by the mapping, such as `olle throw(herring)`. */
  readonly did: string;
  readonly kind: FindingKind;
  readonly words: string;
  /** What the game says and what the machine says, where they differ in a value. */
  readonly told?: Json;
  readonly comes?: Json;
  /**
   * Where in the mapping it is asked, and where in the machine it comes from; `line:column`, of included files with
   * their name.
   */
  readonly mapped?: string;
  readonly source?: string;
  /** Why the machine comes to that, a line each. */
  readonly why: readonly string[];
}

/**
 * `told`: something told is otherwise; `refused`: the machine does not let it happen; `accepted`: the game refused what
 * the machine lets happen; `dice`: rolls do not fit; `time`: not at that time; `fault`: the machine is at fault; `row`:
 * no line of the mapping is about this row, or it says that there must be none; `map`: the row does not hold what the
 * mapping says it does.
 */
export type FindingKind = "told" | "refused" | "accepted" | "dice" | "time" | "fault" | "row" | "map";

/** Why one way failed, and how far it had come. */
export interface Failure
  extends Omit<Finding, "row" | "line" | "text" | "inside" | "did" | "why" | "mapped" | "source"> {
  readonly depth: number;
  readonly did?: string;
  readonly at?: { readonly from: number };
  readonly position?: number;
  readonly why?: () => Reason;
  readonly row?: LogRow;
  /** Something is rolled that no row up to here tells. */
  readonly untold?: boolean;
  readonly inside?: string;
}

/** Keeps why a row is not explained: of several ways the one that came furthest. */
export class Findings {
  /** What is reported: the first of the match. */
  reported: Finding | undefined;
  /** Why the row at hand is not explained. */
  failure: Failure | undefined;
  /** Which element of the row's lists is taken now. */
  inside: string | undefined;

  constructor(private readonly sources: Sources) {}

  /** Something in a row that the mapping does not fit, or that cannot be worked out. */
  wrong(error: unknown, depth: number, at: { readonly from: number }, row?: LogRow): void {
    const where = error instanceof Untold ? (error.row ?? row) : row;
    if (error instanceof Untold || error instanceof WrongValue)
      this.fail({ kind: "map", words: sentence(error.message), depth, at, ...(where && { row: where }) });
    else if (error instanceof Fault)
      this.fail({
        kind: "told",
        words: `What is told cannot be worked out: ${error.message}`,
        depth,
        at,
        ...(row && { row }),
      });
    else throw error;
  }

  /** Keeps the failure of the way that came furthest: of several that came as far, the first. */
  fail(failure: Failure): void {
    if (this.failure && failure.depth <= this.failure.depth) return;
    this.failure = { ...failure, ...(this.inside !== undefined && { inside: this.inside }) };
  }

  report(row: LogRow, failure: Failure): void {
    const { kind, words, told, comes, at, position, did, why, row: later, inside } = failure;
    const where = later ?? row;
    const reason = why?.();
    const from = position ?? reason?.position ?? 0;
    const place = (from: number): string => {
      const { file, line, column } = this.sources.place(from);
      return `${file}:${line}:${column}`;
    };
    this.reported = {
      row: where.number,
      line: where.line,
      text: where.text,
      ...(inside !== undefined && where === row && { inside }),
      did: did ?? "",
      kind,
      words,
      ...(told !== undefined && { told }),
      ...(comes !== undefined && { comes }),
      ...(at && { mapped: place(at.from) }),
      ...(from > 0 && { source: place(from) }),
      why: reason?.lines ?? [],
    };
  }
}

export function sentence(words: string): string {
  return /[.!?]$/.test(words) ? words : `${words}.`;
}
