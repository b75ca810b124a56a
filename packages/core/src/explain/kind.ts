/** A kind of message: its stable name and what its page tells. */

import type { Severity } from "../language/message.js";

export interface Kind {
  readonly name: string;
  readonly severity: Severity;
  /** What it says, in one line. */
  readonly title: string;
  /** Why it matters and what to do, in a few sentences. */
  readonly about: string;
  /** The smallest file that triggers it. */
  readonly triggers: string;
  /** The same file, fixed; it triggers no message at all. */
  readonly fixed: string;
}

/** Makes a kind; `fix` is what is replaced by what in the file that triggers it. */
export function kind(
  severity: Severity,
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind {
  let fixed = triggers;
  for (const [from, to] of fix) fixed = fixed.replace(from, () => to);
  return { name, severity, title, about, triggers, fixed };
}

export interface Frame {
  /** Declarations before the states. */
  readonly top?: string;
  /** Items of the state in which ann has the turn. */
  readonly turn?: string;
  /** States and more behind it. */
  readonly rest?: string;
  readonly seats?: string;
}

/** A small machine around a few lines: one state with a turn, one way home. */
export function frame({ top, turn, rest, seats = "ann" }: Frame): string {
  const several = seats.includes(",");
  return [
    "machine Kiosk",
    `seats ${seats}`,
    ...(top ? ["", top] : []),
    ...(several ? ["", "on Left(s) -> Home"] : []),
    "",
    "start Turn",
    "",
    "state Turn {",
    "  turn of ann",
    ...(turn ? turn.split("\n").map((line) => `  ${line}`) : []),
    "  action leave -> Home",
    "}",
    ...(rest ? ["", rest] : []),
    "",
    several ? "ending Home { draws all }" : "ending Home { wins ann }",
    "",
  ].join("\n");
}
