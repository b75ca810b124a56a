/** What texts from anybody are put through, in a worker: each a function of plain data. */

import { isUtf8 } from "node:buffer";
import type { MachineReport, MessageInfo, Parts, NewMachine } from "@zany/client/api";
import {
  type Compilation,
  compile,
  descriptionOf,
  type FindPart,
  type Message,
  NotALogbook,
  type Outcome,
  type PortableMachine,
  readLogbook,
  Runnable,
  runTests,
  type Severity,
  toPortable,
  type Verdict,
  verifyText,
} from "@zany/core";
import { notJson, notUtf8, Problem } from "../problems.js";
import { newMachine, valid } from "../validation.js";

/** A machine's text and the files it includes. */
export interface MachineText {
  readonly text: string;
  readonly parts: Parts;
}

/** What a request to store a machine comes to. */
type AskedMachine =
  /** It is not well formed: the parts of a Problem. */
  | {
      readonly problem: {
        readonly status: number;
        readonly code: string;
        readonly words: string;
        readonly more: object;
      };
    }
  | {
      readonly messages: readonly MessageInfo[];
      /** What it is stored as; undefined when it does not compile. */
      readonly machine?: MachineText & {
        readonly name: string;
        readonly hash: string;
        readonly rules: string;
        readonly words: string;
      };
    };

/** What is kept of a logbook besides its text; words when it is none. */
type ReadLogbook =
  | { readonly machine: { name: string; hash: string }; readonly steps: number; readonly outcome: Outcome | null }
  | { readonly words: string };

/** The tasks by their names. What is a long text comes last, piece by piece, as its bytes. */
export interface Tasks {
  /** @param body of the request, as it came */
  compile(body: Uint8Array): AskedMachine;
  /** What is told of a machine in lists; undefined when it does not compile in this version. */
  report(machine: MachineText): MachineReport | undefined;
  /** The machine, made ready to be run by another thread; undefined when it does not compile in this version. */
  prepare(machine: MachineText): PortableMachine | undefined;
  read(nothing: undefined, text: string): ReadLogbook;
  /**
   * Undefined when the machine does not compile in this version. With the version the match was played on, the rule
   * that is responsible is known, not guessed.
   */
  verify(machine: MachineText & { readonly playedOn?: MachineText }, text: string): Verdict | undefined;
}

export const TASKS: Tasks = {
  compile(body) {
    let asked: Required<NewMachine>;
    try {
      asked = valid(newMachine, jsonOf(body));
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      const { status, code, message, more } = error;
      return { problem: { status, code, words: message, more } };
    }
    const compilation = compileWith(asked);
    const messages = compilation.messages.map((m) => messageJson(compilation, m));
    if (!compilation.ok) return { messages };
    const { hash, rules } = new Runnable(compilation.machine);
    const { text, words } = asked;
    return {
      messages,
      machine: { name: compilation.machine.name, hash, rules, words, text, parts: compilation.parts },
    };
  },

  report({ text, parts }) {
    const { machine, messages, ok } = compile(text, undefined, partsIn(parts));
    if (!ok) return undefined;
    const count = (severity: Severity): number => messages.filter((m) => m.severity === severity).length;
    const passed = runTests(new Runnable(machine)).filter((test) => test.ok).length;
    const { least, names } = machine.seats;
    return {
      description: descriptionOf(text),
      warnings: count("warning"),
      hints: count("hint"),
      tests: { passed, failed: machine.tests.length - passed },
      seats: { least, most: names.length },
      states: machine.states.length - 1,
    };
  },

  prepare(text) {
    const { ok, machine } = compileWith(text);
    return ok ? toPortable(machine) : undefined;
  },

  read(_, text) {
    try {
      const { header, steps, closing } = readLogbook(text);
      const { name, hash } = header.machine;
      return { machine: { name, hash }, steps: Math.max(0, steps.length - 1), outcome: closing?.result ?? null };
    } catch (error) {
      if (error instanceof NotALogbook) return { words: error.message };
      throw error;
    }
  },

  verify(machine, text) {
    const runnable = runnableOf(machine);
    return runnable && verifyText(runnable, text, { playedOn: machine.playedOn && runnableOf(machine.playedOn) });
  },
};

/** Machines that logbooks were verified on last: mostly many are, one after the other. */
const runnables = new Map<string, Runnable>();
const MOST_RUNNABLES = 4;

/** A machine ready to run; undefined when it does not compile in this version. */
function runnableOf(text: MachineText): Runnable | undefined {
  const key = JSON.stringify([text.text, text.parts]);
  const known = runnables.get(key);
  if (known) return known;
  const compilation = compileWith(text);
  if (!compilation.ok) return undefined;
  if (runnables.size >= MOST_RUNNABLES) runnables.clear();
  const runnable = new Runnable(compilation.machine);
  runnables.set(key, runnable);
  return runnable;
}

/** @throws Problem 400 */
function jsonOf(body: Uint8Array): unknown {
  if (!isUtf8(body)) throw notUtf8();
  try {
    return JSON.parse(
      Buffer.from(body)
        .toString("utf8")
        .replace(/^\ufeff/, ""),
    );
  } catch (error) {
    throw notJson(error instanceof Error ? error.message : "");
  }
}

/** Warnings take reasoning, which whoever stores a machine has done or does in the console. */
export function compileWith({ text, parts }: MachineText): Compilation {
  return compile(text, undefined, partsIn(parts), { errorsOnly: true });
}

function partsIn(parts: Parts): FindPart {
  return (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined);
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
