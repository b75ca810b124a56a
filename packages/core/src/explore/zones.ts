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
  /** For every timer `RUNNING`, or NaN for one that does not run. */
  readonly due: readonly number[];
}

/** What a running timer is due at, while situations are searched whose time is 0: no step comes to it. */
const RUNNING = 2 ** 52;

const NONE = Number.POSITIVE_INFINITY;
/** Of so many timers, and so many different delays, what they have after a step makes one number. */
const MOST_TOLD = 5;
const DELAYS = 1_024;

export class Zones {
  private readonly known = new Map<string, Zone>();
  private readonly all: Zone[] = [];
  /** What steps have made of zones, by zone, and then by what each timer has after it. */
  private readonly stepped: Map<number | string, Zone>[] = [];
  /** Delays, numbered as they come. */
  private readonly delays = new Map<number, number>();
  /** What has been worked out already, by the lists of timers that `awake` gives, and by zone. */
  private readonly running = new Map<readonly number[], (readonly number[])[]>();
  private readonly passed = new Map<readonly number[], Record<number, Zone | null>>();
  private readonly ran = new Map<readonly number[], Map<number, Zone | undefined>>();
  /** The zone in which no timer runs. */
  readonly still: Zone;
  /** What the last step made of its zone. */
  private readonly last: { zone: Zone | undefined; after: Zone; readonly timers: number[] };

  /** @param timers how many there are */
  constructor(private readonly timers: number) {
    this.still = this.zone([], [0]) as Zone;
    this.last = { zone: undefined, after: this.still, timers: new Array<number>(timers).fill(Number.NaN) };
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

  /**
   * After a step: timers that stopped are gone, those that started have their whole delay.
   *
   * @param timers when each is due: `RUNNING` for one that goes on, NaN for one that does not run
   */
  after(zone: Zone, timers: readonly number[]): Zone {
    if (timers.length === 0) return this.still;
    const { last } = this;
    // One way of rolling after the other mostly leaves the timers as the one before did.
    if (last.zone !== zone || !isSame(last.timers, timers)) {
      last.after = this.afterStep(zone, timers);
      last.zone = zone;
      for (let i = 0; i < timers.length; i++) last.timers[i] = timers[i] as number;
    }
    return last.after;
  }

  private afterStep(zone: Zone, timers: readonly number[]): Zone {
    let count = 0;
    let kept = 0;
    for (let i = 0; i < timers.length; i++) {
      const due = timers[i] as number;
      if (due === RUNNING) kept++;
      else if (Number.isNaN(due)) continue;
      count++;
    }
    if (kept === count && kept === zone.timers.length) return zone;
    const known = (this.stepped[zone.id] ??= new Map());
    const key = this.keyOf(timers);
    let after = known.get(key);
    if (!after) known.set(key, (after = this.worked(zone, timers)));
    return after;
  }

  /** What tells what timers have after a step from what they have after another. */
  private keyOf(timers: readonly number[]): number | string {
    if (timers.length > MOST_TOLD) return timers.join(",");
    let key = 0;
    for (let i = 0; i < timers.length; i++) {
      const due = timers[i] as number;
      key *= DELAYS;
      if (due === RUNNING) key += 1;
      else if (!Number.isNaN(due)) {
        let number = this.delays.get(due);
        if (number === undefined) this.delays.set(due, (number = this.delays.size + 2));
        if (number >= DELAYS) return timers.join(",");
        key += number;
      }
    }
    return key;
  }

  private worked(zone: Zone, timers: readonly number[]): Zone {
    const running: number[] = [];
    for (let i = 0; i < timers.length; i++) if (!Number.isNaN(timers[i])) running.push(i);
    const size = running.length + 1;
    const old = zone.timers.length + 1;
    const bounds = new Array<number>(size * size).fill(NONE);
    bounds[0] = 0;
    const was = [0, ...running.map((timer) => (timers[timer] === RUNNING ? zone.timers.indexOf(timer) + 1 : -1))];
    for (let i = 0; i < size; i++) {
      bounds[i * size + i] = 0;
      for (let j = 0; j < size; j++)
        if ((was[i] as number) >= 0 && (was[j] as number) >= 0)
          bounds[i * size + j] = zone.bounds[(was[i] as number) * old + (was[j] as number)] as number;
      if (i === 0 || (was[i] as number) >= 0) continue;
      const delay = Math.max(0, timers[running[i - 1] as number] as number);
      bounds[i * size] = delay;
      bounds[i] = -delay;
    }
    return this.zone(running, bounds) ?? this.still;
  }

  private zone(timers: readonly number[], bounds: number[]): Zone | undefined {
    const size = timers.length + 1;
    if (!tighten(bounds, size)) return undefined;
    const key = `${timers.join(",")};${bounds.join(",")}`;
    let zone = this.known.get(key);
    if (!zone) {
      const due = Array.from({ length: this.timers }, (_, i) => (timers.includes(i) ? RUNNING : Number.NaN));
      zone = { id: this.all.length, timers, bounds, due };
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

/** Whether the same is due at the same time; NaN is the same as NaN. */
function isSame(a: readonly number[], b: readonly number[]): boolean {
  for (let i = 0; i < b.length; i++) {
    const [one, other] = [a[i] as number, b[i] as number];
    if (one !== other && !(Number.isNaN(one) && Number.isNaN(other))) return false;
  }
  return true;
}
