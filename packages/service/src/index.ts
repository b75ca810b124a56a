/** The service: opens the database, wires the resources together, listens. */

import { existsSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import express, { json } from "express";
import helmet from "helmet";
import { type Logger, pino } from "pino";
import { pinoHttp } from "pino-http";
import { loadDemo } from "./demo.js";
import { Logbooks, logbookRoutes } from "./logbooks.js";
import { Machines, machineRoutes } from "./machines.js";
import { Host } from "./matches/host.js";
import { matchRoutes } from "./matches/routes.js";
import { endStreams } from "./matches/stream.js";
import { Problem, problemHandler } from "./problems.js";
import { DataOfAnotherVersion } from "./storage/schema.js";
import { Store } from "./storage/store.js";
import { Writer } from "./storage/writer.js";

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

/** Says why the service could not start, in words for the person who started it. */
export class CannotStart extends Error {}

/**
 * Starts the service and resolves when it listens.
 *
 * @throws CannotStart when the port is taken the address is not this computer's, or the data folder is of another version
 */
export async function startService(options: ServiceOptions): Promise<Service> {
  const log = options.log ?? pino({ level: options.logLevel ?? "info" });
  const store = await openStore(options.data);
  const writer = new Writer(store);
  const machines = new Machines(store, writer);
  const logbooks = new Logbooks(store, writer, machines);
  const host = new Host(store, writer, machines, log);
  if (options.demo !== undefined) await loadDemo(options.demo, machines, logbooks);

  const app = express();
  app.disable("x-powered-by");
  app.use(
    pinoHttp({
      logger: log,
      autoLogging: { ignore: (request) => request.url === "/healthz" },
      redact: ["req.headers.authorization"],
      customLogLevel: (_request, response, error) => (error || response.statusCode >= 500 ? "error" : "debug"),
    }),
  );
  app.use(helmet({ contentSecurityPolicy: { useDefaults: false, directives: CONTENT_SECURITY } }));
  app.get("/healthz", (_request, response) => {
    store.ping();
    response.json({ ok: true });
  });
  app.use("/api", json({ limit: "8mb" }));
  app.use("/api/machines", machineRoutes(machines));
  app.use("/api/matches", matchRoutes(host));
  app.use("/api/logbooks", logbookRoutes(logbooks));
  app.use("/api", (request) => {
    throw new Problem(404, "noSuchAddress", `There is nothing at ${request.method} ${request.originalUrl}.`);
  });
  if (options.console !== undefined && existsSync(options.console)) serveConsole(app, options.console);
  app.use(problemHandler(log));

  const server = createServer(app);
  await listen(server, options.port, options.host ?? "127.0.0.1");
  await host.resume();
  const { address, port, family } = server.address() as AddressInfo;
  return {
    address: `http://${family === "IPv6" ? `[${address}]` : address}:${port}`,
    async close() {
      host.close();
      endStreams();
      await new Promise((resolve) => {
        server.close(resolve);
        server.closeAllConnections();
      });
      await store.close();
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

/** What keeps a folder from being used, by the code of the system's error. */
const UNUSABLE: Readonly<Record<string, string>> = {
  EACCES: "may not be written by you",
  EPERM: "may not be written by you",
  EROFS: "lies on a disk that cannot be written",
  ENOSPC: "lies on a disk that is full",
  ENOTDIR: "lies inside a file",
  EEXIST: "is a file",
  ERR_SQLITE_ERROR: "holds a zany.db that is no database of this program, or a damaged one",
};

/** Opens the data folder. @throws CannotStart when it cannot be used, or another version of the service wrote it */
async function openStore(folder: string): Promise<Store> {
  try {
    return await Store.open(join(folder, "zany.db"));
  } catch (error) {
    if (error instanceof DataOfAnotherVersion)
      throw new CannotStart(`The data folder "${folder}" ${error.message}. Choose another folder with --data.`);
    const why = UNUSABLE[(error as NodeJS.ErrnoException).code ?? ""];
    if (why === undefined) throw error;
    throw new CannotStart(`The data folder "${folder}" ${why}. Choose another folder with --data.`);
  }
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
