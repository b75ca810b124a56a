/**
 * Makes the logbooks in docs/logbook, for implementers of readers in other languages: right ones with every construct,
 * damaged ones, and what each must come to. Run after a change of the format:
 * `node scripts/run-ts.mjs scripts/make-conformance.ts`.
 */

import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import {
  type BeginOptions,
  begin,
  compile,
  type Input,
  LogbookWriter,
  nextTimer,
  RandomGame,
  RandomPlayer,
  renderMessage,
  Runnable,
  sha256Hex,
  situationJson,
  splitLines,
  step,
  verifyText,
} from "@zany/core";

const FOLDER = "docs/logbook";
const OPENING = Date.parse("2026-06-01T10:00:00Z");

/** What stands in expected.json for a logbook. */
interface Expected {
  readonly file: string;
  /** From the project's folder. */
  readonly machine: string;
  readonly about: string;
  readonly verdict: object;
}

const expected: Expected[] = [];

function runnableOf(file: string): Runnable {
  const find = (part: string): string | undefined => {
    const path = join("examples", part);
    return existsSync(path) ? readFileSync(path, "utf8") : undefined;
  };
  const { ok, machine, messages, sources } = compile(readFileSync(file, "utf8"), file, find, { errorsOnly: true });
  if (!ok) throw new Error(messages.map((message) => renderMessage(sources, message)).join("\n"));
  return new Runnable(machine);
}

/** A match at random, of at most so many steps; what is done first is given. */
function played(
  machine: string,
  how: Partial<BeginOptions>,
  {
    most = 20,
    first = [],
    digestEvery,
    refused = false,
  }: { most?: number; first?: readonly Input[]; digestEvery?: number; refused?: boolean } = {},
): string {
  const runnable = runnableOf(machine);
  const options: BeginOptions = { seed: `conformance ${machine}`, now: OPENING, ...how };
  const { taken, refusal, fault } = begin(runnable, options);
  if (!taken) throw new Error(`${machine}: ${JSON.stringify(refusal ?? fault)}`);
  let text = "";
  const writer = new LogbookWriter(runnable, options, taken, (line) => (text += line), digestEvery);
  // A match in which somebody gives up at once shows nothing.
  const player = new RandomPlayer(runnable, options.seed, { avoid: ["cutLoose", "post"] });
  const game = new RandomGame(runnable, options.seed);
  let { situation } = taken;
  const waiting = [...first];
  while (situation.step < most && !situation.outcome) {
    const time = situation.now + 60_000;
    const own = waiting.shift();
    let input: Input | undefined = own && ({ ...own, time } as Input);
    for (const seat of runnable.machine.seats.names) {
      const chosen = input ? undefined : player.choose(situation, seat);
      if (chosen) input = { ...chosen, time };
    }
    const due = nextTimer(runnable.machine, situation)?.due;
    const event = input ? undefined : game.choose(situation, due !== undefined);
    input ??= event
      ? { ...event, time: situation.now + 900 }
      : due === undefined
        ? undefined
        : { kind: "time", time: due };
    if (!input) break;
    const result = step(runnable, situation, input, { happenings: "now" });
    if (result.fault || (own && result.refusal)) throw new Error(JSON.stringify(result.fault ?? result.refusal));
    for (const each of result.taken) writer.add(each);
    ({ situation } = result);
    // Whoever has just acted wants to go on at once.
    const again = refused && input.kind === "action" ? step(runnable, situation, input) : undefined;
    if (again?.refusal) writer.refuse({ input, refusal: again.refusal, after: situation.step, now: situation.now });
  }
  writer.close();
  return text;
}

/** Keeps a logbook with what it comes to. */
function keep(file: string, machine: string, about: string, text: string): void {
  writeFileSync(join(FOLDER, file), text);
  const { steps: _, otherRules: _other, ...verdict } = verifyText(runnableOf(machine), text);
  const { kind, line, step: at, how } = verdict as { kind: string; line?: number; step?: number; how?: string };
  const told = {
    kind,
    ...(line !== undefined && { line }),
    ...(at !== undefined && { step: at }),
    ...(how && { how }),
  };
  expected.push({ file, machine, about, verdict: told });
}

rmSync(FOLDER, { recursive: true, force: true });
mkdirSync(FOLDER, { recursive: true });

// ---- right ones -------------------------------------------------------------------------------------

const BELL = "docs/examples/bell-toss.zany";
const DUEL = "examples/kite-duel.zany";
const LETTER = "examples/pass-the-letter.zany";
for (const [file, machine, about] of [
  ["bell-toss", BELL, "the smallest: rolls, notes, a score"],
  ["kite-duel", DUEL, "records per seat, an overlay, signals with listeners, clamps, a timer of days"],
  ["stall-siege", "examples/stall-siege.zany", "a party of three, rounds, eliminations"],
  ["market-siege", "examples/market-siege.zany", "a grid, cells, units in a list, ties by lot"],
  ["gull-tricks", "examples/gull-tricks.zany", "private dice, shuffles, sealed actions, ranks"],
  ["bell-tower", "examples/bell-tower.zany", "gauges that fill by a timer that repeats"],
  ["kite-volleys", "examples/kite-volleys.zany", "events of the game, odds"],
  ["lantern-trails", "examples/lantern-trails.zany", "everybody at once and in secret, a grid of records"],
  ["ferry-journey", "examples/ferry-journey.zany", "included files, history, events on the way"],
  ["pass-the-letter", LETTER, "texts, whoever is named is next"],
] as const)
  keep(`right-${file}.jsonl`, machine, about, played(machine, {}));
keep("right-digests.jsonl", DUEL, "a digest in every step", played(DUEL, {}, { most: 8, digestEvery: 1 }));
const given = { data: [{ path: "/data/kites/north/lift", value: 7 }], state: { name: "Paused", args: {} } };
keep("right-given.jsonl", DUEL, "begun with other data, under an overlay", played(DUEL, { given }, { most: 6 }));
keep("right-set-dice.jsonl", DUEL, "rolls set by hand at the beginning", played(DUEL, { dice: [4, 1] }, { most: 6 }));
keep(
  "right-seats.jsonl",
  LETTER,
  "a seat that is open, taken and left",
  played(
    LETTER,
    { seats: 3, open: ["passenger3"] },
    {
      most: 8,
      first: [
        { kind: "join", seat: "passenger3" },
        {
          kind: "action",
          seat: "passenger1",
          action: "pass",
          args: { words: "h\u00e9 \ud83c\udf88", receiver: "passenger3" },
        },
        { kind: "leave", seat: "passenger3" },
      ],
    },
  ),
);
const duel = runnableOf(DUEL);
const begun = begin(duel, { seed: "whole", now: OPENING }).taken;
if (begun)
  keep(
    "right-from.jsonl",
    DUEL,
    "goes on from a whole situation",
    played(DUEL, { seed: "whole", from: situationJson(duel.machine, begun.situation) }, { most: 5 }),
  );

const asked = played(DUEL, {}, { most: 6, refused: true });
keep("right-refused.jsonl", DUEL, "what was asked for and refused", asked);

// ---- damaged ones -----------------------------------------------------------------------------------

const whole = played(BELL, {}, { most: 6 });
const lines = splitLines(whole);
const joined = (some: readonly string[]): string => some.map((line) => `${line}\n`).join("");
/** With its digest made right again, as whoever changes a file on purpose would. */
const sealed = (some: readonly string[]): string => {
  const body = joined(some.slice(0, -1));
  const closing = JSON.parse(some.at(-1) ?? "{}") as object;
  return `${body}${JSON.stringify({ ...closing, file: sha256Hex(body) })}\n`;
};
const changed = (at: number, from: RegExp, to: string): string[] =>
  lines.map((line, i) => (i === at ? line.replace(from, to) : line));
/** An action of a seat that is not on turn, after a step. */
const refusedLine = (after: number): string =>
  JSON.stringify({
    refused: { kind: "action", seat: "ringer", action: "shout", args: {} },
    after,
    time: "2026-06-01T10:01:00.000Z",
    code: "unknownAction",
    words: "There is no such action.",
  });
const damaged: readonly (readonly [string, string, string])[] = [
  ["empty", "nothing in it", ""],
  ["no-logbook", "another file", "hello\n"],
  ["older-format", "format 2", joined(changed(0, /"format":3/, '"format":2'))],
  ["newer-format", "format 99", joined(changed(0, /"format":3/, '"format":99'))],
  ["other-machine", "a match of another machine", joined(changed(0, /"name":"BellToss"/, '"name":"CakeToss"'))],
  ["byte-order-mark", "a byte-order mark before the header", `\ufeff${whole}`],
  [
    "refused-elsewhere",
    "what was refused stands behind another step",
    sealed([...lines.slice(0, 4), refusedLine(1), ...lines.slice(4)]),
  ],
  ["carriage-returns", "lines that end as on another system", whole.replaceAll("\n", "\r\n")],
  ["changed-value", "a value changed by hand", joined(changed(3, /"value":\d/, '"value":9'))],
  [
    "changed-and-sealed",
    "a value changed, and the digest of the file made right",
    sealed(changed(3, /"value":\d/, '"value":9')),
  ],
  [
    "other-roll",
    "a roll that the seed does not give, sealed",
    sealed(changed(2, /("range":"1..6","value":)(\d)/, "$17")),
  ],
  ["removed-line", "a line removed", joined(lines.filter((_, i) => i !== 3))],
  ["repeated-line", "a line twice", joined([...lines.slice(0, 4), ...lines.slice(3)])],
  [
    "reordered",
    "two lines exchanged",
    joined([...lines.slice(0, 3), lines[4] ?? "", lines[3] ?? "", ...lines.slice(5)]),
  ],
  ["cut-off", "the last line cut off", whole.slice(0, -40)],
  ["no-closing", "without the closing line", joined(lines.slice(0, -1))],
  ["not-json", "a line that is no JSON", joined(changed(3, /^\{/, "["))],
  ["missing-member", "a line without `states`", joined(changed(3, /"states":\[[^\]]*\],/, ""))],
  ["wrong-member", "a line whose time is none", joined(changed(3, /"time":"[^"]*"/, '"time":"noon"'))],
  ["more-behind", "something behind the closing line", `${whole}{}\n`],
  ["wrong-end", "a closing line that counts otherwise", sealed(changed(lines.length - 1, /"steps":\d+/, '"steps":99'))],
  ["more-members", "a member that nobody knows, sealed: it is let be", sealed(changed(3, /^\{/, '{"later":true,'))],
];
for (const [file, about, text] of damaged) keep(`damaged-${file}.jsonl`, BELL, about, text);

writeFileSync(join(FOLDER, "expected.json"), `${JSON.stringify(expected, null, 2)}\n`);
console.log(`${expected.length} logbooks`);
