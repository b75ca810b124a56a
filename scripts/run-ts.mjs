/** Bundles a TypeScript program of the project and runs it: `node scripts/run-ts.mjs FILE [ARGUMENTS]`. */

import { spawnSync } from "node:child_process";
import { basename } from "node:path";
import { build } from "esbuild";

const [file = "", ...args] = process.argv.slice(2);
const outfile = `dist/programs/${basename(file, ".ts")}.cjs`;
await build({
  entryPoints: [file],
  outfile,
  bundle: true,
  platform: "node",
  format: "cjs",
  target: "node20",
  conditions: ["@zany/source"],
  external: ["esbuild", "playwright-core", "ts-json-schema-generator", "joi-to-json", "joi", "@photostructure/sqlite"],
  logLevel: "warning",
});
const { status } = spawnSync(process.execPath, [outfile, ...args], { stdio: "inherit" });
process.exitCode = status ?? 1;
