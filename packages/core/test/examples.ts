/** The examples as tests use them. */

import { existsSync, readdirSync, readFileSync } from "node:fs";
import { compile, type FindPart, Runnable, renderMessage } from "@zany/core";

const FOLDER = new URL("../../../examples/", import.meta.url);

/** Finds what the examples include. */
export const findPart: FindPart = (path) => {
  const file = new URL(path, FOLDER);
  return existsSync(file) ? readFileSync(file, "utf8") : undefined;
};

/** All machines of the Gale Fair. */
export const EXAMPLES = readdirSync(FOLDER).filter((name) => name.endsWith(".zany"));

export function exampleText(name: string): string {
  return readFileSync(new URL(name, FOLDER), "utf8");
}

/** A machine ready to run; its messages when it is not. */
export function runnableOf(text: string): Runnable {
  const compilation = compile(text, "machine.zany", findPart, { errorsOnly: true });
  if (!compilation.ok)
    throw new Error(compilation.messages.map((m) => renderMessage(compilation.sources, m)).join("\n\n"));
  return new Runnable(compilation.machine);
}

export function example(name: string): Runnable {
  return runnableOf(exampleText(name));
}

/** Those with a clock of their own, in which a day is many thousand steps. */
export const CLOCKED: readonly string[] = ["bell-tower.zany", "lantern-trails.zany", "kite-volleys.zany"];
