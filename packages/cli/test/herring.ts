/** The game of examples/herring-duel, as it is and with a mistake planted in its text. */

import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";

const GAME = "examples/herring-duel/herring_duel.py";
/** What stands between the logs of two matches. */
const BETWEEN = "-- the next match --";

/** Mistakes of the game: what is written in its text, and what in its place. */
export const BUGS: Readonly<Record<string, readonly [string, string]>> = {
  "an eel soaks by one more": ['"EEL": (3, 1)', '"EEL": (3, 2)'],
  "a herring soaks by one more": ['"HERRING": (2, 0)', '"HERRING": (2, 1)'],
  "a cod hits too easily": ['"COD": (4, 2)', '"COD": (3, 2)'],
  "a cod hardly ever hits": ['"COD": (4, 2)', '"COD": (6, 2)'],
  "nine rounds are played": ["ROUNDS = 8", "ROUNDS = 9"],
  "the bell rings a round early": ["ROUNDS = 8", "ROUNDS = 7"],
  "a turn lasts 31 seconds": ["SECONDS = 30", "SECONDS = 31"],
  "a turn lasts 29 seconds": ["SECONDS = 30", "SECONDS = 29"],
  "who ducks stays down": ["        self.ducking[who] = False\n", ""],
  "ducking does not help": ["needed += 2", "needed += 0"],
  "ducking helps by one": ["needed += 2", "needed += 1"],
  "the die has seven faces": ["randint(1, 6)", "randint(1, 7)"],
  "the thrower is soaked": ["self.clean[other] = max(0, self.clean[other]", "self.clean[who] = max(0, self.clean[who]"],
  "soaking is counted from 0": ['(roll["soak"] + 1)', 'roll["soak"]'],
  "an apron is dirtier than dirty": ["max(0, self.clean[other] - ", "(self.clean[other] - "],
  "the last cod is thrown again": ["self.left[who][fish] -= 1", 'self.left[who][fish] -= fish != "COD"'],
  "mira always begins": ["for who in (first, 1 - first)", "for who in (0, 1)"],
  "a round is counted twice": ["n=number, first", "n=number + (number > 3), first"],
  "timeouts are not written down": ['            self.tell("timeout", p=who)\n', ""],
  "who was soaked wins": ['"SOAKED", 1 - self', '"SOAKED", self'],
  "the dirtier one wins at the bell": ["self.clean[0] >= self.clean[1]", "self.clean[0] <= self.clean[1]"],
  "who ducks gets an apron washed": ["self.ducking[who] = True", "self.ducking[who], self.clean[who] = True, 9"],
  "one throw is written twice": [
    '        self.tell("throw", p=who',
    '        if self.time > 100: self.tell("throw", p=who, fish=fish, roll=roll, after={"clean": self.clean[:]})\n' +
      '        self.tell("throw", p=who',
  ],
};

/** Plays matches and gives their logs, by seed; with a mistake when one is named. */
export function play(seeds: readonly number[], bug?: string): Map<number, string> {
  const text = readFileSync(GAME, "utf8");
  const [before, after] = bug === undefined ? ["", ""] : (BUGS[bug] ?? ["", ""]);
  if (!text.includes(before)) throw new Error(`The game has no ${JSON.stringify(before)}.`);
  // All of them in one process: the game's text without its last lines, which read the command line.
  const game = text.replace(before, after).replace(/if __name__[\s\S]*/, "");
  const each = `for seed in ${JSON.stringify(seeds)}:\n    Duel(seed).play()\n    print(${JSON.stringify(BETWEEN)})\n`;
  const out = execFileSync("python3", ["-"], { encoding: "utf8", input: `${game}${each}` });
  const logs = out.split(`${BETWEEN}\n`);
  return new Map(seeds.map((seed, i) => [seed, logs[i] ?? ""]));
}

/** The number of the first row, from 1, in which two logs differ; 0 when they are the same. */
export function firstDifferent(one: string, other: string): number {
  if (one === other) return 0;
  const [left, right] = [one.split("\n"), other.split("\n")];
  return left.findIndex((line, i) => line !== right[i]) + 1;
}
