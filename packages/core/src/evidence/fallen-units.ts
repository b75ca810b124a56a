/**
 * Units that have fallen and act all the same, where a turn is a unit's or a seat chooses which of its units acts. No
 * rule suspects them, since the order in which units come is mostly kept in a list that reasoning does not look into;
 * so they are looked for in every search.
 */

import type { Action, ActionParameter, Block, Expr, Machine, State } from "../check/machine.js";
import { pathOf } from "../check/reason/accesses.js";
import { decidingStats, throughCalls } from "../check/rules/fallen-units.js";
import { BOOL, INT, type RecordType } from "../check/types.js";
import { someExpr, visitBlock, visitExpr } from "../check/visit.js";
import type { Watched } from "./out-on-turn.js";

/** An element of a list of records; the fields whose 0 says that it has fallen. */
interface Unit {
  readonly unit: Expr & { readonly kind: "index" };
  readonly record: RecordType;
  readonly stats: readonly number[];
}

type UnitAt = (list: Expr, key: Expr) => Unit | undefined;

/** For each turn that is a unit's or had for one, and each that is chosen to harm another: that it has fallen. */
export function fallenUnitsActing(machine: Machine): Watched[] {
  const deciding = decidingStats(machine);
  if (deciding.size === 0) return [];
  const unitAt: UnitAt = (of, key) => {
    const record = of.type.kind === "list" && of.type.of.kind === "record" ? of.type.of : undefined;
    const stats = record && deciding.get(record.name);
    if (!record || !stats) return undefined;
    return { unit: { kind: "index", of, key, type: record, from: of.from, to: key.to }, record, stats: [...stats] };
  };
  return [
    ...machine.states.flatMap((state) => onTurn(machine, state, unitAt)),
    ...machine.states.flatMap((state) => actingFor(machine, state, unitAt)),
    ...machine.actions.flatMap((action) =>
      action.parameters.flatMap((parameter) => chosen(machine, action, parameter, unitAt)),
    ),
  ];
}

function onTurn({ sources, states }: Machine, state: State, unitAt: UnitAt): Watched[] {
  const turn = state.turn?.each ? undefined : state.turn?.of;
  if (turn?.kind !== "field" || turn.of.kind !== "index") return [];
  const held = unitAt(turn.of.of, turn.of.key);
  if (!held) return [];
  const path = pathOf(held.unit);
  const asks = (e: Expr): boolean => e.kind === "field" && held.stats.includes(e.field) && pathOf(e.of) === path;
  const around = states.filter(({ from, to }) => from <= state.from && state.to <= to);
  if (around.some(({ actions }) => actions.some(({ needs }) => needs.some(({ test }) => someExpr(test, asks)))))
    return [];
  const written = sources.written(turn.of);
  return [
    {
      message: {
        severity: "warning",
        name: "fallen-acts",
        from: turn.from,
        to: turn.to,
        words: `"${written}" can have fallen when it has the turn, and acts all the same.`,
        help: `Go on to the next before its turn: when ${written}.${statOf(held)} == 0 -> STATE.`,
      },
      sign: { kind: "holder", state: state.id, tests: fallen(held) },
    },
  ];
}

/**
 * Where a seat has the turn for one of its units, which data say, such as `crew[me][acting.place]`, or what the state
 * was entered with, such as `crew[side][place]`: that the unit has fallen, while the seat can harm others.
 */
function actingFor(machine: Machine, state: State, unitAt: UnitAt): Watched[] {
  const { turn, actions } = state;
  if (!turn || turn.each) return [];
  const turnPath = pathOf(turn.of);
  const isHolder = (e: Expr): boolean => e.kind === "me" || (turnPath !== undefined && pathOf(e) === turnPath);
  const held = unitInHand(actions, isHolder, unitAt);
  if (!held || !actions.some(({ block }) => takesFrom(machine, block, held.record, held.stats))) return [];
  const path = pathOf(held.unit);
  const asks = (e: Expr): boolean => e.kind === "field" && held.stats.includes(e.field) && pathOf(e.of) === path;
  const tests = actions.flatMap(({ needs, block }) => [...needs.map(({ test }) => test), ...testsIn(block)]);
  // By a function, too, it is asked of the one in hand.
  const isInHand = (e: Expr): boolean => pathOf(e) === pathOf(held.unit.key);
  const asksByCall = (e: Expr): boolean =>
    e.kind === "call" &&
    e.args.some((arg) => someExpr(arg, isInHand)) &&
    throughCalls(machine, e, (part) => part.kind === "field" && isStat(part, held));
  if (tests.some((test) => someExpr(test, asks) || someExpr(test, asksByCall))) return [];
  const written = machine.sources.written(held.unit);
  return [
    {
      message: {
        severity: "warning",
        name: "fallen-acts",
        from: turn.of.from,
        to: turn.of.to,
        words: `"${written}" can have fallen when it acts here: it has the turn all the same.`,
        help: `Go on to the next before its turn: when its ${statOf(held)} is 0 -> STATE.`,
      },
      sign: { kind: "holder", state: state.id, tests: fallen(held) },
    },
  ];
}

/** The unit of the acting seat that actions look at, where data, or what the state was entered with, say which. */
function unitInHand(actions: readonly Action[], isHolder: (seat: Expr) => boolean, unitAt: UnitAt): Unit | undefined {
  let held: Unit | undefined;
  const look = (e: Expr): void => {
    if (e.kind !== "index" || pathOf(e.key) === undefined || e.of.kind !== "index" || !isHolder(e.of.key)) return;
    const unit = someExpr(e.key, ({ kind }) => kind === "local") ? undefined : unitAt(e.of, e.key);
    if (unit) held ??= { ...unit, unit: e };
  };
  for (const { needs, parameters, block } of actions) {
    for (const e of [...needs.map(({ test }) => test), ...parameters.flatMap(({ domain, where }) => [domain, where])])
      visitExpr(e, { expr: look });
    visitBlock(block, { expr: look });
  }
  return held;
}

function isStat(e: Expr & { readonly kind: "field" }, { record, stats }: Unit): boolean {
  return e.of.type.kind === "record" && e.of.type.name === record.name && stats.includes(e.field);
}

function chosen(machine: Machine, action: Action, parameter: ActionParameter, unitAt: UnitAt): Watched[] {
  const { slot, type, name, domain, where, from, to } = parameter;
  const parts = [domain, where].filter((e) => e !== undefined);
  const key: Expr = { kind: "local", slot, type, from, to };
  let held: Unit | undefined;
  const some = (is: (part: Expr) => boolean, more: readonly Expr[] = []): boolean =>
    [...parts, ...more].some((e) => throughCalls(machine, e, is));
  some((e) => {
    if (e.kind === "listProperty" && e.property === "indices" && e.of.kind === "data") held ??= unitAt(e.of, key);
    return false;
  });
  const used = held && useOf(action.block, slot);
  if (!held || !used) return [];
  const { record, stats } = held;
  const isOf = (e: Expr): boolean =>
    e.kind === "field" && e.of.type.kind === "record" && e.of.type.name === record.name;
  const isOwn = (e: Expr): boolean =>
    e.kind === "binary" && e.op === "==" && e.left.type.kind === "seat" && isOf(e.left);
  // Of the one that is chosen, not of the one it is done to.
  const isOther = (unit: Expr): boolean =>
    unit.kind === "index" &&
    unit.key.kind === "local" &&
    action.parameters.some((p) => unit.key.kind === "local" && p !== parameter && p.slot === unit.key.slot);
  const asks = (e: Expr): boolean => isOf(e) && e.kind === "field" && stats.includes(e.field) && !isOther(e.of);
  const needs = action.needs.map(({ test }) => test);
  if (!some(isOwn) || some(asks, [...needs, ...testsIn(action.block)])) return [];
  if (!takesFrom(machine, action.block, record, stats)) return [];
  const unit = machine.sources.written(held.unit.of);
  return [
    {
      message: {
        severity: "warning",
        name: "fallen-acts",
        ...action.nameSpan,
        words: `"${action.name}" can be done by one that has fallen: nothing asks whether "${unit}[${name}]" stands.`,
        help: `Leave the fallen out: ${name}: ... where ${unit}[${name}].${statOf(held)} > 0.`,
      },
      sign: { kind: "while", of: used, test: fallen(held)[0] as Expr },
    },
  ];
}

/** Where a local value is used first in a block. */
function useOf(block: Block | undefined, slot: number): Expr | undefined {
  let used: Expr | undefined;
  visitBlock(block, {
    expr: (e) => {
      if (e.kind === "local" && e.slot === slot) used ??= e;
    },
  });
  return used;
}

function testsIn(block: Block | undefined): Expr[] {
  const tests: Expr[] = [];
  visitBlock(block, {
    statement: (s) => {
      if (s.kind === "if") tests.push(...s.branches.map(({ test }) => test));
    },
  });
  return tests;
}

/** Whether a block, or an effect it calls, takes from what says that a unit has fallen. */
function takesFrom(
  machine: Machine,
  block: Block | undefined,
  record: RecordType,
  stats: readonly number[],
  seen = new Set<Block>(),
): boolean {
  let takes = false;
  if (!block || seen.has(block)) return false;
  seen.add(block);
  visitBlock(block, {
    statement: (s) => {
      if (s.kind === "call") takes ||= takesFrom(machine, machine.effects[s.effect]?.body, record, stats, seen);
      if (s.kind !== "assign" || s.op !== "-=") return;
      const last = s.target.path.at(-1);
      takes ||= last?.kind === "field" && stats.includes(last.field);
    },
  });
  return takes;
}

/** For each stat that decides, that there is nothing of it. */
function fallen({ unit, record, stats }: Unit): Expr[] {
  const { from, to } = unit;
  const right: Expr = { kind: "constant", value: 0, type: INT, from, to };
  return stats.map((field): Expr => {
    const left: Expr = { kind: "field", of: unit, field, type: record.fields[field]?.type ?? INT, from, to };
    return { kind: "binary", op: "<=", left, right, type: BOOL, from, to };
  });
}

function statOf({ record, stats: [stat = 0] }: Unit): string {
  return record.fields[stat]?.name ?? "";
}
