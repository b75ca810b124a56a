/** The loop of a local match: what goes on by itself, who is asked, and what was typed. */

import { createInterface, type Interface } from "node:readline/promises";
import { appendFileSync } from "node:fs";
import {
  boardOf,
  isCell,
  type LocalMatch,
  LogbookWriter,
  NoSuchBot,
  nearest,
  options,
  type Own,
  type ParameterOption,
  policyNames,
  type Input,
  events,
  valueInWords,
  type View,
} from "@zany/core";
import { needFolder, whyNot, writeText } from "../files.js";
import { boardLines, fieldLines } from "../show.js";
import { columns, duration, millisecondsFrom, printable, say, style } from "../terminal.js";
import { askedArguments } from "./asking.js";
import { pickCell } from "./cell-picker.js";
import { type Printer, printer } from "./printer.js";
import { ownStory, stepStory } from "./story.js";

/** Steps that go on by themselves before somebody is asked whether they should. */
const OWN_STEPS = 500;

/** What a line did: the match went on or looks different now, nothing, or the player quits. */
type Outcome = "on" | "again" | "quit";

/** How the logbook is written. */
interface Saving {
  /** The file that gets it at the end. */
  readonly file?: string | undefined;
  /** How many steps a digest stands for. */
  readonly digestEvery?: number | undefined;
  /** What was refused is in it too. */
  readonly refusals?: boolean | undefined;
}

export class Keyboard {
  private readonly printer: Printer;
  private readonly input: Interface;
  private readonly typed: AsyncIterator<string>;
  private own = 0;
  /** Timers that did nothing worth telling, and how much time has passed, since something was told. */
  private readonly quiet = new Map<string, number>();
  private passed = 0;

  constructor(
    private readonly match: LocalMatch,
    private readonly watched: readonly string[],
    private readonly saving: Saving,
  ) {
    this.input = createInterface({
      input: process.stdin,
      output: process.stdout,
      terminal: process.stdin.isTTY === true,
      completer: (line: string) => this.completions(line),
    });
    this.typed = this.input[Symbol.asyncIterator]();
    this.printer = printer(match, () => this.watchLines());
  }

  async play(): Promise<void> {
    const { runnable, taken } = this.match;
    for (const step of taken) this.printer.tell(stepStory(runnable, undefined, step));
    try {
      while (!this.match.situation.outcome && (await this.turn())) this.input.resume();
      this.flush();
      if (this.match.situation.outcome) this.printer.show(undefined, []);
    } finally {
      this.input.close();
      this.printer.close();
    }
    if (this.saving.file !== undefined) this.saveLogbook(this.saving.file);
  }

  /** Lets the match go on by itself, or asks somebody; false when the player quits. */
  private async turn(): Promise<boolean> {
    const { match } = this;
    const own = this.own < OWN_STEPS ? match.botStep() : undefined;
    if (own) return this.goOn(own);
    const asked = match.asked();
    const seat = asked?.seat;
    const more = asked === undefined || asked.mayPass ? (match.botStep() ?? match.ownStep()) : undefined;
    // Events that are not told by themselves are told by whoever sits here.
    const isPlayed = !match.options.events && match.waiting().events.length > 0;
    if (!asked && more && !isPlayed && this.own < OWN_STEPS) return this.goOn(more);
    this.flush();
    this.printer.show(seat, !asked || asked.mayPass ? match.waiting().words : []);
    if (this.own >= OWN_STEPS) say(style("dim", `  ${OWN_STEPS} steps without anybody at the keyboard.`));
    const goesOn = more ? style("dim", " (Enter: let it go on)") : "";
    for (;;) {
      const line = await this.ask(`${seat ?? "nobody"}${goesOn}> `);
      if (line === undefined) return false;
      if (line === "" && !more) continue;
      this.own = 0;
      if (line === "" && more) return this.goOn(more);
      const outcome = await this.line(line, seat);
      if (outcome !== "again") return outcome === "on";
    }
  }

  private goOn(own: Own): boolean {
    this.own++;
    const before = this.match.situation.now;
    const taken = this.take(own.input, ownStory(own), own.by === undefined ? "time" : "own");
    this.passed += this.match.situation.now - before;
    // A policy that gets refused would be refused for ever: a person goes on.
    if (!taken && own.input.kind === "action") this.match.removeBot(own.input.seat);
    return true;
  }

  // ---- what is typed -----------------------------------------------------------------------------

  /** An action's name comes before a command's; a command also answers with a slash before it. */
  private async line(line: string, seat: string | undefined): Promise<Outcome> {
    const [word = ""] = /^\S+/.exec(line) ?? [];
    const rest = line.slice(word.length).trim();
    const { machine } = this.match.runnable;
    if (word.startsWith("/")) return this.command(word.slice(1), rest, seat);
    if (/^\d+$/.test(word)) return this.numbered(Number(word), rest, seat);
    const name = /^\w+/.exec(word)?.[0] ?? "";
    if (machine.actions.some((action) => action.name === name)) return this.action(seat, line);
    if (Object.hasOwn(this.commands, word)) return this.command(word, rest, seat);
    if (machine.seats.names.includes(name)) return this.action(name, rest);
    if (machine.signals.some((s) => s.name === name && s.origin === "event"))
      return this.say(`"${name}" is an event of the game: event ${line}.`);
    return this.say(`There is no action "${name || word}" here.${this.suggestion(name)} ? lists what can be typed.`);
  }

  private suggestion(name: string): string {
    const { machine } = this.match.runnable;
    const known = [...machine.actions.map((a) => a.name), ...Object.keys(this.commands), ...machine.seats.names];
    const near = nearest(name, known);
    return near === undefined ? "" : ` Did you mean "${near}"?`;
  }

  private async numbered(number: number, rest: string, seat: string | undefined): Promise<Outcome> {
    const open =
      seat === undefined ? [] : options(this.match.runnable, this.match.situation, seat).filter((o) => o.open);
    const option = open[number - 1];
    if (option) return this.action(seat, `${option.action}${rest === "" || rest.startsWith("(") ? "" : " "}${rest}`);
    return this.say(
      open.length === 0
        ? "Nothing is open to anybody."
        : `There is no number ${number}; they go from 1 to ${open.length}.`,
    );
  }

  /** An action of a seat: `slash(south) dice 6`, or its name alone; or that the seat joins or leaves. */
  private async action(seat: string | undefined, line: string): Promise<Outcome> {
    const { runnable, situation } = this.match;
    const whose = seat ?? this.match.seenBy(null).seats[0]?.seat ?? "";
    const [, name = "", rest = ""] = /^(\w+)\s*(.*)$/s.exec(line) ?? [];
    if (name === "") return this.say(`What does ${whose} do? Type an action behind the seat.`);
    const [offered] = options(runnable, situation, whose, { action: name, args: {} });
    const parameters = this.parametersOf(name, offered?.parameters.map((p) => p.name) ?? []);
    if (rest !== "" && !rest.startsWith("(") && !rest.startsWith("dice ") && !/^(joins|leaves)$/.test(name))
      return this.say(
        parameters.length > 0
          ? `Arguments stand in brackets, as in a test: ${name}(${parameters.map((p) => p.name).join(", ")}).`
          : `"${name}" takes no arguments; behind it only dice can stand, as in "${name} dice 6".`,
      );
    let args = "";
    if (parameters.length > 0 && (rest === "" || rest.startsWith("dice "))) {
      if (!offered) return this.take({ kind: "action", seat: whose, action: name }, [], "typed") ? "on" : "again";
      if (!offered.open) return this.say(offered.reason ?? "It is closed.", offered.code);
      const asked = await askedArguments(
        parameters,
        (before) => options(runnable, situation, whose, { action: name, args: before })[0],
        (prompt) => this.ask(prompt),
        (parameter) => this.pick(whose, parameter),
      );
      if (asked === undefined) return "again";
      args = `(${asked})`;
    }
    return this.takeTyped(`${whose} ${name}${args}${args === "" ? line.slice(name.length) : ` ${rest}`}`.trimEnd());
  }

  /** The parameters of an action; of several with its name, of the one that is offered. */
  private parametersOf(name: string, offered: readonly string[]) {
    const named = this.match.runnable.machine.actions.filter((a) => a.name === name);
    const isOffered = named.find((a) => a.parameters.map((p) => p.name).join() === offered.join());
    return (isOffered ?? named[0])?.parameters ?? [];
  }

  /** Takes a line as a test has it, or says why it cannot be. */
  private takeTyped(line: string): Outcome {
    const typed = this.match.read(line);
    if (typed.kind === "wrong") return this.say([typed.words, typed.help].filter(Boolean).join(" "));
    return this.take(typed.input, [], "typed", line) ? "on" : "again";
  }

  /** Takes a step and tells what came of it; false when it was refused. */
  private take(input: Input, story: readonly string[], how: "typed" | "own" | "time", line = ""): boolean {
    const { match } = this;
    let before = match.situation;
    const result = match.take(input, how === "typed");
    const lines = [...story];
    for (const taken of result.taken) {
      const told = stepStory(match.runnable, before, taken);
      before = taken.situation;
      // Of time that passes by itself only what else happened is told; the timers are counted.
      if (how === "time" && taken.input.kind === "timer" && told.length === 1)
        this.quiet.set(taken.input.timer, (this.quiet.get(taken.input.timer) ?? 0) + 1);
      else lines.push(...told);
    }
    if (lines.length > 0) this.flush();
    if (line !== "" && !result.refusal && !result.fault) this.printer.done(line);
    this.printer.tell(lines);
    if (result.refusal) this.say(result.refusal.words, result.refusal.code);
    if (result.fault) {
      const { file, line, column } = match.runnable.machine.sources.place(result.fault.position);
      const where = `${result.fault.code}, ${file}:${line}:${column}`;
      say(style("red", `  The machine is at fault (${where}): ${result.fault.words}`));
    }
    return !result.refusal && !result.fault;
  }

  /** Tells how much time has passed by itself since the last thing that was told. */
  private flush(): void {
    const timers = [...this.quiet].map(([name, times]) => (times === 1 ? name : `${name} ${times} times`));
    if (this.passed > 0)
      this.printer.tell([
        style("dim", `  ${duration(this.passed)} pass${timers.length > 0 ? ` (${timers.join(", ")})` : ""}`),
      ]);
    this.quiet.clear();
    this.passed = 0;
  }

  private say(words: string, code?: string): "again" {
    say(style("yellow", `  ${words}`) + (code === undefined ? "" : style("dim", ` (${code})`)));
    return "again";
  }

  // ---- commands ----------------------------------------------------------------------------------

  private async command(name: string, rest: string, seat: string | undefined): Promise<Outcome> {
    const command = Object.hasOwn(this.commands, name) ? this.commands[name] : undefined;
    if (!command) return this.say(`There is no command "/${name}". ? lists them.`);
    return command.run(rest, seat);
  }

  /** What can be typed beside actions. */
  private readonly commands: Readonly<
    Record<
      string,
      { readonly help: string; readonly run: (rest: string, seat: string | undefined) => Outcome | Promise<Outcome> }
    >
  > = {
    "?": { help: "?                 says all this", run: () => this.help() },
    help: { help: "", run: () => this.help() },
    look: {
      help: "look [DATA]       shows everything, or one piece of data",
      run: (name, seat) => this.look(name, seat),
    },
    wait: {
      help: "wait [5s]         lets time pass, to the next timer or as long as that",
      run: (time) => this.wait(time),
    },
    event: { help: "event NAME(..)    tells of an event of the game", run: (line) => this.event(line) },
    join: { help: "join SEAT         takes an open seat", run: (name) => this.seatLine(name, "joins") },
    leave: {
      help: "leave [SEAT]      gives up a seat",
      run: (name, seat) => this.seatLine(name || (seat ?? ""), "leaves"),
    },
    bot: { help: "bot SEAT POLICY   lets a policy play a seat", run: (rest) => this.bot(rest) },
    person: { help: "person SEAT       takes it back", run: (name) => this.person(name) },
    undo: { help: "undo              takes back the last line, and all that went on since", run: () => this.undo() },
    test: {
      help: 'test "WORDS" [to FILE]   writes the match so far as a test',
      run: (rest) => this.test(rest),
    },
    save: { help: "save FILE         writes the logbook", run: (file) => this.saveNow(file) },
    q: { help: "q                 quits", run: () => "quit" },
    quit: { help: "", run: () => "quit" },
  };

  private help(): Outcome {
    say("  Type the number of an action, or the action as tests write it: slash(south), walk(cell(1, 1)) dice 6, 2.");
    say("  Its name alone asks for what is missing. To act for another seat, name it first: south brace.");
    for (const { help } of Object.values(this.commands)) if (help !== "") say(`  ${help}`);
    say(
      `  Policies: ${policyNames(this.match.runnable).join(", ")}. Where an action has the name of a command: /leave.`,
    );
    return "again";
  }

  private look(name: string, seat: string | undefined): Outcome {
    const seen = this.match.seenBy(seat ?? null);
    if (name === "") {
      this.printer.showAll(seat);
      return "again";
    }
    const field = seen.data.find((f) => (f.state === undefined ? f.name : `${f.state}.${f.name}`) === name);
    if (!field) return this.say(`There is no "${name}" here; there are ${seen.data.map((f) => f.name).join(", ")}.`);
    for (const line of fieldLines(seen, field, { width: columns() })) say(line);
    return "again";
  }

  private wait(time: string): Outcome {
    if (time !== "") {
      if (millisecondsFrom(time.split(" ")[0] ?? "") === undefined)
        return this.say(`"${time}" is no time; write 500ms, 2s, 10m, 36h or 10d.`);
      return this.takeTyped(`wait ${time}`);
    }
    const due = this.match.waiting().timer?.due;
    if (due === undefined) return this.say("No timer is running.");
    this.printer.tell([style("dim", `  ${duration(due - this.match.situation.now)} pass`)]);
    return this.take({ kind: "time", time: due }, [], "typed") ? "on" : "again";
  }

  private async event(line: string): Promise<Outcome> {
    const { runnable, situation } = this.match;
    const known = events(runnable, situation);
    const heard = known.filter((e) => e.heard).map((e) => e.event);
    const [, name = "", rest = ""] = /^(\w+)\s*(.*)$/s.exec(line) ?? [];
    if (name === "") return this.say(`Which event? Heard now: ${heard.join(", ") || "none"}.`);
    const event = known.find((e) => e.event === name);
    let args = rest;
    if (event && event.parameters.length > 0 && (rest === "" || rest.startsWith("dice "))) {
      const parameters = runnable.machine.signals.find((s) => s.name === name)?.parameters ?? [];
      const asked = await askedArguments(
        parameters,
        () => event,
        (prompt) => this.ask(prompt),
      );
      if (asked === undefined) return "again";
      args = `(${asked}) ${rest}`;
    }
    if (event && !event.heard) say(style("dim", "  Nothing hears it now."));
    return this.takeTyped(`event ${name}${args}`);
  }

  private seatLine(name: string, what: "joins" | "leaves"): Outcome {
    return name === "" ? this.say("Which seat?") : this.takeTyped(`${name} ${what}`);
  }

  private bot(rest: string): Outcome {
    const [seat = "", policy = "random"] = rest.split(/\s+/);
    try {
      this.match.setBot(seat, policy);
      return "on";
    } catch (error) {
      if (error instanceof NoSuchBot) return this.say(error.message);
      throw error;
    }
  }

  private person(seat: string): Outcome {
    return this.match.removeBot(seat) ? "on" : this.say(`No bot plays "${seat}".`);
  }

  private undo(): Outcome {
    if (!this.match.undo()) return this.say("There is nothing to take back.");
    this.printer.tell([style("dim", `  taken back: the match is at step ${this.match.situation.step} again`)]);
    return "on";
  }

  private test(rest: string): Outcome {
    const asked = /^(?:"([^"]*)")?\s*(?:to\s+(\S+))?$/.exec(rest);
    if (!asked) return this.say('The words stand in quotes: test "a gust", test "a gust" to FILE.');
    const [, words = "", file] = asked;
    const text = this.match.asTest(words || `played on ${new Date().toISOString().slice(0, 10)}`);
    if (file === undefined) {
      for (const line of text.trimEnd().split("\n")) say(line);
      return "again";
    }
    try {
      appendFileSync(file, `\n${text}`);
      say(`  The test stands at the end of ${file}.`);
    } catch (error) {
      this.say(`Cannot write "${file}": ${whyNot(error)}.`);
    }
    return "again";
  }

  private saveNow(file: string): Outcome {
    if (file === "") return this.say("To which file?");
    try {
      needFolder(file);
      this.saveLogbook(file);
    } catch (error) {
      return this.say((error as Error).message);
    }
    return "again";
  }

  private saveLogbook(file: string): void {
    const { runnable, taken, options: wish } = this.match;
    const [first, ...steps] = taken;
    if (!first) return;
    const lines: string[] = [];
    const writer = new LogbookWriter(runnable, wish.how, first, (line) => lines.push(line), this.saving.digestEvery);
    const refused = this.saving.refusals ? [...this.match.refused] : [];
    for (const one of [first, ...steps]) {
      if (one !== first) writer.add(one);
      while (refused[0]?.after === one.situation.step) writer.refuse(refused.shift() as (typeof refused)[number]);
    }
    writer.close();
    writeText(file, lines.join(""));
    say(`The logbook is in ${file}.`);
  }

  // ---- asking ------------------------------------------------------------------------------------

  /** In a terminal a cell is picked on the first board there is. */
  private pick(seat: string, parameter: ParameterOption): Promise<string | undefined> | undefined {
    if (!parameter.type.startsWith("cell") || process.stdin.isTTY !== true) return undefined;
    const shown = this.match.seenBy(seat);
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

  private async ask(prompt: string): Promise<string | undefined> {
    process.stdout.write(printable(prompt));
    const { value, done } = await this.typed.next();
    if (process.stdin.isTTY !== true) say(done ? "" : String(value));
    return done ? undefined : String(value).trim();
  }

  /** What the tabulator key offers: actions that are open now, seats and commands. */
  private completions(line: string): [string[], string] {
    const { runnable, situation } = this.match;
    const asked = this.match.asked();
    const open = asked ? options(runnable, situation, asked.seat).filter((o) => o.open) : [];
    const all = [...open.map((o) => o.action), ...runnable.machine.seats.names, ...Object.keys(this.commands)];
    return [all.filter((name) => name.startsWith(line)), line];
  }

  private watchLines(): string[] {
    const { data } = this.match.seenBy(null);
    return this.watched.map((path) => {
      const value = valueAt(data, path);
      const text = value === undefined ? style("dim", "not there now") : valueInWords(value);
      return `  ${style("cyan", "watch")} ${path} = ${text}`;
    });
  }
}

/** The value at a dotted path, such as `kites.north.lift` or `Volley.left`; undefined when it is not there. */
function valueAt(data: View["data"], path: string): Parameters<typeof valueInWords>[0] {
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
