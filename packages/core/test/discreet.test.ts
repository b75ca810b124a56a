/**
 * What a seat may not know shows nowhere: machines at random that keep their secrets are played twice, with one secret
 * changed. Views, options, lines, refusals and faults are the same for everybody who may not know it.
 */

import {
  type BeginOptions,
  begin,
  compile,
  type Input,
  options,
  Runnable,
  renderMessage,
  type Situation,
  seenDue,
  seenFault,
  seenHeader,
  seenLine,
  step,
  stepLine,
  headerOf,
  view,
} from "@zany/core";
import { expect, test } from "vitest";
import { discreetMachine } from "./discreet-machines.js";
import { Chance } from "./generated-machines.js";

/** How many machines; `ZANY_MACHINES` asks for more. */
const MACHINES = Number(process.env["ZANY_MACHINES"] ?? 150);
const STEPS = 12;

/** A secret, two values of it, and who may not know it: seats, or null for watchers and the host. */
const SECRETS: readonly {
  readonly path: string;
  readonly values: readonly [unknown, unknown];
  readonly blind: readonly (string | null)[];
}[] = [
  { path: "/data/coins/ann", values: [3, 11], blind: ["ben", null] },
  { path: "/data/memo/ann", values: ["tar", "a knot in the rope"], blind: ["ben", null] },
  { path: "/data/cards/ann", values: [[2, 3], [9]], blind: ["ben", null] },
  { path: "/data/h", values: [2, 8], blind: ["ann", "ben", null] },
  { path: "/data/pile", values: [[1], [16, 4, 8]], blind: ["ann", "ben", null] },
];

function inputOf(chance: Chance): Input {
  const seat = chance.of(["ann", "ben"]);
  const action = chance.one(12) ? chance.of(["done1", "open1"]) : `act${chance.below(6)}`;
  return { kind: "action", seat, action, args: chance.one(2) ? {} : { n: chance.below(10) } };
}

/** One of a pair: what is taken of an input, and what of it is told to somebody. */
class Side {
  situation: Situation;
  readonly told: (seat: string | null) => unknown;
  private readonly lines;

  constructor(
    private readonly runnable: Runnable,
    how: BeginOptions,
  ) {
    const { taken, fault } = begin(runnable, how);
    if (!taken) throw new Error(`it does not begin: ${fault?.words}`);
    this.situation = taken.situation;
    const header = headerOf(runnable, how, this.situation);
    this.lines = [stepLine(runnable, undefined, taken)];
    this.told = (seat) => ({
      header: seenHeader(header),
      lines: this.lines.map((line) => seenLine(runnable, line, seat)),
      view: view(runnable, this.situation, seat),
      options: seat === null ? [] : options(runnable, this.situation, seat),
      due: seenDue(runnable, this.situation),
    });
  }

  /** @returns what its sender is told when it is not taken */
  take(input: Input): unknown {
    const before = this.situation;
    const { situation, taken, refusal, fault } = step(this.runnable, before, input, { happenings: "now" });
    this.situation = situation;
    for (const [i, one] of taken.entries())
      this.lines.push(stepLine(this.runnable, taken[i - 1]?.situation ?? before, one));
    if (fault) return { fault: seenFault(this.runnable, fault, true) };
    return refusal ? { refusal } : "taken";
  }
}

test("a secret that is changed shows to nobody who may not know it", () => {
  const met = { taken: 0, refused: 0, faults: 0 };
  for (let seed = 0; seed < MACHINES; seed++) {
    const chance = new Chance(seed);
    const text = discreetMachine(chance);
    const { ok, machine, messages, sources } = compile(text, "made.zany", undefined, { errorsOnly: true });
    if (!ok) throw new Error(`${seed}: ${messages.map((m) => renderMessage(sources, m)).join("\n")}`);
    const runnable = new Runnable(machine);
    const { path, values, blind } = chance.of(SECRETS);
    const [one, other] = values.map(
      (value) => new Side(runnable, { seed: "tide", now: 0, given: { data: [{ path, value: value as never }] } }),
    ) as [Side, Side];
    for (let i = 0; i < STEPS; i++) {
      const input = inputOf(chance);
      const [told, alike] = [one.take(input), other.take(input)];
      const what = `${seed}, ${path}, step ${i}: ${JSON.stringify(input)}\n${text}`;
      expect(one.situation.step, what).toBe(other.situation.step);
      if (blind.includes((input as { seat: string }).seat)) expect(told, what).toEqual(alike);
      for (const seat of blind) expect(one.told(seat), `for ${seat}: ${what}`).toEqual(other.told(seat));
      if (told === "taken") met.taken++;
      else if (Object.hasOwn(told as object, "fault")) met.faults++;
      else met.refused++;
    }
  }
  for (const count of Object.values(met)) expect(count).toBeGreaterThan(MACHINES / 2);
});
