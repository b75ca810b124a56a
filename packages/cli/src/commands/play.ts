/** `zany play`: a match in the terminal, all seats at one keyboard, bots in those that are theirs. */

import { randomBytes } from "node:crypto";
import { CannotBegin, LocalMatch, NoSuchBot, type Runnable } from "@zany/core";
import { botOptions, findPartOf, givenOptions, needFolder, readText, runnableFile, UsedWrongly } from "../files.js";
import { Keyboard } from "../play/keyboard.js";
import { say, style } from "../terminal.js";

interface PlayOptions {
  readonly seed?: string;
  readonly given: readonly string[];
  readonly seats?: number;
  readonly open: readonly string[];
  readonly bot: readonly string[];
  readonly events?: boolean;
  readonly watch: readonly string[];
  readonly save?: string;
  readonly digestEvery?: number;
  readonly recordRefusals?: boolean;
}

export async function play(file: string, options: PlayOptions): Promise<number> {
  if (file === "-") throw new UsedWrongly("A match is played at the keyboard: the machine has to be in a file.");
  const runnable = runnableFile(file);
  if (!runnable) return 1;
  for (const path of options.watch) needDatum(runnable, path);
  if (options.save !== undefined) needFolder(options.save);
  const match = begun(runnable, file, options);
  say(
    `${style("bold", runnable.machine.name)}  ${style("dim", `seed ${match.options.how.seed}; ? explains, q quits`)}`,
  );
  const { save, digestEvery, recordRefusals: refusals } = options;
  await new Keyboard(match, options.watch, { file: save, digestEvery, refusals }).play();
  return 0;
}

function begun(runnable: Runnable, file: string, options: PlayOptions): LocalMatch {
  const how = {
    seed: options.seed ?? randomBytes(6).toString("hex"),
    given: givenOptions(options.given),
    now: Date.now(),
    ...(options.seats !== undefined && { seats: options.seats }),
    ...(options.open.length > 0 && { open: options.open }),
  };
  const bots = botOptions(options.bot);
  try {
    const source = { text: readText(file), name: file, findPart: findPartOf(file) };
    return new LocalMatch(runnable, { how, bots, ...(options.events && { events: true }) }, source);
  } catch (error) {
    if (error instanceof NoSuchBot || error instanceof CannotBegin) throw new UsedWrongly(error.message);
    throw error;
  }
}

/** Refuses to watch what no match of the machine has. */
function needDatum({ machine }: Runnable, path: string): void {
  const [first = "", second] = path.split(/[.[]/);
  if (machine.data.some((field) => field.name === first)) return;
  const state = machine.states.find((s) => s.name === first);
  if (state?.fields.some((field) => field.name === second)) return;
  const known = machine.data.map((field) => field.name).join(", ");
  throw new UsedWrongly(
    `There is no "${path}" to watch; the match has ${known || "no data"}, a state's own data are STATE.name.`,
  );
}
