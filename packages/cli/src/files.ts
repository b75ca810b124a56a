/** Files as commands read them: machines that must compile, logbooks, and mistakes in plain words. */

import { createReadStream, existsSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { compile, type Compilation, type CompileOptions, renderMessage, Runnable } from "@zany/core";

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

/** `kites.north.lift=3` as a path and a value; the value is JSON, or else a plain text. */
export function overrideFrom(text: string): { path: string; value: unknown } {
  const equals = text.indexOf("=");
  if (equals < 1) throw new UsedWrongly(`"${text}" is not of the form path=value.`);
  const path = text.slice(0, equals);
  const parts = path.replaceAll("[", ".").replaceAll("]", "").split(".");
  return { path: `/data/${parts.join("/")}`, value: valueFrom(text.slice(equals + 1)) };
}

/** A value as typed: JSON where it is JSON, else a text. */
export function valueFrom(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
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
