/**
 * Exploring: situations a second against a search that was written by hand for that game alone, in plain JavaScript
 * with a `Map` of strings, both warm and in turn in one process, and both as whole processes; bytes a situation; and
 * how long whole machines take.
 */

import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { compile, Exploration, type Explored, oddsOf, Runnable } from "@zany/core";

const ROUNDS = 25;
/** How long both are warmed up, in turn, in milliseconds: small games are over before anything is compiled. */
const WARM_UP = 2_000;
/** How often both are started as processes. */
const COLD_PAIRS = 15;

function runnableOf(file: string): Runnable {
  return new Runnable(compile(readFileSync(file, "utf8"), file, undefined, { errorsOnly: true }).machine);
}

const LINES = [
  [0, 1, 2],
  [3, 4, 5],
  [6, 7, 8],
  [0, 3, 6],
  [1, 4, 7],
  [2, 5, 8],
  [0, 4, 8],
  [2, 4, 6],
];

/** Noughts and crosses by hand. @returns how many situations there are */
function noughts(): number {
  const seen = new Map<string, boolean>([["---------", false]]);
  const queue = ["---------"];
  for (let at = 0; at < queue.length; at++) {
    const board = queue[at] as string;
    if (seen.get(board)) continue;
    const mover = [...board].filter((c) => c !== "-").length % 2 === 0 ? "x" : "o";
    for (let i = 0; i < 9; i++) {
      if (board[i] !== "-") continue;
      const next = board.slice(0, i) + mover + board.slice(i + 1);
      if (seen.has(next)) continue;
      const over = LINES.some((line) => line.every((place) => next[place] === mover)) || !next.includes("-");
      seen.set(next, over);
      queue.push(next);
    }
  }
  return seen.size;
}

const FOURS = [
  ...[0, 1, 2, 3].map((i) => [i, 4 + i, 8 + i, 12 + i]),
  ...[0, 1, 2, 3].map((i) => [4 * i, 4 * i + 1, 4 * i + 2, 4 * i + 3]),
  [0, 5, 10, 15],
  [3, 6, 9, 12],
];

/** Four in a row on 4 by 4 by hand. */
function fourInARow(): number {
  const empty = "-".repeat(16);
  const seen = new Map<string, boolean>([[empty, false]]);
  const queue = [empty];
  for (let at = 0; at < queue.length; at++) {
    const board = queue[at] as string;
    if (seen.get(board)) continue;
    let pieces = 0;
    for (let i = 0; i < 16; i++) if (board[i] !== "-") pieces++;
    const mover = pieces % 2 === 0 ? "x" : "o";
    for (let x = 0; x < 4; x++) {
      let y = 3;
      while (y >= 0 && board[4 * y + x] !== "-") y--;
      if (y < 0) continue;
      const place = 4 * y + x;
      const next = board.slice(0, place) + mover + board.slice(place + 1);
      if (seen.has(next)) continue;
      const over = FOURS.some((line) => line.every((one) => next[one] === mover)) || pieces === 15;
      seen.set(next, over);
      queue.push(next);
    }
  }
  return seen.size;
}

function timed<T>(body: () => T): { readonly value: T; readonly ms: number } {
  const since = process.hrtime.bigint();
  const value = body();
  return { value, ms: Number(process.hrtime.bigint() - since) / 1e6 };
}

function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;
}

function compare(name: string, file: string, byHand: () => number): void {
  const runnable = runnableOf(file);
  const ratios: number[] = [];
  let last: Explored | undefined;
  let each = 0;
  const begun = performance.now();
  while (ratios.length < ROUNDS) {
    const isWarm = performance.now() - begun > WARM_UP;
    const hand = timed(byHand);
    const explored = timed(() => new Exploration(runnable, {}).run());
    last = explored.value;
    if (last.situations !== hand.value)
      throw new Error(`${name}: ${last.situations} situations, by hand ${hand.value}`);
    if (isWarm) ratios.push(hand.ms / explored.ms);
    each = last.situations / explored.ms;
  }
  const bytes = last ? last.bytes / last.situations : 0;
  console.log(
    `${name}: ${last?.situations} situations, ${median(ratios).toFixed(2)} times the search by hand ` +
      `(${each.toFixed(0)}k a second), ${bytes.toFixed(0)} bytes a situation with the graph`,
  );
}

/** How long a process takes from its start to its end. */
function processTime(args: readonly string[], situations: number): number {
  const { value, ms } = timed(() => spawnSync(process.execPath, args, { encoding: "utf8" }));
  if (!value.stdout.includes(String(situations))) throw new Error(`${args[0]} has not found ${situations} situations.`);
  return ms;
}

/** As whole processes, in pairs: starting, reading the machine and generating code count, too. */
function compareCold(name: string, file: string, byHand: () => number): void {
  const situations = byHand();
  const lines = `const LINES = ${JSON.stringify(LINES)}, FOURS = ${JSON.stringify(FOURS)};`;
  const program = `${lines}\nconsole.log((${byHand})());`;
  const ratios = Array.from({ length: COLD_PAIRS }, () => {
    const hand = processTime(["-e", program], situations);
    return hand / processTime(["dist/cli/zany.cjs", "explore", file], situations);
  });
  console.log(`${name}, each time as a process of its own: ${median(ratios).toFixed(2)} times the search by hand`);
}

for (const [name, file, byHand] of [
  ["noughts and crosses", "packages/core/test/games/noughts.zany", noughts],
  ["four in a row, 4 by 4", "packages/core/test/games/four-in-a-row.zany", fourInARow],
] as const) {
  compare(name, file, byHand);
  compareCold(name, file, byHand);
}

for (const name of ["bell-tower", "kite-duel"]) {
  const runnable = runnableOf(`examples/${name}.zany`);
  const { value, ms } = timed(() => new Exploration(runnable, {}).run());
  console.log(
    `${name} whole: ${value.situations} situations, ${value.steps} ` +
      `steps, ${value.complete ? "complete" : "not complete"}, ` +
      `${(ms / 1_000).toFixed(1)} s, ${(value.bytes / value.situations).toFixed(0)} bytes a situation with the graph`,
  );
}

const { value, ms } = timed(() => oddsOf(runnableOf("examples/kite-duel.zany"), {}));
const north = value.results.find(({ seat }) => seat === "north")?.results.win.least ?? 0;
console.log(
  `exact odds of kite-duel: ${value.situations} situations, ${(ms / 1_000).toFixed(1)} s, north wins ${north}`,
);
