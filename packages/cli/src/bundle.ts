/**
 * Loading what stands beside the command as a bundle of its own, compiled as it was by the run before: compiling a
 * megabyte of JavaScript takes as long as checking a small machine.
 */

import { accessSync, constants, readFileSync, renameSync, rmSync, statSync, writeFileSync } from "node:fs";
import { createRequire, wrap } from "node:module";
import { dirname, join } from "node:path";
import { Script } from "node:vm";

const loaded = new Map<string, unknown>();

/**
 * Loads a bundle by its file. It cannot load modules with `import()`.
 *
 * @param use what it is loaded for: another part of it is compiled for each, and kept
 */
export function bundle<T>(file: string, use: string): T {
  const path = join(__dirname, file);
  if (!loaded.has(path)) loaded.set(path, run(path, `${path}.${use}.compiled`));
  return loaded.get(path) as T;
}

function run(path: string, kept: string): unknown {
  const cachedData = keptSince(path, kept);
  const script = new Script(wrap(readFileSync(path, "utf8")), {
    filename: path,
    ...(cachedData && { cachedData }),
  });
  // Another version of Node, or other options of it, do not take what one has kept.
  if (!cachedData || script.cachedDataRejected) process.once("exit", () => keep(script, kept));
  const module = { exports: {} };
  script.runInThisContext()(module.exports, createRequire(path), module, path, dirname(path));
  return module.exports;
}

/** What was kept of a bundle, when that was after it was built. */
function keptSince(path: string, kept: string): Buffer | undefined {
  try {
    return statSync(kept).mtimeMs > statSync(path).mtimeMs ? readFileSync(kept) : undefined;
  } catch {
    return undefined;
  }
}

/** Keeps a bundle as far as it was compiled; where that cannot be written, the next run compiles it again. */
function keep(script: Script, kept: string): void {
  const written = `${kept}.${process.pid}`;
  try {
    accessSync(dirname(kept), constants.W_OK);
    writeFileSync(written, script.createCachedData());
    renameSync(written, kept);
  } catch {
    rmSync(written, { force: true });
  }
}
