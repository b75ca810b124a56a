/** A first mapping for a log of text lines: forms with places where seats, members and numbers stand. */

import type { Action, Machine } from "../check/machine.js";
import { visitBlock, visitMachine } from "../check/visit.js";
import { nearest } from "../language/suggest.js";
import type { LogRow } from "./rows.js";

/** How many kinds of rows are written down. */
export const MOST_KINDS = 40;

/** The name that a word of the log is most like: written otherwise, misspelt, or with more around it. */
export function likeness(word: string, names: readonly string[]): string | undefined {
  const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, "");
  const own = plain(word);
  return (
    names.find((name) => plain(name) === own) ??
    nearest(word, names) ??
    names.find((name) => name.length > 2 && own.length > 2 && (own.includes(plain(name)) || plain(name).includes(own)))
  );
}

/** Lines that are alike. */
interface Form {
  /** The line with its places: `{t} {p} pulls: {n}`. */
  readonly pattern: string;
  readonly places: readonly string[];
  /** What stands in it between them. */
  readonly words: readonly string[];
  /** It goes on with the line before. */
  readonly goesOn: boolean;
  /** The lines that went on with such lines. */
  readonly behind: Set<Form>;
  /** Several such lines went on with one. */
  repeats: boolean;
}

/** The words of a line of which one may be a place: dates, times of day, lists, numbers, names. */
const DATE = /\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?/;
const CLOCK = /\d{1,2}:\d{2}(?::\d{2})?(?:[.,]\d+)?/;
const NUMBERS = /-?\d+(?:,-?\d+){2,}/;
const NAMES = /[A-Za-z_]\w*(?:,[A-Za-z_]\w*)+/;
const WORD = new RegExp(
  [DATE, CLOCK, NUMBERS, NAMES, /-?\d+(?:[.,]\d+)?/, /[A-Za-z_]\w*/].map(({ source }) => source).join("|"),
  "g",
);
const isWhole = (pattern: RegExp, word: string): boolean => new RegExp(`^(?:${pattern.source})$`).test(word);

/** What stands before the number of a match. */
const MATCH = /^(?:game|match|table|tbl|session|room)$/i;

export function ofTextLines(machine: Machine, rows: readonly LogRow[]): string[] {
  const texts = rows.map(({ text }) => text);
  const players = playersIn(machine, texts);
  const forms = new Map<string, Form>();
  let last: Form | undefined;
  /** The lines that went on with the last. */
  let since = new Set<Form>();
  for (const text of texts) {
    const made = formOf(machine, players, text);
    const form = forms.get(made.pattern) ?? made;
    forms.set(form.pattern, form);
    if (form.goesOn) {
      form.repeats ||= since.has(form);
      since.add(form);
      last?.behind.add(form);
      continue;
    }
    last = form;
    since = new Set();
  }
  const all = [...forms.values()].slice(0, MOST_KINDS);
  const lines: string[] = [];
  if (all.some(({ places }) => places.includes("t"))) {
    const isDate = texts.some((text) => DATE.test(text));
    lines.push(`time .t in ${isDate ? "date" : "clock"} within 1s`);
  }
  if (all.every(({ places, goesOn }) => goesOn || places.includes("game"))) lines.push("match .game");
  const named = players.filter((player) => !isSeat(machine, player));
  if (named.length > 0 && !all.some(({ places }) => places.includes("names"))) {
    const seats = players.map((player, i) => `${JSON.stringify(player)} ${machine.seats.names[i] ?? "?"}`);
    lines.push(`seats: ${seats.join(", ")}`);
  }
  lines.push("words ignore case");
  const further = all.filter(({ goesOn }) => goesOn);
  for (const [i, { pattern, repeats }] of further.entries())
    lines.push(`continued ${JSON.stringify(pattern)}${repeats ? ` in .lines${i === 0 ? "" : i + 1}` : ""}`);
  lines.push("");
  for (const form of all) if (!form.goesOn) lines.push(rowOf(machine, form));
  return lines;
}

function isSeat({ seats: { names } }: Machine, word: string): boolean {
  return names.some((name) => name.toLowerCase() === word.toLowerCase());
}

/**
 * What the log calls its players, in the order in which they come: the words that take each other's place in the most
 * forms of lines, and are nothing that the machine has a name for.
 */
function playersIn(machine: Machine, texts: readonly string[]): string[] {
  const { names } = machine.seats;
  const own = names.filter((name) => texts.some((text) => new RegExp(`\\b${name}\\b`, "i").test(text)));
  const others = othersIn(machine, texts);
  // Seats that are named when the players sit down are not what the log calls them from then on.
  return own.length > 0 && linesWith(texts, own) >= linesWith(texts, others) ? own : others;
}

/** In how many lines one of some words stands. */
function linesWith(texts: readonly string[], words: readonly string[]): number {
  if (words.length === 0) return 0;
  const any = new RegExp(`\\b(?:${words.join("|")})\\b`, "i");
  return texts.filter((text) => any.test(text)).length;
}

/** The words that take each other's place in the most forms of lines, in the order in which they come. */
function othersIn(machine: Machine, texts: readonly string[]): string[] {
  const { names } = machine.seats;
  /** By a line with one word left out: the words that stood there. */
  const left = new Map<string, Set<string>>();
  for (const text of texts) {
    const words = [...text.matchAll(WORD)];
    for (const { 0: word, index } of words) {
      if (!/^[A-Za-z_]/.test(word) || likeness(word, meanings(machine)) !== undefined) continue;
      const around = `${text.slice(0, index)}\u0000${text.slice(index + word.length)}`.replace(/\d+/g, "0");
      const stood = left.get(around);
      if (stood) stood.add(word);
      else left.set(around, new Set([word]));
    }
  }
  const groups = new Map<string, { readonly words: Set<string>; forms: number }>();
  for (const stood of left.values()) {
    if (stood.size < 2 || stood.size > names.length) continue;
    const known = [...stood].map((word) => groups.get(word)).find((group) => group !== undefined);
    const group = known ?? { words: new Set<string>(), forms: 0 };
    group.forms++;
    for (const word of stood) {
      group.words.add(word);
      groups.set(word, group);
    }
  }
  const fitting = [...new Set(groups.values())].filter(({ words }) => words.size <= names.length);
  const [best] = fitting.toSorted((a, b) => b.forms - a.forms);
  if (!best) return [];
  // Who stands in a list with players is one.
  for (const text of texts) {
    const list = LIST.exec(text)?.[0].split(/, ?/) ?? [];
    if (!list.some((word) => best.words.has(word))) continue;
    for (const word of list) if (best.words.size < names.length) best.words.add(word);
  }
  return [...best.words].toSorted((a, b) => firstAt(texts, a) - firstAt(texts, b));
}

/** Words with commas between them, at the end of a line. */
const LIST = /\b[A-Za-z_]\w*(?:, ?[A-Za-z_]\w*)+(?=\s*$)/;

/** What the machine has names for that may stand in a log. */
function meanings({ actions, endings, signals, types }: Machine): string[] {
  const members = types.flatMap((type) => (type.kind === "enum" ? type.members : []));
  return [...actions, ...endings, ...signals].map(({ name }) => name).concat(members);
}

function firstAt(texts: readonly string[], word: string): number {
  const whole = new RegExp(`\\b${word}\\b`);
  const line = texts.findIndex((text) => whole.test(text));
  return line * 1_000 + (texts[line]?.search(whole) ?? 0);
}

/** A line with places where seats, members and numbers stand. */
function formOf(machine: Machine, players: readonly string[], text: string): Form {
  const places: string[] = [];
  const words: string[] = [];
  const kinds = new Map<string, string>();
  for (const player of players) kinds.set(player.toLowerCase(), "p");
  for (const type of machine.types)
    if (type.kind === "enum")
      for (const member of type.members) kinds.set(member.toLowerCase(), type.name.toLowerCase());
  const place = (wanted: string): string => {
    const name = placeName(wanted, places);
    places.push(name);
    return `{${name}}`;
  };
  const goesOn = /^\s/.test(text);
  let before = "";
  let pattern = text
    .replaceAll("{", "{{")
    .replaceAll("}", "}}")
    .replace(WORD, (word) => {
      const last = before;
      before = word;
      const isNames = isWhole(NAMES, word);
      if (isNames && word.split(",").every((one) => kinds.get(one.toLowerCase()) === "p")) return place("names");
      if (isNames || isWhole(NUMBERS, word)) return place(/^[A-Za-z_]/.test(last) ? last.toLowerCase() : "list");
      if (/^-?\d/.test(word)) {
        if (isWhole(DATE, word) || isWhole(CLOCK, word)) return place("t");
        if (MATCH.test(last)) return place("game");
        // What goes on with a line has places of its own, called by the word before.
        return place(goesOn && /^[A-Za-z_]/.test(last) ? last.toLowerCase() : "n");
      }
      const kind = kinds.get(word.toLowerCase());
      if (kind !== undefined) return place(kind);
      words.push(word);
      return word;
    });
  // A list of players at the end of a line is of any number of them.
  const list = /\{p\}(?:, ?\{p\d+\})+\s*$/.exec(pattern);
  if (list) pattern = `${pattern.slice(0, list.index)}{names}`;
  return {
    pattern,
    places: list ? [...places.filter((name) => !/^p\d*$/.test(name)), "names"] : places,
    words,
    goesOn,
    behind: new Set(),
    repeats: false,
  };
}

/** A name that no other place of the line has. */
function placeName(wanted: string, taken: readonly string[]): string {
  let name = wanted;
  for (let i = 2; taken.includes(name); i++) name = `${wanted}${i}`;
  return name;
}

function rowOf(machine: Machine, { pattern, places, words, behind }: Form): string {
  const row = `row line ${JSON.stringify(pattern)} ->`;
  const seat = places.includes("p");
  if (places.includes("names") && !seat) {
    const shuffled = shuffledIn(machine).filter((name) => places.includes(name.toLowerCase()));
    const dice = shuffled.map((name) => `shuffle ${name} to .${name.toLowerCase()}`);
    return `${row} begin seats .names${dice.length > 0 ? ` dice ${dice.join(", ")}` : ""}`;
  }
  const names = machine.actions.map(({ name }) => name);
  const like = words.map((word) => likeness(word, names)).find((name) => name !== undefined);
  const action = machine.actions.find(({ name }) => name === like);
  const placesBehind = [...behind].flatMap((form) => (form.repeats ? [] : form.places));
  if (action && seat) {
    const refused = words.some((word) => /^(cannot|can|refuse[ds]?|denied|illegal|rejected)$/i.test(word));
    const told = refused ? " refused" : tellsOf(machine, [...places, ...placesBehind]);
    return `${row} .p ${callOf(action, places)}${told}`;
  }
  if (words.some((word) => /time ?-?_?out|timer|expired|lapse/i.test(word)) && machine.timers[0])
    return `${row} timer ${machine.timers[0].name}`;
  if (seat && words.some((word) => /^win/i.test(word))) {
    const [ending, ...others] = machine.endings;
    return `${row} nothing tells ${ending && others.length === 0 ? `ending ${ending.name}, ` : ""}.p wins`;
  }
  return `${row} nothing                     // what does it mean?`;
}

/** A call with the places that are like its arguments; numbers that are left are its rolls. */
function callOf(action: Action, places: readonly string[]): string {
  const numbers = places.filter((place) => /^n\d*$/.test(place));
  const args = action.parameters.map(({ name, type }) => {
    if (type.kind === "enum") return places.find((place) => place.startsWith(type.name.toLowerCase())) ?? name;
    if (type.kind === "seat") return places.find((place) => /^p\d+$/.test(place)) ?? name;
    return (type.kind === "int" ? numbers.shift() : undefined) ?? name;
  });
  const dice = numbers.slice(0, rollsOf(action)).map((place) => `.${place}`);
  const call = `${action.name}${args.length > 0 ? `(${args.map((arg) => `.${arg}`).join(", ")})` : ""}`;
  return dice.length > 0 ? `${call} dice ${dice.join(", ")}` : call;
}

/** The data that a machine shuffles. */
export function shuffledIn(machine: Machine): string[] {
  const found = new Set<string>();
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind === "shuffle") found.add(machine.sources.written(e.list));
    },
  });
  return machine.data.map(({ name }) => name).filter((name) => found.has(name));
}

/** How many rolls stand in an action. */
export function rollsOf({ block }: Action): number {
  let rolls = 0;
  visitBlock(block, {
    expr: ({ kind }) => {
      if (kind === "roll") rolls++;
      return true;
    },
  });
  return rolls;
}

/** What is told of data that are called as a place is. */
function tellsOf({ data }: Machine, places: readonly string[]): string {
  const told = [...new Set(places)].flatMap((place) => {
    const datum = data.find(({ name }) => name.toLowerCase() === place);
    if (!datum) return [];
    return [`${datum.name}${datum.type.kind === "perSeat" ? "[.p]" : ""} == .${place} if told`];
  });
  return told.length > 0 ? ` tells ${told.join(", ")}` : "";
}
