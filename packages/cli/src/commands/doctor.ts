/** `zany doctor`: compares all that a data folder holds with itself. */

import type * as ServiceModule from "@zany/service";
import { UsedWrongly } from "../files.js";
import { count, say, sayJson, style } from "../terminal.js";
import { serviceModule } from "./service-module.js";

export async function doctor(options: { readonly data: string; readonly json?: boolean }): Promise<number> {
  const { examine, CannotStart } = await serviceModule();
  try {
    const found = await examine(options.data);
    if (options.json) sayJson(found);
    else showExamination(found);
    return found.damages.length > 0 ? 1 : 0;
  } catch (error) {
    if (error instanceof CannotStart) throw new UsedWrongly(error.message);
    throw error;
  }
}

function showExamination({ machines, matches, steps, logbooks, damages }: ServiceModule.Examination): void {
  for (const { of, words } of damages) say(`${style("red", of)}: ${words}`);
  const looked =
    `${count(machines, "machine")}, ${count(matches, "match", "matches")} ` +
    `of ${count(steps, "step")}, ${count(logbooks, "logbook")}`;
  say(`${looked}: ${damages.length === 0 ? "no problems found" : count(damages.length, "problem")}.`);
}
