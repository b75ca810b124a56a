/** The examples as tests use them. */

import { readdirSync, readFileSync } from "node:fs";
import { compile, Runnable, renderMessage } from "@zany/core";

/** All machines of the Gale Fair. */
export const EXAMPLES = readdirSync(new URL("../../../examples", import.meta.url)).filter((name) => name.endsWith(".zany"));

export function exampleText(name: string): string {
  return readFileSync(new URL(`../../../examples/${name}`, import.meta.url), "utf8");
}

/** A machine ready to run; its messages when it is not. */
export function runnableOf(text: string): Runnable {
  const compilation = compile(text);
  if (!compilation.ok) throw new Error(compilation.messages.map((m) => renderMessage(compilation.sources, m)).join("\n\n"));
  return new Runnable(compilation.machine);
}

export function example(name: string): Runnable {
  return runnableOf(exampleText(name));
}

/** Those with a clock of their own, in which a day is many thousand steps. */
export const CLOCKED: readonly string[] = ["bell-tower.zany", "lantern-trails.zany"];
