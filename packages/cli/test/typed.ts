/** `zany` as people type it, and the files they have. */

import { spawnSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { ROOT, ZANY } from "../../service/test/running.js";

export interface Typed {
  readonly out: string;
  readonly err: string;
  readonly code: number | null;
}

/** Types commands in the project's folder. @param state where keys are kept */
export function typing(
  state: string,
): (args: readonly string[], options?: { input?: string; env?: Record<string, string> }) => Typed {
  return (args, options = {}) => {
    const { stdout, stderr, status } = spawnSync(process.execPath, [ZANY, ...args], {
      cwd: ROOT,
      encoding: "utf8",
      input: options.input ?? "",
      env: { ...process.env, XDG_STATE_HOME: state, ...options.env },
    });
    return { out: stdout, err: stderr, code: status };
  };
}

/** Writes a file. @returns its path */
export function written(folder: string, name: string, text: string): string {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
}
