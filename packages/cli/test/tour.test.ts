/** The README's tour, as somebody would type it: every command is executed, every output compared. */

import { spawnSync } from "node:child_process";
import { readFileSync, symlinkSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import { newFolder, type Running, ROOT, startService, ZANY } from "../../service/test/running.js";

interface Typed {
  /** The command, without "zany". */
  readonly command: string;
  /** What the README shows below it; a line "..." stands for any lines. */
  readonly shown: readonly string[];
}

/** The indented blocks of the README with a prompt, command by command. */
function tour(text: string): Typed[] {
  const commands: { command: string; shown: string[] }[] = [];
  let inside = false;
  for (const line of text.split("\n")) {
    if (line.startsWith("    $ zany ")) commands.push({ command: line.slice(11), shown: [] });
    else if (inside && (line.startsWith("    ") || line === "")) commands.at(-1)?.shown.push(line.slice(4));
    inside = line.startsWith("    $ zany ") || (inside && (line.startsWith("    ") || line === ""));
  }
  return commands;
}

/** Identifiers and keys are new in every match: what the README's stand for is learned from the output. */
const NEW_EACH_TIME = /\b(?=[a-z]*\d)[a-z0-9]{10}\b|(?<![\w-])[\w-]{32}(?![\w-])/g;

/** The README's lines as a pattern, ends of lines without their spaces. */
function pattern(shown: readonly string[]): RegExp {
  const text = shown.join("\n").trimEnd();
  const literal = text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  return new RegExp(`^${literal.replace(NEW_EACH_TIME, "([\\w-]+)").replace(/^\\.\\.\\.$/gm, "[\\s\\S]*?")}$`);
}

const folder = newFolder();
let service: Running;

beforeAll(async () => {
  for (const name of ["examples", "docs"]) symlinkSync(join(ROOT, name), join(folder, name));
  service = await startService(join(folder, "data"), "--demo");
});

afterAll(() => service.stop());

test("the README's tour goes as it is written", () => {
  const commands = tour(readFileSync(join(ROOT, "README.md"), "utf8"));
  expect(commands.length).toBeGreaterThan(7);
  const learned = new Map<string, string>();
  for (const { command, shown } of commands) {
    const words = command.replace(NEW_EACH_TIME, (word) => learned.get(word) ?? word);
    const typed = shown.flatMap((line) => /^\w+> (.*)$/.exec(line)?.[1] ?? []);
    const { stdout } = spawnSync("bash", ["-c", `"${process.execPath}" "${ZANY}" ${words}`], {
      cwd: folder,
      encoding: "utf8",
      input: `${typed.join("\n")}\n`,
      env: { ...process.env, XDG_STATE_HOME: folder, ZANY_SERVICE: service.address },
    });
    const printed = stdout.replace(/ +$/gm, "").trimEnd();
    const found = pattern(shown).exec(printed);
    if (!found) expect(printed).toBe(shown.join("\n").trimEnd());
    [...shown.join("\n").matchAll(NEW_EACH_TIME)].forEach((m, i) => void learned.set(m[0], found?.[i + 1] as string));
  }
});
