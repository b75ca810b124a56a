/** From text to a machine: the one door to the language and the checker. */

import { check } from "./check/check.js";
import type { Machine } from "./check/machine.js";
import { type Message, Messages } from "./language/message.js";
import { parse } from "./language/parser/parser.js";
import { Sources } from "./language/source.js";

export interface Compilation {
  /** The typed machine; it may be run only when `ok`. */
  readonly machine: Machine;
  readonly messages: readonly Message[];
  readonly sources: Sources;
  /** True when no message is an error. */
  readonly ok: boolean;
}

/** The longest text that is compiled, in UTF-16 units. */
const MAX_TEXT = 2_000_000;

/**
 * Compiles the text of a machine.
 *
 * @param text the whole file
 * @param name the file's name, for messages
 * @returns the typed machine and all messages in text order; never throws for a bad text
 */
export function compile(text: string, name = "machine.zany"): Compilation {
  const sources = new Sources();
  const messages = new Messages();
  const tooLong = text.length > MAX_TEXT;
  const file = sources.add(name, tooLong ? "" : text);
  if (tooLong) messages.error("too-large", { from: 0, to: 1 }, `This text is longer than ${MAX_TEXT} characters.`, "Split the machine.");
  const machine = check(parse(file, messages), sources, messages);
  return { machine, messages: messages.sorted(), sources, ok: !messages.failed };
}
