/** `zany play`: a match in the terminal, all seats at one keyboard, bots in those that are theirs. */

import { randomBytes } from "node:crypto";
import { createInterface, type Interface } from "node:readline/promises";
import {
  type ActionOption,
  type BeginOptions,
  begin,
  events,
  boardOf,
  policyNames,
  type Input,
  isCell,
  LogbookWriter,
  makeBot,
  options as optionsOf,
  type ParameterOption,
  type Runnable,
  type Situation,
  signalInWords,
  step,
  stepLine,
  type Taken,
  valueInWords,
  view,
} from "@zany/core";
import { botOptions, givenOptions, needFolder, runnableFile, UsedWrongly, writeText } from "../files.js";
import { boardLines, showOptions, showView } from "../show.js";
import { duration, millisecondsFrom, say, style } from "../terminal.js";
import { argumentsFrom } from "./asking.js";
import { pickCell } from "./cell-picker.js";

interface PlayOptions {
  readonly seed?: string;
  readonly given: readonly string[];
  readonly seats?: number;
  readonly open: readonly string[];
  readonly bot: readonly string[];
  readonly watch: readonly string[];
  readonly save?: string;
}

/** Steps that bots take one after the other before somebody is asked. */
const BOT_STEPS = 500;

export async function play(file: string, options: PlayOptions): Promise<number> {
  const runnable = runnableFile(file);
  if (!runnable) return 1;
  for (const path of options.watch) needDatum(runnable, path);
  if (options.save !== undefined) needFolder(options.save);
  const seed = options.seed ?? randomBytes(6).toString("hex");
  const how: BeginOptions = {
    seed,
    given: givenOptions(options.given),
    now: Date.now(),
    ...(options.seats !== undefined && { seats: options.seats }),
    ...(options.open.length > 0 && { open: options.open }),
  };
  const begun = begin(runnable, how);
  if (!begun.taken) throw new UsedWrongly(begun.refusal?.words ?? begun.fault?.words ?? "The match does not begin.");
  const lines: string[] = [];
  const writer = new LogbookWriter(runnable, how, begun.taken, (line) => lines.push(line));
  const table = new Table(runnable, writer, seed, options.watch);
  for (const [seat, policy] of Object.entries(botOptions(options.bot))) table.setBot(seat, policy);
  say(
    `${style("bold", runnable.machine.name)}  ${style("dim", `seed ${seed}; type a number, or a name with its arguments; ? explains, q leaves`)}`,
  );
  await table.play(begun.taken);
  writer.close();
  if (options.save !== undefined) {
    writeText(options.save, lines.join(""));
    say(`The logbook is in ${options.save}.`);
  }
  return 0;
}

/** One match at one keyboard. */
class Table {
  private situation!: Situation;
  private typed!: AsyncIterator<string>;
  private readonly bots = new Map<string, string>();
  private botSteps = 0;

  constructor(
    private readonly runnable: Runnable,
    private readonly writer: LogbookWriter,
    private readonly seed: string,
    private readonly watched: readonly string[],
  ) {}

  setBot(seat: string, policy: string): void {
    const { machine } = this.runnable;
    if (!machine.seats.names.includes(seat))
      throw new UsedWrongly(`There is no seat "${seat}"; there are ${machine.seats.names.join(", ")}.`);
    if (!policyNames(this.runnable).includes(policy))
      throw new UsedWrongly(`There is no policy "${policy}"; there are ${policyNames(this.runnable).join(", ")}.`);
    this.bots.set(seat, policy);
  }

  async play(first: Taken): Promise<void> {
    const input: Interface = createInterface({
      input: process.stdin,
      output: process.stdout,
      terminal: process.stdin.isTTY === true,
      historySize: 0,
    });
    this.typed = input[Symbol.asyncIterator]();
    this.situation = first.situation;
    this.tell(undefined, first);
    try {
      while (!this.situation.outcome) {
        if (this.botActs()) continue;
        say();
        showView(view(this.runnable, this.situation, this.onTurn() ?? null));
        this.showWatched();
        if (!(await this.turn())) break;
      }
      if (this.situation.outcome) {
        say();
        showView(view(this.runnable, this.situation, null));
      }
    } finally {
      input.close();
    }
  }

  /** Lets a bot on turn act; false when none is, or none can. */
  private botActs(): boolean {
    if (this.botSteps >= BOT_STEPS) return false;
    for (const seat of view(this.runnable, this.situation, null).turn) {
      const name = this.bots.get(seat);
      const input =
        name === undefined
          ? undefined
          : makeBot(this.runnable, name, `${this.seed} ${seat} ${this.situation.step}`)?.choose(this.situation, seat);
      if (!input) continue;
      this.botSteps++;
      const args = Object.values(input.args ?? {}).map((v) => valueInWords(v as Parameters<typeof valueInWords>[0]));
      say(style("dim", `${seat} (${name}): ${input.action}${args.length > 0 ? `(${args.join(", ")})` : ""}`));
      if (this.take(input)) return true;
      // A policy that gets refused would be refused for ever: a person goes on.
      this.bots.delete(seat);
    }
    return false;
  }

  /** Asks until something was done; false when the player leaves. */
  private async turn(): Promise<boolean> {
    const seat = this.onTurn() ?? this.anyoneWhoCan();
    const options = seat === undefined ? [] : optionsOf(this.runnable, this.situation, seat);
    if (seat !== undefined) showOptions(options);
    else
      for (const { event, heard } of events(this.runnable, this.situation))
        if (heard) say(`  ${style("bold", "event")} ${event}`);
    this.botSteps = 0;
    for (;;) {
      const line = await this.ask(seat === undefined ? "nobody can act; wait, event, or q: " : `${seat}> `);
      if (line === undefined || line === "q") return false;
      if (line === "") continue;
      const [word = "", ...rest] = line.split(/\s+/);
      const command = this.commands[word];
      if (command) {
        if (await command(rest, options)) return true;
      } else if (seat !== undefined && (await this.act(seat, options, line))) {
        return true;
      }
    }
  }

  /** What can be typed beside actions; each says whether the match went on or the table looks different now. */
  private readonly commands: Readonly<
    Record<string, (typed: readonly string[], options: readonly ActionOption[]) => boolean | Promise<boolean>>
  > = {
    "?": (_, options) => this.explain(options),
    wait: ([time]) => this.wait(time),
    event: ([name = "", ...typed]) => this.event(name, typed),
    join: ([seat = ""]) => this.take({ kind: "join", seat }),
    leave: ([seat = ""]) => this.take({ kind: "leave", seat }),
    bot: ([seat = "", policy = "random"]) => {
      try {
        this.setBot(seat, policy);
        return true;
      } catch (error) {
        say(style("yellow", `  ${(error as Error).message}`));
        return false;
      }
    },
    person: ([seat = ""]) => this.bots.delete(seat),
  };

  /** The seat that is asked next: with several on turn, the first that no bot plays. */
  private onTurn(): string | undefined {
    const { turn } = view(this.runnable, this.situation, null);
    return turn.find((seat) => !this.bots.has(seat)) ?? turn[0];
  }

  /** A seat that may act although it is nobody's turn, as under a pause. */
  private anyoneWhoCan(): string | undefined {
    return view(this.runnable, this.situation, null)
      .seats.map((s) => s.seat)
      .find((seat) => optionsOf(this.runnable, this.situation, seat).some((o) => o.open));
  }

  private explain(options: readonly ActionOption[]): boolean {
    say("  Type the number of an action, or its name with arguments: slash target=south.");
    say('  To act for another seat, name it first: "south: pause".');
    say("  wait         lets time pass until the next timer; wait 5s as long as that");
    say("  event NAME   tells of an event of the game, with its arguments");
    say("  join SEAT    takes an open seat; leave SEAT leaves one");
    say(
      `  bot SEAT P   lets a policy play a seat (${policyNames(this.runnable).join(", ")}); person SEAT takes it back`,
    );
    say("  q            leaves the match");
    showOptions(options);
    return false;
  }

  private showWatched(): void {
    for (const path of this.watched) {
      const value = valueAt(view(this.runnable, this.situation, null).data, path);
      say(
        `  ${style("cyan", "watch")} ${path} = ${value === undefined ? style("dim", "not there now") : valueInWords(value)}`,
      );
    }
  }

  private wait(time: string | undefined): boolean {
    const { due } = view(this.runnable, this.situation, null);
    const by = time === undefined ? undefined : millisecondsFrom(time);
    if (time !== undefined && by === undefined) {
      say(`  "${time}" is no time; write 500ms, 2s, 10m, 36h or 10d.`);
      return false;
    }
    if (by === undefined && due === undefined) {
      say("  No timer is running.");
      return false;
    }
    const then = by === undefined ? (due as number) : this.situation.now + by;
    say(style("dim", `  ${duration(then - this.situation.now)} pass`));
    return this.take({ kind: "time", time: then });
  }

  private async event(name: string, typed: readonly string[]): Promise<boolean> {
    const known = events(this.runnable, this.situation).find((e) => e.event === name);
    const args = known
      ? await argumentsFrom(
          typed,
          (before) => ({ open: true, parameters: known.parameters.filter((p) => !Object.hasOwn(before, p.name)) }),
          (prompt) => this.ask(prompt),
        )
      : {};
    return args !== undefined && this.take({ kind: "event", event: name, args });
  }

  private async act(seat: string, options: readonly ActionOption[], line: string): Promise<boolean> {
    const other = /^([A-Za-z_]\w*):\s*(.*)$/.exec(line);
    if (other)
      return this.act(
        other[1] as string,
        optionsOf(this.runnable, this.situation, other[1] as string),
        other[2] as string,
      );
    const [word = "", ...rest] = line.split(/\s+/);
    const open = options.filter((o) => o.open);
    const action = /^\d+$/.test(word) ? open[Number(word) - 1]?.action : word;
    if (action === undefined) {
      say(`  There is no number ${word}; they go from 1 to ${open.length}.`);
      return false;
    }
    const args = await argumentsFrom(
      rest,
      (before) => optionsOf(this.runnable, this.situation, seat, { action, args: before })[0],
      (prompt) => this.ask(prompt),
      (parameter) => this.pick(seat, parameter),
    );
    return args !== undefined && this.take({ kind: "action", seat, action, args });
  }

  /** In a terminal a cell is picked on the first board there is. */
  private pick(seat: string, parameter: ParameterOption): Promise<string | undefined> | undefined {
    if (!parameter.type.startsWith("cell") || process.stdin.isTTY !== true) return undefined;
    const shown = view(this.runnable, this.situation, seat);
    const [field, board] =
      shown.data.map((f) => [f, boardOf(shown, f)] as const).find(([, b]) => b !== undefined) ?? [];
    const first = parameter.values?.find((v) => v.open)?.value;
    if (!field || !board || first === undefined || !isCell(first)) return undefined;
    return pickCell(
      first,
      { width: board[0]?.length ?? 0, height: board.length },
      (at) => boardLines(shown, field.name, board, at),
      (prompt) => this.ask(prompt),
    );
  }

  private take(input: Input): boolean {
    const result = step(this.runnable, this.situation, input);
    for (const taken of result.taken) {
      this.writer.add(taken);
      this.tell(this.situation, taken);
      this.situation = taken.situation;
    }
    this.situation = result.situation;
    if (result.refusal) say(style("yellow", `  ${result.refusal.words}`) + style("dim", ` (${result.refusal.code})`));
    if (result.fault) {
      const place = this.runnable.machine.sources.place(result.fault.position);
      say(
        style(
          "red",
          `  The machine is at fault (${result.fault.code}, ${place.file}:${place.line}:${place.column}): ${result.fault.words}`,
        ),
      );
    }
    return !result.refusal && !result.fault;
  }

  private tell(before: Situation | undefined, taken: Taken): void {
    const { rolls, notes, clamped } = taken.happenings;
    if (taken.input.kind === "timer") say(style("dim", `  timer ${taken.input.timer}`));
    if (rolls.length > 0) say(style("dim", `  dice ${rolls.map((r) => `${r.value} (${r.range})`).join(", ")}`));
    for (const note of notes) say(`  ${note.to === undefined ? "" : `to ${note.to}: `}${note.text}`);
    for (const signal of stepLine(this.runnable, before, taken).signals ?? [])
      say(style("dim", `  signal ${signalInWords(signal)}`));
    for (const { kept, wanted } of clamped) say(style("dim", `  clamped to ${kept} instead of ${wanted}`));
  }

  private async ask(prompt: string): Promise<string | undefined> {
    process.stdout.write(prompt);
    const { value, done } = await this.typed.next();
    if (process.stdin.isTTY !== true) say(done ? "" : String(value));
    return done ? undefined : String(value).trim();
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

/** The value at a dotted path, such as `kites.north.lift` or `Volley.left`; undefined when it is not there. */
function valueAt(data: ReturnType<typeof view>["data"], path: string): Parameters<typeof valueInWords>[0] {
  const parts = path.replaceAll("[", ".").replaceAll("]", "").split(".");
  const ofState = data.find((f) => f.state === parts[0] && f.name === parts[1]);
  const field = ofState ?? data.find((f) => f.state === undefined && f.name === parts[0]);
  let value: unknown = field?.value;
  for (const part of parts.slice(ofState ? 2 : 1))
    value =
      value !== null && typeof value === "object" && Object.hasOwn(value, part)
        ? (value as Record<string, unknown>)[part]
        : undefined;
  return value as Parameters<typeof valueInWords>[0];
}
