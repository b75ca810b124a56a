/**
 * The next timer that would do something, and what. A timer whose condition does not hold, or that has neither effects
 * nor an arrow that leads anywhere, is no deadline for anybody. What would tell a secret is not looked at: such a timer
 * counts as one that may do something.
 */

import type { Arrow, Block, Branch, Expr, Machine, Timer } from "../../check/machine.js";
import type { Secrecy } from "../../check/secrecy.js";
import { branchesOf } from "../../check/visit.js";
import type { Code } from "../code/code.js";
import type { Memory } from "../situation/memory.js";
import { nextTimer, type Situation } from "../situation/situation.js";
import type { Get } from "../values/closure.js";
import { Fault } from "../values/fault.js";

export interface Deadline {
  /** The timer's name, such as `Turn.after1`. */
  readonly timer: string;
  /** When it is due, in milliseconds since 1970 UTC. */
  readonly at: number;
  /**
   * The states and endings it may lead to, as things stand; several where chance, a secret or its own effects decide,
   * none where the match stays where it is.
   */
  readonly to: readonly string[];
  /** The same as half a sentence: `the match ends in Forgotten`. */
  readonly words: string;
}

/** How a condition stands; undefined where that is a secret, or asking for it is a fault. */
type Standing = boolean | undefined;

export class Deadlines {
  private readonly tests = new Map<Expr, Get<boolean> | undefined>();

  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    private readonly code: Code,
    private readonly secrecy: Secrecy,
  ) {}

  /** The next deadline of the situation that was taken in; undefined when there is none, or none may be told. */
  next(situation: Situation): Deadline | undefined {
    const next = nextTimer(
      this.machine,
      situation,
      (timer) => this.secrecy.of(timer.delay) === "all" && this.actsNow(timer),
    );
    if (!next) return undefined;
    const { timer, due: at } = next;
    const to = [...new Set(this.targets(timer))];
    return { timer: timer.name, at, to, words: this.words(timer, to) };
  }

  private actsNow({ test, block, arrow }: Timer): boolean {
    if (test && this.standing(test) === false) return false;
    return acts(block) || this.leads(arrow);
  }

  private leads(arrow: Arrow | undefined): boolean {
    if (!arrow || arrow.kind === "stay") return false;
    if (arrow.kind !== "choose") return true;
    return this.possible(arrow, false).some((branch) => acts(branch.block) || this.leads(branch.arrow));
  }

  /** The branches that may be taken. @param changed whether effects come before that may decide it */
  private possible(arrow: Arrow & { readonly kind: "choose" }, changed: boolean): Branch[] {
    const possible: Branch[] = [];
    for (const branch of branchesOf(arrow)) {
      const holds = branch.test && (changed ? undefined : this.standing(branch.test));
      if (holds === false) continue;
      possible.push(branch);
      if (!branch.test || holds === true) break;
    }
    return possible;
  }

  private targets({ block, arrow }: Timer): string[] {
    const targets = (of: Arrow | undefined, changed: boolean): string[] => {
      switch (of?.kind) {
        case "to":
          return [this.nameOf(of.target)];
        case "history":
          return [this.machine.states[of.state]?.name ?? ""];
        case "odds":
          return of.entries.map(({ target }) => this.nameOf(target));
        case "choose":
          return this.possible(of, changed).flatMap((b) => targets(b.arrow, changed || acts(b.block)));
        default:
          return [];
      }
    };
    return targets(arrow, acts(block));
  }

  private nameOf(target: (Arrow & { readonly kind: "to" })["target"]): string {
    const of = target.kind === "state" ? this.machine.states[target.state] : this.machine.endings[target.ending];
    return of?.name ?? "";
  }

  private words({ arrow }: Timer, to: readonly string[]): string {
    if (arrow?.kind === "return") return "what was under the overlay goes on";
    if (to.length === 0) return "its effects run";
    const endings = new Set(this.machine.endings.map((ending) => ending.name));
    const names = [to.slice(0, -1).join(", "), to.at(-1)].filter((part) => part !== "").join(" or ");
    return to.every((name) => endings.has(name)) ? `the match ends in ${names}` : `it goes on in ${names}`;
  }

  /** How a condition stands now. */
  private standing(test: Expr): Standing {
    if (!this.tests.has(test)) {
      this.tests.set(test, this.secrecy.of(test) === "all" ? this.code.condition(test) : undefined);
    }
    this.memory.effects = 0;
    try {
      return this.tests.get(test)?.();
    } catch (error) {
      if (error instanceof Fault) return undefined;
      throw error;
    }
  }
}

function acts(block: Block | undefined): boolean {
  return block !== undefined && block.statements.length > 0;
}
