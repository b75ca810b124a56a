/** Who plays in a search: every seat by a policy of the machine, or at random over what is open to it. */

import { ReadyPolicy } from "../engine/matches/policy.js";
import type { Move } from "../engine/matches/moves.js";
import { type Engine, exploringEngineOf, type Runnable } from "../engine/matches/runnable.js";
import type { Situation } from "../engine/situation/situation.js";
import { toJson } from "../engine/values/json.js";
import { canonicalJson } from "../logbook/canonical.js";
import { RANDOM_BOT, WARY_BOT } from "../search/bot.js";
import { actAsTheyCome } from "../search/who-first.js";

/** A move and how likely it is taken: `part` of `total`. */
export interface Chosen {
  readonly move: Move;
  readonly part: number;
  readonly total: number;
}

export class Players {
  private readonly engine: Engine;
  private readonly policies = new Map<number, ReadyPolicy>();
  private looksAhead = false;

  /** @param bots the policy of each seat, by name; seats without one play at random */
  constructor(runnable: Runnable, bots: Readonly<Record<string, string>>) {
    this.engine = exploringEngineOf(runnable);
    const { machine } = runnable;
    for (const [seat, name] of Object.entries(bots)) {
      const policy = machine.policies.find((each) => each.name === name);
      if (policy) this.policies.set(machine.seats.names.indexOf(seat), new ReadyPolicy(this.engine, policy));
      else if (name === WARY_BOT) this.looksAhead = true;
      else if (name !== RANDOM_BOT) throw new Error(`There is no policy "${name}".`);
    }
  }

  /** Why a search does not know what they do; undefined when it does. */
  get unknown(): string | undefined {
    if (this.looksAhead) return `"${WARY_BOT}" looks a step ahead`;
    return [...this.policies.values()].some((policy) => policy.rolls) ? "a policy rolls dice of its own" : undefined;
  }

  /**
   * What is done next, as `simulate` does it: one of those on turn who can act does so at once, each as likely as the
   * others; where each chooses once, the first of them. Nothing when nobody can, or a policy waits.
   *
   * @param listed everything that is open @param turn the seats on turn
   * @param free a seat that may do whatever it can: all of it is given, before any other acts
   */
  acting(listed: readonly Move[], turn: readonly number[], situation: Situation, free?: number): Chosen[] {
    const ownOf = (seat: number): readonly Move[] =>
      listed.filter((move) => move.kind === "action" && move.seat === seat && this.isOwn(move.id));
    const isFree = free !== undefined && turn.includes(free) && ownOf(free).length > 0;
    if (isFree) return ownOf(free).map((move) => ({ move, part: 1, total: 1 }));
    const asTheyCome = turn.length > 1 && actAsTheyCome(this.engine.machine, situation.configuration);
    const ways: Chosen[][] = [];
    for (const seat of turn) {
      const chosen = this.chosen(seat, ownOf(seat), situation);
      if (chosen.length > 0) ways.push(chosen);
      if (chosen.length > 0 && !asTheyCome) break;
    }
    return ways.flatMap((way) => way.map(({ move, part, total }) => ({ move, part, total: total * ways.length })));
  }

  /**
   * Leaves out what seats that a policy plays do not do while they are on turn.
   *
   * @param listed everything that is open @param turn the seats on turn
   */
  calledFor(listed: readonly Move[], turn: readonly number[], situation: Situation): readonly Move[] {
    let left = listed;
    for (const seat of turn) {
      if (!this.policies.has(seat)) continue;
      const own = listed.filter((move) => move.kind === "action" && move.seat === seat && this.isOwn(move.id));
      const chosen = new Set(this.chosen(seat, own, situation).map(({ move }) => move));
      left = left.filter((move) => !own.includes(move) || chosen.has(move));
    }
    return left;
  }

  /** Actions that are open `by` others than the turn are interruptions, and are not taken. */
  private isOwn(action: number): boolean {
    return this.engine.machine.actions[action]?.by === undefined;
  }

  private chosen(seat: number, own: readonly Move[], situation: Situation): Chosen[] {
    const policy = this.policies.get(seat);
    const name = this.engine.machine.seats.names[seat] ?? "";
    for (const call of policy?.calls(situation, name, "") ?? []) {
      if (call === "wait") return [];
      const move = own.find((each) => this.isCalled(each, call));
      if (move) return [{ move, part: 1, total: 1 }];
    }
    return this.atRandom(own);
  }

  private isCalled(move: Move, { action, args }: { readonly action: string; readonly args: object }): boolean {
    if (move.kind !== "action") return false;
    const { name, parameters } = this.engine.machine.actions[move.id] ?? { name: "", parameters: [] };
    if (name !== action) return false;
    const { naming } = this.engine.memory;
    const own = Object.fromEntries(parameters.map((p, i) => [p.name, toJson(p.type, move.args[i], naming)]));
    return canonicalJson(own) === canonicalJson(args as never);
  }

  /** Each action equally likely, then each value of its first argument, and so on. */
  private atRandom(own: readonly Move[]): Chosen[] {
    const split = (moves: readonly Move[], at: number, total: number): Chosen[] => {
      const groups = new Map<unknown, Move[]>();
      for (const move of moves) {
        const key = at < 0 ? this.nameOf(move) : argument(move, at);
        const group = groups.get(key);
        if (group) group.push(move);
        else groups.set(key, [move]);
      }
      return [...groups.values()].flatMap((group) => {
        const [move] = group as [Move];
        // Those that differ in no argument, as in a list too long to look for equal values, do the same.
        const isChosen = group.length === 1 || argument(move, at + 1) === undefined;
        return isChosen ? [{ move, part: 1, total: total * groups.size }] : split(group, at + 1, total * groups.size);
      });
    };
    return own.length === 0 ? [] : split(own, -1, 1);
  }

  private nameOf(move: Move): string {
    return move.kind === "action" ? (this.engine.machine.actions[move.id]?.name ?? "") : "";
  }
}

function argument(move: Move, at: number): unknown {
  return "args" in move ? move.args[at] : undefined;
}
