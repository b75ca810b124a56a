/** Which data of a machine were compared with what a log tells, and which never were. */

import type { Expr, Machine } from "../check/machine.js";
import { someExpr, visitExpr } from "../check/visit.js";
import type { Type } from "../check/types.js";
import type { LineInputs } from "../engine/matches/line-inputs.js";
import { Fault } from "../engine/values/fault.js";
import { pointerOf } from "../engine/values/pointer.js";
import type { Value } from "./typed.js";

export class Compared {
  /** Paths with `*` for seats, keys and indices: `mongers.*.clean`. */
  private readonly paths = new Set<string>();
  private readonly noted = new Set<Expr>();

  constructor(private readonly machine: Machine) {}

  /** Takes note of the data in an expression that was compared. */
  note(e: Expr): void {
    if (this.noted.has(e)) return;
    this.noted.add(e);
    visitExpr(e, {
      expr: (part) => {
        const path = this.pathIn(part);
        if (path === undefined) return true;
        this.paths.add(path.join("."));
        for (const key of keysIn(part)) this.note(key);
        return false;
      },
    });
  }

  /** Data that nothing was compared with, with `*` for seats. */
  notCovered(): string[] {
    return this.machine.data
      .flatMap(({ name, type }) => leavesOf(type).map((leaf) => [name, ...leaf].join(".")))
      .filter(
        (leaf) =>
          ![...this.paths].some((path) => leaf === path || leaf.startsWith(`${path}.`) || path.startsWith(`${leaf}.`)),
      );
  }

  /**
   * Where the data of an expression stand, as JSON Pointers: of a worked-out value all that it is made of. What the row
   * tells in it is in its place.
   */
  pathsOf({ expr, told }: Value, inputs: LineInputs): string[] {
    const paths = new Set<string>();
    visitExpr(expr, {
      expr: (part) => {
        const path = this.pathNow(part, told, inputs);
        if (path === undefined) return true;
        paths.add(pointerOf(["data", ...path]));
        return false;
      },
    });
    return [...paths];
  }

  /** The path of a datum; none where its keys cannot be worked out here, so that the whole is looked at. */
  private pathNow(e: Expr, told: Value["told"], inputs: LineInputs): string[] | undefined {
    const isOpen = (part: Expr): boolean => part.kind === "local" && !told.some(({ slot }) => slot === part.slot);
    if (keysIn(e).some((key) => someExpr(key, isOpen))) return undefined;
    try {
      return this.pathIn(e, inputs);
    } catch (error) {
      if (error instanceof Fault) return undefined;
      throw error;
    }
  }

  /** The path of a datum, part by part; with `inputs` its keys worked out. */
  private pathIn(e: Expr, inputs?: LineInputs): string[] | undefined {
    switch (e.kind) {
      case "data":
        return [this.machine.data[e.slot]?.name ?? ""];
      case "field": {
        const of = this.pathIn(e.of, inputs);
        const { type } = e.of;
        return of && type.kind === "record" ? [...of, type.fields[e.field]?.name ?? ""] : undefined;
      }
      case "index": {
        const of = this.pathIn(e.of, inputs);
        return of && [...of, inputs ? String(inputs.json(e.key)) : "*"];
      }
      case "unwrap":
        return this.pathIn(e.of, inputs);
      default:
        return undefined;
    }
  }
}

function keysIn(e: Expr): Expr[] {
  switch (e.kind) {
    case "field":
    case "unwrap":
      return keysIn(e.of);
    case "index":
      return [...keysIn(e.of), e.key];
    default:
      return [];
  }
}

/** The ways to all values in a type that are no records. */
function leavesOf(type: Type): string[][] {
  switch (type.kind) {
    case "record":
      return type.fields.flatMap((field) => leavesOf(field.type).map((leaf) => [field.name, ...leaf]));
    case "perSeat":
      return leavesOf(type.of).map((leaf) => ["*", ...leaf]);
    case "maybe":
      return leavesOf(type.of);
    default:
      return [[]];
  }
}
