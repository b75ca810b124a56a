/**
 * For searches: what is open in a configuration, and taking it, as generated code. Asking and taking stand apart
 * here: a search asks once, and takes every way the dice can fall, without arguments going through names and JSON.
 */

import type { Action, Expr } from "../../check/machine.js";
import { type Known, knownItems, literal } from "../code/generated-expressions.js";
import type { Code } from "../code/generating.js";
import type { Generator } from "../code/generator.js";
import { lookingIntoBoxes } from "../code/packed.js";
import { CodeScope } from "../code/scope.js";
import type { Configuration, VisibleAction } from "../situation/configuration.js";
import type { ActionMove } from "../situation/generated-steps.js";
import { SEAT_IN } from "../situation/memory.js";
import { Fault } from "../values/fault.js";
import type { ReadyAction, ReadyParameter } from "./actions.js";
import { eachOnce, mayRepeat } from "./equal-choices.js";

/** Longest list of values that is tried whole. */
export const MOST_LISTED = 64;
/** An action with no more choices of arguments than this has each written out. */
const MOST_WRITTEN = 16;
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

/**
 * A function that puts what is open at the front of a list of moves, for a `MoveList`, in the order of actions, seats,
 * values, and gives the number of moves.
 */
export function listCode(parts: MoveParts, configuration: Configuration): Code {
  const { generator } = parts;
  // What costs too much when all is paid for may not when it is counted.
  const dear = generator.keep((error: unknown) => {
    const isDear = error instanceof Fault && error.code === "tooManyEffects";
    if (isDear) generator.hooks.packed?.toBoxes();
    return isDear;
  });
  const listed = (visible: readonly VisibleAction[]): Code => {
    // The first whose turn it is counts, whatever comes of it.
    const first = visible
      .map((v) => `if ((id = ${v.id}, ${parts.mayAct(v, configuration)})) {\n${opened(parts, v, configuration)}}`)
      .join(" else ");
    return (
      `for (let seat = 0; seat < memory.seats.length; seat++) {\n` +
      `if (memory.seats[seat] !== ${SEAT_IN}) continue;\nmemory.me = seat;\nmemory.effects = 0;\n` +
      `try {\n${first}\n} catch (error) {\nif (${dear}(error)) return -1;\nfor_.failed(error, id, seat);\n}\n}\n`
    );
  };
  const { before, code } = generator.reading(() => [...configuration.actions.values()].map(listed).join(""));
  return `(moves, for_) => {\nlet id = 0, count = 0;\n${before}${code}return count;\n}`;
}

/** A function that takes an action for a seat, with the values of its parameters in order. */
export function takeCode(parts: MoveParts, configuration: Configuration, action: Action): Code {
  const scope = new CodeScope(undefined, configuration, "seat");
  const args = action.parameters.map(({ slot }, i) => `const ${scope.add(slot)} = args[${i}];\n`).join("");
  return `(seat, args) => {\nmemory.me = seat;\n${args}${parts.effects(action, configuration, scope)}}`;
}

/** Adds an action to the list, with every choice of its arguments that is open. */
function opened(parts: MoveParts, { action }: VisibleAction, configuration: Configuration): Code {
  const { generator } = parts;
  const known = parts.ready(action.id).parameters.map((p) => knownValues(generator, p));
  const choices = known.reduce((product, values) => product * (values?.length ?? Number.NaN), 1);
  const { needsApart, needsOfArguments } = parts.ready(action.id);
  const asked = [
    ...action.parameters.flatMap(({ where }) => where ?? []),
    ...needsOfArguments.map(({ written }) => written),
  ];
  // Not a number where the values of one are not known.
  const code =
    choices <= MOST_WRITTEN && asked.every((test) => generator.takesOn(test, choices))
      ? written(parts, action, known as (readonly Known[])[], configuration)
      : tried(parts, action, configuration);
  const scope = new CodeScope(undefined, configuration, "seat");
  return when(
    needsApart.map(({ written }) => generator.expression(written, scope)),
    code,
  );
}

/** Code that runs where all conditions hold. */
function when(conditions: readonly Code[], code: Code): Code {
  return conditions.length === 0 ? code : `if (${conditions.join(" && ")}) ${code}`;
}

/** Every choice of arguments by itself: what can be moved is made once. */
function written(
  parts: MoveParts,
  action: Action,
  known: readonly (readonly Known[])[],
  configuration: Configuration,
): Code {
  const { generator } = parts;
  const { parameters, needsOfArguments } = parts.ready(action.id);
  const chosen: (readonly Known[])[] = [];
  const inside = (at: number, args: readonly Known[], scope: CodeScope): Code => {
    const p = parameters[at];
    if (!p) {
      const add = `moves[count++] = mine[${chosen.push(args) - 1}];\n`;
      return when(
        needsOfArguments.map(({ written }) => generator.expression(written, scope)),
        add,
      );
    }
    return (known[at] as readonly Known[])
      .map((value) => {
        const inner = scope.inside();
        inner.set(p.slot, literal(value));
        const code = inside(at + 1, [...args, value], inner);
        return p.parameter.where ? `if (${generator.expression(p.parameter.where, inner)}) {\n${code}}\n` : code;
      })
      .join("");
  };
  const code = inside(0, [], new CodeScope(undefined, configuration, "seat"));
  const moves = generator.machine.seats.names.map((_, seat) =>
    chosen.map((args): ActionMove => ({ kind: "action", seat, id: action.id, args })),
  );
  return `{\nconst mine = ${generator.keep(moves)}[seat];\n${code}}\n`;
}

/** The few values that a parameter can have, where they are known. */
function knownValues(generator: Generator, { parameter, type }: ReadyParameter): readonly Known[] | undefined {
  if (parameter.domain) {
    const items = knownItems(generator, parameter.domain, MOST_WRITTEN);
    return items && [...new Set(items)];
  }
  if (type.kind === "bool") return [false, true];
  const [low, high] =
    type.kind === "int"
      ? [type.low, type.high]
      : type.kind === "enum"
        ? [0, type.members.length - 1]
        : [0, MOST_WRITTEN];
  return high - low < MOST_WRITTEN ? Array.from({ length: high - low + 1 }, (_, i) => low + i) : undefined;
}

/** Value after value, in loops. */
function tried(parts: MoveParts, action: Action, configuration: Configuration): Code {
  const scope = new CodeScope(undefined, configuration, "seat");
  const { parameters, needsOfArguments } = parts.ready(action.id);
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
  const added = when(
    needsOfArguments.map(({ written }) => parts.generator.expression(written, scope)),
    `moves[count++] = { kind: "action", seat, id: ${action.id}, args: [${values.join(", ")}] };\n`,
  );
  return `{\nlet left = ${MOST_COMBINED};\n${before}${added}${after}}\n`;
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
  let values = `for_.allOf(${generator.keep(p.type)}, ${parameter})`;
  if (domain?.type.kind === "list") {
    const all = `${generator.expression(domain, scope)}.parts`;
    values = mayRepeat(domain) ? `${generator.keep(eachOnce)}(${all})` : all;
  } else if (domain) values = lookingIntoBoxes(generator, domain, generator.closure(p.values, scope));
  return { setup: `const ${list} = ${values};\n`, count: `${list}.length`, value: (index) => `${list}[${index}]` };
}
