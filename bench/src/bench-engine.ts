/** Plays KiteDuel in the engine and by hand, in one process, and prints both rates and their ratio. */
import { readFileSync } from "node:fs";
import {
  begin,
  canonicalJson,
  compile,
  type Input,
  LogbookWriter,
  Runnable,
  RunningDigest,
  run,
  sha256Hex,
  type Situation,
  step,
  type Taken,
} from "@zany/core";
import { Dice } from "../../packages/core/src/engine/values/random.js";
import { type Deed, HandDuel, Phase } from "./kite-duel-by-hand.js";

const MATCHES = 400;
const ROUNDS = 11;
const STEPS = 150_000;

const compilation = compile(readFileSync("examples/kite-duel.zany", "utf8"), "examples/kite-duel.zany");
if (!compilation.ok) throw new Error("KiteDuel does not compile");
const runnable = new Runnable(compilation.machine);

const firsts: Taken[] = [];
const starts: Situation[] = [];
const hands: HandDuel[] = [];
for (let i = 0; i < MATCHES; i++) {
  const { taken } = begin(runnable, { seed: `bench ${i}` });
  if (!taken) throw new Error("a match does not begin");
  firsts.push(taken);
  starts.push(taken.situation);
  const hand = new HandDuel(new Dice(taken.situation.dice));
  hand.dice.take(taken.situation.dice);
  // The hand-written match began with dice of its own: give it the engine's first lap.
  copyStart(taken.situation, hand);
  hands.push(hand);
}

function copyStart(situation: Situation, hand: HandDuel): void {
  const kites = (situation.root.parts[0] as { parts: { parts: unknown[] }[] }).parts;
  for (const [i, kite] of kites.entries()) Object.assign(hand.kites[i] as object, { gust: kite.parts[5] as number });
  hand.queue = [...(situation.root.parts[2] as { parts: number[] }).parts];
  hand.lap = 1;
}

const SEATS = ["north", "south"] as const;
const DEEDS: readonly Deed[] = ["slash", "slash", "brace", "slash", "slash", "mend"];
const INPUTS = SEATS.map((seat, i) =>
  DEEDS.map(
    (action): Input =>
      action === "slash"
        ? { kind: "action", seat, action, args: { target: SEATS[1 - i] } }
        : { kind: "action", seat, action },
  ),
);

/** How the matches of the last round ended: who plays a match wants to know. */
const outcomes: unknown[] = [];

/** Which deed comes at a step: the same for both, and no third mending. */
function deedAt(step: number, seat: number, mends: number[]): number {
  const deed = step % DEEDS.length;
  return deed === 5 && (mends[seat] as number)++ >= 2 ? 0 : deed;
}

/** Plays every match once in the engine; gives the number of steps. The last outcomes stay in `outcomes`. */
function byEngine(): number {
  let steps = 0;
  outcomes.length = 0;
  for (const start of starts) {
    const mends = [0, 0];
    const result = run(runnable, start, (moment) => {
      const seat = moment.turn[0] === "north" ? 0 : 1;
      return (INPUTS[seat] as Input[])[deedAt(moment.step, seat, mends)];
    });
    if (result.refusal || result.fault) throw new Error(JSON.stringify(result.refusal ?? result.fault));
    steps += result.situation.step;
    outcomes.push(result.situation.outcome);
  }
  return steps;
}

/** Plays every match once by hand; gives the number of steps. The last outcomes stay in `outcomes`. */
function byHand(): number {
  let steps = 0;
  outcomes.length = 0;
  for (const start of hands) {
    const match = HandDuel.from(start);
    const mends = [0, 0];
    while (match.phase === Phase.Turn) {
      const seat = match.queue[0] as number;
      if (!match.act(seat, DEEDS[deedAt(match.steps, seat, mends)] as Deed, 1 - seat)) throw new Error("refused");
    }
    steps += match.steps;
    outcomes.push(match.outcome());
  }
  return steps;
}

function nanosecondsPerStep(play: () => number, least = STEPS): number {
  let steps = 0;
  const from = process.hrtime.bigint();
  while (steps < least) steps += play();
  return Number(process.hrtime.bigint() - from) / steps;
}

const played = [byEngine(), JSON.stringify(outcomes)];
if (byHand() !== played[0] || JSON.stringify(outcomes) !== played[1]) throw new Error("the two do not play the same");
// Both are warm before anything is counted.
for (let i = 0; i < 5; i++) {
  nanosecondsPerStep(byEngine);
  nanosecondsPerStep(byHand);
}
const engine: number[] = [];
const hand: number[] = [];
for (let i = 0; i < ROUNDS; i++) {
  engine.push(nanosecondsPerStep(byEngine));
  hand.push(nanosecondsPerStep(byHand));
}
const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;
const report = (what: string, engine: readonly number[], hand: readonly number[]): void => {
  const ratios = engine.map((e, i) => e / (hand[i] as number));
  const best = Math.min(...engine) / Math.min(...hand);
  console.log(
    `${what}  engine ${median(engine).toFixed(0)} ns a step, by hand ${median(hand).toFixed(0)} ` +
      `ns, ratio ${median(ratios).toFixed(2)} (of the fastest rounds ${best.toFixed(2)})`,
  );
};
report("run, no logbook  ", engine, hand);

// ---- step by step --------------------------------------------------------------------------------

/** Plays every match once with `step`, which gives a situation after each; gives the number of steps. */
function byStep(): number {
  let steps = 0;
  for (const start of starts) {
    const mends = [0, 0];
    let situation = start;
    while (!situation.outcome) {
      const seat = (situation.root.parts[2] as { parts: number[] }).parts[0] as number;
      const result = step(runnable, situation, (INPUTS[seat] as Input[])[deedAt(situation.step, seat, mends)] as Input);
      if (result.refusal || result.fault) throw new Error(JSON.stringify(result.refusal ?? result.fault));
      situation = result.situation;
    }
    steps += situation.step;
  }
  return steps;
}

if (byStep() !== played[0]) throw new Error("step does not play the same");
for (let i = 0; i < 5; i++) nanosecondsPerStep(byStep);
const stepped: number[] = [];
const handBeside: number[] = [];
for (let i = 0; i < ROUNDS; i++) {
  stepped.push(nanosecondsPerStep(byStep));
  handBeside.push(nanosecondsPerStep(byHand));
}
report("step             ", stepped, handBeside);

// ---- with a logbook ----------------------------------------------------------------------------

/** The engine's matches, written down. */
function engineLogbooks(): { steps: number; texts: string[] } {
  const texts: string[] = [];
  let steps = 0;
  for (const [i, first] of firsts.entries()) {
    let text = "";
    const writer = new LogbookWriter(runnable, { seed: `bench ${i}` }, first, (line) => {
      text += line;
    });
    const mends = [0, 0];
    const result = run(
      runnable,
      first.situation,
      (moment) =>
        (INPUTS[moment.turn[0] === "north" ? 0 : 1] as Input[])[
          deedAt(moment.step, moment.turn[0] === "north" ? 0 : 1, mends)
        ],
      (taken) => writer.add(taken),
    );
    writer.close();
    steps += result.situation.step;
    texts.push(text);
  }
  return { steps, texts };
}

/** The hand-written matches, written down in the same lines. */
function handLogbooks(): { steps: number; texts: string[] } {
  const texts: string[] = [];
  let steps = 0;
  for (const [i, start] of hands.entries()) {
    const match = HandDuel.from(start);
    const digest = new RunningDigest();
    let text = "";
    const write = (line: string): void => {
      digest.add(line);
      text += line;
    };
    for (const line of (opening[i] as string).split("\n").slice(0, 2)) write(`${line}\n`);
    const mends = [0, 0];
    let before = HandDuel.from(match);
    while (match.phase === Phase.Turn) {
      const seat = match.queue[0] as number;
      const deed = DEEDS[deedAt(match.steps, seat, mends)] as Deed;
      match.record = { dice: [], notes: [], signals: [], clamped: [] };
      if (!match.act(seat, deed, 1 - seat)) throw new Error("refused");
      write(`${handLine(match, before, seat, deed)}\n`);
      before = HandDuel.from(match);
    }
    const { whole, outcome } = handSituation(match);
    const closing = { end: true, steps: match.steps, result: outcome, digest: sha256Hex(canonicalJson(whole)) };
    text += `${JSON.stringify({ ...closing, file: digest.hex() })}\n`;
    steps += match.steps;
    texts.push(text);
  }
  return { steps, texts };
}

function handLine(match: HandDuel, before: HandDuel, seat: number, deed: Deed): string {
  const changes: { path: string; value: unknown }[] = [];
  for (const [i, name] of SEATS.entries()) {
    const [was, is] = [
      before.kites[i] as unknown as Record<string, unknown>,
      match.kites[i] as unknown as Record<string, unknown>,
    ];
    for (const key in is)
      if (was[key] !== is[key]) changes.push({ path: `/data/kites/${name}/${key}`, value: is[key] });
  }
  if (before.lap !== match.lap) changes.push({ path: "/data/lap", value: match.lap });
  if (before.queue.length !== match.queue.length)
    changes.push({ path: "/data/queue", value: match.queue.map((s) => SEATS[s]) });
  else
    for (const [i, s] of match.queue.entries())
      if (s !== before.queue[i]) changes.push({ path: `/data/queue/${i}`, value: SEATS[s] });
  return JSON.stringify({
    step: match.steps,
    time: new Date(match.now).toISOString(),
    input: {
      kind: "action",
      seat: SEATS[seat],
      action: deed,
      ...(deed === "slash" && { args: { target: SEATS[1 - seat] } }),
    },
    dice: match.record?.dice,
    states: match.phase === Phase.Turn ? ["Lap", "Turn"] : [],
    notes: match.record?.notes,
    changes,
    ...(match.record?.signals.length && { signals: match.record.signals }),
    ...(match.record?.clamped.length && { clamped: match.record.clamped }),
  });
}

function handSituation(match: HandDuel): { whole: unknown; outcome: unknown } {
  const outcome = match.outcome();
  const kites = Object.fromEntries(SEATS.map((seat, i) => [seat, match.kites[i]]));
  const data = { kites, lap: match.lap, queue: match.queue.map((s) => SEATS[s]) };
  return {
    outcome,
    whole: {
      step: match.steps,
      now: match.now,
      layers: [[]],
      data,
      local: {},
      ready: {},
      timers: {},
      seats: { north: "in", south: "in" },
      dice: { main: match.dice.state().counters[0] },
      history: {},
      outcome,
    },
  };
}

const opening = engineLogbooks().texts;
const [ours, theirs] = [engineLogbooks(), handLogbooks()];
const differs = ours.texts.findIndex((text, i) => text !== theirs.texts[i]);
if (differs >= 0)
  throw new Error(`the logbooks of match ${differs} differ:\n${ours.texts[differs]}\n${theirs.texts[differs]}`);
for (let i = 0; i < 3; i++) {
  nanosecondsPerStep(() => engineLogbooks().steps);
  nanosecondsPerStep(() => handLogbooks().steps);
}
const engineWritten: number[] = [];
const handWritten: number[] = [];
for (let i = 0; i < ROUNDS; i++) {
  engineWritten.push(nanosecondsPerStep(() => engineLogbooks().steps, STEPS / 10));
  handWritten.push(nanosecondsPerStep(() => handLogbooks().steps, STEPS / 10));
}
report("run, with logbook", engineWritten, handWritten);
