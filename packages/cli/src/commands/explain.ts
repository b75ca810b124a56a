/** `zany explain`: what a message means. */

import { KINDS, pageOf } from "@zany/core";
import { UsedWrongly } from "../files.js";
import { say, style } from "../terminal.js";

export async function explain(name: string | undefined): Promise<number> {
  if (name === undefined) {
    const width = Math.max(...[...KINDS.keys()].map((k) => k.length));
    for (const kind of [...KINDS.values()].sort((a, b) => (a.name < b.name ? -1 : 1)))
      say(`${style(kind.severity === "error" ? "red" : "yellow", kind.name.padEnd(width))}  ${kind.title}`);
    return 0;
  }
  const kind = KINDS.get(name);
  if (!kind) {
    const near = [...KINDS.keys()].filter((k) => k.includes(name) || name.includes(k));
    throw new UsedWrongly(
      `There is no message "${name}".${
        near.length > 0 ? ` Did you mean ${near.join(" or ")}?` : ' "zany explain" ' + "lists them all."
      }`,
    );
  }
  say(pageOf(kind).trimEnd());
  return 0;
}
