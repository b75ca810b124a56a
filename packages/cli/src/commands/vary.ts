/** `zany vary`: a match up to a step, and then otherwise: another action, other dice or data, played on by policies. */

import {
  BadQuestion,
  changeInWords,
  inputInWords,
  type Json,
  pathInWords,
  readLogbook,
  type Variation,
  valueInWords,
  vary as variation,
} from "@zany/core";
import {
  botOptions,
  findPartOf,
  givenOptions,
  logbookFile,
  needFolder,
  readText,
  runnableFile,
  UsedWrongly,
  writeText,
} from "../files.js";
import { count, pad, say, sayJson, style } from "../terminal.js";

interface VaryOptions {
  readonly machine: string;
  readonly step: number;
  readonly do: readonly string[];
  readonly dice?: string;
  readonly set: readonly string[];
  readonly bot: readonly string[];
  readonly steps?: number;
  readonly out?: string;
  readonly digestEvery?: number;
  readonly json?: boolean;
}

/** How many differences are told at the end. */
const MOST_TOLD = 12;

export async function vary(file: string, options: VaryOptions): Promise<number> {
  const { machine, out } = options;
  if (out !== undefined) needFolder(out);
  const logbook = logbookFile(file);
  const runnable = runnableFile(machine);
  if (!runnable) return 1;
  if (options.do.length + options.set.length + options.bot.length === 0)
    throw new UsedWrongly('Say what goes otherwise: --do "south brace", --set kites.north.lift=3, --bot north=careful');
  try {
    const varied = variation(runnable, readText(machine), findPartOf(machine), logbook, {
      step: options.step,
      lines: options.do,
      dice: diceOf(options.dice),
      data: (givenOptions(options.set).data ?? []) as { readonly path: string; readonly value: Json }[],
      bots: botOptions(options.bot),
      ...(options.steps !== undefined && { most: options.steps }),
      ...(options.digestEvery !== undefined && { digestEvery: options.digestEvery }),
    });
    if (out !== undefined) writeText(out, varied.text);
    if (options.json) {
      const { recorded, apart, endings } = varied;
      sayJson({
        recorded,
        varied: varied.varied,
        apart,
        endings,
        steps: readLogbook(varied.text).steps.slice(-varied.taken.length),
      });
    } else tell(varied, logbook.steps[options.step], options);
    return 0;
  } catch (error) {
    if (error instanceof BadQuestion) throw new UsedWrongly(error.message);
    throw error;
  }
}

function diceOf(text: string | undefined): (number | boolean)[] {
  return (text?.split(/[\s,]+/) ?? []).map((roll) => {
    if (roll === "true" || roll === "false") return roll === "true";
    if (!/^-?\d+(\.\d+)?$/.test(roll)) throw new UsedWrongly(`"${roll}" is no roll; write them as 3 or 3,5.`);
    return Number(roll);
  });
}

function tell(
  { text, taken, recorded, varied, apart, endings }: Variation,
  line: ReturnType<typeof logbookFile>["steps"][number] | undefined,
  { step, out }: VaryOptions,
): void {
  const [first] = readLogbook(text).steps.slice(-taken.length);
  say(`${style("bold", `step ${step}`)}`);
  say(`  recorded  ${line ? inputInWords(line.input) : ""}`);
  for (const change of recorded) say(`            ${changeInWords(change)}`);
  if (first) {
    say(`  varied    ${inputInWords(first.input)}`);
    for (const change of varied) say(`            ${changeInWords(change)}`);
  }
  const ended = (ending: string | undefined): string => (ending === undefined ? "is not over" : `ends in ${ending}`);
  say(
    `The match as recorded ${ended(endings.recorded)}, varied ` +
      `${ended(endings.varied)} after ${count(taken.length, "more step")}.`,
  );
  if (apart.length === 0) say("Both stand at the same.");
  for (const { path, before, after } of apart.slice(0, MOST_TOLD))
    say(`  ${pad(pathInWords(path), 24)} ${valueInWords(before)} | ${valueInWords(after)}`);
  if (apart.length > MOST_TOLD) say(style("dim", `  and ${apart.length - MOST_TOLD} more`));
  if (out !== undefined) say(`It is written to ${out}.`);
}
