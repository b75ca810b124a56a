/** How a value is written where one of another type stands: the help of messages about types. */

import { describe, fits, type Type } from "./types.js";

/** What a message about a type knows of the value that does not fit. */
export interface Unfit {
  readonly type: Type;
  /** As it is written. */
  readonly text: string;
}

/**
 * What to write instead.
 *
 * @param seats the names of the seats
 */
export function instead({ type, text }: Unfit, wanted: Type, seats: readonly string[]): string {
  const inQuotes = /^"([^"{}\\]*)"$/.exec(text)?.[1];
  if (text === "none" && wanted.kind !== "maybe")
    return `Only what may be none has it: write the type as ${describe(wanted)}?`;
  switch (wanted.kind) {
    case "maybe":
      return instead({ type, text }, wanted.of, seats);
    case "int":
    case "num":
      if (inQuotes !== undefined && /^-?\d+(\.\d+)?$/.test(inQuotes)) return `Leave the quotes out: ${inQuotes}.`;
      return numberFrom(type, text);
    case "bool":
      return boolFrom(type, text);
    case "text":
      return /^-?[\d.]+$/.test(text) ? `Put it in quotes: "${text}".` : `Put it into a text: "{${text}}".`;
    case "seat":
      if (inQuotes !== undefined && seats.includes(inQuotes)) return `Leave the quotes out: ${inQuotes}.`;
      if (type.kind === "list" && type.of.kind === "seat") return `Say which of them: ${text}.first.`;
      return `Seats have names: ${few(seats)}.`;
    case "cell":
      return `Write a cell by its column and row: cell(0, 1).`;
    case "enum":
      if (inQuotes !== undefined && wanted.members.includes(inQuotes)) return `Leave the quotes out: ${inQuotes}.`;
      return `${wanted.name} is one of: ${few(wanted.members)}.`;
    case "record":
      return `Write one out: ${wanted.name}(${wanted.fields[0] ? `${wanted.fields[0].name}: ...` : ""}).`;
    case "list":
      return listFrom(type, text, wanted.of);
    case "map":
      return "Write it out by its keys: [KEY: VALUE], or [] when it is empty.";
    case "grid":
      return "Write it out by its rows: [[a, b], [c, d]]; or fill it: GRID.fill(VALUE).";
    case "perSeat":
      return fits(type, wanted.of)
        ? `For every seat the same: [else: ${text}]; for one of them: NAME[${seats[0] ?? "SEAT"}].`
        : `Write it out by the seats: [${seats[0] ?? "SEAT"}: ..., else: ...].`;
    default:
      return "Look at how it is declared.";
  }
}

function numberFrom(type: Type, text: string): string {
  switch (type.kind) {
    case "bool":
      return `Choose by it: if ${text} then 1 else 0.`;
    case "list":
      return `Say which of them, ${text}.first or ${text}[0], or how many there are: ${text}.size.`;
    case "map":
      return `Say which, ${text}[KEY], or how many there are: ${text}.size.`;
    case "grid":
      return `Say which cell: ${text}[cell(0, 1)].`;
    case "cell":
      return `Name its column or row: ${text}.x or ${text}.y.`;
    case "record":
      return type.fields[0] ? `Name the field that is meant: ${text}.${type.fields[0].name}.` : numberOf();
    case "perSeat":
      return `Say whose: ${text}[SEAT].`;
    case "seat":
      return (
        `What belongs to a seat is data per seat: NAME[${text}]. Its place is found by comparing: seats[0] ` +
        `== ${text}.`
      );
    case "text":
      return "No number is read from a text: keep it as a number, and put it into texts where it is shown.";
    default:
      return numberOf();
  }
}

const numberOf = (): string => "Write a number, or something that gives one.";

function boolFrom(type: Type, text: string): string {
  switch (type.kind) {
    case "int":
    case "num":
      if (text === "0" || text === "1") return `Write ${text === "1"}; true and false are no numbers.`;
      return `Compare it: ${text} > 0, or ${text} != 0.`;
    case "list":
    case "map":
      return `Ask for what it holds: not ${text}.empty, or ${text}.has(...).`;
    case "maybe":
      return `Ask whether there is one: ${text} != none.`;
    case "seat":
      return `Compare it: ${text} == me.`;
    case "enum":
      return `Compare it: ${text} == ${type.members[0] ?? "..."}.`;
    case "perSeat":
      return `Say whose: ${text}[SEAT].`;
    case "record":
      return type.fields[0] ? `Name the field that is meant: ${text}.${type.fields[0].name}.` : "Write a condition.";
    default:
      return `Compare it with something: ${text} == ...`;
  }
}

function listFrom(type: Type, text: string, of: Type): string {
  const range = /^\[(.*\.\..*)\]$/.exec(text)?.[1];
  if (range !== undefined && type.kind === "list" && type.of.kind === "list" && fits(type.of.of, of))
    return `A range is a list already, without brackets: ${range}.`;
  if (type.kind === "list") return `Its elements are to be of another type: map(x in ${text}: ...) makes one of each.`;
  if (type.kind === "map") return `Its keys and its values are lists: ${text}.keys, ${text}.values.`;
  if (type.kind === "grid") return `Its cells are a list: ${text}.cells.`;
  if (type.kind === "perSeat") return "Go through seats, and index it by each.";
  return fits(type, of)
    ? `Put it into brackets, as a list of one: [${text}].`
    : `Write a list of such values: [a, b]${of.kind === "int" ? ", or a range: 1..6" : ""}.`;
}

/** The first of some names, and that there are more. */
function few(names: readonly string[]): string {
  return names.length > 8 ? `${names.slice(0, 8).join(", ")}, ...` : names.join(", ");
}

/** A piece of text in quotes; one that has quotes of its own keeps them. */
export function asWritten(text: string): string {
  return /^"[^"]*"$/.test(text) ? text : `"${text}"`;
}
