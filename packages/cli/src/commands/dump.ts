/** `zany dump`: what the compiler makes of a machine, step by step. */

import { dumpCode, dumpMachine, dumpTokens, dumpTree } from "@zany/core";
import { compileFile, readText, UsedWrongly } from "../files.js";
import { say } from "../terminal.js";
import { understood } from "./understood.js";

interface Shown {
  readonly tokens?: boolean;
  readonly tree?: boolean;
  readonly machine?: boolean;
  readonly code?: boolean;
}

export async function dump(file: string, shown: Shown): Promise<number> {
  if (Object.keys(shown).length !== 1)
    throw new UsedWrongly("Say what to show, one of --tokens, --tree, --machine and --code.");
  if (shown.tokens || shown.tree) {
    const text = readText(file);
    say(shown.tokens ? dumpTokens(text) : dumpTree(text));
    return 0;
  }
  const compilation = compileFile(file, { errorsOnly: true });
  if (!understood(compilation, file)) return 1;
  if (shown.code && !compilation.ok) return 1;
  say(shown.code ? dumpCode(compilation.machine) : dumpMachine(compilation.machine));
  return compilation.ok ? 0 : 1;
}
