/**
 * What the service is measured against: the least that takes a request over HTTP and keeps it. Express, a JSON body,
 * one row inserted with the same driver at the same durability: each in a transaction of its own, or all of one turn
 * of the event loop in one. Started as a program of its own: bare-endpoint FILE single|grouped; says its port.
 */

import type { AddressInfo } from "node:net";
import express, { json } from "express";
import { openSqlite, transaction } from "../../packages/service/src/storage/driver.js";

const [file = "", how] = process.argv.slice(2);
const sqlite = openSqlite(file);
sqlite.exec("CREATE TABLE IF NOT EXISTS steps (match TEXT, at INTEGER, input TEXT)");
const insert = sqlite.prepare("INSERT INTO steps VALUES (?, ?, ?)");

let waiting: { readonly row: [string, number, string]; readonly done: () => void }[] = [];

function flush(): void {
  const jobs = waiting;
  waiting = [];
  transaction(sqlite, () => {
    for (const { row } of jobs) insert.run(...row);
  });
  for (const { done } of jobs) done();
}

const app = express();
app.use(json());
app.post("/matches/:id/actions", async (request, response) => {
  const row: [string, number, string] = [request.params.id, Date.now(), JSON.stringify(request.body)];
  if (how === "grouped") {
    await new Promise<void>((done) => {
      if (waiting.length === 0) setImmediate(flush);
      waiting.push({ row, done });
    });
  } else {
    transaction(sqlite, () => insert.run(...row));
  }
  response.json({ taken: true });
});
const server = app.listen(0, "127.0.0.1", () => console.log(`port ${(server.address() as AddressInfo).port}`));
