/** What a search has met: states, actions that were taken, seats on turn, endings; and so what it has not. */

import type { Machine } from "../check/machine.js";
import type { Configuration } from "../engine/situation/configuration.js";
import type { Memory } from "../engine/situation/memory.js";
import type { Explored } from "./report.js";

export class Met {
  /** The situations in which the match is over. */
  readonly over: number[] = [];
  private readonly byEnding = new Map<string, { situations: number; first: number }>();
  private readonly states: Uint8Array;
  private readonly actions: Uint8Array;
  private readonly configurations = new Set<Configuration>();
  /** The configuration that was met last: most situations have that of the one before. */
  private last: Configuration | undefined;
  private readonly seats: Uint8Array;

  constructor(private readonly machine: Machine) {
    this.states = new Uint8Array(machine.states.length);
    this.actions = new Uint8Array(machine.actions.length);
    this.seats = new Uint8Array(machine.seats.names.length);
  }

  /** A situation that was not met before, which the working memory holds. */
  situation(id: number, { configuration, outcome }: Memory): void {
    if (configuration !== this.last && !this.configurations.has(configuration)) {
      this.configurations.add(configuration);
      for (const layer of configuration.layers) for (const state of layer) this.states[state] = 1;
    }
    this.last = configuration;
    if (!outcome) return;
    this.over.push(id);
    const known = this.byEnding.get(outcome.ending);
    if (known) known.situations++;
    else this.byEnding.set(outcome.ending, { situations: 1, first: id });
  }

  action(id: number): void {
    this.actions[id] = 1;
  }

  turn(seat: number): void {
    this.seats[seat] = 1;
  }

  get endings(): Explored["endings"] {
    return [...this.byEnding].map(([ending, counts]) => ({ ending, ...counts }));
  }

  /** @param seats how many there are in these matches */
  never(seats: number): Explored["never"] {
    const { states, actions, endings, seats: all } = this.machine;
    return {
      states: states.filter(({ id, kind }) => id > 0 && kind !== "machine" && !this.passes(id)).map(({ name }) => name),
      actions: actions
        .filter(({ id }) => this.actions[id] !== 1)
        .map(({ name, state }) => `${states[state]?.name}.${name}`),
      endings: endings.filter(({ name }) => !this.byEnding.has(name)).map(({ name }) => name),
      seats: all.names.filter((_, seat) => seat < seats && this.seats[seat] !== 1),
    };
  }

  /** Whether a match was ever at rest in a state; one that it only passes through is not told of. */
  private passes(id: number): boolean {
    const state = this.machine.states[id];
    return this.states[id] === 1 || (state !== undefined && state.whens.length > 0 && state.actions.length === 0);
  }
}
