/** Arguments as they are typed at a table: by name, in order, or asked for one after the other. */

import { type ActionOption, type ParameterOption, valueFrom } from "@zany/core";
import { say, style } from "../terminal.js";

/** Asks for one line; undefined when there are no more. */
export type Ask = (prompt: string) => Promise<string | undefined>;

/** Lets a cell be picked on a board; undefined where no board is drawn. */
export type PickCell = (parameter: ParameterOption) => Promise<string | undefined> | undefined;

/**
 * Collects the arguments of an action or event. Those that are missing are asked for, and a single
 * open value is taken at once.
 *
 * @param look what is to be chosen after the arguments so far
 * @returns undefined when the player gave up
 */
export async function argumentsFrom(
  typed: readonly string[],
  look: (args: Readonly<Record<string, unknown>>) => Pick<ActionOption, "open" | "parameters"> | undefined,
  ask: Ask,
  pick: PickCell = () => undefined,
): Promise<Record<string, unknown> | undefined> {
  const args: Record<string, unknown> = {};
  const named = new Map<string, string>();
  const plain: string[] = [];
  for (const text of typed) {
    const equals = text.indexOf("=");
    if (equals > 0) named.set(text.slice(0, equals), text.slice(equals + 1));
    else plain.push(text);
  }
  for (;;) {
    const option = look(args);
    const parameter = option?.parameters.find((p) => !Object.hasOwn(args, p.name));
    if (!parameter || (!option?.open && plain.length === 0 && named.size === 0)) {
      // Names that fit no parameter go along, so that the refusal can say so.
      for (const [name, text] of named) args[name] = valueFrom(text);
      return args;
    }
    const given =
      named.get(parameter.name) ??
      plain.shift() ??
      onlyOpen(parameter) ??
      (await (pick(parameter) ?? askFor(parameter, ask)));
    if (given === undefined) return undefined;
    named.delete(parameter.name);
    // What is shown can be typed: "3,1" for a cell, "sails 2" for a card.
    const shown = parameter.values?.find((v) => v.label === given);
    args[parameter.name] = shown ? shown.value : typeof given === "string" ? typedValue(parameter, given) : given;
  }
}

/** A cell is typed as "3,1", also one that cannot be chosen, so that the refusal can say why. */
function typedValue({ type }: ParameterOption, text: string): unknown {
  const cell = /^(\d+),(\d+)$/.exec(text);
  return cell && type.startsWith("cell") ? { x: Number(cell[1]), y: Number(cell[2]) } : valueFrom(text);
}

function onlyOpen(parameter: ParameterOption): unknown {
  const open = parameter.values?.filter((v) => v.open) ?? [];
  return open.length === 1 ? open[0]?.value : undefined;
}

async function askFor(parameter: ParameterOption, ask: Ask): Promise<unknown> {
  const open = parameter.values?.filter((v) => v.open);
  if (!open) {
    const range = parameter.range ? ` (${parameter.range.low} to ${parameter.range.high})` : "";
    return ask(`  ${parameter.name}${range}: `);
  }
  for (const [i, v] of open.entries()) say(`    ${style("bold", String(i + 1))}  ${v.label}`);
  for (const v of parameter.values?.filter((x) => !x.open) ?? [])
    say(style("dim", `    -  ${v.label}  ${v.reason ?? ""}`));
  const line = await ask(`  ${parameter.name}: `);
  if (line === undefined || line === "") return undefined;
  return (/^\d+$/.test(line) ? open[Number(line) - 1]?.value : undefined) ?? line;
}
