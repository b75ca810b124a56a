/** The service: opens the database, wires the resources together, listens. */

import { existsSync } from "node:fs";
import type { Server } from "node:http";
import type { AddressInfo } from "node:net";
import { networkInterfaces } from "node:os";
import { setTimeout as timeout } from "node:timers/promises";
import express, { json, Router } from "express";
import helmet from "helmet";
import type { Logger } from "pino";
import { pinoHttp } from "pino-http";
import { Callers, type Doors } from "./access/callers.js";
import { doorkeeper } from "./access/doors.js";
import { Hooks, hookRoutes } from "./access/hooks.js";
import { Keys } from "./access/keys.js";
import { OTHERS, OWN } from "./access/limits.js";
import { MyMatches } from "./access/my-matches.js";
import { People } from "./access/people.js";
import { Postman } from "./access/postman.js";
import { Reach } from "./access/reach.js";
import { adminRoutes, meRoutes, type PeopleDoors, peopleRoutes } from "./access/routes.js";
import { loadDemo } from "./demo.js";
import { Aside } from "./aside/aside.js";
import { CannotStart, databaseOf, openFolder } from "./folder.js";
import openapi from "./http/openapi.json" with { type: "json" };
import { problemPages } from "./http/problem-pages.js";
import { serviceLimits } from "./http/limits.js";
import { referencePage } from "./http/reference.js";
import { serverOf } from "./http/server.js";
import { Jobs } from "./jobs/jobs.js";
import { jobRoutes } from "./jobs/routes.js";
import { Logbooks, logbookRoutes } from "./logbooks.js";
import { Machines, machineRoutes } from "./machines.js";
import { Care, PATIENCE, type Patience } from "./matches/care.js";
import { Host } from "./matches/host.js";
import { ownLog } from "./log.js";
import { matchesApp } from "./matches/app.js";
import { Lobby, lobbyRoutes } from "./matches/lobby.js";
import { endStreams, endStreamsOf } from "./matches/streams.js";
import { noSuchAddress, problemHandler, refuseOtherThanUtf8 } from "./problems.js";
import { Reports } from "./reports.js";
import { newKey } from "./secrets.js";
import { Requests } from "./requests.js";
import type { FolderLock } from "./storage/lock.js";
import type { Store } from "./storage/store.js";
import { StorageFails, Writer } from "./storage/writer.js";
import { Tallies, tallyRoutes } from "./tallies.js";
import { warmUp } from "./warm-up.js";
import { WORKER, Workers } from "./workers/workers.js";

export { backup, restore } from "./backup.js";
export { type Damage, type Examination, examine } from "./doctor.js";
export { CannotStart } from "./folder.js";

export interface ServiceOptions {
  readonly port: number;
  /** The address to listen on; loopback unless somebody wants more. */
  readonly host?: string;
  /** The folder that everything is kept in. */
  readonly data: string;
  /** The folder of the built console; without it, only the API is served. */
  readonly console?: string;
  /** The folder with examples to load first. */
  readonly demo?: string;
  /** Where it is logged; without it to the standard output, from `logLevel` on. */
  readonly log?: Logger;
  /** A level of pino's; "info" when not given. */
  readonly logLevel?: string;
  /** What the ids of new matches begin with, so that a proxy before several services knows whose they are. */
  readonly name?: string;
  /** How long what is left alone is kept. */
  readonly patience?: Patience;
  /** Keeps what players asked for and did not get with the match. */
  readonly keepsRefusals?: boolean;
  /** Makes an admin's key when there is none yet. */
  readonly makeAdmin?: boolean;
  /** Whether anybody may become a guest where keys are needed. */
  readonly guests?: boolean;
  /** Addresses that others reach it by, of a proxy before it; the first stands in messages. */
  readonly urls?: readonly string[];
  /** Hosts that webhooks may be at although they are private. */
  readonly hookHosts?: readonly string[];
  /** Origins of pages that may ask it beside its own. */
  readonly origins?: readonly string[];
  /**
   * Whether a proxy on this computer stands before it, which says where requests come from. Then others reach it, so
   * keys are needed on loopback too.
   */
  readonly proxy?: boolean;
}

export interface Service {
  /** Where it can be reached, such as `http://127.0.0.1:4747`. */
  readonly address: string;
  /** Where others in the network reach it; none on loopback. */
  readonly addresses: readonly string[];
  /** The admin's key when it was made just now: told this once. */
  readonly adminKey: string | undefined;
  close(): Promise<void>;
}

/** How long requests under way may take when the service stops, in milliseconds. */
const STOPPING = 10_000;

/** How much the priority is lowered of what is found out about machines in the background. */
const REPORTS_GIVE_WAY = 10;

/** When its workers are started, in milliseconds after it listens: nobody has to wait for them, nor for it. */
const WORKERS_AFTER = 500;

/**
 * Starts the service and resolves when it listens.
 *
 * @throws CannotStart when the port is taken, the address is not this computer's, it is not loopback and there is no
 * admin's key, or the data folder is in use, cannot be used or is of another version
 */
export async function startService(options: ServiceOptions): Promise<Service> {
  const log = options.log ?? ownLog(options.logLevel ?? "info");
  const { store, lock } = await openFolder(options.data);
  try {
    return await startOn(store, lock, options, log);
  } catch (error) {
    await store.close();
    lock.release();
    throw error;
  }
}

async function startOn(store: Store, lock: FolderLock, options: ServiceOptions, log: Logger): Promise<Service> {
  warmUp();
  const writer = new Writer(store, log);
  const workers = new Workers(WORKER);
  const preparers = new Workers(WORKER);
  const machines = new Machines(store, writer, workers, preparers);
  const logbooks = new Logbooks(store, writer, machines, workers);
  const reports = new Reports(store, writer, logbooks.pieces, new Workers(WORKER, REPORTS_GIVE_WAY), log);
  const jobs = new Jobs(store, writer, machines, logbooks, log);
  const patience = options.patience ?? PATIENCE;
  const { name = "", keepsRefusals = false } = options;
  const listening = options.host ?? LOOPBACK;
  const doors: Doors = { open: isLoopback(listening) && !options.proxy, guests: options.guests ?? false };
  const keys = new Keys(store);
  const makesAdmin = !doors.open && !(await keys.hasAdmin());
  if (makesAdmin && !options.makeAdmin)
    throw new CannotStart(noAdmin(options.proxy ? "its proxy's address" : listening));
  const adminKey = makesAdmin ? await newAdmin(keys, writer) : undefined;
  const people = new People(store, writer, keys);
  const callers = new Callers(keys, people, doors);
  const host = new Host(store, writer, machines, keys, people, log, { aside: false, name, keepsRefusals });
  const aside = new Aside(databaseOf(options.data), store, { name, doors, patience, keepsRefusals }, log, {
    comesBack(match) {
      host.takeUp(match).catch((error: unknown) => log.warn({ err: error, match }, "a match could not be taken up"));
    },
    noticed: () => host.notices.wake(),
    revoked: (hashes) => keys.forget(hashes),
  });
  keys.onRevoked((hashes) => {
    endStreamsOf(hashes);
    aside.revoked(hashes);
  });
  const prepared = logbooks
    .clean()
    .then(() => (options.demo === undefined ? undefined : loadDemo(options.demo, machines, logbooks)));
  await prepared.catch((error: unknown) => {
    // On a full disk what is stored already can be seen and played without it.
    if (!(error instanceof StorageFails)) throw error;
  });

  const care = new Care(store, host, log, patience, 0);
  const reach = new Reach(options.hookHosts ?? []);
  const requests = new Requests();
  const app = express();
  app.disable("x-powered-by");
  // What has a version says so itself.
  app.disable("etag");
  if (options.proxy) app.set("trust proxy", "loopback");
  // What fails is logged where it fails; that there was a request is told to whoever wants to know it.
  if (log.isLevelEnabled("debug"))
    app.use(
      pinoHttp({
        logger: log,
        autoLogging: { ignore: (request) => request.url === "/healthz" },
        redact: ["req.headers.authorization"],
        customLogLevel: () => "debug",
      }),
    );
  app.use(requests.handler());
  const api = Router();
  const names = (options.urls ?? []).map((url) => new URL(url).hostname);
  const rates = doors.open ? OWN : OTHERS;
  const limits = serviceLimits(rates, patience);
  api.use(doorkeeper({ names, origins: options.origins ?? [] }, rates));
  api.use("/matches", matchesApp({ host, callers, elsewhere: aside }, log));
  api.use("/machines", machineRoutes(machines, reports, callers));
  api.use(json({ limit: "128kb", verify: refuseOtherThanUtf8 }));
  api.use("/logbooks", logbookRoutes(logbooks, reports, callers));
  api.use("/jobs", jobRoutes(jobs, callers));
  api.use("/lobby", lobbyRoutes(new Lobby(store, host, 0), host, callers, aside));
  const atDoor: PeopleDoors = { callers, people, keys, notices: host.notices, mine: new MyMatches(store), writer };
  api.use("/people", peopleRoutes(atDoor));
  api.use("/tallies", tallyRoutes(new Tallies(store), callers));
  api.use("/me", meRoutes(atDoor));
  api.use("/admin", adminRoutes(atDoor));
  api.use("/hooks", hookRoutes(new Hooks(store, writer, reach), callers));
  api.get("/limits", (_request, response) => void response.json(limits));
  api.get("/openapi.json", (_request, response) => void response.json(openapi));
  api.use(noSuchAddress);
  app.use("/api", api);
  app.get("/healthz", (_request, response) => {
    store.ping();
    const reason = writer.failing ?? aside.failing;
    response.json(reason === undefined ? { ok: true, status: "ok" } : { ok: false, status: "degraded", reason });
  });
  app.use(helmet({ contentSecurityPolicy: { useDefaults: false, directives: CONTENT_SECURITY } }));
  app.use("/problems", problemPages());
  app.use("/reference", referencePage());
  if (options.console !== undefined && existsSync(options.console)) serveConsole(app, options.console);
  app.use(problemHandler(log));

  const server = serverOf(app);
  await listen(server, options.port, listening);
  const { address: ip, port, family } = server.address() as AddressInfo;
  const everywhere = ip === "0.0.0.0" || ip === "::";
  const address = `http://${everywhere ? LOOPBACK : family === "IPv6" ? `[${ip}]` : ip}:${port}`;
  const postman = new Postman(store, writer, reach, options.urls?.[0]?.replace(/\/+$/, "") ?? address, log);
  host.notices.listen(() => postman.wake());
  postman.wake();
  lock.tell(`the service at ${address} (process ${process.pid})`);
  aside.resumeAll();
  await host.resumeAll();
  reports.wake();
  jobs.wake();
  care.start();
  writer.startThread(databaseOf(options.data));
  const starting = setTimeout(() => {
    for (const each of [workers, preparers]) each.start();
  }, WORKERS_AFTER).unref();
  return {
    address,
    addresses: doors.open ? [] : everywhere ? ownAddresses().map((own) => `http://${own}:${port}`) : [address],
    adminKey,
    /** What is under way is answered, then streams are ended, then the database is closed. */
    async close() {
      clearTimeout(starting);
      requests.close();
      await Promise.all([care.stop(), postman.close()]);
      const closed = new Promise((resolve) => server.close(resolve));
      const answered = Promise.all([host.stop(), aside.stop()]).then(() => {
        endStreams();
        return requests.settled();
      });
      await Promise.race([answered, timeout(STOPPING, undefined, { ref: false })]);
      server.closeAllConnections();
      await closed;
      await Promise.all([workers.close(), preparers.close(), reports.close(), jobs.close(), aside.close()]);
      await writer.close();
      await store.close();
      lock.release();
    },
  };
}

const LOOPBACK = "127.0.0.1";

/** Whether an address can only be reached from this computer. */
function isLoopback(address: string): boolean {
  return address === "localhost" || address === "::1" || /^127\.\d+\.\d+\.\d+$/.test(address);
}

function noAdmin(address: string): string {
  return (
    `On ${address} others can reach the service, so it needs an admin's key first. Make one with: zany admin ` +
    "--data FOLDER"
  );
}

/** Makes a key for the admin. */
async function newAdmin(keys: Keys, writer: Writer): Promise<string> {
  const key = newKey();
  await writer.write(() => keys.add(key, { kind: "admin" }));
  return key;
}

/**
 * Makes one more key for the admin of a data folder.
 *
 * @throws CannotStart when the folder cannot be used, or a service uses it
 */
export async function addAdmin(folder: string): Promise<string> {
  const { store, lock } = await openFolder(folder);
  const writer = new Writer(store, ownLog("silent"));
  try {
    return await newAdmin(new Keys(store), writer);
  } finally {
    await writer.close();
    await store.close();
    lock.release();
  }
}

/** The addresses of this computer in its networks, IPv4. */
function ownAddresses(): string[] {
  const all = Object.values(networkInterfaces()).flatMap((found) => found ?? []);
  return all.filter((found) => found.family === "IPv4" && !found.internal).map((found) => found.address);
}

/** The diagram's layout runs in a worker; CodeMirror puts its styles into the page. */
const CONTENT_SECURITY = {
  defaultSrc: ["'none'"],
  scriptSrc: ["'self'"],
  styleSrc: ["'self'"],
  styleSrcElem: ["'self'", "'unsafe-inline'"],
  // The bars' widths and the diagram's geometry are style attributes.
  styleSrcAttr: ["'unsafe-inline'"],
  imgSrc: ["'self'", "data:"],
  fontSrc: ["'self'"],
  connectSrc: ["'self'"],
  workerSrc: ["'self'"],
  baseUri: ["'none'"],
  formAction: ["'self'"],
  frameAncestors: ["'none'"],
};

/** The console's files; every other address is one of its pages. */
function serveConsole(app: express.Express, folder: string): void {
  app.use(express.static(folder, { index: false, maxAge: "1y", immutable: true }));
  app.get("/{*page}", (_request, response) => {
    response.set("Cache-Control", "no-cache").sendFile("index.html", { root: folder });
  });
}

async function listen(server: Server, port: number, address: string): Promise<void> {
  await new Promise<void>((resolve, reject) => {
    server.once("error", (error: NodeJS.ErrnoException) => {
      if (error.code === "EADDRINUSE")
        reject(
          new CannotStart(
            `Port ${port} on ${address} is taken by another program. Choose another with --port, or stop that one.`,
          ),
        );
      else if (error.code === "EACCES")
        reject(new CannotStart(`Port ${port} may not be used by you. Choose one above 1023 with --port.`));
      else if (error.code === "EADDRNOTAVAIL")
        reject(
          new CannotStart(
            `${address} is not an address of this computer. Use 127.0.0.1, or 0.0.0.0 for the whole network.`,
          ),
        );
      else reject(error);
    });
    server.listen(port, address, resolve);
  });
}
