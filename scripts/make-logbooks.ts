/**
 * Plays the demo matches and writes their logbooks into examples/logbooks: seeded bots through the
 * engine, two of the matches on older rules. Run after a change of the examples:
 * `node scripts/run-ts.mjs scripts/make-logbooks.ts`.
 */

import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import {
  begin,
  compile,
  type Input,
  LogbookWriter,
  makeBot,
  type GivenDatum,
  type Player,
  RandomGame,
  RandomPlayer,
  Runnable,
  renderMessage,
  run,
  nextTimer,
} from "@zany/core";

const FOLDER = "examples/logbooks";
/** The fair opens on the first of June at ten. */
const OPENING = Date.parse("2026-06-01T10:00:00Z");
const MINUTE = 60_000;
/** Where a match that goes on for long is left. */
const LONGEST = 600;

interface Series {
  readonly file: string;
  readonly count: number;
  /** Numbers of the matches that are played on the older rules. */
  readonly older?: readonly number[];
  readonly seats?: number;
  /** The bot of every seat; without, one that plays at random and avoids these actions. */
  readonly bot?: string;
  readonly avoid?: readonly string[];
  readonly given?: (number: number) => readonly GivenDatum[];
  /** What a seat takes to think, in milliseconds. */
  readonly pause?: number;
}

const data = (path: string, value: unknown): GivenDatum => ({ path: `/data/${path}`, value });

const SERIES: readonly Series[] = [
  {
    file: "kite-duel",
    count: 12,
    older: [7],
    avoid: ["cutLoose"],
    given: (n) => (n === 5 ? [data("kites/north/lift", 12)] : []),
  },
  { file: "stall-siege", count: 8, older: [4], given: (n) => (n === 6 ? [data("round", 11)] : []) },
  { file: "pass-the-letter", count: 1 },
  {
    file: "bell-tower",
    count: 2,
    bot: "steady",
    pause: 700,
    given: () => [data("ringers/swift/pace", 20), data("ringers/sturdy/pace", 14)],
  },
  { file: "gull-tricks", count: 2 },
  { file: "lantern-trails", count: 2, seats: 4, bot: "random", pause: 2_000 },
  { file: "ferry-journey", count: 3, bot: "homeward" },
  { file: "kite-volleys", count: 2, bot: "hauler", pause: 3_000 },
  { file: "market-siege", count: 2, bot: "bold" },
];

function load(file: string): Runnable {
  const compilation = compile(readFileSync(file, "utf8"), file, (part) => {
    const path = `examples/${part}`;
    return existsSync(path) ? readFileSync(path, "utf8") : undefined;
  });
  if (!compilation.ok)
    throw new Error(compilation.messages.map((m) => renderMessage(compilation.sources, m)).join("\n"));
  return new Runnable(compilation.machine);
}

rmSync(FOLDER, { recursive: true, force: true });
mkdirSync(FOLDER, { recursive: true });
for (const series of SERIES) {
  for (let number = 1; number <= series.count; number++) {
    const older = series.older?.includes(number) ?? false;
    const name = `${series.file}-${String(number).padStart(2, "0")}.jsonl`;
    const { text, steps, end } = play(
      series,
      number,
      load(older ? `examples/older/${series.file}-1.zany` : `examples/${series.file}.zany`),
    );
    writeFileSync(`${FOLDER}/${name}`, text);
    console.log(`${name}  ${steps} steps, ${end}${older ? ", older rules" : ""}`);
  }
}

function play(series: Series, number: number, runnable: Runnable): { text: string; steps: number; end: string } {
  const options = {
    seed: `gale fair ${series.file} ${number}`,
    now: OPENING + number * 45 * MINUTE,
    given: { data: series.given?.(number) ?? [] },
    ...(series.seats !== undefined && { seats: series.seats }),
  };
  const { taken, fault, refusal } = begin(runnable, options);
  if (!taken) throw new Error(`${series.file} ${number} does not begin: ${fault?.words ?? refusal?.words}`);
  let text = "";
  const writer = new LogbookWriter(runnable, options, taken, (line) => {
    text += line;
  });
  const game = new RandomGame(runnable, options.seed);
  const players = new Map<string, Player>();
  const playerOf = (seat: string): Player => {
    const known = players.get(seat);
    if (known) return known;
    const player =
      series.bot === undefined
        ? new RandomPlayer(runnable, options.seed, { avoid: series.avoid ?? [] })
        : makeBot(runnable, series.bot, `${options.seed} ${seat}`);
    if (!player) throw new Error(`${series.file} has no bot ${series.bot}`);
    // Those who play at random share one source of choices.
    if (series.bot === undefined) for (const other of runnable.machine.seats.names) players.set(other, player);
    players.set(seat, player);
    return player;
  };
  const next = ({ situation, turn, step }: Parameters<Parameters<typeof run>[2]>[0]): Input | undefined => {
    if (step >= LONGEST) return undefined;
    const time = situation.now + (series.pause ?? MINUTE);
    for (const seat of turn) {
      const input = playerOf(seat).choose(situation, seat);
      if (input) return { ...input, time };
    }
    const due = nextTimer(runnable.machine, situation)?.due;
    const event = game.choose(situation, due !== undefined);
    if (event) return { ...event, time: Math.min(situation.now + 900, due ?? Number.POSITIVE_INFINITY) };
    return due === undefined ? undefined : { kind: "time", time: due };
  };
  const result = run(runnable, taken.situation, next, (step) => writer.add(step));
  if (result.fault || result.refusal)
    throw new Error(`${series.file} ${number}: ${JSON.stringify(result.fault ?? result.refusal)}`);
  writer.close();
  return { text, steps: result.situation.step, end: result.situation.outcome?.ending ?? "not over" };
}
