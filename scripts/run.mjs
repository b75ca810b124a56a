/**
 * The way in: `npm start`, `npm test` and the rest. Installs what is missing, builds what is stale,
 * runs, and hands signals and exit code through. Needs nothing but Node itself.
 */

import { execFileSync, spawn } from "node:child_process";
import { createHash } from "node:crypto";
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  statSync,
  writeFileSync,
} from "node:fs";
import { homedir } from "node:os";
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

function sha(text) {
  return createHash("sha256").update(text).digest("hex");
}

function say(text) {
  console.error(text);
}

// ---- packages -----------------------------------------------------------------------------------

const DRIVER = "node_modules/better-sqlite3/build/Release/better_sqlite3.node";

/** Where the compiled database driver is kept between clones: it takes minutes to compile. */
function driverCache() {
  const { packages } = JSON.parse(readFileSync("package-lock.json", "utf8"));
  const { version } = packages["node_modules/better-sqlite3"];
  const cache = process.env.XDG_CACHE_HOME ?? join(homedir(), ".cache");
  return join(
    cache,
    "zany-compass",
    `better-sqlite3-${version}-${process.platform}-${process.arch}-${process.versions.modules}.node`,
  );
}

function driverLoads() {
  try {
    execFileSync(process.execPath, ["-e", "new (require('better-sqlite3'))(':memory:').prepare('select 1').get()"], {
      stdio: "ignore",
    });
    return true;
  } catch {
    return false;
  }
}

function install() {
  const stamp = "node_modules/.zany-lock";
  const lock = sha(readFileSync("package-lock.json"));
  if (existsSync(stamp) && readFileSync(stamp, "utf8") === lock) return;
  const cached = driverCache();
  const npm = (args) => execFileSync("npm", args, { stdio: ["ignore", "ignore", "inherit"] });
  say("Installing packages ...");
  if (existsSync(cached)) {
    npm(["ci", "--ignore-scripts"]);
    mkdirSync(dirname(DRIVER), { recursive: true });
    copyFileSync(cached, DRIVER);
  }
  if (!existsSync(cached) || !driverLoads()) {
    say("Compiling the database driver; this takes a few minutes, once ...");
    npm(["ci"]);
    if (!driverLoads()) throw new Error("The database driver does not load after npm ci.");
    mkdirSync(dirname(cached), { recursive: true });
    copyFileSync(DRIVER, `${cached}.new`);
    renameSync(`${cached}.new`, cached);
  }
  writeFileSync(stamp, lock);
}

// ---- building -----------------------------------------------------------------------------------

/** A hash over the sources that something is built from. */
function sourceHash(folders) {
  const hash = createHash("sha256");
  const walk = (path) => {
    if (statSync(path).isDirectory()) {
      for (const name of readdirSync(path).sort()) if (name !== "node_modules") walk(join(path, name));
    } else {
      hash.update(`${path}\0`).update(readFileSync(path));
    }
  };
  for (const folder of [...folders, "scripts/build.mjs", "package-lock.json"]) walk(folder);
  return hash.digest("hex");
}

async function buildStale() {
  const parts = [
    ["service", ["packages/core/src", "packages/service/src"], "buildService"],
    ["cli", ["packages/core/src", "packages/client/src", "packages/cli/src"], "buildCli"],
    ["console", ["packages/core/src", "packages/client/src", "packages/console"], "buildConsole"],
  ];
  for (const [name, folders, builder] of parts) {
    const stamp = `dist/${name}/.sources`;
    const hash = sourceHash(folders);
    if (existsSync(stamp) && readFileSync(stamp, "utf8") === hash) continue;
    say(`Building the ${name} ...`);
    const builders = await import("./build.mjs");
    await builders[builder]();
    writeFileSync(stamp, hash);
  }
}

// ---- what tests need of the system --------------------------------------------------------------

/** Debian's packages that tests run: the console in a browser, the language server in an editor. */
const NEEDED = [
  { program: "/usr/bin/chromium", package: "chromium", why: "The tests of the console need Debian's Chromium." },
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
function run(command, args, env = {}) {
  return new Promise((resolve) => {
    const child = spawn(command, args, { stdio: "inherit", env: { ...process.env, ...env } });
    for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => child.kill(signal));
    child.on("exit", (code, signal) => resolve(signal ? 1 : (code ?? 1)));
  });
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
  async check() {
    for (const project of [".", "packages/core", "packages/console"]) {
      const code = await run(bin("tsc"), ["-p", project]);
      if (code !== 0) return code;
    }
    const lint = await run(bin("biome"), ["check", "."]);
    if (lint !== 0) return lint;
    const unused = await run(bin("knip"), []);
    if (unused !== 0) return unused;
    return run(process.execPath, ["scripts/check-imports.mjs"]);
  },
  async test() {
    ensureNeeded();
    await buildStale();
    return run(bin("vitest"), ["run", ...rest]);
  },
  async bench() {
    for (const file of readdirSync("bench/src").filter(
      (name) => name.startsWith("bench-") && rest.every((word) => name.includes(word)),
    )) {
      const code = await run(process.execPath, ["scripts/run-ts.mjs", `bench/src/${file}`]);
      if (code !== 0) return code;
    }
    return 0;
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
