/** Files as commands read them: machines that must compile, logbooks, and mistakes in plain words. */

import {
  createReadStream,
  existsSync,
  readdirSync,
  readFileSync,
  realpathSync,
  renameSync,
  statSync,
  writeFileSync,
} from "node:fs";
import { delimiter, dirname, isAbsolute, join, relative } from "node:path";
import {
  BadGiven,
  BadQuestion,
  compile,
  type Compilation,
  type CompileOptions,
  type FindPart,
  type Given,
  givenFrom,
  type Logbook,
  type Measure,
  NotALogbook,
  ownMeasures,
  readLogbook,
  renderMessage,
  Runnable,
} from "@zany/core";
import { complain } from "./terminal.js";

/** Says what is wrong with how a command was used; ends it with exit code 2. */
export class UsedWrongly extends Error {}

/** Stands for standard input where a file is named. */
const STANDARD_INPUT = "-";
let typed: Buffer | undefined;

/** The text of a file, or of standard input for `-`. Text is UTF-8; a byte-order mark is kept. */
export function readText(path: string): string {
  let bytes: Buffer;
  try {
    bytes = path === STANDARD_INPUT ? (typed ??= readFileSync(0)) : readFileSync(path);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new UsedWrongly(`Cannot read "${path}": ${code === "ENOENT" ? "there is no such file" : whyNot(error)}.`);
  }
  try {
    return new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch {
    throw new UsedWrongly(
      `Cannot read "${path}": it is no UTF-8 text, from ${firstWrong(bytes)} on. Save it as UTF-8.`,
    );
  }
}

/** The line of the first bytes that are no UTF-8. */
function firstWrong(bytes: Buffer): string {
  let line = 1;
  for (let from = 0; from < bytes.length; line++) {
    const end = bytes.indexOf(10, from) + 1 || bytes.length;
    const part = bytes.subarray(from, end);
    if (Buffer.compare(Buffer.from(part.toString("utf8")), part) !== 0) break;
    from = end;
  }
  return `line ${line}`;
}

/** What kept a file from being read or written, in words. */
export function whyNot(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  switch (code) {
    case "ENOENT":
      return "there is no such folder";
    case "EISDIR":
      return "it is a folder";
    case "EACCES":
    case "EPERM":
    case "EROFS":
      return "permission is missing";
    case "ENOSPC":
      return "the device is full";
    default:
      return message;
  }
}

/** The machines of a folder and of those inside it, in the order of their names; anything else stays as it is. */
export function machinesIn(paths: readonly string[]): string[] {
  return paths.flatMap((path) => {
    if (path === STANDARD_INPUT || !existsSync(path) || !statSync(path).isDirectory()) return [path];
    const found = readdirSync(path, { recursive: true, encoding: "utf8" })
      .filter((name) => name.endsWith(".zany") && !name.split(/[/\\]/).includes("node_modules"))
      .map((name) => join(path, name))
      .filter((file) => isMachine(file))
      .sort();
    if (found.length === 0) throw new UsedWrongly(`There is no machine in "${path}": none of its files ends in .zany.`);
    return found;
  });
}

/** Files that others include are no machines by themselves: nothing in them begins one. */
function isMachine(file: string): boolean {
  return /^\s*machine\b/.test(readText(file).replace(/\/\/.*/g, ""));
}

/** Refuses a file that could not be written when its time comes. */
export function needFolder(path: string): void {
  if (!existsSync(dirname(path))) throw new UsedWrongly(`Cannot write "${path}": there is no such folder.`);
}

/** Refuses a folder that several files are to be written into and that is not there. */
export function needFolderItself(path: string): void {
  if (!existsSync(path)) throw new UsedWrongly(`Cannot write into "${path}": there is no such folder.`);
}

/** Writes a file whole or not at all. */
export function writeText(path: string, text: string): void {
  try {
    writeFileSync(`${path}.new`, text);
    renameSync(`${path}.new`, path);
  } catch (error) {
    throw new UsedWrongly(`Cannot write "${path}": ${whyNot(error)}.`);
  }
}

/** The most bytes that a file may have which is included. */
const MOST_INCLUDED = 8_000_000;

/** Folders besides a machine's own that it may include files from, as `--include` names them; see zany.ts. */
function furtherFolders(): string[] {
  return (process.env["ZANY_INCLUDE"] ?? "").split(delimiter).filter((folder) => folder !== "" && existsSync(folder));
}

/**
 * The file that a machine includes: an ordinary one in the machine's folder, in one inside it, or in one that is named.
 *
 * @returns undefined when there is none; words for one that may not be included
 */
export function includedFile(
  machine: string,
  part: string,
): { readonly file: string } | { readonly words: string } | undefined {
  const file = join(dirname(machine), part);
  if (!existsSync(file)) return undefined;
  // A link, too, leads to where it leads.
  if (![dirname(machine), ...furtherFolders()].some((folder) => isInside(realpathSync(folder), realpathSync(file))))
    return { words: "which is not in its folder. Allow the other one: zany --include FOLDER ..." };
  const stats = statSync(file);
  if (!stats.isFile() || stats.size > MOST_INCLUDED)
    return { words: `which is no file of at most ${MOST_INCLUDED} bytes.` };
  return { file };
}

/** Finds the files that a machine's file includes. */
export function findPartOf(path: string): FindPart {
  return (part) => {
    const found = includedFile(path, part);
    if (found && "words" in found) throw new UsedWrongly(`"${path}" includes "${part}", ${found.words}`);
    return found && readText(found.file);
  };
}

function isInside(folder: string, file: string): boolean {
  const way = relative(folder, file);
  return way !== "" && !way.startsWith("..") && !isAbsolute(way);
}

export function compileFile(path: string, options: CompileOptions = {}): Compilation {
  return compile(readText(path), path, findPartOf(path), options);
}

/** A machine that runs; when it does not compile, its messages are printed and nothing is given. */
export function runnableFile(path: string): Runnable | undefined {
  const compilation = compileFile(path, { errorsOnly: true });
  // Closures start at once; generated code pays only when very many steps are run.
  if (compilation.ok) return new Runnable(compilation.machine, false);
  for (const message of compilation.messages) complain(`${renderMessage(compilation.sources, message)}\n`);
  complain(`zany: "${path}" does not compile, so it cannot run.`);
  return undefined;
}

/** A machine that runs, with expressions of one's own to ask of its matches; like `runnableFile`. */
export function measuredFile(
  path: string,
  expressions: readonly string[],
): { readonly runnable: Runnable; readonly measures: readonly Measure[] } | undefined {
  const plain = runnableFile(path);
  if (!plain || expressions.length === 0) return plain && { runnable: plain, measures: [] };
  try {
    const { runnable = plain, measures } = ownMeasures(readText(path), expressions, findPartOf(path));
    return { runnable, measures };
  } catch (error) {
    if (error instanceof BadQuestion) throw new UsedWrongly(error.message);
    throw error;
  }
}

/** A whole logbook. */
export function logbookFile(path: string): Logbook {
  try {
    return readLogbook(readText(path));
  } catch (error) {
    if (error instanceof NotALogbook) throw new UsedWrongly(`"${path}": ${error.message}`);
    throw error;
  }
}

/** What `--given` says. */
export function givenOptions(texts: readonly string[]): Given {
  try {
    return givenFrom(texts);
  } catch (error) {
    if (error instanceof BadGiven) throw new UsedWrongly(error.message);
    throw error;
  }
}

/** `name=value` texts as an object. */
export function pairsFrom<T>(texts: readonly string[], form: string, value: (text: string) => T): Record<string, T> {
  return Object.fromEntries(
    texts.map((text) => {
      const equals = text.indexOf("=");
      if (equals < 1) throw new UsedWrongly(`"${text}" is not of the form ${form}.`);
      return [text.slice(0, equals), value(text.slice(equals + 1))];
    }),
  );
}

/** The policies of `--bot SEAT=POLICY`, by seat. */
export function botOptions(texts: readonly string[]): Record<string, string> {
  return pairsFrom(texts, "seat=policy", (policy) => policy);
}

/** Files of up to so many bytes are read at once. */
const SMALL = 1_000_000;

/** The whole text of a small file; undefined for one that is better read a line at a time. */
export function smallText(path: string): string | undefined {
  const file = statSync(path);
  return file.isFile() && file.size <= SMALL ? readFileSync(path, "utf8") : undefined;
}

/** The lines of a file, one at a time, without their line ends. Only a line feed ends a line. */
export async function* linesOf(path: string): AsyncGenerator<string> {
  let rest = "";
  const from = path === STANDARD_INPUT ? process.stdin.setEncoding("utf8") : createReadStream(path, "utf8");
  for await (const chunk of from) {
    const lines = (rest + String(chunk)).split("\n");
    rest = lines.pop() ?? "";
    yield* lines;
  }
  if (rest !== "") yield rest;
}
