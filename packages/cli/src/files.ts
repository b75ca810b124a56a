/** Files as commands read them: machines that must compile, logbooks, and mistakes in plain words. */

import { createReadStream, existsSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import {
  BadGiven,
  compile,
  type Compilation,
  type CompileOptions,
  type Given,
  givenFrom,
  renderMessage,
  Runnable,
} from "@zany/core";

/** Says what is wrong with how a command was used; ends it with exit code 2. */
export class UsedWrongly extends Error {}

/** The text of a file. */
export function readText(path: string): string {
  try {
    return readFileSync(path, "utf8");
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new UsedWrongly(`Cannot read "${path}": ${code === "ENOENT" ? "there is no such file" : whyNot(error)}.`);
  }
}

/** What kept a file from being read or written, in words. */
function whyNot(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === "ENOENT") return "there is no such folder";
  if (code === "EISDIR") return "it is a folder";
  return code === "EACCES" || code === "EROFS" ? "permission is missing" : message;
}

/** Refuses a file that could not be written when its time comes. */
export function needFolder(path: string): void {
  if (!existsSync(dirname(path))) throw new UsedWrongly(`Cannot write "${path}": there is no such folder.`);
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

export function compileFile(path: string, options: CompileOptions = {}): Compilation {
  return compile(
    readText(path),
    path,
    (part) => {
      const file = join(dirname(path), part);
      return existsSync(file) ? readText(file) : undefined;
    },
    options,
  );
}

/** A machine that runs; when it does not compile, its messages are printed and nothing is given. */
export function runnableFile(path: string): Runnable | undefined {
  const compilation = compileFile(path, { errorsOnly: true });
  // Closures start at once; generated code pays only when very many steps are run.
  if (compilation.ok) return new Runnable(compilation.machine, false);
  for (const message of compilation.messages)
    process.stderr.write(`${renderMessage(compilation.sources, message)}\n\n`);
  process.stderr.write(`zany: "${path}" does not compile, so it cannot run.\n`);
  return undefined;
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

/** The lines of a file, one at a time, without their line ends. Only a line feed ends a line. */
export async function* linesOf(path: string): AsyncGenerator<string> {
  let rest = "";
  for await (const chunk of createReadStream(path, "utf8")) {
    const lines = (rest + String(chunk)).split("\n");
    rest = lines.pop() ?? "";
    yield* lines;
  }
  if (rest !== "") yield rest;
}
