/** The story of a match in chapters: who acted, under the round it was in. */

import type { StepLine } from "../logbook/format.js";

/** Steps one after the other of the same seat, or of nobody. */
export interface Chapter {
  /** `round 3`, when another one began with it. */
  readonly round?: string;
  /** The seat that acted; `the beginning`, `the game` or `time` where no seat did. */
  readonly by: string;
  readonly lines: readonly StepLine[];
}

/** Public numbers with these names count what games are counted in. */
const COUNTERS = /^\/data\/(round|turn|lap|day|wave|heat|hand|bout)s?$/;

/**
 * A step that counts a round on ends the chapter it is in: what comes next is in the new round.
 *
 * @param lines of one match, in order
 */
export function chaptersOf(lines: readonly StepLine[]): readonly Chapter[] {
  const chapters: { readonly round?: string; readonly by: string; readonly lines: StepLine[] }[] = [];
  let next: string | undefined;
  for (const line of lines) {
    const by = actorOf(line);
    const last = chapters.at(-1);
    if (last && last.by === by && next === undefined) last.lines.push(line);
    else chapters.push({ ...(next !== undefined && { round: next }), by, lines: [line] });
    next = roundOf(line);
  }
  return chapters;
}

function actorOf({ input }: StepLine): string {
  switch (input.kind) {
    case "begin":
      return "the beginning";
    case "event":
      return "the game";
    case "timer":
      return "time";
    default:
      return input.seat ?? "nobody";
  }
}

function roundOf({ changes }: StepLine): string | undefined {
  for (const { path, value } of changes) {
    const [, name] = COUNTERS.exec(path) ?? [];
    if (name !== undefined && typeof value === "number") return `${name} ${value}`;
  }
  return undefined;
}
