/** `zany format`: formats machines in place, or says which would change. */

import { format as formatted } from "@zany/core";
import { readText, UsedWrongly, writeText } from "../files.js";
import { count, say } from "../terminal.js";

export async function format(files: readonly string[], options: { readonly check?: boolean }): Promise<number> {
  if (files.includes("-")) {
    if (files.length > 1 || options.check) throw new UsedWrongly("Standard input is formatted alone, and printed.");
    process.stdout.write(formatted(readText("-")));
    return 0;
  }
  const changed = files.filter((file) => {
    const text = readText(file);
    const next = formatted(text);
    if (next === text) return false;
    if (!options.check) writeText(file, next);
    return true;
  });
  for (const file of changed) say(`${options.check ? "would change" : "formatted"}  ${file}`);
  if (changed.length === 0) say(`${count(files.length, "file")} well formatted`);
  return options.check && changed.length > 0 ? 1 : 0;
}
