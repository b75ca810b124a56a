/**
 * Work in a thread that nobody waits for by the millisecond gives way to the matches, where all threads share few
 * cores. Linux knows each thread's own priority; elsewhere the system decides.
 */

import { readlinkSync } from "node:fs";
import { basename } from "node:path";
import { setPriority } from "node:os";

/** Lowers the priority of the thread that calls it. @param by 1 to 19 */
export function giveWay(by: number): void {
  if (process.platform !== "linux") return;
  try {
    setPriority(Number(basename(readlinkSync("/proc/thread-self"))), by);
  } catch {
    // A system that does not let itself be asked leaves it as it is.
  }
}
