/** Loads the Gale Fair: the examples' machines, older versions first, and their logbooks. */

import { existsSync, readdirSync, readFileSync } from "node:fs";
import { basename, join } from "node:path";
import type { Logbooks } from "./logbooks.js";
import type { Machines } from "./machines.js";

/** Stores what is not stored yet; loading twice changes nothing. */
export async function loadDemo(folder: string, machines: Machines, logbooks: Logbooks): Promise<void> {
  const parts = Object.fromEntries(
    filesIn(join(folder, "shared"), ".zany").map((file) => [`shared/${basename(file)}`, readFileSync(file, "utf8")]),
  );
  for (const file of [...filesIn(join(folder, "older"), ".zany"), ...filesIn(folder, ".zany")])
    await machines.add(Buffer.from(JSON.stringify({ text: readFileSync(file, "utf8"), parts })));
  const known = await logbooks.names();
  for (const file of filesIn(join(folder, "logbooks"), ".jsonl")) {
    if (!known.has(basename(file))) await logbooks.add([readFileSync(file)], basename(file));
  }
}

function filesIn(folder: string, ending: string): string[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((name) => name.endsWith(ending))
    .sort()
    .map((name) => join(folder, name));
}
