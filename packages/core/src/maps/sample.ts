/**
 * A first mapping for a log, made of the names that are seen in it and in the machine: a beginning, to be read and
 * mended.
 */

import type { Action, Machine } from "../check/machine.js";
import type { Json } from "../engine/values/json.js";
import { type LogRow, rowsOf, UnreadableLog } from "./rows.js";
import { likeness, MOST_KINDS, ofTextLines } from "./sample-lines.js";
import type { ReadNode } from "./syntax.js";

/** How many rows are looked at. */
const MOST_ROWS = 2_000;

/** What stands in a column, as far as it matters for a mapping. */
interface Column {
  readonly name: string;
  readonly values: readonly Json[];
  readonly distinct: readonly string[];
}

/**
 * Proposes a mapping.
 *
 * @param machineFile how the mapping names the machine's file
 * @throws UnreadableLog when nothing can be read in it
 */
export function sampleMap(machine: Machine, machineFile: string, text: string): string {
  const read = formatOf(text);
  const rows = rowsOf({ read: read.node, continued: [] }, text).slice(0, MOST_ROWS);
  if (rows.length === 0) throw new UnreadableLog(1, "There is no row in this log.");
  const lines = [`map ${machine.name}Log for ${machine.name}`, `machine "${machineFile}"`, "", read.words];
  if (read.node.kind === "lines") lines.push(...ofTextLines(machine, rows));
  else lines.push(...ofMembers(machine, rows));
  lines.push("row else -> refuse                       // or skip, for rows that say nothing of the match");
  return `${lines.join("\n")}\n`;
}

function formatOf(text: string): { readonly node: ReadNode; readonly words: string } {
  const lines = text.split(/\r?\n/).filter((line) => line.trim() !== "");
  const [first = ""] = lines;
  if (first.trimStart().startsWith("{") || first.trimStart().startsWith("[")) {
    if (isJson(first)) return { node: { kind: "json" }, words: "read json" };
    const inside = listIn(text);
    if (inside !== undefined)
      return { node: { kind: "json", inside: { path: [inside], from: 0, to: 0 } }, words: `read json in .${inside}` };
  }
  for (const separator of [";", "\t", ","]) {
    const counts = lines.slice(0, 20).map((line) => line.split(separator).length);
    if ((counts[0] ?? 0) > 1 && counts.every((count) => count === counts[0])) {
      return {
        node: { kind: "csv", separator, decimalComma: false },
        words: separator === "," ? "read csv" : separator === "\t" ? "read csv tab" : `read csv "${separator}"`,
      };
    }
  }
  return { node: { kind: "lines" }, words: "read lines" };
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** The member of one JSON text that is a list of objects. */
function listIn(text: string): string | undefined {
  try {
    const whole = JSON.parse(text) as Json;
    if (Array.isArray(whole)) return "rows";
    return Object.entries(whole as { readonly [name: string]: Json }).find(
      ([, value]) => Array.isArray(value) && typeof value[0] === "object",
    )?.[0];
  } catch {
    return undefined;
  }
}

// ---- rows with members ----------------------------------------------------------------------------

function ofMembers(machine: Machine, rows: readonly LogRow[]): string[] {
  const columns = columnsOf(rows);
  const kind = kindColumn(machine, columns, rows.length);
  const time = columns.find((column) => column !== kind && unitOf(column) !== undefined);
  const seat = columns
    .filter((column) => column !== kind && column !== time && isSeats(machine, column))
    .toSorted((a, b) => b.values.length - a.values.length)[0];
  const lines: string[] = [];
  if (time) lines.push(`time .${time.name} in ${unitOf(time)} within 20ms`);
  if (seat) lines.push(...seatLines(machine, seat));
  lines.push("words ignore case", "");
  if (!kind)
    return [...lines, '// No member tells what a row is: say which rows are meant, as in  row .ev "throw" -> ...'];
  for (const value of kind.distinct.slice(0, MOST_KINDS)) {
    const own = columnsOf(rows.filter(({ data }) => String(data[kind.name]) === value));
    lines.push(rowLine(machine, `row .${kind.name} ${JSON.stringify(value)}`, value, own, seat?.name));
  }
  return lines;
}

function columnsOf(rows: readonly LogRow[]): Column[] {
  const values = new Map<string, Json[]>();
  for (const { data } of rows)
    for (const [name, value] of Object.entries(data)) {
      const of = values.get(name);
      if (of) of.push(value);
      else values.set(name, [value]);
    }
  return [...values].map(([name, all]) => ({ name, values: all, distinct: [...new Set(all.map(String))] }));
}

/** The member whose values are most like names of the machine, else the one with few different words. */
function kindColumn(machine: Machine, columns: readonly Column[], rows: number): Column | undefined {
  const names = namesOf(machine);
  const words = columns.filter(
    ({ values, distinct }) =>
      values.length === rows && values.every((value) => typeof value === "string") && distinct.length <= MOST_KINDS,
  );
  const score = ({ distinct }: Column): number =>
    distinct.filter((value) => likeness(value, names) !== undefined).length / Math.max(1, distinct.length);
  return words.toSorted((a, b) => score(b) - score(a))[0];
}

function namesOf({ actions, signals }: Machine): string[] {
  return [
    ...actions.map(({ name }) => name),
    ...signals.filter(({ origin }) => origin === "event").map(({ name }) => name),
  ];
}

function unitOf({ name, values }: Column): string | undefined {
  const called = /^(t|ts|time|at|when|clock|timestamp|ms|seconds?)$/i.test(name);
  if (!called) return undefined;
  if (values.every((value) => /^\d{1,2}:\d{2}(:\d{2})?/.test(String(value)))) return "clock";
  if (values.every((value) => !Number.isNaN(Date.parse(String(value))) && /^\d{4}-/.test(String(value)))) return "date";
  const numbers = values.map(Number);
  if (numbers.some(Number.isNaN)) return undefined;
  return numbers.every(Number.isInteger) && Math.max(...numbers) > 10_000 ? "ms" : "s";
}

/** Whether the values of a member can be seats: their names, or as few whole numbers as there are seats. */
function isSeats({ seats: { names } }: Machine, { distinct, name, values }: Column): boolean {
  if (values.some((value) => value !== null && typeof value === "object")) return false;
  if (distinct.length === 0 || distinct.length > names.length) return false;
  if (distinct.every((value) => likeness(value, names) !== undefined)) return true;
  return /^(p|player|seat|who|by|side|actor)/i.test(name) && distinct.every((value) => /^\w{1,30}$/.test(value));
}

function seatLines({ seats: { names } }: Machine, { distinct, values }: Column): string[] {
  if (distinct.every((value) => names.some((name) => name.toLowerCase() === value.toLowerCase()))) return [];
  const sorted = distinct.toSorted((a, b) => (Number(a) || 0) - (Number(b) || 0) || (a < b ? -1 : 1));
  const written = (value: string): string =>
    values.some((each) => typeof each === "number") ? value : JSON.stringify(value);
  return [`seats: ${sorted.map((value, i) => `${written(value)} ${names[i] ?? "?"}`).join(", ")}`];
}

function rowLine(
  machine: Machine,
  row: string,
  word: string,
  columns: readonly Column[],
  seat: string | undefined,
): string {
  const action = machine.actions.find(
    ({ name }) =>
      name ===
      likeness(
        word,
        machine.actions.map((each) => each.name),
      ),
  );
  const who = columns.find(({ name }) => name === seat);
  if (action && who) return `${row} -> .${who.name} ${callText(action, columns)}`;
  const events = machine.signals.filter(({ origin }) => origin === "event");
  const event = events.find(
    ({ name }) =>
      name ===
      likeness(
        word,
        events.map((each) => each.name),
      ),
  );
  if (event) return `${row} -> event ${callText(event, columns)}`;
  if (/time ?-?_?out|timer|expired|lapse/i.test(word) && machine.timers[0])
    return `${row} -> timer ${machine.timers[0].name}`;
  if (/^(match|game)?[ _-]?(start|begin|new|match|game)/i.test(word) && !/end|over/i.test(word))
    return `${row} -> begin`;
  if (/end|over|finish|result/i.test(word)) {
    const by = columns.find(({ distinct }) =>
      distinct.some((value) => likeness(value, endings(machine)) !== undefined),
    );
    if (!by) return `${row} -> nothing                     // tells ending ${endings(machine).join(" or ")}`;
    const named = by.distinct.map((value) => `${JSON.stringify(value)} ${likeness(value, endings(machine)) ?? "?"}`);
    return `${row} -> nothing\n  tells ending by .${by.name}(${named.join(", ")})`;
  }
  const told = tellsOf(machine, columns);
  const dice = columns.filter(({ name }) => /dice|die|roll/i.test(name)).map(({ name }) => `.${name}`);
  if (dice.length > 0) return `${row} -> more dice ${dice.join(", ")}${told}`;
  return `${row} -> nothing${told}                     // what does it mean?`;
}

function endings({ endings }: Machine): string[] {
  return endings.map(({ name }) => name);
}

/** A call with the members that look like its arguments. */
function callText(
  {
    name,
    parameters,
  }: Pick<Action, "name"> & { readonly parameters: readonly Pick<Action["parameters"][number], "name" | "type">[] },
  columns: readonly Column[],
): string {
  const args = parameters.map((parameter) => {
    const { type } = parameter;
    const members = type.kind === "enum" ? type.members : [];
    const column =
      columns.find((each) => likeness(each.name, [parameter.name]) !== undefined) ??
      columns.find(
        ({ distinct }) => members.length > 0 && distinct.every((value) => likeness(value, members) !== undefined),
      );
    return `.${column?.name ?? parameter.name}`;
  });
  const dice = columns.filter(({ name }) => /dice|die|roll/i.test(name)).flatMap(rollsIn);
  return `${name}${args.length > 0 ? `(${args.join(", ")})` : ""}${dice.length > 0 ? ` dice ${dice.join(", ")}` : ""}`;
}

/** The rolls in a member: itself, or the members of the object that it is. */
function rollsIn({ name, values }: Column): string[] {
  const parts = new Map<string, number>();
  for (const value of values)
    if (value !== null && typeof value === "object" && !Array.isArray(value))
      for (const part of Object.keys(value)) parts.set(part, (parts.get(part) ?? 0) + 1);
  if (parts.size === 0) return [`.${name}`];
  return [...parts].map(([part, count]) => `.${name}.${part}${count < values.length ? " if told" : ""}`);
}

/** What may be told of data: members that are called as they are. */
function tellsOf({ data }: Machine, columns: readonly Column[]): string {
  const found = columns.flatMap(({ name }) => {
    const datum = data.find((each) => each.type.kind !== "perSeat" && each.name.toLowerCase() === name.toLowerCase());
    return datum ? [`${datum.name} == .${name}`] : [];
  });
  return found.length > 0 ? ` tells ${found.join(", ")}` : "";
}
