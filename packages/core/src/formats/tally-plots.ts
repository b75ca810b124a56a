/** What simulations have counted, as plots: of one, and of a sweep over the values of data. */

import { csvFormatRows } from "d3-dsv";
import { histogramOf, intervalOf, meanOf, type Tally } from "../search/tally.js";
import type { Plot, PlotPoint, PlotSeries } from "./plot.js";

/** So many bars or lines can be told apart. */
const MOST_BARS = 40;
const MOST_LINES = 6;
const SECOND = 1_000;
/** 95 of 100 means lie within so many standard errors. */
const Z = 1.96;

/** Who wins, how long matches take, what scores were made, what was asked for. */
export function plotsOfTally(tally: Tally): Plot[] {
  // A tally of an older version has no turns or times.
  const { matches, results, endings, lengths, turns = {}, times = {}, scores } = tally;
  const wins = Object.entries(results).map(([seat, { win }]) => [seat, win] as const);
  return [
    ...(wins.length > 0 ? [sharesPlot("Wins", "seat", wins, matches)] : []),
    sharesPlot("Endings", "ending", Object.entries(endings), matches),
    histogramPlot("Length", "steps", lengths, matches),
    ...(isCounted(turns) ? [histogramPlot("Turns", "turns", turns, matches)] : []),
    ...(isCounted(times) ? [timePlot(times, matches)] : []),
    ...Object.entries(scores).map(([seat, counts]) => histogramPlot(`Score of ${seat}`, "score", counts, matches)),
    ...measuredPlots(tally),
  ];
}

/** Whether anything but nothing at all was counted. */
function isCounted(counts: Readonly<Record<number, number>>): boolean {
  return Object.keys(counts).some((value) => value !== "0");
}

/** How long matches took by their own clocks, in whole seconds. */
function timePlot(times: Tally["times"], matches: number): Plot {
  const seconds: Record<number, number> = {};
  for (const [time, count] of Object.entries(times)) {
    const whole = Math.floor(Number(time) / SECOND);
    seconds[whole] = (seconds[whole] ?? 0) + count;
  }
  return histogramPlot("Match time", "seconds", seconds, matches);
}

/** What was asked for beside: its values at the end, and the mean by step. */
export function measuredPlots({ matches, values, courses }: Tally): Plot[] {
  return [
    ...Object.entries(values).map(([words, counts]) =>
      Object.keys(counts).every((value) => Number.isFinite(Number(value)))
        ? histogramPlot(`${words} at the end`, words, counts, matches)
        : sharesPlot(`${words} at the end`, words, Object.entries(counts).slice(0, MOST_BARS), matches),
    ),
    ...Object.entries(courses).map(([words, course]): Plot => {
      const points = Object.entries(course).map(([step, { count, sum }]) => ({ x: Number(step), y: sum / count }));
      const up = "mean of the matches that come so far";
      return { title: words, across: "step", up, kind: "lines", series: [{ name: "mean", points }] };
    }),
  ];
}

function sharesPlot(
  title: string,
  across: string,
  counts: readonly (readonly [string, number])[],
  matches: number,
): Plot {
  const points = counts.map(([, count], x) => share(x, count, matches));
  const names = counts.map(([name]) => name);
  return {
    title,
    across,
    up: "share of matches",
    kind: "bars",
    percent: true,
    names,
    series: [{ name: title, points }],
  };
}

function histogramPlot(title: string, across: string, counts: Readonly<Record<number, number>>, matches: number): Plot {
  const { low, width, columns } = histogramOf(counts, MOST_BARS);
  const points = columns.map((count, i) => ({ x: low + i * width + (width - 1) / 2, y: count / matches }));
  const up = width === 1 ? "share of matches" : `share of matches, ${width} to a bar`;
  return { title, across, up, kind: "bars", percent: true, series: [{ name: title, points }] };
}

function share(x: number, count: number, all: number): PlotPoint {
  const { share: y, low, high } = intervalOf(count, all);
  return { x, y, low, high };
}

/** A point of a sweep: what was set to what, and what was counted. */
export interface SweepPoint {
  readonly values: Readonly<Record<string, string>>;
  readonly tally: Tally;
}

/**
 * Win shares, length and use of actions over the values of the first datum that is varied; a line for each combination
 * of the others.
 */
export function plotsOfSweep(sweep: readonly SweepPoint[]): Plot[] {
  const [across = ""] = Object.keys(sweep[0]?.values ?? {});
  const written = [...new Set(sweep.map(({ values }) => values[across] ?? ""))];
  const isNumeric = written.every((value) => value.trim() !== "" && Number.isFinite(Number(value)));
  const at = ({ values }: SweepPoint): number =>
    isNumeric ? Number(values[across]) : written.indexOf(values[across] ?? "");
  const rest = ({ values }: SweepPoint): string =>
    Object.entries(values)
      .flatMap(([path, value]) => (path === across ? [] : [`${path}=${value}`]))
      .join(" ");
  const groups = [...new Set(sweep.map(rest))];
  const plot = (title: string, up: string, percent: boolean, series: readonly PlotSeries[]): Plot => ({
    ...{ title, across, up, kind: "lines", percent, series: series.slice(0, MOST_LINES) },
    ...(!isNumeric && { names: written }),
  });
  const over = (
    name: string,
    points: readonly SweepPoint[],
    point: (tally: Tally, x: number) => PlotPoint,
  ): PlotSeries => ({
    name,
    points: points.map((one) => point(one.tally, at(one))).sort((a, b) => a.x - b.x),
  });
  const byGroup = (point: (tally: Tally, x: number) => PlotPoint): PlotSeries[] =>
    groups.map((group) =>
      over(
        group || "all",
        sweep.filter((one) => rest(one) === group),
        point,
      ),
    );
  const seats = [...new Set(sweep.flatMap(({ tally }) => Object.keys(tally.results)))];
  const wins =
    (seat: string) =>
    (tally: Tally, x: number): PlotPoint =>
      share(x, tally.results[seat]?.win ?? 0, tally.matches);
  const alone = groups.length === 1;
  return [
    ...(alone
      ? [
          plot(
            "Wins",
            "share of matches",
            true,
            seats.map((seat) => over(seat, sweep, wins(seat))),
          ),
        ]
      : seats.map((seat) => plot(`Wins of ${seat}`, "share of matches", true, byGroup(wins(seat))))),
    plot("Length", "steps on average", false, byGroup(meanLength)),
    ...(alone ? [plot("Actions", "share of all that are taken", true, uses(sweep, over))] : []),
  ];
}

function meanLength({ lengths, matches }: Tally, x: number): PlotPoint {
  const { mean, spread } = meanOf(lengths);
  const error = (Z * spread) / Math.sqrt(Math.max(1, matches));
  return { x, y: mean, low: mean - error, high: mean + error };
}

/** The actions that are used most. */
function uses(
  sweep: readonly SweepPoint[],
  over: (name: string, points: readonly SweepPoint[], point: (tally: Tally, x: number) => PlotPoint) => PlotSeries,
): PlotSeries[] {
  const all = new Map<string, number>();
  for (const { tally } of sweep)
    for (const [action, n] of Object.entries(tally.actions)) all.set(action, (all.get(action) ?? 0) + n);
  return [...all]
    .sort((a, b) => b[1] - a[1])
    .slice(0, MOST_LINES)
    .map(([action]) =>
      over(action, sweep, ({ actions }, x) =>
        share(
          x,
          actions[action] ?? 0,
          Object.values(actions).reduce((a, b) => a + b, 0),
        ),
      ),
    );
}

/** A sweep as comma-separated values: shares with the intervals around them, mean length, use of actions. */
export function sweepCsv(sweep: readonly SweepPoint[]): string {
  const paths = Object.keys(sweep[0]?.values ?? {});
  const seats = [...new Set(sweep.flatMap(({ tally }) => Object.keys(tally.results)))];
  const actions = [...new Set(sweep.flatMap(({ tally }) => Object.keys(tally.actions)))].sort();
  const heads = [...seats.map((seat) => `${seat} win`), ...actions].flatMap((name) => [
    name,
    `${name} low`,
    `${name} high`,
  ]);
  const rows = sweep.map(({ values, tally }) => {
    const taken = Object.values(tally.actions).reduce((a, b) => a + b, 0);
    const shares = [
      ...seats.map((seat) => intervalOf(tally.results[seat]?.win ?? 0, tally.matches)),
      ...actions.map((action) => intervalOf(tally.actions[action] ?? 0, taken)),
    ];
    const numbers = shares.flatMap(({ share, low, high }) => [share, low, high].map((n) => n.toFixed(6)));
    return [
      ...paths.map((path) => values[path] ?? ""),
      tally.matches,
      meanOf(tally.lengths).mean.toFixed(3),
      ...numbers,
    ];
  });
  return csvFormatRows([[...paths, "matches", "mean length", ...heads], ...rows.map((row) => row.map(String))]).concat(
    "\n",
  );
}
