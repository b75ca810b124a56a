/**
 * A diagram as a picture: the shapes that are drawn where the layout put things. Who draws it only writes them down.
 */

import type { Diagram, DiagramEdge, DiagramNode, Way } from "./diagram.js";
import type { Box, Point } from "./labels.js";
import { type Palette, PAPER, rounded as round, type Shape, svgFile } from "./svg.js";
import { labelsOf, type LayoutNode, LINE, linesOf, placesOf } from "./layout.js";

/** What of a diagram nothing came to. */
export interface Missed {
  /** States and endings by name. */
  readonly nodes: ReadonlySet<string>;
  /** Whether something went along an arrow so. */
  isCovered(way: Way): boolean;
}

/** What is told from the rest in a picture. */
export interface PictureOptions {
  /** The names of the states a match is in, and its ending. */
  readonly active?: ReadonlySet<string>;
  /** The state or ending that somebody looks at. */
  readonly lit?: string | undefined;
  /** What nothing came to. */
  readonly missed?: Missed;
  /** Names alone, so many times as large: for a picture that is seen from far away. */
  readonly namesTimes?: number | undefined;
}

/** The shapes of a diagram that has been laid out. */
export function shapesOf(diagram: Diagram, laid: LayoutNode, palette: Palette, options: PictureOptions = {}): Shape[] {
  const drawing = new Picture(diagram, palette, options, placesOf(laid), labelsOf(diagram, laid));
  return [...drawing.boxes(laid, 0, 0), ...drawing.arrows(laid)];
}

/** What a character of a name is wide, at its size of 12.5. */
const CHARACTER = 7.4;

class Picture {
  private readonly nodes: ReadonlyMap<string, DiagramNode>;
  private readonly edges: ReadonlyMap<string, DiagramEdge>;

  constructor(
    diagram: Diagram,
    private readonly palette: Palette,
    private readonly options: PictureOptions,
    private readonly places: ReadonlyMap<string, Point>,
    private readonly labels: ReadonlyMap<string, Box>,
  ) {
    this.nodes = new Map(diagram.nodes.map((n) => [n.id, n]));
    this.edges = new Map(diagram.edges.map((e) => [e.id, e]));
  }

  boxes(node: LayoutNode, x: number, y: number): Shape[] {
    return (node.children ?? []).flatMap((child): Shape[] => {
      const at = { x: x + (child.x ?? 0), y: y + (child.y ?? 0), width: child.width ?? 0, height: child.height ?? 0 };
      const data = this.nodes.get(child.id);
      const own: Shape = data
        ? this.box(data, at, (child.children ?? []).length > 0)
        : {
            element: "circle",
            attributes: { cx: at.x + at.width / 2, cy: at.y + at.height / 2, r: 5, fill: this.palette.sea },
          };
      return [own, ...this.boxes(child, at.x, at.y)];
    });
  }

  private box(
    data: DiagramNode,
    { x, y, width, height }: Point & { width: number; height: number },
    outer: boolean,
  ): Shape {
    const { palette } = this;
    const active = this.options.active?.has(data.id) === true;
    const lit = this.options.lit === data.id;
    const ending = data.kind === "ending" || data.kind === "final";
    const fill = active
      ? outer
        ? palette.seaWash
        : palette.sailWash
      : ending
        ? palette.sunken
        : outer
          ? palette.cloth
          : palette.panel;
    const tone =
      data.result === "wins" || data.result === "ranks"
        ? palette.good
        : data.result === "loses"
          ? palette.bad
          : palette.line;
    const missed = this.options.missed?.nodes.has(data.id) === true;
    const stroke = missed
      ? palette.bad
      : active
        ? palette.sail
        : lit
          ? palette.sea
          : data.kind === "overlay"
            ? palette.sea
            : ending
              ? tone
              : palette.line;
    const radius = ending ? height / 2 : data.kind === "anywhere" ? 2 : 8;
    const dashed = missed
      ? { "stroke-dasharray": "2 3" }
      : data.kind === "overlay" || data.stub || data.kind === "anywhere"
        ? { "stroke-dasharray": "5 4" }
        : {};
    const far = this.options.namesTimes;
    const lines = far === undefined ? linesOf(data) : linesOf(data).slice(0, 1);
    // As large as there is room for.
    const times = Math.min(far ?? 1, Math.max(1, (width - 6) / (CHARACTER * (lines[0]?.length ?? 1))));
    const foldable = outer || data.folded !== undefined;
    return {
      element: "g",
      attributes: {},
      node: data.id,
      ...(foldable && { foldable }),
      children: [
        ...(missed ? [{ element: "title" as const, attributes: {}, text: "Not covered" }] : []),
        {
          element: "rect",
          attributes: {
            x,
            y,
            width,
            height,
            rx: radius,
            fill,
            stroke,
            "stroke-width": lit ? 3.5 : active ? 2.5 : 1.5,
            ...dashed,
          },
        },
        ...(ending
          ? [
              {
                element: "rect" as const,
                attributes: {
                  x: x + 3,
                  y: y + 3,
                  width: width - 6,
                  height: height - 6,
                  rx: Math.max(0, height / 2 - 3),
                  fill: "none",
                  stroke,
                },
              },
            ]
          : []),
        ...lines.map(
          (line, i): Shape => ({
            element: "text",
            attributes: {
              x: x + width / 2,
              y: outer
                ? y + 5 + 12 * times + i * LINE
                : y + height / 2 + 4.3 * times + (i - (lines.length - 1) / 2) * LINE,
              "text-anchor": "middle",
              fill: i === 0 ? palette.ink : palette.soft,
              "font-weight": i === 0 ? 600 : 400,
              "font-size": i === 0 ? 12.5 * times : 11,
            },
            text: line,
          }),
        ),
        ...titleOf(data).map((text): Shape => ({ element: "title", attributes: {}, text })),
      ],
    };
  }

  /** Nothing went along an arrow, on none of its ways. */
  private isMissed(edge: DiagramEdge | undefined): boolean {
    const { missed } = this.options;
    return missed !== undefined && edge !== undefined && !edge.ways.some((way) => missed.isCovered(way));
  }

  arrows(laid: LayoutNode): Shape[] {
    const { palette } = this;
    const inner = (laid.children ?? []).flatMap((child) => this.arrows(child));
    const own = (laid.edges ?? []).map((edge): Shape => {
      // Edges lie in the coordinates of the node that holds both their ends.
      const { x, y } = this.places.get(edge.container ?? laid.id) ?? { x: 0, y: 0 };
      const data = this.edges.get(edge.id);
      const missed = this.isMissed(data);
      const colour = missed ? palette.bad : palette.soft;
      const paths = (edge.sections ?? []).flatMap((section): Shape[] => {
        const points = [section.startPoint, ...(section.bendPoints ?? []), section.endPoint].map((p) => ({
          x: p.x + x,
          y: p.y + y,
        }));
        return [
          {
            element: "path",
            attributes: {
              d: rounded(points),
              fill: "none",
              stroke: colour,
              "stroke-width": 1.4,
              ...(missed ? { "stroke-dasharray": "2 3" } : data?.again && { "stroke-dasharray": "6 3" }),
            },
          },
          { element: "path", attributes: { d: tip(points), fill: colour } },
        ];
      });
      const written = this.options.namesTimes === undefined ? (edge.labels ?? []) : [];
      const labels = written.flatMap((label): Shape[] => {
        const { x: left, y: top } = this.labels.get(edge.id) as Box;
        return [
          {
            element: "rect",
            attributes: {
              x: left - 2,
              y: top,
              width: (label.width ?? 0) + 4,
              height: label.height ?? 0,
              fill: palette.panel,
              opacity: 0.85,
              rx: 3,
            },
          },
          ...(label.text ?? "").split("\n").map(
            (line, row): Shape => ({
              element: "text",
              attributes: { x: left, y: top + 11 + row * LINE, fill: palette.soft, "font-size": 11 },
              text: line,
            }),
          ),
        ];
      });
      return {
        element: "g",
        attributes: {},
        children: [...paths, ...labels, { element: "title", attributes: {}, text: data?.labels.join("\n") ?? "" }],
      };
    });
    return [...own, ...inner];
  }
}

/** All that is written in a box besides its name, uncut, and what its author says of it. */
function titleOf({ turn, returns, results, doc }: DiagramNode): string[] {
  const more = [
    ...(turn === undefined ? [] : [`turn of ${turn}`]),
    ...(returns.length > 0 ? [`returns: ${returns.join(", ")}`] : []),
    ...(results === undefined ? [] : [results]),
    ...(doc === undefined ? [] : [doc]),
  ];
  return more.length === 0 ? [] : [more.join("\n")];
}

/** A path with rounded corners through the points. */
function rounded(points: readonly Point[]): string {
  let d = "";
  for (const [i, p] of points.entries()) {
    const before = points[i - 1];
    const after = points[i + 1];
    if (!before) d += `M${round(p.x)} ${round(p.y)}`;
    else if (!after) d += `L${round(p.x)} ${round(p.y)}`;
    else {
      const a = towards(p, before, 6);
      const b = towards(p, after, 6);
      d += `L${round(a.x)} ${round(a.y)}Q${round(p.x)} ${round(p.y)} ${round(b.x)} ${round(b.y)}`;
    }
  }
  return d;
}

/** The head of an arrow at the last of the points. */
function tip(points: readonly Point[]): string {
  const end = points.at(-1) ?? { x: 0, y: 0 };
  const before = points.at(-2) ?? end;
  const length = Math.hypot(end.x - before.x, end.y - before.y) || 1;
  const [dx, dy] = [(end.x - before.x) / length, (end.y - before.y) / length];
  const [bx, by] = [end.x - dx * 7, end.y - dy * 7];
  return (
    `M${round(end.x)} ${round(end.y)}L${round(bx - dy * 3.5)} ${round(by + dx * 3.5)}L${round(bx + dy * 3.5)}` +
    ` ${round(by - dx * 3.5)}z`
  );
}

function towards(from: Point, to: Point, distance: number): Point {
  const length = Math.hypot(to.x - from.x, to.y - from.y) || 1;
  const part = Math.min(distance, length / 2) / length;
  return { x: from.x + (to.x - from.x) * part, y: from.y + (to.y - from.y) * part };
}

/** A whole SVG file of a diagram that has been laid out. */
export function svgOf(diagram: Diagram, laid: LayoutNode): string {
  const size = { width: Math.ceil(laid.width ?? 0), height: Math.ceil(laid.height ?? 0) };
  return svgFile(diagram.machine, size, shapesOf(diagram, laid, PAPER));
}
