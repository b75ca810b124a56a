/** What `filter`, `count`, `sum`, `any` and their like may come to. */

import type { Expr } from "../machine.js";
import { MAX_INT, type Type } from "../types.js";
import { someExpr } from "../visit.js";
import type { ExpressionKeys } from "./expression-keys.js";
import type { Knowledge } from "./knowledge.js";
import {
  ANY,
  between,
  choice,
  isSingle,
  join,
  type ListSet,
  listOfItems,
  listOfSize,
  only,
  type Possible,
} from "./possible.js";

type Binder = Expr & { readonly kind: "binder" };

/** Lists up to this size are gone through element by element; of lists inside lists the sizes multiply. */
const MAX_APART = 8;

/** What this asks of the evaluator it belongs to. */
export interface BinderParts {
  readonly keys: ExpressionKeys;
  /** How many elements are gone through one by one for each that is now. */
  apart: number;
  anyOf(type: Type): Possible;
  evaluate(e: Expr, store: Knowledge): Possible;
  list(e: Expr, store: Knowledge): ListSet;
  truth(e: Expr, store: Knowledge): number;
  bound(slot: number, value: Possible, store: Knowledge): Knowledge;
  /** What is known where a condition holds; undefined when it cannot. */
  holding(e: Expr, store: Knowledge): Knowledge | undefined;
  mayFault(kind: "emptyList", at: Expr, store: Knowledge): void;
}

/** An element that may be kept, or stands for all that may. */
interface Kept {
  /** Whether the condition lets it through: bit 0 perhaps not, bit 1 perhaps. */
  readonly test: number;
  readonly value: Possible;
  /** What comes behind the colon, for this element. */
  readonly body: Possible | undefined;
}

/** What a binder keeps of its list. */
interface Selection {
  readonly kept: readonly Kept[];
  /** Whether `kept` names every element by itself. */
  readonly exact: boolean;
  /** How many are kept at least and at most. */
  readonly sure: number;
  readonly most: number;
}

/** What a binder may come to. */
export function evaluateBinder(e: Binder, store: Knowledge, parts: BinderParts): Possible {
  const selection = select(e, store, parts);
  const { kept, exact, sure, most } = selection;
  const of = kept.length === 0 ? undefined : kept.map((x) => x.value).reduce(join);
  switch (e.word) {
    case "any":
    case "all":
      return quantified(e.word === "any" ? 2 : 1, selection);
    case "count":
      return between(sure, most);
    case "sum":
      return total(selection) ?? parts.anyOf(e.type);
    case "filter":
      return exact && sure === most ? listOfItems(kept.map((x) => x.value)) : listOfSize(sure, most, of);
    case "map":
      return exact && sure === most
        ? listOfItems(kept.map((x) => x.body ?? ANY))
        : listOfSize(sure, most, kept.length === 0 ? undefined : kept.map((x) => x.body ?? ANY).reduce(join));
    case "sort":
    case "sortDown":
      return listOfSize(sure, most, of);
    default:
      // With a condition of its own, or a filter's, little can be said about whether it leaves any.
      if (most === 0 || (!e.where && sure === 0 && e.source.kind !== "binder")) parts.mayFault("emptyList", e, store);
      return of ?? parts.anyOf(e.type);
  }
}

/** Goes through the list one element at a time, each under what the condition says of it. */
function select(e: Binder, store: Knowledge, parts: BinderParts): Selection {
  const source = parts.list(e.source, store);
  const apart = source.items && parts.apart * source.items.length <= MAX_APART ? source.items : undefined;
  const items = apart ?? (source.of === undefined ? [] : undefined);
  const around = parts.apart;
  parts.apart *= Math.max(1, items?.length ?? 1);
  const each = (items ?? [source.of as Possible]).map((item): Kept => {
    const inner = parts.bound(e.slot, item, store);
    const test = e.where ? parts.truth(e.where, inner) : 2;
    const under = test & 2 ? (e.where && test === 3 ? parts.holding(e.where, inner) : inner) : undefined;
    return {
      test: under ? test : 1,
      value: under?.locals.get(e.slot)?.value ?? item,
      body: under && e.body ? parts.evaluate(e.body, under) : undefined,
    };
  });
  parts.apart = around;
  const kept = each.filter((x) => x.test & 2);
  if (items) {
    const passed = kept.filter((x) => x.test === 2).length;
    const sure = dropsOne(e) && areDistinct(items) ? Math.max(passed, Math.min(kept.length, items.length - 1)) : passed;
    const most = kept.length > 1 && keepsOne(e) ? Math.max(1, sure) : kept.length;
    return { kept, exact: most === kept.length, sure, most };
  }
  const known = e.where && e.word !== "any" && e.word !== "all" ? filtered(e, store, parts) : undefined;
  return {
    kept,
    exact: false,
    sure: Math.max(known?.least ?? 0, !e.where || each[0]?.test === 2 ? source.least : 0),
    most: kept.length === 0 ? 0 : Math.min(known?.most ?? MAX_INT, source.most, keepsOne(e) ? 1 : MAX_INT),
  };
}

/** Binders of which it is asked how many elements they keep. */
const COUNTING: ReadonlySet<Binder["word"]> = new Set(["filter", "map", "count"]);

/** Whether at most one element fits: each seat stands once in the list, and is asked to be a certain one. */
function keepsOne({ word, source, slot, where }: Binder): boolean {
  if (!COUNTING.has(word) || !where || !isOfSeatsOnce(source)) return false;
  const isElement = (e: Expr): boolean => e.kind === "local" && e.slot === slot;
  const isOne = (e: Expr): boolean => {
    if (e.kind !== "binary") return false;
    if (e.op === "and") return isOne(e.left) || isOne(e.right);
    if (e.op !== "==") return false;
    return (isElement(e.left) && !someExpr(e.right, isElement)) || (isElement(e.right) && !someExpr(e.left, isElement));
  };
  return isOne(where);
}

/** Whether a list is left without one that is named: all who are not that seat. */
function dropsOne({ word, slot, where }: Binder): boolean {
  if (!COUNTING.has(word) || where?.kind !== "binary" || where.op !== "!=") return false;
  const isElement = (e: Expr): boolean => e.kind === "local" && e.slot === slot;
  const { left, right } = where;
  return (isElement(left) && !someExpr(right, isElement)) || (isElement(right) && !someExpr(left, isElement));
}

/** Whether each is known, and none is there twice. */
function areDistinct(items: readonly Possible[]): boolean {
  const masks = new Set(items.map((item) => (item.kind === "choice" && isSingle(item) ? item.mask : 0)));
  return masks.size === items.length && !masks.has(0);
}

function isOfSeatsOnce(e: Expr): boolean {
  if (e.kind === "binder") return e.word === "filter" && isOfSeatsOnce(e.source);
  return e.kind === "seats" || e.kind === "inPlay" || e.kind === "seated";
}

/** `any` and `all`; `decides` is the value of one element that settles it. */
function quantified(decides: number, { kept, exact, sure }: Selection): Possible {
  const masks = kept.map((x) => ({
    mask: x.body?.kind === "choice" ? x.body.mask : 3,
    sure: x.test === 2 && exact,
  }));
  const surely = exact
    ? masks.some((m) => m.sure && m.mask === decides)
    : sure > 0 && masks.every((m) => m.mask === decides);
  if (surely) return choice(decides);
  return choice((3 - decides) | (masks.some((m) => m.mask & decides) ? decides : 0));
}

/** The sum, when everything in it is a number. */
function total({ kept, exact, sure, most }: Selection): Possible | undefined {
  if (!exact) {
    const body = kept[0]?.body;
    if (body?.kind !== "number") return kept.length === 0 ? only(0) : undefined;
    return {
      kind: "number",
      low: Math.min(body.low * sure, body.low * most),
      high: Math.max(body.high * most, body.high * sure),
    };
  }
  let low = 0;
  let high = 0;
  for (const { test, body } of kept) {
    if (body?.kind !== "number") return undefined;
    low += test === 2 ? body.low : Math.min(0, body.low);
    high += test === 2 ? body.high : Math.max(0, body.high);
  }
  return { kind: "number", low, high };
}

/** What has been learned of the list that a binder's condition leaves. */
function filtered(e: Binder, store: Knowledge, parts: BinderParts): ListSet | undefined {
  if (e.word === "filter" || e.source.type.kind !== "list" || !store.mayKnow("binder filter")) return undefined;
  const { body: _body, ...rest } = e;
  const key = parts.keys.of({ ...rest, word: "filter", ties: "inOrder", type: e.source.type }, store);
  const fact = key && store.facts.get(key.text)?.value;
  return fact?.kind === "list" ? fact : undefined;
}
