/** Places that can be written: data, their fields and their elements. */

import type { Span } from "../language/source.js";
import type { ExprNode } from "../language/syntax.js";
import { BUILT_IN_VALUES } from "./builtins.js";
import type { ExpressionParts, Tables, Where } from "./context.js";
import type { Location, LocationStep } from "./machine.js";
import { describe, type Type } from "./types.js";
import { article } from "./wording.js";

/** A place as far as it has been read, from the outside in. */
interface Reading {
  base: Location["base"] | undefined;
  readonly path: LocationStep[];
  /** The names on the way, to find the laws that watch it. */
  readonly segments: string[];
}

/** Checks what stands on the left of an assignment. */
export class Places {
  constructor(
    private readonly tables: Tables,
    private readonly parts: ExpressionParts,
  ) {}

  /** A place to write to. Reports what cannot be written. */
  location(node: ExprNode, where: Where): Location | undefined {
    const reading: Reading = { base: undefined, path: [], segments: [] };
    const type = this.read(node, where, reading);
    const { base, path, segments } = reading;
    if (!type || !base) return undefined;
    const watched =
      base.kind === "data" ? this.tables.watches.filter((w) => overlaps(w.segments, segments)).map((w) => w.law) : [];
    return { base, path, type, watched, from: node.from, to: node.to };
  }

  private read(node: ExprNode, where: Where, reading: Reading): Type | undefined {
    switch (node.kind) {
      case "name":
        return this.base(node, where, reading);
      case "member":
        return this.field(node, where, reading);
      case "index": {
        const of = this.read(node.of, where, reading);
        if (!of) {
          this.parts.check(node.key, where);
          return undefined;
        }
        const { key, type } = this.parts.element(of, node.key, where, node.of);
        reading.path.push({ kind: "index", of, key });
        return type;
      }
      case "missing":
        return undefined;
      default:
        return this.fixed(node, "This cannot be changed.", "Only data, their fields and their elements can.");
    }
  }

  private base(node: ExprNode & { kind: "name" }, where: Where, reading: Reading): Type | undefined {
    const { name } = node;
    const symbol = where.scope.find(name.text);
    if (!symbol) {
      if (Object.hasOwn(BUILT_IN_VALUES, name.text))
        return this.fixed(node, `"${name.text}" cannot be changed: the language gives it.`, "Change data of your own.");
      this.tables.unknownValue(name, where);
      return undefined;
    }
    if (symbol.kind === "data") reading.base = { kind: "data", slot: symbol.slot };
    else if (symbol.kind === "stateData") reading.base = { kind: "stateData", slot: symbol.slot, field: symbol.field };
    else if (symbol.kind === "local" && symbol.writable) reading.base = { kind: "local", slot: symbol.slot };
    else if (symbol.kind === "local")
      return this.fixed(
        node,
        `"${name.text}" cannot be changed: it is given from outside.`,
        symbol.type.kind === "record"
          ? "It is a copy. To change one in a list, take its place: (i: int in LIST.indices) { LIST[i].FIELD = ... }"
          : `Keep it in a value of your own: let copy = ${name.text}.`,
      );
    else
      return this.fixed(
        node,
        `"${name.text}" cannot be changed: it is ${article(symbol)}.`,
        "Only data and values made with let can be changed.",
      );
    reading.segments.push(name.text);
    this.tables.names.use(name, symbol);
    return symbol.type;
  }

  private field(node: ExprNode & { kind: "member" }, where: Where, reading: Reading): Type | undefined {
    if (this.isSeat(node.of, where)) {
      this.tables.fieldOfSeat(node, where);
      return undefined;
    }
    if (this.isOfState(node, where)) return undefined;
    const whole = this.read(node.of, where, reading);
    if (!whole || whole.kind === "unknown") return whole;
    const of = whole.kind === "maybe" ? whole.of : whole;
    if (of.kind !== "record")
      return this.fixed(
        node.name,
        `"${node.name.text}" of ${describe(of)} cannot be set.`,
        "Only fields of records, elements and whole data can be set.",
      );
    const field = of.fields.findIndex((f) => f.name === node.name.text);
    const found = of.fields[field];
    if (!found) {
      this.tables.unknownField(node.name, of);
      return undefined;
    }
    if (whole.kind === "maybe") reading.path.push({ kind: "present", type: of, from: node.of.from, to: node.of.to });
    reading.path.push({ kind: "field", field });
    this.tables.useField(node.name, of.name, field);
    reading.segments.push(node.name.text);
    return found.type;
  }

  /** Whether it is data with the name of their state before them, which can be read so, and not changed: told here. */
  private isOfState(node: ExprNode & { kind: "member" }, where: Where): boolean {
    if (node.of.kind !== "name" || where.scope.find(node.of.name.text)) return false;
    const state = node.of.name;
    const place = this.tables.targets.get(state.text);
    if (place?.kind !== "state") return false;
    // What the state does not have is told as where it is read.
    this.parts.check(node, where);
    if (!this.tables.stateData.get(place.id)?.fields.some(({ name }) => name === node.name.text)) return true;
    const symbol = where.scope.find(node.name.text);
    const at = { from: state.from, to: node.name.to };
    if (symbol?.kind === "stateData" && symbol.owner === state.text) {
      const fix = { title: `Write ${node.name.text}`, edits: [{ from: state.from, to: node.name.from, text: "" }] };
      const words = `Inside "${state.text}" its data are changed by their name alone.`;
      this.tables.messages.error("not-assignable", at, words, `Write: ${node.name.text}.`, undefined, fix);
    } else
      this.fixed(
        at,
        `"${state.text}.${node.name.text}" can be read here, but data of a state are changed inside that state only.`,
        `Change it in "${state.text}", as by a signal that it hears; or keep it in data of the whole match.`,
      );
    return true;
  }

  /** Whether a name stands for a seat. */
  private isSeat(node: ExprNode, where: Where): boolean {
    if (node.kind !== "name") return false;
    const symbol = where.scope.find(node.name.text);
    if (!symbol) return node.name.text === "me";
    return symbol.kind === "seat" || ("type" in symbol && symbol.type.kind === "seat");
  }

  /** Reports what cannot be changed. */
  private fixed(at: Span, words: string, help: string): undefined {
    this.tables.error("not-assignable", at, words, help);
    return undefined;
  }
}

/** Whether one path is the other, or stands inside it. */
function overlaps(a: readonly string[], b: readonly string[]): boolean {
  const shorter = Math.min(a.length, b.length);
  for (let i = 0; i < shorter; i++) if (a[i] !== b[i]) return false;
  return true;
}
