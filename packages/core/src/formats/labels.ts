/**
 * Where the labels of arrows stand: beside their own arrow, nearer to it than to any other, over nothing else. The
 * layout leaves room for them, but does not say beside which arrow; that is worked out here, from places along each
 * arrow on both of its sides, the best of which is taken, label by label.
 */

export interface Point {
  readonly x: number;
  readonly y: number;
}

export interface Box extends Point {
  readonly width: number;
  readonly height: number;
}

/** An arrow as it was laid out; all in the coordinates of the whole. */
export interface LaidArrow {
  readonly id: string;
  /** Its bends, from its start to its tip. */
  readonly points: readonly Point[];
  /** The size of its label, and where the layout put it; undefined for an arrow without one. */
  readonly label: Box | undefined;
}

/** What lies under a label in one of its places: the fewer, the better. */
interface Penalties {
  readonly box: number;
  readonly label: number;
  readonly arrow: number;
  readonly border: number;
  readonly stranger: number;
}

const PENALTIES: Penalties = { box: 1_000, label: 800, arrow: 400, border: 60, stranger: 150 };
/** Room between an arrow and its label, in pixels: what is wanted, and what is taken where there is no other place. */
const GAPS = [4, 12];
/** Places along a piece of an arrow, as parts of its length; the middle first. */
const ALONG = [0.5, 0.35, 0.65, 0.2, 0.8, 0.08, 0.92];
/** What it costs to stand a pixel away from the room that the layout left. */
const PER_PIXEL = 0.05;
/** How often all labels are placed anew, each knowing where the others stand. */
const ROUNDS = 3;

/**
 * Places the labels of arrows.
 *
 * @param boxes what no label may lie over: states without inner ones, headings of the others
 * @param borders what labels had better not cross: the outlines of states with inner ones
 * @returns for each arrow with a label, its box
 */
export function placeLabels(
  boxes: readonly Box[],
  borders: readonly Box[],
  arrows: readonly LaidArrow[],
): ReadonlyMap<string, Box> {
  const placed = new Map<string, Box>();
  // Those with the least room choose first.
  const labelled = arrows.filter((arrow) => arrow.label).sort((a, b) => lengthOf(a.points) - lengthOf(b.points));
  for (let round = 0; round < ROUNDS; round++) {
    let moved = false;
    for (const arrow of labelled) {
      const best = bestPlace(arrow, boxes, borders, arrows, placed);
      const before = placed.get(arrow.id);
      moved ||= before?.x !== best.x || before.y !== best.y;
      placed.set(arrow.id, best);
    }
    if (!moved) break;
  }
  return placed;
}

function bestPlace(
  arrow: LaidArrow,
  boxes: readonly Box[],
  borders: readonly Box[],
  arrows: readonly LaidArrow[],
  placed: ReadonlyMap<string, Box>,
): Box {
  const label = arrow.label as Box;
  let best = label;
  let least = Number.POSITIVE_INFINITY;
  for (const place of placesOf(arrow, label)) {
    // Of places that are as good, the one nearest to where the layout left room for it.
    const moved = Math.hypot(place.x - label.x, place.y - label.y) * PER_PIXEL;
    const cost = costOf(place, arrow, boxes, borders, arrows, placed, least) + moved;
    if (cost >= least) continue;
    least = cost;
    best = place;
  }
  return best;
}

/** The places of a label: where the layout put it, then along its arrow, the long pieces first. */
function placesOf({ points }: LaidArrow, label: Box): Box[] {
  const places: Box[] = [];
  const pieces = points.slice(1).map((to, i) => ({ from: points[i] as Point, to }));
  pieces.sort((a, b) => lengthOf([b.from, b.to]) - lengthOf([a.from, a.to]));
  const { width, height } = label;
  for (const gap of GAPS) {
    for (const part of ALONG) {
      for (const { from, to } of pieces) {
        const x = from.x + (to.x - from.x) * part;
        const y = from.y + (to.y - from.y) * part;
        const upright = Math.abs(to.y - from.y) >= Math.abs(to.x - from.x);
        if (upright)
          places.push(
            { x: x + gap, y: y - height / 2, width, height },
            { x: x - gap - width, y: y - height / 2, width, height },
          );
        else
          places.push(
            { x: x - width / 2, y: y - gap - height, width, height },
            { x: x - width / 2, y: y + gap, width, height },
          );
      }
    }
  }
  return [...places, label];
}

/** @param least a place that costs as much is not looked at any further */
function costOf(
  place: Box,
  arrow: LaidArrow,
  boxes: readonly Box[],
  borders: readonly Box[],
  arrows: readonly LaidArrow[],
  placed: ReadonlyMap<string, Box>,
  least: number,
): number {
  let cost = place.x < 0 || place.y < 0 ? PENALTIES.box : 0;
  for (const box of boxes) if (overlap(place, box)) cost += PENALTIES.box;
  for (const box of borders) if (crosses(place, outlineOf(box))) cost += PENALTIES.border;
  for (const [id, box] of placed) if (id !== arrow.id && overlap(place, box)) cost += PENALTIES.label;
  if (cost >= least) return cost;
  const own = distance(place, arrow.points);
  for (const { id, points } of arrows) {
    if (crosses(place, points)) cost += PENALTIES.arrow;
    else if (id !== arrow.id && distance(place, points) <= own) cost += PENALTIES.stranger;
    if (cost >= least) return cost;
  }
  return cost + own * 0.1;
}

// ---- geometry ----------------------------------------------------------------------------------

function lengthOf(points: readonly Point[]): number {
  let length = 0;
  for (const [i, p] of points.entries()) {
    const before = points[i - 1];
    if (before) length += Math.hypot(p.x - before.x, p.y - before.y);
  }
  return length;
}

function overlap(a: Box, b: Box): boolean {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

function outlineOf({ x, y, width, height }: Box): Point[] {
  const [right, bottom] = [x + width, y + height];
  return [
    { x, y },
    { x: right, y },
    { x: right, y: bottom },
    { x, y: bottom },
    { x, y },
  ];
}

/** Whether a line passes through a box. */
function crosses(box: Box, points: readonly Point[]): boolean {
  return points.some((to, i) => {
    const from = points[i - 1];
    return from !== undefined && between(from, to, box) <= 0;
  });
}

/** How far a line keeps from a box; 0 when it touches it. */
export function distance(box: Box, points: readonly Point[]): number {
  let least = Number.POSITIVE_INFINITY;
  for (const [i, to] of points.entries()) {
    const from = points[i - 1];
    if (from) least = Math.min(least, between(from, to, box));
  }
  return least;
}

/** How far a piece of a line keeps from a box. Pieces are upright or level, so that their own box says it. */
function between(from: Point, to: Point, box: Box): number {
  const dx = Math.max(box.x - Math.max(from.x, to.x), Math.min(from.x, to.x) - (box.x + box.width), 0);
  const dy = Math.max(box.y - Math.max(from.y, to.y), Math.min(from.y, to.y) - (box.y + box.height), 0);
  return Math.hypot(dx, dy);
}
