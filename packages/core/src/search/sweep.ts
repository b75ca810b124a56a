/** Which values starting data are given, one after the other: `kites.north.pull=5..15`. */

/** Says what is wrong with the wish to vary something. */
export class BadSweep extends Error {}

/** The most points of a grid of values. */
const MOST_POINTS = 2_000;

/** A datum and the values it is given, one after the other. */
interface Varied {
  readonly path: string;
  readonly values: readonly string[];
}

/**
 * Every combination of what is varied, the first datum slowest.
 *
 * @param vary each `PATH=5..15`, `PATH=5..15 by 2`, or `PATH=3,5,8`
 * @returns of each point, the values by their paths
 * @throws BadSweep
 */
export function gridOf(vary: readonly string[]): readonly Readonly<Record<string, string>>[] {
  const varied = vary.map(variedFrom);
  const count = varied.reduce((product, { values }) => product * values.length, 1);
  if (count > MOST_POINTS) throw new BadSweep(`This is ${count} combinations; ${MOST_POINTS} are the most.`);
  return varied.reduce<Record<string, string>[]>(
    (points, { path, values }) => points.flatMap((point) => values.map((value) => ({ ...point, [path]: value }))),
    [{}],
  );
}

function variedFrom(text: string): Varied {
  const [, path = "", values = ""] = /^([^=]+)=(.+)$/.exec(text.trim()) ?? [];
  const [, low, high, by = "1"] = /^(-?\d+)\.\.(-?\d+)(?: by (\d+))?$/.exec(values) ?? [];
  if (path === "" || Number(by) < 1 || (low === undefined && /^-?\d+\.\./.test(values)))
    throw new BadSweep(`"${text}" is not of the form path=5..15, path=5..15 by 2, or path=3,5,8.`);
  if (low === undefined || high === undefined) return { path, values: values.split(",") };
  if (Number(low) > Number(high)) throw new BadSweep(`"${text}" has no values: ${low} is more than ${high}.`);
  const list: string[] = [];
  for (let value = Number(low); value <= Number(high) && list.length <= MOST_POINTS; value += Number(by))
    list.push(String(value));
  return { path, values: list };
}
