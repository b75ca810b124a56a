/** Calls: functions, records, what is built in, and operations on lists, maps and grids. */

import { FOREIGN_CALLS, FOREIGN_MEMBERS } from "../language/foreign.js";
import type { Span } from "../language/source.js";
import { type ArgumentNode, BINDER_WORDS, type ExprNode, type Name } from "../language/syntax.js";
import {
  BUILT_IN_FUNCTIONS,
  isNumberFunction,
  isTaken,
  NUMBER_FUNCTIONS,
  type NumberFunction,
  type NumberFunctionName,
} from "./builtins.js";
import type { ExpressionParts, Tables, Where } from "./context.js";
import type { Expr, Parameter } from "./machine.js";
import { GRID_CALLS, type GridOperation, operationsOf } from "./members.js";
import { onlyCompared } from "./seat-names.js";
import { unknownAt } from "./typed.js";
import { BOOL, CELL, describe, INT, intBetween, NUM, SEAT, type Type } from "./types.js";
import type { Typing } from "./typing.js";
import { article, capital, countOf, signatureHelp, withArticle } from "./wording.js";

/** Checks calls and their arguments. */
export class Calls {
  constructor(
    private readonly tables: Tables,
    private readonly typing: Typing,
    private readonly parts: ExpressionParts,
  ) {}

  /** Matches arguments to parameters by position and name; missing ones take the parameter's default. */
  arguments(
    args: readonly ArgumentNode[],
    parameters: readonly Parameter[],
    where: Where,
    what: string,
    at: Span,
  ): Expr[] {
    const given: (Expr | undefined)[] = parameters.map(() => undefined);
    let position = 0;
    let mislabelled = false;
    for (const arg of args) {
      let index = position;
      if (arg.label) {
        const label = arg.label;
        index = parameters.findIndex((p) => p.name === label.text);
        if (index < 0) {
          mislabelled = true;
          this.tables.misspelt(
            "unknown-argument",
            label,
            `${what} has no parameter "${label.text}".`,
            label.text,
            parameters.map((p) => p.name),
            "parameter",
          );
          this.parts.check(arg.value, where);
          continue;
        }
        const declared = parameters[index] as Parameter;
        if (declared.from !== at.from)
          this.tables.names.use(label, { from: declared.from, to: declared.from + declared.name.length });
      } else {
        position++;
      }
      const parameter = parameters[index];
      if (!parameter) {
        this.tables.error(
          "wrong-arguments",
          arg,
          `${what} takes ${countOf(parameters.length, "argument")}, but this is number ${index + 1}.`,
          signatureHelp(what, parameters),
        );
        this.parts.check(arg.value, where);
      } else if (given[index]) {
        this.tables.error("wrong-arguments", arg, `"${parameter.name}" is given twice.`);
      } else {
        given[index] = this.parts.expect(arg.value, parameter.type, where, `"${parameter.name}" of ${what}`);
      }
    }
    const missing = parameters.filter((p, i) => !given[i] && !p.initial);
    // With a misspelt name the one that is missing is most likely the one that was meant.
    if (missing.length > 0 && position <= parameters.length && !mislabelled) {
      this.tables.error(
        "wrong-arguments",
        at,
        `${what} also needs ${missing.map((p) => `"${p.name}"`).join(", ")}.`,
        signatureHelp(what, parameters),
      );
    }
    return parameters.map((p, i) => given[i] ?? p.initial ?? unknownAt(at));
  }

  /** A call of a function, a type, or something built in. */
  call(node: ExprNode & { kind: "call" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    if (node.of.kind === "member") return this.methodCall(node, node.of, where);
    if (node.of.kind !== "name") {
      this.tables.error("wrong-type", node.of, "This cannot be called.");
      return unknownAt(at);
    }
    const { name } = node.of;
    const own = isTaken(name.text) ? undefined : where.scope.find(name.text);
    const builtIn = own ? undefined : this.builtInCall(name, node, where);
    if (builtIn) return builtIn;
    const record = this.tables.types.get(name.text);
    if (record?.kind === "record") {
      const initials = this.tables.recordInitials.get(record.name) ?? [];
      this.tables.names.use(name, this.tables.typeSpans.get(record.name) ?? name);
      const spans = this.tables.fieldSpans.get(record.name) ?? [];
      const parameters: Parameter[] = record.fields.map((f, i) => {
        const initial =
          initials[i] ??
          (this.typing.hasDefault(f.type)
            ? ({ kind: "default", type: f.type, from: at.from, to: at.to } as const)
            : undefined);
        return {
          name: f.name,
          type: f.type,
          slot: i,
          ...(initial && { initial }),
          from: spans[i]?.from ?? at.from,
          to: spans[i]?.to ?? at.to,
        };
      });
      return {
        kind: "record",
        fields: this.arguments(node.args, parameters, where, record.name, at),
        type: record,
        ...at,
      };
    }
    const symbol = where.scope.find(name.text);
    if (symbol?.kind === "function") {
      const signature = this.tables.functions[symbol.id];
      if (!signature) return unknownAt(at);
      this.tables.names.use(name, symbol);
      const args = this.arguments(node.args, signature.parameters, where, name.text, at);
      return { kind: "call", function: symbol.id, args, type: signature.type, ...at };
    }
    if (symbol?.kind === "effect") {
      const gives = this.tables.effects[symbol.id]?.slot !== undefined;
      this.tables.error(
        "wrong-type",
        name,
        gives
          ? `"${name.text}" is an effect: its value cannot be used inside an expression.`
          : `"${name.text}" is an effect; it gives no value.`,
        gives
          ? `Keep it first: let value = ${name.text}(...).`
          : "Call it as a statement of its own. To compute a value, write a function.",
      );
    } else if (symbol) {
      this.tables.error("wrong-type", name, `"${name.text}" is ${article(symbol)} and cannot be called.`);
    } else {
      const ours = Object.hasOwn(FOREIGN_CALLS, name.text) ? FOREIGN_CALLS[name.text] : undefined;
      if (ours !== undefined) {
        this.tables.error("other-language", name, `There is no function "${name.text}".`, `Write: ${ours}`);
        for (const arg of node.args) this.parts.check(arg.value, where);
        return unknownAt(at);
      }
      const known = [
        ...where.scope.all().filter((n) => where.scope.find(n)?.kind === "function"),
        ...this.tables.types.keys(),
        ...BUILT_IN_FUNCTIONS,
      ];
      this.tables.unknown("unknown-value", name, name.text, known, "function");
    }
    // Of an action given to a function that there is not, nothing more is told.
    for (const { value } of node.args)
      if (value.kind !== "name" || where.scope.find(value.name.text) || !this.tables.actionNames.has(value.name.text))
        this.parts.check(value, where);
    return unknownAt(at);
  }

  private builtInCall(name: Name, node: ExprNode & { kind: "call" }, where: Where): Expr | undefined {
    const at = { from: node.from, to: node.to };
    if (isNumberFunction(name.text)) return this.numberFunction(name.text, node, where);
    switch (name.text) {
      case "next":
      case "canAct": {
        if (node.args.length !== 1)
          this.tables.error("wrong-arguments", at, `${name.text} takes one seat.`, `Write ${name.text}(seat).`);
        const arg = node.args[0];
        const seat = arg ? this.parts.expect(arg.value, SEAT, where, `the argument of ${name.text}`) : unknownAt(at);
        return { kind: name.text, seat, type: name.text === "next" ? SEAT : BOOL, ...at };
      }
      case "cell": {
        const parameters: Parameter[] = ["x", "y"].map((n, slot) => ({ name: n, type: INT, slot, ...at }));
        const [x, y] = this.arguments(node.args, parameters, where, "cell", at) as [Expr, Expr];
        return { kind: "cell", x, y, type: CELL, ...at };
      }
      default:
        return undefined;
    }
  }

  /** `min` and `max` of one thing, which is meant as a list. */
  private ofOne(name: NumberFunctionName, node: ExprNode & { kind: "call" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const [arg] = node.args;
    const of = arg && this.parts.check(arg.value, where);
    const list = of && this.tables.written(of);
    this.tables.error(
      "wrong-arguments",
      at,
      `${name} takes several numbers, and gets one thing.`,
      of?.type.kind === "list"
        ? `The ${name === "min" ? "least" : "greatest"} of a list: ${name}By(x in ${list}: x)`
        : `Write ${name}(a, b).`,
    );
    return unknownAt(at);
  }

  private numberFunction(name: NumberFunctionName, node: ExprNode & { kind: "call" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const { count, gives, range }: NumberFunction = NUMBER_FUNCTIONS[name];
    const [least, most] = count;
    if (node.args.length === 1 && least > 1) return this.ofOne(name, node, where);
    const args = node.args.map((arg) => this.parts.number(arg.value, where, `an argument of ${name}`));
    if (args.length < least || args.length > most) {
      const wanted = least === most ? countOf(least, "argument") : `at least ${countOf(least, "argument")}`;
      this.tables.error("wrong-arguments", at, `${name} takes ${wanted}, but gets ${args.length}.`);
      return unknownAt(at);
    }
    const ints = args.map((arg) => arg.type).filter((type) => type.kind === "int");
    if (ints.length < args.length) return { kind: "numeric", name, args, type: gives === "int" ? INT : NUM, ...at };
    const { low, high } = range(...ints);
    return { kind: "numeric", name, args, type: intBetween(low, high), ...at };
  }

  private methodCall(node: ExprNode & { kind: "call" }, callee: ExprNode & { kind: "member" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const method = callee.name.text;
    const of = this.parts.check(callee.of, where);
    const argument = (wanted: Type, what: string): Expr => {
      if (node.args.length !== 1) this.tables.error("wrong-arguments", at, `${method} takes one argument.`);
      const arg = node.args[0];
      return arg ? this.parts.expect(arg.value, wanted, where, what) : unknownAt(at);
    };
    const soughtIn = (wanted: Type, what: string): Expr => onlyCompared(argument(wanted, what));
    if (of.type.kind === "list" && method === "has")
      return { kind: "listHas", of, value: soughtIn(of.type.of, "what is looked for"), type: BOOL, ...at };
    if (of.type.kind === "map" && method === "has")
      return { kind: "binary", op: "in", left: soughtIn(of.type.key, "the key"), right: of, type: BOOL, ...at };
    if (of.type.kind === "list" && (method === "take" || method === "takeLast"))
      return this.take(node, callee, method, of.type.of, where);
    if (of.type.kind === "grid" && Object.hasOwn(GRID_CALLS, method)) {
      const { parameters: takes, type } = GRID_CALLS[method as GridOperation];
      const parameters: Parameter[] = takes.map(([n, t], slot) => ({ name: n, type: t, slot, ...at }));
      const args = this.arguments(node.args, parameters, where, method, at);
      return { kind: "gridCall", of, method: method as GridOperation, args, type, ...at };
    }
    if (of.type.kind === "list" && (BINDER_WORDS as readonly string[]).includes(method)) {
      const list = this.tables.written(callee.of);
      this.tables.error(
        "other-language",
        callee.name,
        `"${method}" goes through a list that is named inside it.`,
        `Write: ${method}(x in ${list}${["count", "filter"].includes(method) ? " where COND" : ": ..."})`,
      );
      return unknownAt(at);
    }
    for (const arg of node.args) this.parts.check(arg.value, where);
    if (of.type.kind === "unknown") return unknownAt(at);
    const known = operationsOf(of.type);
    const ours = Object.hasOwn(FOREIGN_MEMBERS, method) ? FOREIGN_MEMBERS[method] : undefined;
    if (ours !== undefined && known.includes(ours)) {
      this.tables.error("unknown-field", callee.name, `There is no "${method}" here.`, `It is called "${ours}(...)".`);
      return unknownAt(at);
    }
    if (known.includes(method))
      this.tables.error(
        "wrong-type",
        callee.name,
        `"${method}" changes the data and gives no value.`,
        method === "remove" && of.type.kind === "list"
          ? `Keep the element first: let x = ${this.tables.written(callee.of)}[...], and remove it in a ` +
              `statement of its own.`
          : "Write it as a statement of its own.",
      );
    else
      this.tables.misspelt(
        "unknown-field",
        callee.name,
        `${capital(withArticle(describe(of.type)))} has nothing called "${method}".`,
        method,
        known,
        "operation",
      );
    return unknownAt(at);
  }

  /** `take()` and `takeLast()`, which give the element and change the list. */
  private take(
    node: ExprNode & { kind: "call" },
    callee: ExprNode & { kind: "member" },
    method: "take" | "takeLast",
    type: Type,
    where: Where,
  ): Expr {
    const at = { from: node.from, to: node.to };
    if (where.effects !== true) {
      this.tables.error(
        "effect-not-allowed",
        at,
        `"${method}" changes the list, and nothing is changed in ${where.effects}.`,
        `To look without taking, use ${method === "take" ? "first" : "last"}.`,
      );
    }
    const target = this.parts.location(callee.of, where);
    if (node.args.length > 0) this.tables.error("wrong-arguments", at, `${method} takes no argument.`);
    return target ? { kind: "take", target, method, type, ...at } : unknownAt(at);
  }
}
