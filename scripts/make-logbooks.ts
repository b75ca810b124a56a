/**
 * Plays the twenty demo matches and writes their logbooks into examples/logbooks: seeded random
 * players through the engine, two of the matches on older rules. Run after a change of the examples:
 * `node scripts/run-ts.mjs scripts/make-logbooks.ts`.
 */

import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { begin, compile, LogbookWriter, type Override, RandomPlayer, Runnable, renderMessage, run } from "@zany/core";

const FOLDER = "examples/logbooks";
/** The fair opens on the first of June at ten. */
const OPENING = Date.parse("2026-06-01T10:00:00Z");
const MINUTE = 60_000;

interface Series {
  readonly name: string;
  readonly file: string;
  readonly count: number;
  /** Numbers of the matches that are played on the older rules. */
  readonly older: readonly number[];
  readonly avoid: readonly string[];
  readonly overrides: (number: number) => readonly Override[];
}

const SERIES: readonly Series[] = [
  { name: "kite-duel", file: "kite-duel.zany", count: 12, older: [7], avoid: ["cutLoose"], overrides: (n) => (n === 5 ? [{ path: "/data/kites/north/lift", value: 12 }] : []) },
  { name: "stall-siege", file: "stall-siege.zany", count: 8, older: [4], avoid: [], overrides: (n) => (n === 6 ? [{ path: "/data/round", value: 11 }] : []) },
];

function load(file: string): Runnable {
  const compilation = compile(readFileSync(file, "utf8"), file);
  if (!compilation.ok) throw new Error(compilation.messages.map((m) => renderMessage(compilation.sources, m)).join("\n"));
  return new Runnable(compilation.machine);
}

rmSync(FOLDER, { recursive: true, force: true });
mkdirSync(FOLDER, { recursive: true });
for (const series of SERIES) {
  const now = load(`examples/${series.file}`);
  const before = load(`examples/older/${series.file.replace(".zany", "-1.zany")}`);
  for (let number = 1; number <= series.count; number++) {
    const runnable = series.older.includes(number) ? before : now;
    const options = { seed: `gale fair ${series.name} ${number}`, now: OPENING + number * 45 * MINUTE, overrides: series.overrides(number) };
    const { taken } = begin(runnable, options);
    if (!taken) throw new Error("a demo match does not begin");
    let text = "";
    const writer = new LogbookWriter(runnable, options, taken, (line) => {
      text += line;
    });
    const player = new RandomPlayer(runnable, options.seed, { avoid: series.avoid });
    let at = options.now;
    const result = run(
      runnable,
      taken.situation,
      (moment) => {
        at += MINUTE;
        const [seat] = moment.turn;
        const input = seat === undefined ? undefined : player.choose(moment.situation, seat);
        return input && { ...input, at };
      },
      (step) => writer.add(step),
    );
    if (result.fault || result.refusal) throw new Error(`${series.name} ${number}: ${JSON.stringify(result.fault ?? result.refusal)}`);
    writer.close();
    const name = `${series.name}-${String(number).padStart(2, "0")}.jsonl`;
    writeFileSync(`${FOLDER}/${name}`, text);
    console.log(`${name}  ${result.situation.step} steps, ${result.situation.outcome?.ending}${runnable === before ? ", older rules" : ""}`);
  }
}
