/**
 * For searches: what is open in a configuration, and taking it, as generated code. Asking and taking stand apart
 * here: a search asks once, and takes every way the dice can fall, without arguments going through names and JSON.
 */

import type { Action, Expr } from "../../check/machine.js";
import type { Code } from "../code/generating.js";
import type { Generator } from "../code/generator.js";
import { CodeScope } from "../code/scope.js";
import type { Configuration, VisibleAction } from "../situation/configuration.js";
import { SEAT_IN } from "../situation/memory.js";
import type { ReadyAction, ReadyParameter } from "./actions.js";

/** Longest list of values that is tried whole. */
export const MOST_LISTED = 64;
/** Most combinations of arguments of one action. */
export const MOST_COMBINED = 20_000;

/** What the code is made from. */
export interface MoveParts {
  readonly generator: Generator;
  ready(action: number): ReadyAction;
  mayAct(visible: VisibleAction, configuration: Configuration): Code;
  /** An action's effects and arrow, up to rest. */
  effects(action: Action, configuration: Configuration, scope: CodeScope): Code;
}

/** A function that adds to a list of moves what is open, for a `MoveList`, in the order of actions, seats, values. */
export function listCode(parts: MoveParts, configuration: Configuration): Code {
  let code = "";
  for (const visible of configuration.actions.values()) {
    // The first whose turn it is counts, whatever comes of it.
    const first = visible
      .map((v) => `if ((id = ${v.id}, ${parts.mayAct(v, configuration)})) {\n${opened(parts, v, configuration)}}`)
      .join(" else ");
    code +=
      `for (let seat = 0; seat < memory.seats.length; seat++) {\n` +
      `if (memory.seats[seat] !== ${SEAT_IN}) continue;\nmemory.me = seat;\nmemory.effects = 0;\n` +
      `let left = ${MOST_COMBINED};\ntry {\n${first}\n} catch (error) {\nfor_.failed(error, id, seat);\n}\n}\n`;
  }
  return `(moves, for_) => {\nlet id = 0;\n${code}return true;\n}`;
}

/** A function that takes an action for a seat, with the values of its parameters in order. */
export function takeCode(parts: MoveParts, configuration: Configuration, action: Action): Code {
  const scope = new CodeScope(undefined, configuration, "seat");
  const args = action.parameters.map(({ slot }, i) => `const ${scope.add(slot)} = args[${i}];\n`).join("");
  return `(seat, args) => {\nmemory.me = seat;\n${args}${parts.effects(action, configuration, scope)}}`;
}

function opened(parts: MoveParts, { action }: VisibleAction, configuration: Configuration): Code {
  const scope = new CodeScope(undefined, configuration, "seat");
  const { parameters } = parts.ready(action.id);
  const values: Code[] = [];
  let before = "";
  let after = "";
  for (const p of parameters) {
    const { setup, count, value } = valuesOf(parts, p, scope);
    const index = parts.generator.variable();
    const name = scope.add(p.slot);
    values.push(name);
    const where = p.parameter.where && parts.generator.expression(p.parameter.where, scope);
    before +=
      `${setup}for (let ${index} = 0, of = ${count}; ${index} < of; ${index}++) {\n` +
      `if (--left < 0) { for_.cut(id); break; }\nconst ${name} = ${value(index)};\n` +
      `${where === undefined ? "" : `if (!${where}) continue;\n`}`;
    after += "}\n";
  }
  const needs = action.needs.map(({ test }) => parts.generator.expression(test, scope));
  const add = `moves.push({ kind: "action", seat, id: ${action.id}, args: [${values.join(", ")}] });\n`;
  return `{\n${before}${needs.length === 0 ? add : `if (${needs.join(" && ")}) ${add}`}${after}}\n`;
}

/** The values that are tried for a parameter: how many, and each by its index. */
function valuesOf(
  { generator }: MoveParts,
  p: ReadyParameter,
  scope: CodeScope,
): { readonly setup: Code; readonly count: Code; readonly value: (index: Code) => Code } {
  const list = generator.variable();
  const parameter = generator.keep(p.parameter);
  if (p.ends && p.parameter.domain?.kind === "range") {
    const [low, high] = [generator.variable(), generator.variable()];
    const ends = (e: Expr): Code => generator.expression(e, scope);
    return {
      setup:
        `const ${low} = ${ends(p.parameter.domain.low)}, ${high} = ${ends(p.parameter.domain.high)};\n` +
        `const ${list} = ${high} - ${low} < ${MOST_LISTED} ? null : for_.some(${parameter}, ${low}, ${high});\n`,
      count: `${list} === null ? ${high} - ${low} + 1 : ${list}.length`,
      value: (index) => `${list} === null ? ${low} + ${index} : ${list}[${index}]`,
    };
  }
  const { domain } = p.parameter;
  const values =
    domain === undefined
      ? `for_.allOf(${generator.keep(p.type)}, ${parameter})`
      : domain.type.kind === "list"
        ? `${generator.expression(domain, scope)}.parts`
        : `${generator.closure(p.domain, scope)}.parts`;
  return { setup: `const ${list} = ${values};\n`, count: `${list}.length`, value: (index) => `${list}[${index}]` };
}
