/** Plots of numbers: lines with the intervals around them, or bars. Drawn as shapes, with scales and lines of d3. */

import { scaleLinear } from "d3-scale";
import { area, curveLinear, curveStepAfter, line } from "d3-shape";
import { type Palette, PAPER, type Shape, svgFile } from "./svg.js";

export interface PlotPoint {
  readonly x: number;
  readonly y: number;
  /** Between what `y` is. */
  readonly low?: number;
  readonly high?: number;
}

export interface PlotSeries {
  readonly name: string;
  readonly points: readonly PlotPoint[];
}

export interface Plot {
  readonly title: string;
  /** What stands below and beside it. */
  readonly across: string;
  readonly up: string;
  /** Bars stand for one series; each is as wide as the points are apart. */
  readonly kind: "lines" | "bars";
  /** Shares, told as percentages. */
  readonly percent?: boolean;
  /** A value holds until the next: drawn in steps. */
  readonly stepped?: boolean;
  /** A line stands here, across all. */
  readonly at?: number;
  /** Names for the points from 0 on, where they are no numbers. */
  readonly names?: readonly string[];
  readonly series: readonly PlotSeries[];
}

/** The size of a plot, when nothing is said, and of what stands around it; on the right names of several lines. */
const PLOT = { width: 720, height: 240 };
const AROUND = { left: 62, right: 20, names: 150, top: 30, bottom: 42 };
const TICKS = { across: 8, up: 5 };
/** A line of writing, and how many signs of a name are shown. */
const LINE = 16;
const LONGEST_NAME = 20;
/** How much of its place a bar takes: of numbers, and of names. */
const WIDE = 0.9;
const NARROW = 0.5;

interface PlotSize {
  readonly width: number;
  readonly height: number;
  /** Where it begins, from above. */
  readonly top?: number;
}

/** One plot. */
export function plotShapes(
  { title, across, up, kind, percent, stepped = false, at, names, series }: Plot,
  palette: Palette,
  { width, height, top = 0 }: PlotSize,
): Shape[] {
  const legend = series.length > 1;
  const inner = { right: width - (legend ? AROUND.names : AROUND.right), bottom: top + height - AROUND.bottom };
  const points = series.flatMap((one) => one.points);
  const xs = points.map(({ x }) => x);
  const half = kind === "bars" ? widthOf(xs) / 2 : 0;
  const x = scaleLinear().domain(ends(xs, half)).range([AROUND.left, inner.right]);
  const highest = points.map(({ y, high }) => high ?? y);
  const lowest = points.map(({ y, low }) => low ?? y);
  const y = scaleLinear()
    .domain([Math.min(0, ...lowest), Math.max(...highest, percent ? 0.01 : 1)])
    .nice(TICKS.up)
    .range([inner.bottom, top + AROUND.top]);
  const word = (value: number): string => (percent ? `${Number((100 * value).toFixed(2))}%` : String(value));
  const grid = y.ticks(TICKS.up).flatMap((tick): Shape[] => [
    {
      element: "path",
      attributes: { d: `M${AROUND.left} ${y(tick)}H${inner.right}`, stroke: palette.sunken, fill: "none" },
    },
    text(word(tick), AROUND.left - 8, y(tick) + 4, palette.soft, "end"),
  ]);
  const below = (names ? names.map((_, i) => i) : x.ticks(TICKS.across).filter(Number.isInteger)).map((tick) =>
    text(names?.[tick] ?? String(tick), x(tick), inner.bottom + LINE, palette.soft, "middle"),
  );
  const colours = [palette.sea, palette.sail, palette.good, palette.bad, palette.ink, palette.soft];
  const drawn = series.flatMap((one, i) => {
    const colour = colours[i % colours.length] as string;
    const shapes =
      kind === "bars"
        ? bars(one, { colour, mark: palette.sail, wide: names ? NARROW : WIDE }, x, y, half)
        : lines(one, colour, stepped, x, y);
    return legend
      ? [...shapes, ...named(one.name, colour, inner.right + 14, top + AROUND.top + LINE * i + 8, palette.ink)]
      : shapes;
  });
  return [
    text(title, AROUND.left, top + 18, palette.ink, "start"),
    ...grid,
    ...drawn,
    {
      element: "path",
      attributes: { d: `M${AROUND.left} ${y(0)}H${inner.right}`, stroke: palette.line, fill: "none" },
    },
    ...(at === undefined
      ? []
      : [
          {
            element: "path" as const,
            attributes: { d: `M${x(at)} ${top + AROUND.top}V${inner.bottom}`, stroke: palette.sail, fill: "none" },
          },
        ]),
    ...below,
    text(across, (AROUND.left + inner.right) / 2, inner.bottom + 2 * LINE, palette.soft, "middle"),
    text(up, inner.right, top + 18, palette.soft, "end"),
  ];
}

/** Several plots, one below the other, as one SVG file. */
export function plotsSvg(title: string, plots: readonly Plot[]): string {
  const shapes = plots.flatMap((plot, i) => plotShapes(plot, PAPER, { ...PLOT, top: i * PLOT.height }));
  return svgFile(title, { width: PLOT.width, height: Math.max(1, plots.length) * PLOT.height }, shapes);
}

type Scale = (value: number) => number;

function lines({ points }: PlotSeries, colour: string, stepped: boolean, x: Scale, y: Scale): Shape[] {
  const around = points.filter(({ low, high }) => low !== undefined && high !== undefined);
  const band = area<PlotPoint>()
    .x((p) => x(p.x))
    .y0((p) => y(p.low ?? p.y))
    .y1((p) => y(p.high ?? p.y));
  const through = line<PlotPoint>()
    .x((p) => x(p.x))
    .y((p) => y(p.y))
    .curve(stepped ? curveStepAfter : curveLinear);
  return [
    ...(around.length > 1
      ? [{ element: "path" as const, attributes: { d: band([...around]) ?? "", fill: colour, opacity: "0.15" } }]
      : []),
    {
      element: "path",
      attributes: { d: through([...points]) ?? "", fill: "none", stroke: colour, "stroke-width": "1.6" },
    },
    ...(points.length <= MOST_DOTS && !stepped ? points : []).map(
      (p): Shape => ({ element: "circle", attributes: { cx: x(p.x), cy: y(p.y), r: 2.5, fill: colour } }),
    ),
  ];
}

/** With more points than this no dots are drawn. */
const MOST_DOTS = 40;

function bars(
  { points }: PlotSeries,
  { colour, mark, wide }: { readonly colour: string; readonly mark: string; readonly wide: number },
  x: Scale,
  y: Scale,
  half: number,
): Shape[] {
  return points.flatMap((p): Shape[] => {
    const [left, right] = [x(p.x - half * wide), x(p.x + half * wide)];
    const bar: Shape = {
      element: "rect",
      attributes: {
        x: left,
        y: y(Math.max(0, p.y)),
        width: right - left,
        height: Math.abs(y(p.y) - y(0)),
        fill: colour,
      },
    };
    if (p.low === undefined || p.high === undefined) return [bar];
    const d = `M${x(p.x)} ${y(p.low)}V${y(p.high)}`;
    return [bar, { element: "path", attributes: { d, stroke: mark, fill: "none", "stroke-width": "3" } }];
  });
}

function named(name: string, colour: string, x: number, y: number, ink: string): Shape[] {
  const cut = name.length > LONGEST_NAME ? `${name.slice(0, LONGEST_NAME - 1)}…` : name;
  return [
    { element: "rect", attributes: { x, y: y - 8, width: 10, height: 3, fill: colour } },
    text(cut, x + 15, y - 2, ink, "start"),
  ];
}

function text(words: string, x: number, y: number, fill: string, anchor: "start" | "middle" | "end"): Shape {
  return { element: "text", attributes: { x, y, fill, "text-anchor": anchor }, text: words };
}

/** How far apart the nearest of several points are. */
function widthOf(xs: readonly number[]): number {
  const sorted = [...new Set(xs)].sort((a, b) => a - b);
  const apart = sorted.slice(1).map((x, i) => x - (sorted[i] as number));
  return apart.length === 0 ? 1 : Math.min(...apart);
}

function ends(xs: readonly number[], half: number): [number, number] {
  if (xs.length === 0) return [0, 1];
  const low = xs.reduce((least, x) => Math.min(least, x));
  const high = xs.reduce((most, x) => Math.max(most, x));
  return low === high ? [low - 0.5, high + 0.5] : [low - half, high + half];
}
