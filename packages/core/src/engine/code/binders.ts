/** Binders: `any`, `all`, `count`, `sum`, `filter`, `map`, and those that sort or choose by a number. */

import type { Expr } from "../../check/machine.js";
import { costOf, isOpenEnded } from "../../check/size.js";
import { Box, share } from "../values/box.js";
import type { Get } from "../values/closure.js";
import { sortedBy } from "../values/sort.js";
import type { ExpressionCode, ExpressionTable } from "./compiler.js";
import { shuffled } from "./rolls.js";
import { checkedInt, checkedNum, nothingToPick, sortingCost } from "./support.js";

type Binder = Expr & { kind: "binder" };
/** Visits the elements that fit; stops when the visit says false. */
type Each = (visit: (item: unknown) => boolean) => void;

export const BINDERS: ExpressionTable<"binder"> = {
  binder(code, e) {
    const each = eachOf(code, e);
    const body = e.body && code.compile(e.body);
    const kept = keptIn(code, e);
    switch (e.word) {
      case "any":
      case "all":
        return quantifier(e.word, each, body as Get<boolean>);
      case "count":
      case "sum":
        return total(e, each, body as Get<number> | undefined);
      case "filter":
      case "map":
        return () => {
          const list: unknown[] = [];
          each((item) => list.push(kept(body ? body() : item)) > 0);
          return new Box(code.memory.epoch, list);
        };
      default:
        return ordered(code, e, each, body as Get<number>, kept);
    }
  },
};

/** How an element that goes into a list is kept: one that can be of any size is paid for. */
function keptIn({ memory }: ExpressionCode, e: Binder): (item: unknown) => unknown {
  const type = e.word === "map" && e.body ? e.body.type : e.source.type.kind === "list" ? e.source.type.of : undefined;
  return type && isOpenEnded(type) ? (item) => memory.kept(item, e) : share;
}

function eachOf(code: ExpressionCode, e: Binder): Each {
  const { memory } = code;
  const { locals } = memory;
  const { slot } = e;
  const source = code.source(e.source);
  const where = e.where && code.condition(e.where);
  const cost = 1 + costOf(e.where, e.body);
  return (visit) => {
    const items = source();
    for (let i = 0; i < items.length; i++) {
      memory.spend(cost, e);
      const item = items[i];
      locals[slot] = item;
      if (where && !where()) continue;
      if (!visit(item)) return;
    }
  };
}

function quantifier(word: "any" | "all", each: Each, body: Get<boolean>): Get<boolean> {
  const decides = word === "any";
  return () => {
    let result = !decides;
    each(() => {
      if (body() !== decides) return true;
      result = decides;
      return false;
    });
    return result;
  };
}

function total(e: Binder, each: Each, body: Get<number> | undefined): Get<number> {
  if (e.word === "count" || !body)
    return () => {
      let count = 0;
      each(() => ++count > 0);
      return count;
    };
  return () => {
    let sum = 0;
    each(() => {
      sum += body();
      return true;
    });
    return e.type.kind === "num" ? checkedNum(sum, e) : checkedInt(sum, e);
  };
}

/** sort, sortDown, minBy and maxBy: by a number, ties in the list's order or by lot. */
function ordered(
  code: ExpressionCode,
  e: Binder,
  each: Each,
  body: Get<number>,
  kept: (item: unknown) => unknown,
): Get {
  const sign = e.word === "sortDown" || e.word === "maxBy" ? -1 : 1;
  const one = e.word === "minBy" || e.word === "maxBy";
  return () => {
    let items: unknown[] = [];
    let keys: number[] = [];
    each((item) => {
      items.push(kept(item));
      keys.push(sign * body());
      return true;
    });
    if (e.ties === "byLot" && items.length > 1) {
      const order = shuffled(
        code.memory,
        items.map((_, i) => i),
        0,
        e,
      ) as number[];
      items = order.map((i) => items[i]);
      keys = order.map((i) => keys[i] as number);
    }
    if (!one) code.memory.charge(sortingCost(items.length), e);
    return one ? bestOf(items, keys, e) : new Box(code.memory.epoch, sortedBy(items, keys));
  };
}

function bestOf(items: readonly unknown[], keys: readonly number[], e: Binder): unknown {
  if (items.length === 0) nothingToPick(e);
  let best = 0;
  for (let i = 1; i < keys.length; i++) if ((keys[i] as number) < (keys[best] as number)) best = i;
  return items[best];
}
