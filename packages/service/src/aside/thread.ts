/** The program of the thread in which the matches of large machines are played. */

import { createHash, timingSafeEqual } from "node:crypto";
import type { AddressInfo } from "node:net";
import { parentPort, workerData } from "node:worker_threads";
import express, { json, type RequestHandler } from "express";
import { Callers } from "../access/callers.js";
import { Keys } from "../access/keys.js";
import { People } from "../access/people.js";
import { Machines } from "../machines.js";
import { matchesApp } from "../matches/app.js";
import { Care } from "../matches/care.js";
import { Host } from "../matches/host.js";
import { Lobby, lobbyRoutes } from "../matches/lobby.js";
import { endStreams, endStreamsOf } from "../matches/streams.js";
import { ownLog } from "../log.js";
import { noSuchAddress, Problem, problemHandler } from "../problems.js";
import { Requests } from "../requests.js";
import { Store } from "../storage/store.js";
import { Writer } from "../storage/writer.js";
import { WORKER, Workers } from "../workers/workers.js";
import { type AsideOptions, type FromAside, type ToAside, TOKEN_HEADER } from "./messages.js";
import { serverOf } from "../http/server.js";

const { file, token, rules, logLevel } = workerData as AsideOptions;
const tell = (message: FromAside): void => parentPort?.postMessage(message);

const log = ownLog(logLevel);
const store = await Store.open(file);
const writer = new Writer(store, log);
writer.onChange((failing) => tell({ failing }));
const workers = new Workers(WORKER);
const keys = new Keys(store);
const people = new People(store, writer, keys);
const callers = new Callers(keys, people, rules.doors);
const host = new Host(store, writer, new Machines(store, writer, workers, workers), keys, people, log, {
  aside: true,
  name: rules.name,
  keepsRefusals: rules.keepsRefusals,
  movedAway: (match) => tell({ comesBack: match }),
});
const care = new Care(store, host, log, rules.patience, 1);
host.notices.listen(() => tell({ noticed: true }));
keys.onRevoked((hashes) => {
  endStreamsOf(hashes);
  tell({ revoked: hashes });
});
const requests = new Requests();

const app = express();
app.disable("x-powered-by");
app.disable("etag");
// What was passed on says where it came from.
app.set("trust proxy", "loopback");
app.use(onlyPassedOn(token), requests.handler());
app.use("/api/matches", matchesApp({ host, callers }, log));
app.use("/api/lobby", json(), lobbyRoutes(new Lobby(store, host, 1), host, callers));
app.use(noSuchAddress, problemHandler(log));
const server = serverOf(app);
server.listen(0, "127.0.0.1", () => {
  care.start();
  void host.resumeAll().then(() => tell({ port: (server.address() as AddressInfo).port }));
});

parentPort?.on("message", (message: ToAside) => {
  if (message === "stop") void stop();
  else {
    keys.forget(message.revoked);
    endStreamsOf(message.revoked);
  }
});

/** As the service stops: what is under way is answered, then streams are ended, then the database is closed. */
async function stop(): Promise<void> {
  requests.close();
  server.close();
  await care.stop();
  await host.stop();
  endStreams();
  await requests.settled();
  server.closeAllConnections();
  await writer.close();
  await workers.close();
  await store.close();
  process.exit(0);
}

/** Anybody on this computer can reach the port; only what comes with the secret is answered. */
function onlyPassedOn(secret: string): RequestHandler {
  const digest = (text: string): Buffer => createHash("sha256").update(text).digest();
  const wanted = digest(secret);
  return (request, _response, next) => {
    if (timingSafeEqual(digest(request.get(TOKEN_HEADER) ?? ""), wanted)) next();
    else next(new Problem(403, "notPassedOn", "This port is the service's own. Ask the service itself."));
  };
}
