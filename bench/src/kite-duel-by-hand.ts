/**
 * KiteDuel as a game programmer would write it without a machine: an enum, a switch and an object.
 * It follows examples/kite-duel.zany to the letter, rolls the same dice and comes to the same end, so
 * that the bench compares two ways to do the same work.
 */

import { Dice } from "../../packages/core/src/engine/values/random.js";

export enum Phase {
  Turn,
  Judge,
  Paused,
  Flown,
  BothDown,
}

export type Deed = "slash" | "brace" | "mend" | "cutLoose" | "pause" | "unpause";

export interface Kite {
  lift: number;
  pull: number;
  guard: number;
  pace: number;
  tape: number;
  gust: number;
  braced: boolean;
}

export interface HandRecord {
  dice: { source: string; range: string; value: number }[];
  notes: string[];
  signals: {
    signal: string;
    values: { source: string; target: string; amount: number };
    source: string;
    heard: { state: string; source: string }[];
  }[];
  clamped: { source: string; wanted: number; kept: number }[];
}

export interface HandOutcome {
  ending: string;
  args: { winner?: string };
  unfinished: boolean;
  results: { seat: string; result: string }[];
}

const SEATS = ["north", "south"] as const;
const TEN_DAYS = 864_000_000;

/** One match, with dice of its own. */
export class HandDuel {
  phase = Phase.Turn;
  kites: Kite[] = [newKite(), newKite()];
  lap = 0;
  queue: number[] = [];
  winner = -1;
  now = 0;
  turnEnds = 0;
  steps = 0;
  /** What a logbook needs to know about a step; null when nobody writes one. */
  record: HandRecord | null = null;

  constructor(readonly dice: Dice) {
    this.newLap();
    this.turn();
  }

  /** A copy that can be played on its own. */
  static from(other: HandDuel): HandDuel {
    const copy = Object.create(HandDuel.prototype) as HandDuel;
    return Object.assign(copy, other, {
      dice: new Dice(other.dice.state()),
      kites: other.kites.map((k) => ({ ...k })),
      queue: other.queue.slice(),
    });
  }

  /** Takes one action; false when it is not allowed. */
  act(seat: number, deed: Deed, target = -1): boolean {
    switch (this.phase) {
      case Phase.Turn: {
        if (deed === "pause") {
          this.phase = Phase.Paused;
          this.steps++;
          return true;
        }
        if (seat !== this.queue[0]) return false;
        const mine = this.kites[seat] as Kite;
        switch (deed) {
          case "slash": {
            if (target === seat || target < 0 || target > 1) return false;
            const hit = this.strike(target, mine.pull + this.roll(1, 6, "50:43"));
            if ((this.kites[target] as Kite).braced) mine.lift = this.within(mine.lift - 2, "51:33");
            if (this.record) {
              this.record.notes.push(`${SEATS[seat]} slashes ${SEATS[target]} for ${hit}`);
              if (hit >= 10) this.record.notes.push("the crowd gasps");
              this.record.signals.push({
                signal: "Struck",
                values: { source: SEATS[seat] as string, target: SEATS[target] as string, amount: hit },
                source: "29:3",
                heard: hit >= 10 ? [{ state: "Lap", source: "77:3" }] : [],
              });
            }
            break;
          }
          case "brace":
            mine.braced = true;
            break;
          case "mend":
            if (mine.tape <= 0) return false;
            mine.tape -= 1;
            mine.lift = this.within(mine.lift + 12, "58:7");
            break;
          case "cutLoose":
            this.phase = Phase.Flown;
            this.winner = 1 - seat;
            this.steps++;
            return true;
          default:
            return false;
        }
        this.judge();
        this.steps++;
        return true;
      }
      case Phase.Paused:
        if (deed !== "unpause") return false;
        this.phase = Phase.Turn;
        this.steps++;
        return true;
      default:
        return false;
    }
  }

  /** How it ended, for whoever started the match: the ending, its winner, and what every seat has. */
  outcome(): HandOutcome {
    const winner = this.phase === Phase.Flown ? this.winner : -1;
    const result = (seat: number): string => (winner < 0 ? "draw" : seat === winner ? "win" : "loss");
    return {
      ending: winner < 0 ? "BothDown" : "Flown",
      args: winner < 0 ? {} : { winner: SEATS[winner] as string },
      unfinished: false,
      results: [
        { seat: SEATS[0], result: result(0) },
        { seat: SEATS[1], result: result(1) },
      ],
    };
  }

  private strike(target: number, force: number): number {
    const kite = this.kites[target] as Kite;
    const hit = Math.max(0, force - (kite.guard + (kite.braced ? 4 : 0)));
    kite.lift = this.within(kite.lift - hit, "27:3");
    return hit;
  }

  /** A lift that is clamped to its bounds. */
  private within(wanted: number, source: string): number {
    const kept = wanted < 0 ? 0 : wanted > 40 ? 40 : wanted;
    if (kept !== wanted) this.record?.clamped.push({ source, wanted, kept });
    return kept;
  }

  private judge(): void {
    this.phase = Phase.Judge;
    this.queue.shift();
    const north = (this.kites[0] as Kite).lift > 0;
    const south = (this.kites[1] as Kite).lift > 0;
    if (!north && !south) this.phase = Phase.BothDown;
    else if (!north) this.fly(1);
    else if (!south) this.fly(0);
    else {
      if (this.queue.length === 0) this.newLap();
      this.turn();
    }
  }

  private fly(winner: number): void {
    this.phase = Phase.Flown;
    this.winner = winner;
  }

  private newLap(): void {
    this.lap = Math.min(99, this.lap + 1);
    for (const kite of this.kites) kite.gust = Math.min(30, kite.pace + this.roll(1, 4, "39:54"));
    const [a, b] = this.kites as [Kite, Kite];
    this.queue = b.gust > a.gust ? [1, 0] : [0, 1];
    this.record?.notes.push(`Lap ${this.lap}: ${SEATS[this.queue[0] as number]} has the wind`);
  }

  private turn(): void {
    this.phase = Phase.Turn;
    (this.kites[this.queue[0] as number] as Kite).braced = false;
    this.turnEnds = this.now + TEN_DAYS;
  }

  private roll(low: number, high: number, source: string): number {
    const count = high - low + 1;
    const limit = 4294967296 - (4294967296 % count);
    let x = this.dice.word(0);
    while (x >= limit) x = this.dice.word(0);
    const value = low + (x % count);
    this.record?.dice.push({ source, range: `${low}..${high}`, value });
    return value;
  }
}

function newKite(): Kite {
  return { lift: 40, pull: 9, guard: 2, pace: 8, tape: 2, gust: 0, braced: false };
}
