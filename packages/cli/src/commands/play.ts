/** `zany play`: a match in the terminal, all seats at one keyboard. */

import { randomBytes } from "node:crypto";
import { writeFileSync } from "node:fs";
import { createInterface, type Interface } from "node:readline/promises";
import { type ActionOption, type BeginOptions, begin, LogbookWriter, options as optionsOf, type ParameterOption, type Runnable, type Situation, step, type Taken, view } from "@zany/core";
import { overrideFrom, runnableFile, UsedWrongly, valueFrom } from "../files.js";
import { showOptions, showView } from "../show.js";
import { duration, say, style } from "../terminal.js";

interface PlayOptions {
  readonly seed?: string;
  readonly given: readonly string[];
  readonly seats?: number;
  readonly save?: string;
}

export async function play(file: string, options: PlayOptions): Promise<number> {
  const runnable = runnableFile(file);
  if (!runnable) return 1;
  const seed = options.seed ?? randomBytes(6).toString("hex");
  const beginOptions: BeginOptions = { seed, overrides: options.given.map(overrideFrom), now: Date.now(), ...(options.seats !== undefined && { seats: options.seats }) };
  const begun = begin(runnable, beginOptions);
  if (!begun.taken) throw new UsedWrongly(begun.refusal?.words ?? begun.fault?.words ?? "The match does not begin.");
  const lines: string[] = [];
  const writer = new LogbookWriter(runnable, beginOptions, begun.taken, (line) => lines.push(line));
  say(`${style("bold", runnable.machine.name)}  ${style("dim", `seed ${seed}; type a number, or a name with its arguments; ? explains, q leaves`)}`);
  const table = new Table(runnable, begun.taken, writer);
  await table.play();
  writer.close();
  if (options.save !== undefined) {
    writeFileSync(options.save, lines.join(""));
    say(`The logbook is in ${options.save}.`);
  }
  return 0;
}

/** One match at one keyboard. */
class Table {
  private situation: Situation;
  private readonly input: Interface = createInterface({ input: process.stdin, output: process.stdout, terminal: process.stdin.isTTY === true });
  private readonly typed: AsyncIterator<string>;

  constructor(
    private readonly runnable: Runnable,
    first: Taken,
    private readonly writer: LogbookWriter,
  ) {
    this.situation = first.situation;
    this.typed = this.input[Symbol.asyncIterator]();
    this.tell(first);
  }

  async play(): Promise<void> {
    try {
      while (!this.situation.outcome) {
        say();
        showView(view(this.runnable, this.situation, this.onTurn() ?? null));
        const acted = await this.turn();
        if (!acted) break;
      }
      if (this.situation.outcome) {
        say();
        showView(view(this.runnable, this.situation, null));
      }
    } finally {
      this.input.close();
    }
  }

  /** Asks until something was done; false when the player leaves. */
  private async turn(): Promise<boolean> {
    const seat = this.onTurn() ?? this.anyoneWhoCan();
    const options = seat === undefined ? [] : optionsOf(this.runnable, this.situation, seat);
    if (seat !== undefined) showOptions(options);
    for (;;) {
      const line = await this.ask(seat === undefined ? "nobody can act; wait, or q: " : `${seat}> `);
      if (line === undefined || line === "q") return false;
      if (line === "") continue;
      if (line === "?") this.explain(options);
      else if (line === "wait") return this.wait();
      else if (seat !== undefined && (await this.act(seat, options, line))) return true;
    }
  }

  /** The seat that is asked next: with several on turn, the first. */
  private onTurn(): string | undefined {
    return view(this.runnable, this.situation, null).turn[0];
  }

  /** A seat that may act although it is nobody's turn, as under a pause. */
  private anyoneWhoCan(): string | undefined {
    return view(this.runnable, this.situation, null).seats.map((s) => s.seat).find((seat) => optionsOf(this.runnable, this.situation, seat).some((o) => o.open));
  }

  private explain(options: readonly ActionOption[]): void {
    say("  Type the number of an action, or its name with arguments: slash target=south.");
    say('  To act for another seat, name it first: "south: pause".');
    say("  wait lets time pass until the next timer; q leaves the match.");
    showOptions(options);
  }

  private wait(): boolean {
    const due = view(this.runnable, this.situation, null).due;
    if (due === undefined) {
      say("  No timer is running.");
      return true;
    }
    say(style("dim", `  ${duration(due - this.situation.now)} pass`));
    return this.take(step(this.runnable, this.situation, { kind: "time", at: due }));
  }

  private async act(seat: string, options: readonly ActionOption[], line: string): Promise<boolean> {
    const other = /^([A-Za-z_]\w*):\s*(.*)$/.exec(line);
    if (other) return this.act(other[1] as string, optionsOf(this.runnable, this.situation, other[1] as string), other[2] as string);
    const [word = "", ...rest] = line.split(/\s+/);
    const open = options.filter((o) => o.open);
    const action = /^\d+$/.test(word) ? open[Number(word) - 1]?.action : word;
    if (action === undefined) {
      say(`  There is no number ${word}; they go from 1 to ${open.length}.`);
      return false;
    }
    const args = await this.arguments(seat, action, rest);
    if (!args) return false;
    return this.take(step(this.runnable, this.situation, { kind: "act", seat, action, args }));
  }

  /** Arguments as typed; those that are missing are asked for, and a single open value is taken at once. */
  private async arguments(seat: string, action: string, typed: readonly string[]): Promise<Record<string, unknown> | undefined> {
    const args: Record<string, unknown> = {};
    const named = new Map<string, string>();
    const plain: string[] = [];
    for (const text of typed) {
      const equals = text.indexOf("=");
      if (equals > 0) named.set(text.slice(0, equals), text.slice(equals + 1));
      else plain.push(text);
    }
    for (;;) {
      const [option] = optionsOf(this.runnable, this.situation, seat, { action, args });
      const parameter = option?.parameters.find((p) => !Object.hasOwn(args, p.name));
      if (!parameter || (!option?.open && plain.length === 0 && named.size === 0)) {
        // Names that fit no parameter go along, so that the refusal can say so.
        for (const [name, text] of named) args[name] = valueFrom(text);
        return args;
      }
      const given = named.get(parameter.name) ?? plain.shift() ?? this.onlyOpen(parameter) ?? (await this.askFor(parameter));
      if (given === undefined) return undefined;
      named.delete(parameter.name);
      // What is shown can be typed: "3,1" for a cell, "sails 2" for a card.
      const shown = parameter.values?.find((v) => v.label === given);
      args[parameter.name] = shown ? shown.value : typeof given === "string" ? valueFrom(given) : given;
    }
  }

  private onlyOpen(parameter: ParameterOption): unknown {
    const open = parameter.values?.filter((v) => v.open) ?? [];
    return open.length === 1 ? open[0]?.value : undefined;
  }

  private async askFor(parameter: ParameterOption): Promise<unknown> {
    const open = parameter.values?.filter((v) => v.open);
    if (!open) {
      const range = parameter.range ? ` (${parameter.range.low} to ${parameter.range.high})` : "";
      return this.ask(`  ${parameter.name}${range}: `);
    }
    for (const [i, v] of open.entries()) say(`    ${style("bold", String(i + 1))}  ${v.label}`);
    for (const v of parameter.values?.filter((x) => !x.open) ?? []) say(style("dim", `    -  ${v.label}  ${v.reason ?? ""}`));
    const line = await this.ask(`  ${parameter.name}: `);
    if (line === undefined || line === "") return undefined;
    return (/^\d+$/.test(line) ? open[Number(line) - 1]?.value : undefined) ?? line;
  }

  private take(result: ReturnType<typeof step>): boolean {
    for (const taken of result.taken) {
      this.writer.add(taken);
      this.tell(taken);
    }
    this.situation = result.situation;
    if (result.refusal) say(style("yellow", `  ${result.refusal.words}`) + style("dim", ` (${result.refusal.code})`));
    if (result.fault) {
      const place = this.runnable.machine.sources.place(result.fault.position);
      say(style("red", `  The machine is at fault (${result.fault.code}, ${place.file}:${place.line}:${place.column}): ${result.fault.words}`));
    }
    return !result.refusal && !result.fault;
  }

  private tell(taken: Taken): void {
    const { draws, notes, stops } = taken.happenings;
    if (draws.length > 0) say(style("dim", `  dice ${draws.map((d) => `${d.value} (${d.range})`).join(", ")}`));
    for (const note of notes) say(`  ${note.to === undefined ? "" : `to ${note.to}: `}${note.text}`);
    for (const stop of stops) say(style("dim", `  stopped at ${stop.kept} instead of ${stop.wanted}`));
  }

  private async ask(prompt: string): Promise<string | undefined> {
    process.stdout.write(prompt);
    const { value, done } = await this.typed.next();
    if (process.stdin.isTTY !== true) say(done ? "" : String(value));
    return done ? undefined : String(value).trim();
  }
}
