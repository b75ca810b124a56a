/** The JavaScript that is generated for a machine, piece by piece, for people to read. */

import type { Block, Machine } from "../../check/machine.js";
import { Memory } from "../situation/memory.js";
import { Expressions } from "./expressions.js";
import { Generator } from "./generator.js";
import { CodeScope } from "./scope.js";
import { Statements } from "./statements.js";

/** A function, an effect, or a block of a state, and its code. */
export interface ListedCode {
  readonly name: string;
  readonly code: string;
}

/** Everything of a machine that has a block or a body, in text order; the machine must have no errors. */
export function listing(machine: Machine): ListedCode[] {
  const expressions = new Expressions(machine, new Memory(machine), () => false);
  const generator = new Generator(new Statements(expressions));
  const listed: ListedCode[] = [];
  const add = (name: string, block: Block | undefined): void => {
    if (block && block.statements.length > 0)
      listed.push({ name, code: generator.blockCode(block, new CodeScope()).trimEnd() });
  };
  for (const { name, parameters, body } of machine.functions) {
    const scope = new CodeScope();
    const taken = parameters.map(({ slot }) => scope.add(slot)).join(", ");
    listed.push({ name: `function ${name}(${taken})`, code: generator.expression(body, scope) });
  }
  for (const { name, parameters, body } of machine.effects) {
    const scope = new CodeScope();
    const taken = parameters.map(({ slot }) => scope.add(slot)).join(", ");
    listed.push({ name: `effect ${name}(${taken})`, code: generator.blockCode(body, scope).trimEnd() });
  }
  for (const state of machine.states) {
    const items: readonly (readonly [string, readonly { readonly block?: Block | undefined }[]])[] = [
      ["enter", state.enters],
      ["exit", state.exits.map((block) => ({ block }))],
      ...state.actions.map((action) => [`action ${action.name}`, [action]] as const),
      ["after", state.timers],
      ["on", state.listeners],
      ["when", state.whens],
    ];
    for (const [word, blocks] of items)
      for (const [i, { block }] of blocks.entries())
        add(`${state.name}: ${word}${blocks.length > 1 ? ` ${i + 1}` : ""}`, block);
  }
  return listed;
}
