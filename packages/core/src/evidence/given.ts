/**
 * Starting data that nothing writes: a match has them as they are given when it is begun. What only some of them bring
 * about is no mistake of the text, and worth a hint.
 */

import type { Machine } from "../check/machine.js";
import type { Type } from "../check/types.js";
import { visitMachine } from "../check/visit.js";
import type { Given } from "../engine/matches/given.js";
import { givenFrom } from "../formats/given.js";

/** Data to begin with, and how that is said. */
export interface GivenChoice {
  readonly words: string;
  readonly given: Given;
}

/** So many choices are tried, and no numbers further from 0. */
const MOST_CHOICES = 24;
const FURTHEST = 1_000_000;
/** Of an enumeration so many members are tried. */
const MOST_MEMBERS = 4;

/** Every datum that nothing writes with the ends of its range, one datum at a time. */
export function givenChoices(machine: Machine): GivenChoice[] {
  const written = writtenIn(machine);
  const choices: GivenChoice[] = [];
  const add = (paths: readonly string[], type: Type, key: string): void => {
    switch (type.kind) {
      case "perSeat":
        add(
          paths.flatMap((path) => machine.seats.names.map((seat) => `${path}.${seat}`)),
          type.of,
          key,
        );
        return;
      case "record":
        for (const [i, field] of type.fields.entries())
          add(
            paths.map((path) => `${path}.${field.name}`),
            field.type,
            `${key}.${i}`,
          );
        return;
      default:
        if ([...written].some((other) => isWithin(other, key) || isWithin(key, other))) return;
        for (const value of endsOf(type)) {
          const all = paths.map((path) => `${path}=${value}`);
          choices.push({ words: all.join(", "), given: givenFrom(all) });
        }
    }
  };
  for (const { name, slot, type } of machine.data) add([name], type, `${slot}`);
  return choices.slice(0, MOST_CHOICES);
}

/** The places in the match's data that something writes, by slot and fields: `3.1`. */
function writtenIn(machine: Machine): Set<string> {
  const written = new Set<string>();
  visitMachine(
    { ...machine, tests: [], policies: [] },
    {
      statement: (s) => {
        if ((s.kind !== "assign" && s.kind !== "change") || s.target.base.kind !== "data") return;
        const fields = s.target.path.flatMap((step) => (step.kind === "field" ? [step.field] : []));
        written.add([s.target.base.slot, ...fields].join("."));
      },
    },
  );
  return written;
}

/** Whether a place is another, or a part of it. */
function isWithin(outer: string, inner: string): boolean {
  return inner === outer || inner.startsWith(`${outer}.`);
}

function endsOf(type: Type): readonly (string | number | boolean)[] {
  switch (type.kind) {
    case "int": {
      const ends = [type.low, type.high, ...(type.low < 0 && type.high > 0 ? [0] : [])];
      return [...new Set(ends)].filter((end) => Math.abs(end) <= FURTHEST);
    }
    case "bool":
      return [true, false];
    case "enum":
      return type.members.slice(0, MOST_MEMBERS);
    default:
      return [];
  }
}
