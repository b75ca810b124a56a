/**
 * Generates JavaScript from the typed tree, for hosts that may run generated code: the service and the
 * command line. The browser, whose pages forbid it, runs the closures of `expressions.ts` and
 * `statements.ts`; a property test holds the two equal. What is rare or long is not generated: it calls
 * the closure that would run anyway.
 *
 * Nothing of a machine's text gets into the generated code but numbers and quoted texts: names are
 * slots by now, and everything else is handed over as an object.
 */

import type { Block, Branch, Expr, Location, Machine, Statement } from "../check/machine.js";
import { isBoxed, MAX_INT, type Type } from "../check/types.js";
import type { Span } from "../language/source.js";
import { Box, ownedChild, sameValue, share } from "./box.js";
import { checkedInt, checkedNum, clamp, type ExpressionCompiler, type Get, listElement } from "./expressions.js";
import { Fault } from "./fault.js";
import { sortedBy } from "./order.js";
import { randomSmall, WORDS_PER_STREAM } from "./random.js";
import type { Configuration } from "./configuration.js";
import type { Runtime } from "./runtime.js";
import { SEAT_OUT } from "./runtime.js";
import { MAX_LIST, type Run, type StatementCompiler } from "./statements.js";

/** True where generated code may run. */
export function mayGenerate(): boolean {
  try {
    return new Function("return 1")() === 1;
  } catch {
    return false;
  }
}

/** What generated code calls by short names. */
const HELPERS = {
  Box,
  own: ownedChild,
  same: sameValue,
  share,
  int: checkedInt,
  num: checkedNum,
  element: listElement,
  sorted: sortedBy,
  face: randomSmall,
  some(box: Box, at: Span): unknown[] {
    if (box.at.length === 0)
      throw new Fault("missingIndex", at, "This list is empty, so it has no first or last element.");
    return box.at;
  },
  pushed(list: unknown[], value: unknown, at: Span): void {
    if (list.push(value) > MAX_LIST)
      throw new Fault("listFull", at, `This list holds at most ${MAX_LIST}, and would get ${list.length}.`);
  },
  left(box: Box, at: Span): unknown[] {
    if (box.at.length === 0) throw new Fault("missingIndex", at, "There is nothing left in this list to take.");
    return box.at;
  },
  taken(box: Box, first: boolean, at: Span): unknown {
    if (box.at.length === 0) throw new Fault("missingIndex", at, "There is nothing left in this list to take.");
    return share(first ? box.at.shift() : box.at.pop());
  },
  zero(divisor: number, at: Span): number {
    if (divisor === 0) throw new Fault("divisionByZero", at, "This divides by zero.");
    return divisor;
  },
  has(box: Box, value: unknown): boolean {
    for (const item of box.at) if (item === value) return true;
    return false;
  },
} as const;

export type Code = string;

export class Generator {
  /** Objects that generated code refers to: places in the text, closures, watchers. */
  private readonly kept: unknown[] = [];
  private readonly functions: unknown[] = [];
  private readonly effects: unknown[] = [];
  private variables = 0;

  constructor(
    protected readonly machine: Machine,
    protected readonly rt: Runtime,
    protected readonly expressions: ExpressionCompiler,
    private readonly statements: StatementCompiler,
  ) {
    // Everything is defined in text order of what it calls, which ends because nothing calls itself.
    const make = (list: unknown[], id: number, code: () => Code): void => {
      list[id] ??= this.build(code());
    };
    this.defineFunction = (id) => make(this.functions, id, () => this.functionCode(id));
    this.defineEffect = (id) => make(this.effects, id, () => this.effectCode(id));
  }

  private readonly defineFunction: (id: number) => void;
  private readonly defineEffect: (id: number) => void;

  /** The generated form of `ExpressionCompiler.compile`. */
  value(e: Expr): Get {
    return this.build(`() => ${this.expression(e, new Scope())}`) as Get;
  }

  /** The generated form of `ExpressionCompiler.stored`. */
  stored(e: Expr): Get {
    return this.build(`() => ${this.storedCode(e, new Scope())}`) as Get;
  }

  /** The generated form of `StatementCompiler.block`. */
  block(block: Block | undefined): Run {
    if (!block || block.statements.length === 0) return this.statements.block(block);
    return this.build(`() => {\n${this.blockCode(block, new Scope())}}`) as Run;
  }

  /** A choice: the first branch whose test holds. `arrows` are the branches' own, ready to be followed. */
  choice(branches: readonly Branch[], arrows: readonly Run[], none: Run): Run {
    let code = "";
    for (const [i, branch] of branches.entries()) {
      const scope = new Scope();
      const test = branch.test ? this.expression(branch.test, scope) : "true";
      code += `if (${test}) {\n${branch.block ? this.blockCode(branch.block, scope) : ""}return ${this.keep(arrows[i])}();\n}\n`;
    }
    return this.build(`() => {\n${code}${this.keep(none)}();\n}`) as Run;
  }

  /** A block and what comes after it. */
  blockThen(block: Block | undefined, next: Run): Run {
    if (!block || block.statements.length === 0) return next;
    return this.build(`() => {\n${this.blockCode(block, new Scope())}${this.keep(next)}();\n}`) as Run;
  }

  protected build(code: Code): unknown {
    const names = Object.keys(HELPERS);
    // What is kept is bound to constants, which the host's compiler sees through.
    const used = new Map([...code.matchAll(/\b([KFE])\[(\d+)\]/g)].map((m) => [`${m[1]}${m[2]}`, `${m[1]}[${m[2]}]`]));
    const constants = [...used].map(([name, place]) => `const ${name} = ${place};\n`).join("");
    const body = code.replace(/\b([KFE])\[(\d+)\]/g, "$1$2");
    const make = new Function("rt", "L", "K", "F", "E", ...names, `"use strict";\n${constants}return ${body};`);
    return make(this.rt, this.rt.locals, this.kept, this.functions, this.effects, ...Object.values(HELPERS));
  }

  protected keep(value: unknown): Code {
    this.kept.push(value);
    return `K[${this.kept.length - 1}]`;
  }

  protected place(span: Span): Code {
    return this.keep({ from: span.from, to: span.to });
  }

  protected variable(): Code {
    return `t${this.variables++}`;
  }

  private functionCode(id: number): Code {
    const declaration = this.machine.functions[id];
    if (!declaration) throw new Error("unknown function");
    const scope = new Scope();
    const parameters = declaration.parameters.map((p) => scope.add(p.slot));
    const body = this.expression(declaration.body, scope);
    return `(${parameters.join(", ")}) => ${this.clamped(declaration.type, body)}`;
  }

  private effectCode(id: number): Code {
    const declaration = this.machine.effects[id];
    if (!declaration) throw new Error("unknown effect");
    const scope = new Scope();
    const parameters = declaration.parameters.map((p) => scope.add(p.slot));
    return `(${parameters.join(", ")}) => {\n${this.blockCode(declaration.body, scope)}}`;
  }

  private clamped(type: Type, code: Code): Code {
    if (!clamp(type) || type.kind !== "int") return code;
    const { low, high } = type;
    const v = this.variable();
    return `((${v}) => ${v} < ${low} ? ${low} : ${v} > ${high} ? ${high} : ${v})(${code})`;
  }

  // ---- expressions -----------------------------------------------------------------------------

  protected expression(e: Expr, scope: Scope): Code {
    switch (e.kind) {
      case "constant":
        return literal(e.value);
      case "local":
        return scope.read(e.slot);
      case "data":
        return `rt.root.at[${e.slot}]`;
      case "stateData":
        if (e.of !== undefined) break;
        return `rt.root.at[${e.slot}].at[${e.field}]`;
      case "field":
        return `${this.expression(e.of, scope)}.at[${e.field}]`;
      case "index":
        if (e.of.type.kind === "perSeat") return `${this.expression(e.of, scope)}.at[${this.expression(e.key, scope)}]`;
        if (e.of.type.kind === "list")
          return `element(${this.expression(e.of, scope)}.at, ${this.expression(e.key, scope)}, ${this.place(e)})`;
        break;
      case "listProperty":
        if (e.property === "size") return `${this.expression(e.of, scope)}.at.length`;
        if (e.property === "empty") return `(${this.expression(e.of, scope)}.at.length === 0)`;
        if (e.property === "first") return `some(${this.expression(e.of, scope)}, ${this.place(e)})[0]`;
        break;
      case "listHas":
        if (!isBoxed(e.value.type)) return `has(${this.expression(e.of, scope)}, ${this.expression(e.value, scope)})`;
        break;
      case "list":
        return `new Box(rt.epoch, [${e.items.map((item) => this.storedCode(item, scope)).join(", ")}])`;
      case "not":
        return `!(${this.expression(e.of, scope)})`;
      case "negate":
        return `(0 - ${this.expression(e.of, scope)})`;
      case "binary": {
        const code = this.binary(e, scope);
        if (code !== undefined) return code;
        break;
      }
      case "if":
        return `(${this.expression(e.test, scope)} ? ${this.expression(e.then, scope)} : ${this.expression(e.otherwise, scope)})`;
      case "call":
        this.defineFunction(e.function);
        return `F[${e.function}](${e.args.map((arg) => this.expression(arg, scope)).join(", ")})`;
      case "least":
      case "greatest":
        return `Math.${e.kind === "least" ? "min" : "max"}(${e.args.map((arg) => this.expression(arg, scope)).join(", ")})`;
      case "abs":
        return `Math.abs(${this.expression(e.of, scope)})`;
      case "binder": {
        const code = this.binder(e, scope);
        if (code !== undefined) return code;
        break;
      }
      case "me":
        return scope.me ?? "rt.me";
      case "seats":
        return "rt.everySeat()";
      case "inPlay":
        return "rt.inPlay()";
      case "seated":
        return "rt.seated()";
      case "now":
        return "rt.now";
      case "next":
        return `rt.nextSeat(${this.expression(e.seat, scope)}, ${this.place(e)})`;
      case "inState":
        if (scope.configuration) return String(scope.configuration.active[e.state] === 1);
        return `(rt.configuration.active[${e.state}] === 1)`;
      case "roll":
        if (
          scope.configuration &&
          e.whole &&
          !e.times &&
          e.low.kind === "constant" &&
          e.high.kind === "constant" &&
          this.isSmall(e.low.value, e.high.value)
        ) {
          // Nobody looks and nothing is set by hand: the face alone.
          return `(${e.low.value} + face(rt.dice, ${e.stream * WORDS_PER_STREAM}, ${Number(e.high.value) - Number(e.low.value) + 1}))`;
        }
        if (e.whole && !e.times)
          return `rt.rollWhole(${e.stream}, ${this.expression(e.low, scope)}, ${this.expression(e.high, scope)}, ${this.place(e)})`;
        break;
      case "take": {
        const { setup, holder, slot } = this.location(e.target, scope);
        return `(() => { ${setup}const list = own(${holder}, ${slot}, rt.epoch); return taken(list, ${e.method === "take"}, ${this.place(e)}); })()`;
      }
      default:
    }
    return this.closure(this.expressions.compile(e), scope);
  }

  /** An expression whose value will stand in a second place. */
  protected storedCode(e: Expr, scope: Scope): Code {
    const code = this.expression(e, scope);
    return isBoxed(e.type) && !isFresh(e) ? `share(${code})` : code;
  }

  /** Calls a closure, after putting the variables of generated code where closures look for them. */
  private closure(get: unknown, scope: Scope): Code {
    const kept = this.keep(get);
    const synced = scope.entries().map(([slot, name]) => `L[${slot}] = ${name}`);
    return synced.length === 0 ? `${kept}()` : `(${synced.join(", ")}, ${kept}())`;
  }

  private binary(e: Expr & { kind: "binary" }, scope: Scope): Code | undefined {
    const { op } = e;
    if (op === "in") {
      const within = this.within(e.left, e.right, scope);
      if (within !== undefined) return within;
      if (e.right.kind === "inPlay" && e.left.kind === "local")
        return `(rt.seats[${this.expression(e.left, scope)}] !== ${SEAT_OUT})`;
      if (e.right.type.kind === "list" && e.right.kind !== "range" && !isBoxed(e.left.type)) {
        // The left side is computed first, as everywhere.
        const v = this.variable();
        return `((${v}) => has(${this.expression(e.right, scope)}, ${v}))(${this.expression(e.left, scope)})`;
      }
      return undefined;
    }
    const left = this.expression(e.left, scope);
    const right = this.expression(e.right, scope);
    switch (op) {
      case "and":
        return `(${left} && ${right})`;
      case "or":
        return `(${left} || ${right})`;
      case "implies":
        return `(!${left} || ${right})`;
      case "==":
      case "!=": {
        const boxed = isBoxed(e.left.type) || isBoxed(e.right.type);
        if (boxed) return `${op === "==" ? "" : "!"}same(${left}, ${right})`;
        return `(${left} ${op}= ${right})`;
      }
      case "<":
      case "<=":
      case ">":
      case ">=":
        return `(${left} ${op} ${right})`;
      case "/":
        return `num(${left} / zero(${right}, ${this.place(e)}), ${this.place(e)})`;
      case "mod":
        return undefined;
      default: {
        const code = op === "*" ? `(${left} * ${right} + 0)` : `(${left} ${op} ${right})`;
        if (e.type.kind === "num") return `num(${code}, ${this.place(e)})`;
        return e.type.kind === "int" && e.type.low > -MAX_INT && e.type.high < MAX_INT
          ? code
          : `int(${code}, ${this.place(e)})`;
      }
    }
  }

  /**
   * What an element of a loop costs. Over seats, of which there are few, quiet code looks at the end of the step only
   * whether it was too much.
   */
  private spent(at: Span, seats: boolean, scope: Scope): Code {
    return seats && scope.configuration ? "rt.effects += 1;\n" : `rt.spend(1, ${this.place(at)});\n`;
  }

  /** Whether a number is in a range or among a list's indices, without making that list. */
  private within(value: Expr, list: Expr, scope: Scope): Code | undefined {
    if (value.kind !== "local" || value.type.kind !== "int") return undefined;
    const number = this.expression(value, scope);
    if (list.kind === "listProperty" && list.property === "indices")
      return `(${number} >= 0 && ${number} < ${this.expression(list.of, scope)}.at.length)`;
    if (list.kind === "range" && list.low.kind === "constant" && list.high.kind === "constant")
      return `(${number} >= ${list.low.value} && ${number} <= ${list.high.value})`;
    return undefined;
  }

  private isSmall(low: unknown, high: unknown): boolean {
    return typeof low === "number" && typeof high === "number" && low <= high && high - low < 2 ** 31;
  }

  /** The common binders over lists; the rest run as closures. */
  private binder(e: Expr & { kind: "binder" }, scope: Scope): Code | undefined {
    if (e.source.type.kind !== "list" || e.ties === "byLot") return undefined;
    const source = `${this.expression(e.source, scope)}.at`;
    const inner = scope.inside();
    const item = inner.add(e.slot);
    const whole = e.source.type.kind === "list" && !isBoxed(e.source.type.of);
    const where = e.where && this.expression(e.where, inner);
    const spend = this.spent(e, e.source.kind === "seats" || e.source.kind === "inPlay", scope);
    const guard = where === undefined ? "" : `if (!(${where})) continue; `;
    const body = e.body && this.expression(e.body, inner);
    // A function of its own, made once, that is handed what it uses from around.
    const around = [...scope.entries().map(([, name]) => name), ...(scope.me === undefined ? [] : [scope.me])];
    const apart = (body: Code): Code =>
      `${this.keep(this.build(`(${["list", ...around].join(", ")}) => { ${body} }`))}(${[source, ...around].join(", ")})`;
    const loop = (before: Code, each: Code, after: Code): Code =>
      apart(
        `${before}for (let i = 0; i < list.length; i++) { const ${item} = list[i]; ${spend}${guard}${each} } ${after}`,
      );
    switch (e.word) {
      case "any":
        return loop("", `if (${body}) return true;`, "return false;");
      case "all":
        return loop("", `if (!(${body})) return false;`, "return true;");
      case "count":
        return loop("let n = 0; ", "n++;", "return n;");
      case "sum":
        return loop(
          "let n = 0; ",
          `n += ${body};`,
          `return ${e.type.kind === "num" ? "num" : "int"}(n, ${this.place(e)});`,
        );
      case "filter":
        return loop(
          "const kept = []; ",
          `kept.push(${whole ? item : `share(${item})`});`,
          "return new Box(rt.epoch, kept);",
        );
      case "map":
        return loop("const kept = []; ", `kept.push(share(${body}));`, "return new Box(rt.epoch, kept);");
      case "sort":
      case "sortDown":
        if (whole && guard === "") {
          const key = `keys[i] = ${e.word === "sort" ? "" : "-"}(${body});`;
          return apart(
            `const kept = list.slice(), keys = []; for (let i = 0; i < kept.length; i++) { const ${item} = kept[i]; ${spend}${key} } return new Box(rt.epoch, sorted(kept, keys));`,
          );
        }
        return loop(
          "const kept = [], keys = []; ",
          `kept.push(${whole ? item : `share(${item})`}); keys.push(${e.word === "sort" ? "" : "-"}(${body}));`,
          "return new Box(rt.epoch, sorted(kept, keys));",
        );
      default:
        return undefined;
    }
  }

  // ---- statements ------------------------------------------------------------------------------

  protected blockCode(block: Block, outer: Scope): Code {
    const scope = outer.inside();
    const spent = block.statements.length === 0 ? "" : `rt.effects += ${block.statements.length};\n`;
    return spent + block.statements.map((s) => this.statement(s, scope)).join("");
  }

  private statement(s: Statement, scope: Scope): Code {
    switch (s.kind) {
      case "let":
        // Lets are written to, and read behind the block, so they stay where closures have them.
        return `L[${s.slot}] = ${this.storedCode(s.value, scope)};\n`;
      case "assign": {
        const code = this.assign(s, scope);
        if (code !== undefined) return code;
        break;
      }
      case "change": {
        const code = this.change(s, scope);
        if (code !== undefined) return code;
        break;
      }
      case "call":
        if (scope.configuration && this.inlines(s.effect)) return this.inlined(s, scope);
        this.defineEffect(s.effect);
        return `E[${s.effect}](${s.args.map((arg) => this.storedCode(arg, scope)).join(", ")});\n`;
      case "note":
        if (scope.configuration) return "";
        return `if (rt.happenings) ${this.closure(this.statements.single(s), scope)};\n`;
      case "raise":
        return this.raised(s, scope);
      case "eliminate":
        return `rt.setSeat(${this.expression(s.seat, scope)}, ${SEAT_OUT});\n`;
      case "for":
        if (s.source.type.kind === "list") return this.loop(s, scope);
        break;
      case "if": {
        let code = "";
        for (const [i, branch] of s.branches.entries())
          code += `${i === 0 ? "if" : " else if"} (${this.expression(branch.test, scope)}) {\n${this.blockCode(branch.body, scope)}}`;
        return `${code}${s.otherwise ? ` else {\n${this.blockCode(s.otherwise, scope)}}` : ""}\n`;
      }
      default:
    }
    return `${this.closure(this.statements.single(s), scope)};\n`;
  }

  protected inlines(_effect: number): boolean {
    return false;
  }

  protected raised(s: Statement & { kind: "raise" }, scope: Scope): Code {
    return `rt.raise(${s.signal}, [${s.args.map((arg) => this.storedCode(arg, scope)).join(", ")}], ${this.place(s)});\n`;
  }

  /** An effect's body in place of its call. Nothing calls itself, so this ends. */
  private inlined(s: Statement & { kind: "call" }, scope: Scope): Code {
    const { parameters, body } = this.machine.effects[s.effect] as Machine["effects"][number];
    const inner = new Scope(undefined, scope.configuration);
    const values = s.args.map((arg) => [this.variable(), this.storedCode(arg, scope)] as const);
    const named = parameters.map((p, i) => `${inner.add(p.slot)} = ${values[i]?.[0]}`);
    const first = values.length === 0 ? "" : `const ${values.map(([name, code]) => `${name} = ${code}`).join(", ")};\n`;
    return `{\n${first}{\n${named.length === 0 ? "" : `const ${named.join(", ")};\n`}${this.blockCode(body, inner)}}\n}\n`;
  }

  private loop(s: Statement & { kind: "for" }, scope: Scope): Code {
    const inner = scope.inside();
    const source = this.expression(s.source, scope);
    const item = inner.add(s.slot);
    const where = s.where && this.expression(s.where, inner);
    const shared = s.source.type.kind === "list" && isBoxed(s.source.type.of) ? `share(${item});\n` : "";
    // The list as it was when the loop began, whatever the body does to it. Lists of seats are never changed in place.
    const list = this.variable();
    const index = this.variable();
    const seats = s.source.kind === "seats" || s.source.kind === "inPlay";
    return `for (let ${list} = ${source}.at${seats ? "" : ".slice()"}, ${index} = 0; ${index} < ${list}.length; ${index}++) {\nconst ${item} = ${list}[${index}];\n${this.spent(s, seats, scope)}${shared}${where === undefined ? "" : `if (!(${where})) continue;\n`}${this.blockCode(s.body, inner)}}\n`;
  }

  private assign(s: Statement & { kind: "assign" }, scope: Scope): Code | undefined {
    const { type } = s.target;
    const last = s.target.path.at(-1);
    if (last?.kind === "index" && last.of.kind === "map") return undefined;
    if (s.op === "=" && (type.kind === "text" || type.kind === "list") && type.max !== undefined) return undefined;
    const value = this.variable();
    const box = this.variable();
    const slot = this.variable();
    const location = this.location(s.target, scope);
    const head = `const ${value} = ${this.storedCode(s.value, scope)};\n${this.watch(s.target, scope)}${location.setup}const ${box} = ${location.holder}, ${slot} = ${location.slot};\n`;
    const stopped = scope.configuration
      ? ""
      : ` rt.happenings?.clamped.push({ position: ${s.from}, wanted: W, kept: ${box}.at[${slot}] });`;
    const bounds = type.kind === "int" && clamp(type) ? type : undefined;
    let tail: Code;
    if (s.op === "=") {
      tail = bounds
        ? `if (${value} < ${bounds.low} || ${value} > ${bounds.high}) { ${box}.at[${slot}] = ${value} < ${bounds.low} ? ${bounds.low} : ${bounds.high};${stopped.replace("W", value)} } else ${box}.at[${slot}] = ${value};\n`
        : `${box}.at[${slot}] = ${value};\n`;
    } else {
      const next = this.variable();
      const sum = `const ${next} = ${box}.at[${slot}] ${s.op === "+=" ? "+" : "-"} ${value};\n`;
      if (bounds) {
        tail = `${sum}if (${next} < ${bounds.low} || ${next} > ${bounds.high}) { ${box}.at[${slot}] = ${next} < ${bounds.low} ? ${bounds.low} : ${bounds.high};${stopped.replace("W", next)} } else ${box}.at[${slot}] = ${next} + 0;\n`;
      } else {
        tail = `${sum}${box}.at[${slot}] = ${type.kind === "int" ? "int" : "num"}(${next}, ${this.place(s)}) + 0;\n`;
      }
    }
    return `{\n${head}${tail}}\n`;
  }

  private change(s: Statement & { kind: "change" }, scope: Scope): Code | undefined {
    const { type } = s.target;
    if (type.kind !== "list" || type.max !== undefined || !["push", "take", "takeLast", "clear"].includes(s.method))
      return undefined;
    const location = this.location(s.target, scope);
    const list = this.variable();
    const head = `${this.watch(s.target, scope)}${location.setup}const ${list} = own(${location.holder}, ${location.slot}, rt.epoch);\n`;
    switch (s.method) {
      case "push": {
        const value = this.variable();
        return `{\nconst ${value} = ${this.storedCode(s.args[0] as Expr, scope)};\n${head}pushed(${list}.at, ${value}, ${this.place(s)});\n}\n`;
      }
      case "clear":
        return `{\n${head}${list}.at.length = 0;\n}\n`;
      default:
        return `{\n${head}left(${list}, ${this.place(s)}).${s.method === "take" ? "shift" : "pop"}();\n}\n`;
    }
  }

  /** The box that directly holds a location, as the step's own, and the slot in it. */
  private location(target: Location, scope: Scope): { setup: Code; holder: Code; slot: Code } {
    const { base, path } = target;
    let setup = "";
    let holder: Code;
    let slot: Code;
    if (base.kind === "local") {
      holder = this.keep(new Box(0, this.rt.locals));
      slot = String(base.slot);
    } else if (base.kind === "data") {
      holder = this.root(base.slot);
      slot = String(base.slot);
    } else {
      holder = `own(rt.ownRoot(${base.slot}), ${base.slot}, rt.epoch)`;
      slot = String(base.field);
    }
    for (const step of path) {
      const box = this.variable();
      const outer = this.variable();
      // Mostly it is the step's own already, which is seen without a call.
      setup += `const ${outer} = ${holder};\nlet ${box} = ${outer}.at[${slot}];\nif (${box}.owner !== rt.epoch) ${box} = own(${outer}, ${slot}, rt.epoch);\n`;
      holder = box;
      if (step.kind === "field") {
        slot = String(step.field);
        continue;
      }
      const key = this.expression(step.key, scope);
      const found = this.variable();
      if (step.of.kind === "perSeat") setup += `const ${found} = ${key};\n`;
      else setup += `const ${found} = ${this.keep(this.expressions.slotIn(step.of, step.key))}(${box}.at, ${key});\n`;
      slot = found;
    }
    return { setup, holder, slot };
  }

  /** The root box as the step's own, which it mostly is already. */
  protected root(slot: number): Code {
    return `(rt.root.owner === rt.epoch ? (rt.touched |= ${1 << (slot & 31)}, rt.root) : rt.ownRoot(${slot}))`;
  }

  private watch(target: Location, { configuration }: Scope): Code {
    const watcher = this.statements.watch(target);
    if (!watcher) return "";
    const laws = this.machine.laws.flatMap((law) =>
      law.form === "changes" && target.watched.includes(law.id) ? [law] : [],
    );
    if (configuration && laws.every((law) => law.states.some((id) => configuration.active[id] === 1))) return "";
    const allowed = laws
      .map((law) => `(${law.states.map((id) => `rt.configuration.active[${id}] === 1`).join(" || ") || "false"})`)
      .join(" && ");
    return `if (!(${allowed})) ${this.keep(watcher)}();\n`;
  }
}

/**
 * Which local slots are variables of the generated code, by the names they have there; and, for code
 * that runs in one configuration only and for nobody who looks, that configuration.
 */
export class Scope {
  private readonly names: Map<number, string>;
  readonly configuration: Configuration | undefined;
  /** The variable that holds the seat acting, where there is one. */
  readonly me: string | undefined;

  constructor(
    outer?: Scope,
    configuration: Configuration | undefined = outer?.configuration,
    me: string | undefined = outer?.me,
  ) {
    this.names = new Map(outer?.names);
    this.configuration = configuration;
    this.me = me;
  }

  inside(): Scope {
    return new Scope(this);
  }

  add(slot: number): string {
    const name = `v${slot}`;
    this.names.set(slot, name);
    return name;
  }

  read(slot: number): string {
    return this.names.get(slot) ?? `L[${slot}]`;
  }

  entries(): [number, string][] {
    return [...this.names];
  }
}

/** Values that nothing else can hold yet. */
function isFresh(e: Expr): boolean {
  return (
    e.kind === "list" ||
    e.kind === "record" ||
    e.kind === "take" ||
    (e.kind === "binder" && e.word !== "minBy" && e.word !== "maxBy")
  );
}

function literal(value: number | boolean | string | null): Code {
  if (typeof value === "number") return value < 0 || Object.is(value, -0) ? `(${value + 0})` : String(value);
  return value === null || typeof value === "boolean"
    ? String(value)
    : JSON.stringify(value).replaceAll("\u2028", "\\u2028").replaceAll("\u2029", "\\u2029");
}
