/**
 * How much time running timers may still have: all at once, as differences. Between two things that happen any time may
 * pass, so a situation stands for many that differ in time alone; which timer can run first depends on the differences.
 *
 * Difference bound matrices (Dill, 1989) in whole milliseconds: entry i, j is the most that i has left beyond j; number
 * 0 is what has nothing left.
 */

/** What running timers may have left; the same object for the same zone. */
export interface Zone {
  readonly id: number;
  /** The running timers, by number. */
  readonly timers: readonly number[];
  /** The matrix, row by row, in its tightest form. */
  readonly bounds: readonly number[];
}

/** What a timer has after a step: `kept` goes on, a number is what it has anew; others do not run. */
export type TimerAfter = "kept" | number | undefined;

const NONE = Number.POSITIVE_INFINITY;

export class Zones {
  private readonly known = new Map<string, Zone>();
  private readonly all: Zone[] = [];
  private readonly single = new Map<number, Map<number, Zone>>();
  /** What has been worked out already, by the lists of timers that `awake` gives, and by zone. */
  private readonly running = new Map<readonly number[], (readonly number[])[]>();
  private readonly passed = new Map<readonly number[], Record<number, Zone | null>>();
  private readonly ran = new Map<readonly number[], Map<number, Zone | undefined>>();
  /** The zone in which no timer runs. */
  readonly still: Zone;

  /** @param timers how many there are */
  constructor(private readonly timers: number) {
    this.still = this.zone([], [0]) as Zone;
  }

  of(id: number): Zone {
    return this.all[id] as Zone;
  }

  get count(): number {
    return this.all.length;
  }

  /** Those of some timers that run: the same list each time. */
  awake(zone: Zone, timers: readonly number[]): readonly number[] {
    if (zone.timers.length === 0) return zone.timers;
    let lists = this.running.get(timers);
    if (!lists) {
      lists = [];
      this.running.set(timers, lists);
    }
    return (lists[zone.id] ??= timers.filter((timer) => zone.timers.includes(timer)));
  }

  /** Any time passes, but no timer comes due. @returns undefined when one is due at once */
  elapsed(zone: Zone, awake: readonly number[]): Zone | undefined {
    if (zone.timers.length === 0) return zone;
    const known = this.passed.get(awake);
    if (known && zone.id in known) return known[zone.id] ?? undefined;
    const passed = this.afterAnyTime(zone, awake);
    if (known) known[zone.id] = passed ?? null;
    else this.passed.set(awake, { [zone.id]: passed ?? null });
    return passed;
  }

  private afterAnyTime(zone: Zone, awake: readonly number[]): Zone | undefined {
    const size = zone.timers.length + 1;
    const bounds = zone.bounds.slice();
    const isAwake = zone.timers.map((timer) => awake.includes(timer));
    for (let i = 1; i < size; i++) {
      if (!isAwake[i - 1]) continue;
      // It may come down to one millisecond.
      bounds[i] = -1;
      for (let j = 1; j < size; j++) if (!isAwake[j - 1]) bounds[j * size + i] = NONE;
    }
    return this.zone(zone.timers, bounds);
  }

  /** A timer runs, before all others that are awake. @returns undefined when another is always due before it */
  fired(zone: Zone, timer: number, awake: readonly number[]): Zone | undefined {
    const key = zone.id * this.timers + timer;
    const known = this.ran.get(awake) ?? new Map<number, Zone | undefined>();
    if (known.has(key)) return known.get(key);
    const fired = this.afterTimer(zone, timer, awake);
    known.set(key, fired);
    this.ran.set(awake, known);
    return fired;
  }

  private afterTimer(zone: Zone, timer: number, awake: readonly number[]): Zone | undefined {
    const size = zone.timers.length + 1;
    const k = zone.timers.indexOf(timer) + 1;
    if (k === 0) return undefined;
    const bounds = zone.bounds.slice();
    const order = awake.indexOf(timer);
    for (let i = 1; i < size; i++) {
      const other = awake.indexOf(zone.timers[i - 1] as number);
      if (i === k || other < 0) continue;
      // Of those that are due together the first in the order of the text runs first.
      bounds[k * size + i] = Math.min(bounds[k * size + i] as number, order < other ? 0 : -1);
    }
    if (!tighten(bounds, size)) return undefined;
    // What it had left has passed for all that are awake.
    const after = bounds.slice();
    for (let i = 1; i < size; i++) {
      if (!awake.includes(zone.timers[i - 1] as number)) {
        for (let j = 1; j < size; j++)
          if (j !== i && awake.includes(zone.timers[j - 1] as number)) {
            after[i * size + j] = NONE;
            after[j * size + i] = NONE;
          }
        continue;
      }
      after[i * size] = bounds[i * size + k] as number;
      after[i] = bounds[k * size + i] as number;
    }
    after[k * size] = 0;
    after[k] = 0;
    return this.zone(zone.timers, after);
  }

  /** After a step: timers that stopped are gone, those that started have their whole delay. */
  after(zone: Zone, timers: readonly TimerAfter[]): Zone {
    let count = 0;
    let kept = 0;
    let last = -1;
    for (let i = 0; i < timers.length; i++) {
      if (timers[i] === undefined) continue;
      count++;
      if (timers[i] === "kept") kept++;
      last = i;
    }
    if (kept === count && kept === zone.timers.length) return zone;
    const delay = timers[last];
    if (count === 1 && typeof delay === "number") return this.alone(last, delay);
    const running: number[] = [];
    for (let i = 0; i < timers.length; i++) if (timers[i] !== undefined) running.push(i);
    const size = running.length + 1;
    const old = zone.timers.length + 1;
    const bounds = new Array<number>(size * size).fill(NONE);
    bounds[0] = 0;
    const was = [0, ...running.map((timer) => (timers[timer] === "kept" ? zone.timers.indexOf(timer) + 1 : -1))];
    for (let i = 0; i < size; i++) {
      bounds[i * size + i] = 0;
      for (let j = 0; j < size; j++)
        if ((was[i] as number) >= 0 && (was[j] as number) >= 0)
          bounds[i * size + j] = zone.bounds[(was[i] as number) * old + (was[j] as number)] as number;
      const delay = i > 0 ? timers[running[i - 1] as number] : undefined;
      if (typeof delay !== "number") continue;
      bounds[i * size] = delay;
      bounds[i] = -delay;
    }
    return this.zone(running, bounds) ?? this.still;
  }

  /** The zone in which one timer has just started. */
  private alone(timer: number, delay: number): Zone {
    const known = this.single.get(timer)?.get(delay);
    if (known) return known;
    const zone = this.zone([timer], [0, -delay, delay, 0]) as Zone;
    const delays = this.single.get(timer) ?? new Map<number, Zone>();
    delays.set(delay, zone);
    this.single.set(timer, delays);
    return zone;
  }

  private zone(timers: readonly number[], bounds: number[]): Zone | undefined {
    const size = timers.length + 1;
    if (!tighten(bounds, size)) return undefined;
    const key = `${timers.join(",")};${bounds.join(",")}`;
    let zone = this.known.get(key);
    if (!zone) {
      zone = { id: this.all.length, timers, bounds };
      this.all.push(zone);
      this.known.set(key, zone);
    }
    return zone;
  }
}

/** All that follows from the bounds (Floyd and Warshall). @returns false when they contradict each other */
function tighten(bounds: number[], size: number): boolean {
  for (let k = 0; k < size; k++)
    for (let i = 0; i < size; i++)
      for (let j = 0; j < size; j++) {
        const through = (bounds[i * size + k] as number) + (bounds[k * size + j] as number);
        if (through < (bounds[i * size + j] as number)) bounds[i * size + j] = through;
      }
  for (let i = 0; i < size; i++) if ((bounds[i * size + i] as number) < 0) return false;
  return true;
}
