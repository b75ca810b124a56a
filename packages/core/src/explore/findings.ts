/** What a search comes to that goes wrong: each thing once, where it shows first. */

import type { Fault } from "../engine/values/fault.js";
import type { ExploreFinding, ExploreFindingKind } from "./report.js";

const MOST_FINDINGS = 100;

/** Where something shows, and what it is known by; its words where that is not said. */
export interface Showing extends Pick<ExploreFinding, "at" | "position" | "move" | "state" | "fault"> {
  readonly key?: string;
}

export class Findings {
  /** What was come to by what is tried just now: findings by their keys, and what a lookout saw by its numbers. */
  readonly met = new Set<number | string>();
  private readonly known = new Map<string, ExploreFinding>();

  /**
   * @param law only this law, by its words, is looked for
   * @param depthOf how many steps a situation is from the beginning
   */
  constructor(
    private readonly law: string | undefined,
    private readonly depthOf: (id: number) => number,
  ) {}

  /** Whether it is known already; what is tried just now has come to it. */
  meets(key: string): boolean {
    this.met.add(key);
    return this.known.has(key);
  }

  /** All of them, as they were found. */
  get all(): readonly ExploreFinding[] {
    return [...this.known.values()];
  }

  get count(): number {
    return this.known.size;
  }

  add(kind: ExploreFindingKind, words: string, { key = `${kind} ${words}`, ...where }: Showing): void {
    if (this.law !== undefined && kind !== "law") return;
    if (this.meets(key) || this.known.size >= MOST_FINDINGS) return;
    const depth = this.depthOf(where.at) + (where.move ? 1 : 0);
    this.known.set(key, { key, kind, words, ...where, depth });
  }

  /** @param asking it shows while it is asked what is open */
  addFault(fault: Fault, where: Pick<Showing, "at" | "move">, asking: boolean): void {
    const isLaw = fault.code === "lawBroken";
    if (this.law !== undefined && !(isLaw && fault.message.includes(`"${this.law}"`))) return;
    this.add(isLaw ? "law" : "fault", asking ? `While it is asked what is open: ${fault.message}` : fault.message, {
      ...where,
      position: fault.at.from,
      fault,
      key: `${fault.code} ${fault.at.from}${isLaw ? fault.message : ""}`,
    });
  }

  /** All of them, the nearest to the beginning first. */
  get sorted(): readonly ExploreFinding[] {
    return [...this.known.values()].sort((a, b) => a.depth - b.depth || a.at - b.at);
  }
}
