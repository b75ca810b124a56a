/** Notes that speak to one seat and tell a secret, although everybody reads them. */

import type { Messages } from "../../language/message.js";
import type { Machine, Statement } from "../machine.js";
import { CHOICE, Origins } from "../origins.js";
import { walkSecrets } from "../secrecy.js";
import { visitMachine } from "../visit.js";

/** What is said to one alone; to all of them it would be no secret. */
const TO_ONE = /\b(you|your|yours|yourself)\b/i;

export function checkToldToOne(machine: Machine, messages: Messages): void {
  const notes = new Map<string, Statement>();
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "note" && !s.audience && speaksToOne(s)) notes.set(`${s.from} ${s.to}`, s);
    },
  });
  if (notes.size === 0) return;
  walkSecrets(machine, new Origins(machine, { strict: true }), {
    place: ({ from, to }, origins) => {
      const key = `${from} ${to}`;
      const secret = origins.find((origin) => origin.visibility !== "public" && origin !== CHOICE);
      if (!secret || !notes.delete(key)) return;
      if (messages.list.some((m) => m.name === "secret-leak" && m.from < to && from < m.to)) return;
      messages.warning(
        "secret-leak",
        { from, to },
        `This note speaks to one seat, and everybody reads it: it tells of "${secret.name}", which not everybody ` +
          "may see.",
        'Say whom it is for: note to SEAT "...".',
      );
    },
  });
}

function speaksToOne({ text }: Statement & { readonly kind: "note" }): boolean {
  return text.kind === "text" && text.parts.some((part) => typeof part === "string" && TO_ONE.test(part));
}
