/** Amounts that turn round, values that always stop at their bounds, and bonuses undone by a constant. */

import { NUMBER_FUNCTIONS } from "../builtins.js";
import type { Messages } from "../../language/message.js";
import { describe } from "../types.js";
import { someExpr, visitMachine } from "../visit.js";
import type { Expr, Location, Machine, Statement } from "../machine.js";
import { type Change, changeOf } from "../reason/change-of.js";
import type { Findings } from "../reason/findings.js";
import { pathOf, pathOfLocation } from "../reason/accesses.js";

type Assignment = Statement & { readonly kind: "assign" };

export function checkAmounts(found: Findings, messages: Messages): void {
  const { machine } = found;
  const text = (span: { from: number; to: number }): string => machine.sources.written(span);
  const bothWays = bothWaysIn(machine);
  for (const [statement, { amount, value, target }] of found.written) {
    if (statement.kind !== "assign") continue;
    const change = changeOf(machine, statement);
    const differs = change?.op === "-=" || (change && isDifference(change.value));
    if (
      change &&
      amount &&
      amount.low < 0 &&
      amount.high > 0 &&
      differs &&
      !isMeant(found, statement, change, bothWays)
    ) {
      const wrong = change.op === "-=" ? "and would then add" : "and would then take away";
      messages.warning(
        "negative-amount",
        change.value,
        `"${text(change.value)}" can be negative here (down to ${shown(amount.low)}), ${wrong}.`,
        `Keep it from turning round: max(0, ${text(change.value)}).`,
      );
      continue;
    }
    const { type } = target;
    if (type.kind === "int" && value && (value.low > type.high || value.high < type.low)) {
      const bound = value.low > type.high ? type.high : type.low;
      messages.warning(
        "always-clamped",
        statement,
        `What is written to "${text(target)}" is always outside ${describe(type)}: it is clamped to ${bound} ` +
          `every time.`,
        "Write what fits, or widen the bounds of the type.",
      );
    } else if (type.kind === "int" && statement.op === "=" && statement.value.kind === "roll") {
      const { type: of, ...roll } = statement.value;
      const isWritten = [roll.times, roll.low, roll.high].every((e) => !someExpr(e, ({ kind }) => !WRITTEN.has(kind)));
      const { low, high } = of.kind === "int" ? of : type;
      if (!isWritten || (low >= type.low && high <= type.high)) continue;
      const beyond = high > type.high ? high : low;
      messages.warning(
        "always-clamped",
        statement.value,
        `"${text(target)}" is ${describe(type)}: a roll of ${beyond} is clamped to ` +
          `${high > type.high ? type.high : type.low}.`,
        "Roll what fits, or widen the bounds of the type.",
      );
    } else if (type.kind === "int" && statement.op === "=") {
      for (const branch of branchesOf(statement.value)) {
        const { low, high } = branch.type.kind === "int" ? branch.type : { low: 0, high: 0 };
        if (low !== high || (low >= type.low && low <= type.high)) continue;
        messages.warning(
          "always-clamped",
          branch,
          `"${text(target)}" is ${describe(type)}: ${low} is clamped to ${low > type.high ? type.high : type.low}.`,
          "Write what fits, or widen the bounds of the type.",
        );
      }
    }
  }
  checkConstants(found, messages);
}

/** The kinds of expressions that are the same in every match. */
const WRITTEN: ReadonlySet<string> = new Set(["constant", "named", "negate"]);

/** The values that an `if` chooses among; none for any other expression. */
function branchesOf(e: Expr): Expr[] {
  return e.kind === "if"
    ? [e.then, e.otherwise].flatMap((branch) => (branch.kind === "if" ? branchesOf(branch) : [branch]))
    : [];
}

/**
 * An amount that may well turn round: added to what goes both ways, the time since something, what a seat chose within
 * bounds that were asked of it, or a gain less its price.
 */
function isMeant(found: Findings, statement: Assignment, { op, value }: Change, { given, rolled }: BothWays): boolean {
  const { target } = statement;
  if (op === "+=" && target.type.kind === "int" && target.type.low < 0) return true;
  if (op === "+=" && isLessItsPrice(found, statement, value)) return true;
  if (someExpr(value, (e) => e.kind === "local" && given.has(e.slot))) return true;
  if (value.kind === "local" && rolled.has(value.slot)) return true;
  if (value.kind !== "binary" || value.op !== "-") return false;
  return value.left.kind === "now" || isBounded(found, value.right);
}

/** Whether an action that adds a difference asks first how much of it there is: what is taken off there is paid. */
function isLessItsPrice({ machine }: Findings, { target, from, to }: Assignment, value: Expr): boolean {
  if (value.kind !== "binary" || value.op !== "-" || value.right.kind !== "constant") return false;
  const action = machine.actions.find((each) => each.from <= from && to <= each.to);
  const path = pathOfLocation(target);
  return action?.needs.some(({ test }) => someExpr(test, (e) => path !== undefined && pathOf(e) === path)) ?? false;
}

/** Local values that are meant to go both ways, by their slots. */
interface BothWays {
  /** Parameters of effects for which a call writes a number below 0. */
  readonly given: ReadonlySet<number>;
  /** What is rolled so, and not set again. */
  readonly rolled: ReadonlySet<number>;
}

function bothWaysIn(machine: Machine): BothWays {
  const [given, rolled, setAgain] = [new Set<number>(), new Set<number>(), new Set<number>()];
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "call")
        for (const [i, { slot }] of (machine.effects[s.effect]?.parameters ?? []).entries())
          if (isBelowZero(s.args[i])) given.add(slot);
      if (s.kind === "let" && goesBothWays(s.value)) rolled.add(s.slot);
      if (s.kind === "assign" && s.target.base.kind === "local") setAgain.add(s.target.base.slot);
    },
  });
  return { given, rolled: new Set([...rolled].filter((slot) => !setAgain.has(slot))) };
}

/** A roll from below 0 to above it, also so many times: which way it goes is what is rolled. */
function goesBothWays(e: Expr): boolean {
  if (e.kind === "roll") return isBelowZero(e.low);
  return e.kind === "binary" && e.op === "*" && (goesBothWays(e.left) || goesBothWays(e.right));
}

/** A number below 0, as it is written. */
function isBelowZero(e: Expr | undefined): boolean {
  if (e?.kind === "negate") return e.of.kind === "constant" && Number(e.of.value) > 0;
  return e?.kind === "constant" && Number(e.value) < 0;
}

/** A parameter whose condition compares it, or data that are set from such a parameter alone. */
function isBounded(found: Findings, e: Expr): boolean {
  const { machine, accesses } = found;
  if (e.kind === "local")
    return machine.actions.some((a) =>
      a.parameters.some(({ slot, where }) => slot === e.slot && where !== undefined && compares(where, slot)),
    );
  const path = pathOf(e);
  const writes = path === undefined ? [] : accesses.writes(path).filter((a) => a.place.kind !== "test");
  return (
    writes.length > 0 &&
    writes.every(
      ({ statement }) =>
        statement?.kind === "assign" &&
        statement.op === "=" &&
        statement.value.kind === "local" &&
        isBounded(found, statement.value),
    )
  );
}

/** Whether a condition says of a local value that it is no more than something. */
function compares(test: Expr, slot: number): boolean {
  if (test.kind !== "binary") return false;
  const is = (side: Expr): boolean => side.kind === "local" && side.slot === slot;
  if (test.op === "and") return compares(test.left, slot) || compares(test.right, slot);
  return (
    ((test.op === "<" || test.op === "<=") && is(test.left)) ||
    ((test.op === ">" || test.op === ">=") && is(test.right))
  );
}

/** Something less something else: meant as an amount. A bare roll from -1 to 1 is meant to go both ways. */
function isDifference(e: Expr): boolean {
  if (e.kind === "binary" && e.op === "-") return true;
  return (
    e.kind === "local" ||
    (e.kind === "numeric" && NUMBER_FUNCTIONS[e.name].gives === "int" && isDifference(e.args[0] as Expr))
  );
}

function shown(n: number): string {
  return n < -1e15 ? "any negative number" : String(Math.ceil(n));
}

/** A bonus is added with `+=`, and somewhere the base is written over it as a plain number. */
function checkConstants(found: Findings, messages: Messages): void {
  const { accesses, machine } = found;
  for (const [statement, { target }] of found.written) {
    if (statement.kind !== "assign" || statement.op !== "=") continue;
    const { type } = target;
    const base = plain(
      machine.constants.map((c) => c.value),
      statement.value,
    );
    if (type.kind !== "int" || base === undefined || base === type.low || base === type.high || base === 0) continue;
    const path = pathOfLocation(target);
    if (path === undefined) continue;
    const raised = accesses.of(path).find((a) => a.statement?.kind === "assign" && a.statement.op === "+=");
    if (!raised || base !== firstValue(found, path)) continue;
    if (startsBy(found, statement) && !hasOtherBases(machine, target, base)) continue;
    messages.warning(
      "constant-over-base",
      statement,
      `This writes ${base} over "${machine.sources.text(target)}", and with it everything that was added to it ` +
        `meanwhile.`,
      "Take off what was put on (-=), or keep base and bonus apart and add them where they are used.",
      { from: raised.from, to: raised.to, words: "It is raised here." },
    );
  }
}

/** The number a datum, or a field of a record in it, begins with, when it is written as one. */
function firstValue({ machine }: Findings, path: string): number | undefined {
  const [slot = "", ...fields] = path.slice(1).split(".");
  const state = path.startsWith("s") ? machine.states.find((s) => s.slot === Number(slot)) : undefined;
  const field = state ? state.fields[Number(fields.shift())] : machine.data[Number(slot)];
  let type = field?.type;
  let initial = field?.initial;
  for (const at of fields) {
    while (type?.kind === "perSeat" || type?.kind === "list" || type?.kind === "grid" || type?.kind === "maybe")
      type = type.of;
    if (type?.kind !== "record") return undefined;
    initial = machine.recordInitials.get(type.name)?.[Number(at)];
    type = type.fields[Number(at)]?.type;
  }
  return (
    initial &&
    plain(
      machine.constants.map((c) => c.value),
      initial,
    )
  );
}

function plain(constants: readonly Expr[], e: Expr): number | undefined {
  if (e.kind === "named") return plain(constants, constants[e.constant] as Expr);
  return e.kind === "constant" && typeof e.value === "number" && e.type.kind === "int" ? e.value : undefined;
}

/** Somewhere a record is written out whose field begins with something else: a base of one is not the base of all. */
function hasOtherBases(machine: Machine, { base: of, path }: Location, number: number): boolean {
  const last = path.at(-1);
  const record = recordAt(machine, of, path.slice(0, -1));
  if (last?.kind !== "field" || !record) return false;
  const constants = machine.constants.map((c) => c.value);
  let others = false;
  visitMachine(
    { ...machine, tests: [] },
    {
      expr: (e) => {
        if (e.kind !== "record" || e.type.kind !== "record" || e.type.name !== record) return;
        const own = e.fields[last.field];
        others ||= own !== undefined && own.kind !== "default" && plain(constants, own) !== number;
      },
    },
  );
  return others;
}

/** The name of the type of record that a place leads to; undefined where it leads to something else. */
function recordAt(machine: Machine, base: Location["base"], path: Location["path"]): string | undefined {
  if (base.kind !== "data") return undefined;
  let type = machine.data[base.slot]?.type;
  for (const step of path) {
    if (step.kind === "field") type = type?.kind === "record" ? type.fields[step.field]?.type : undefined;
    else type = type?.kind === "map" ? type.value : type && "of" in type ? type.of : undefined;
  }
  return type?.kind === "record" ? type.name : undefined;
}

/** Written where something begins, in the `enter` of a state or as a seat is taken: there the base is set up anew. */
function startsBy({ machine }: Findings, statement: Statement): boolean {
  const begins = machine.states.flatMap((state) => [
    ...state.enters,
    ...state.listeners.filter(({ signal }) => machine.signals[signal]?.name === "Joined"),
  ]);
  return begins.some(({ block }) => block && block.from <= statement.from && block.to >= statement.to);
}
