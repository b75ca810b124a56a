/** Checks blocks of effects, statement by statement. */

import { BUILT_IN_CALLS } from "./builtins.js";
import { FOREIGN_CALLS, FOREIGN_MEMBERS } from "../language/foreign.js";
import type { Span } from "../language/source.js";
import type { BlockNode, ExprNode, StatementNode } from "../language/syntax.js";
import type { Tables, Where } from "./context.js";
import type { ExpressionChecker } from "./expressions.js";
import type { Block, EffectDeclaration, Expr, ListMethod, Location, Statement } from "./machine.js";
import { Scope } from "./scope.js";
import { describe, INT, intBetween, isOrdered, MAX_INT, SEAT, TEXT, type Type } from "./types.js";
import { withArticle } from "./wording.js";

/** What each list method takes; `element` stands for the type of the list's elements. */
const LIST_METHODS: Readonly<Record<ListMethod, readonly ("element" | "index")[]>> = {
  push: ["element"],
  take: [],
  takeLast: [],
  remove: ["index"],
  insert: ["index", "element"],
  clear: [],
  fill: ["element"],
};

export class EffectChecker {
  constructor(
    private readonly tables: Tables,
    private readonly expressions: ExpressionChecker,
  ) {}

  /** Checks a block in a scope of its own. */
  block(node: BlockNode, where: Where): Block {
    return this.open(node, where).block;
  }

  /** Checks a block and gives its scope too: what it lets is known in the arrow behind it. */
  open(node: BlockNode, where: Where): { block: Block; where: Where } {
    const inner: Where = { ...where, scope: new Scope(where.scope), effects: true };
    const statements = node.statements.flatMap((statement) => this.statements(statement, inner));
    return { block: { statements, from: node.from, to: node.to }, where: inner };
  }

  /** The body of an effect; its last line gives its value, when it has one. */
  body(node: BlockNode, where: Where, name: string, result: EffectDeclaration["result"]): Block {
    const last = node.statements.at(-1);
    if (!result) return this.block(node, where);
    if (last?.kind !== "return") {
      this.tables.error(
        "misplaced-return",
        last ?? node,
        `"${name}" gives ${withArticle(describe(result.type))}, but does not end with "return".`,
        "Write its value in the last line: return VALUE.",
      );
      return this.block(node, where);
    }
    const inner: Where = { ...where, scope: new Scope(where.scope), effects: true };
    const statements = node.statements.slice(0, -1).flatMap((statement) => this.statements(statement, inner));
    const value = this.expressions.expect(last.value, result.type, inner, `the value of "${name}"`);
    const at = { from: last.from, to: last.to };
    const target: Location = {
      base: { kind: "local", slot: result.slot },
      path: [],
      type: result.type,
      watched: [],
      ...at,
    };
    statements.push({ kind: "assign", target, op: "=", value, ...at });
    return { statements, from: node.from, to: node.to };
  }

  /** What a statement comes to: with the value of an effect in it, the call first. */
  private statements(node: StatementNode, where: Where): Statement[] {
    const before: Statement[] = [];
    const checked = this.statement(node, where, (value) => {
      const called = this.valueOf(value, where);
      if (called) before.push(called.call);
      return called?.value;
    });
    return checked ? [...before, checked] : before;
  }

  /** The call of an effect that gives a value, and the value; undefined for any other expression. */
  private valueOf(node: ExprNode, where: Where): { call: Statement; value: Expr } | undefined {
    if (node.kind !== "call" || node.of.kind !== "name") return undefined;
    const symbol = where.scope.find(node.of.name.text);
    const signature = symbol?.kind === "effect" ? this.tables.effects[symbol.id] : undefined;
    const at = { from: node.from, to: node.to };
    const call = signature?.slot === undefined ? undefined : this.call(node, where, at);
    if (!call || signature?.slot === undefined) return undefined;
    return { call, value: { kind: "local", slot: signature.slot, type: signature.type, ...at } };
  }

  /** @param called the value of an effect, where the whole of an expression is its call */
  private statement(
    node: StatementNode,
    where: Where,
    called: (value: ExprNode) => Expr | undefined,
  ): Statement | undefined {
    const at = { from: node.from, to: node.to };
    switch (node.kind) {
      case "let": {
        const value = called(node.value) ?? this.expressions.check(node.value, where);
        const slot = this.tables.local(where.scope, node.name, letType(value.type), true);
        return { kind: "let", slot, value, ...at };
      }
      case "assign":
        return this.assign(node, where, called);
      case "call":
        return this.call(node.call, where, node);
      case "note": {
        const audience =
          node.audience && this.expressions.expect(node.audience, SEAT, where, "the seat a note goes to");
        const text = this.expressions.expect(node.text, TEXT, { ...where, effects: "a note" }, "a note");
        return { kind: "note", ...(audience && { audience }), text, ...at };
      }
      case "raise":
        return this.raise(node, where);
      case "return":
        this.expressions.check(node.value, where);
        this.tables.error(
          "misplaced-return",
          node,
          '"return" stands only as the last line of an effect that gives a value.',
          "To give a value, write effect NAME(...): TYPE { ... return VALUE }; to do something only now and then, " +
            "use if.",
        );
        return undefined;
      case "eliminate":
      case "reopen": {
        const what = `the seat that is ${node.kind === "reopen" ? "opened" : "eliminated"}`;
        return { kind: node.kind, seat: this.expressions.expect(node.seat, SEAT, where, what), ...at };
      }
      case "for":
        return this.loop(node, where);
      case "if": {
        const branches = node.branches.map((branch) => ({
          test: this.expressions.condition(branch.test, where, "the condition of an if"),
          body: this.block(branch.body, where),
        }));
        const otherwise = node.otherwise && this.block(node.otherwise, where);
        return { kind: "if", branches, ...(otherwise && { otherwise }), ...at };
      }
    }
  }

  private assign(
    node: StatementNode & { kind: "assign" },
    where: Where,
    called: (value: ExprNode) => Expr | undefined,
  ): Statement | undefined {
    const at = { from: node.from, to: node.to };
    const target = this.expressions.location(node.target, where);
    if (node.op === "=") {
      const given = called(node.value);
      const what = `"${this.tables.written(node.target)}"`;
      const value = given
        ? target && this.expressions.coerce(given, target.type, what)
        : target
          ? this.expressions.expect(node.value, target.type, where, what)
          : this.expressions.check(node.value, where);
      if (!value) return undefined;
      return target && { kind: "assign", target, op: "=", value, ...at };
    }
    const value = this.expressions.check(node.value, where);
    if (!target) return undefined;
    if (!isOrdered(target.type)) {
      const hint =
        target.type.kind === "list" ? `To add to a list: ${this.tables.written(node.target)}.push(...).` : undefined;
      this.tables.error(
        "wrong-type",
        node,
        `"${node.op}" changes numbers, but "${this.tables.written(node.target)}" is ${describe(target.type)}.`,
        hint,
      );
      return undefined;
    }
    return {
      kind: "assign",
      target,
      op: node.op,
      value: this.expressions.coerce(value, target.type, `what "${node.op}" adds or takes`),
      ...at,
    };
  }

  private raise(node: StatementNode & { kind: "raise" }, where: Where): Statement | undefined {
    const at = { from: node.from, to: node.to };
    const signal = this.tables.signals.get(node.signal.text);
    if (!signal) {
      this.tables.unknown("unknown-signal", node.signal, node.signal.text, this.tables.signals.keys(), "signal");
      for (const arg of node.args) this.expressions.check(arg.value, where);
      return undefined;
    }
    this.tables.names.use(node.signal, signal);
    if (signal.origin !== "machine") {
      this.tables.error(
        "not-raisable",
        node.signal,
        `"${signal.name}" is ${signal.origin === "system" ? "a signal of the system" : "an event of the game"}; ` +
          `the machine cannot raise it.`,
        "Declare a signal of your own.",
      );
    }
    const args = this.expressions.arguments(node.args, signal.parameters, where, signal.name, node);
    return { kind: "raise", signal: signal.id, args, ...at };
  }

  private loop(node: StatementNode & { kind: "for" }, where: Where): Statement | undefined {
    const at = { from: node.from, to: node.to };
    const source = this.expressions.check(node.source, where);
    const element = this.expressions.elementOf(source);
    const inner: Where = { ...where, scope: new Scope(where.scope) };
    const slot = this.tables.local(inner.scope, node.variable, element);
    const test =
      node.where &&
      this.expressions.condition(node.where, { ...inner, effects: "a condition" }, 'the condition after "where"');
    return { kind: "for", slot, source, ...(test && { where: test }), body: this.block(node.body, inner), ...at };
  }

  private call(node: ExprNode, where: Where, at: Span): Statement | undefined {
    if (node.kind !== "call") return undefined;
    const span = { from: at.from, to: at.to };
    if (node.of.kind === "name") {
      const symbol = where.scope.find(node.of.name.text);
      if (symbol?.kind === "effect") {
        const signature = this.tables.effects[symbol.id];
        if (!signature) return undefined;
        this.tables.names.use(node.of, symbol);
        return {
          kind: "call",
          effect: symbol.id,
          args: this.expressions.arguments(node.args, signature.parameters, where, signature.name, node),
          ...span,
        };
      }
      if (symbol?.kind === "function") {
        this.tables.error(
          "unused-value",
          node,
          `"${node.of.name.text}" is a function: it computes a value and changes nothing.`,
          "Use its value, or write an effect.",
        );
      } else if (this.tables.signals.has(node.of.name.text)) {
        this.tables.error(
          "wrong-type",
          node.of,
          `"${node.of.name.text}" is a signal.`,
          `Write: raise ${this.tables.written(node)}`,
        );
      } else {
        const effects = this.tables.effects.map((e) => e.name);
        const ours = Object.hasOwn(FOREIGN_CALLS, node.of.name.text) ? FOREIGN_CALLS[node.of.name.text] : undefined;
        if (ours !== undefined)
          this.tables.error("other-language", node.of, `There is no effect "${node.of.name.text}".`, `Write: ${ours}`);
        else if (BUILT_IN_CALLS.has(node.of.name.text)) this.valueAlone(node, node.of.name.text);
        else this.tables.unknown("unknown-effect", node.of, node.of.name.text, effects, "effect");
      }
      for (const arg of node.args) this.expressions.check(arg.value, where);
      return undefined;
    }
    if (node.of.kind === "member") return this.change(node, node.of, where, span);
    this.tables.error("wrong-type", node.of, "This cannot be called.");
    return undefined;
  }

  /** A call that gives a value, with which nothing is done. */
  private valueAlone(node: ExprNode & { kind: "call" }, name: string): void {
    const [first] = node.args;
    const target = first && !first.label ? this.tables.written(first.value) : "";
    const isPlace = /^[A-Za-z_][\w.[\]]*$/.test(target);
    const written = this.tables.written(node);
    this.tables.error(
      "unused-value",
      node,
      `"${name}" gives a value and changes nothing, and nothing is done with the value.`,
      name === "shuffle" && isPlace ? `Write: ${target} = ${written}` : `Keep it: let x = ${written}`,
    );
  }

  private change(
    node: ExprNode & { kind: "call" },
    callee: ExprNode & { kind: "member" },
    where: Where,
    span: { from: number; to: number },
  ): Statement | undefined {
    const target = this.expressions.location(callee.of, where);
    if (!target) {
      for (const arg of node.args) this.expressions.check(arg.value, where);
      return undefined;
    }
    const name = callee.name.text;
    const takes = methodsOf(target.type)[name];
    if (!takes && target.type.kind === "unknown") {
      for (const arg of node.args) this.expressions.check(arg.value, where);
      return undefined;
    }
    if (!takes) {
      const known = Object.keys(methodsOf(target.type));
      const ours = Object.hasOwn(FOREIGN_MEMBERS, name) ? FOREIGN_MEMBERS[name] : undefined;
      if (ours !== undefined && known.includes(ours)) {
        this.tables.error("unknown-effect", callee.name, `There is no "${name}" here.`, `It is called "${ours}(...)".`);
        for (const arg of node.args) this.expressions.check(arg.value, where);
        return undefined;
      }
      this.tables.unknown("unknown-effect", callee.name, name, known, `change to ${describe(target.type)}:`);
      return undefined;
    }
    if (node.args.length !== takes.length) {
      const count = ["no argument", "one argument"][takes.length] ?? `${takes.length} arguments`;
      this.tables.error("wrong-arguments", node, `${name} takes ${count}, but gets ${node.args.length}.`);
    }
    const args: Expr[] = [];
    for (const [i, arg] of node.args.entries()) {
      const wanted = takes[i];
      args.push(
        wanted
          ? this.expressions.expect(arg.value, wanted, where, `the argument of ${name}`)
          : this.expressions.check(arg.value, where),
      );
    }
    return { kind: "change", target, method: name as ListMethod, args, ...span };
  }
}

/** The changes a value of this type knows, each with the types it takes. */
function methodsOf(type: Type): Readonly<Record<string, readonly Type[]>> {
  const table: Record<string, readonly Type[]> = Object.create(null);
  if (type.kind === "list") {
    for (const [name, takes] of Object.entries(LIST_METHODS))
      table[name] = takes.map((t) => (t === "index" ? INT : type.of));
  } else if (type.kind === "map") {
    table["remove"] = [type.key];
    table["clear"] = [];
  } else if (type.kind === "grid") {
    table["fill"] = [type.of];
  }
  return table;
}

/** A value made with let keeps its kind but not its present limits: `let n = 1` may count up. */
function letType(type: Type): Type {
  return type.kind === "int" && type.low === type.high
    ? intBetween(-MAX_INT, MAX_INT)
    : type.kind === "text"
      ? TEXT
      : type.kind === "int"
        ? INT
        : type;
}
