/**
 * One meaning: machines at random are played by inputs at random in every way there is, as closures, as generated
 * blocks, as whole generated steps, in one run and from their logbooks. Situations, what happened, refusals and the
 * words of faults are the same.
 */

import {
  type BeginOptions,
  begin,
  changesBetween,
  compile,
  type Input,
  LogbookWriter,
  nextTimer,
  options,
  type Recorded,
  Runnable,
  renderMessage,
  run,
  type Situation,
  situationDigest,
  type StepResult,
  step,
  type Taken,
  traceStep,
  verifyText,
} from "@zany/core";
import { expect, test } from "vitest";
import { engineOf, recordingEngineOf } from "../src/engine/matches/runnable.js";
import { Chance, machineOf } from "./generated-machines.js";

/** How many machines; `ZANY_MACHINES` asks for more. */
const MACHINES = Number(process.env["ZANY_MACHINES"] ?? 150);
const STEPS = 25;

function anyInput(chance: Chance, runnable: Runnable, situation: Situation): Input {
  const { names } = runnable.machine.seats;
  const acting = names.filter((name) => options(runnable, situation, name).some((o) => o.open && o.action !== "stop"));
  const seat = acting.length > 0 && !chance.one(8) ? chance.of(acting) : chance.of(names);
  switch (chance.below(14)) {
    case 0:
      return { kind: "event", event: "Gust", args: { force: chance.below(11) } };
    case 1:
      return { kind: "time", time: nextTimer(runnable.machine, situation)?.due ?? situation.now + 1000 };
    case 2:
      return {
        kind: "action",
        seat,
        action: chance.of(["act0", "none1", "pass1"]),
        args: { k: chance.of([1, "x", null]) },
      };
    case 3:
      if (chance.one(9)) return { kind: "leave", seat };
      break;
    default:
  }
  const open = options(runnable, situation, seat).filter(
    (o) => (o.open || chance.one(9)) && (o.action !== "stop" || chance.one(20)),
  );
  const chosen = chance.of(open);
  if (!chosen) return { kind: "time", time: situation.now + 700 };
  const args: Record<string, unknown> = {};
  for (const p of chosen.parameters)
    args[p.name] = p.values ? chance.of(p.values)?.value : p.range ? chance.below(7) : chance.of(["", "gale", "K[0]"]);
  return { kind: "action", seat, action: chosen.action, args };
}

/** The effects that the last step of a machine came to. */
const effectsOf = (runnable: Runnable): number => engineOf(runnable).memory.effects;

/** A step that is recorded does what it does when nobody records, and pays the same. */
function compareTraced(runnable: Runnable, before: Situation, input: Input, by: StepResult, told: string): void {
  const paid = effectsOf(runnable);
  const traces = traceStep(runnable, before, input);
  const last = traces.at(-1);
  if (by.taken.length > 0 && !by.fault && !by.refusal)
    expect(recordingEngineOf(runnable).memory.effects, told).toBe(paid);
  expect([last?.fault, last?.refusal], told).toEqual([by.fault, by.refusal]);
  let current = before;
  for (const [i, taken] of by.taken.entries()) {
    const changed = changesBetween(runnable.machine, current, taken.situation);
    const traced = traces[i]?.changes.map(({ path, after }) => ({
      path,
      ...(after !== undefined && { value: after }),
    }));
    expect(traced, told).toEqual(changed);
    // What changed was written by something, but for what comes from outside: who sits where.
    for (const { path, position } of traces[i]?.changes ?? [])
      if (!path.startsWith("/seats/")) expect(position, `${path} in ${told}`).toBeDefined();
    const rolls = rollsIn(traces[i]?.nodes ?? []);
    const happened = taken.happenings.rolls.map(({ value }) => value);
    if (traces[i]?.lost === 0) expect(rolls, told).toEqual(happened);
    current = taken.situation;
  }
}

/** All rolls of a record, in the order in which they were made. */
function rollsIn(nodes: readonly Recorded[]): (number | boolean)[] {
  return nodes.flatMap(({ rolls = [], parts = [] }) => [...rollsIn(parts), ...rolls.map(({ value }) => value)]);
}

/** Plays one machine in every way. @returns how many steps were taken, faults and refusals met */
function played(seed: number): { steps: number; faults: number; refusals: number } | undefined {
  const text = machineOf(seed);
  const { ok, machine, messages, sources } = compile(text, "made.zany", undefined, { errorsOnly: true });
  if (!ok) throw new Error(`${seed}: ${messages.map((m) => renderMessage(sources, m)).join("\n")}`);
  const closures = new Runnable(machine, false);
  const generated = new Runnable(machine, true);
  const how: BeginOptions = { seed: `made ${seed}`, now: 1_000 };
  const [first, other] = [begin(closures, how), begin(generated, how)];
  expect([other.fault, other.refusal], `${seed} begun\n${text}`).toEqual([first.fault, first.refusal]);
  if (!first.taken || !other.taken) return undefined;
  const chance = new Chance(seed + 1);
  const digest = (situation: Situation): string => situationDigest(closures, situation);
  expect(digest(other.taken.situation)).toBe(digest(first.taken.situation));
  let logbook = "";
  const writer = new LogbookWriter(generated, how, other.taken, (line) => (logbook += line));
  const inputs: Input[] = [];
  let [one, two] = [first.taken.situation, other.taken.situation];
  let repeatable = true;
  const met = { steps: 0, faults: 0, refusals: 0 };
  for (let i = 0; i < STEPS && !one.outcome; i++) {
    const input = anyInput(chance, closures, one);
    const by = step(closures, one, input);
    const paid = effectsOf(closures);
    const now = step(generated, two, input, { happenings: "now" });
    const paidNow = effectsOf(generated);
    const quiet = step(generated, two, input);
    const paidQuietly = effectsOf(generated);
    const told = `${seed}, step ${i}: ${JSON.stringify(input)}\n${text}`;
    // What a step pays decides whether it is too much: it is the same however the step is taken.
    if (by.taken.length > 0 && !by.fault && !by.refusal) expect([paidNow, paidQuietly], told).toEqual([paid, paid]);
    for (const same of [now, quiet]) {
      expect([same.fault, same.refusal], told).toEqual([by.fault, by.refusal]);
      expect(digest(same.situation), told).toBe(digest(by.situation));
      expect(
        same.taken.map((t: Taken) => t.happenings),
        told,
      ).toEqual(by.taken.map((t) => t.happenings));
    }
    compareTraced(closures, one, input, by, told);
    for (const taken of now.taken) writer.add(taken);
    if (by.fault) met.faults++;
    else if (by.refusal) met.refusals++;
    else inputs.push(input);
    // Timers that ran before a refused or faulty input are steps of their own, which no input of a run stands for.
    if ((by.fault || by.refusal) && by.taken.length > 0) repeatable = false;
    [one, two] = [by.situation, quiet.situation];
    met.steps += by.taken.length;
  }
  writer.close();
  expect(verifyText(closures, logbook), `${seed} verified\n${text}`).toMatchObject({
    kind: "verified",
    steps: met.steps,
  });
  const ways = [[generated], [generated, () => {}], [new Runnable(machine)]] as const;
  for (const [runnable, sink] of repeatable ? ways : []) {
    const left = [...inputs];
    const start = begin(runnable, how).taken?.situation as Situation;
    const ran = run(runnable, start, () => left.shift(), sink);
    expect([ran.fault, ran.refusal], `${seed} run ${sink}\n${text}`).toEqual([undefined, undefined]);
    expect(digest(ran.situation), `${seed} run ${sink}\n${text}`).toBe(digest(one));
  }
  return met;
}

test("all ways of running agree on machines that nobody wrote", () => {
  const met = { machines: 0, steps: 0, faults: 0, refusals: 0 };
  for (let seed = 0; seed < MACHINES; seed++) {
    const came = played(seed);
    if (!came) continue;
    met.machines++;
    met.steps += came.steps;
    met.faults += came.faults;
    met.refusals += came.refusals;
  }
  expect(met.machines).toBeGreaterThan(MACHINES / 2);
  expect(met.steps).toBeGreaterThan(MACHINES * 5);
  expect(Math.min(met.faults, met.refusals)).toBeGreaterThan(MACHINES / 20);
  if (process.env["ZANY_MACHINES"]) console.log(met);
});

/** Stalls side by side, open or shut: 2 to the power of their number configurations. */
function wideMachine(stalls: number): string {
  const stall = (i: number): string => `  state Stall${i} {
    start Shut${i}
    state Shut${i} { enter { shut += 1 }  action turn${i} { taken += ${i} } -> Open${i} }
    state Open${i} { exit { opened += taken }  action turn${i} { taken -= 1 } -> Shut${i} }
    on Bell { taken += 1 }
  }`;
  return `machine Market
seats keeper
data { taken: int 0..9999  shut: int 0..99999  opened: int 0..9999999 }
signal Bell()
start Stalls
parallel state Stalls {
  turn of keeper
${Array.from({ length: stalls }, (_, i) => stall(i)).join("\n")}
  action ring { raise Bell() } -> stay
}
ending Over { draws all }
`;
}

test("more configurations than are kept change nothing", () => {
  const { machine, messages } = compile(wideMachine(24), "market.zany", undefined, { errorsOnly: true });
  expect(messages).toEqual([]);
  const chance = new Chance(1);
  const inputs = Array.from({ length: 1_500 }, (): Input => {
    const action = chance.one(9) ? "ring" : `turn${chance.below(24)}`;
    return { kind: "action", seat: "keeper", action };
  });
  const came = [new Runnable(machine, true), new Runnable(machine), new Runnable(machine, false)].map((runnable) => {
    const { taken } = begin(runnable, { seed: "wide", now: 0 });
    const left = [...inputs];
    const { situation } = run(runnable, taken?.situation as Situation, () => left.shift());
    return [situation.step, situationDigest(runnable, situation), engineOf(runnable).memory.configurations.cleared > 0];
  });
  expect(came).toEqual([
    [inputs.length, came[2]?.[1], true],
    [inputs.length, came[2]?.[1], false],
    [inputs.length, came[2]?.[1], false],
  ]);
});
