/**
 * What checking each machine costs that people look at first: the examples, and ten grid games. All in one process,
 * warm, the median of several rounds. With an older checkout of the project in ZANY_BEFORE, its core checks its own
 * texts of the same machines in the same rounds.
 */

import { execFileSync } from "node:child_process";
import { existsSync, mkdtempSync, readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { compile } from "@zany/core";

type Compile = (text: string, name: string, find: (path: string) => string | undefined) => { givenUp?: boolean };

const ROUNDS = 5;
const WARM_UP = 2;
const FOLDERS = ["examples", "packages/core/test/machines/grids"];

interface Checker {
  readonly compile: Compile;
  readonly root: string;
}

/** The core of another checkout, built into a file of its own. */
function coreOf(root: string): Compile {
  const outfile = join(mkdtempSync(join(tmpdir(), "zany-bench-")), "core.cjs");
  const entry = join(resolve(root), "packages/core/src/index.ts");
  const options = ["--bundle", "--platform=node", "--format=cjs", `--outfile=${outfile}`, "--log-level=error"];
  // A checkout without packages of its own is built with these.
  execFileSync("node_modules/.bin/esbuild", [entry, ...options], {
    env: { ...process.env, NODE_PATH: resolve("node_modules") },
  });
  return (createRequire(resolve("package.json"))(outfile) as { compile: Compile }).compile;
}

/** Milliseconds that one check of a machine takes; undefined where there is none, or it does not compile. */
function once({ compile: check, root }: Checker, file: string): { ms: number; givenUp: boolean } | undefined {
  // A checkout from before a machine was written checks the text of today.
  const path = existsSync(join(root, file)) ? join(root, file) : file;
  const find = (part: string): string | undefined => {
    const at = join(dirname(path), part);
    return existsSync(at) ? readFileSync(at, "utf8") : undefined;
  };
  const text = readFileSync(path, "utf8");
  const start = performance.now();
  const compilation = check(text, "machine.zany", find) as ReturnType<Compile> & { ok: boolean };
  const ms = performance.now() - start;
  return compilation.ok ? { ms, givenUp: compilation.givenUp === true } : undefined;
}

function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? Number.NaN;
}

const before = process.env["ZANY_BEFORE"];
const checkers: Checker[] = [{ compile: compile as Compile, root: "." }];
if (before) checkers.push({ compile: coreOf(before), root: before });

console.log(before ? `${"".padEnd(22)} lines       now    before  ratio` : `${"".padEnd(22)} lines       now`);
for (const folder of FOLDERS) {
  for (const name of readdirSync(folder).filter((file) => file.endsWith(".zany"))) {
    const file = `${folder}/${name}`;
    const lines = readFileSync(file, "utf8").split("\n").length - 1;
    const times: number[][] = checkers.map(() => []);
    const notes = new Set<string>();
    for (let round = 0; round < WARM_UP + ROUNDS; round++) {
      for (const [i, checker] of checkers.entries()) {
        const taken = once(checker, file);
        if (taken?.givenUp) notes.add(i === 0 ? "given up" : "given up before");
        if (taken && round >= WARM_UP) times[i]?.push(taken.ms);
      }
    }
    const [now = Number.NaN, old = Number.NaN] = times.map(median);
    const cells = [name.replace(".zany", "").padEnd(22), String(lines).padStart(5), `${now.toFixed(1).padStart(7)} ms`];
    if (before) cells.push(`${old.toFixed(1).padStart(7)} ms`, (now / old).toFixed(2).padStart(5));
    console.log([...cells, ...notes].join(" "));
  }
}
