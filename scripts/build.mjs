/**
 * Builds what runs: the service (ES module), the command line (CommonJS), the console (pages). Types are checked
 * elsewhere.
 */

import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";

const shared = {
  bundle: true,
  platform: "node",
  target: "node20",
  conditions: ["@zany/source"],
  logLevel: "warning",
  legalComments: "none",
};

/** Packages stay in node_modules; only the project's own code is bundled. */
const packagesOutside = {
  name: "packages-outside",
  setup(builder) {
    builder.onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === "entry-point" || path.startsWith("@zany/") ? undefined : { path, external: true },
    );
  },
};

/** What esbuild makes of the service. */
export const SERVICE = [
  {
    ...shared,
    entryPoints: ["packages/service/src/index.ts"],
    outfile: "dist/service/service.mjs",
    format: "esm",
    sourcemap: true,
    plugins: [packagesOutside],
  },
  {
    ...shared,
    entryPoints: ["packages/service/src/workers/worker.ts"],
    outfile: "dist/service/worker.mjs",
    format: "esm",
    plugins: [packagesOutside],
  },
  {
    ...shared,
    entryPoints: ["packages/service/src/storage/writing.ts"],
    outfile: "dist/service/writing.mjs",
    format: "esm",
    plugins: [packagesOutside],
  },
  {
    ...shared,
    entryPoints: ["packages/service/src/jobs/thread.ts"],
    outfile: "dist/service/job.mjs",
    format: "esm",
    plugins: [packagesOutside],
  },
  {
    ...shared,
    entryPoints: ["packages/service/src/aside/thread.ts"],
    outfile: "dist/service/aside.mjs",
    format: "esm",
    plugins: [packagesOutside],
  },
];

/** Modules of Node that take milliseconds to load; few commands need one of them. */
const SLOW = /^node:(child_process|crypto|http|readline\/promises|worker_threads)$/;

/** Loads those when something of them is used. */
const nodeWhenUsed = {
  name: "node-when-used",
  setup(builder) {
    builder.onResolve({ filter: SLOW }, ({ path, namespace }) =>
      namespace === "when-used" ? { path, external: true } : { path, namespace: "when-used" },
    );
    builder.onLoad({ filter: SLOW, namespace: "when-used" }, ({ path }) => {
      const names = Object.keys(createRequire(import.meta.url)(path));
      const get = `{ enumerable: true, get: () => require(${JSON.stringify(path)})[name] }`;
      return { contents: `for (const name of ${JSON.stringify(names)}) Object.defineProperty(exports, name, ${get});` };
    });
  },
};

const cli = { ...shared, format: "cjs", minify: true, plugins: [nodeWhenUsed] };

/** What esbuild makes of the command line: help first, the work behind it only when a command runs. */
export const CLI = [
  {
    ...cli,
    entryPoints: ["packages/cli/src/zany.ts"],
    outfile: "dist/cli/zany.cjs",
    banner: { js: "#!/usr/bin/env node" },
  },
  { ...cli, entryPoints: ["packages/cli/src/commands/index.ts"], outfile: "dist/cli/work.cjs" },
  { ...cli, entryPoints: ["packages/cli/src/layout.ts"], outfile: "dist/cli/layout.cjs" },
  { ...cli, entryPoints: ["packages/cli/src/lsp.ts"], outfile: "dist/cli/lsp.cjs" },
  { ...cli, entryPoints: ["packages/cli/src/simulate-worker.ts"], outfile: "dist/cli/simulate-worker.cjs" },
  { ...cli, entryPoints: ["packages/cli/src/evidence-worker.ts"], outfile: "dist/cli/evidence-worker.cjs" },
  { ...cli, entryPoints: ["packages/cli/src/verify-worker.ts"], outfile: "dist/cli/verify-worker.cjs" },
];

async function bundles(list) {
  const { build } = await import("esbuild");
  await Promise.all(list.map((options) => build(options)));
}

/** The first command that runs keeps what was compiled for it: a check goes through most of what all use. */
async function commands() {
  await bundles(CLI);
  spawnSync(process.execPath, ["dist/cli/zany.cjs", "check", "examples/kite-duel.zany"], { stdio: "ignore" });
}

async function pages() {
  const { build } = await import("vite");
  await build({ configFile: "packages/console/vite.config.ts", logLevel: "warn" });
}

const PARTS = [
  {
    name: "service",
    folders: ["packages/core/src", "packages/client/src", "packages/service/src"],
    build: () => bundles(SERVICE),
  },
  { name: "cli", folders: ["packages/core/src", "packages/client/src", "packages/cli/src"], build: commands },
  { name: "console", folders: ["packages/core/src", "packages/client/src", "packages/console"], build: pages },
];

/** Builds every part whose sources have changed since it was built. */
export async function buildStale() {
  for (const { name, folders, build } of PARTS) {
    const stamp = `dist/${name}/.sources`;
    const hash = sourceHash(folders);
    if (existsSync(stamp) && readFileSync(stamp, "utf8") === hash) continue;
    console.error(`Building the ${name} ...`);
    await build();
    writeFileSync(stamp, hash);
  }
}

/** A hash over the sources that something is built from. */
function sourceHash(folders) {
  const hash = createHash("sha256");
  const walk = (path) => {
    if (statSync(path).isDirectory()) {
      for (const name of readdirSync(path).sort())
        if (name !== "node_modules" && name !== "test") walk(join(path, name));
    } else {
      hash.update(`${path}\0`).update(readFileSync(path));
    }
  };
  for (const folder of [...folders, "scripts/build.mjs", "package-lock.json"]) walk(folder);
  return hash.digest("hex");
}
