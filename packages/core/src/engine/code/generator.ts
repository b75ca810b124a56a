/**
 * Generates JavaScript from the typed tree, for hosts that may run generated code: the service and the
 * command line. The browser, whose pages forbid it, runs the closures of `expressions.ts` and
 * `statements.ts`; a property test holds the two equal, the words of their faults included. What is rare or
 * long is not generated: it calls the closure that would run anyway.
 *
 * Nothing of a machine's text gets into the generated code but numbers and quoted texts: names are
 * slots by now, and everything else is handed over as an object.
 */

import type { Block, Branch, Expr, Location, Machine } from "../../check/machine.js";
import { costOf, isOpenEnded, operationsIn, type RoutineSizes, routineSizes } from "../../check/size.js";
import { isBoxed, type Type } from "../../check/types.js";
import type { Span } from "../../language/source.js";
import type { Memory } from "../situation/memory.js";
import { Box, ownedChild, share } from "../values/box.js";
import type { Get, Run } from "../values/closure.js";
import { randomSmall } from "../values/random.js";
import { sortedBy } from "../values/sort.js";
import { expressionCode } from "./generated-expressions.js";
import { blockCode } from "./generated-statements.js";
import type { Code, Generating, GeneratorHooks } from "./generating.js";
import { placeCode } from "./grid-code.js";
import { lookingIntoBoxes } from "./packed.js";
import { CodeScope } from "./scope.js";
import type { Statements } from "./statements.js";
import type { WordTest } from "./word-tests.js";
import {
  checkedCell,
  checkedDivisor,
  checkedInt,
  checkedNum,
  checkedValue,
  clamp,
  filled,
  isFresh,
  isSeatList,
  listElement,
  modulo,
  paidRange,
  placeAt,
  placeOf,
  pushed,
  sameCharged,
  seatedOne,
  slotFinder,
  sortingCost,
  takenFrom,
} from "./support.js";

/** True where generated code may run. */
export function mayGenerate(): boolean {
  try {
    return new Function("return 1")() === 1;
  } catch {
    return false;
  }
}

/** What generated code calls by short names: the same functions that closures call. */
const HELPERS = {
  Box,
  own: ownedChild,
  share,
  int: checkedInt,
  num: checkedNum,
  element: listElement,
  seated: seatedOne,
  sorted: sortedBy,
  face: randomSmall,
  filled,
  pushed,
  taken: takenFrom,
  divisor: checkedDivisor,
  /** For plain values: no comparing part by part. */
  has(memory: Memory, box: Box, value: unknown, at: Span): boolean {
    memory.charge(box.parts.length, at);
    for (const item of box.parts) if (item === value) return true;
    return false;
  },
  same: sameCharged,
  filledIn: checkedValue,
  cell: checkedCell,
  place: placeOf,
  spot: placeAt,
  mod: modulo,
  ranged: paidRange,
  sorting: sortingCost,
} as const;

/** Functions of more operations than this are called. */
const MOST_INLINED = 60;
/** Code that may stand in several places: a name, or a number or word that is known. */
const PLAIN = /^(\w+|\(-\d+\))$/;
/** A number that is written down. */
const WRITTEN = /^\d+$/;

const NO_HOOKS: GeneratorHooks = {
  isSearched: false,
  packed: undefined,
  inlines: () => false,
  takesOn: () => false,
  raised: () => undefined,
};

export class Generator implements Generating {
  readonly machine: Machine;
  readonly memory: Memory;
  readonly tests = new Map<Code, WordTest>();
  /** Objects that generated code refers to: places in the text, closures, watchers. */
  private readonly kept: unknown[] = [];
  private readonly functions: unknown[] = [];
  private readonly effects: unknown[] = [];
  private variables = 0;
  private knownSizes: RoutineSizes | undefined;
  /** What all that is written out in the expression at hand costs at most; undefined where each pays for itself. */
  private dues: number | undefined;
  /** The words that the function at hand reads at first; undefined where they are read when they are wanted. */
  private wordsRead: Set<Code> | undefined;

  constructor(
    readonly statements: Statements,
    readonly hooks: GeneratorHooks = NO_HOOKS,
  ) {
    this.machine = statements.machine;
    this.memory = statements.memory;
  }

  // ---- what is made ----------------------------------------------------------------------------

  /** The generated form of `Expressions.compile`. */
  value(e: Expr): Get {
    return this.build(`() => ${this.expression(e, new CodeScope())}`) as Get;
  }

  /** The generated form of `Expressions.stored`. */
  stored(e: Expr): Get {
    return this.build(`() => ${this.storedCode(e, new CodeScope())}`) as Get;
  }

  /** The generated form of `Statements.block`. */
  block(block: Block | undefined): Run {
    if (!block || block.statements.length === 0) return this.statements.block(block);
    return this.build(`() => {\n${this.blockCode(block, new CodeScope())}}`) as Run;
  }

  /** A choice: the first branch whose test holds. `arrows` are the branches' own, ready to be followed. */
  choice(branches: readonly Branch[], arrows: readonly Run[], none: Run): Run {
    let code = "";
    for (const [i, branch] of branches.entries()) {
      const scope = new CodeScope();
      const test = branch.test ? this.expression(branch.test, scope) : "true";
      code +=
        `if (${test}) {\n${branch.block ? this.blockCode(branch.block, scope) : ""}` +
        `return ${this.keep(arrows[i])}();\n}\n`;
    }
    return this.build(`() => {\n${code}${this.keep(none)}();\n}`) as Run;
  }

  /** A block and what comes after it. */
  blockThen(block: Block | undefined, next: Run): Run {
    if (!block || block.statements.length === 0) return next;
    return this.build(`() => {\n${this.blockCode(block, new CodeScope())}${this.keep(next)}();\n}`) as Run;
  }

  build(code: Code): unknown {
    // What is used is bound to constants, which the host's compiler sees through. A name that stands in a quoted text
    // alone is bound for nothing.
    const kept = { K: this.kept, F: this.functions, E: this.effects };
    const used = new Set([...code.matchAll(/\b[KFE]\d+\b/g)].map(([name]) => name));
    const constants = [...used]
      .map((name) => [name, name[0] as keyof typeof kept, Number(name.slice(1))] as const)
      .filter(([, list, index]) => index < kept[list].length)
      .map(([name, list, index]) => `const ${name} = ${list}[${index}];\n`)
      .join("");
    const { memory } = this;
    const given = { memory, L: memory.locals, W: this.hooks.packed?.words, ...HELPERS };
    const names = Object.keys(given).join(", ");
    const bound = `"use strict";\nconst { ${names} } = given;\n${constants}`;
    return new Function("given", "K", "F", "E", `${bound}return ${code};`)(
      given,
      this.kept,
      this.functions,
      this.effects,
    );
  }

  // ---- pieces ----------------------------------------------------------------------------------

  keep(value: unknown): Code {
    this.kept.push(value);
    return `K${this.kept.length - 1}`;
  }

  at(span: Span): Code {
    return this.keep({ from: span.from, to: span.to });
  }

  variable(): Code {
    return `t${this.variables++}`;
  }

  /**
   * In a search an expression pays first for all that is written out in it, also for what is not asked then: a step
   * that costs too much so is taken again by those who count in full.
   */
  expression(e: Expr, scope: CodeScope): Code {
    if (!this.hooks.isSearched || this.dues !== undefined) return this.written(e, scope);
    this.dues = 0;
    const code = this.written(e, scope);
    const cost = this.dues;
    this.dues = undefined;
    return cost === 0 ? code : `(${this.paying(cost, e, scope)}, ${code})`;
  }

  paid(cost: number, at: Span, scope: CodeScope): Code | undefined {
    if (this.dues === undefined) return this.paying(cost, at, scope);
    this.dues += cost;
    return undefined;
  }

  /** What is counted for little is looked at by the end of the step. */
  private paying(cost: number, at: Span, scope: CodeScope): Code {
    return scope.configuration ? `memory.effects += ${cost}` : `memory.spend(${cost}, ${this.at(at)})`;
  }

  repeated<T>(make: () => T): T {
    const { dues, wordsRead } = this;
    this.dues = undefined;
    this.wordsRead = undefined;
    const made = make();
    this.dues = dues;
    this.wordsRead = wordsRead;
    return made;
  }

  wordCode(word: Code): Code {
    if (!this.wordsRead || !WRITTEN.test(word)) return `W[${word}]`;
    this.wordsRead.add(word);
    return `w${word}`;
  }

  /** Code of a function that writes no data, which reads each word once, and what comes before it. */
  reading(make: () => Code): { readonly before: Code; readonly code: Code } {
    const { wordsRead } = this;
    const words = new Set<Code>();
    this.wordsRead = words;
    const code = make();
    this.wordsRead = wordsRead;
    return { before: [...words].map((word) => `const w${word} = W[${word}];\n`).join(""), code };
  }

  private written(e: Expr, scope: CodeScope): Code {
    const { expressions } = this.statements;
    const code = expressionCode(this, e, scope);
    if (code === undefined) return lookingIntoBoxes(this, e, this.closure(expressions.compile(e), scope));
    const probe = expressions.probes?.values.get(e);
    if (!probe) return code;
    const told = this.keep((value: unknown) => {
      probe(value);
      return value;
    });
    return this.synced(`${told}(${code})`, scope);
  }

  storedCode(e: Expr, scope: CodeScope): Code {
    const code = this.expression(e, scope);
    if (!isBoxed(e.type) || isFresh(e)) return code;
    return isOpenEnded(e.type) ? `memory.kept(${code}, ${this.at(e)})` : `share(${code})`;
  }

  blockCode(block: Block, outer: CodeScope): Code {
    return blockCode(this, block, outer);
  }

  closure(get: unknown, scope: CodeScope): Code {
    return this.synced(`${this.keep(get)}()`, scope);
  }

  /** Code that runs after the variables of generated code were put where closures look for them. */
  private synced(code: Code, scope: CodeScope): Code {
    const synced = scope.entries().map(([slot, name]) => `L[${slot}] = ${name}`);
    return synced.length === 0 ? code : `(${synced.join(", ")}, ${code})`;
  }

  functionCode(id: number): Code {
    // Everything is defined in text order of what it calls, which ends because nothing calls itself.
    if (!this.functions[id]) {
      const declaration = this.machine.functions[id];
      if (!declaration) throw new Error(`There is no function number ${id}.`);
      const scope = new CodeScope();
      const parameters = declaration.parameters.map((p) => scope.add(p.slot));
      const cost = costOf(declaration.body);
      const { before, code } = this.repeated(() =>
        this.reading(() => {
          const body = this.expression(declaration.body, scope);
          return cost === 0 ? body : `(memory.spend(${cost}, ${this.at(declaration.body)}), ${body})`;
        }),
      );
      const given = this.clamped(declaration.type, code);
      this.functions[id] = this.build(
        `(${parameters.join(", ")}) => ${before === "" ? given : `{\n${before}return ${given};\n}`}`,
      );
    }
    return `F${id}`;
  }

  inlinedCall(id: number, args: readonly Code[], scope: CodeScope): Code | undefined {
    const declaration = this.machine.functions[id];
    if (!declaration || clamp(declaration.type) || !args.every((arg) => PLAIN.test(arg))) return undefined;
    if ((this.sizes.functions[id] ?? 0) > MOST_INLINED || !this.takesOn(declaration.body, 1)) return undefined;
    const inner = new CodeScope(undefined, scope.configuration, scope.me);
    for (const [i, { slot }] of declaration.parameters.entries()) inner.set(slot, args[i] as Code);
    const cost = costOf(declaration.body);
    const code = this.expression(declaration.body, inner);
    if (cost === 0) return code;
    if (this.dues === undefined) return `(memory.spend(${cost}, ${this.at(declaration.body)}), ${code})`;
    this.dues += cost;
    return code;
  }

  takesOn(e: Expr, times: number): boolean {
    return this.hooks.takesOn(times * operationsIn(e, this.sizes));
  }

  private get sizes(): RoutineSizes {
    return (this.knownSizes ??= routineSizes(this.machine));
  }

  effectCode(id: number): Code {
    if (!this.effects[id]) {
      const declaration = this.machine.effects[id];
      if (!declaration) throw new Error(`There is no effect number ${id}.`);
      const scope = new CodeScope();
      const parameters = declaration.parameters.map((p) => scope.add(p.slot));
      const code = this.repeated(() => this.blockCode(declaration.body, scope));
      this.effects[id] = this.build(`(${parameters.join(", ")}) => {\n${code}}`);
    }
    return `E${id}`;
  }

  private clamped(type: Type, code: Code): Code {
    if (!clamp(type) || type.kind !== "int") return code;
    const { low, high } = type;
    const v = this.variable();
    return `((${v}) => ${v} < ${low} ? ${low} : ${v} > ${high} ? ${high} : ${v})(${code})`;
  }

  /**
   * What an element of a loop costs. Over seats, of which there are few, quiet code looks at the end of the step only
   * whether it was too much.
   */
  spent(at: Span, source: Expr, cost: number, scope: CodeScope): Code {
    return isSeatList(source) && scope.configuration
      ? `memory.effects += ${cost};\n`
      : `memory.spend(${cost}, ${this.at(at)});\n`;
  }

  location(target: Location, scope: CodeScope): { setup: Code; holder: Code; slot: Code } {
    const { base, path } = target;
    let setup = "";
    let holder: Code;
    let slot: Code;
    if (base.kind === "local") {
      holder = this.keep(new Box(0, this.memory.locals));
      slot = String(base.slot);
    } else if (base.kind === "data") {
      holder = this.root(base.slot);
      slot = String(base.slot);
    } else {
      holder = `own(memory.ownRoot(${base.slot}), ${base.slot}, memory.epoch)`;
      slot = String(base.field);
    }
    for (const step of path) {
      if (step.kind === "present") {
        setup += `filledIn(${holder}.parts[${slot}], ${this.at(step)});\n`;
        continue;
      }
      const box = this.variable();
      const outer = this.variable();
      // Mostly it is the step's own already, which is seen without a call.
      setup +=
        `const ${outer} = ${holder};\nlet ${box} = ${outer}.parts[${slot}];\nif (${box}.owner !== ` +
        `memory.epoch) ${box} = own(${outer}, ${slot}, memory.epoch);\n`;
      holder = box;
      if (step.kind === "field") {
        slot = String(step.field);
        continue;
      }
      const found = this.variable();
      if (step.of.kind === "grid")
        setup += `const ${found} = ${placeCode(this, step.key, step.of, step.key, scope)};\n`;
      else if (step.of.kind === "perSeat") setup += `const ${found} = ${this.expression(step.key, scope)};\n`;
      else
        setup +=
          `const ${found} = ${this.keep(slotFinder(step.of, step.key, this.memory.naming))}(${box}` +
          `.parts, ${this.expression(step.key, scope)});\n`;
      slot = found;
    }
    return { setup, holder, slot };
  }

  /** The root box as the step's own, which it mostly is already. */
  private root(slot: number): Code {
    return (
      `(memory.root.owner === memory.epoch ? (memory.touched |= ${1 << (slot & 31)}, memory.root) : ` +
      `memory.ownRoot(${slot}))`
    );
  }
}
