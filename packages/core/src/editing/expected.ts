/**
 * What can be written at a place of a test, a policy, a law or of dice, and who may see a datum: of these it is the
 * words before, on the same line, that say what comes next. Everything else is told by the names that are open there.
 */

import type { Machine } from "../check/machine.js";
import type { Token } from "../language/scanner.js";
import { WORDS, wordsOf } from "../language/words.js";
import { BUILT_INS } from "../check/builtins.js";

export interface Completion {
  readonly name: string;
  readonly kind: "value" | "field" | "state" | "signal" | "type" | "word" | "function";
  readonly detail: string;
}

/** What a place asks for. */
export interface Expected {
  readonly items: readonly Completion[];
  /** Nothing else can stand there, but names. */
  readonly alone: boolean;
}

/**
 * The completions that the place asks for by itself.
 *
 * @param before the tokens before the word at the cursor, comments left out
 * @returns undefined where it is none of these places
 */
export function expectedAt(machine: Machine, before: readonly Token[], lineStart: number): Expected | undefined {
  const dice = ofDice(machine, before);
  if (dice) return { items: dice, alone: true };
  const around = aroundOf(before);
  if (around === undefined) return undefined;
  const line = before.filter((t) => t.from >= lineStart).map((t) => t.text);
  // What stands on the line of the braces, up to them, belongs to what is around.
  const words = line.slice(line.lastIndexOf("{") + 1);
  switch (around) {
    case "test":
      return { items: inTest(machine, words), alone: true };
    case "policy":
      return { items: inPolicy(machine, words), alone: true };
    case "effect":
      return { items: words.length === 0 ? [wordOf("return", "what the effect gives")] : [], alone: false };
    case "law":
      return { items: inLaw(line), alone: true };
    case "data":
      return { items: words.length === 0 ? [wordOf("private"), wordOf("hidden")] : [], alone: words.length === 0 };
  }
}

/** Behind "private" or "hidden" outside of everything, and behind the name of a stream; undefined for other places. */
function ofDice(machine: Machine, before: readonly Token[]): Completion[] | undefined {
  const [name, last] = before.slice(-2).map((t) => t.text);
  const depth = before.reduce(
    (d, { kind, text }) => d + (kind === "mark" ? Number(text === "{") - Number(text === "}") : 0),
    0,
  );
  if (depth === 0 && (last === "private" || last === "hidden")) return [wordOf("dice")];
  if (last !== "." || !machine.streams.some((stream) => stream.name === name)) return undefined;
  return ["roll", "chance", "pick", "shuffle"].map((call) => ({
    name: call,
    kind: "function",
    detail: BUILT_INS.get(call)?.words ?? "",
  }));
}

type Around = "test" | "policy" | "law" | "effect" | "data";

/** The declaration around the end of some tokens, when it is one of those that are asked here. */
function aroundOf(before: readonly Token[]): Around | undefined {
  const opened: (Around | undefined)[] = [];
  let heading: string[] = [];
  for (const { kind, text } of before) {
    if (kind === "mark" && text === "{") {
      opened.push(opened.length === 0 ? declaredBy(heading) : undefined);
      heading = [];
    } else if (kind === "mark" && text === "}") {
      opened.pop();
      heading = [];
    } else heading.push(text);
  }
  if (opened.length === 1) return opened[0];
  const law = heading.lastIndexOf("law");
  return opened.length === 0 && law >= 0 && heading.length > law + 1 ? "law" : undefined;
}

/** The last declaration that a heading begins: what stands before it, on lines of its own, has no braces. */
function declaredBy(heading: readonly string[]): Around | undefined {
  if (heading.at(-2) === "test") return "test";
  if (heading.at(-2) === "policy") return "policy";
  if (heading.at(-1) === "data") return "data";
  // Only an effect with a type gives a value.
  const effect = heading.lastIndexOf("effect");
  return effect >= 0 && heading.lastIndexOf(":") > heading.lastIndexOf(")") && heading.includes(")")
    ? "effect"
    : undefined;
}

function inTest(machine: Machine, words: readonly string[]): Completion[] {
  const seats = machine.seats.names.map((name): Completion => ({ name, kind: "value", detail: "a seat" }));
  const actions = actionsOf(machine);
  const [first = "", ...rest] = words;
  const last = words.at(-1);
  if (words.length === 0)
    return [...seats, ...[...wordsOf("test"), "event", "open", "seats"].map((word) => wordOf(word))];
  if (machine.seats.names.includes(first) && rest.length === 0) return [...actions, wordOf("joins"), wordOf("leaves")];
  if (first === "event" && rest.length === 0)
    return machine.signals
      .filter((s) => s.origin === "event")
      .map(({ name }) => ({ name, kind: "signal", detail: "" }));
  if (first === "open" && rest.length === 0) return seats;
  if (first === "at" && rest.length === 0)
    return machine.states.filter((s) => s.id > 0).map(({ name, kind }) => ({ name, kind: "state", detail: kind }));
  if (first !== "expect") return [];
  if (last === "ending") return machine.endings.map(({ name }) => ({ name, kind: "state", detail: "an ending" }));
  if (last === "open" || last === "closed") return seats;
  if (machine.seats.names.includes(last ?? "")) {
    const asked = words.at(-2);
    if (asked === "open" || asked === "closed") return actions;
    return ["wins", "loses", "draws", "none", "rank", "score"].map((word) => wordOf(word));
  }
  return last === "expect" || last === ","
    ? [...seats, ...["ending", "turn", "open", "closed", "note", "in", "not"].map((word) => wordOf(word))]
    : [];
}

function inPolicy(machine: Machine, words: readonly string[]): Completion[] {
  if (words.length === 0) return [wordOf("when"), wordOf("else")];
  return words.at(-1) === ":" ? [...actionsOf(machine), wordOf("wait", "does nothing until something happens")] : [];
}

function inLaw(line: readonly string[]): Completion[] {
  const last = line.at(-1);
  if (last === "changes" || last === "falls" || last === "rises") return [wordOf("only")];
  if (last === "only") return [wordOf(line.at(-2) === "entered" ? "from" : "in")];
  // Behind a path, or the name of a state.
  if (last !== undefined && /^[A-Za-z_]\w*$/.test(last) && line.length > 3 && !WORDS.get(last)?.reserved)
    return ["changes", "falls", "rises", "entered"].map((word) => wordOf(word));
  return [];
}

function actionsOf(machine: Machine): Completion[] {
  const names = new Set(machine.actions.map((a) => a.name));
  return [...names].map((name) => ({ name, kind: "function", detail: "an action" }));
}

/** @param detail what it means here, where the language's table says what it means elsewhere */
function wordOf(name: string, detail?: string): Completion {
  return { name, kind: "word", detail: detail ?? WORDS.get(name)?.words ?? "" };
}
