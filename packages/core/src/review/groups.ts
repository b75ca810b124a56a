/** Matches that diverge on a new version, put together by what is responsible: the largest group first. */

import type { Diverged, HowDiverged, Verdict } from "../logbook/verify.js";

/** A verdict with the name of what it is of. */
export interface NamedVerdict {
  readonly name: string;
  readonly verdict: Verdict;
  /** The names of the match's seats, which stand for each other in paths. */
  readonly seats?: readonly string[];
}

/** Matches that diverge in the same way, because of the same rule. */
export interface DivergedGroup {
  readonly how: Diverged["how"];
  /** The rule that is responsible; empty where nothing in the machine is. */
  readonly rule: string;
  /** The first thing that differs, with a star for seats and indices. */
  readonly path: string;
  /** Where the rule stands, of the example. */
  readonly source: string;
  readonly matches: readonly string[];
  /** The match of them that shows it soonest. */
  readonly example: { readonly name: string; readonly verdict: Diverged & Verdict };
}

/** The groups of all verdicts that say of a match that it diverges. */
export function groupsOf(verdicts: readonly NamedVerdict[]): DivergedGroup[] {
  const groups = new Map<string, { matches: string[]; example: DivergedGroup["example"]; path: string }>();
  for (const { name, verdict, seats } of verdicts) {
    if (verdict.kind !== "diverged") continue;
    const path = pathOf(verdict, seats ?? []);
    const key = `${verdict.how} ${verdict.responsible.rule ?? ""} ${path}`;
    const known = groups.get(key);
    const example = { name, verdict };
    if (!known) groups.set(key, { matches: [name], example, path });
    else {
      known.matches.push(name);
      if (verdict.step < known.example.verdict.step) known.example = example;
    }
  }
  return [...groups.values()]
    .map(({ matches, example, path }) => ({
      how: example.verdict.how,
      rule: example.verdict.responsible.rule ?? "",
      path,
      source: example.verdict.responsible.source ?? "",
      matches,
      example,
    }))
    .sort((a, b) => b.matches.length - a.matches.length);
}

/** The first thing that differs, data before all else, with `*` for seats and indices. */
function pathOf({ differences }: Diverged, seats: readonly string[]): string {
  const first = differences.find(({ path }) => path.startsWith("/")) ?? differences[0];
  if (!first) return "";
  return first.path
    .split("/")
    .map((part) => (/^\d+$/.test(part) || seats.includes(part) ? "*" : part))
    .join("/");
}

/** How matches diverge, in words for lists. */
export const HOW_DIVERGED: Readonly<Record<HowDiverged, string>> = {
  sameResult: "the same result another way",
  changed: "other data or states",
  refused: "an input is refused",
  accepted: "what was refused is not any more",
  rolls: "other rolls",
  fault: "a fault",
  law: "a law is broken",
};
