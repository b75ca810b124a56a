/** Laws that the text itself breaks: writes and arrows where a law allows none, conditions that never hold at rest. */

import type { Messages } from "../../language/message.js";
import type { ChangeWay } from "../../language/syntax.js";
import type { Machine, Statement } from "../machine.js";
import type { Findings } from "../reason/findings.js";
import { isInside } from "../tree.js";

export function checkLaws(found: Findings, messages: Messages): void {
  const { machine } = found;
  for (const law of machine.laws) {
    const stands = { from: law.from, to: law.to, words: `The law "${law.words}" stands here.` };
    const names = "states" in law ? law.states.map((id) => machine.states[id]?.name).join(", ") : "";
    if (law.form === "changes") {
      for (const [statement, { target, leaves }] of found.written) {
        if (!target.watched.includes(law.id) || !goes(statement, law.way)) continue;
        const outside = [...leaves].find(
          (leaf) => !law.states.some((id) => isInside(machine, leaf, id)) && !isOverlay(machine, leaf),
        );
        if (outside !== undefined) {
          messages.warning(
            "change-outside-phase",
            statement,
            `"${law.path}" ${law.way} here in "${machine.states[outside]?.name}", but by the law only in ${names}.`,
            "Move the change into its phase, or name this state in the law.",
            stands,
          );
        }
      }
    } else if (law.form === "entered") {
      for (const { arrow, from, to } of found.moves) {
        if (!("state" in to) || !isInside(machine, to.state, law.target) || isInside(machine, from, law.target))
          continue;
        if (law.states.some((id) => isInside(machine, from, id)) || isOverlay(machine, from)) continue;
        messages.warning(
          "law-broken",
          arrow,
          `This enters "${machine.states[law.target]?.name}" from "${machine.states[from]?.name}", but it may be ` +
            `entered only from ${names}.`,
          "Lead here another way, or name this state in the law.",
          stands,
        );
      }
    } else {
      const leaf = found.brokenLaws.get(law);
      if (leaf !== undefined)
        messages.warning(
          "law-broken",
          law,
          `This law can never hold in "${machine.states[leaf]?.name}": a match that comes there stops with a fault.`,
          "Look at what is true in that state, and fix the law or the machine.",
        );
    }
  }
}

/** Under an overlay what lies below is still active; where that is, is not followed. */
function isOverlay(machine: Machine, leaf: number): boolean {
  for (let id = leaf; id > 0; id = machine.states[id]?.parent ?? -1)
    if (machine.states[id]?.kind === "overlay") return true;
  return false;
}

/** Whether a write surely goes the way a law speaks of; of one that may go either way nothing is said. */
function goes(statement: Statement, way: ChangeWay): boolean {
  if (way === "changes") return true;
  if (statement.kind !== "assign" || statement.op === "=" || statement.value.type.kind !== "int") return false;
  const { low, high } = statement.value.type;
  const up = (statement.op === "+=") === (way === "rises");
  return up ? low > 0 : high < 0;
}
