/**
 * The way in: `npm start`, `npm test` and the rest. Installs what is missing, builds what is stale,
 * runs, and hands signals and exit code through. Needs nothing but Node itself.
 */

import { execFileSync, spawn } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const root = dirname(dirname(fileURLToPath(import.meta.url)));
process.chdir(root);
const [task = "start", ...rest] = process.argv.slice(2);

const [major = 0, minor = 0] = process.versions.node.split(".").map(Number);
if (major < 20 || (major === 20 && minor < 12)) {
  console.error(`Zany Compass needs Node 20.12 or newer; this is ${process.versions.node}.`);
  process.exit(2);
}

function say(text) {
  console.error(text);
}

// ---- packages -----------------------------------------------------------------------------------

function install() {
  const stamp = "node_modules/.zany-lock";
  const lock = createHash("sha256").update(readFileSync("package-lock.json")).digest("hex");
  if (existsSync(stamp) && readFileSync(stamp, "utf8") === lock) return;
  say("Installing packages ...");
  execFileSync("npm", ["ci"], { stdio: ["ignore", "ignore", "inherit"] });
  writeFileSync(stamp, lock);
}

async function buildStale() {
  const { buildStale: build } = await import("./build.mjs");
  await build();
}

// ---- what tests need of the system --------------------------------------------------------------

/** Debian's packages that tests run: the console in a browser, the language server in an editor. */
const NEEDED = [
  { program: "/usr/bin/chromium", package: "chromium", why: "The tests of the console need Debian's Chromium." },
  { program: "/usr/bin/python3", package: "python3", why: "The game whose log is judged is written in Python." },
  { program: "/usr/bin/nvim", package: "neovim", why: "The tests of the language server need Debian's Neovim." },
];

function ensureNeeded() {
  const missing = NEEDED.filter(({ program }) => !existsSync(program));
  if (missing.length === 0) return;
  if (process.getuid?.() !== 0 || !existsSync("/usr/bin/apt-get")) {
    for (const { why } of missing) say(why);
    say(`Install with: sudo apt-get install ${missing.map((m) => m.package).join(" ")}`);
    process.exit(2);
  }
  say(`Installing ${missing.map((m) => m.package).join(" and ")} ...`);
  const apt = (args) =>
    execFileSync("apt-get", args, {
      stdio: ["ignore", "ignore", "inherit"],
      env: { ...process.env, DEBIAN_FRONTEND: "noninteractive" },
    });
  apt(["update", "-qq"]);
  apt(["install", "-y", "-qq", ...missing.map((m) => m.package)]);
}

// ---- running ------------------------------------------------------------------------------------

/** Runs a program in the foreground; signals go to it, and its exit code is ours. */
function run(command, args) {
  return new Promise((resolve) => {
    const child = spawn(command, args, { stdio: "inherit" });
    for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => child.kill(signal));
    child.on("exit", (code, signal) => resolve(signal ? 1 : (code ?? 1)));
  });
}

/** Runs programs one after the other until one fails. */
async function runAll(...commands) {
  for (const [command, ...args] of commands) {
    const code = await run(command, args);
    if (code !== 0) return code;
  }
  return 0;
}

const bin = (name) => join("node_modules", ".bin", name);

const tasks = {
  async start() {
    await buildStale();
    return run(process.execPath, ["dist/cli/zany.cjs", "serve", "--demo", ...rest]);
  },
  async build() {
    await buildStale();
    return 0;
  },
  pack() {
    return run(process.execPath, ["scripts/pack.mjs"]);
  },
  dev() {
    return run(process.execPath, ["scripts/dev.mjs", ...rest]);
  },
  check() {
    return runAll(
      ...[".", "packages/core", "packages/console"].map((project) => [bin("tsc"), "-p", project]),
      [bin("biome"), "check", "."],
      [bin("knip")],
      [process.execPath, "scripts/check-imports.mjs"],
    );
  },
  /**
   * `--watch` stays and runs again what a change concerns. What is built is built anew first
   * (scripts/build-first.ts).
   */
  test() {
    ensureNeeded();
    const watch = rest.includes("--watch");
    return run(bin("vitest"), [watch ? "watch" : "run", ...rest.filter((word) => word !== "--watch")]);
  },
  /** Words choose benches by their names; from the first option on, all is for them. */
  bench() {
    const first = rest.findIndex((word) => word.startsWith("-"));
    const words = first < 0 ? rest : rest.slice(0, first);
    const options = first < 0 ? [] : rest.slice(first);
    const benches = readdirSync("bench/src").filter(
      (name) => name.startsWith("bench-") && words.every((word) => name.includes(word)),
    );
    return runAll(...benches.map((file) => [process.execPath, "scripts/run-ts.mjs", `bench/src/${file}`, ...options]));
  },
};

if (!Object.hasOwn(tasks, task)) {
  say(`Unknown task "${task}"; there are: ${Object.keys(tasks).join(", ")}.`);
  process.exit(2);
}
try {
  install();
  process.exitCode = await tasks[task]();
} catch (error) {
  say(error.message);
  process.exitCode = 1;
}
