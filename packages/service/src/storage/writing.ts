/** The program of the thread that writes; see `WritingThread`. */

import { parentPort, workerData } from "node:worker_threads";
import type { StatementSyncInstance } from "@photostructure/sqlite";
import { timedCommit } from "./commit.js";
import { openSqlite, transaction } from "./driver.js";
import type { FromWriting, ToWriting } from "./writing-thread.js";

const sqlite = openSqlite(workerData as string);
const prepared = new Map<number, { readonly statement: StatementSyncInstance; readonly takes: number }>();
const say = (message: FromWriting): void => parentPort?.postMessage(message);

parentPort?.on("message", (message: ToWriting | "stop") => {
  if (message === "stop") {
    sqlite.close();
    parentPort?.close();
    return;
  }
  const { statements, entries } = message;
  for (const [number, text, takes] of statements) prepared.set(number, { statement: sqlite.prepare(text), takes });
  let next = 0;
  const jobs = message.jobs.map((length) => {
    const runs = Array.from({ length }, () => {
      const { statement, takes } = need(entries[next] as number);
      const values = entries.slice(next + 1, next + 1 + takes);
      next += 1 + takes;
      return () => statement.run(...values);
    });
    return () => {
      for (const run of runs) run();
    };
  });
  const { outcomes, waited } = timedCommit(jobs, (work) => transaction(sqlite, work));
  say({
    waited,
    outcomes: outcomes.map(
      (error) => error && { message: error.message, errcode: (error as { errcode?: unknown }).errcode },
    ),
  });
});
say({ ready: true });

function need(number: number) {
  const known = prepared.get(number);
  if (!known) throw new Error(`statement ${number} was not told`);
  return known;
}
