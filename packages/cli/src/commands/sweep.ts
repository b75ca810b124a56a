/** `zany simulate --vary`: the same matches for each value of data, or each combination of several. */

import {
  BadSweep,
  gridOf,
  intervalOf,
  meanOf,
  plotsOfSweep,
  plotsSvg,
  sweepCsv,
  type SweepPoint,
  type Tally,
} from "@zany/core";
import { givenOptions, UsedWrongly, writeText } from "../files.js";
import { bar, pad, say, sayJson, sayText, style } from "../terminal.js";

interface SweepWish {
  readonly vary: readonly string[];
  readonly given: readonly string[];
  readonly csv?: boolean;
  readonly json?: boolean;
  readonly svg?: string;
}

/**
 * Plays the same matches for every value, or every combination of several: by the same seeds, so that what differs
 * comes of the values.
 */
export async function sweep(
  wish: SweepWish,
  play: (given: ReturnType<typeof givenOptions>) => Promise<Tally>,
): Promise<number> {
  const found: SweepPoint[] = [];
  for (const values of points(wish.vary)) {
    const given = givenOptions([...wish.given, ...Object.entries(values).map(([path, value]) => `${path}=${value}`)]);
    found.push({ values, tally: await play(given) });
  }
  if (wish.json) sayJson(found);
  else if (wish.csv) sayText(sweepCsv(found));
  else for (const each of found) tellPoint(each);
  if (wish.svg !== undefined) writeText(wish.svg, plotsSvg(wish.vary.join(", "), plotsOfSweep(found)));
  return 0;
}

function points(vary: readonly string[]): ReturnType<typeof gridOf> {
  try {
    return gridOf(vary);
  } catch (error) {
    if (error instanceof BadSweep) throw new UsedWrongly(error.message);
    throw error;
  }
}

function tellPoint({ values, tally }: SweepPoint): void {
  const point = Object.entries(values)
    .map(([path, value]) => `${path}=${value}`)
    .join(" ");
  const [seat, counts] = Object.entries(tally.results)[0] ?? ["", undefined];
  const { share, low, high } = intervalOf(counts?.win ?? 0, tally.matches);
  say(
    `${pad(point, 28)} ${seat} wins ${bar(share, 0, 1, 24)} ${(100 * share).toFixed(1)}%` +
      `  ${style("dim", `${(100 * low).toFixed(1)} to ${(100 * high).toFixed(1)}%`)} ` +
      ` ${meanOf(tally.lengths).mean.toFixed(1)} steps`,
  );
}
