/**
 * A step costs what it touches, not what the situation holds: the same walk among 200 units on 40 by 40
 * cells, and among 8 units on 8 by 8.
 */

import { begin, compile, type Input, Runnable, run, type Situation, step } from "@zany/core";

const ROUNDS = 15;
const STEPS = 20_000;

function machineOf(units: number, width: number): { runnable: Runnable; first: Situation; inputs: Input[] } {
  const compilation = compile(`machine Field
seats north, south
type Unit { place: cell = cell(0, 0)  nerve: int 0..20 = 20  tired: int 0..9 }
type Spot { trodden: int 0..99  flag: bool }
data {
  field: grid ${width} by ${width} of Spot
  units: list max ${units} of Unit
  onTurn: seat = north
}
start Setup
state Setup {
  enter { for i in 1..${units} { units.push(Unit(place: cell(i mod ${width}, floor(i / ${width})))) } } -> Turn
}
state Turn {
  turn of onTurn
  action walk(unit: int in units.indices, goal: cell) {
    units[unit].place = goal
    units[unit].tired += 1
    field[goal].trodden += 1
    onTurn = next(me)
  } -> stay
  action end -> Over
}
ending Over { draws all }
`);
  if (!compilation.ok) throw new Error(compilation.messages.map((m) => m.words).join("\n"));
  const runnable = new Runnable(compilation.machine);
  const { taken } = begin(runnable, { seed: "size" });
  if (!taken) throw new Error("it does not begin");
  const inputs = Array.from(
    { length: 512 },
    (_, i): Input => ({
      kind: "action",
      seat: i % 2 === 0 ? "north" : "south",
      action: "walk",
      args: { unit: (i * 7) % units, goal: { x: (i * 5) % width, y: (i * 3) % width } },
    }),
  );
  return { runnable, first: taken.situation, inputs };
}

type Field = ReturnType<typeof machineOf>;

function running({ runnable, first, inputs }: Field): void {
  let count = 0;
  run(runnable, first, () => (count < STEPS ? inputs[count++ % inputs.length] : undefined));
}

function stepping({ runnable, first, inputs }: Field): void {
  let situation = first;
  for (let i = 0; i < STEPS; i++) {
    const result = step(runnable, situation, inputs[i % inputs.length] as Input);
    if (result.refusal || result.fault) throw new Error(JSON.stringify(result.refusal ?? result.fault));
    situation = result.situation;
  }
}

const large = machineOf(200, 40);
const small = machineOf(8, 8);
const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;

for (const [what, play] of [
  ["run ", running],
  ["step", stepping],
] as const) {
  const time = (field: Field): number => {
    const from = process.hrtime.bigint();
    play(field);
    return Number(process.hrtime.bigint() - from) / STEPS;
  };
  for (let i = 0; i < 4; i++) time(i % 2 === 0 ? large : small);
  const pairs = Array.from({ length: ROUNDS }, () => [time(large), time(small)] as const);
  console.log(
    `${what}  200 units, 40 by 40: ${median(pairs.map(([l]) => l)).toFixed(0)} ns a step; 8 units, 8 by 8: ` +
      `${median(pairs.map(([, s]) => s)).toFixed(0)} ns; ratio ${median(pairs.map(([l, s]) => l / s)).toFixed(2)}`,
  );
}
