/**
 * Records what a step does while it is taken: what was asked and what it came to, what was written, rolled, told and
 * left. An engine that has a recorder is made of closures that report to it; one without has closures that know
 * nothing of it, so that playing costs nothing.
 *
 * A tree is written as it happens: whatever runs inside something stands below it, in order. What a fault cuts off
 * stands there as far as it came.
 */

import type { Expr, Statement } from "../../check/machine.js";
import type { NamedRule } from "../../check/rule-names.js";
import type { Span } from "../../language/source.js";
import type { Memory } from "../situation/memory.js";
import { changesWithBefore, type FullChange } from "../situation/situation-json.js";
import type { RollRecord } from "../situation/situation.js";
import type { Get, Run } from "../values/closure.js";
import type { Json } from "../values/json.js";
import { type ElementOf, type Role, Roles } from "./roles.js";

/** What a node of a record stands for. */
export type RecordedKind =
  /** A condition that decides something: `rule` is one with a name, a need, a `when`, a branch, a law. */
  | Role
  /** A value inside a condition or an effect. */
  | "value"
  /** An element that a binder or a `for` went through; `value` is the element. */
  | "element"
  | "statement"
  /** An arrow that was followed, with the states left and entered. */
  | "arrow"
  /** A signal that is heard. */
  | "signal"
  /** A listener, `when` or timer whose effects and arrow are run. */
  | "taken";

/** A node of a record. Plain data: it can be written as JSON and read by any program. */
export interface Recorded {
  readonly kind: RecordedKind;
  /** What it is called: a rule such as `Turn.slash.needs[1]`, a signal; left out for values and statements. */
  readonly name?: string;
  /** Where it stands in the machine's texts, from a position up to another. */
  readonly from: number;
  readonly to: number;
  /** What it came to; left out where it has no value, or was cut off by a fault. */
  value?: Json;
  changes?: readonly FullChange[];
  rolls?: readonly Pick<RollRecord, "range" | "value">[];
  /** Values that were kept at their bounds. */
  clamped?: readonly { readonly wanted: number; readonly kept: number }[];
  notes?: readonly string[];
  left?: readonly string[];
  entered?: readonly string[];
  /** The fault came from here, or from inside. */
  failed?: true;
  /** Elements that a binder went through and that decided nothing. */
  omitted?: number;
  parts?: Recorded[];
}

/** Most nodes of a step; what comes after them is counted. */
const MOST_RECORDED = 10_000;
/** How many elements of a binder are kept besides the one that decides. */
const KEPT_ELEMENTS = 3;

type Open = { -readonly [K in keyof Recorded]: Recorded[K] };

export class Recorder {
  private readonly roles: Roles;
  private stack: Open[] = [];
  private root: Recorded[] = [];
  private count = 0;
  private lost = 0;
  /** How many rolls of the step stand at their node already. */
  private rolled = 0;

  constructor(private readonly memory: Memory) {
    this.roles = new Roles(memory.machine);
  }

  /** All rules of the machine, by name. */
  get rules(): readonly NamedRule[] {
    return this.roles.rules;
  }

  /** Begins the record of a step. */
  begin(): void {
    this.stack = [];
    this.root = [];
    this.count = 0;
    this.lost = 0;
    this.rolled = 0;
  }

  /** What was recorded, and how many nodes there was no room for. What is still open was cut off by a fault. */
  end(): { readonly nodes: readonly Recorded[]; readonly lost: number } {
    for (const node of this.stack) node.failed = true;
    return { nodes: this.root, lost: this.lost };
  }

  // ---- while closures are made ------------------------------------------------------------------

  /** An expression whose value is recorded; one that is a constant, or a step on the way to a value, is not. */
  value(e: Expr, get: Get): Get {
    const role = this.roles.of(e);
    if (role === "passed") return get;
    const { memory } = this;
    const kind = role?.kind ?? "value";
    const name = role?.name;
    const element = role?.element;
    return () => {
      if (element?.begins) this.beginElement(e, element);
      const depth = this.stack.length;
      const node = this.open(kind, e, name);
      const value = get();
      if (node) {
        node.value = typeof value === "boolean" ? value : memory.shortJson(e.type, value);
        if (e.kind === "binder") this.count -= thin(node, e);
      }
      this.close(depth);
      return value;
    };
  }

  /** Goes on to the next element of the binder or loop that is open. */
  private beginElement(at: Span, { slot, type, anyDecides }: ElementOf): void {
    if (this.stack.at(-1)?.kind === "element") this.stack.pop();
    const binder = this.stack.at(-1);
    if (!anyDecides && binder) this.dropLast(binder);
    const node = this.open("element", at);
    if (node) node.value = this.memory.shortJson(type, this.memory.locals[slot]);
  }

  /** Drops the last element of a binder when there are enough of them and another follows: it has decided nothing. */
  private dropLast(binder: Open): void {
    const { parts = [] } = binder;
    const last = parts.at(-1);
    if (last?.kind !== "element" || (binder.omitted ?? 0) + parts.length <= KEPT_ELEMENTS) return;
    const elements = parts.reduce((count, { kind }) => count + (kind === "element" ? 1 : 0), 0);
    if (elements <= KEPT_ELEMENTS) return;
    parts.pop();
    this.count -= sizeOf(last);
    binder.omitted = (binder.omitted ?? 0) + 1;
  }

  /** A statement, with what it changed. */
  statement(s: Statement, run: Run): Run {
    const writes = s.kind === "assign" || s.kind === "change" || s.kind === "let" || s.kind === "eliminate";
    const element = this.roles.beginsElement(s);
    const { memory } = this;
    return () => {
      if (element) this.beginElement(s, element);
      const depth = this.stack.length;
      const node = this.open("statement", s);
      const { clamped, notes } = memory.happenings ?? NOTHING;
      const [clamps, noted] = [clamped.length, notes.length];
      const before = writes ? { root: memory.root, seats: memory.seats } : undefined;
      // What was there stays there: this statement writes to copies.
      if (before) memory.release();
      run();
      if (node) {
        if (before && (before.root !== memory.root || before.seats !== memory.seats)) {
          const changes = changesWithBefore(memory.machine, before, memory);
          if (changes.length > 0) node.changes = changes;
        }
        if (before && clamped.length > clamps)
          node.clamped = clamped.slice(clamps).map(({ wanted, kept }) => ({ wanted, kept }));
        if (s.kind === "note" && notes.length > noted) node.notes = notes.slice(noted).map(({ text }) => text);
      }
      this.close(depth);
    };
  }

  /** Something that is done as a whole: an arrow, the reaction to a signal. */
  part(kind: "arrow" | "taken", at: Span, run: Run): Run {
    const { memory } = this;
    const name = this.roles.nameOf(at);
    return () => {
      const depth = this.stack.length;
      const moves = memory.happenings?.moves ?? [];
      const moved = moves.length;
      const node = this.open(kind, at, name);
      run();
      if (node && kind === "arrow") {
        const made = moves.slice(moved);
        const left = made.flatMap((move) => (move.kind === "leave" ? [move.state] : []));
        const entered = made.flatMap((move) => (move.kind === "enter" ? [move.state] : []));
        if (left.length > 0) node.left = left;
        if (entered.length > 0) node.entered = entered;
      }
      this.close(depth);
    };
  }

  // ---- while a step is taken --------------------------------------------------------------------

  /** A signal is heard; what it leads to stands below it. */
  hear(at: Span, name: string, run: Run): void {
    const depth = this.stack.length;
    this.open("signal", at, name);
    run();
    this.close(depth);
  }

  private open(kind: RecordedKind, { from, to }: Span, name?: string): Open | undefined {
    if (this.count >= MOST_RECORDED) {
      this.lost++;
      return undefined;
    }
    this.count++;
    this.addRolls();
    const node: Open = name === undefined ? { kind, from, to } : { kind, name, from, to };
    const outer = this.stack.at(-1);
    if (!outer) this.root.push(node);
    else if (outer.parts) outer.parts.push(node);
    else outer.parts = [node];
    this.stack.push(node);
    return node;
  }

  /** Closes what was opened since, also what an exception that was caught has left open. */
  private close(depth: number): void {
    if (this.stack.length <= depth) return;
    this.addRolls();
    this.stack.length = depth;
  }

  /** Puts what was rolled since something was opened or closed last to the node that is open. */
  private addRolls(): void {
    const node = this.stack.at(-1);
    const rolls = this.memory.happenings?.rolls;
    if (!node || !rolls || rolls.length <= this.rolled) return;
    const made = rolls.slice(this.rolled).map(({ range, value }) => ({ range, value }));
    node.rolls = node.rolls ? [...node.rolls, ...made] : made;
    this.rolled = rolls.length;
  }
}

function sizeOf({ parts = [] }: Recorded): number {
  return parts.reduce((size, part) => size + sizeOf(part), 1);
}

/**
 * Keeps the elements of a binder that decided, a few others, and how many there were besides. @returns nodes dropped
 */
function thin(node: Open, e: Expr & { kind: "binder" }): number {
  const { parts = [] } = node;
  const elements = parts.filter((part) => part.kind === "element");
  if (elements.length <= KEPT_ELEMENTS) return 0;
  const decides = (element: Recorded): boolean => {
    const body = element.parts?.at(-1);
    if (e.word === "any") return node.value === true && body?.value === true;
    if (e.word === "all") return body?.value === false;
    return (e.word === "minBy" || e.word === "maxBy") && same(element.value, node.value);
  };
  const kept = new Set([...elements.slice(0, KEPT_ELEMENTS), ...elements.filter(decides)]);
  node.parts = parts.filter((part) => part.kind !== "element" || kept.has(part));
  const dropped = elements.filter((element) => !kept.has(element));
  if (dropped.length > 0) node.omitted = (node.omitted ?? 0) + dropped.length;
  return dropped.reduce((size, element) => size + sizeOf(element), 0);
}

const NOTHING = { clamped: [], notes: [] } as const;

function same(one: Json | undefined, other: Json | undefined): boolean {
  return JSON.stringify(one) === JSON.stringify(other);
}
