/** Dice for secrets: what not everybody may see is not rolled with dice that everybody sees. */

import type { Messages } from "../../language/message.js";
import type { Machine } from "../machine.js";
import { CHOICE, Origins } from "../origins.js";
import { walkSecrets } from "../secrecy.js";

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
