/** Turns typed statements into closures over the working memory of a step. */

import type { Block, Branch, Location, Machine, Statement } from "../check/machine.js";
import { isBoxed, type ListType } from "../check/types.js";
import type { Span } from "../language/source.js";
import { type Box, ownedChild, share } from "./box.js";
import { checkedInt, clamp, type ExpressionCompiler, type Get, mapSlot } from "./expressions.js";
import { Fault } from "./fault.js";
import type { Runtime } from "./runtime.js";
import { SEAT_OUT } from "./runtime.js";
import type { Naming } from "./values.js";

export type Run = () => void;

/** What a list without a written bound holds at most. */
export const MAX_LIST = 100_000;

const NOTHING: Run = () => {};

export class StatementCompiler {
  private readonly routines: (Run | undefined)[] = [];

  constructor(
    private readonly machine: Machine,
    private readonly rt: Runtime,
    private readonly expressions: ExpressionCompiler,
    private readonly naming: Naming,
  ) {}

  block(block: Block | undefined): Run {
    if (!block || block.statements.length === 0) return NOTHING;
    const { rt } = this;
    const runs = block.statements.map((s) => this.single(s));
    const [first, second, third] = runs as [Run, Run, Run];
    const count = runs.length;
    switch (count) {
      case 1:
        return () => {
          rt.effects += 1;
          first();
        };
      case 2:
        return () => {
          rt.effects += 2;
          first();
          second();
        };
      case 3:
        return () => {
          rt.effects += 3;
          first();
          second();
          third();
        };
      default:
        return () => {
          rt.effects += count;
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
    const { rt, expressions } = this;
    const { locals } = rt;
    switch (s.kind) {
      case "let": {
        const value = expressions.stored(s.value);
        const { slot } = s;
        return () => {
          locals[slot] = value();
        };
      }
      case "assign":
        return this.assign(s);
      case "change":
        return this.change(s);
      case "call": {
        const slots = this.machine.effects[s.effect]?.parameters.map((p) => p.slot) ?? [];
        const args = s.args.map((arg) => expressions.stored(arg));
        const body = this.routine(s.effect);
        return () => {
          // All arguments are computed before any is bound: an argument may use a value of the same name's slot.
          const values = args.map((arg) => arg());
          for (let i = 0; i < values.length; i++) locals[slots[i] as number] = values[i];
          body();
        };
      }
      case "note": {
        const text = expressions.compile(s.text) as Get<string>;
        const audience = s.audience && expressions.number(s.audience);
        return () => {
          const { happenings } = rt;
          if (!happenings) return;
          try {
            const seat = audience?.();
            happenings.notes.push({
              text: text(),
              ...(seat !== undefined && { to: this.naming.seats[seat] as string }),
            });
          } catch (error) {
            // Notes are made only when somebody looks, so they cannot be what a step fails at.
            if (!(error instanceof Fault)) throw error;
            if (!audience) happenings.notes.push({ text: `(${error.message})` });
          }
        };
      }
      case "raise": {
        const { signal } = s;
        const args = s.args.map((arg) => expressions.stored(arg));
        return () =>
          rt.raise(
            signal,
            args.map((arg) => arg()),
            s,
          );
      }
      case "eliminate": {
        const seat = expressions.number(s.seat);
        return () => rt.setSeat(seat(), SEAT_OUT);
      }
      case "for": {
        const source = expressions.source(s.source);
        const where = s.where && expressions.condition(s.where);
        const body = this.block(s.body);
        const { slot } = s;
        const boxed = s.source.type.kind === "list" && isBoxed(s.source.type.of);
        return () => {
          const items = source();
          // The list as it was when the loop began, whatever the body does to it.
          const fixed = items.length > 1 ? items.slice() : items;
          for (const item of fixed) {
            rt.spend(1, s);
            locals[slot] = boxed ? share(item) : item;
            if (!where || where()) body();
          }
        };
      }
      case "if": {
        const branches = s.branches.map((b) => ({ test: expressions.condition(b.test), body: this.block(b.body) }));
        const otherwise = this.block(s.otherwise);
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
      }
    }
  }

  private routine(id: number): Run {
    const known = this.routines[id];
    if (known) return known;
    const run = this.block(this.machine.effects[id]?.body);
    this.routines[id] = run;
    return run;
  }

  private assign(s: Statement & { kind: "assign" }): Run {
    const { expressions } = this;
    const { target } = s;
    const { type } = target;
    const watch = this.watch(target);
    if (
      target.path.at(-1)?.kind === "index" &&
      (target.path.at(-1) as { of: { kind: string } }).of.kind === "map" &&
      s.op === "="
    )
      return this.setEntry(s, watch);
    const { holder, slot } = expressions.location(target);
    if (s.op === "=") {
      const value = expressions.stored(s.value);
      const fit = this.fitter(target, s);
      return () => {
        const next = fit(value());
        watch?.();
        const box = holder();
        box.at[slot(box)] = next;
      };
    }
    const value = expressions.number(s.value);
    const sign = s.op === "+=" ? 1 : -1;
    const low = type.kind === "int" ? type.low : Number.NEGATIVE_INFINITY;
    const high = type.kind === "int" ? type.high : Number.POSITIVE_INFINITY;
    const whole = type.kind === "int";
    const bounded = clamp(type) !== undefined;
    return () => {
      const by = value();
      watch?.();
      const box = holder();
      const at = slot(box);
      const wanted = (box.at[at] as number) + sign * by;
      if (wanted < low || wanted > high) {
        if (!bounded) checkedInt(wanted, s);
        box.at[at] = wanted < low ? low : high;
        this.stopped(s, wanted, box.at[at] as number);
      } else {
        if (!whole && !Number.isFinite(wanted))
          throw new Fault("outOfRange", s, `This comes to ${wanted}, which is no number to go on with.`);
        box.at[at] = wanted + 0;
      }
    };
  }

  /** Makes a value fit its place: a number stops at the bounds, a text or list too long is a fault. */
  private fitter(target: Location, at: Span): (value: unknown) => unknown {
    const { type } = target;
    const stop = clamp(type);
    if (stop) {
      return (value) => {
        const kept = stop(value as number);
        if (kept !== value) this.stopped(at, value as number, kept);
        return kept;
      };
    }
    if (type.kind === "text" && type.max !== undefined) {
      const { max } = type;
      return (value) => {
        if ([...(value as string)].length > max)
          throw new Fault("textTooLong", at, `This text is longer than ${max} characters.`);
        return value;
      };
    }
    if (type.kind === "list" && type.max !== undefined) {
      return (value) => {
        this.room(type, (value as Box).at.length, at);
        return value;
      };
    }
    return (value) => value;
  }

  private stopped(at: Span, wanted: number, kept: number): void {
    this.rt.happenings?.clamped.push({ position: at.from, wanted, kept });
  }

  private room(type: ListType, size: number, at: Span): void {
    const most = type.max ?? MAX_LIST;
    if (size > most) throw new Fault("listFull", at, `This list holds at most ${most}, and would get ${size}.`);
  }

  private setEntry(s: Statement & { kind: "assign" }, watch: Run | undefined): Run {
    const { rt, expressions } = this;
    const last = s.target.path.at(-1);
    if (last?.kind !== "index") throw new Error("a map entry has a key");
    const { holder, slot } = expressions.location({ ...s.target, path: s.target.path.slice(0, -1) });
    const key = expressions.stored(last.key);
    const value = expressions.stored(s.value);
    const fit = this.fitter(s.target, s);
    return () => {
      const next = fit(value());
      const k = key();
      watch?.();
      const parent = holder();
      const { at } = ownedChild(parent, slot(parent), rt.epoch);
      const found = mapSlot(at, k);
      if (found >= 0) at[found + 1] = next;
      else at.splice(~found, 0, k, next);
    };
  }

  private change(s: Statement & { kind: "change" }): Run {
    const { rt, expressions } = this;
    const { holder, slot } = expressions.location(s.target);
    const watch = this.watch(s.target);
    const args = s.args.map((arg) => expressions.stored(arg));
    const [first, second] = args as [Get, Get];
    const { type } = s.target;
    const parts = (): unknown[] => {
      watch?.();
      const parent = holder();
      return ownedChild(parent, slot(parent), rt.epoch).at;
    };
    const index = (at: readonly unknown[], i: number, most: number): number => {
      if (i < 0 || i > most)
        throw new Fault(
          "missingIndex",
          s,
          `The list has ${at.length === 0 ? "no elements" : `elements 0 to ${at.length - 1}`}, so there is no [${i}].`,
        );
      return i;
    };
    if (type.kind === "map") {
      if (s.method === "clear") {
        return () => {
          parts().length = 0;
        };
      }
      return () => {
        const key = first();
        const at = parts();
        const found = mapSlot(at, key);
        if (found >= 0) at.splice(found, 2);
      };
    }
    switch (s.method) {
      case "push":
        return () => {
          const value = first();
          const at = parts();
          at.push(value);
          if (type.kind === "list") this.room(type, at.length, s);
        };
      case "take":
      case "takeLast":
        return () => {
          const at = parts();
          if (at.length === 0) throw new Fault("missingIndex", s, "There is nothing left in this list to take.");
          if (s.method === "take") at.shift();
          else at.pop();
        };
      case "remove":
        return () => {
          const i = first() as number;
          const at = parts();
          at.splice(index(at, i, at.length - 1), 1);
        };
      case "insert":
        return () => {
          const i = first() as number;
          const value = second();
          const at = parts();
          at.splice(index(at, i, at.length), 0, value);
          if (type.kind === "list") this.room(type, at.length, s);
        };
      case "clear":
        return () => {
          parts().length = 0;
        };
      case "fill":
        return () => {
          const value = first();
          const at = parts();
          for (let i = 0; i < at.length; i++) rt.spend(1, s);
          at.fill(value);
        };
    }
  }

  /** Tests the laws that say where this place may be changed; undefined when there are none. */
  watch(target: Location): Run | undefined {
    if (target.watched.length === 0) return undefined;
    const { rt } = this;
    const laws = this.machine.laws.filter((law) => target.watched.includes(law.id) && law.form === "changes");
    return () => {
      if (!rt.begun) return;
      for (const law of laws) {
        if (law.form === "changes" && !law.states.some((state) => rt.configuration.active[state] === 1)) {
          throw new Fault("lawBroken", target, `The law "${law.words}" does not allow this change here.`);
        }
      }
    };
  }
}
