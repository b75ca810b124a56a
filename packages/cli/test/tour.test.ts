/**
 * What the documents tell people to type: every command of the README's tour, docs/from-switch.md and
 * docs/first-machine.md and docs/maps.md is executed and every output compared, and the step of docs/ci.md runs as it
 * stands there.
 */

import { spawnSync } from "node:child_process";
import { chmodSync, copyFileSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
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

test.each([
  ["README.md", 8],
  ["docs/from-switch.md", 4],
  ["docs/first-machine.md", 4],
  ["docs/maps.md", 1],
  ["docs/explore.md", 5],
])("what %s tells people to type goes as it is written", (name, number) => {
  const commands = tour(readFileSync(join(ROOT, name), "utf8"));
  expect(commands.length).toBeGreaterThanOrEqual(number);
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

test("the step in docs/ci.md is a whole build: it passes, tells everything that fails, and writes reports", () => {
  const page = readFileSync(join(ROOT, "docs/ci.md"), "utf8");
  const step = /```sh\n([\s\S]*?)```/.exec(page)?.[1] as string;
  const at = newFolder();
  for (const name of ["bin", "machines", "logbooks"]) mkdirSync(join(at, name));
  writeFileSync(join(at, "bin/zany"), `#!/bin/sh\nexec "${process.execPath}" "${ZANY}" "$@"\n`);
  chmodSync(join(at, "bin/zany"), 0o755);
  const duel = join(at, "machines/duel.zany");
  copyFileSync(join(ROOT, "examples/kite-duel.zany"), duel);
  copyFileSync(join(ROOT, "examples/logbooks/kite-duel-06.jsonl"), join(at, "logbooks/autumn.jsonl"));
  symlinkSync(join(ROOT, "examples"), join(at, "examples"));
  const env = { ...process.env, PATH: `${join(at, "bin")}:${process.env["PATH"]}` };
  const run = (script: string) => spawnSync("sh", ["-c", script], { cwd: at, encoding: "utf8", env });
  const report = (name: string): string => readFileSync(join(at, `reports/${name}.xml`), "utf8");

  expect(run(step)).toMatchObject({ status: 0, stderr: "" });
  for (const name of ["check", "test", "verify"]) expect(report(name)).toMatch(/failures="0">[\s\S]*<testcase /);

  const text = readFileSync(duel, "utf8");
  writeFileSync(duel, text.replace("wait 10d", "wait 9d").replace("max(0, force - shield(target))", "force - 12 "));
  const { status, stdout } = run(step);
  expect(status).toBe(1);
  for (const words of ["would change", "warning negative-amount", "FAIL", "diverged"]) expect(stdout).toContain(words);
  expect(report("check")).toContain('<testcase name="negative-amount at 27:25"');
  expect(report("verify")).toContain('name="logbooks/autumn.jsonl"');

  // The second step lets a game play and judges what it wrote.
  const game = [...page.matchAll(/```sh\n([\s\S]*?)```/g)][1]?.[1] as string;
  expect(run(game)).toMatchObject({ status: 0, stderr: "" });
  expect(report("played")).toMatch(/tests="8" failures="0"/);

  // Every member of what is printed as JSON is named on the page; what is inside an input, docs/logbook.md has.
  const members = new Set<string>();
  const collect = (value: unknown): void => {
    if (Array.isArray(value)) value.forEach(collect);
    else if (value && typeof value === "object")
      for (const [name, inner] of Object.entries(value)) {
        members.add(name);
        if (name !== "input") collect(inner);
      }
  };
  writeFileSync(join(at, "machines/slip.zany"), text.replace("-> Judge", "-> Jugde"));
  for (const line of [
    "check --json machines",
    "test --json machines",
    "verify --json --machine machines/duel.zany logbooks/*",
    "explore --json examples/kite-duel.zany --limit 300 --goal lap==50",
    "coverage --json --missing examples/gull-tricks.zany",
    "odds --json examples/kite-duel.zany --limit 300",
    "verify --json --map examples/herring-duel/herring.map examples/herring-duel/logs/*",
  ])
    collect(JSON.parse(run(`zany ${line}`).stdout));
  expect(members.size).toBeGreaterThan(20);
  expect([...members].filter((member) => !page.includes(`\`${member}\``))).toEqual([]);
});
