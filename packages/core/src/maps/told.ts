/** What rows tell, as values of the machine: seats by what the log calls them, words in any case, numbers in texts. */

import type { Type } from "../check/types.js";
import type { Engine } from "../engine/matches/runnable.js";
import { Box } from "../engine/values/box.js";
import { fromJson, type Json, keyText, toJson, WrongValue } from "../engine/values/json.js";
import type { Get } from "../engine/values/closure.js";
import type { Expr } from "../check/machine.js";
import { listOpened, opened } from "./opened.js";
import { type LogRow, type RowData, toldIn } from "./rows.js";
import { type EachNode, type Literal, type ToldNode, toldName } from "./syntax.js";
import type { Told, ToldTable, TypedMap, Value } from "./typed.js";

/** Something that a row should tell and does not, or not as it should. */
export class Untold extends Error {
  /** @param row the row, where that is not the one that is judged */
  constructor(
    words: string,
    readonly row?: LogRow,
  ) {
    super(words);
  }
}

/** Works out what stands in a mapping for one row at a time, in the situation that the engine's memory holds. */
export class ToldValues {
  /** The seats of those who sat down, by what the log calls them. */
  readonly sitting = new Map<string, number>();
  private readonly compiled = new WeakMap<Expr, Get>();

  constructor(
    private readonly map: TypedMap,
    private readonly engine: Engine,
  ) {}

  /** Whether a row tells something: null counts as nothing. */
  isTold(node: ToldNode, data: RowData): boolean {
    const value = toldIn(data, node);
    return value !== undefined && value !== null;
  }

  /**
   * The value of an expression.
   *
   * @throws Untold when something in it is not told @throws WrongValue when something told is of another type
   */
  of({ expr, told }: Value, data: RowData): unknown {
    this.put(told, data);
    return this.worked(expr);
  }

  /** The value of an expression whose told parts are in their places. */
  private worked(expr: Expr): unknown {
    const { code } = this.engine;
    let get = this.compiled.get(expr);
    if (!get) {
      get = code.expressions.compile(expr);
      this.compiled.set(expr, get);
    }
    return get();
  }

  /** Puts what is told where the expressions it stands in find it. */
  put(told: readonly Told[], data: RowData): void {
    for (const each of told) this.engine.memory.locals[each.slot] = this.told(each, data);
  }

  /**
   * Whether a condition holds that says which rows or moves are meant: one on what is not told does not, and a yes or
   * no that is not told is no.
   *
   * @throws WrongValue when something told is of another type
   */
  holds(test: Value, data: RowData): boolean {
    for (const each of test.told) {
      const isTold = this.isTold(each.node, data);
      if (!isTold && each.type.kind !== "bool") return false;
      this.engine.memory.locals[each.slot] = isTold && this.told(each, data);
    }
    return this.worked(test.expr) === true;
  }

  /** What is told, as a value of its type. */
  private told({ node, type, table }: Told, data: RowData): unknown {
    const json = toldIn(data, node);
    if (json === undefined || (json === null && type.kind !== "maybe"))
      throw new Untold(`The row has no ${toldName(node)}.`);
    try {
      return this.value(type, json, table);
    } catch (error) {
      if (!(error instanceof WrongValue)) throw error;
      throw new WrongValue(`${toldName(node)}: ${error.message}`);
    }
  }

  /**
   * Who plays, or how many: a list, also in a text, or a number.
   *
   * @returns undefined when it is not told @throws WrongValue for anything else
   */
  players(node: ToldNode, data: RowData): readonly Json[] | number | undefined {
    const json = toldIn(data, node);
    if (json === undefined || json === null) return undefined;
    const number = typeof json === "string" ? this.number(json) : json;
    if (typeof number === "number" && Number.isInteger(number)) return number;
    // Names may have spaces in them.
    const names = typeof json === "string" && !/[,;|[]/.test(json) ? json : this.listIn(json);
    if (Array.isArray(names) && (names.length > 1 || names === json) && names.every((name) => name !== ""))
      return names;
    throw new WrongValue(
      `${toldName(node)}: expected who plays, as a list or with commas between them, or how many, ` +
        `but got ${JSON.stringify(json)}`,
    );
  }

  /**
   * What is told as a list; of an object, the `key` and the `value` of each member.
   *
   * @throws Untold when it is not told
   * @throws WrongValue when it is no list
   */
  list({ list: node, by }: EachNode, data: RowData): readonly Json[] {
    const json = toldIn(data, node);
    if (json === undefined || json === null) throw new Untold(`The row has no ${toldName(node)}.`);
    if (by !== undefined && typeof json === "string")
      return json.split(by).flatMap((part) => (part.trim() === "" ? [] : [part.trim()]));
    const list = this.listIn(json);
    if (list !== null && typeof list === "object" && !Array.isArray(list))
      return Object.entries(list).map(([key, value]) => ({ key, value }));
    if (!Array.isArray(list))
      throw new WrongValue(`${toldName(node)}: expected a list, but got ${JSON.stringify(json)}`);
    return list;
  }

  /** A told roll, or a list of them: numbers and yeses as they are. */
  rolls(node: ToldNode, data: RowData): (number | boolean)[] {
    const json = toldIn(data, node);
    if (json === undefined || json === null) throw new Untold(`The row has no ${toldName(node)}.`);
    const told = this.listIn(json);
    const list: readonly Json[] = Array.isArray(told) ? told : [told];
    return list.map((one) => {
      if (typeof one === "boolean" || typeof one === "number") return one;
      const number = typeof one === "string" ? this.number(one) : Number.NaN;
      if (!Number.isNaN(number)) return number;
      if (one === "true" || one === "false") return one === "true";
      const help =
        typeof one === "string" && /\d\D+\d/.test(one) ? "; a list is told as 3,4, 3|4, 3;4, 3/4 or 3 4" : "";
      const got = JSON.stringify(one);
      throw new WrongValue(`${toldName(node)}: a roll is a number, or true or false, but got ${got}${help}`);
    });
  }

  /** Whether a told value is one that stands in the mapping. */
  same(literal: Literal, json: Json | undefined): boolean {
    if (json === undefined || json === null || typeof json === "object") return false;
    const [a, b] = [String(literal), String(json)];
    return a === b || (this.map.ignoresCase && a.toLowerCase() === b.toLowerCase());
  }

  /** The number of the seat that a told value stands for. */
  seat(json: Json): number {
    const { names } = this.engine.machine.seats;
    const sitting = this.sitting.get(String(json));
    if (sitting !== undefined) return sitting;
    for (const [told, seat] of this.map.seats) if (this.same(told, json)) return seat;
    const seat = names.findIndex((name) => this.same(name, json));
    if (seat >= 0) return seat;
    const like = this.inOtherCase(names, json);
    throw new WrongValue(
      `no seat is called ${JSON.stringify(json)} (seats: ${names.join(", ")}). ` +
        (like ?? `Say in the mapping whose it is: seats: ${JSON.stringify(json)} ${names[0]}`),
    );
  }

  /** What to do about a word that the machine has in another case. */
  private inOtherCase(names: readonly string[], json: Json): string | undefined {
    const like = typeof json === "string" && names.find((name) => name.toLowerCase() === json.toLowerCase());
    return like ? `The machine has it as ${like}; say in the mapping: words ignore case` : undefined;
  }

  private get decimalComma(): boolean {
    const { read } = this.map;
    return read.kind === "csv" && read.decimalComma;
  }

  private listIn(json: Json): Json {
    return listOpened(json, this.decimalComma);
  }

  number(text: string): number {
    const plain = this.decimalComma ? text.replace(",", ".") : text;
    return plain.trim() === "" ? Number.NaN : Number(plain);
  }

  /** A told value as one of the machine's, by a table where there is one. */
  private value(type: Type, json: Json, table?: ToldTable): unknown {
    const { naming } = this.engine.memory;
    if (table?.of === type) {
      const entry = [...table.values].find(([key]) => this.same(key, json));
      if (!entry) throw new WrongValue(`the table has no ${JSON.stringify(json)}`);
      return this.engine.code.expressions.compile(entry[1])();
    }
    switch (type.kind) {
      case "int":
      case "num": {
        const number = typeof json === "string" ? this.number(json) : json;
        return fromJson(type, Number.isNaN(number) ? json : number, naming);
      }
      case "bool": {
        if (json === 1 || json === 0) return json === 1;
        const word = typeof json === "string" ? json.toLowerCase() : "";
        if (["true", "yes", "y", "1"].includes(word)) return true;
        if (["false", "no", "n", "0"].includes(word)) return false;
        return fromJson(type, json, naming);
      }
      case "text":
        return fromJson(type, typeof json === "number" || typeof json === "boolean" ? String(json) : json, naming);
      case "seat":
        return this.seat(json);
      case "enum": {
        const member = type.members.findIndex((name) => this.same(name, json));
        if (member >= 0) return member;
        const like = this.inOtherCase(type.members, json);
        if (like) throw new WrongValue(`${type.name} has no ${JSON.stringify(json)}. ${like}`);
        return fromJson(type, json, naming);
      }
      case "maybe":
        return json === null || (json === "" && type.of.kind !== "text") ? null : this.value(type.of, json, table);
      case "list": {
        const list = this.listIn(json);
        if (!Array.isArray(list)) return fromJson(type, json, naming);
        return new Box(
          0,
          list.map((part: Json) => this.value(type.of, part, table)),
        );
      }
      case "cell": {
        // As `{"x": 3, "y": 1}`, or as a list of the two.
        const list = this.listIn(json);
        if (!Array.isArray(list) || list.length !== 2) return fromJson(type, list, naming);
        const [x, y] = list.map((part) => (typeof part === "string" ? this.number(part) : part)) as [Json, Json];
        return fromJson(type, { x, y }, naming);
      }
      case "perSeat": {
        const told = typeof json === "string" ? this.listIn(json) : json;
        if (told === null || typeof told !== "object") return fromJson(type, json, naming);
        // By what the log calls the seats, or as a list in their order.
        const parts: unknown[] = [];
        for (const [key, part] of Object.entries(told))
          parts[Array.isArray(told) ? Number(key) : this.seat(key)] = this.value(type.of, part as Json, table);
        if (naming.seats.some((_, seat) => !(seat in parts)))
          throw new WrongValue(
            `expected a value for each of ${naming.seats.join(", ")}, but got ${JSON.stringify(json)}`,
          );
        return new Box(0, parts);
      }
      case "record": {
        const told = opened(json);
        if (typeof told === "string" && !table)
          throw new WrongValue(
            `expected ${type.name}, but got ${JSON.stringify(told)}. What it stands for is said in a table: ` +
              `table NAME: ${JSON.stringify(told)} ${type.name}(...)`,
          );
        if (told === null || typeof told !== "object" || Array.isArray(told)) return fromJson(type, json, naming);
        const parts = type.fields.map((field) => {
          const part = (told as RowData)[field.name];
          return part === undefined ? fromJson(field.type, part, naming) : this.value(field.type, part);
        });
        return new Box(0, parts);
      }
      case "grid": {
        // By its rows, or all cells one behind the other.
        const told = this.listIn(json);
        const rows = Array.isArray(told) ? told : [];
        const cells = rows.length === type.height && rows.every(Array.isArray) ? rows.flat() : rows;
        if (cells.length !== type.width * type.height) return fromJson(type, told, naming);
        return new Box(
          0,
          cells.map((part) => this.value(type.of, part, table)),
        );
      }
      case "map": {
        const told = opened(json);
        if (told === null || typeof told !== "object" || Array.isArray(told)) return fromJson(type, told, naming);
        const entries = Object.entries(told).map(([key, part]) => [
          keyText(type.key, this.value(type.key, key), naming),
          toJson(type.value, this.value(type.value, part as Json, table), naming),
        ]);
        return fromJson(type, Object.fromEntries(entries) as Json, naming);
      }
      default:
        return fromJson(type, opened(json), naming);
    }
  }
}
