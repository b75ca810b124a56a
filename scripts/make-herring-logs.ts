/** Writes examples/herring-duel/logs: ten matches of the game, three of them played with a mistake in it. */

import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { play } from "../packages/cli/test/herring.js";

const FOLDER = "examples/herring-duel/logs";
/** By the number of the log: its seed, and the mistake. */
const LOGS: readonly (readonly [number, string?])[] = [
  [8],
  [12],
  [3],
  [5, "who ducks stays down"],
  [11],
  [1, "a turn lasts 31 seconds"],
  [7],
  [6],
  [2, "the last cod is thrown again"],
  [10],
];

mkdirSync(FOLDER, { recursive: true });
for (const [i, [seed, bug]] of LOGS.entries())
  writeFileSync(join(FOLDER, `${String(i + 1).padStart(2, "0")}.log`), play([seed], bug).get(seed) ?? "");
