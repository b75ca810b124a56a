/** Turns typed statements into closures over the working memory of a step. */

import type { Block, Branch, Law, Location, Machine, Statement } from "../../check/machine.js";
import { blockCost, costOf, isOpenEnded } from "../../check/size.js";
import { isBoxed } from "../../check/types.js";
import type { Memory } from "../situation/memory.js";
import { SEAT_OPEN, SEAT_OUT } from "../situation/memory.js";
import { type Box, share } from "../values/box.js";
import type { Get, Run } from "../values/closure.js";
import { Fault } from "../values/fault.js";
import type { Expressions } from "./expressions.js";
import { isSeatList } from "./support.js";
import { assignment, listChange } from "./writing.js";

const NOTHING: Run = () => {};

/** How many notes a step has at most, how many characters each of them, and what they may come to as effects. */
export const MOST_NOTES = 500;
export const LONGEST_NOTE = 1_000;
const MOST_NOTED = 10_000;
const LEFT_OUT = "(This step has more notes than are written down; the others are left out.)";

/** A note, cut where it is longer than anybody reads; between characters, not in one. */
function cut(text: string): string {
  if (text.length <= LONGEST_NOTE) return text;
  return `${text.slice(0, LONGEST_NOTE - 3).replace(/[\ud800-\udbff]$/, "")}...`;
}

/** A statement of one kind. */
type Of<K extends Statement["kind"]> = Statement & { readonly kind: K };

/** One function for every kind of statement; one that is missing does not compile. */
const STATEMENTS: { readonly [K in Statement["kind"]]: (code: Statements, s: Of<K>) => Run } = {
  let({ memory, expressions }, s) {
    const value = expressions.stored(s.value);
    const { slot } = s;
    return () => {
      memory.locals[slot] = value();
    };
  },

  assign: (code, s) => code.compared(s.target, assignment(code.expressions, s, code.watch(s.target))),
  change: (code, s) => listChange(code.expressions, s, code.watch(s.target)),

  call(code, s) {
    const { locals } = code.memory;
    const slots = code.machine.effects[s.effect]?.parameters.map((p) => p.slot) ?? [];
    const args = s.args.map((arg) => code.expressions.stored(arg));
    const body = code.effectBody(s.effect);
    return () => {
      // All arguments are computed before any is bound: an argument may use a value of the same name's slot.
      const values = args.map((arg) => arg());
      for (let i = 0; i < values.length; i++) locals[slots[i] as number] = values[i];
      body();
    };
  },

  note({ memory, expressions }, s) {
    const text = expressions.compile(s.text) as Get<string>;
    const audience = s.audience && expressions.number(s.audience);
    return () => {
      const { happenings, naming, effects } = memory;
      if (!happenings) return;
      const { notes } = happenings;
      if (notes.length >= MOST_NOTES || memory.noted > MOST_NOTED) {
        if (notes.at(-1)?.text !== LEFT_OUT) notes.push({ text: LEFT_OUT });
        return;
      }
      // Notes are made only when they are asked for, so they cannot be what a step fails at, nor what it pays for.
      memory.effects = memory.noted;
      try {
        const seat = audience?.();
        notes.push({ text: cut(text()), ...(seat !== undefined && { to: naming.seats[seat] as string }) });
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
        if (!audience) notes.push({ text: "(This note could not be worked out.)" });
      } finally {
        memory.noted = memory.effects;
        memory.effects = effects;
      }
    };
  },

  raise({ memory, expressions }, s) {
    const { signal } = s;
    const args = s.args.map((arg) => expressions.stored(arg));
    return () => {
      const values = args.map((arg) => arg());
      memory.raise(signal, values, s);
    };
  },

  eliminate({ memory, expressions }, s) {
    const seat = expressions.number(s.seat);
    return () => memory.setSeat(seat(), SEAT_OUT);
  },

  reopen({ memory, expressions }, s) {
    const seat = expressions.number(s.seat);
    return () => {
      const opened = seat();
      if (memory.seats[opened] === SEAT_OUT) memory.setSeat(opened, SEAT_OPEN);
    };
  },

  for(code, s) {
    const { memory, expressions } = code;
    const source = expressions.source(s.source);
    const where = s.where && expressions.condition(s.where);
    const body = code.block(s.body);
    const cost = 1 + costOf(s.where);
    const { slot } = s;
    const boxed = s.source.type.kind === "list" && isBoxed(s.source.type.of);
    const open = s.source.type.kind === "list" && isOpenEnded(s.source.type.of);
    const kept = open ? (item: unknown) => memory.kept(item, s) : share;
    return () => {
      const items = source();
      // The list as it was when the loop began, whatever the body does to it.
      if (!isSeatList(s.source)) memory.charge(items.length, s);
      const fixed = items.length > 1 ? items.slice() : items;
      for (const item of fixed) {
        memory.spend(cost, s);
        memory.locals[slot] = boxed ? kept(item) : item;
        if (!where || where()) body();
      }
    };
  },

  if(code, s) {
    const branches = s.branches.map((b) => ({ test: code.expressions.condition(b.test), body: code.block(b.body) }));
    const otherwise = code.block(s.otherwise);
    const [only] = branches;
    if (branches.length === 1 && only) {
      return () => {
        if (only.test()) only.body();
        else otherwise();
      };
    }
    return () => {
      for (const branch of branches) if (branch.test()) return branch.body();
      otherwise();
    };
  },
};

type WriteLaw = Law & { readonly form: "changes" };

/** The numbers a path leads to inside a value, for every seat where it goes through all of them. */
function numbersAt(value: unknown, steps: readonly (number | "each")[]): number[] {
  const [step, ...rest] = steps;
  if (step === undefined) return [value as number];
  const { parts } = value as Box;
  return step === "each" ? parts.flatMap((part) => numbersAt(part, rest)) : numbersAt(parts[step], rest);
}

export class Statements {
  readonly machine: Machine;
  readonly memory: Memory;
  private readonly effects: (Run | undefined)[] = [];

  constructor(readonly expressions: Expressions) {
    this.machine = expressions.machine;
    this.memory = expressions.memory;
  }

  block(block: Block | undefined): Run {
    if (!block || block.statements.length === 0) return NOTHING;
    const { memory } = this;
    const runs = block.statements.map((s) => this.single(s));
    const [first, second] = runs as [Run, Run];
    const count = runs.length;
    const cost = blockCost(block);
    switch (count) {
      case 1:
        return () => {
          memory.effects += cost;
          first();
        };
      case 2:
        return () => {
          memory.effects += cost;
          first();
          second();
        };
      default:
        return () => {
          memory.effects += cost;
          for (let i = 0; i < count; i++) (runs[i] as Run)();
        };
    }
  }

  /** A block and what comes after it. */
  blockThen(block: Block | undefined, next: Run): Run {
    if (!block || block.statements.length === 0) return next;
    const first = this.block(block);
    return () => {
      first();
      next();
    };
  }

  /** A choice: the first branch whose test holds. `arrows` are the branches' own, ready to be followed. */
  choice(branches: readonly Branch[], arrows: readonly Run[], none: Run): Run {
    const ready = branches.map((branch, i) => ({
      test: branch.test && this.expressions.condition(branch.test),
      run: this.blockThen(branch.block, arrows[i] as Run),
    }));
    return () => {
      for (const { test, run } of ready) if (!test || test()) return run();
      none();
    };
  }

  /** One statement; what it costs is counted by its block. */
  single(s: Statement): Run {
    const run = (STATEMENTS[s.kind] as (code: Statements, s: never) => Run)(this, s as never);
    const { recorder } = this.expressions;
    return recorder ? recorder.statement(s, run) : run;
  }

  /** The body of an effect, compiled when it is first called for; effects never call themselves. */
  effectBody(id: number): Run {
    const known = this.effects[id];
    if (known) return known;
    const run = this.block(this.machine.effects[id]?.body);
    this.effects[id] = run;
    return run;
  }

  /** Tests the laws that say where this location may be changed; undefined when there are none. */
  watch(target: Location): Run | undefined {
    if (target.watched.length === 0) return undefined;
    const { memory } = this;
    const laws = this.lawsAbout(target).filter((law) => law.way === "changes");
    if (laws.length === 0) return undefined;
    return () => {
      if (!memory.begun) return;
      for (const law of laws)
        if (!this.allows(law))
          throw new Fault("lawBroken", target, `The law "${law.words}" does not allow this change here.`);
    };
  }

  /** A write, and behind it the laws that say where the numbers in this place may fall or rise. */
  compared(target: Location, write: Run): Run {
    const { memory } = this;
    const laws = this.lawsAbout(target).filter((law) => law.way !== "changes");
    if (laws.length === 0) return write;
    return () => {
      const before = memory.begun
        ? laws.map((law) => (this.allows(law) ? undefined : numbersAt(memory.root.parts[law.slot], law.steps)))
        : [];
      write();
      for (const [i, law] of laws.entries()) {
        const after = before[i] && numbersAt(memory.root.parts[law.slot], law.steps);
        for (const [j, number] of (before[i] ?? []).entries()) {
          const now = after?.[j] ?? number;
          if (law.way === "falls" ? now < number : now > number)
            throw new Fault(
              "lawBroken",
              target,
              `By the law "${law.words}" this may not ${law.way === "falls" ? "fall" : "rise"} here.`,
            );
        }
      }
    };
  }

  private lawsAbout(target: Location): WriteLaw[] {
    return this.machine.laws.filter(
      (law): law is WriteLaw => law.form === "changes" && target.watched.includes(law.id),
    );
  }

  private allows(law: WriteLaw): boolean {
    return law.states.some((state) => this.memory.configuration.active[state] === 1);
  }
}
