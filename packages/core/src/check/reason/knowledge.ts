/**
 * What is known at one point of a machine: what every datum may hold, what local values may be, what
 * conditions have told about other expressions. Immutable; every change gives a new store.
 */

import type { Expr } from "../machine.js";
import { contains, join, meet, type NumberSet, type Possible, widen } from "./possible.js";

/** A local value: what it may be, and the argument it stands for when it is a parameter. */
export interface Local {
  readonly value: Possible;
  /** How facts call it. */
  readonly key: Key | undefined;
  /** The expression it was given as, so that what is learned of it is learned of that too. */
  readonly source?: Expr;
}

/** A name for what an expression computes, equal for expressions that surely compute the same, and what it reads. */
export interface Key {
  readonly text: string;
  /**
   * Slots of the root box, locals as -slot - 2, `ME`, or `PLACE` for what depends on where the match is and who plays.
   */
  readonly reads: readonly number[];
  /** The kind of expression it names, so that most lookups end before a key is written. */
  readonly head: string;
  /** Written without local values: the expression means the same wherever it is worked out. */
  readonly closed?: boolean;
}

/** Among the reads of a key, and as the local slot of the seat acting. */
export const ME = -1;
export const PLACE = Number.NEGATIVE_INFINITY;

/** The kind of facts about how two expressions lie to each other. */
export const PAIR = "pair";

/** Something known about an expression that is no datum of its own. */
interface Fact {
  readonly value: Possible;
  readonly reads: readonly number[];
  readonly head: string;
  /** The expression, when it means the same everywhere. */
  readonly of?: Expr;
}

/** Facts by the text of their keys. Many stores share theirs. */
class Facts extends Map<string, Fact> {
  /** The kinds of expressions they are about, as far as that has been gone through. */
  private heads: ReadonlySet<string> | undefined;

  /** These and one more. */
  and(key: string, fact: Fact): Facts {
    const more = new Facts(this);
    more.set(key, fact);
    if (this.heads?.has(fact.head)) more.heads = this.heads;
    return more;
  }

  /** Whether any of them is about an expression of this kind. */
  about(head: string): boolean {
    this.heads ??= new Set([...this.values()].map((f) => f.head));
    return this.heads.has(head);
  }
}

const NO_FACTS = new Facts();

export class Knowledge {
  /** What has been worked out from it, by who keeps it: see memo.ts. No part of what is known. */
  results: Map<object, Map<Expr, unknown>> | undefined = undefined;

  constructor(
    /** By slot of the root box; undefined for a state that is not active. */
    readonly data: readonly (Possible | undefined)[],
    readonly locals: ReadonlyMap<number, Local>,
    readonly facts: Facts,
    /** How many seats are in play. */
    readonly inPlay: NumberSet,
    /** Data that on some path hold what nobody has put there: `slot` for the machine's, `slot:field` for a state's. */
    readonly unset: ReadonlySet<string>,
  ) {}

  static empty(size: number, inPlay: NumberSet): Knowledge {
    return new Knowledge(new Array(size).fill(undefined), new Map(), NO_FACTS, inPlay, new Set());
  }

  /** Writes a datum: facts that read it are forgotten. */
  write(slot: number, value: Possible | undefined): Knowledge {
    const data = this.data.slice();
    data[slot] = value;
    return new Knowledge(data, this.freed(slot), this.without(slot), this.inPlay, this.unset);
  }

  /** Learns more about a datum, without a change of it. */
  learn(slot: number, value: Possible): Knowledge {
    if (this.data[slot] === value) return this;
    const data = this.data.slice();
    data[slot] = value;
    return new Knowledge(data, this.locals, this.facts, this.inPlay, this.unset);
  }

  bind(slot: number, local: Local): Knowledge {
    const read = slot === ME ? ME : -slot - 2;
    const locals = new Map(this.freed(read));
    locals.set(slot, local);
    return new Knowledge(this.data, locals, this.without(read), this.inPlay, this.unset);
  }

  learnLocal(slot: number, value: Possible): Knowledge {
    const known = this.locals.get(slot);
    if (!known || known.value === value) return this;
    const locals = new Map(this.locals);
    locals.set(slot, { ...known, value });
    return new Knowledge(this.data, locals, this.facts, this.inPlay, this.unset);
  }

  /** False when surely nothing is known of expressions of this kind. */
  mayKnow(head: string): boolean {
    return this.facts.size > 0 && this.facts.about(head);
  }

  /** @param of the expression that the key names */
  fact(key: Key, value: Possible, of?: Expr): Knowledge {
    const facts = this.facts.and(key.text, {
      value,
      reads: key.reads,
      head: key.head,
      ...(of && key.closed && { of }),
    });
    return new Knowledge(this.data, this.locals, facts, this.inPlay, this.unset);
  }

  /**
   * With the facts of another store that hold here too, though nobody has asked: they follow from the data.
   *
   * @param evaluate what an expression may come to here
   */
  recalling(other: Knowledge, evaluate: (e: Expr) => Possible): Knowledge {
    let facts: Facts | undefined;
    for (const [key, fact] of other.facts) {
      if (!fact.of || this.facts.has(key)) continue;
      const here = evaluate(fact.of);
      if (join(fact.value, here) === fact.value) (facts ??= new Facts(this.facts)).set(key, fact);
    }
    return facts ? new Knowledge(this.data, this.locals, facts, this.inPlay, this.unset) : this;
  }

  /**
   * False when a fact says otherwise than the data do.
   *
   * @param evaluate what an expression may come to by the data alone
   */
  agrees(evaluate: (e: Expr) => Possible): boolean {
    for (const { of, value } of this.facts.values()) if (of && !meet(evaluate(of), value)) return false;
    return true;
  }

  withInPlay(inPlay: NumberSet): Knowledge {
    return new Knowledge(this.data, this.freed(PLACE), this.without(PLACE), inPlay, this.unset);
  }

  /** What the data alone tell. */
  withoutFacts(): Knowledge {
    return this.facts.size === 0 ? this : new Knowledge(this.data, this.locals, NO_FACTS, this.inPlay, this.unset);
  }

  /** As `withInPlay`, but what was known stays: it was learned, not changed. */
  learnInPlay(inPlay: NumberSet): Knowledge {
    return new Knowledge(this.data, this.locals, this.facts, inPlay, this.unset);
  }

  /** The same after the match has moved to another place. */
  moved(): Knowledge {
    return new Knowledge(this.data, this.freed(PLACE), this.without(PLACE), this.inPlay, this.unset);
  }

  marked(name: string, unset: boolean): Knowledge {
    if (this.unset.has(name) === unset) return this;
    const marks = new Set(this.unset);
    if (unset) marks.add(name);
    else marks.delete(name);
    return new Knowledge(this.data, this.locals, this.facts, this.inPlay, marks);
  }

  /** Between steps nothing local is left. */
  settled(): Knowledge {
    let { facts } = this;
    for (const { reads } of facts.values()) {
      if (!reads.some(isLocal)) continue;
      facts = new Facts([...facts].filter(([, fact]) => !fact.reads.some(isLocal)));
      break;
    }
    return this.locals.size === 0 && facts === this.facts
      ? this
      : new Knowledge(this.data, new Map(), facts, this.inPlay, this.unset);
  }

  /** The data of another store under these locals. */
  withData(other: Knowledge): Knowledge {
    return other === this ? this : new Knowledge(other.data, this.locals, other.facts, other.inPlay, other.unset);
  }

  withLocals(locals: ReadonlyMap<number, Local>): Knowledge {
    return new Knowledge(this.data, locals, this.facts, this.inPlay, this.unset);
  }

  /** Local values no longer stand for an expression that now comes to something else. */
  private freed(read: number): ReadonlyMap<number, Local> {
    let { locals } = this;
    for (const [slot, local] of this.locals) {
      if (!local.key?.reads.includes(read)) continue;
      if (locals === this.locals) locals = new Map(this.locals);
      (locals as Map<number, Local>).set(slot, { value: local.value, key: undefined });
    }
    return locals;
  }

  private without(read: number): Facts {
    for (const { reads } of this.facts.values()) {
      if (reads.includes(read)) return new Facts([...this.facts].filter(([, fact]) => !fact.reads.includes(read)));
    }
    return this.facts;
  }
}

function isLocal(read: number): boolean {
  return read < 0 && read !== PLACE;
}

/** What holds at both. Gives `a` back when `b` adds nothing. */
export function joinKnowledge(a: Knowledge, b: Knowledge, steps?: readonly number[]): Knowledge {
  if (a === b) return a;
  const both = steps ? (x: Possible, y: Possible) => widen(x, y, steps) : join;
  let data: (Possible | undefined)[] | undefined;
  for (let slot = 0; slot < a.data.length; slot++) {
    const x = a.data[slot];
    const y = b.data[slot];
    if (x === y || y === undefined) continue;
    const value = x === undefined ? y : both(x, y);
    if (value !== x) (data ??= a.data.slice())[slot] = value;
  }
  let locals: Map<number, Local> | undefined;
  for (const [slot, x] of a.locals) {
    const y = b.locals.get(slot);
    if (!y || x === y) continue;
    const value = both(x.value, y.value);
    if (value !== x.value || x.source !== y.source)
      (locals ??= new Map(a.locals)).set(slot, {
        value,
        key: x.key?.text === y.key?.text ? x.key : undefined,
        ...(x.source && x.source === y.source && { source: x.source }),
      });
  }
  for (const [slot, y] of b.locals) if (!a.locals.has(slot)) (locals ??= new Map(a.locals)).set(slot, y);
  let facts: Facts | undefined;
  for (const [key, x] of a.facts) {
    const y = b.facts.get(key);
    if (x === y) continue;
    // A loop ends when nothing is learned anew: while widening, a fact that still changes is dropped.
    const value = y && join(x.value, y.value);
    if (value === x.value) continue;
    facts ??= new Facts(a.facts);
    if (value && !steps) facts.set(key, { ...x, value });
    else facts.delete(key);
  }
  const inPlay = join(a.inPlay, b.inPlay) as NumberSet;
  let { unset } = a;
  for (const name of b.unset) if (!a.unset.has(name)) unset = new Set([...unset, name]);
  if (!data && !locals && !facts && inPlay === a.inPlay && unset === a.unset) return a;
  return new Knowledge(data ?? a.data, locals ?? a.locals, facts ?? a.facts, inPlay, unset);
}

/** Whether nothing is known at `a` that is not at `b`: where both are joined, `a` is left. */
export function covers(a: Knowledge, b: Knowledge): boolean {
  if (a.facts.size > b.facts.size || !contains(a.inPlay, b.inPlay)) return false;
  for (let slot = 0; slot < a.data.length; slot++) {
    const x = a.data[slot];
    const y = b.data[slot];
    if (x !== y && y !== undefined && (x === undefined || !contains(x, y))) return false;
  }
  for (const [key, x] of a.facts) {
    const y = b.facts.get(key);
    if (x !== y && (!y || !contains(x.value, y.value))) return false;
  }
  for (const [slot, x] of a.locals) {
    const y = b.locals.get(slot);
    if (y && x !== y && (!contains(x.value, y.value) || x.source !== y.source)) return false;
  }
  for (const slot of b.locals.keys()) if (!a.locals.has(slot)) return false;
  for (const name of b.unset) if (!a.unset.has(name)) return false;
  return true;
}

/** Whether the same is known of everything, under the same names. */
export function isSame(a: Knowledge, b: Knowledge): boolean {
  if (!covers(a, b) || !covers(b, a)) return false;
  for (const [slot, { key }] of a.locals) if (key?.text !== b.locals.get(slot)?.key?.text) return false;
  return true;
}
