/**
 * What is caught of mechanical mistakes in the examples: by the checker (its warnings, not its hints), by the
 * machines' own tests and laws, by neither. A mutant changes behaviour when it does not compile, or when the same
 * matches, played from the same seeds, are seen differently by somebody.
 */

import { existsSync, readdirSync, readFileSync } from "node:fs";
import {
  begin,
  compile,
  type Input,
  nextTimer,
  options,
  RandomGame,
  RandomPlayer,
  Runnable,
  runTests,
  type Situation,
  step,
  type View,
  view,
  withEvidence,
} from "@zany/core";
import { mutantsOf } from "../../packages/core/test/mutants.js";

const FOLDER = "examples";
const MOST = 14;
const MATCHES = 24;
const LENGTH = 50;

const findPart = (path: string): string | undefined =>
  existsSync(`${FOLDER}/${path}`) ? readFileSync(`${FOLDER}/${path}`, "utf8") : undefined;

/** A view without the types of its data: how far a value may go is no behaviour before it goes there. */
function shown({ data, ...rest }: View): unknown {
  return [rest, data.map(({ name, value }) => [name, value])];
}

/** What everybody sees of one match played at random, step by step; a fault ends it. */
function* seen(runnable: Runnable, number: number): Generator<string> {
  const seed = `mutant ${number}`;
  const begun = begin(runnable, { seed });
  if (!begun.taken) {
    yield `fault ${begun.fault?.code ?? "refused"}`;
    return;
  }
  let { situation } = begun.taken;
  const { seats } = runnable.machine;
  const players = new Map(seats.names.map((seat) => [seat, new RandomPlayer(runnable, `${seed} ${seat}`)]));
  const game = new RandomGame(runnable, seed);
  for (let at = 0; at < LENGTH; at++) {
    yield JSON.stringify([
      situation.outcome,
      ...[...seats.names, null].map((seat) => shown(view(runnable, situation, seat))),
    ]);
    if (situation.outcome) return;
    const input = inputAt(runnable, situation, players, game, number, at);
    if (!input) return;
    const stepped = step(runnable, situation, input);
    if (stepped.fault) {
      yield `fault ${stepped.fault.code}`;
      return;
    }
    if (stepped.refusal) yield `refused ${stepped.refusal.code}`;
    if (stepped.taken.length === 0) return;
    yield JSON.stringify(stepped.taken.map((t) => t.happenings.notes));
    situation = stepped.situation;
  }
}

function inputAt(
  runnable: Runnable,
  situation: Situation,
  players: ReadonlyMap<string, RandomPlayer>,
  game: RandomGame,
  number: number,
  at: number,
): Input | undefined {
  const { turn, seats } = view(runnable, situation, null);
  // Every third match somebody leaves, every fifth step somebody takes what is open to anyone, sometimes time passes
  // first.
  if (number % 3 === 2 && at === 3 + (number % 7)) {
    const leaver = seats.find((s) => s.status === "in");
    if (leaver) return { kind: "leave", seat: leaver.seat };
  }
  const due = nextTimer(runnable.machine, situation)?.due;
  if (due !== undefined && (number + at) % 9 === 8) return { kind: "time", time: due };
  if ((number + at) % 5 === 4) {
    for (const { seat } of seats) {
      const open = options(runnable, situation, seat).find(
        (o) =>
          o.open &&
          o.parameters.length === 0 &&
          runnable.machine.actions.some((a) => a.name === o.action && a.by !== undefined),
      );
      if (open) return { kind: "action", seat, action: open.action, args: {} };
    }
  }
  for (const seat of turn) {
    const input = players.get(seat)?.choose(situation, seat);
    if (input) return input;
  }
  return game.choose(situation, due !== undefined) ?? (due === undefined ? undefined : { kind: "time", time: due });
}

/** True when the two are seen differently in some match. */
function differs(original: Runnable, other: Runnable): boolean {
  for (let number = 0; number < MATCHES; number++) {
    const one = seen(original, number);
    for (const now of seen(other, number)) if (one.next().value !== now) return true;
    if (!one.next().done) return true;
  }
  return false;
}

interface Count {
  all: number;
  changed: number;
  checker: number;
  errors: number;
  tests: number;
  neither: number;
}

const counts = new Map<string, Count>();
const missed: string[] = [];
const count = (name: string): Count => {
  const known = counts.get(name) ?? { all: 0, changed: 0, checker: 0, errors: 0, tests: 0, neither: 0 };
  counts.set(name, known);
  return known;
};

for (const file of readdirSync(FOLDER).filter((f) => f.endsWith(".zany"))) {
  const text = readFileSync(`${FOLDER}/${file}`, "utf8");
  const original = new Runnable(compile(text, file, findPart, { errorsOnly: true }).machine, false);
  for (const mutant of mutantsOf(text, MOST)) {
    const compilation = compile(mutant.text, file, findPart);
    const { ok, machine } = compilation;
    const caught = withEvidence(compilation).messages.some(({ severity }) => severity !== "hint");
    const runnable = ok ? new Runnable(machine, false) : undefined;
    const failing = runnable !== undefined && runTests(runnable).some((t) => t.failure);
    const faulty =
      runnable !== undefined &&
      !failing &&
      !caught &&
      [...Array(MATCHES).keys()].some((n) => [...seen(runnable, n)].some((s) => s.startsWith("fault")));
    const changed = !runnable || failing || faulty || differs(original, runnable);
    for (const name of [mutant.kind, "all"]) {
      const c = count(name);
      c.all++;
      if (!changed) continue;
      c.changed++;
      if (caught) c.checker++;
      if (!ok) c.errors++;
      if (!caught && (failing || faulty)) c.tests++;
      if (!caught && !failing && !faulty) c.neither++;
    }
    if (changed && !caught && !failing && !faulty)
      missed.push(
        `${file}:${mutant.line}: ${mutant.kind}: ` +
          `${mutant.from.replace(/\s+/g, " ")} => ${mutant.to.replace(/\s+/g, " ")}`,
      );
    if (process.env["ZANY_MUTANTS"] === "tests" && changed && !caught && (failing || faulty))
      missed.push(
        `(tests) ${file}:${mutant.line}: ${mutant.kind}: ` +
          `${mutant.from.replace(/\s+/g, " ")} => ${mutant.to.replace(/\s+/g, " ")}`,
      );
  }
}

const share = (part: number, of: number): string => `${part} (${of === 0 ? 0 : Math.round((100 * part) / of)}%)`;
for (const [name, c] of [...counts].sort(([a], [b]) => Number(a === "all") - Number(b === "all"))) {
  console.log(
    `${name.padEnd(18)} ${String(c.all).padStart(4)} mutants, ${c.changed} change behaviour; ` +
      `of these the checker catches ${share(c.checker, c.changed)}, ${c.errors} of them as errors; ` +
      `tests and laws catch ${c.tests} more; neither ${c.neither}`,
  );
}
console.log(`\ncaught by neither:\n${missed.map((m) => `  ${m}`).join("\n")}`);
