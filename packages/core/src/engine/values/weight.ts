/** How much data come to when they are written down: characters of JSON, told from their types without writing them. */

import type { Type } from "../../check/types.js";
import { Box } from "./box.js";

/** The most that the data of a situation may come to, in characters of JSON: what one step writes is no more. */
export const MAX_JSON = 800_000;

/** The longest number as JSON has it, with the comma behind it. */
const NUMBER = 26;

/** What values of a type come to at most; infinite for those of any size. */
export class JsonSizes {
  private readonly known = new Map<Type, number>();
  /** Boxes of situations never change, so each is weighed once. */
  private readonly weighed = new WeakMap<Box, number>();

  /** @param seatName the length of the longest seat's name @param seats how many seats there are */
  constructor(
    private readonly seatName: number,
    private readonly seats: number,
  ) {}

  /** The most that a value of this type comes to. */
  most(type: Type): number {
    const known = this.known.get(type);
    if (known !== undefined) return known;
    // A type that holds itself does so through a list, which is of any size.
    this.known.set(type, Number.POSITIVE_INFINITY);
    const most = this.mostOf(type);
    this.known.set(type, most);
    return most;
  }

  /** What a value comes to, or a little more. */
  of(type: Type, value: unknown): number {
    const most = this.most(type);
    if (most < Number.POSITIVE_INFINITY) return most;
    if (typeof value === "string") return 6 * value.length + 3;
    if (!(value instanceof Box)) return NUMBER;
    const before = this.weighed.get(value);
    if (before !== undefined) return before;
    const size = this.sizeOf(type, value.parts);
    this.weighed.set(value, size);
    return size;
  }

  private mostOf(type: Type): number {
    switch (type.kind) {
      case "bool":
        return 6;
      case "int":
        return Math.max(String(type.low).length, String(type.high).length) + 1;
      case "num":
        return NUMBER;
      case "seat":
        return this.seatName + 3;
      case "enum":
        return Math.max(...type.members.map((member) => member.length)) + 3;
      case "cell":
        return 24;
      // A character takes six as an escape, and two units when it is beyond 16 bits.
      case "text":
        return type.max === undefined ? Number.POSITIVE_INFINITY : 12 * type.max + 3;
      case "maybe":
        return Math.max(5, this.most(type.of));
      case "record":
        return type.fields.reduce((sum, { name, type: of }) => sum + name.length + 4 + this.most(of), 3);
      case "perSeat":
        return 3 + this.seats * (this.seatName + 4 + this.most(type.of));
      case "grid":
        return 3 + type.height * (3 + type.width * this.most(type.of));
      case "list":
        return type.max === undefined ? Number.POSITIVE_INFINITY : 3 + type.max * this.most(type.of);
      default:
        return Number.POSITIVE_INFINITY;
    }
  }

  private sizeOf(type: Type, parts: readonly unknown[]): number {
    let size = 3;
    switch (type.kind) {
      case "record":
        for (const [i, { name, type: of }] of type.fields.entries()) size += name.length + 4 + this.of(of, parts[i]);
        return size;
      case "map":
        for (let i = 0; i < parts.length; i += 2)
          size += this.of(type.key, parts[i]) + 2 + this.of(type.value, parts[i + 1]);
        return size;
      case "maybe":
        return this.sizeOf(type.of, parts);
      case "list":
      case "grid":
      case "perSeat": {
        const most = this.most(type.of);
        if (type.kind === "perSeat") size += parts.length * (this.seatName + 4);
        if (most < Number.POSITIVE_INFINITY) return size + parts.length * most;
        for (const part of parts) size += this.of(type.of, part);
        return size;
      }
      default:
        return size;
    }
  }
}
