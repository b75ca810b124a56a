/** The arguments of an action that was named alone: asked for one after the other. */

import { type ActionOption, type Json, type Machine, type ParameterOption, valueText } from "@zany/core";
import { say, style } from "../terminal.js";

/** Asks for one line; undefined when there are no more. */
export type Ask = (prompt: string) => Promise<string | undefined>;

/** Lets a cell be picked on a board; undefined where no board is drawn. */
export type PickCell = (parameter: ParameterOption) => Promise<string | undefined> | undefined;

type Parameter = Machine["actions"][number]["parameters"][number];

/**
 * Collects arguments. A single open value is taken at once.
 *
 * @param parameters of the action or event, with their types
 * @param look what is to be chosen after the arguments so far
 * @returns the arguments as the language writes them, `south, cell(1, 1)`; undefined when the player gave up
 */
export async function askedArguments(
  parameters: readonly Pick<Parameter, "name" | "type">[],
  look: (args: Readonly<Record<string, unknown>>) => Pick<ActionOption, "parameters"> | undefined,
  ask: Ask,
  pick: PickCell = () => undefined,
): Promise<string | undefined> {
  const args: Record<string, unknown> = {};
  const texts: string[] = [];
  for (const { name, type } of parameters) {
    const option = look(args)?.parameters.find((p) => p.name === name);
    if (!option) break;
    const text = (value: Json): string => valueText(type, value);
    const only = onlyOpen(option);
    const given = only === undefined ? await (pick(option) ?? askFor(option, text, ask)) : text(only);
    if (given === undefined || given === "") return undefined;
    texts.push(`${name}: ${given}`);
    // What comes after may depend on it; where it is not one of the listed values, it is tried as it is.
    args[name] = option.values?.find((v) => text(v.value) === given)?.value ?? given;
  }
  return texts.join(", ");
}

function onlyOpen(parameter: ParameterOption): Json | undefined {
  const open = parameter.values?.filter((v) => v.open) ?? [];
  return open.length === 1 ? open[0]?.value : undefined;
}

/** Asks for one: the number of its line in the list, or the value itself. */
async function askFor(
  parameter: ParameterOption,
  text: (value: Json) => string,
  ask: Ask,
): Promise<string | undefined> {
  const open = parameter.values?.filter((v) => v.open);
  if (!open) {
    return ask(`  ${parameter.name} (${parameter.type}): `);
  }
  // A number behind a number would not be told apart from it.
  const label = (v: { readonly label: string }): string =>
    /^-?\d/.test(v.label) ? `${parameter.name} ${v.label}` : v.label;
  for (const [i, v] of open.entries()) say(`    ${style("bold", String(i + 1))}  ${label(v)}`);
  for (const v of parameter.values?.filter((x) => !x.open) ?? [])
    say(style("dim", `    -  ${label(v)}  ${v.reason ?? ""}`));
  const line = await ask(`  ${parameter.name}, by its number: `);
  if (line === undefined || line === "") return undefined;
  const numbered = /^\d+$/.test(line) ? open[Number(line) - 1] : undefined;
  const shown = parameter.values?.find((v) => v.label === line);
  return numbered ? text(numbered.value) : shown ? text(shown.value) : line;
}
