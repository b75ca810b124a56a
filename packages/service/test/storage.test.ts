/** What is asked of the driver and the storage: durable, exact, typed by the schema, and closed to other versions. */

import { spawn } from "node:child_process";
import { writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { backup, DatabaseSync } from "@photostructure/sqlite";
import { sql } from "kysely";
import { describe, expect, test } from "vitest";
import { openSqlite, transaction } from "../src/storage/driver.js";
import { ownLog } from "../src/log.js";
import { DataOfAnotherVersion } from "../src/storage/migrations.js";
import { Store } from "../src/storage/store.js";
import { StorageFails, Writer } from "../src/storage/writer.js";
import { newFolder, ROOT, ZANY } from "./running.js";

const newFile = (): string => join(newFolder(), "zany.db");
const MACHINE = {
  hash: "h",
  name: "Tide",
  version: 1,
  text: "machine Tide",
  parts: "{}",
  rules: "r",
  words: "",
  created: "2026-01-01",
};

describe("the driver", () => {
  test("commits are in a write-ahead log and on the disk before they count", () => {
    const sqlite = openSqlite(newFile());
    const setting = (name: string): unknown => Object.values(sqlite.prepare(`PRAGMA ${name}`).get() as object)[0];
    expect([setting("journal_mode"), setting("synchronous"), setting("foreign_keys")]).toEqual(["wal", 2, 1]);
    sqlite.close();
  });

  test("what has been committed is there after SIGKILL, whole transactions of it", async () => {
    const file = newFile();
    openSqlite(file).close();
    const program = join(newFolder(), "writer.cjs");
    const driver = createRequire(import.meta.url).resolve("@photostructure/sqlite");
    writeFileSync(
      program,
      `const { DatabaseSync } = require(${JSON.stringify(driver)});
const db = new DatabaseSync(${JSON.stringify(file)});
db.exec("PRAGMA synchronous = FULL; CREATE TABLE t (n INTEGER)");
const insert = db.prepare("INSERT INTO t VALUES (?)");
for (let n = 0; ; n += 2) {
  db.exec("BEGIN IMMEDIATE");
  insert.run(n);
  insert.run(n + 1);
  db.exec("COMMIT");
  require("node:fs").writeSync(1, n + 1 + "\\n");
}`,
    );
    const child = spawn(process.execPath, [program], { stdio: ["ignore", "pipe", "inherit"] });
    let said = "";
    await new Promise<void>((resolve) => {
      child.stdout.on("data", (chunk: Buffer) => {
        said += chunk.toString();
        if (said.split("\n").length > 60) resolve();
      });
    });
    const ended = new Promise((resolve) => child.once("close", resolve));
    child.kill("SIGKILL");
    await ended;
    const acknowledged = Number(said.trimEnd().split("\n").at(-1));
    const sqlite = openSqlite(file);
    const { most, many } = sqlite.prepare("SELECT max(n) AS most, count(*) AS many FROM t").get() as {
      most: number;
      many: number;
    };
    expect(most).toBeGreaterThanOrEqual(acknowledged);
    expect([most % 2, many]).toEqual([1, most + 1]);
    sqlite.close();
  });

  test("a transaction that throws leaves nothing, and the next one goes on", () => {
    const sqlite = openSqlite(newFile());
    sqlite.exec("CREATE TABLE t (n INTEGER PRIMARY KEY)");
    const add = (n: number) => sqlite.prepare("INSERT INTO t VALUES (?)").run(n);
    expect(() => transaction(sqlite, () => [add(1), add(2), add(1)])).toThrow(/UNIQUE/);
    expect(sqlite.isTransaction).toBe(false);
    expect(transaction(sqlite, () => add(3).changes)).toBe(1);
    expect(sqlite.prepare("SELECT n FROM t").all()).toEqual([{ n: 3 }]);
    sqlite.close();
  });

  test("a copy can be made while it is open and written to", async () => {
    const file = newFile();
    const copied = newFile();
    const store = await Store.open(file);
    await store.db.insertInto("machines").values(MACHINE).execute();
    const open = openSqlite(file);
    const copying = backup(open, copied, { rate: 1 });
    await store.db
      .insertInto("machines")
      .values({ ...MACHINE, hash: "i", version: 2 })
      .execute();
    await copying;
    open.close();
    await store.close();
    const copy = await Store.open(copied);
    const rows = await copy.db.selectFrom("machines").select("hash").orderBy("hash").execute();
    expect(rows[0]).toEqual({ hash: "h" });
    expect((await sql<{ integrity_check: string }>`PRAGMA integrity_check`.execute(copy.db)).rows).toEqual([
      { integrity_check: "ok" },
    ]);
    await copy.close();
  });
});

describe("the store", () => {
  test("whole numbers come back as they were, as far as numbers are exact; beyond, nobody guesses", async () => {
    const store = await Store.open(newFile());
    await store.db.insertInto("machines").values(MACHINE).execute();
    const match = {
      machine: "h",
      header: "{}",
      step: 0,
      outcome: null,
      chain: "",
      suspended: null,
      bots: "{}",
      aside: 0,
      turn: "[]",
      hosted: 1,
      fitting: "",
      free: "[]",
      least: 0,
      confirmed: "[]",
      moved_on: 0,
      created: "",
      updated: "",
    };
    const times = [0, -1, 1_795_659_304_773, Number.MAX_SAFE_INTEGER, Number.MIN_SAFE_INTEGER];
    for (const [i, time] of times.entries())
      await store.db
        .insertInto("matches")
        .values({ ...match, id: `${i}`, due: time, manual_time: null })
        .execute();
    const rows = await store.db.selectFrom("matches").select(["due", "manual_time"]).orderBy("id").execute();
    expect(rows).toEqual(times.map((due) => ({ due, manual_time: null })));
    await sql`UPDATE matches SET due = 9007199254740993 WHERE id = '0'`.execute(store.db);
    await expect(store.db.selectFrom("matches").select("due").where("id", "=", "0").execute()).rejects.toThrow();
    await store.close();
  });

  test("columns hold what the schema says: no text in a number, no missing value", async () => {
    const store = await Store.open(newFile());
    const wrong = { ...MACHINE, version: "first" as unknown as number };
    await expect(store.db.insertInto("machines").values(wrong).execute()).rejects.toThrow(/INTEGER/);
    const missing = { ...MACHINE, text: null as unknown as string };
    await expect(store.db.insertInto("machines").values(missing).execute()).rejects.toThrow(/NOT NULL/);
    const stray = { kind: "seat" as const, match: "none", seat: "a", key_hash: "k", name: "", created: "" };
    await expect(store.db.insertInto("keys").values(stray).execute()).rejects.toThrow(/FOREIGN KEY/);
    await store.close();
  });

  test("a prepared query of the builder's takes its values by name, each call anew", async () => {
    const store = await Store.open(newFile());
    const add = store.prepare<{ hash: string; version: number }>((db, value) =>
      db.insertInto("machines").values({ ...MACHINE, hash: value("hash"), version: value("version") }),
    );
    const find = store.prepare<{ version: number }, { hash: string }>((db, value) =>
      db.selectFrom("machines").select("hash").where("name", "=", "Tide").where("version", "=", value("version")),
    );
    store.transaction(() => {
      expect(add.run({ hash: "one", version: 1 })).toBe(1);
      expect(add.run({ version: 2, hash: "two" })).toBe(1);
    });
    expect([find.first({ version: 2 }), find.first({ version: 1 }), find.first({ version: 3 })]).toEqual([
      { hash: "two" },
      { hash: "one" },
      undefined,
    ]);
    expect(() => add.run({ hash: "one", version: 9 })).toThrow(/UNIQUE/);
    await store.close();
  });
});

describe("the writer and its thread", () => {
  const THREAD = pathToFileURL(join(ROOT, "dist/service/writing.mjs"));

  async function opened(program: URL) {
    const file = newFile();
    const store = await Store.open(file);
    const writer = new Writer(store, ownLog("silent"));
    const there = new Promise((resolve) => writer.startThread(file, program, () => resolve(undefined)));
    const add = store.prepare<{ hash: string; version: number }>((db, value) =>
      db.insertInto("machines").values({ ...MACHINE, hash: value("hash"), version: value("version") }),
    );
    const count = store.prepare<object, { count: number }>((db) =>
      db.selectFrom("machines").select((e) => e.fn.countAll<number>().as("count")),
    );
    await there;
    const counted = (): number | undefined => count.first({})?.count;
    return { store, writer, counted, entry: (version: number) => add.entry({ hash: `${version}`, version }) };
  }

  test("what is written there counts when it is told; what comes after it, here or there, is written on top of it", async () => {
    const { store, writer, counted, entry } = await opened(THREAD);
    const inside: (number | undefined)[] = [];
    const told: boolean[] = [];
    const many = Array.from({ length: 10 }, (_, i) => i + 1);
    const writes = many.map(async (version) => {
      await writer.write(entry(version));
      told.push((counted() ?? 0) >= version);
    });
    await new Promise((resolve) => setImmediate(resolve));
    // This one looks first, so it cannot go to the thread, and waits for it.
    writes.push(writer.write(() => inside.push(counted()), entry(11)));
    await new Promise((resolve) => setImmediate(resolve));
    writes.push(writer.write(() => inside.push(counted()), entry(12)));
    writes.push(writer.write(entry(13)));
    await Promise.all(writes);
    expect([inside, told, counted()]).toEqual([[10, 11], many.map(() => true), 13]);
    await writer.close();
    await store.close();
  });

  test("only what is wrong is refused, whoever it was written with", async () => {
    const { store, writer, counted, entry } = await opened(THREAD);
    // So few that they are written here, and so many that they go to the thread.
    for (const many of [3, 12]) {
      const from = many * 100;
      const done = Array.from({ length: many }, (_, i) =>
        i === 1 ? writer.write(entry(from + i), entry(from)) : writer.write(entry(from + i)),
      );
      const told = await Promise.allSettled(done);
      expect(told.flatMap(({ status }, i) => (status === "rejected" ? i : []))).toEqual([1]);
      expect((told[1] as PromiseRejectedResult).reason.message).toContain("UNIQUE");
    }
    expect([counted(), writer.failing]).toEqual([13, undefined]);
    await writer.close();
    await store.close();
  });

  test("when it ends by itself nobody is told that anything is written, and nothing more is", async () => {
    const program = join(newFolder(), "gone.mjs");
    writeFileSync(
      program,
      `import { parentPort } from "node:worker_threads";
parentPort.on("message", () => process.exit(1));
parentPort.postMessage({ ready: true });`,
    );
    const { store, writer, counted, entry } = await opened(pathToFileURL(program));
    const told = await Promise.allSettled(Array.from({ length: 12 }, (_, i) => writer.write(entry(i))));
    expect(told.map(({ status }) => status)).toEqual(told.map(() => "rejected"));
    expect(told[0]).toMatchObject({ reason: { message: expect.stringMatching(/has ended; start the service again/) } });
    await expect(writer.write(() => expect.unreachable())).rejects.toThrow(StorageFails);
    expect([counted(), writer.failing]).toEqual([0, expect.stringContaining("has ended")]);
    await writer.close();
    await store.close();
  });
});

describe("a data folder of another version", () => {
  async function folderWith(migration: string): Promise<string> {
    const folder = newFolder();
    const sqlite = new DatabaseSync(join(folder, "zany.db"));
    sqlite.exec(`CREATE TABLE kysely_migration (name varchar(255) PRIMARY KEY, timestamp varchar(255) NOT NULL);
CREATE TABLE machines (hash TEXT); INSERT INTO machines VALUES ('kept');
INSERT INTO kysely_migration VALUES ('${migration}', '2026-01-01')`);
    sqlite.close();
    return folder;
  }

  test.each([
    ["0002-parts", /holds matches and logbooks of format 1\. The last version that reads them is 0\.1\.0/],
    ["0101-rules", /holds matches and logbooks of format 2\. The last version that reads them is 0\.2\.0/],
    ["0900-later", /was written by a newer version/],
  ])("%s is refused in words, and left as it is", async (migration, words) => {
    const folder = await folderWith(migration);
    const file = join(folder, "zany.db");
    await expect(Store.open(file)).rejects.toThrow(DataOfAnotherVersion);
    const { code, said } = await serve(folder);
    expect([code, said]).toEqual([2, expect.stringMatching(words)]);
    expect(said).toContain("Choose another folder with --data.");
    expect(said).not.toMatch(/\bat .*\.m?js/);
    const sqlite = new DatabaseSync(file);
    expect(sqlite.prepare("SELECT hash FROM machines").all()).toEqual([{ hash: "kept" }]);
    sqlite.close();
  });

  async function serve(folder: string): Promise<{ code: number; said: string }> {
    const child = spawn(process.execPath, [ZANY, "serve", "--port", "0", "--data", folder], { cwd: ROOT });
    let said = "";
    for (const stream of [child.stdout, child.stderr]) stream.on("data", (chunk: Buffer) => (said += chunk.toString()));
    const code = await new Promise<number>((resolve) => child.once("close", (status) => resolve(status ?? -1)));
    return { code, said };
  }
});
