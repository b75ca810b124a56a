/** `zany simulate --vary`: the same matches for each value of data, or each combination of several. */

import { intervalOf, plotsOfSweep, plotsSvg, sweepCsv, type SweepPoint, type Tally } from "@zany/core";
import { givenOptions, UsedWrongly, writeText } from "../files.js";
import { lengthsOf } from "../show-tally.js";
import { bar, pad, say, sayJson, sayText, style } from "../terminal.js";

interface SweepWish {
  readonly vary: readonly string[];
  readonly given: readonly string[];
  readonly csv?: boolean;
  readonly json?: boolean;
  readonly svg?: string;
}

/** The most points of a grid of values. */
const MOST_POINTS = 2_000;

/** A datum and the values it is given, one after the other. */
interface Varied {
  readonly path: string;
  readonly values: readonly string[];
}

/** `kites.north.pull=5..15`, `..15 by 2`, or `=3,5,8`. */
function variedFrom(text: string): Varied {
  const [, path = "", values = ""] = /^([^=]+)=(.+)$/.exec(text) ?? [];
  const [, low, high, by = "1"] = /^(-?\d+)\.\.(-?\d+)(?: by (\d+))?$/.exec(values) ?? [];
  if (path === "" || Number(by) < 1)
    throw new UsedWrongly(`"${text}" is not of the form path=5..15, path=5..15 by 2, or path=3,5,8.`);
  if (low === undefined || high === undefined) return { path, values: values.split(",") };
  if (Number(low) > Number(high)) throw new UsedWrongly(`"${text}" has no values: ${low} is more than ${high}.`);
  const list: string[] = [];
  for (let value = Number(low); value <= Number(high) && list.length <= MOST_POINTS; value += Number(by))
    list.push(String(value));
  return { path, values: list };
}

/**
 * Plays the same matches for every value, or every combination of several: by the same seeds, so that what differs
 * comes of the values.
 */
export async function sweep(
  wish: SweepWish,
  play: (given: ReturnType<typeof givenOptions>) => Promise<Tally>,
): Promise<number> {
  const varied = wish.vary.map(variedFrom);
  const points = varied.reduce<string[][]>(
    (all, { values }) => all.flatMap((point) => values.map((value) => [...point, value])),
    [[]],
  );
  if (points.length > MOST_POINTS)
    throw new UsedWrongly(`This is ${points.length} combinations; ${MOST_POINTS} are the most.`);
  const found: SweepPoint[] = [];
  for (const point of points) {
    const given = givenOptions([...wish.given, ...point.map((value, i) => `${varied[i]?.path}=${value}`)]);
    const values = Object.fromEntries(point.map((value, i) => [varied[i]?.path ?? "", value]));
    found.push({ values, tally: await play(given) });
  }
  if (wish.json) sayJson(found);
  else if (wish.csv) sayText(sweepCsv(found));
  else for (const each of found) tellPoint(each);
  if (wish.svg !== undefined)
    writeText(wish.svg, plotsSvg(varied.map(({ path }) => path).join(", "), plotsOfSweep(found)));
  return 0;
}

function tellPoint({ values, tally }: SweepPoint): void {
  const point = Object.entries(values)
    .map(([path, value]) => `${path}=${value}`)
    .join(" ");
  const [seat, counts] = Object.entries(tally.results)[0] ?? ["", undefined];
  const { share, low, high } = intervalOf(counts?.win ?? 0, tally.matches);
  say(
    `${pad(point, 28)} ${seat} wins ${bar(share, 0, 1, 24)} ${(100 * share).toFixed(1)}%` +
      `  ${style("dim", `${(100 * low).toFixed(1)} to ${(100 * high).toFixed(1)}%`)}  ${lengthsOf(tally).mean.toFixed(1)} steps`,
  );
}
