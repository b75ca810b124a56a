/** A match as a test of its machine: what it began with, every step with its dice, and where it stands at last. */

import type { Machine } from "../check/machine.js";
import type { Type } from "../check/types.js";
import type { BeginOptions } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { view } from "../engine/matches/view.js";
import type { Input, RollRecord, Taken } from "../engine/situation/situation.js";
import type { Change } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import { pointerParts } from "../engine/values/pointer.js";
import { quoted, valueText } from "../formats/value-text.js";

const RESULT_WORDS = { win: "wins", loss: "loses", draw: "draws", none: "" } as const;

/**
 * Writes a match down as a test that passes on the same rules.
 *
 * @param how what the match began with
 * @param taken its steps, the beginning first
 * @param words what the test shows
 * @param end the match's time now, in milliseconds since 1970 UTC, which may be later than the last step's
 * @param otherwise what it says at the end in place of where the match stands
 */
export function matchTest(
  runnable: Runnable,
  how: BeginOptions,
  taken: readonly Taken[],
  words: string,
  end: number,
  otherwise: TestEnd = {},
): string {
  const { machine } = runnable;
  const [first, ...steps] = taken;
  if (!first) return "";
  const lines = beginning(machine, how, first);
  let now = first.situation.now;
  for (let i = 0; i < steps.length; ) {
    const step = steps[i] as Taken;
    if (step.input.kind === "timer") {
      // Timers that are due together run in one wait.
      const { now: then } = step.situation;
      const together: Taken[] = [];
      while (steps[i]?.input.kind === "timer" && steps[i]?.situation.now === then) together.push(steps[i++] as Taken);
      lines.push(`wait ${durationText(then - now)}${diceText(together.flatMap((t) => t.happenings.rolls))}`);
      now = then;
      continue;
    }
    if (step.situation.now > now) lines.push(`wait ${durationText(step.situation.now - now)}`);
    now = step.situation.now;
    lines.push(`${inputText(machine, step.input as Input)}${diceText(step.happenings.rolls)}`);
    i++;
  }
  if (end > now) lines.push(`wait ${durationText(end - now)}`);
  const { last, changes, expect } = otherwise;
  if (last && last.wait > 0) lines.push(`wait ${durationText(last.wait)}${last.input ? "" : setText(last.dice)}`);
  if (last?.input) lines.push(`${inputText(machine, last.input)}${setText(last.dice)}`);
  const written = changes?.flatMap((change) => changeText(machine, change)).slice(0, MOST_EXPECTED) ?? [];
  const expected = expect ?? (written.length > 0 ? written : expectation(runnable, steps.at(-1) ?? first));
  if (expected.length > 0) lines.push(`expect ${expected.join(", ")}`);
  return `test ${quoted(words)} {\n${lines.map((line) => `  ${line}\n`).join("")}}\n`;
}

/** How many changes of the last step a test expects. */
const MOST_EXPECTED = 6;

/** What a test says at its end. */
export interface TestEnd {
  /** Something more that is done, which need not be accepted. */
  readonly last?: { readonly wait: number; readonly input: Input | undefined; readonly dice: readonly unknown[] };
  /** What is expected, as the language writes it. */
  readonly expect?: readonly string[];
  /** The changes that are expected of the last step. */
  readonly changes?: readonly Change[];
}

/** A change as something a test can expect; nothing where it cannot be said in one comparison. */
function changeText(machine: Machine, { path, value }: Change): string[] {
  if (!path.startsWith("/data/") || value === undefined) return [];
  const { text, type } = pathText(machine, path);
  if (!type || type.kind === "record" || type.kind === "perSeat" || type.kind === "grid" || type.kind === "map")
    return [];
  return [`${text} == ${valueText(type, value)}`];
}

function setText(dice: readonly unknown[]): string {
  return dice.length > 0 ? ` dice ${dice.join(", ")}` : "";
}

function beginning(machine: Machine, how: BeginOptions, first: Taken): string[] {
  const lines: string[] = [];
  const count = first.situation.seats.length;
  if (machine.seats.least !== machine.seats.names.length) lines.push(`seats ${count}`);
  for (const seat of how.open ?? []) lines.push(`open ${seat}`);
  const { state, data = [] } = how.given ?? {};
  if (state) {
    const parameters = machine.states.find((s) => s.name === state.name)?.parameters ?? [];
    const args = parameters.map((p) => `${p.name}: ${valueText(p.type, (state.args?.[p.name] ?? null) as Json)}`);
    lines.push(`at ${state.name}${args.length > 0 ? `(${args.join(", ")})` : ""}`);
  }
  const given = data.map(({ path, value }) => {
    const { text, type } = pathText(machine, path);
    return `${text} = ${type ? valueText(type, value as Json) : String(value)}`;
  });
  const dice = diceText(first.happenings.rolls);
  if (given.length > 0 || dice !== "") lines.push(`given ${given.join(", ")}${dice}`.replace(/ {2,}/g, " "));
  return lines;
}

/** `/data/kites/north/lift` as `kites[north].lift`, and the type of what is there. */
function pathText(machine: Machine, path: string): { text: string; type: Type | undefined } {
  const [, name = "", ...parts] = pointerParts(path);
  let type: Type | undefined = machine.data.find((f) => f.name === name)?.type;
  let text = name;
  for (let i = 0; i < parts.length; i++) {
    const part = parts[i] as string;
    if (type?.kind === "maybe") type = type.of;
    switch (type?.kind) {
      case "record":
        text += `.${part}`;
        type = type.fields.find((f) => f.name === part)?.type;
        break;
      case "grid":
        text += `[cell(${parts[++i] ?? "0"}, ${part})]`;
        type = type.of;
        break;
      case "map":
        text += `[${type.key.kind === "text" ? quoted(part) : part}]`;
        type = type.value;
        break;
      case "list":
      case "perSeat":
        text += `[${part}]`;
        type = type.of;
        break;
      default:
        type = undefined;
    }
  }
  return { text, type };
}

function inputText(machine: Machine, input: Input): string {
  switch (input.kind) {
    case "action": {
      const candidates = machine.actions.filter((a) => a.name === input.action);
      const names = Object.keys(input.args ?? {});
      const action =
        candidates.find((a) => names.every((name) => a.parameters.some((p) => p.name === name))) ?? candidates[0];
      return `${input.seat} ${input.action}${argumentsText(action?.parameters ?? [], input.args ?? {})}`;
    }
    case "event": {
      const signal = machine.signals.find((s) => s.name === input.event);
      return `event ${input.event}${argumentsText(signal?.parameters ?? [], input.args ?? {})}`;
    }
    case "join":
      return `${input.seat} joins`;
    case "leave":
      return `${input.seat} leaves`;
    case "time":
    case "timer":
      return "";
  }
}

function argumentsText(
  parameters: readonly { readonly name: string; readonly type: Type }[],
  args: Readonly<Record<string, unknown>>,
): string {
  const texts = parameters.flatMap((p) =>
    Object.hasOwn(args, p.name) ? [`${p.name}: ${valueText(p.type, args[p.name] as Json)}`] : [],
  );
  return texts.length > 0 ? `(${texts.join(", ")})` : "";
}

function diceText(rolls: readonly RollRecord[]): string {
  return rolls.length > 0 ? ` dice ${rolls.map((r) => r.value).join(", ")}` : "";
}

function expectation(runnable: Runnable, last: Taken): string[] {
  const { outcome } = last.situation;
  if (outcome) {
    const results = outcome.results.flatMap(({ seat, result }) =>
      RESULT_WORDS[result] === "" ? [] : [`${seat} ${RESULT_WORDS[result]}`],
    );
    return [outcome.unfinished ? `in ${outcome.ending}` : `ending ${outcome.ending}`, ...results];
  }
  const { here, turn } = view(runnable, last.situation, null);
  const turns = turn.length === 0 ? [] : [`turn of ${turn.length === 1 ? turn[0] : `[${turn.join(", ")}]`}`];
  return [...here.map((name) => `in ${name}`), ...turns];
}

const UNITS = [
  ["d", 86_400_000],
  ["h", 3_600_000],
  ["m", 60_000],
  ["s", 1000],
  ["ms", 1],
] as const;

/** A duration in the largest unit that it is a whole number of. */
function durationText(ms: number): string {
  const [unit, size] = UNITS.find(([, of]) => ms % of === 0) ?? ["ms", 1];
  return `${ms / size}${unit}`;
}
