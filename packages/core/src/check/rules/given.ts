/** What a test is given and the machine sets at once: the test then begins with something else than it says. */

import type { Messages } from "../../language/message.js";
import type { Block, Location, Machine, Statement, TestLine } from "../machine.js";

export function checkGiven(machine: Machine, messages: Messages): void {
  for (const test of machine.tests) {
    const at = test.lines.find((line): line is TestLine & { kind: "at" } => line.kind === "at");
    const writes = enteredFirst(machine, at?.state ?? 0).flatMap((block) => setIn(machine, block));
    for (const line of test.lines) {
      if (line.kind !== "given") continue;
      for (const { target } of line.values) {
        const write = writes.find((w) => covers(w.target, target));
        if (!write) continue;
        const path = machine.sources.text(target);
        messages.warning(
          "given-overwritten",
          target,
          `"${path}" is set again before the first step, so the test does not begin with what is given here.`,
          "Leave it out, or begin behind that: at STATE.",
          { from: write.from, to: write.to, words: "It is set here when the match begins." },
        );
      }
    }
  }
}

/** What `enter` does in the states that are entered when a match begins in a state, the outermost first. */
function enteredFirst(machine: Machine, begun: number): Block[] {
  const chain: number[] = [];
  const overlay = machine.states[begun]?.kind === "overlay";
  for (let id = overlay ? 0 : begun; id >= 0; id = machine.states[id]?.parent ?? -1) chain.unshift(id);
  for (let id = machine.states[chain.at(-1) ?? 0]?.start ?? -1; id >= 0; id = machine.states[id]?.start ?? -1)
    chain.push(id);
  return chain.flatMap((id) => (machine.states[id]?.enters ?? []).flatMap(({ block }) => (block ? [block] : [])));
}

/** The places that a block always sets anew, in the effects it calls too. */
function setIn(machine: Machine, block: Block, depth = 0): (Statement & { kind: "assign" })[] {
  if (depth > 8) return [];
  return block.statements.flatMap((s) => {
    if (s.kind === "assign") return s.op === "=" ? [s] : [];
    const called = s.kind === "call" ? machine.effects[s.effect] : undefined;
    return called ? setIn(machine, called.body, depth + 1) : [];
  });
}

/** Whether setting one place sets all of another. Of indices nothing is said: it may be another element. */
function covers(written: Location, given: Location): boolean {
  if (written.base.kind !== "data" || given.base.kind !== "data" || written.base.slot !== given.base.slot) return false;
  return written.path.every((step, i) => {
    const other = given.path[i];
    return step.kind === "field" && other?.kind === "field" && step.field === other.field;
  });
}
