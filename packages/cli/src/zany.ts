/**
 * The entry of `zany`: commands, options and help. The work is in a bundle of its own that is loaded
 * only when a command runs, so that help and mistakes are answered at once.
 */

import { delimiter } from "node:path";
import { Argument, Command, CommanderError, InvalidArgumentError, Option } from "commander";
import type * as Work from "./commands/index.js";
import { completionScript, SHELLS } from "./completions.js";
import { complain } from "./terminal.js";

const USED_WRONGLY = 2;

const work = async (): Promise<typeof Work> => (await import("./work.cjs" as string)) as typeof Work;

function wholeNumber(text: string): number {
  if (!/^[0-9]+$/.test(text)) throw new InvalidArgumentError("It is a whole number.");
  return Number(text);
}

function atLeastOne(text: string): number {
  const number = wholeNumber(text);
  if (number < 1) throw new InvalidArgumentError("It is at least 1.");
  return number;
}

function port(text: string): number {
  const number = wholeNumber(text);
  if (number > 65_535) throw new InvalidArgumentError("It is at most 65535; 0 takes a free one.");
  return number;
}

function webAddress(text: string): string {
  if (!/^https?:\/\//.test(text) || !URL.canParse(text))
    throw new InvalidArgumentError("It is an address such as http://127.0.0.1:4747.");
  return text;
}

function collect(text: string, before: readonly string[]): readonly string[] {
  return [...before, text];
}

const junit = () => new Option("--junit <file>", "write a JUnit report to this file too");
const json = () => new Option("--json", "print one JSON value for programs");
const service = () =>
  new Option("--service <url>", "the service to talk to")
    .argParser(webAddress)
    .env("ZANY_SERVICE")
    .default("http://127.0.0.1:4747");
const keyOption = () =>
  new Option("--key <key>", "a seat's key; keys of matches begun here are known already").env("ZANY_KEY");
const given = () =>
  new Option(
    "--given <path=value>",
    "starting data, such as kites.north.lift=3; state=NAME to begin in a state, state.ARGUMENT=VALUE; may be repeated",
  )
    .argParser(collect)
    .default([], "none");
const bot = () =>
  new Option("--bot <seat=policy>", "let a policy of the machine, or random, play a seat; may be repeated")
    .argParser(collect)
    .default([], "none");
const example = (command: Command, ...lines: string[]): Command =>
  command.addHelpText("after", `\nExample:\n${lines.map((l) => `  $ ${l}`).join("\n")}`);

const program = new Command("zany")
  .description("Write the turn flow of a turn-based game as a state machine: check, play, host, replay and verify it.")
  .version("0.3.0", "-V, --version", "print the version")
  .addOption(
    new Option("--include <folder>", "a further folder that machines may include files from; may be repeated")
      .argParser(collect)
      .default([], "the machine's folder"),
  )
  .hook("preAction", (whole) => {
    const { include } = whole.opts<{ include: readonly string[] }>();
    if (include.length > 0) process.env["ZANY_INCLUDE"] = include.join(delimiter);
  })
  .helpOption("-h, --help", "show help")
  .helpCommand("help [command]", "show help for a command")
  .showSuggestionAfterError(true)
  .configureOutput({ outputError: (text, write) => write(text.replace(/^error: /, "zany: ")) })
  .exitOverride();
program.addHelpText(
  "after",
  "\nExit codes: 0 no problems found, 1 something was found, 2 used wrongly.\nEvery command explains itself: zany " +
    "check --help",
);

const add = (spec: string, description: string, hidden = false): Command =>
  program.command(spec, { hidden }).description(description).exitOverride().configureOutput(program.configureOutput());

example(
  add("check", "read machines and say what is wrong, and where")
    .argument("<file...>", "machines, or folders of machines; - reads standard input")
    .option("--fix", "carry out the fixes that are certain")
    .addOption(new Option("--hints <which>", "show what may well be meant so").choices(["all", "none"]).default("none"))
    .option("--strict", "hints count as problems")
    .addOption(junit())
    .addOption(json()),
  "zany check examples",
  "zany check --fix my.zany",
).action(async (files, options) => finish((await work()).check(files, options)));

example(
  add("explain", "explain a message: what it means, a file that triggers it, the same fixed").argument(
    "[name]",
    "the message's name; without, all names",
  ),
  "zany explain endings-overlap",
).action(async (name) => finish((await work()).explain(name)));

example(
  add("table", "show every state against every action, signal, event and timer")
    .argument("<file>", "the machine")
    .option("--state <name>", "only this state and those inside it")
    .option("--csv", "print comma-separated values")
    .addOption(json()),
  "zany table examples/kite-duel.zany --state Turn",
).action(async (file, options) => finish((await work()).table(file, options)));

example(
  add("outline", "list states, actions and data, one line each").argument("<file>", "the machine").addOption(json()),
  "zany outline examples/kite-duel.zany",
).action(async (file, options) => finish((await work()).outline(file, options)));

example(
  add("diagram", "draw a machine, as SVG or as text for drawing tools")
    .argument("<file>", "the machine")
    .option("--dot", "text in the DOT language instead of SVG")
    .option("--fold <state>", "do not show what is inside this state; may be repeated", collect, [])
    .option("--out <file>", "write it to this file"),
  "zany diagram examples/kite-duel.zany --out kite-duel.svg",
).action(async (file, options) => finish((await work()).diagram(file, options)));

example(
  add("dump", "show what the compiler makes of a machine", true)
    .argument("<file>", "the machine")
    .option("--tokens", "the tokens of this file")
    .option("--tree", "its syntax tree, as JSON")
    .option("--machine", "the typed machine, as JSON")
    .option("--code", "the JavaScript that runs"),
  "zany dump --code examples/kite-duel.zany",
).action(async (file, options) => finish((await work()).dump(file, options)));

example(
  add("lsp", "answer an editor: the Language Server Protocol over standard input and output").addOption(
    new Option("--stdio", "the only way there is").hideHelp(),
  ),
  "zany lsp",
).action(async () => finish((await work()).lsp()));

example(
  add("format", "set machines in and space them, keeping every comment")
    .argument("<file...>", "machines to format")
    .option("--check", "change nothing; say which files would change"),
  "zany format --check examples/*.zany",
).action(async (files, options) => finish((await work()).format(files, options)));

example(
  add("test", "run the tests that stand in machines")
    .argument("<file...>", "machines, or folders of machines; - reads standard input")
    .option("--only <text>", "run only tests whose words hold this text")
    .addOption(junit())
    .addOption(json()),
  'zany test examples/kite-duel.zany --only "ten days"',
).action(async (files, options) => finish((await work()).test(files, options)));

example(
  add("play", "play a machine in this terminal, all seats in turn")
    .argument("<file>", "the machine to play")
    .option("--seed <text>", "where the dice come from; without, a new one each time")
    .addOption(given())
    .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
    .option("--open <seat>", "a seat that nobody has taken yet; may be repeated", collect, [])
    .addOption(bot())
    .option("--events", "the game's events happen by themselves too, at random")
    .option("--watch <path>", "show this datum at every step, such as kites.north.lift; may be repeated", collect, [])
    .option("--save <file>", "write the match's logbook to this file"),
  "zany play examples/kite-duel.zany --bot south=careful",
  "zany play examples/kite-volleys.zany --given state=Volley --given state.pattern=wall --given tears=4",
).action(async (file, options) => finish((await work()).play(file, options)));

example(
  add("replay", "show a logbook step by step")
    .argument("<logbook>", "the logbook to show")
    .option("--machine <file>", "play it again on this machine and mark where it diverges")
    .option("--step <number>", "show this step in full", wholeNumber)
    .addOption(json()),
  "zany replay examples/logbooks/kite-duel-01.jsonl --machine examples/kite-duel.zany --step 3",
).action(async (file, options) => finish((await work()).replay(file, options)));

example(
  add("verify", "replay logbooks on a machine and name the first step that differs")
    .argument("<logbook...>", "logbooks to verify")
    .requiredOption("--machine <file>", "the machine to replay them on")
    .addOption(junit())
    .addOption(json()),
  "zany verify examples/logbooks/kite-duel-*.jsonl --machine examples/kite-duel.zany",
).action(async (files, options) => finish((await work()).verify(files, options)));

example(
  add("simulate", "let bots play many matches and count")
    .argument("<file>", "the machine to play")
    .option("--matches <number>", "how many matches", atLeastOne, 1000)
    .option("--seed <text>", "where everything random comes from", "zany")
    .addOption(bot())
    .addOption(given())
    .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
    .option("--cores <number>", "how many cores to use; the result is the same for any", atLeastOne)
    .addOption(json()),
  "zany simulate examples/kite-duel.zany --matches 2000 --bot north=careful",
).action(async (file, options) => finish((await work()).simulate(file, options)));

example(
  add("serve", "run the service and its console")
    .option("--port <number>", "the port to listen on", port, 4747)
    .option("--host <address>", "the address to listen on", "127.0.0.1")
    .option("--data <folder>", "where everything is kept", ".zany")
    .option("--demo", "load the Gale Fair's machines and logbooks first")
    .addOption(
      new Option("--log-level <level>", "how much is logged")
        .choices(["trace", "debug", "info", "warn", "error", "silent"])
        .default("info"),
    ),
  "zany serve --port 8080 --data fair-data",
).action(async (options) => finish((await work()).serve(options)));

example(
  add("doctor", "compare all that a data folder holds with itself, while no service uses it")
    .option("--data <folder>", "the folder", ".zany")
    .addOption(json()),
  "zany doctor --data fair-data",
).action(async (options) => finish((await work()).doctor(options)));

example(
  add("upload", "store a machine, or a logbook, in a service")
    .argument("<file>", "a .zany or .jsonl file")
    .addOption(service())
    .addOption(json()),
  "zany upload examples/kite-duel.zany",
).action(async (file, options) => finish((await work()).upload(file, options)));

example(
  add("completions", "print a completion script for a shell").addArgument(
    new Argument("<shell>", "the shell").choices(SHELLS),
  ),
  "zany completions bash > ~/.local/share/bash-completion/completions/zany",
).action((shell) => {
  process.stdout.write(completionScript(program, shell));
});

const match = add("match", "begin, watch and play matches of a service");
const addMatch = (spec: string, description: string): Command =>
  match
    .command(spec)
    .description(description)
    .exitOverride()
    .configureOutput(program.configureOutput())
    .addOption(service())
    .addOption(json());

example(
  addMatch("new", "begin a match and print a key for each seat")
    .argument("<machine>", "a machine's name, Name@2, or hash")
    .option("--seed <text>", "where the dice come from")
    .addOption(given())
    .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
    .option("--open <seat>", "a seat left open for somebody to take; may be repeated", collect, [])
    .addOption(bot())
    .option("--manual-clock", "time passes only by: zany match wait"),
  "zany match new KiteDuel",
  "zany match new KiteDuel --bot south=careful",
).action(async (machine, options) => finish((await work()).matchNew(machine, options)));

example(addMatch("list", "list matches, the newest first"), "zany match list").action(async (options) =>
  finish((await work()).matchList(options)),
);

example(
  addMatch("show", "show a match as a seat, or as a watcher")
    .argument("<match>", "the match")
    .option("--seat <seat>", "the seat to look from")
    .addOption(keyOption()),
  "zany match show wp4czdr2jj --seat north",
).action(async (id, options) => finish((await work()).matchShow(id, options)));

example(
  addMatch("act", "take an action for a seat")
    .argument("<match>", "the match")
    .argument("<seat>", "the seat that acts")
    .argument("<action>", "the action")
    .argument("[arguments...]", "its arguments, as name=value")
    .option("--step <number>", "the step you believe to be current", wholeNumber)
    .addOption(keyOption()),
  "zany match act wp4czdr2jj north slash target=south",
).action(async (id, seat, action, args, options) => finish((await work()).matchAct(id, seat, action, args, options)));

example(
  addMatch("event", "tell a match of an event of the game")
    .argument("<match>", "the match")
    .argument("<event>", "the event")
    .argument("[arguments...]", "its arguments, as name=value")
    .addOption(keyOption()),
  "zany match event wp4czdr2jj KitesLeft left=2",
).action(async (id, event, args, options) => finish((await work()).matchEvent(id, event, args, options)));

example(
  addMatch("wait", "let time pass on a manual clock")
    .argument("<match>", "the match")
    .argument("[time]", "how long, such as 2s or 10m; without, to the next timer")
    .addOption(keyOption()),
  "zany match wait wp4czdr2jj 10s",
).action(async (id, time, options) => finish((await work()).matchWait(id, time, options)));

example(
  addMatch("join", "take an open seat").argument("<match>", "the match").argument("<seat>", "the seat"),
  "zany match join wp4czdr2jj south",
).action(async (id, seat, options) => finish((await work()).matchJoin(id, seat, options)));

example(
  addMatch("leave", "leave a seat for good")
    .argument("<match>", "the match")
    .argument("<seat>", "the seat")
    .addOption(keyOption()),
  "zany match leave wp4czdr2jj south",
).action(async (id, seat, options) => finish((await work()).matchLeave(id, seat, options)));

example(
  addMatch("bot", "let a bot play a seat, or give it back")
    .argument("<match>", "the match")
    .argument("<seat>", "the seat")
    .argument("[policy]", "a policy of the machine, or random; without, a person plays again")
    .addOption(keyOption()),
  "zany match bot wp4czdr2jj south careful",
).action(async (id, seat, policy, options) => finish((await work()).matchBot(id, seat, policy, options)));

example(
  addMatch("resume", "let a suspended match go on")
    .argument("<match>", "the match")
    .option("--machine <machine>", "on this version, on which all its steps go as they went: Name@2, or a hash")
    .addOption(keyOption()),
  "zany match resume wp4czdr2jj --machine KiteDuel@3",
).action(async (id, options) => finish((await work()).matchResume(id, options)));

example(
  addMatch("cancel", "end a match for good, without a result").argument("<match>", "the match").addOption(keyOption()),
  "zany match cancel wp4czdr2jj",
).action(async (id, options) => finish((await work()).matchCancel(id, options)));

example(
  addMatch("watch", "follow a match as it is played")
    .argument("<match>", "the match")
    .option("--seat <seat>", "the seat to look from")
    .addOption(keyOption()),
  "zany match watch wp4czdr2jj",
).action(async (id, options) => finish((await work()).matchWatch(id, options)));

example(
  addMatch("logbook", "download a match's logbook")
    .argument("<match>", "the match")
    .option("--out <file>", "write it to this file instead of printing it")
    .option("--seat <seat>", "the seat to look from")
    .addOption(keyOption()),
  "zany match logbook wp4czdr2jj --out duel.jsonl",
).action(async (id, options) => finish((await work()).matchLogbook(id, options)));

async function finish(code: Promise<number>): Promise<void> {
  process.exitCode = await code;
}

async function main(): Promise<void> {
  // Whoever reads the output may stop early, as head does; then there is nobody left to write for.
  process.stdout.on("error", (error: NodeJS.ErrnoException) => {
    if (error.code === "EPIPE") process.exit(0);
    const why = error.code === "ENOSPC" ? "the device is full" : error.message;
    process.stderr.write(`zany: Cannot write the output: ${why}.\n`);
    process.exit(USED_WRONGLY);
  });
  try {
    if (process.argv.length <= 2) program.help();
    await program.parseAsync();
  } catch (error) {
    if (error instanceof CommanderError) {
      process.exitCode = error.exitCode === 0 ? 0 : USED_WRONGLY;
      return;
    }
    complain(`zany: ${(error as Error).message}`);
    process.exitCode = USED_WRONGLY;
  }
}

void main();
