/**
 * A first mapping for a log, made of the names that are seen in it and in the machine: a beginning, to be read and
 * mended.
 */

import type { Action, Machine } from "../check/machine.js";
import type { Json } from "../engine/values/json.js";
import { type LogRow, rowsOf, UnreadableLog } from "./rows.js";
import { likeness, MOST_KINDS, ofTextLines, rollsOf, shuffledIn } from "./sample-lines.js";
import type { ReadNode } from "./syntax.js";

/** How many rows are looked at, and how many members of them, down to which depth. */
const MOST_ROWS = 2_000;
const MOST_COLUMNS = 200;
const DEPTH = 2;

/** What stands in a member of rows, or in a member of an object in them. */
interface Column {
  /** What it is called where it stands. */
  readonly name: string;
  /** How a mapping writes it: `.climb.by`. */
  readonly told: string;
  readonly values: readonly Json[];
  readonly distinct: readonly string[];
}

/** Rows that are alike: how a mapping says which they are, and what they are called. */
interface Kind {
  readonly row: string;
  readonly word: string;
  readonly rows: readonly LogRow[];
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
    if (inside !== undefined) {
      const told = inside.map((name) => (/^[A-Za-z_]\w*$/.test(name) ? name : JSON.stringify(name))).join(".");
      return { node: { kind: "json", inside: { path: inside, from: 0, to: 0 } }, words: `read json in .${told}` };
    }
    if (first.trimStart().startsWith("{"))
      throw new UnreadableLog(1, "This begins as JSON does, and is none: neither this line nor the whole text.");
  }
  for (const separator of [";", "\t", ","]) {
    const counts = lines.slice(0, 20).map((line) => line.split(separator).length);
    if ((counts[0] ?? 0) > 1 && counts.every((count) => count === counts[0])) {
      const words = separator === "," ? "read csv" : separator === "\t" ? "read csv tab" : `read csv "${separator}"`;
      const cells = lines.slice(1).flatMap((line) => line.split(separator));
      const decimalComma = separator !== "," && cells.some((cell) => DECIMAL_COMMA.test(cell.trim()));
      return { node: { kind: "csv", separator, decimalComma }, words: decimalComma ? `${words} decimal comma` : words };
    }
  }
  return { node: { kind: "lines" }, words: "read lines" };
}

const DECIMAL_COMMA = /^-?\d+,\d+$/;

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/**
 * Where in one JSON text the rows are: the longest list of objects that is not in another list; undefined without one.
 */
function listIn(text: string): string[] | undefined {
  try {
    const whole = JSON.parse(text) as Json;
    return Array.isArray(whole) ? ["rows"] : longestIn(whole, [])?.path;
  } catch {
    return undefined;
  }
}

function longestIn(value: Json, path: string[]): { readonly path: string[]; readonly length: number } | undefined {
  if (Array.isArray(value)) return isObject(value[0] ?? null) ? { path, length: value.length } : undefined;
  if (!isObject(value) || path.length >= MOST_INSIDE) return undefined;
  const found = Object.entries(value).flatMap(([name, part]) => longestIn(part, [...path, name]) ?? []);
  return found.toSorted((a, b) => b.length - a.length)[0];
}

/** So deep the list of rows may stand. */
const MOST_INSIDE = 4;

// ---- rows with members ----------------------------------------------------------------------------

function ofMembers(machine: Machine, rows: readonly LogRow[]): string[] {
  const columns = columnsOf(rows);
  const time = columns.find((column) => unitOf(column) !== undefined);
  const game = columns.find((column) => column !== time && tellsMatch(column, rows.length));
  const others = columns.filter((column) => column !== time && column !== game);
  const kinds = kindsOf(machine, others, rows);
  const [seat] = others
    .filter((column) => isSeats(machine, column))
    .toSorted((a, b) => b.values.length - a.values.length);
  const lines: string[] = [];
  if (time) lines.push(`time ${time.told} in ${unitOf(time)} within 20ms`);
  if (game) lines.push(`match ${game.told}`);
  const players = seat ? playersOf(machine, seat, others) : [];
  if (seat) lines.push(...seatLines(seat, players));
  lines.push("words ignore case", "");
  const several = others.find(({ told, values }) => isTop(told) && values.some(isListOfObjects));
  if (!kinds && several)
    return [...lines, `row ${several.told} -> for .each in ${several.told}: nothing   // which input is each of them?`];
  if (!kinds)
    return [...lines, '// No member tells what a row is: say which rows are meant, as in  row .ev "throw" -> ...'];
  for (const kind of kinds.slice(0, MOST_KINDS)) lines.push(rowLine(machine, kind, players));
  return lines;
}

/** The members of rows, and those of the objects in them. */
function columnsOf(rows: readonly LogRow[]): Column[] {
  const values = new Map<string, { readonly name: string; readonly values: Json[] }>();
  const note = (before: string, data: LogRow["data"], depth: number): void => {
    for (const [name, value] of Object.entries(data)) {
      const told = `${before}.${/^[A-Za-z_]\w*$/.test(name) ? name : JSON.stringify(name)}`;
      const column = values.get(told);
      if (column) column.values.push(value);
      else if (values.size < MOST_COLUMNS) values.set(told, { name, values: [value] });
      if (depth > 1 && value !== null && typeof value === "object" && !Array.isArray(value))
        note(told, value as LogRow["data"], depth - 1);
    }
  };
  for (const { data } of rows) note("", data, DEPTH);
  return [...values].map(([told, column]) => ({
    ...column,
    told,
    distinct: [...new Set(column.values.map((value) => (typeof value === "object" ? "" : String(value))))],
  }));
}

/**
 * What rows there are: by the member whose values are most like names of the machine, else by which object stands in
 * them, else by the member with few different words.
 */
function kindsOf(machine: Machine, columns: readonly Column[], rows: readonly LogRow[]): Kind[] | undefined {
  const names = namesOf(machine);
  const score = ({ distinct }: Column): number =>
    distinct.filter((value) => likeness(value, names) !== undefined).length / Math.max(1, distinct.length);
  const words = columns.filter(
    ({ values, distinct, told }) =>
      values.length === rows.length &&
      isTop(told) &&
      values.every((value) => typeof value === "string") &&
      distinct.length <= MOST_KINDS,
  );
  const [word] = words.toSorted((a, b) => score(b) - score(a) || tellingOf(b, rows) - tellingOf(a, rows));
  if (word && score(word) > 0) return byWord(word, rows);
  const apart = objectsApart(columns, rows, names);
  if (apart)
    return apart.map(({ name, told }) => ({
      row: `row ${told}`,
      word: name,
      rows: rows.filter(({ data }) => name in data),
    }));
  return word && word.distinct.length < rows.length ? byWord(word, rows) : undefined;
}

/** How many members stand in some rows alone, and in all or none of those in which a member tells the same. */
function tellingOf({ name, distinct }: Column, rows: readonly LogRow[]): number {
  const groups = distinct.map((word) => rows.filter(({ data }) => String(data[name]) === word));
  const isHere = (member: string, { data }: LogRow): boolean => data[member] !== undefined && data[member] !== "";
  return [...new Set(rows.flatMap(({ data }) => Object.keys(data)))].filter(
    (member) =>
      !rows.every((row) => isHere(member, row)) &&
      groups.every((group) => new Set(group.map((row) => isHere(member, row))).size === 1),
  ).length;
}

/** Members that are objects of which one stands in each row, those called as in the machine before others. */
function objectsApart(
  columns: readonly Column[],
  rows: readonly LogRow[],
  names: readonly string[],
): Column[] | undefined {
  const isLike = ({ name }: Column): number => (likeness(name, names) === undefined ? 0 : 1);
  const objects = columns
    .filter(({ told, values }) => isTop(told) && values.length < rows.length && values.every(isObject))
    .toSorted((a, b) => isLike(b) - isLike(a) || b.values.length - a.values.length);
  const taken = new Set<LogRow>();
  const apart: Column[] = [];
  for (const column of objects) {
    const own = rows.filter(({ data }) => column.name in data);
    if (own.some((row) => taken.has(row))) continue;
    for (const row of own) taken.add(row);
    apart.push(column);
  }
  return taken.size === rows.length && apart.length > 0 ? apart : undefined;
}

function isTop(told: string): boolean {
  return told.lastIndexOf(".") === 0;
}

function byWord({ name, told, distinct }: Column, rows: readonly LogRow[]): Kind[] {
  return distinct.map((word) => ({
    row: `row ${told} ${JSON.stringify(word)}`,
    word,
    rows: rows.filter(({ data }) => String(data[name]) === word),
  }));
}

function namesOf({ actions, signals }: Machine): string[] {
  return [
    ...actions.map(({ name }) => name),
    ...signals.filter(({ origin }) => origin === "event").map(({ name }) => name),
  ];
}

/** Members that hold times are called so. */
const TIME = /^(t|ts|time|at|when|clock|timestamp|ms|seconds?)$/i;

function unitOf({ name, values }: Column): string | undefined {
  const isCalled = TIME.test(name);
  const clock = isCalled ? /^\d{1,2}:\d{2}/ : /^\d{1,2}:\d{2}:\d{2}\b/;
  if (values.every((value) => clock.test(String(value)))) return "clock";
  if (values.every((value) => !Number.isNaN(Date.parse(String(value))) && /^\d{4}-/.test(String(value)))) return "date";
  if (!isCalled) return undefined;
  const numbers = values.map((value) =>
    Number(DECIMAL_COMMA.test(String(value)) ? String(value).replace(",", ".") : value),
  );
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

/** Members that tell which match a row is of are called so. */
const MATCH = /^(game|match|table|session|room)([_-]?(id|no|nr|number))?$/i;

/** Whether a member tells several matches in one log apart. */
function tellsMatch({ name, distinct, values }: Column, rows: number): boolean {
  return MATCH.test(name) && values.length === rows && distinct.length > 1 && distinct.length * 3 <= rows;
}

/**
 * What the log calls the players, each with a seat: the one whose name begins so, where that is so of all; else in the
 * order of an object that has a member for each, else in that in which they come, and of numbers the lowest first.
 */
function playersOf({ seats: { names } }: Machine, column: Column, columns: readonly Column[]): Player[] {
  const players = inOrder(column, columns, names.length);
  const begun = players.map((player) => names.filter((name) => name.toLowerCase().startsWith(player.toLowerCase())));
  if (begun.every(({ length }) => length === 1))
    return players.map((player, i) => ({ player, seat: begun[i]?.[0] ?? "?" }));
  return players.map((player, i) => ({ player, seat: names[i] ?? "?" }));
}

function inOrder({ distinct }: Column, columns: readonly Column[], most: number): readonly string[] {
  for (const { values } of columns) {
    const [first] = values;
    const keys = first !== undefined && isObject(first) ? Object.keys(first) : [];
    if (keys.length <= most && keys.length > 1 && distinct.every((value) => keys.includes(value))) return keys;
  }
  return distinct.toSorted((a, b) => (Number(a) || 0) - (Number(b) || 0));
}

function seatLines({ values }: Column, players: readonly Player[]): string[] {
  if (players.every(({ player, seat }) => player.toLowerCase() === seat.toLowerCase())) return [];
  const isNumber = values.some((each) => typeof each === "number");
  const seats = players.map(({ player, seat }) => `${isNumber ? player : JSON.stringify(player)} ${seat}`);
  return [`seats: ${seats.join(", ")}`];
}

/** Whom the log calls what. */
interface Player {
  readonly player: string;
  readonly seat: string;
}

function rowLine(machine: Machine, { row, word, rows }: Kind, players: readonly Player[]): string {
  const columns = columnsOf(rows);
  const action = machine.actions.find(
    ({ name }) =>
      name ===
      likeness(
        word,
        machine.actions.map((each) => each.name),
      ),
  );
  const seated = columns.filter(({ distinct }) =>
    distinct.every((value) => players.some(({ player }) => player === value)),
  );
  const [who] = seated;
  const told = tellsOf(machine, columns, players);
  const onTurn = holderOf(machine);
  if (action && who) return `${row} -> ${actionText(action, who, columns)}${told}`;
  if (action && onTurn !== undefined) return `${row} -> ${onTurn} ${callText(action, columns)}${told}`;
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
  const shuffled = shuffledIn(machine).flatMap((name) => {
    const column = columns.find((each) => each.name.toLowerCase() === name.toLowerCase());
    return column && isTop(column.told) ? [`shuffle ${name} to ${column.told}`] : [];
  });
  if (shuffled.length > 0) return `${row} -> begin dice ${shuffled.join(", ")}`;
  if (/^(match|game)?[ _-]?(start|begin|new|match|game)/i.test(word) && !/end|over/i.test(word))
    return `${row} -> begin`;
  if (/end|over|finish|result/i.test(word)) {
    const by = columns.find(({ distinct }) =>
      distinct.some((value) => likeness(value, endings(machine)) !== undefined),
    );
    const winner = seated.find(({ name }) => /win|first/i.test(name));
    const wins = winner ? `, ${winner.told} wins` : "";
    const [only, ...more] = endings(machine);
    if (!by && (more.length > 0 || only === undefined))
      return `${row} -> nothing                     // tells ending ${endings(machine).join(" or ")}${wins}`;
    if (!by) return `${row} -> nothing\n  tells ending ${only}${wins}`;
    const named = by.distinct.map((value) => `${JSON.stringify(value)} ${likeness(value, endings(machine)) ?? "?"}`);
    return `${row} -> nothing\n  tells ending by ${by.told}(${named.join(", ")})${wins}`;
  }
  const dice = columns.filter(({ name }) => DICE.test(name)).map(({ told }) => told);
  if (dice.length > 0) return `${row} -> more dice ${dice.join(", ")}${told}`;
  return `${row} -> nothing${told}                     // what does it mean?`;
}

/** Where a machine keeps whose turn it is, when there is one such place: who acts need not be told. */
function holderOf({ states, data, sources }: Machine): string | undefined {
  const turns = new Set(states.flatMap(({ turn }) => (turn ? [turn.each ? "" : sources.written(turn.of)] : [])));
  const [only = "", ...more] = turns;
  return more.length === 0 && data.some(({ name }) => name === only) ? only : undefined;
}

function endings({ endings }: Machine): string[] {
  return endings.map(({ name }) => name);
}

/** An action of somebody; once for each of a list of rolls, where it rolls once. */
function actionText(action: Action, { told }: Column, columns: readonly Column[]): string {
  const lists = columns.filter(({ name, values }) => DICE.test(name) && values.every((value) => Array.isArray(value)));
  const [list] = lists;
  const long = list?.values.some((value) => Array.isArray(value) && value.length !== 1);
  if (!list || !long || rollsOf(action) !== 1) return `${told} ${callText(action, columns)}`;
  const others = columns.filter(({ name }) => !DICE.test(name));
  return `for .roll in ${list.told}: ${told} ${callText(action, others)} dice .roll`;
}

/** Members that hold rolls are called so. */
const DICE = /dice|die|roll/i;

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
    const number = type.kind === "int" ? columns.find(isWhole) : undefined;
    return (column ?? number)?.told ?? `.${parameter.name}`;
  });
  const dice = columns.filter(({ name, told }) => DICE.test(name) && !within(told, columns)).flatMap(rollsIn);
  return `${name}${args.length > 0 ? `(${args.join(", ")})` : ""}${dice.length > 0 ? ` dice ${dice.join(", ")}` : ""}`;
}

/** Whether a member holds whole numbers alone, which are no rolls, times or matches. */
function isWhole({ name, values }: Column): boolean {
  const isOther = [DICE, TIME, MATCH].some((called) => called.test(name));
  return !isOther && values.every((value) => /^-?\d+$/.test(String(value)));
}

/** Whether it stands in a member that holds rolls itself. */
function within(told: string, columns: readonly Column[]): boolean {
  return columns.some((column) => DICE.test(column.name) && told.startsWith(`${column.told}.`));
}

/** The rolls in a member: itself, or the members of the object that it is. */
function rollsIn({ told, values }: Column): string[] {
  const parts = new Map<string, number>();
  for (const value of values)
    if (value !== null && typeof value === "object" && !Array.isArray(value))
      for (const part of Object.keys(value)) parts.set(part, (parts.get(part) ?? 0) + 1);
  if (parts.size === 0) return [told];
  return [...parts].map(([part, count]) => `${told}.${part}${count < values.length ? " if told" : ""}`);
}

/** What may be told of data: members that are called as they are, those of each seat by what the log calls it. */
function tellsOf({ data }: Machine, columns: readonly Column[], players: readonly Player[]): string {
  const found = columns.flatMap(({ name, told, values }) => {
    const datum = data.find((each) => each.name.toLowerCase() === name.toLowerCase());
    if (!datum) return [];
    if (datum.type.kind !== "perSeat") return [`${datum.name} == ${told}`];
    const keys = new Set(values.flatMap((value) => (isObject(value) ? Object.keys(value) : [])));
    if (keys.size === 0 || ![...keys].every((key) => players.some(({ player }) => player === key))) return [];
    return players.map(({ player, seat }) => {
      const member = /^[A-Za-z_]\w*$/.test(player) ? player : JSON.stringify(player);
      const always = values.every((value) => isObject(value) && player in value);
      return `${datum.name}[${seat}] == ${told}.${member}${always ? "" : " if told"}`;
    });
  });
  return found.length > 0 ? `\n  tells ${found.join(", ")}` : "";
}

function isListOfObjects(value: Json): boolean {
  return Array.isArray(value) && isObject(value[0] ?? null);
}

function isObject(value: Json): value is { readonly [name: string]: Json } {
  return value !== null && typeof value === "object" && !Array.isArray(value);
}
