/**
 * The entry of `zany`: commands, options and help. The work is in a bundle of its own that is loaded
 * only when a command runs, so that help and mistakes are answered at once.
 */

import { Argument, CommanderError, Option } from "commander";
import { completionScript, SHELLS } from "./completions.js";
import {
  add,
  atLeastOne,
  bot,
  collect,
  digestEvery,
  duration,
  example,
  finish,
  gamePlayer,
  given,
  json,
  keyOption,
  junit,
  port,
  measured,
  mixed,
  program,
  below,
  service,
  serviceName,
  urls,
  USED_WRONGLY,
  wholeNumber,
  work,
} from "./program.js";
import { addRemoteCommands } from "./remote-commands.js";
import { complain } from "./terminal.js";

const DAY = 86_400_000;

example(
  add("check", "read machines and say what is wrong, and where")
    .argument("<file...>", "machines, or folders of machines; - reads standard input")
    .option("--fix", "carry out the fixes that are certain")
    .addOption(new Option("--hints <which>", "show what may well be meant so").choices(["all", "none"]).default("none"))
    .option("--strict", "hints count as problems")
    .option("--why", "show the match behind each warning")
    .option("--no-evidence", "look for no matches: faster, and warnings are what reasoning suspects")
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
  add("compile", "write a machine as the JSON that games run without the checker")
    .argument("<file>", "the machine")
    .option("--out <file>", "write it to this file"),
  "zany compile examples/kite-duel.zany --out kite-duel.json",
).action(async (file, options) => finish((await work()).compile(file, options)));

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
  add("test", "run the tests that stand in machines, or make one of a match")
    .argument("[file...]", "machines, or folders of machines; - reads standard input")
    .option("--only <text>", "run only tests whose words hold this text")
    .option("--from <logbook>", "make a test of this match, shortened to what matters")
    .option("--step <number>", "of the match up to this step, with why it went so; without, the last", wholeNumber)
    .option("--expect <condition>", "what the test expects at the end, in place of why the step went so")
    .option("--words <text>", "what the test is called")
    .option("--into <file>", "put it behind the text of this machine")
    .addOption(junit())
    .addOption(json()),
  'zany test examples/kite-duel.zany --only "ten days"',
  "zany test examples/kite-duel.zany --from examples/logbooks/kite-duel-01.jsonl --step 19",
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
    .option("--save <file>", "write the match's logbook to this file")
    .option("--record-refusals", "what was asked for and refused is written too")
    .addOption(digestEvery()),
  "zany play examples/kite-duel.zany --bot south=careful",
  "zany play examples/kite-volleys.zany --given state=Volley --given state.pattern=wall --given tears=4",
).action(async (file, options) => finish((await work()).play(file, options)));

example(
  add("replay", "show a logbook step by step")
    .argument("<logbook>", "the logbook to show")
    .option("--machine <file>", "play it again on this machine and mark where it diverges")
    .option("--step <number>", "show this step in full", wholeNumber)
    .addOption(measured())
    .addOption(json()),
  "zany replay examples/logbooks/kite-duel-01.jsonl --machine examples/kite-duel.zany --step 3",
).action(async (file, options) => finish((await work()).replay(file, options)));

example(
  add("why", "tell why a step of a match did what it did: what was asked, taken, written, and by which line")
    .argument("<logbook>", "the match")
    .requiredOption("--machine <file>", "the machine it is a match of")
    .option("--step <number>", "this step; without, the last", wholeNumber)
    .option("--of <datum>", "why this datum, such as kites.north.lift, was changed last, up to that step")
    .option("--when <condition>", "when a condition of your own began to hold or ceased to")
    .option(
      "--open <seat action>",
      'when an action was open to a seat for the last time, and what closed it: "north brace"',
    )
    .addOption(json()),
  "zany why examples/logbooks/kite-duel-01.jsonl --machine examples/kite-duel.zany --step 3",
  "zany why examples/logbooks/kite-duel-01.jsonl --machine examples/kite-duel.zany --of kites.north.lift",
).action(async (file, options) => finish((await work()).why(file, options)));

example(
  add("vary", "go on otherwise from a step of a match: another action, other dice or data, played on by policies")
    .argument("<logbook>", "the match")
    .requiredOption("--machine <file>", "the machine it is a match of")
    .requiredOption("--step <number>", "the step that goes otherwise; those before it are kept", wholeNumber)
    .option("--do <line>", 'what is done there, as tests write it: "south brace"; may be repeated', collect, [])
    .option("--dice <rolls>", "what the first of them rolls: 3,5")
    .option(
      "--set <path=value>",
      "a datum that is other before it, such as kites.north.lift=3; may be repeated",
      collect,
      [],
    )
    .addOption(bot())
    .option("--steps <number>", "how many steps the policies take at most", wholeNumber)
    .option("--out <file>", "write the varied match to this logbook")
    .addOption(digestEvery())
    .addOption(json()),
  'zany vary examples/logbooks/kite-duel-01.jsonl --machine examples/kite-duel.zany --step 3 --do "north brace"',
).action(async (file, options) => finish((await work()).vary(file, options)));

example(
  add("verify", "replay logbooks on a machine, or a game's own log, and name the first step that differs")
    .argument("[logbook...]", "logbooks to verify, folders of them, or - for standard input; with --map, a game's logs")
    .option("--machine <file>", "the machine to replay them on; a mapping names its own")
    .option("--map <file>", "what the rows of a game's own log mean")
    .option("--book <file>", "write the match of a game's log as a logbook; of several, into a folder")
    .addOption(digestEvery())
    .option("--stored", "verify the logbooks that a service keeps; their ids, or all of this machine")
    .addOption(service())
    .addOption(keyOption())
    .option("--played-on <file>", "the version they were played on: then which change did it is found by trial")
    .option("--cores <number>", "how many cores work on it; without, all", atLeastOne)
    .addOption(junit())
    .addOption(json()),
  "zany verify examples/logbooks/kite-duel-*.jsonl --machine examples/kite-duel.zany",
).action(async (files, options) => finish((await work()).verify(files, options)));

example(
  add("map", "propose a first mapping for a game's own log, from the names that stand in it")
    .requiredOption("--sample <log>", "a log of the game")
    .requiredOption("--machine <file>", "the machine that is to judge it")
    .option("--out <file>", "write it to this file"),
  "zany map --sample match.log --machine examples/herring-duel/herring-duel.zany",
).action(async (options) => finish((await work()).map(options)));

example(
  add("diff", "tell what differs between two versions of a machine by meaning, and which matches diverge")
    .argument("<old>", "the version before")
    .argument("<new>", "the version now")
    .option("--logbook <path>", "a kept match, or a folder of them; may be repeated", collect, [])
    .addOption(json()),
  "zany diff examples/older/kite-duel-1.zany examples/kite-duel.zany",
).action(async (old, now, { logbook, ...options }) =>
  finish((await work()).diff(old, now, { ...options, logbooks: logbook })),
);

example(
  add(
    "explore",
    "visit every situation that a machine can reach: what goes wrong, what never happens, what can be reached",
  )
    .argument("<file>", "the machine to explore")
    .option("--goal <condition>", "the shortest way to where this holds")
    .option("--law <words>", "look for this law to break, and for nothing else")
    .addOption(bot())
    .addOption(given())
    .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
    .option("--open <seat>", "a seat that nobody has taken when it begins; may be repeated", collect, [])
    .option("--leaving", "seats are left and taken at any time")
    .option("--no-events", "the game's events do not happen")
    .option("--limit <number>", "the most situations; without, 2000000", atLeastOne)
    .option("--walk <steps>", "where that was not all, go on so many steps at random", wholeNumber, 100_000)
    .option("--depth <number>", "no further from the beginning than so many steps", atLeastOne)
    .option("--memory <megabytes>", "the most memory for situations; without, 1500", atLeastOne)
    .option("--time <time>", "no longer than this, such as 30s", duration)
    .option("--out <folder>", "write each finding as a logbook and a test into this folder")
    .addOption(json()),
  "zany explore examples/bell-tower.zany --limit 100000",
  'zany explore examples/kite-duel.zany --goal "kites[north].lift == 0 and kites[south].lift < 20"',
).action(async (file, options) => finish((await work()).explore(file, options)));

example(
  add("coverage", "tell what of a machine its tests come to, and kept matches, simulations and searches")
    .argument("<file>", "the machine")
    .option("--no-tests", "leave its tests out")
    .option("--logbook <path>", "a kept match, or a folder of them; may be repeated", collect, [])
    .option("--simulate <matches>", "play so many matches at random", atLeastOne)
    .option("--seed <text>", "the seed of those matches", "1")
    .option("--explore <steps>", "search what it can come to, in so many steps", atLeastOne)
    .option("--missing", "look for the shortest matches that come to what nothing else does")
    .option("--look <steps>", "how many steps that is looked for; without, 750000", atLeastOne)
    .option("--out <file>", "write tests of those to this file")
    .option("--text", "show the text, with counts in its margin")
    .option("--lcov <file>", "write an LCOV tracefile, for CI")
    .addOption(json()),
  "zany coverage examples/kite-duel.zany",
  "zany coverage examples/kite-duel.zany --logbook examples/logbooks --missing",
).action(async (file, options) => finish((await work()).coverage(file, options)));

example(
  add("odds", "tell exactly how likely every ending and result is, by visiting every situation")
    .argument("<file>", "the machine")
    .option("--best", "both seats play as well as can be: who wins, in how many steps")
    .option("--free <seat>", "this seat plays as well as can be against the others")
    .addOption(measured())
    .option("--chances", "how likely each chance in the rules is for itself")
    .option("--tries <number>", "with --chances, in how many tries it is never seen", atLeastOne, 10)
    .addOption(bot())
    .addOption(given())
    .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
    .option("--limit <number>", "the most situations; without, 2000000", atLeastOne)
    .addOption(json()),
  "zany odds examples/kite-duel.zany --bot north=careful --given kites.south.lift=12",
).action(async (file, options) => finish((await work()).odds(file, options)));

example(
  add("simulate", "let bots play many matches and count")
    .argument("<file>", "the machine to play")
    .option("--matches <number>", "how many matches", atLeastOne, 1000)
    .option("--first <number>", "the number of the first of them: parts that are played apart add up", wholeNumber, 0)
    .option("--vary <path=values>", "play them for each value: kites.north.pull=5..15; may be repeated", collect, [])
    .addOption(measured())
    .option("--svg <file>", "draw it as plots into this file")
    .option("--out <folder>", "write the first match of each ending as a logbook into this folder")
    .option("--rolls", "count what each roll came to; takes longer")
    .option("--csv", "print comma-separated values")
    .option("--seed <text>", "where everything random comes from", "zany")
    .addOption(mixed())
    .addOption(gamePlayer())
    .addOption(given())
    .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
    .option("--cores <number>", "how many cores to use; the result is the same for any", atLeastOne)
    .addOption(json()),
  "zany simulate examples/kite-duel.zany --matches 2000 --bot north=careful",
).action(async (file, options) => finish((await work()).simulate(file, options)));

const tally = add("tally", "work with what simulations have counted");
example(
  below(tally, "add", "add up parts of a simulation, as zany simulate --json prints them")
    .argument("<file...>", "the parts")
    .option("--out <file>", "write the sum to this file"),
  "zany tally add part-1.json part-2.json",
).action(async (files, options) => finish((await work()).tallyAdd(files, options)));
example(
  below(tally, "compare", "tell which shares of two simulations differ by more than chance would have it")
    .argument("<first>", "a tally, as zany simulate --json prints it")
    .argument("<second>", "another")
    .addOption(json()),
  "zany tally compare before.json after.json",
).action(async (first, second, options) => finish((await work()).tallyCompare(first, second, options)));

example(
  add("serve", "run the service and its console")
    .option("--port <number>", "the port to listen on", port, 4747)
    .option("--host <address>", "the address to listen on", "127.0.0.1")
    .option("--data <folder>", "where everything is kept", ".zany")
    .option("--demo", "load the Gale Fair's machines and logbooks first")
    .option("--network", "let others in the local network in, with keys; makes the admin's key and prints it once")
    .option("--guests", "let anybody become a guest, where keys are needed")
    .option("--url <address>", "an address others reach it by, of a proxy before it; may be repeated", urls, [])
    .option("--hook-host <host>", "a private host that webhooks may be at; may be repeated", collect, [])
    .option("--origin <origin>", "another origin whose pages may ask it; may be repeated", collect, [])
    .option("--name <name>", "what the ids of its matches begin with, for a proxy before several services", serviceName)
    .addOption(
      new Option("--idle-limit <time>", "matches without a deadline that nobody plays lapse after this")
        .argParser(duration)
        .default(14 * DAY, "14d"),
    )
    .option("--record-refusals", "what players ask for and do not get is kept in the logbooks of matches too")
    .option("--keep-finished <time>", "finished matches are let go after this; without, never", duration)
    .option(
      "--proxy",
      "a proxy on this computer stands before it: keys are needed, and it says where requests come from",
    )
    .addOption(
      new Option("--log-level <level>", "how much is logged")
        .choices(["trace", "debug", "info", "warn", "error", "silent"])
        .default("info"),
    ),
  "zany serve --port 8080 --data fair-data",
  "zany serve --network",
).action(async (options) => finish((await work()).serve(options)));

example(
  add("doctor", "compare all that a data folder holds with itself, while no service uses it")
    .option("--data <folder>", "the folder", ".zany")
    .addOption(json()),
  "zany doctor --data fair-data",
).action(async (options) => finish((await work()).doctor(options)));

example(
  add("admin", "make a key for the admin of a data folder, while no service uses it").option(
    "--data <folder>",
    "the folder",
    ".zany",
  ),
  "zany admin --data fair-data",
).action(async (options) => finish((await work()).admin(options)));

example(
  add("backup", "copy a data folder into one file, also while a service uses it")
    .option("--data <folder>", "the folder", ".zany")
    .requiredOption("--out <file>", "the file to write"),
  "zany backup --data fair-data --out fair.db",
).action(async (options) => finish((await work()).backup(options)));

example(
  add("restore", "make a data folder of a copy")
    .argument("<file>", "the copy")
    .requiredOption("--data <folder>", "the folder to make"),
  "zany restore fair.db --data fair-data",
).action(async (file, options) => finish((await work()).restore(file, options)));

example(
  add("notices", "receive what a webhook is sent, check it and show it")
    .option("--port <number>", "the port to listen on", port, 4748)
    .option("--secret <secret>", "the webhook's secret; without, signatures are not checked")
    .addOption(json()),
  "zany notices --secret $(cat hook.secret)",
).action(async (options) => finish((await work()).notices(options)));

example(
  add("upload", "store a machine, or a logbook, in a service")
    .argument("<file>", "a .zany or .jsonl file")
    .addOption(service())
    .addOption(keyOption())
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

addRemoteCommands();

/** What only a wrong program throws. */
const OWN_MISTAKES = [TypeError, ReferenceError, RangeError];

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
    const { message } = error as Error;
    complain(
      OWN_MISTAKES.some((kind) => error instanceof kind)
        ? `zany: This is a mistake in zany itself, not in your files: ${message}. ` +
            "Please report it, with the command and its files."
        : `zany: ${asOptions(message)}`,
    );
    process.exitCode = USED_WRONGLY;
  }
}

/** What the service says of requests, as it is done here. */
function asOptions(words: string): string {
  return words.replace("Authorization: Bearer KEY", "--key KEY, or the variable ZANY_KEY");
}

void main();
