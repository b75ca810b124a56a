/** Statements that write: assignments, and the methods of lists, maps and grids. */

import type { Location, Statement } from "../../check/machine.js";
import type { ListType } from "../../check/types.js";
import type { Span } from "../../language/source.js";
import type { Memory } from "../situation/memory.js";
import { type Box, ownedChild } from "../values/box.js";
import type { Get, Run } from "../values/closure.js";
import { Fault } from "../values/fault.js";
import type { ExpressionCode } from "./compiler.js";
import { locationCode } from "./locations.js";
import { checkedIndex, checkedInt, checkedNum, checkedSize, clamp, MAX_LIST, mapSlot, takenFrom } from "./support.js";

type Assign = Statement & { kind: "assign" };
type Change = Statement & { kind: "change" };

/** @param watch tests the laws about this location, right before it is written */
export function assignment(code: ExpressionCode, s: Assign, watch: Run | undefined): Run {
  if (s.op !== "=") return counting(code, s, watch);
  const last = s.target.path.at(-1);
  if (last?.kind === "index" && last.of.kind === "map") return mapEntry(code, s, last.key, watch);
  const { holder, slot } = locationCode(code, s.target);
  const value = code.stored(s.value);
  const fit = fitter(code.memory, s.target, s);
  return () => {
    const next = fit(value());
    watch?.();
    const box = holder();
    box.parts[slot(box)] = next;
  };
}

/** `+=` and `-=`. */
function counting(code: ExpressionCode, s: Assign, watch: Run | undefined): Run {
  const { memory } = code;
  const { type } = s.target;
  const { holder, slot } = locationCode(code, s.target);
  const value = code.number(s.value);
  const sign = s.op === "+=" ? 1 : -1;
  const low = type.kind === "int" ? type.low : Number.NEGATIVE_INFINITY;
  const high = type.kind === "int" ? type.high : Number.POSITIVE_INFINITY;
  const whole = type.kind === "int";
  const bounded = clamp(type) !== undefined;
  return () => {
    const by = value();
    watch?.();
    const box = holder();
    const i = slot(box);
    const wanted = (box.parts[i] as number) + sign * by;
    if (wanted < low || wanted > high) {
      if (!bounded) checkedInt(wanted, s);
      box.parts[i] = wanted < low ? low : high;
      memory.recordClamped(s.from, wanted, box.parts[i] as number);
    } else {
      box.parts[i] = whole ? wanted + 0 : checkedNum(wanted, s);
    }
  };
}

/** Makes a value fit its location: a number is clamped to its bounds, a text or list too long is a fault. */
function fitter(memory: Memory, { type }: Location, at: Span): (value: unknown) => unknown {
  const within = clamp(type);
  if (within) {
    return (value) => {
      const kept = within(value as number);
      if (kept !== value) memory.recordClamped(at.from, value as number, kept);
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
    const { max } = type;
    return (value) => {
      checkedSize((value as Box).parts.length, max, at);
      return value;
    };
  }
  return (value) => value;
}

function mapEntry(code: ExpressionCode, s: Assign, keyOf: Parameters<ExpressionCode["stored"]>[0], watch?: Run): Run {
  const { memory } = code;
  const { holder, slot } = locationCode(code, { ...s.target, path: s.target.path.slice(0, -1) });
  const key = code.stored(keyOf);
  const value = code.stored(s.value);
  const fit = fitter(memory, s.target, s);
  return () => {
    const next = fit(value());
    const k = key();
    watch?.();
    const parent = holder();
    const { parts } = ownedChild(parent, slot(parent), memory.epoch);
    memory.charge(parts.length + (typeof k === "string" ? k.length : 0), s);
    const found = mapSlot(parts, k);
    if (found >= 0) parts[found + 1] = next;
    else parts.splice(~found, 0, k, next);
  };
}

/** `list.push(x)` and its like. */
export function listChange(code: ExpressionCode, s: Change, watch: Run | undefined): Run {
  const { memory } = code;
  const { holder, slot } = locationCode(code, s.target);
  const args = s.args.map((arg) => code.stored(arg));
  const { type } = s.target;
  /** The compound value, as the step's own; asked for once the arguments have been worked out. */
  const own = (): Box => {
    watch?.();
    const parent = holder();
    return ownedChild(parent, slot(parent), memory.epoch);
  };
  if (type.kind === "map" && s.method === "remove") return removedKey(memory, s, own, args[0] as Get);
  return changed(memory, s, own, args, type.kind === "list" ? mostOf(type) : Number.POSITIVE_INFINITY);
}

function mostOf(type: ListType): number {
  return type.max ?? MAX_LIST;
}

function removedKey(memory: Memory, s: Change, own: Get<Box>, key: Get): Run {
  return () => {
    const k = key();
    const { parts } = own();
    memory.charge(parts.length + (typeof k === "string" ? k.length : 0), s);
    const found = mapSlot(parts, k);
    if (found >= 0) parts.splice(found, 2);
  };
}

/** @param most how many elements there may be */
function changed(memory: Memory, s: Change, own: Get<Box>, args: readonly Get[], most: number): Run {
  const [first, second] = args as [Get, Get];
  switch (s.method) {
    case "push":
      return () => {
        const value = first();
        checkedSize(own().parts.push(value), most, s);
      };
    case "take":
      return () => {
        const list = own();
        memory.charge(list.parts.length, s);
        takenFrom(list, true, s);
      };
    case "takeLast":
      return () => void takenFrom(own(), false, s);
    case "remove":
      return () => {
        const i = first() as number;
        const { parts } = own();
        memory.charge(parts.length, s);
        parts.splice(checkedIndex(parts, i, parts.length - 1, s), 1);
      };
    case "insert":
      return () => {
        const i = first() as number;
        const value = second();
        const { parts } = own();
        memory.charge(parts.length, s);
        parts.splice(checkedIndex(parts, i, parts.length, s), 0, value);
        checkedSize(parts.length, most, s);
      };
    case "clear":
      return () => {
        own().parts.length = 0;
      };
    case "fill":
      return () => {
        const value = first();
        const { parts } = own();
        memory.charge(parts.length, s);
        parts.fill(value);
      };
  }
}
