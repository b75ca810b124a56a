/** Checks policies and tests: what takes actions by their names. */

import type {
  DiceNode,
  ExpectationNode,
  Name,
  PolicyNode,
  ReferenceNode,
  TestLineNode,
  TestNode,
} from "../language/syntax.js";
import type { Tables, Where } from "./context.js";
import type { ExpressionChecker } from "./expressions.js";
import type {
  Action,
  ActionCall,
  Ending,
  Expectation,
  Expr,
  Location,
  Policy,
  SetDice,
  State,
  Test,
  TestLine,
} from "./machine.js";
import { actionKey } from "./names.js";
import { REFUSAL_CODES, SEAT_REFUSALS } from "./refusals.js";
import { Scope } from "./scope.js";
import { INT } from "./types.js";

/** Checks policies and tests. */
export class TestChecker {
  constructor(
    private readonly tables: Tables,
    private readonly expressions: ExpressionChecker,
    private readonly states: readonly State[],
    private readonly actions: readonly Action[],
    private readonly endings: readonly Ending[],
  ) {}

  policy(node: PolicyNode): Policy {
    const where: Where = { scope: this.tables.global, effects: "a policy", me: true, rolls: true };
    const entries = node.entries.map((entry) => {
      const test = entry.test && this.expressions.condition(entry.test, where, "the condition of a policy");
      const call = entry.action && this.actionCall(entry.action, where);
      return { ...(test && { test }), ...(call && { call }), from: entry.from, to: entry.to };
    });
    return { name: node.name.text, entries, from: node.from, to: node.to };
  }

  /**
   * An action with arguments by name. All actions of that name count; the first for which there are neither too many
   * nor too few decides their types, else the first for which there are not too many.
   */
  private actionCall(node: ReferenceNode, where: Where): ActionCall {
    const at = { action: node.name.text, from: node.from, to: node.to };
    const named = this.actions.filter((a) => a.name === node.name.text);
    if (named.length > 0) this.tables.names.use(node.name, actionKey(node.name.text));
    if (named.length === 0) {
      this.tables.unknown(
        "unknown-action",
        node.name,
        node.name.text,
        new Set(this.actions.map((a) => a.name)),
        "action",
      );
      for (const arg of node.args) this.expressions.check(arg.value, where);
      return { args: new Map(), ...at };
    }
    const fitting = named.filter(
      (a) =>
        a.parameters.length >= node.args.length &&
        node.args.every((arg) => !arg.label || a.parameters.some((p) => p.name === arg.label?.text)),
    );
    const isGiven = (p: Action["parameters"][number], i: number): boolean =>
      p.type.kind === "maybe" || node.args.some((arg, j) => (arg.label ? arg.label.text === p.name : j === i));
    const action = (fitting.find((a) => a.parameters.every(isGiven)) ?? fitting[0] ?? named[0]) as Action;
    const parameters = action.parameters.map((p) => ({
      name: p.name,
      type: p.type,
      slot: p.slot,
      from: p.from,
      to: p.to,
    }));
    const values = this.expressions.arguments(node.args, parameters, where, action.name, node);
    const args = new Map<string, Expr>();
    for (const [i, p] of parameters.entries()) {
      const value = values[i];
      if (value) args.set(p.name, value);
    }
    return { args, ...at };
  }

  test(node: TestNode): Test {
    const lines: TestLine[] = [];
    for (const line of node.lines) {
      const checked = this.testLine(line);
      if (checked) lines.push(checked);
    }
    return { words: node.words, lines, from: node.from, to: node.to };
  }

  private testLine(node: TestLineNode): TestLine | undefined {
    const at = { from: node.from, to: node.to };
    const where: Where = { scope: new Scope(this.tables.global), effects: "a test", me: false };
    switch (node.kind) {
      case "at":
        return this.at(node, where);
      case "given":
        return this.given(node, where);
      case "wait":
        return {
          kind: "wait",
          time: this.expressions.expect(node.time, INT, where, "a time to wait"),
          ...this.dice(node.dice, where),
          ...at,
        };
      case "event":
        return this.event(node, where);
      case "joins":
      case "leaves": {
        const seat = this.seat(node.seat);
        const refused = this.refused(node.refused, SEAT_REFUSALS);
        return seat === undefined ? undefined : { kind: node.kind, seat, ...refused, ...at };
      }
      case "seats":
        return this.seatCount(node);
      case "open": {
        const seat = this.seat(node.seat);
        return seat === undefined ? undefined : { kind: "open", seat, ...at };
      }
      case "act":
        return this.act(node, where);
      case "expect":
        return {
          kind: "expect",
          expectations: node.expectations.map((e) => this.expectation(e, where)).filter((e) => e !== undefined),
          ...at,
        };
    }
  }

  private at(node: TestLineNode & { kind: "at" }, where: Where): TestLine | undefined {
    const at = { from: node.from, to: node.to };
    const place = this.tables.targets.get(node.target.name.text);
    const state = place?.kind === "state" ? this.states[place.id] : undefined;
    if (!state) {
      this.tables.unknown(
        "unknown-state",
        node.target.name,
        node.target.name.text,
        this.states.slice(1).map((s) => s.name),
        "state",
      );
      return undefined;
    }
    if (place) this.tables.names.use(node.target.name, place);
    return {
      kind: "at",
      state: state.id,
      args: this.expressions.arguments(node.target.args, state.parameters, where, state.name, node),
      ...at,
    };
  }

  private given(node: TestLineNode & { kind: "given" }, where: Where): TestLine | undefined {
    const at = { from: node.from, to: node.to };
    const values: { target: Location; value: Expr }[] = [];
    for (const v of node.values) {
      const target = this.expressions.location(v.target, where);
      const value = target
        ? this.expressions.expect(v.value, target.type, where, `"${this.tables.written(v.target)}"`)
        : this.expressions.check(v.value, where);
      if (target) values.push({ target, value });
    }
    return { kind: "given", values, ...this.dice(node.dice, where), ...at };
  }

  private event(node: TestLineNode & { kind: "event" }, where: Where): TestLine | undefined {
    const at = { from: node.from, to: node.to };
    const signal = this.tables.signals.get(node.event.name.text);
    if (signal) this.tables.names.use(node.event.name, signal);
    if (signal?.origin !== "event") {
      const events = [...this.tables.signals.values()].filter((s) => s.origin === "event").map((s) => s.name);
      this.tables.unknown("unknown-signal", node.event.name, node.event.name.text, events, "event");
      return undefined;
    }
    return {
      kind: "event",
      signal: signal.id,
      args: this.expressions.arguments(node.event.args, signal.parameters, where, signal.name, node),
      ...this.dice(node.dice, where),
      ...at,
    };
  }

  private act(node: TestLineNode & { kind: "act" }, where: Where): TestLine | undefined {
    const at = { from: node.from, to: node.to };
    const seat = this.seat(node.seat);
    const unknownIsTheTest = node.refused?.text === "unknownAction";
    const call = unknownIsTheTest
      ? { action: node.action.name.text, args: new Map(), from: node.action.from, to: node.action.to }
      : this.actionCall(node.action, where);
    const dice = this.dice(node.dice, where);
    const refused = this.refused(node.refused, REFUSAL_CODES);
    return seat === undefined ? undefined : { kind: "act", seat, call, ...dice, ...refused, ...at };
  }

  private seatCount(node: TestLineNode & { kind: "seats" }): TestLine | undefined {
    const { least, seatNames } = this.tables;
    const at = { from: node.from, to: node.to };
    if (seatNames.length === 0) return undefined;
    if (node.count >= least && node.count <= seatNames.length) return { kind: "seats", count: node.count, ...at };
    const range = least === seatNames.length ? `${least}` : `${least} to ${seatNames.length}`;
    this.tables.error("wrong-arguments", node, `A match has ${range} seats here, not ${node.count}.`);
    return undefined;
  }

  private expectation(node: ExpectationNode, where: Where): Expectation | undefined {
    const at = { from: node.from, to: node.to };
    switch (node.kind) {
      case "ending": {
        const { name, args } = node.ending;
        const place = this.tables.targets.get(name.text);
        if (place) this.tables.names.use(name, place);
        if (place?.kind === "ending") {
          const parameters = this.endings[place.id]?.parameters ?? [];
          const given = args.length > 0 && this.expressions.arguments(args, parameters, where, name.text, node.ending);
          return { kind: "ending", ending: place.id, ...(given && { args: given }), ...at };
        }
        const endings = [...this.tables.targets].filter(([, p]) => p.kind === "ending").map(([name]) => name);
        this.tables.unknown("unknown-state", name, name.text, endings, "ending");
        return undefined;
      }
      case "result": {
        const seat = this.seat(node.seat);
        return seat === undefined ? undefined : { kind: "result", seat, word: node.word, ...at };
      }
      case "standing": {
        const seat = this.seat(node.seat);
        const value = this.expressions.expect(node.value, INT, where, `the ${node.what}`);
        return seat === undefined ? undefined : { kind: "standing", seat, what: node.what, value, ...at };
      }
      case "turn":
        return { kind: "turn", seats: this.expressions.seats(node.seats, where, "what follows turn of"), ...at };
      case "open":
      case "closed": {
        const seat = this.seat(node.seat);
        const call = this.openCall(node.action, where);
        return seat === undefined
          ? undefined
          : { kind: node.kind, seat, call, ...(node.reason !== undefined && { reason: node.reason }), ...at };
      }
      case "note":
        return { kind: "note", text: node.text, ...at };
      case "holds":
        return { kind: "holds", test: this.expressions.condition(node.test, where, "what is expected"), ...at };
    }
  }

  /** `expect open north slash` may leave the arguments out: then any will do. */
  private openCall(node: ReferenceNode, where: Where): ActionCall {
    if (node.args.length > 0 || !this.actions.some((a) => a.name === node.name.text))
      return this.actionCall(node, where);
    return { action: node.name.text, args: new Map(), from: node.from, to: node.to };
  }

  private dice(node: DiceNode | undefined, where: Where): { dice?: SetDice } {
    if (!node) return {};
    const values = node.values.map((value) => {
      if (value === "any") return null;
      const checked = this.expressions.check(value, where);
      if (!["int", "num", "bool", "unknown"].includes(checked.type.kind))
        this.tables.wrongType(
          value,
          `A set roll is a face, an index from 0, or true and false, but "${this.tables.written(value)}" is none ` +
            `of them.`,
          'To leave a roll to chance, write "any".',
        );
      return checked;
    });
    return { dice: { values, rest: node.rest } };
  }

  private refused(name: Name | undefined, codes: readonly string[]): { refused?: string } {
    if (!name) return {};
    if (!codes.includes(name.text)) this.tables.unknown("unknown-refusal", name, name.text, codes, "refusal");
    return { refused: name.text };
  }

  private seat(name: Name): number | undefined {
    const index = this.tables.seatNames.indexOf(name.text);
    const symbol = this.tables.global.find(name.text);
    if (index >= 0 && symbol) this.tables.names.use(name, symbol);
    if (index >= 0) return index;
    this.tables.unknown("unknown-seat", name, name.text, this.tables.seatNames, "seat");
    return undefined;
  }
}
