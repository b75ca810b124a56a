/** What all commands of `zany` share: the program, options that several have, and the work behind them. */

import { delimiter } from "node:path";
import { Command, InvalidArgumentError, Option } from "commander";
import type * as Work from "./commands/index.js";
import { bundle } from "./bundle.js";
import { millisecondsFrom } from "./terminal.js";

export const USED_WRONGLY = 2;

export const work = async (): Promise<typeof Work> => {
  const loaded = bundle<typeof Work>("work.cjs", program.args[0] ?? "");
  loaded.loadModulesBy((address) => import(address));
  return loaded;
};

export function wholeNumber(text: string): number {
  if (!/^[0-9]+$/.test(text)) throw new InvalidArgumentError("It is a whole number, 0 or more.");
  return Number(text);
}

export function atLeastOne(text: string): number {
  const number = wholeNumber(text);
  if (number < 1) throw new InvalidArgumentError("It is at least 1.");
  return number;
}

export function port(text: string): number {
  const number = wholeNumber(text);
  if (number > 65_535) throw new InvalidArgumentError("It is at most 65535; 0 takes a free one.");
  return number;
}

/** The name of one of several services: what a proxy knows its matches by. */
export function serviceName(text: string): string {
  if (!/^[a-z][a-z0-9]{0,11}$/.test(text))
    throw new InvalidArgumentError("It is 1 to 12 small letters and digits, a letter first.");
  return text;
}

/** A time such as 14d, in milliseconds. */
export function duration(text: string): number {
  const time = millisecondsFrom(text);
  if (time === undefined) throw new InvalidArgumentError("It is a time such as 30s, 36h or 14d.");
  return time;
}

function webAddress(text: string): string {
  if (!/^https?:\/\//.test(text) || !URL.canParse(text))
    throw new InvalidArgumentError("It is an address such as http://127.0.0.1:4747.");
  return text;
}

export function urls(text: string, before: readonly string[]): readonly string[] {
  return [...before, webAddress(text)];
}

export function collect(text: string, before: readonly string[]): readonly string[] {
  return [...before, text];
}

export const junit = () => new Option("--junit <file>", "write a JUnit report to this file too");
export const digestEvery = () =>
  new Option(
    "--digest-every <number>",
    "a digest of the whole situation in every so many steps of the logbook",
  ).argParser(atLeastOne);
export const json = () => new Option("--json", "print one JSON value for programs");
export const service = () =>
  new Option("--service <url>", "the service to talk to")
    .argParser(webAddress)
    .env("ZANY_SERVICE")
    .default("http://127.0.0.1:4747");
export const keyOption = () =>
  new Option("--key <key>", "the key to use; those you got on this computer are known already").env("ZANY_KEY");
export const given = () =>
  new Option(
    "--given <path=value>",
    "starting data, such as kites.north.lift=3; state=NAME to begin in a state, state.ARGUMENT=VALUE; may be repeated",
  )
    .argParser(collect)
    .default([], "none");
export const measured = () =>
  new Option("--of <expression>", "what this comes to as well, such as kites[north].lift; may be repeated")
    .argParser(collect)
    .default([], "none");
export const bot = () =>
  new Option("--bot <seat=policy>", "let a policy of the machine, or random, or wary, play a seat; may be repeated")
    .argParser(collect)
    .default([], "none");
/** The same where many matches are played. */
export const mixed = () =>
  new Option(
    "--bot <seat=policy>",
    "who plays a seat: a policy of the machine, random, wary, or a mixture, drawn for each match: careful:3,wary:1; " +
      "may be repeated",
  )
    .argParser(collect)
    .default([], "wary");
export const gamePlayer = () =>
  new Option("--game <player>", "who tells of the game's events: random, any that is heard, or silent, none")
    .choices(["random", "silent"])
    .default(undefined, "random");
export const example = (command: Command, ...lines: string[]): Command =>
  command.addHelpText("after", `\nExample:\n${lines.map((l) => `  $ ${l}`).join("\n")}`);

export const program = new Command("zany")
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

export const add = (spec: string, description: string, hidden = false): Command =>
  below(program, spec, description, hidden);

/** A command below another: what is wrong in how it is called is told with where to read how it is. */
export function below(parent: Command, spec: string, description: string, hidden = false): Command {
  const command = parent.command(spec, { hidden }).description(description).exitOverride();
  const path = parent === program ? command.name() : `${parent.name()} ${command.name()}`;
  return command.configureOutput({
    ...program.configureOutput(),
    outputError: (text, write) =>
      write(`${text.replace(/^error: /, "zany: ").trimEnd()}\nWhat it takes: zany ${path} --help\n`),
  });
}

export async function finish(code: Promise<number>): Promise<void> {
  process.exitCode = await code;
}
