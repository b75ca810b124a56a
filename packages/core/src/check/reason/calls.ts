/**
 * What functions come to, kept by what their arguments and the data they read may be: they are asked over and over,
 * often one inside another.
 */

import type { Expr, Machine } from "../machine.js";
import { readsOf } from "../reads.js";
import { visitExpr } from "../visit.js";
import { headOf } from "./expression-keys.js";
import { type Knowledge, type Local, PAIR } from "./knowledge.js";
import type { Possible } from "./possible.js";

/** Results kept of one function; with more they are all forgotten. */
const MAX_KEPT = 2_000;
/** Functions of fewer expressions are worked out as fast as they are looked up. */
const FEW_EXPRESSIONS = 8;

/** Contents that have numbers; with more they get new ones. */
const MAX_CONTENTS = 50_000;
/** In place of a number, for what cannot be written down. */
const UNWRITTEN = -1;
/** The numbers of facts where none tells more of a function. */
const NO_FACTS = "";

interface Callable {
  /** The slots of the root box that it reads. */
  readonly slots: readonly number[];
  /** The kinds of expressions in it: what is known of one of those may tell more of it. */
  readonly heads: ReadonlySet<string>;
  readonly results: Map<string, Result>;
  /** What is known of expressions like those in it, of the facts that were asked for last. */
  lastFacts?: { readonly facts: Knowledge["facts"]; readonly numbers: string | undefined };
}

interface Result {
  readonly value: Possible;
  /** Whoever watched was told of nothing that may go wrong in it. */
  readonly isHarmless: boolean;
}

/** Works a function out. */
export interface Working {
  /** Somebody watches, and is told of what may go wrong. */
  readonly isWatched: boolean;
  /** How often somebody was told so far. */
  told(): number;
  value(): Possible;
}

export class Calls {
  private readonly callables = new Map<number, Callable | undefined>();
  private readonly contents = new Contents();

  constructor(private readonly machine: Machine) {}

  /**
   * @param args what the arguments are
   * @param apart how many elements are gone through one by one for each that is now
   * @returns what the function comes to, worked out where that is not known
   */
  of(id: number, args: readonly Local[], apart: number, store: Knowledge, working: Working): Possible {
    const callable = this.callable(id);
    const key = callable && this.keyOf(callable, args, apart, store);
    if (!callable || !key) return working.value();
    const { results } = callable;
    const known = results.get(key);
    if (known && (known.isHarmless || !working.isWatched)) return known.value;
    const before = working.told();
    const value = working.value();
    if (results.size >= MAX_KEPT) results.clear();
    results.set(key, { value, isHarmless: working.isWatched && working.told() === before });
    return value;
  }

  private callable(id: number): Callable | undefined {
    if (this.callables.has(id)) return this.callables.get(id);
    const body = this.machine.functions[id]?.body;
    const callable = body && this.callableOf(body);
    this.callables.set(id, callable);
    return callable;
  }

  /** Undefined where it asks for more than data, or is small. */
  private callableOf(body: Expr): Callable | undefined {
    const { slots, more } = readsOf(this.machine, body);
    const heads = new Set<string>([PAIR]);
    let size = 0;
    // Nothing calls itself, so this ends.
    const visitor = {
      expr: (e: Expr): void => {
        size++;
        if (e.kind === "call") visitExpr(this.machine.functions[e.function]?.body, visitor);
        if (e.kind !== "constant" && e.kind !== "local") heads.add(headOf(e));
      },
    };
    visitExpr(body, visitor);
    return more || size < FEW_EXPRESSIONS ? undefined : { slots: [...slots], heads, results: new Map() };
  }

  /** What decides what comes of it; undefined for what cannot be written down. */
  private keyOf(callable: Callable, args: readonly Local[], apart: number, store: Knowledge): string | undefined {
    const facts = this.factsOf(callable, store);
    if (facts === undefined) return undefined;
    let key = `${apart},${facts}`;
    for (const [i, { key: name, value }] of args.entries()) {
      let called: number | string = i;
      // By name facts speak of arguments. Without facts it counts which of them are surely the same.
      if (facts !== NO_FACTS) called = name ? this.contents.ofText(name.text) : "";
      else if (name) called = args.findIndex((other) => other.key?.text === name.text);
      const number = this.contents.of(value);
      if (number === undefined) return undefined;
      key += `;${called},${number}`;
    }
    for (const slot of callable.slots) {
      const value = store.data[slot];
      const number = value && this.contents.of(value);
      if (value && number === undefined) return undefined;
      key += `;${number ?? ""}`;
    }
    if (store.unset.size === 0) return key;
    return `${key};${[...store.unset].filter((name) => callable.slots.includes(Number.parseInt(name, 10)))}`;
  }

  /** What is known of expressions like those in it, as the numbers of those facts. */
  private factsOf(callable: Callable, { facts }: Knowledge): string | undefined {
    if (facts.size === 0) return NO_FACTS;
    if (callable.lastFacts?.facts === facts) return callable.lastFacts.numbers;
    let numbers: string | undefined = NO_FACTS;
    for (const [text, fact] of facts) {
      if (!callable.heads.has(fact.head)) continue;
      const name = this.contents.ofText(text);
      const value = this.contents.of(fact.value);
      numbers = value === undefined ? undefined : `${numbers} ${name}:${value}`;
      if (numbers === undefined) break;
    }
    callable.lastFacts = { facts, numbers };
    return numbers;
  }
}

/** Numbers for contents: what reads the same has the same number. */
class Contents {
  private numbers = new Map<string, number>();
  private known = new WeakMap<object, number>();
  private next = 0;

  /** @returns undefined for what cannot be written down */
  of(value: object): number | undefined {
    let number = this.known.get(value);
    if (number === undefined) {
      const text = JSON.stringify(value);
      number = text.includes("null") ? UNWRITTEN : this.ofText(text);
      this.known.set(value, number);
    }
    return number === UNWRITTEN ? undefined : number;
  }

  ofText(text: string): number {
    const known = this.numbers.get(text);
    if (known !== undefined) return known;
    if (this.numbers.size >= MAX_CONTENTS) {
      this.numbers = new Map();
      this.known = new WeakMap();
    }
    this.numbers.set(text, this.next);
    return this.next++;
  }
}
