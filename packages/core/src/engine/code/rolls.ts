/** Expressions that roll dice. The rolls themselves are the working memory's. */

import type { OfStream } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import { costOf, isOpenEnded } from "../../check/size.js";
import type { Memory } from "../situation/memory.js";
import { Box, share } from "../values/box.js";
import type { ExpressionCode, ExpressionTable } from "./compiler.js";
import type { Get } from "../values/closure.js";
import { pickable } from "./support.js";

/** The number of the stream that a roll takes. */
function streamOf(code: ExpressionCode, { stream, owner }: OfStream): Get<number> {
  if (!owner) return () => stream;
  const seat = code.number(owner);
  return () => stream + seat();
}

export const ROLLS: ExpressionTable<"roll" | "chance" | "pick" | "shuffle"> = {
  roll(code, e) {
    const { memory } = code;
    const stream = streamOf(code, e);
    const low = code.number(e.low);
    const high = code.number(e.high);
    if (!e.whole) return () => memory.rollReal(stream(), low(), high(), e);
    if (!e.times) return () => memory.rollWhole(stream(), low(), high(), e);
    const times = code.number(e.times);
    return () => {
      let sum = 0;
      const [of, from, to, count] = [stream(), low(), high(), times()];
      for (let i = 0; i < count; i++) {
        sum += memory.rollWhole(of, from, to, e);
      }
      return sum;
    };
  },

  chance(code, e) {
    const stream = streamOf(code, e);
    const part = code.number(e.part);
    const whole = e.whole && code.number(e.whole);
    return () => code.memory.rollChance(stream(), part(), whole?.(), e);
  },

  pick(code, e) {
    const { memory } = code;
    const stream = streamOf(code, e);
    const list = code.source(e.list);
    const weight = e.weight && code.number(e.weight.body);
    const slot = e.weight?.slot ?? 0;
    return () => {
      const items = pickable(list(), e);
      const kept = isOpenEnded(e.type) ? (item: unknown) => memory.kept(item, e) : share;
      if (!weight) return kept(items[memory.rollWhole(stream(), 0, items.length - 1, e)]);
      const cost = 1 + costOf(e.weight?.body);
      const weights = items.map((item) => {
        memory.spend(cost, e);
        memory.locals[slot] = item;
        return weight();
      });
      return kept(items[memory.pickWeighted(stream(), weights, e)]);
    };
  },

  shuffle(code, e) {
    const stream = streamOf(code, e);
    const list = code.list(e.list);
    return () => new Box(code.memory.epoch, shuffled(code.memory, list().parts.map(share), stream(), e));
  },
};

/** Fisher and Yates, from the back: for i from the last down to 1, swap i with an index rolled from 0 to i. */
export function shuffled(memory: Memory, items: readonly unknown[], stream: number, at: Span): unknown[] {
  memory.shuffles?.push({ rolled: memory.happenings?.rolls.length ?? 0, items });
  const mixed = items.slice();
  for (let i = mixed.length - 1; i > 0; i--) {
    const j = memory.rollWhole(stream, 0, i, at);
    [mixed[i], mixed[j]] = [mixed[j], mixed[i]];
  }
  return mixed;
}
