/**
 * Which bounded numbers have a measure: those that some effect lowers, like breath, and those that fill and are
 * emptied, like a gauge. A counter that only rises has bounds too, but how near it is to them tells nobody anything.
 */

import type { Location, Machine } from "../../check/machine.js";
import type { Type } from "../../check/types.js";
import { visitMachine } from "../../check/visit.js";

const NONE: readonly string[] = [];
/** What lies so far apart is no measure of anything. */
const FAR = 1e6;

/** The numbers with a measure in all data of a machine. */
export class Meters {
  /**
   * Paths that are lowered, raised, and set to a constant, by the slot of the root and, for a state's data, the
   * field.
   */
  private readonly lowered = new Map<string, Set<string>>();
  private readonly raised = new Map<string, Set<string>>();
  private readonly emptied = new Map<string, Set<string>>();
  private readonly known = new Map<string, readonly string[]>();

  constructor(machine: Machine) {
    visitMachine(machine, {
      statement: (s) => {
        if (s.kind !== "assign") return;
        const { op, value } = s;
        if (op === "-=" || (op === "=" && value.kind === "binary" && value.op === "-")) add(this.lowered, s.target);
        if (op === "+=") add(this.raised, s.target);
        if (op === "=" && value.kind === "constant") add(this.emptied, s.target);
      },
    });
  }

  /**
   * Their paths below a value, names of fields joined with dots; "" is the value itself.
   *
   * @param slot where it is kept in the root
   * @param field its number among a state's data; undefined for the machine's
   */
  of(type: Type, slot: number, field?: number): readonly string[] {
    const key = keyOf(slot, field);
    const gauges = [...(this.raised.get(key) ?? [])].filter((path) => this.emptied.get(key)?.has(path));
    const paths = new Set([...(this.lowered.get(key) ?? []), ...gauges]);
    if (paths.size === 0) return NONE;
    const known = this.known.get(key);
    if (known) return known;
    const found = [...paths].filter((path) => isMeasured(type, path === "" ? [] : path.split("."))).map(named(type));
    this.known.set(key, found);
    return found;
  }
}

function add(to: Map<string, Set<string>>, { base, path }: Location): void {
  if (base.kind === "local") return;
  const key = keyOf(base.slot, base.kind === "data" ? undefined : base.field);
  const fields = path.flatMap((step) => (step.kind === "field" ? [String(step.field)] : []));
  to.set(key, (to.get(key) ?? new Set()).add(fields.join(".")));
}

function keyOf(slot: number, field: number | undefined): string {
  return field === undefined ? String(slot) : `${slot} ${field}`;
}

/** Inside what holds several values of one kind. */
function inside(type: Type): Type {
  if (type.kind === "map") return inside(type.value);
  return "of" in type ? inside(type.of) : type;
}

/** Whether the number at a path, fields by their numbers, has bounds that are near enough. */
function isMeasured(type: Type, fields: readonly string[]): boolean {
  const at = inside(type);
  const [first, ...rest] = fields;
  if (first === undefined) return at.kind === "int" && at.high > at.low && at.high - at.low <= FAR;
  const field = at.kind === "record" ? at.fields[Number(first)] : undefined;
  return field !== undefined && isMeasured(field.type, rest);
}

/** A path of numbers as one of names. */
function named(type: Type): (path: string) => string {
  return (path) => {
    const names: string[] = [];
    let at = inside(type);
    for (const field of path === "" ? [] : path.split(".")) {
      if (at.kind !== "record") break;
      const { name, type: of } = at.fields[Number(field)] as (typeof at.fields)[number];
      names.push(name);
      at = inside(of);
    }
    return names.join(".");
  };
}
