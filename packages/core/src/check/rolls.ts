/** Rolls: dice, chances, picks and shuffles. */

import type { Span } from "../language/source.js";
import type { ExprNode, OfStream as OfStreamNode } from "../language/syntax.js";
import type { ExpressionParts, Tables, Where } from "./context.js";
import type { Expr, OfStream } from "./machine.js";
import { Scope } from "./scope.js";
import { unknownAt } from "./typed.js";
import { BOOL, INT, intBetween, listOf, NUM, SEAT, type Type } from "./types.js";

type RollNode<K extends "roll" | "chance" | "pick" | "shuffle"> = ExprNode & { readonly kind: K };

/** Checks what rolls dice. */
export class Rolls {
  constructor(
    private readonly tables: Tables,
    private readonly parts: ExpressionParts,
  ) {}

  roll(node: RollNode<"roll" | "chance" | "pick" | "shuffle">, where: Where): Expr {
    if (where.effects !== true && !where.rolls) this.notAllowed(node, where, node.kind);
    const inner: Where = {
      ...where,
      rolls: false,
      effects: where.effects === true ? "the range of a roll" : where.effects,
    };
    const of = this.streamOf(node, inner);
    switch (node.kind) {
      case "roll":
        return this.dice(node, of, inner);
      case "chance":
        return this.chance(node, of, inner);
      case "pick":
        return this.pick(node, of, inner, where);
      case "shuffle": {
        const list = this.parts.check(node.list, inner);
        this.tables.shuffled.push(list);
        return {
          kind: "shuffle",
          ...of,
          list,
          type: listOf(this.parts.elementOf(list)),
          from: node.from,
          to: node.to,
        };
      }
    }
  }

  /** Which dice are rolled, and whose. */
  private streamOf({ stream, owner, from, to }: ExprNode & OfStreamNode, where: Where): OfStream {
    const known = this.tables.streams.get(stream?.text ?? "main");
    if (stream) {
      this.tables.names.use(stream, `dice ${stream.text}`);
      if (!known)
        this.tables.unknown("unknown-value", stream, stream.text, this.tables.streams.keys(), "stream of dice");
    }
    if (!known) return { stream: 0 };
    if (known.visibility !== "private") {
      if (owner)
        this.tables.error(
          "wrong-arguments",
          owner,
          `${stream ? `"${stream.text}"` : "These dice"} are the same for all seats, so nobody's are rolled.`,
          `Leave "for" out; or declare a stream for each seat: private dice ${stream?.text ?? "NAME"}.`,
        );
      return { stream: known.slot };
    }
    if (owner) return { stream: known.slot, owner: this.parts.expect(owner, SEAT, where, "whose dice are rolled") };
    if (!where.me)
      this.tables.error(
        "wrong-arguments",
        { from, to },
        `Each seat has its own "${known.name}", and nobody acts here whose they could be.`,
        `Say for whom they are rolled: ${known.name}.roll(1..6) for SEAT.`,
      );
    return { stream: known.slot, owner: { kind: "me", type: SEAT, from, to } };
  }

  private dice(node: RollNode<"roll">, of: OfStream, inner: Where): Expr {
    const at = { from: node.from, to: node.to };
    const times = node.times && this.parts.expect(node.times, INT, inner, "how many dice");
    if (node.range.kind !== "binary" || node.range.op !== "..") {
      this.tables.error(
        "wrong-arguments",
        node.range,
        "A roll needs a range.",
        "Write roll(1..6), roll(2 of 1..6) or roll(0.5..1.5).",
      );
      return { ...unknownAt(at), type: INT };
    }
    const low = this.parts.number(node.range.left, inner, "the lowest face");
    const high = this.parts.number(node.range.right, inner, "the highest face");
    const whole = low.type.kind === "int" && high.type.kind === "int";
    if (!whole && times) this.tables.error("wrong-arguments", node, "Several dice are rolled in whole numbers only.");
    let type: Type = NUM;
    if (low.type.kind === "int" && high.type.kind === "int") {
      if (low.type.low > high.type.high)
        this.tables.error("empty-range", node.range, "This range holds no face.", "The lower bound comes first.");
      const least = times?.type.kind === "int" ? Math.max(0, times.type.low) : 1;
      const most = times?.type.kind === "int" ? times.type.high : 1;
      type = intBetween(
        Math.min(low.type.low * least, low.type.low * most),
        Math.max(high.type.high * most, high.type.high * least),
      );
    }
    return { kind: "roll", ...of, ...(times && { times }), low, high, whole, type, ...at };
  }

  private chance(node: RollNode<"chance">, of: OfStream, inner: Where): Expr {
    const at = { from: node.from, to: node.to };
    const part = this.parts.number(node.part, inner, "the chance");
    const whole = node.whole && this.parts.expect(node.whole, INT, inner, "what the chance is out of");
    if (whole && part.type.kind !== "int")
      this.tables.wrongType(
        part,
        "A chance out of a whole number is a whole number.",
        "Write whole numbers, as in chance(1 in 5), or a percentage: chance(12.5%).",
      );
    const most = whole === undefined ? 100 : whole.type.kind === "int" ? whole.type.high : Number.POSITIVE_INFINITY;
    if (part.type.kind === "int" && (part.type.low > most || part.type.high < 0))
      this.tables.error(
        "wrong-arguments",
        { from: node.part.from, to: (node.whole ?? node.part).to },
        `A chance lies between ${whole ? `0 in ${most} and ${most} in ${most}` : "0% and 100%"}.`,
        "Write a part of the whole, as in chance(35%) or chance(1 in 5); what always happens needs no chance.",
      );
    return { kind: "chance", ...of, part, ...(whole && { whole }), type: BOOL, ...at };
  }

  private pick(node: RollNode<"pick">, of: OfStream, inner: Where, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const list = this.parts.check(node.list, inner);
    const element = this.parts.elementOf(list);
    let weight: { slot: number; body: Expr } | undefined;
    if (node.weight) {
      const scope = new Scope(where.scope);
      const { variable } = node.weight;
      const slot = this.tables.local(scope, variable, element);
      weight = { slot, body: this.parts.expect(node.weight.body, INT, { ...inner, scope }, "a weight") };
    }
    return { kind: "pick", ...of, list, ...(weight && { weight }), type: element, ...at };
  }

  /** Reports a roll where nothing is rolled, and why not. */
  notAllowed(at: Span, where: Where, what: string): void {
    const place = where.effects === true ? "this place" : where.effects;
    const why = WHY_NOT[place] ?? "is worked out any number of times, and a roll would come out anew each time";
    this.tables.error(
      "roll-not-allowed",
      at,
      `"${what}" cannot stand here: ${place} ${why}.`,
      "Roll in an effect, keep the value with let or in data, and use that.",
    );
  }
}

/** Why nothing is rolled in some places. */
const WHY_NOT: Readonly<Record<string, string>> = {
  "a condition": "is asked any number of times, and a roll would come out anew each time",
  "a function": "gives the same value for the same arguments",
  "a law": "only looks at what is there",
  "a default": "is the same in every match",
  "a result": "follows from how the match ended",
  "the range of a roll": "is known before the roll",
};
