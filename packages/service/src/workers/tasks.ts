/** What texts from anybody are put through, in a worker: each a function of plain data. */

import type { MessageInfo, Parts } from "@zany/client/api";
import {
  type Compilation,
  compile,
  type Message,
  NotALogbook,
  type Outcome,
  type PortableMachine,
  readLogbook,
  Runnable,
  toPortable,
  type Verdict,
  verifyText,
} from "@zany/core";

/** A machine's text and the files it includes. */
export interface MachineText {
  readonly text: string;
  readonly parts: Parts;
}

/** What a machine's text comes to. */
interface CompiledMachine {
  readonly messages: readonly MessageInfo[];
  /** What it is stored as; undefined when it does not compile. */
  readonly machine?: { readonly name: string; readonly hash: string; readonly rules: string; readonly parts: Parts };
}

/** What is kept of a logbook besides its text; words when it is none. */
type ReadLogbook =
  | { readonly machine: { name: string; hash: string }; readonly steps: number; readonly outcome: Outcome | null }
  | { readonly words: string };

/** The tasks by their names. */
export interface Tasks {
  compile(machine: MachineText): CompiledMachine;
  /** The machine, made ready to be run by another thread; undefined when it does not compile in this version. */
  prepare(machine: MachineText): PortableMachine | undefined;
  read(text: string): ReadLogbook;
  verify(task: { readonly machine: MachineText; readonly text: string }): Verdict | undefined;
}

export const TASKS: Tasks = {
  compile({ text, parts }) {
    const compilation = compileWith({ text, parts });
    const messages = compilation.messages.map((m) => messageJson(compilation, m));
    if (!compilation.ok) return { messages };
    const { hash, rules } = new Runnable(compilation.machine);
    return { messages, machine: { name: compilation.machine.name, hash, rules, parts: compilation.parts } };
  },

  prepare(text) {
    const { ok, machine } = compileWith(text);
    return ok ? toPortable(machine) : undefined;
  },

  read(text) {
    try {
      const { header, steps, closing } = readLogbook(text);
      const { name, hash } = header.machine;
      return { machine: { name, hash }, steps: Math.max(0, steps.length - 1), outcome: closing?.result ?? null };
    } catch (error) {
      if (error instanceof NotALogbook) return { words: error.message };
      throw error;
    }
  },

  /** Undefined when the machine does not compile in this version. */
  verify({ machine, text }) {
    const compilation = compileWith(machine);
    return compilation.ok ? verifyText(new Runnable(compilation.machine), text) : undefined;
  },
};

/** Warnings take reasoning, which whoever stores a machine has done or does in the console. */
export function compileWith({ text, parts }: MachineText): Compilation {
  return compile(text, undefined, (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined), {
    errorsOnly: true,
  });
}

/** A message with places instead of positions, as clients get it. */
function messageJson(compilation: Compilation, message: Message): MessageInfo {
  const { from, to, related, ...rest } = message;
  const start = compilation.sources.place(from);
  const end = compilation.sources.place(to);
  return {
    ...rest,
    file: start.file,
    line: start.line,
    column: start.column,
    endLine: end.line,
    endColumn: end.column,
    ...(related && { related: { words: related.words, line: compilation.sources.place(related.from).line } }),
  };
}
