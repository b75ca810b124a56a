/** A compiled machine as plain data, so that one thread can compile it and another run it (`structuredClone`). */

import { Sources } from "../language/source.js";
import type { Machine } from "./machine.js";
import { NameIndex } from "./names.js";

/** All that running it takes: where names are declared and used, which editors ask, stays behind. */
export interface PortableMachine extends Omit<Machine, "sources" | "names"> {
  readonly files: readonly { readonly name: string; readonly text: string }[];
}

export function toPortable({ sources, names: _, ...rest }: Machine): PortableMachine {
  return { ...rest, files: sources.files.map(({ name, text }) => ({ name, text })) };
}

/** The machine again. What is one object in the one is one object in the other. */
export function fromPortable({ files, ...rest }: PortableMachine): Machine {
  const sources = new Sources();
  for (const { name, text } of files) sources.add(name, text);
  return { ...rest, sources, names: new NameIndex() };
}
