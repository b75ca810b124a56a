/** The service: opens the database, wires the resources together, listens. */

import { existsSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { setTimeout as timeout } from "node:timers/promises";
import express, { json } from "express";
import helmet from "helmet";
import type { Logger } from "pino";
import { pinoHttp } from "pino-http";
import { loadDemo } from "./demo.js";
import { Aside } from "./aside/aside.js";
import { CannotStart, databaseOf, openFolder } from "./folder.js";
import { Logbooks, logbookRoutes } from "./logbooks.js";
import { Machines, machineRoutes } from "./machines.js";
import { Host } from "./matches/host.js";
import { ownLog } from "./log.js";
import { matchesApp } from "./matches/app.js";
import { endStreams } from "./matches/streams.js";
import { noSuchAddress, problemHandler, refuseOtherThanUtf8 } from "./problems.js";
import { Reports } from "./reports.js";
import { Requests } from "./requests.js";
import type { FolderLock } from "./storage/lock.js";
import type { Store } from "./storage/store.js";
import { StorageFails, Writer } from "./storage/writer.js";
import { warmUp } from "./warm-up.js";
import { WORKER, Workers } from "./workers/workers.js";

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
}

export interface Service {
  /** Where it can be reached, such as `http://127.0.0.1:4747`. */
  readonly address: string;
  close(): Promise<void>;
}

/** How long requests under way may take when the service stops, in milliseconds. */
const STOPPING = 10_000;

/**
 * Starts the service and resolves when it listens.
 *
 * @throws CannotStart when the port is taken, the address is not this computer's, or the data folder is in use, cannot
 * be used or is of another version
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
  const reports = new Reports(store, writer, logbooks.pieces, new Workers(WORKER), log);
  const host = new Host(store, writer, machines, log);
  const aside = new Aside(databaseOf(options.data), store, log, {
    comesBack(match) {
      host.takeUp(match).catch((error: unknown) => log.warn({ err: error, match }, "a match could not be taken up"));
    },
  });
  const prepared = logbooks
    .clean()
    .then(() => (options.demo === undefined ? undefined : loadDemo(options.demo, machines, logbooks)));
  await prepared.catch((error: unknown) => {
    // On a full disk what is stored already can be seen and played without it.
    if (!(error instanceof StorageFails)) throw error;
  });

  const requests = new Requests();
  const app = express();
  app.disable("x-powered-by");
  app.use(
    pinoHttp({
      logger: log,
      autoLogging: { ignore: (request) => request.url === "/healthz" },
      redact: ["req.headers.authorization"],
      // What is refused because the disk fails or the service stops has been logged once already.
      customLogLevel: (_request, { statusCode }, error) =>
        statusCode !== 503 && (error || statusCode >= 500) ? "error" : "debug",
    }),
  );
  app.use(helmet({ contentSecurityPolicy: { useDefaults: false, directives: CONTENT_SECURITY } }));
  app.use(requests.handler());
  app.get("/healthz", (_request, response) => {
    store.ping();
    const reason = writer.failing ?? aside.failing;
    response.json(reason === undefined ? { ok: true, status: "ok" } : { ok: false, status: "degraded", reason });
  });
  app.use("/api/matches/:id", aside.handler());
  app.use("/api/matches", matchesApp(host, log, aside));
  app.use("/api/machines", machineRoutes(machines, reports));
  app.use("/api", json({ limit: "128kb", verify: refuseOtherThanUtf8 }));
  app.use("/api/logbooks", logbookRoutes(logbooks, reports));
  app.use("/api", noSuchAddress);
  if (options.console !== undefined && existsSync(options.console)) serveConsole(app, options.console);
  app.use(problemHandler(log));

  const server = createServer(app);
  await listen(server, options.port, options.host ?? "127.0.0.1");
  const { address: ip, port, family } = server.address() as AddressInfo;
  const address = `http://${family === "IPv6" ? `[${ip}]` : ip}:${port}`;
  lock.tell(`the service at ${address} (process ${process.pid})`);
  aside.resumeAll();
  await host.resumeAll();
  reports.wake();
  return {
    address,
    /** What is under way is answered, then streams are ended, then the database is closed. */
    async close() {
      requests.close();
      const closed = new Promise((resolve) => server.close(resolve));
      const answered = Promise.all([host.stop(), aside.stop()]).then(() => {
        endStreams();
        return requests.settled();
      });
      await Promise.race([answered, timeout(STOPPING, undefined, { ref: false })]);
      server.closeAllConnections();
      await closed;
      await Promise.all([workers.close(), preparers.close(), reports.close(), aside.close()]);
      writer.close();
      await store.close();
      lock.release();
    },
  };
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
