/**
 * Variations: a match up to a step, and then another action, other dice, other data, played on by policies. What
 * comes of it is a logbook of its own with a link to the match it comes from, and can be held beside it from the fork
 * on.
 */

import type { FindPart } from "../compile.js";
import { begin } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step as takeStep } from "../engine/matches/step.js";
import { turnOf } from "../engine/matches/view.js";
import type { Input, Situation, Taken } from "../engine/situation/situation.js";
import { changesWithBefore, type FullChange, situationJson } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import { pathInWords } from "../formats/trace-lines.js";
import { pointerParts } from "../engine/values/pointer.js";
import { TypedLines } from "../local/typed-line.js";
import type { Parent } from "../logbook/format.js";
import type { Logbook } from "../logbook/read.js";
import { beginOptions, Replayer } from "../logbook/replay.js";
import { LogbookWriter } from "../logbook/write.js";
import { makeBot, wrongBot } from "../search/bot.js";
import { BadQuestion } from "./own.js";

export interface VaryOptions {
  /** The step that goes otherwise: those before it are kept. */
  readonly step: number;
  /** What is done from there on, each as a test writes it: `south brace`, `wait 5s`, `event Thrown(2)`. */
  readonly lines: readonly string[];
  /** The rolls of the first of them. */
  readonly dice?: readonly (number | boolean)[];
  /** Data that are set before, by JSON Pointer below the situation: `/data/kites/north/lift`. */
  readonly data?: readonly { readonly path: string; readonly value: Json }[];
  /** The policies that play on, by seat. */
  readonly bots?: Readonly<Record<string, string>>;
  /** Most steps that they take. */
  readonly most?: number;
  /** How many steps there are from one digest of the logbook to the next. */
  readonly digestEvery?: number;
}

export interface Variation {
  /** The logbook, whole. */
  readonly text: string;
  /** The steps behind the fork. */
  readonly taken: readonly Taken[];
  /** What the recorded step has changed, and what the first varied one has. */
  readonly recorded: readonly FullChange[];
  readonly varied: readonly FullChange[];
  /** What differs between the two matches at their ends: `before` as recorded, `after` as varied. */
  readonly apart: readonly FullChange[];
  /** How both end; undefined for one that is not over. */
  readonly endings: { readonly recorded: string | undefined; readonly varied: string | undefined };
}

const MOST = 1_000;

/**
 * @param text the machine's text @param findPart finds what it includes
 * @throws BadQuestion when there is no such step, the match does not go that way here, or something asked for is not
 * taken
 */
export function vary(
  runnable: Runnable,
  text: string,
  findPart: FindPart,
  logbook: Logbook,
  { step, lines, dice = [], data = [], bots = {}, most = MOST, digestEvery }: VaryOptions,
): Variation {
  const { header, steps, closing } = logbook;
  if (step < 1 || step >= steps.length)
    throw new BadQuestion(`There is no step ${step} to vary; a match has steps 1 to ${steps.length - 1}.`);
  for (const [seat, policy] of Object.entries(bots)) {
    const wrong = wrongBot(runnable, header.seats, seat, policy);
    if (wrong) throw new BadQuestion(wrong.words);
  }
  const replayer = new Replayer(runnable, header);
  const before: Taken[] = [];
  let recordedStep: readonly FullChange[] = [];
  let fork: Situation | undefined;
  for (const line of steps) {
    if (line.step === step) fork = replayer.situation;
    const { taken, earlier, differences } = replayer.next(line);
    if (line.step < step) {
      if (!taken || differences.length > 0)
        throw new BadQuestion(`On this machine the match diverges at step ${line.step}, before the fork.`);
      before.push(...earlier, taken);
    } else if (line.step === step && fork && replayer.situation)
      recordedStep = changesWithBefore(runnable.machine, fork, replayer.situation);
  }
  const recordedEnd = replayer.situation;
  if (!fork || !recordedEnd) throw new BadQuestion("The match does not begin on this machine.");
  const parent: Parent = { step, ...(closing && { file: closing.file }) };
  let out = "";
  const write = (line: string): void => void (out += line);
  let writer: LogbookWriter;
  let situation = fork;
  if (data.length > 0) {
    const from = withData(situationJson(runnable.machine, fork), data);
    const { taken, refusal } = begin(runnable, { seed: header.seed, from });
    if (!taken) throw new BadQuestion(refusal?.words ?? "The match does not go on from there.");
    ({ situation } = taken);
    writer = new LogbookWriter(runnable, { seed: header.seed, from, parent }, taken, write, digestEvery);
  } else {
    const [first, ...others] = before as [Taken, ...Taken[]];
    writer = new LogbookWriter(
      runnable,
      { ...beginOptions(header, steps[0]?.input), parent },
      first,
      write,
      digestEvery,
    );
    for (const taken of others) writer.add(taken);
  }
  const start = situation;
  const varied: Taken[] = [];
  const take = (input: Input, what: string): void => {
    const result = takeStep(runnable, situation, input, { happenings: "now" });
    for (const one of result.taken) writer.add(one);
    varied.push(...result.taken);
    ({ situation } = result);
    const why = result.fault ?? result.refusal;
    if (why) throw new BadQuestion(`"${what}" is not taken: ${why.words}`);
  };
  const typed = new TypedLines(text, "machine.zany", findPart);
  for (const [i, line] of lines.entries()) {
    const read = typed.read(line, situation);
    if (read.kind === "wrong") throw new BadQuestion(`"${line}": ${[read.words, read.help].filter(Boolean).join(" ")}`);
    take({ ...read.input, ...(i === 0 && dice.length > 0 && { dice }) } as Input, line);
  }
  const players = new Map(
    Object.entries(bots).map(([seat, policy]) => [seat, makeBot(runnable, policy, `${header.seed} ${seat} ${step}`)]),
  );
  for (let n = 0; n < most && !situation.outcome; n++) {
    let input: Input | undefined;
    for (const seat of turnOf(runnable, situation)) input ??= players.get(seat)?.choose(situation, seat);
    if (!input) break;
    take(input, "what a policy chose");
  }
  writer.close();
  const [one] = varied;
  return {
    text: out,
    taken: varied,
    recorded: recordedStep,
    varied: one ? changesWithBefore(runnable.machine, start, one.situation) : [],
    apart: changesWithBefore(runnable.machine, recordedEnd, situation),
    endings: { recorded: recordedEnd.outcome?.ending, varied: situation.outcome?.ending },
  };
}

/** A situation with data set. @throws BadQuestion for data that are not there */
function withData(whole: Json, data: NonNullable<VaryOptions["data"]>): Json {
  let changed = whole;
  for (const { path, value } of data) {
    const next = replaced(changed, pointerParts(path), value);
    if (next === undefined) throw new BadQuestion(`There is no ${pathInWords(path)} in that situation.`);
    changed = next;
  }
  return changed;
}

/** A value with another in place of a part of it; undefined when there is no such part. */
function replaced(whole: Json, [part, ...rest]: readonly string[], value: Json): Json | undefined {
  if (part === undefined) return value;
  if (whole === null || typeof whole !== "object" || !Object.hasOwn(whole, part)) return undefined;
  const inside = replaced((whole as { readonly [name: string]: Json })[part] as Json, rest, value);
  if (inside === undefined) return undefined;
  if (Array.isArray(whole)) return whole.map((each, i) => (String(i) === part ? inside : each));
  return { ...whole, [part]: inside } as Json;
}
