/** Plays KiteDuel in the engine and by hand, in one process, and prints both rates and their ratio. */
import { readFileSync } from "node:fs";
import { begin, compile, type Input, Runnable, run, type Situation } from "@zany/core";
import { type Deed, HandDuel, Phase } from "./kite-duel-by-hand.js";

const MATCHES = 400;
const ROUNDS = 15;
const STEPS = 60_000;

const compilation = compile(readFileSync("examples/kite-duel.zany", "utf8"), "examples/kite-duel.zany");
if (!compilation.ok) throw new Error("KiteDuel does not compile");
const runnable = new Runnable(compilation.machine);

const starts: Situation[] = [];
const hands: HandDuel[] = [];
for (let i = 0; i < MATCHES; i++) {
  const { taken } = begin(runnable, { seed: `bench ${i}` });
  if (!taken) throw new Error("a match does not begin");
  starts.push(taken.situation);
  const hand = new HandDuel(taken.situation.dice.slice());
  Object.assign(hand, { words: taken.situation.dice.slice() });
  // The hand-written match began with dice of its own: give it the engine's first lap.
  copyStart(taken.situation, hand);
  hands.push(hand);
}

function copyStart(situation: Situation, hand: HandDuel): void {
  const kites = (situation.root.at[0] as { at: { at: unknown[] }[] }).at;
  for (const [i, kite] of kites.entries()) Object.assign(hand.kites[i] as object, { gust: kite.at[5] as number });
  hand.queue = [...(situation.root.at[2] as { at: number[] }).at];
  hand.lap = 1;
}

const SEATS = ["north", "south"] as const;
const DEEDS: readonly Deed[] = ["slash", "slash", "brace", "slash", "slash", "mend"];
const INPUTS = SEATS.map((seat, i) =>
  DEEDS.map((action): Input => (action === "slash" ? { kind: "act", seat, action, args: { target: SEATS[1 - i] } } : { kind: "act", seat, action })),
);

/** Plays every match once in the engine; gives the number of steps. */
function byEngine(): number {
  let steps = 0;
  for (const start of starts) {
    let mends = [0, 0];
    const result = run(runnable, start, (moment) => {
      const seat = moment.turn[0] === "north" ? 0 : 1;
      let deed = moment.step % DEEDS.length;
      if (deed === 5 && (mends[seat] as number)++ >= 2) deed = 0;
      return (INPUTS[seat] as Input[])[deed];
    });
    mends = [];
    if (result.refusal || result.fault) throw new Error(JSON.stringify(result.refusal ?? result.fault));
    steps += result.situation.step;
  }
  return steps;
}

/** Plays every match once by hand; gives the number of steps. */
function byHand(): number {
  let steps = 0;
  for (const start of hands) {
    const match = HandDuel.from(start);
    const mends = [0, 0];
    while (match.phase === Phase.Turn) {
      const seat = match.queue[0] as number;
      let deed = match.steps % DEEDS.length;
      if (deed === 5 && (mends[seat] as number)++ >= 2) deed = 0;
      if (!match.act(seat, DEEDS[deed] as Deed, 1 - seat)) throw new Error("refused");
    }
    steps += match.steps;
  }
  return steps;
}

function nanosecondsPerStep(play: () => number): number {
  let steps = 0;
  const from = process.hrtime.bigint();
  while (steps < STEPS) steps += play();
  return Number(process.hrtime.bigint() - from) / steps;
}

if (byEngine() !== byHand()) throw new Error(`the two do not play the same: ${byEngine()} and ${byHand()} steps`);
const engine: number[] = [];
const hand: number[] = [];
for (let i = 0; i < ROUNDS; i++) {
  engine.push(nanosecondsPerStep(byEngine));
  hand.push(nanosecondsPerStep(byHand));
}
const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;
const ratios = engine.map((e, i) => e / (hand[i] as number));
console.log(`run, no logbook   engine ${median(engine).toFixed(0)} ns a step, by hand ${median(hand).toFixed(0)} ns, ratio ${median(ratios).toFixed(2)}`);
