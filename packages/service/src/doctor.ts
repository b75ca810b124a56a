/**
 * `zany doctor`: compares all that a data folder holds with itself. Machines are compiled, matches played again from
 * their first line, snapshots compared with that, logbooks read. Nothing is changed.
 */

import { existsSync } from "node:fs";
import { compile, Runnable, readLogbook, sha256Hex, type StepLine } from "@zany/core";
import { pino } from "pino";
import { CannotStart, databaseOf, openFolder } from "./folder.js";
import { Machines } from "./machines.js";
import { chained, chainOf, sealOf } from "./matches/chain.js";
import { loadMatch } from "./matches/loading.js";
import { MatchRecords } from "./matches/records.js";
import type { Parts } from "@zany/client/api";
import { Pieces } from "./storage/pieces.js";
import type { Store } from "./storage/store.js";
import { Writer } from "./storage/writer.js";
import { WORKER, Workers } from "./workers/workers.js";

/** Something that is not as it was written. */
export interface Damage {
  /** What it was found in, such as `match wp4czdr2jj`. */
  readonly of: string;
  readonly words: string;
}

/** What was looked at, and what is wrong with it. */
export interface Examination {
  readonly machines: number;
  readonly matches: number;
  readonly steps: number;
  readonly logbooks: number;
  readonly damages: readonly Damage[];
}

/**
 * Examines a data folder that no service uses at the time.
 *
 * @throws CannotStart when the folder is none, cannot be used, or a service uses it
 */
export async function examine(folder: string): Promise<Examination> {
  if (!existsSync(databaseOf(folder))) throw new CannotStart(`The folder "${folder}" holds no zany.db.`);
  const { store, lock } = await openFolder(folder);
  try {
    const damages: Damage[] = [];
    const machines = await examineMachines(store, damages);
    const { matches, steps } = await examineMatches(store, damages);
    const logbooks = await examineLogbooks(store, damages);
    return { machines, matches, steps, logbooks, damages };
  } finally {
    await store.close();
    lock.release();
  }
}

async function examineMachines(store: Store, damages: Damage[]): Promise<number> {
  const rows = await store.db.selectFrom("machines").selectAll().orderBy("name").orderBy("version").execute();
  for (const { name, version, hash, rules, text, parts } of rows) {
    const of = `machine ${name}@${version}`;
    try {
      const found = JSON.parse(parts) as Parts;
      const { ok, machine } = compile(text, undefined, (path) => found[path], { errorsOnly: true });
      if (!ok) {
        damages.push({ of, words: "it does not compile in this version" });
        continue;
      }
      const runnable = new Runnable(machine);
      if (runnable.hash !== hash || runnable.rules !== rules)
        damages.push({ of, words: "its text is not the one that its hash is of" });
    } catch (error) {
      damages.push({ of, words: wordsOf(error) });
    }
  }
  return rows.length;
}

async function examineMatches(store: Store, damages: Damage[]): Promise<{ matches: number; steps: number }> {
  const workers = new Workers(WORKER);
  const machines = new Machines(store, silentWriter(store), workers, workers);
  const records = new MatchRecords(store);
  const ids = await store.db.selectFrom("matches").select("id").orderBy("created").execute();
  let steps = 0;
  for (const { id } of ids) {
    try {
      const { row, header } = await records.find(id);
      const kept = { id, header, headerText: row.header, step: row.step, chain: row.chain };
      await loadMatch(kept, await machines.runnable(row.machine), records, []);
      steps += row.step;
      await examineSnapshots(records, id, row.header, damages);
    } catch (error) {
      damages.push({ of: `match ${id}`, words: wordsOf(error) });
    }
  }
  return { matches: ids.length, steps };
}

/** Compares the snapshots of a match that was replayed with its lines. */
async function examineSnapshots(records: MatchRecords, id: string, header: string, damages: Damage[]): Promise<void> {
  const snapshots = new Map((await records.snapshots(id)).map((snapshot) => [snapshot.step, snapshot]));
  let chain = chainOf(header);
  for await (const lines of records.lines(id))
    for (const { step, line } of lines) {
      chain = chained(chain, line);
      const snapshot = snapshots.get(step);
      if (!snapshot) continue;
      const { digest } = JSON.parse(line) as StepLine;
      const { situation, seal } = snapshot;
      if (snapshot.chain !== chain || seal !== sealOf(header, chain, situation) || digest !== sha256Hex(situation))
        damages.push({ of: `match ${id}`, words: `its snapshot of step ${step} is not what the match came to` });
    }
}

async function examineLogbooks(store: Store, damages: Damage[]): Promise<number> {
  const rows = await store.db.selectFrom("logbooks").select(["id", "name"]).orderBy("position").execute();
  const pieces = new Pieces(store, silentWriter(store));
  for (const { id, name } of rows) {
    try {
      const bytes: Uint8Array[] = [];
      for await (const some of pieces.read(id)) bytes.push(some);
      readLogbook(new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(Buffer.concat(bytes)));
    } catch (error) {
      damages.push({ of: `logbook ${id} (${name})`, words: wordsOf(error) });
    }
  }
  return rows.length;
}

/** For parts that could write, and do not here. */
function silentWriter(store: Store): Writer {
  return new Writer(store, pino({ level: "silent" }));
}

function wordsOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
