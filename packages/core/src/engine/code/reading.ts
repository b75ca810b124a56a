/** Expressions that read: constants, data, fields, elements; and those that choose or call. */

import { seatAtTimes } from "../../check/seat-names.js";
import { type Box, CELL_STRIDE } from "../values/box.js";
import type { Get } from "../values/closure.js";
import { Fault } from "../values/fault.js";
import { toText } from "../values/json.js";
import type { ExpressionTable } from "./compiler.js";
import { defaultOf } from "./defaults.js";
import { checkedText, checkedValue, seatedOne, slotFinder } from "./support.js";

export const READING: ExpressionTable<
  | "constant"
  | "default"
  | "named"
  | "text"
  | "local"
  | "data"
  | "stateData"
  | "field"
  | "coordinate"
  | "index"
  | "unwrap"
  | "if"
  | "call"
> = {
  constant:
    (_, { value }) =>
    () =>
      value,

  default: (code, e) => () => defaultOf(code, e.type),

  named(code, e) {
    const value = code.constant(e.constant);
    return () => value;
  },

  text(code, e) {
    const parts = e.parts.map((part) => {
      if (typeof part === "string") return () => part;
      const get = code.compile(part);
      return () => toText(part.type, get(), code.memory.naming);
    });
    return () => {
      let text = "";
      for (const part of parts) text += part();
      code.memory.charge(text.length, e);
      return checkedText(text, e);
    };
  },

  local({ memory }, { slot }) {
    const { locals } = memory;
    return () => locals[slot];
  },

  data:
    ({ memory }, { slot }) =>
    () =>
      memory.root.parts[slot],

  stateData({ memory, machine }, e) {
    const { slot, field, of } = e;
    if (of === undefined) return () => (memory.root.parts[slot] as Box).parts[field];
    const name = machine.states[of]?.name;
    return () => {
      const box = memory.root.parts[slot] as Box | null;
      if (!box) throw new Fault("notActive", e, `"${name}" is not active, so it has no data.`);
      return box.parts[field];
    };
  },

  field(code, { field, of }) {
    const { memory } = code;
    if (of.kind === "index" && of.of.kind === "data" && of.of.type.kind === "perSeat") {
      const { slot } = of.of;
      const seat = code.number(of.key);
      return () => (((memory.root.parts[slot] as Box).parts[seat()] as Box).parts as unknown[])[field];
    }
    const record = code.list(of);
    return () => record().parts[field];
  },

  coordinate(code, e) {
    const of = code.number(e.of);
    return e.axis === "x" ? () => of() % CELL_STRIDE : () => Math.floor(of() / CELL_STRIDE);
  },

  index(code, e) {
    const seat = seatAtTimes(e);
    if (seat !== undefined) return () => seatedOne(code.memory, seat, e);
    const of = code.list(e.of);
    const key = code.compile(e.key);
    const slotOf = slotFinder(e.of.type, e, code.memory.naming);
    return () => {
      const { parts } = of();
      return parts[slotOf(parts, key())];
    };
  },

  unwrap(code, e) {
    const of = code.compile(e.of);
    return () => checkedValue(of(), e);
  },

  if(code, e) {
    const test = code.condition(e.test);
    const then = code.compile(e.then);
    const otherwise = code.compile(e.otherwise);
    return () => (test() ? then() : otherwise());
  },

  call(code, e) {
    const { locals } = code.memory;
    const slots = code.machine.functions[e.function]?.parameters.map((p) => p.slot) ?? [];
    const gets = e.args.map((arg) => code.compile(arg));
    const body = code.functionBody(e.function);
    const [s0, s1] = slots as [number, number];
    const [g0, g1] = gets as [Get, Get];
    if (gets.length === 1) {
      return () => {
        locals[s0] = g0();
        return body();
      };
    }
    if (gets.length === 2) {
      return () => {
        const v0 = g0();
        locals[s1] = g1();
        locals[s0] = v0;
        return body();
      };
    }
    return () => {
      const values = gets.map((get) => get());
      for (let i = 0; i < values.length; i++) locals[slots[i] as number] = values[i];
      return body();
    };
  },
};
