/**
 * Boxes hold the parts of compound values: the fields of a record, the elements of a list, the entries
 * of a map (keys and values in turn, sorted by key), the rows of a grid one after the other, the
 * values of all seats. Everything else is a plain JavaScript value: seats and members are numbers, a
 * cell is `x + y * CELL_STRIDE`, `none` is null.
 *
 * A box is changed in place only by the step that made it, which it remembers as its owner. Any other
 * box is copied before it is changed, so a situation that has been given out never changes, and two
 * situations share whatever the steps between them did not touch.
 */

export class Box {
  constructor(
    /** The step that may change this box in place; 0 for none. */
    public owner: number,
    public readonly parts: unknown[],
  ) {}
}

/** A cell is `x + y * CELL_STRIDE`, below 2^32: y stands above the lowest bits, of which there are so many. */
export const CELL_SHIFT = 16;
export const CELL_STRIDE = 2 ** CELL_SHIFT;

let lastEpoch = 0;

/** A number for one step, different from that of every other step in this process. */
export function newEpoch(): number {
  return ++lastEpoch;
}

/** The box in a slot, made the step's own first when it is not. */
export function ownedChild(parent: Box, key: number, epoch: number): Box {
  const child = parent.parts[key] as Box;
  if (child.owner === epoch) return child;
  const copy = new Box(epoch, child.parts.slice());
  parent.parts[key] = copy;
  return copy;
}

/**
 * Gives up the right to change a value in place, because it is about to stand in two places. A box
 * that is not owned holds no owned boxes, so the walk ends early.
 */
export function share<T>(value: T): T {
  if (value instanceof Box && value.owner !== 0) {
    value.owner = 0;
    for (const part of value.parts) if (part instanceof Box) share(part);
  }
  return value;
}

/** How many parts a value has, those of its parts included; a long text counts by its characters. */
export function sizeOf(value: unknown): number {
  if (typeof value === "string") return value.length;
  if (!(value instanceof Box)) return 1;
  let size = 1;
  for (const part of value.parts) size += typeof part === "number" ? 1 : sizeOf(part);
  return size;
}

/** Equal as values: same shape, same parts. */
export function sameValue(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (!(a instanceof Box) || !(b instanceof Box) || a.parts.length !== b.parts.length) return false;
  for (let i = 0; i < a.parts.length; i++) if (!sameValue(a.parts[i], b.parts[i])) return false;
  return true;
}
