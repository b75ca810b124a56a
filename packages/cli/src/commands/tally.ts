/** `zany tally`: what simulations have counted, added up and compared. */

import { addTallies, compareTallies, type Tally } from "@zany/core";
import { needFolder, readText, UsedWrongly, writeText } from "../files.js";
import { pad, say, sayJson, style } from "../terminal.js";

/** `zany tally add FILE...`: the sum of what parts of a simulation have counted. */
export async function tallyAdd(files: readonly string[], { out }: { readonly out?: string }): Promise<number> {
  if (out !== undefined) needFolder(out);
  const sum = addTallies(files.map(tallyFile));
  if (out === undefined) sayJson(sum);
  else writeText(out, `${JSON.stringify(sum)}\n`);
  return 0;
}

/** Which of what two tallies count differs by more than chance would have it. */
export async function tallyCompare(
  first: string,
  second: string,
  { json }: { readonly json?: boolean },
): Promise<number> {
  const { shares, length } = compareTallies(tallyFile(first), tallyFile(second));
  if (json) {
    sayJson({ shares, length });
    return 0;
  }
  const width = Math.max(8, ...shares.map(({ name }) => name.length)) + 2;
  const said = (chance: number): string =>
    chance < SURE ? style("yellow", `differs (by chance ${shown(chance)})`) : style("dim", "may be chance");
  for (const { what, name, first: one, second: two, difference, chance } of shares)
    say(
      `${pad(what, 7)} ${pad(name, width)} ${pad(points(one.share), 6)} -> ${pad(points(two.share), 6)}  ` +
        `${signed(difference.share)} ` +
        `${style("dim", `${signed(difference.low)} to ${signed(difference.high)}`)}  ${said(chance)}`,
    );
  say(
    `${pad("length", 7)} ${pad("", width)} ${pad(length.first.toFixed(1), 6)} ` +
      `-> ${pad(length.second.toFixed(1), 6)}  ` +
      `${length.difference < 0 ? "" : "+"}${length.difference.toFixed(1)} steps  ${said(length.chance)}`,
  );
  return 0;
}

/** What is told as different would come of chance in fewer than 5 of 100 such comparisons. */
const SURE = 0.05;

function points(share: number): string {
  return `${(100 * share).toFixed(1)}%`;
}

function signed(share: number): string {
  return `${share < 0 ? "" : "+"}${(100 * share).toFixed(1)}`;
}

function shown(chance: number): string {
  return chance < 0.0001 ? "less than 0.01%" : `${(100 * chance).toFixed(2)}%`;
}

function tallyFile(file: string): Tally {
  try {
    const tally: unknown = JSON.parse(readText(file));
    if (isTally(tally)) return tally;
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
  }
  throw new UsedWrongly(`"${file}" is no tally, as zany simulate --json prints it.`);
}

/** Members that count by name, and those that do so for each seat; older versions have not all of them. */
const COUNTS = ["endings", "actions", "lengths", "turns", "times", "faults"] as const;
const BY_SEAT = ["results", "began", "scores", "values", "rolls"] as const;
const NEEDED: readonly (keyof Tally)[] = ["endings", "results", "began", "actions", "lengths"];

function isTally(read: unknown): read is Tally {
  const tally = read as Partial<Tally> | null;
  if (typeof tally !== "object" || tally === null || !isCount(tally.matches)) return false;
  return (
    NEEDED.every((name) => tally[name] !== undefined) &&
    COUNTS.every((name) => tally[name] === undefined || isMapOf(tally[name], isCount)) &&
    BY_SEAT.every((name) => tally[name] === undefined || isMapOf(tally[name], (counts) => isMapOf(counts, isCount)))
  );
}

function isCount(value: unknown): boolean {
  return Number.isSafeInteger(value) && (value as number) >= 0;
}

function isMapOf(value: unknown, is: (each: unknown) => boolean): boolean {
  return typeof value === "object" && value !== null && !Array.isArray(value) && Object.values(value).every(is);
}
