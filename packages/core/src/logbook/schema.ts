/**
 * What the lines of a logbook must be, member by member (docs/logbook.md). Logbooks come from anywhere: whatever reads
 * one asks here first, and tells what is wrong with line and member.
 */

import {
  type ClosingLine,
  type Header,
  LAST_READERS,
  LOGBOOK_FORMAT,
  type RefusedLine,
  type StepLine,
  type LineInput,
} from "./format.js";

/** How many members an object of named values may have. */
const MOST_MEMBERS = 1_000;
/** How deep a value may be nested; the language has no types that come near. */
const DEEPEST = 64;

/** Why a value is not what it must be, such as `"notes/0" is null, and must be a text`; undefined when it is. */
type Check = (value: unknown, path: string) => string | undefined;

function wrong(path: string, value: unknown, wanted: string): string {
  const is = value === undefined ? "is missing" : `is ${shown(value)}`;
  return `"${path}" ${is}, and must be ${wanted}`;
}

function shown(value: unknown): string {
  if (Array.isArray(value)) return "a list";
  if (value !== null && typeof value === "object") return "an object";
  const text = JSON.stringify(value);
  return text.length > 40 ? `${text.slice(0, 37)}...` : text;
}

const text: Check = (value, path) => (typeof value === "string" ? undefined : wrong(path, value, "a text"));

const whole: Check = (value, path) =>
  Number.isSafeInteger(value) && (value as number) >= 0 ? undefined : wrong(path, value, "a whole number from 0 on");

const number: Check = (value, path) => (typeof value === "number" ? undefined : wrong(path, value, "a number"));

const time: Check = (value, path) =>
  typeof value === "string" &&
  /^[+-]?\d{4,6}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/.test(value) &&
  !Number.isNaN(Date.parse(value))
    ? undefined
    : wrong(path, value, "a time such as 2026-06-01T10:00:00.000Z");

/** Any JSON value that is not nested beyond all use. */
const json: Check = (value, path) =>
  value === undefined ? wrong(path, value, "a value") : isDeep(value, 0) ? `"${path}" is nested too deep` : undefined;

function isDeep(value: unknown, depth: number): boolean {
  if (value === null || typeof value !== "object") return false;
  if (depth >= DEEPEST) return true;
  for (const part of Object.values(value)) if (isDeep(part, depth + 1)) return true;
  return false;
}

function one(...values: readonly (string | boolean)[]): Check {
  const wanted = values.map((value) => JSON.stringify(value)).join(" or ");
  return (value, path) => (values.includes(value as string) ? undefined : wrong(path, value, wanted));
}

function either(wanted: string, ...checks: readonly Check[]): Check {
  return (value, path) =>
    checks.some((check) => check(value, path) === undefined) ? undefined : wrong(path, value, wanted);
}

const nothing: Check = (value, path) => (value === null ? undefined : wrong(path, value, "null"));

function optional(check: Check): Check {
  return (value, path) => (value === undefined ? undefined : check(value, path));
}

function list(check: Check): Check {
  return (value, path) => {
    if (!Array.isArray(value)) return wrong(path, value, "a list");
    for (const [i, item] of value.entries()) {
      if (check(item, path) !== undefined) return check(item, `${path}/${i}`);
    }
    return undefined;
  };
}

/** An object with these members. Others may be there: a later version of the same format can tell more. */
function object(members: Readonly<Record<string, Check>>): Check {
  const all = Object.entries(members);
  return (value, path) => {
    if (!isObject(value)) return wrong(path, value, "an object");
    for (const [name, check] of all) {
      const member = Object.hasOwn(value, name) ? value[name] : undefined;
      // Nearly all are right: where something is wrong is put into words only when something is.
      if (check(member, name) !== undefined) return check(member, path === "" ? name : `${path}/${name}`);
    }
    return undefined;
  };
}

/** An object whose members are all of one kind. */
function named(check: Check): Check {
  return (value, path) => {
    if (!isObject(value)) return wrong(path, value, "an object");
    let count = 0;
    for (const name in value) {
      if (++count > MOST_MEMBERS) return `"${path}" has more than ${MOST_MEMBERS} members`;
      const found = check(value[name], `${path}/${name}`);
      if (found !== undefined) return found;
    }
    return undefined;
  };
}

function isObject(value: unknown): value is Record<string, unknown> {
  return value !== null && typeof value === "object" && !Array.isArray(value);
}

// ---- the lines -------------------------------------------------------------------------------------

const HEADER = object({
  zany: one("logbook"),
  format: whole,
  machine: object({ name: text, hash: text, rules: text }),
  seed: text,
  seats: list(text),
  open: optional(list(text)),
  given: optional(
    object({
      data: optional(list(object({ path: text, value: json }))),
      state: optional(object({ name: text, args: optional(named(json)) })),
    }),
  ),
  from: optional(object({ data: json, layers: list(list(text)), seats: named(text) })),
  parent: optional(object({ step: whole, file: optional(text) })),
  begun: time,
});

const SET_ROLL = either("a number, true, false or null", number, one(true, false), nothing);

/** The members that each kind of input has besides `kind`. */
const INPUTS: Readonly<Record<StepLine["input"]["kind"], Readonly<Record<string, Check>>>> = {
  begin: { dice: optional(list(SET_ROLL)) },
  action: { seat: text, action: text, args: optional(named(json)), dice: optional(list(SET_ROLL)) },
  event: { event: text, args: optional(named(json)), dice: optional(list(SET_ROLL)) },
  join: { seat: text },
  leave: { seat: text },
  timer: { timer: text, dice: optional(list(SET_ROLL)) },
};

const input: Check = (value, path) => {
  const kind = isObject(value) ? value["kind"] : undefined;
  if (typeof kind !== "string" || !Object.hasOwn(INPUTS, kind))
    return wrong(path, value, `an input: an object whose kind is ${Object.keys(INPUTS).join(", ")}`);
  return object(INPUTS[kind as keyof typeof INPUTS])(value, path);
};

/** Whether a value is the input of a step. */
export function isInput(value: unknown): value is LineInput {
  return input(value, "input") === undefined;
}

const STEP = object({
  step: whole,
  time,
  input,
  dice: list(
    object({
      source: text,
      stream: optional(text),
      seat: optional(text),
      range: text,
      value: either("a number, true or false", number, one(true, false)),
    }),
  ),
  states: list(text),
  notes: list(either("a text, or an object with to and text", text, object({ to: text, text }))),
  changes: list(object({ path: text, value: optional(json) })),
  signals: optional(
    list(
      object({
        signal: text,
        values: named(json),
        source: text,
        heard: list(object({ state: text, source: text, led: optional(one(true)) })),
      }),
    ),
  ),
  clamped: optional(list(object({ source: text, wanted: number, kept: number }))),
  digest: optional(text),
});

/** Only somebody's wish can be refused: a match begins, and timers run, by themselves. */
const refusable: Check = (value, path) =>
  isObject(value) && (value["kind"] === "begin" || value["kind"] === "timer")
    ? wrong(`${path}/kind`, value["kind"], "action, event, join or leave")
    : input(value, path);

const REFUSED = object({ refused: refusable, after: whole, time, code: text, words: text });

const RESULT = object({
  ending: text,
  args: named(json),
  unfinished: one(true, false),
  results: list(
    object({
      seat: text,
      result: one("win", "loss", "draw", "none"),
      rank: optional(number),
      score: optional(number),
    }),
  ),
});

const CLOSING = object({
  end: one(true),
  steps: whole,
  result: either("null, or a result", nothing, RESULT),
  digest: text,
  file: text,
});

/** Why a value is no header; undefined when it is one. */
function wrongHeader(value: unknown): string | undefined {
  if (!isObject(value) || value["zany"] !== "logbook") return "this is not a Zany logbook";
  if (value["format"] !== LOGBOOK_FORMAT) return otherFormat(value["format"]);
  if (value["seed"] === undefined && HEADER({ ...value, seed: "" }, "") === undefined)
    return "it has no seed: it was taken for a seat or a watcher while the match went on; take it again at the end";
  const found = HEADER(value, "");
  return found === undefined ? undefined : `in the header, ${found}`;
}

/** Why a value is no step; undefined when it is one. */
function wrongStep(value: unknown): string | undefined {
  const found = STEP(value, "");
  if (found !== undefined) return found;
  const { step, input: taken } = value as StepLine;
  if ((taken.kind === "begin") !== (step === 0))
    return step === 0 ? '"input/kind" of step 0 must be "begin"' : '"input/kind" is "begin", which only step 0 is';
  return undefined;
}

/** Why a value is no closing line; undefined when it is one. */
function wrongClosing(value: unknown): string | undefined {
  return CLOSING(value, "");
}

/** What is said of a logbook in another format. */
function otherFormat(format: unknown): string {
  if (format === undefined) return "the header does not say which format it has";
  const here = `this logbook has format ${shown(format)}, and this version reads format ${LOGBOOK_FORMAT}`;
  const reader = typeof format === "number" ? LAST_READERS[format] : undefined;
  return reader === undefined ? here : `${here}; the last version that reads it is ${reader}`;
}

/** A line as it is read: what it is, or what is wrong with it. */
export type ReadLine =
  | { readonly kind: "step"; readonly step: StepLine }
  | { readonly kind: "refused"; readonly refused: RefusedLine }
  | { readonly kind: "closing"; readonly closing: ClosingLine }
  | { readonly kind: "wrong"; readonly words: string };

/** Reads a line behind the header. */
export function readLine(line: string): ReadLine {
  let value: unknown;
  try {
    value = JSON.parse(line);
  } catch {
    return { kind: "wrong", words: "this line is not JSON" };
  }
  if (!isObject(value)) return { kind: "wrong", words: "this line is neither a step nor the closing line" };
  if (value["end"] === true) {
    const words = wrongClosing(value);
    return words === undefined
      ? { kind: "closing", closing: value as unknown as ClosingLine }
      : { kind: "wrong", words: `in the closing line, ${words}` };
  }
  if (Object.hasOwn(value, "refused")) {
    const words = REFUSED(value, "");
    return words === undefined
      ? { kind: "refused", refused: value as unknown as RefusedLine }
      : { kind: "wrong", words };
  }
  const words = wrongStep(value);
  return words === undefined ? { kind: "step", step: value as unknown as StepLine } : { kind: "wrong", words };
}

/** Why a first line is no header, and whether it is that of another format. */
export interface NoHeader {
  readonly words: string;
  readonly otherFormat?: boolean;
}

/** Reads the first line. */
export function readHeader(line: string): Header | NoHeader {
  if (line.startsWith("\ufeff")) return { words: "it begins with a byte-order mark; save it as UTF-8 without one" };
  let value: unknown;
  try {
    value = JSON.parse(line);
  } catch {
    return { words: "this is not a Zany logbook" };
  }
  const words = wrongHeader(value);
  if (words === undefined) return value as Header;
  const { zany, format } = isObject(value) ? value : {};
  return { words, otherFormat: zany === "logbook" && typeof format === "number" && format !== LOGBOOK_FORMAT };
}
