/** What generated code knows at a spot: its variables, the seat acting, and the configuration when there is one. */

import type { Configuration } from "../situation/configuration.js";

/**
 * Which local slots are variables of the generated code, by the names they have there; and, for code
 * that runs in one configuration only and for nobody who looks, that configuration.
 */
export class CodeScope {
  private readonly names: Map<number, string>;
  readonly configuration: Configuration | undefined;
  /** The variable that holds the seat acting, where there is one. */
  readonly me: string | undefined;

  constructor(
    outer?: CodeScope,
    configuration: Configuration | undefined = outer?.configuration,
    me: string | undefined = outer?.me,
  ) {
    this.names = new Map(outer?.names);
    this.configuration = configuration;
    this.me = me;
  }

  inside(): CodeScope {
    return new CodeScope(this);
  }

  add(slot: number): string {
    const name = `v${slot}`;
    this.names.set(slot, name);
    return name;
  }

  /** What stands for a slot is known: a number, or another variable. */
  set(slot: number, code: string): void {
    this.names.set(slot, code);
  }

  /** The variables that stand for slots. */
  variables(): string[] {
    return [...this.names.values()].filter((name) => /^v\d+$|^seat$/.test(name));
  }

  read(slot: number): string {
    return this.names.get(slot) ?? `L[${slot}]`;
  }

  entries(): [number, string][] {
    return [...this.names];
  }
}
