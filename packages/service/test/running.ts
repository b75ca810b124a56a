/** A service in a process of its own, as its users run it. */

import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

/** Tests and benches are run from the project's folder. */
export const ROOT = `${process.cwd()}/`;
export const ZANY = join(ROOT, "dist/cli/zany.cjs");

const folders: string[] = [];
process.once("exit", () => {
  for (const folder of folders) rmSync(folder, { recursive: true, force: true });
});

/** A folder that goes with this process. */
export function newFolder(): string {
  const folder = mkdtempSync(join(tmpdir(), "zany-test-"));
  folders.push(folder);
  return folder;
}

export interface Running {
  readonly address: string;
  readonly process: ChildProcess;
  /** Stops it, politely or at once. */
  stop(signal?: "SIGTERM" | "SIGKILL"): Promise<number | null>;
}

/** Starts `zany serve` on a free port and waits until it says where it is. */
export function startService(data: string, ...more: string[]): Promise<Running> {
  return startWith([], data, ...more);
}

/** The same with options for Node. */
export async function startWith(node: readonly string[], data: string, ...more: string[]): Promise<Running> {
  const child = spawn(process.execPath, [...node, ZANY, "serve", "--port", "0", "--data", data, ...more], {
    cwd: ROOT,
    stdio: ["ignore", "pipe", "pipe"],
  });
  let said = "";
  const address = await new Promise<string>((resolve, reject) => {
    const hear = (chunk: Buffer): void => {
      said += chunk.toString();
      const match = /is at (http:\S+)/.exec(said);
      if (match?.[1]) resolve(match[1]);
    };
    child.stdout.on("data", hear);
    child.stderr.on("data", hear);
    child.once("exit", (code) => reject(new Error(`the service ended with ${code}: ${said}`)));
  });
  const ended = new Promise<number | null>((resolve) => child.once("exit", (code) => resolve(code)));
  return {
    address,
    process: child,
    stop(signal = "SIGTERM") {
      child.kill(signal);
      return ended;
    },
  };
}
