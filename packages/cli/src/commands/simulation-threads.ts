/** Threads that play shares of simulations, and say on a terminal how far they are. */

import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import { addTallies, intervalOf, type SimulateOptions, type Tally } from "@zany/core";
import { bar, printable, remaining } from "../terminal.js";

/** The bundle beside this one that plays a share. */
const WORKER: string = "simulate-worker.cjs";

/** What is played, whichever share of it. */
export type SimulationOptions = Pick<SimulateOptions, "seed" | "bots" | "given" | "seats" | "rolls" | "game">;

/** How many matches, and on how many cores. */
export interface Shared {
  readonly matches: number;
  /** The number of the first match. */
  readonly first: number;
  readonly cores?: number;
  /** What is measured, as expressions of the machine. */
  readonly of: readonly string[];
  readonly json?: boolean;
}

/** One core's share of a simulation, and what became of it. */
interface Share {
  readonly played: number;
  readonly wins: Readonly<Record<string, number>>;
}

/** Threads that play shares of simulations. They stay for the next one, which then finds them warm. */
export class SimulationThreads {
  private readonly workers: readonly Worker[];

  constructor(
    machine: { readonly text: string; readonly parts: Readonly<Record<string, string>> },
    private readonly wish: Shared,
  ) {
    const cores = Math.max(1, Math.min(wish.cores ?? availableParallelism(), wish.matches));
    const workerData = { ...machine, of: wish.of };
    this.workers = Array.from({ length: cores }, () => new Worker(join(__dirname, WORKER), { workerData }));
  }

  /**
   * Shares the matches out evenly; the sum is the same however they are shared.
   *
   * @throws what a thread throws, such as of data that cannot be given
   */
  async play(options: SimulationOptions): Promise<Tally> {
    const { workers, wish } = this;
    const shares: Share[] = workers.map(() => ({ played: 0, wins: {} }));
    const progress = process.stderr.isTTY === true && !wish.json;
    const since = performance.now();
    const show = (): void => {
      if (!progress) return;
      const total = shares.reduce((a, b) => a + b.played, 0);
      const left = remaining(since, total, wish.matches);
      const won = soFar(
        shares.map(({ wins }) => wins),
        total,
      );
      const words = `${bar(total, 0, wish.matches, 20)} ${total} of ${wish.matches}, ${left} to go${won}`;
      process.stderr.write(`\r${printable(words)}\u001b[K`);
    };
    const parts = workers.map(
      (worker, core) =>
        new Promise<Tally>((resolve, reject) => {
          const first = wish.first + Math.floor((wish.matches * core) / workers.length);
          const end = wish.first + Math.floor((wish.matches * (core + 1)) / workers.length);
          worker.removeAllListeners();
          worker.on("error", reject);
          worker.on("message", (message: Share | { readonly tally: Tally }) => {
            const isDone = "tally" in message;
            shares[core] = isDone ? { ...(shares[core] as Share), played: end - first } : message;
            if (isDone) resolve(message.tally);
            show();
          });
          worker.postMessage({ ...options, first, end });
        }),
    );
    const tally = addTallies(await Promise.all(parts));
    if (progress) process.stderr.write("\r\u001b[K");
    return tally;
  }

  async end(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()));
  }
}

/** How often each seat has won so far, and between what that is with 95% certainty; few seats fit into a line. */
function soFar(wins: readonly Readonly<Record<string, number>>[], played: number): string {
  const seats = [...new Set(wins.flatMap((own) => Object.keys(own)))].sort();
  if (seats.length === 0 || seats.length > MOST_TOLD) return "";
  const shares = seats.map((seat) => {
    const { share, low, high } = intervalOf(
      wins.reduce((sum, own) => sum + (own[seat] ?? 0), 0),
      played,
    );
    const half = ((high - low) / 2) * 100;
    return `${seat} ${(share * 100).toFixed(1)}% ± ${half.toFixed(1)}`;
  });
  return `; wins: ${shares.join(", ")}`;
}

/** Of so many seats it is told while matches are played how often they win. */
const MOST_TOLD = 3;
