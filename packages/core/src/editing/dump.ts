/** What the compiler makes of a text on its way, for people who work on the compiler. */

import type { Machine } from "../check/machine.js";
import { describe, type Type } from "../check/types.js";
import { listing } from "../engine/code/listing.js";
import { Messages } from "../language/message.js";
import { parse } from "../language/parser/parser.js";
import { scan } from "../language/scanner.js";
import { Sources } from "../language/source.js";

/** The tokens of one file: place, kind and text, one a line. */
export function dumpTokens(text: string): string {
  const sources = new Sources();
  const tokens = scan(sources.add("", text), new Messages(), 0, text.length, true);
  return tokens
    .map(({ from, to, kind }) => {
      const { line, column } = sources.place(from);
      return `${`${line}:${column}`.padEnd(8)}${kind.padEnd(10)}${JSON.stringify(text.slice(from, to))}`;
    })
    .join("\n");
}

/** The syntax tree of one file, as JSON; spans are offsets. */
export function dumpTree(text: string): string {
  return JSON.stringify(parse(new Sources().add("", text), new Messages()), undefined, 2);
}

/** The typed machine, as JSON: slots and numbers for names, types in the language's words. */
export function dumpMachine(machine: Machine): string {
  const { sources: _sources, names: _names, ...rest } = machine;
  return JSON.stringify(
    rest,
    (key, value: unknown) => {
      if (key === "type" && typeof value === "object" && value !== null) return describe(value as Type);
      if (value instanceof Map) return Object.fromEntries(value);
      return value instanceof Set ? [...value] : value;
    },
    2,
  );
}

/** The JavaScript that is generated for a machine without errors. */
export function dumpCode(machine: Machine): string {
  return listing(machine)
    .map(({ name, code }) => `// ${name}\n${code}\n`)
    .join("\n");
}
