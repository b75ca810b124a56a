/** Carries out the fixes that messages bring with them. */

import type { Fix, Message } from "./message.js";
import type { Sources } from "./source.js";

interface FixedTexts {
  /** The new texts of the files that changed, by name. */
  readonly texts: ReadonlyMap<string, string>;
  /** The messages whose fixes were carried out, in the order of the text. */
  readonly messages: readonly Message[];
}

/** Carries out every fix of some messages; of fixes that touch the same place only the first. */
export function applyFixes(sources: Sources, messages: readonly Message[]): FixedTexts {
  const done: Message[] = [];
  const edits: Fix["edits"][number][] = [];
  for (const message of messages) {
    const fix = message.fix?.edits ?? [];
    if (fix.length === 0 || fix.some((edit) => edits.some((other) => edit.from <= other.to && other.from <= edit.to)))
      continue;
    edits.push(...fix);
    done.push(message);
  }
  const texts = new Map<string, string>();
  for (const { name, text, base } of sources.files) {
    const own = edits
      .filter((edit) => edit.from >= base && edit.to <= base + text.length)
      .sort((a, b) => b.from - a.from);
    if (own.length === 0) continue;
    texts.set(
      name,
      own.reduce((now, edit) => now.slice(0, edit.from - base) + edit.text + now.slice(edit.to - base), text),
    );
  }
  return { texts, messages: done };
}
