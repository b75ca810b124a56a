/** What is generated for one configuration: how its steps are asked for. The code itself is made by a room above. */

import type { ActionParameter } from "../../check/machine.js";
import type { Type } from "../../check/types.js";
import type { Run } from "../values/closure.js";
import type { Arguments } from "../values/json.js";

/** Takes an action of a seat; false when it is not admitted, in which case nothing has been changed. */
export type Act = (seat: number, args: Arguments) => boolean;

/** For searches: takes an action that is open to a seat, with the values of its parameters in order. */
export type Take = (seat: number, args: readonly unknown[]) => void;

/** An action of a seat that is open, with the values of its parameters in order. */
export interface ActionMove {
  readonly kind: "action";
  readonly seat: number;
  readonly id: number;
  readonly args: readonly unknown[];
}

/** Is asked and told while moves are listed. */
export interface MoveList {
  /** Asking whether an action is open was a fault. */
  failed(error: unknown, action: number, seat: number): void;
  /** Not all combinations of an action's arguments are tried. */
  cut(action: number): void;
  /** What is tried of a range that is too large to be tried whole. */
  some(parameter: ActionParameter, low: number, high: number): readonly unknown[];
  /** What is tried of a type. */
  allOf(type: Type, parameter: ActionParameter): readonly unknown[];
}

/** The generated code of one configuration; each function is made when it is first called. */
export interface GeneratedSteps {
  /** Who has made it. */
  readonly by: unknown;
  /** The actions there by name; few enough that looking through them is fastest. */
  readonly names: readonly string[];
  readonly acts: readonly Act[];
  /** By the actions' numbers. */
  readonly takes: readonly (Take | undefined)[];
  /**
   * For searches: puts the actions that are open at the front of a list of moves, and gives their number; -1 when it is
   * to be asked otherwise.
   */
  list: (moves: ActionMove[], told: MoveList) => number;
  /** Goes on until nothing is left to be done, then tests the laws. */
  rest: Run;
  /** The names of the seats on turn. */
  turn: () => readonly string[];
  /** For searches: the seat whose turn alone it is; -1 where that is to be asked otherwise. */
  alone: () => number;
}
