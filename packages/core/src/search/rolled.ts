/** What the rolls of simulated matches came to, by their place in the text. */

import type { Arrow, Machine } from "../check/machine.js";
import { isRoll } from "../check/rolling.js";
import { visitMachine } from "../check/visit.js";
import type { Tally } from "./tally.js";

/** A roll in the rules. */
export interface RolledPlace {
  readonly position: number;
  /** As it is written; of an arrow by odds, where its ways lead. */
  readonly words: string;
  /** How often it was rolled. */
  readonly rolled: number;
  /** How often each value, ways of an arrow by their names; a chance has `true` and `false` in any case. */
  readonly values: readonly { readonly value: string; readonly count: number }[];
}

/** All rolls of a machine's rules, in the order of the text; also those that were never rolled. */
export function rolledIn(machine: Machine, { rolls }: Tally): RolledPlace[] {
  const found = new Map<number, RolledPlace>();
  const add = (position: number, words: string, names?: readonly string[]): void => {
    const counts = Object.entries(rolls[position] ?? {})
      .sort(([a], [b]) => Number(a) - Number(b) || 0)
      .map(([value, count]) => ({ value: names?.[Number(value)] ?? value, count }));
    const missing = (names ?? []).filter((name) => !counts.some(({ value }) => value === name));
    const values = [...counts, ...missing.map((value) => ({ value, count: 0 }))];
    found.set(position, { position, words, rolled: counts.reduce((sum, { count }) => sum + count, 0), values });
  };
  visitMachine(
    { ...machine, tests: [], policies: [] },
    {
      expr: (e) => {
        if (!isRoll(e)) return;
        add(e.from, machine.sources.written(e));
        const place = found.get(e.from);
        if (e.kind !== "chance" || !place) return;
        const counts = rolls[e.from] ?? {};
        const values = ["true", "false"].map((value) => ({ value, count: counts[value] ?? 0 }));
        found.set(e.from, { ...place, values });
      },
      arrow: (arrow) => {
        if (arrow.kind === "odds") add(arrow.from, "odds", waysOf(machine, arrow));
      },
    },
  );
  return [...found.values()].sort((a, b) => a.position - b.position);
}

/** Where the ways of an arrow by odds lead, by name. */
export function waysOf({ states, endings }: Machine, { entries }: Arrow & { readonly kind: "odds" }): string[] {
  return entries.map(({ target }) =>
    target.kind === "state" ? (states[target.state]?.name ?? "") : (endings[target.ending]?.name ?? ""),
  );
}

/** What never came about in the matches that were counted: endings, and actions that players take. */
export function neverCounted(
  { actions, endings, states }: Machine,
  tally: Tally,
): { readonly endings: string[]; readonly actions: string[] } {
  // What is open `by` others than the turn no player takes: it interrupts.
  const own = actions.filter(({ by }) => by === undefined).map(({ name, state }) => `${states[state]?.name}.${name}`);
  return {
    endings: endings.map(({ name }) => name).filter((name) => !Object.hasOwn(tally.endings, name)),
    actions: [...new Set(own)].filter((name) => !Object.hasOwn(tally.actions, name)),
  };
}
