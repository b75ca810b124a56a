/** Dice for secrets: what not everybody may see is rolled with dice of its own, and what they roll stays with them. */

import type { Messages } from "../../language/message.js";
import type { Expr, Location, Machine } from "../machine.js";
import { CHOICE, Origins } from "../origins.js";
import { walkSecrets } from "../secrecy.js";
import { visitMachine } from "../visit.js";

export function checkDice(machine: Machine, messages: Messages): void {
  const told = new Set<number>();
  const tell = (at: { from: number; to: number }, words: string, help: string): void => {
    if (told.has(at.from)) return;
    told.add(at.from);
    messages.error("public-roll", at, words, help);
  };
  walkSecrets(machine, new Origins(machine, { strict: true }), {
    place: () => {},
    write: (field, origins) => {
      for (const { visibility, roll } of origins)
        if (roll && visibility === "public")
          tell(
            roll,
            `"${field.name}" is ${field.visibility}, but this is rolled with dice that everybody sees.`,
            `Declare dice for it at the top of the file, ${field.visibility} dice NAME, and roll those: ` +
              `NAME.${machine.sources.written(roll)}.`,
          );
    },
    roll: (e, control) => {
      if (!("stream" in e) || !control.includes(CHOICE)) return;
      if (machine.streams.find((s) => s.slot === e.stream)?.visibility !== "public") return;
      tell(
        e,
        "A sealed action does not tell what was done, but everybody sees these dice.",
        `Declare dice that only the seat sees, private dice NAME, and roll those: NAME.${machine.sources.written(e)}.`,
      );
    },
  });
}

/** What is rolled with dice that not everybody sees, and put at once where everybody sees it. */
export function checkShownRolls(machine: Machine, messages: Messages): void {
  const origins = new Origins(machine, { strict: false });
  const shown = (target: Location, value: Expr | undefined): void => {
    const roll = value && secretRollIn(machine, value);
    const { name, visibility } = origins.fieldAt(target.base) ?? {};
    if (!roll || visibility !== "public") return;
    messages.warning(
      "shown-roll",
      roll,
      `These dice are ${machine.streams.find((s) => s.slot === streamOf(roll))?.visibility}, but everybody sees what ` +
        `they roll in "${name}".`,
      `Let "${name}" be seen by those who may see the dice; or roll plain dice, when everybody may see it.`,
    );
  };
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "assign" && s.op === "=") shown(s.target, s.value);
      if (s.kind === "change" && (s.method === "push" || s.method === "insert")) shown(s.target, s.args.at(-1));
    },
  });
}

/** The roll of dice that not everybody sees which an expression is, or which stands in the list that it is. */
function secretRollIn(machine: Machine, e: Expr): Expr | undefined {
  if (e.kind === "list") return e.items.map((item) => secretRollIn(machine, item)).find((roll) => roll !== undefined);
  const stream = streamOf(e);
  const dice = machine.streams.find(({ slot }) => slot === stream);
  return dice && dice.visibility !== "public" ? e : undefined;
}

function streamOf(e: Expr): number | undefined {
  return "stream" in e ? e.stream : undefined;
}
