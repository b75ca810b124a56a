/** Coverage as people and other tools read it: sums, the text with counts in its margin, and LCOV for CI. */

import type { Covered } from "./coverage.js";
import type { Missed } from "../formats/picture.js";
import { COVERED, type CoveredKind } from "./items.js";
import type { Sources } from "../language/source.js";

export interface CoverageSum {
  readonly kind: CoveredKind;
  readonly covered: number;
  readonly all: number;
}

/** How many of each kind were covered; kinds of which there are none are left out. */
export function sumsOf(items: readonly Covered[]): readonly CoverageSum[] {
  return COVERED.flatMap((kind) => {
    const own = items.filter(({ item }) => item.kind === kind);
    return own.length === 0 ? [] : [{ kind, covered: own.filter(({ count }) => count > 0).length, all: own.length }];
  });
}

/** What of a machine's diagram was not covered: states, endings and arrows. */
export function missedIn(items: readonly Covered[]): Missed {
  const covered = new Set(
    items.flatMap(({ item: { from, to, way }, count }) => (count > 0 ? [`${from} ${to} ${way ?? ""}`] : [])),
  );
  return {
    nodes: new Set(
      items.flatMap(({ item: { kind, name }, count }) =>
        count === 0 && (kind === "state" || kind === "ending") ? [name] : [],
      ),
    ),
    isCovered: (way) => way.every(({ from, to, way: came }) => covered.has(`${from} ${to} ${came ?? ""}`)),
  };
}

/** What was covered of a line: how often what begins there, and what of it never was. */
export interface CoveredLine {
  readonly count: number;
  readonly missed: readonly Covered[];
}

/** The lines of a file on which something begins that can be covered, by number from 1. */
export function coveredLines(
  sources: Sources,
  items: readonly Covered[],
  file: string,
): ReadonlyMap<number, CoveredLine> {
  const lines = new Map<number, CoveredLine>();
  for (const one of items) {
    const place = sources.place(one.item.from);
    if (place.file !== file) continue;
    const { count, missed } = lines.get(place.line) ?? { count: 0, missed: [] };
    lines.set(place.line, {
      count: Math.max(count, one.count),
      missed: one.count > 0 ? missed : [...missed, one],
    });
  }
  return lines;
}

/** The machine's texts with counts in the margin; `!` where something was never covered. */
export function marginText(sources: Sources, items: readonly Covered[]): string {
  return sources.files
    .map(({ name, text }) => {
      const lines = coveredLines(sources, items, name);
      const width = Math.max(1, ...[...lines.values()].map(({ count }) => String(count).length));
      const body = text.split("\n").map((line, i) => {
        const covered = lines.get(i + 1);
        const count = covered ? String(covered.count) : "";
        const mark = covered && covered.missed.length > 0 ? "!" : " ";
        return `${count.padStart(width)} ${mark} ${line}`.trimEnd();
      });
      return sources.files.length > 1 ? `${name}\n${body.join("\n")}` : body.join("\n");
    })
    .join("\n");
}

/**
 * An LCOV tracefile: lines, branches (each condition has two, by its line) and actions as functions.
 *
 * @param path gives the path of a file as it stands in the report
 */
export function lcovOf(sources: Sources, items: readonly Covered[], path: (file: string) => string): string {
  const out: string[] = [];
  for (const { name } of sources.files) {
    const own = items.filter(({ item }) => sources.place(item.from).file === name);
    const line = ({ item }: Covered): number => sources.place(item.from).line;
    const functions = own.filter(({ item }) => item.kind === "action");
    const branches = own.filter(({ item }) => item.way !== undefined);
    const lines = [...coveredLines(sources, items, name)].sort(([a], [b]) => a - b);
    out.push("TN:", `SF:${path(name)}`);
    for (const one of functions) out.push(`FN:${line(one)},${one.item.name}`);
    for (const one of functions) out.push(`FNDA:${one.count},${one.item.name}`);
    out.push(`FNF:${functions.length}`, `FNH:${functions.filter(({ count }) => count > 0).length}`);
    const blocks = new Map<number, number>();
    for (const one of branches) {
      const block = blocks.get(one.item.from) ?? blocks.size;
      blocks.set(one.item.from, block);
      out.push(`BRDA:${line(one)},${block},${one.item.way ? 0 : 1},${one.count === 0 ? "-" : one.count}`);
    }
    out.push(`BRF:${branches.length}`, `BRH:${branches.filter(({ count }) => count > 0).length}`);
    for (const [number, { count }] of lines) out.push(`DA:${number},${count}`);
    out.push(`LF:${lines.length}`, `LH:${lines.filter(([, { count }]) => count > 0).length}`, "end_of_record");
  }
  return `${out.join("\n")}\n`;
}
