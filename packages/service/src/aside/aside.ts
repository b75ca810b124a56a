/**
 * The matches of large machines: a machine that takes long to be made ready would keep all others waiting, so its
 * matches are played aside, in a thread with a host of its own on the same database. Requests for them are passed on
 * to it as they came, and what it answers is passed back.
 */

import { type IncomingHttpHeaders, type OutgoingHttpHeaders, request as send } from "node:http";
import { pipeline } from "node:stream";
import { Worker } from "node:worker_threads";
import type { Request, RequestHandler, Response } from "express";
import type { Logger } from "pino";
import { Problem } from "../problems.js";
import { newKey } from "../secrets.js";
import type { Store } from "../storage/store.js";
import type { AsideOptions, FromAside, HouseRules, ToAside } from "./messages.js";
import { TOKEN_HEADER } from "./messages.js";

/** The program of the thread, built beside the service. */
const ASIDE = new URL("./aside.mjs", import.meta.url);
/** The most memory that all of them may take together, in megabytes. */
const MEMORY = 1_024;
/** How long it is left alone after it has ended by itself, in milliseconds. */
const PAUSE = 1_000;
/** Headers of one connection, which are not passed on. */
const OF_A_CONNECTION = ["connection", "keep-alive", "transfer-encoding", "upgrade", "te", "trailer", "expect"];

/** What the service is told of the matches aside. */
export interface AsideListener {
  /** A match was given another version of its machine, which is not large: it is played here from now on. */
  comesBack(match: string): void;
  /** Keys were taken away there. */
  revoked(hashes: readonly string[]): void;
  /** People were told something of matches aside. */
  noticed(): void;
}

/** A part of a path as it is meant; as it stands where that cannot be said. */
function decoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}

interface Running {
  readonly worker: Worker;
  readonly port: number;
}

export class Aside {
  private running: Promise<Running> | undefined;
  private closed = false;
  private restarting: NodeJS.Timeout | undefined;
  private why: string | undefined;
  private readonly token = newKey();
  private readonly selectAside;
  private readonly selectAny;

  /**
   * @param file the database's file, which `store` has opened
   * @param program the program of the thread
   */
  constructor(
    private readonly file: string,
    store: Store,
    private readonly rules: HouseRules,
    private readonly log: Logger,
    private readonly listener: AsideListener,
    private readonly program = ASIDE,
  ) {
    this.selectAside = store.prepare<{ id: string }, { id: string }>((db, value) =>
      db.selectFrom("matches").select("id").where("id", "=", value("id")).where("aside", "=", 1),
    );
    this.selectAny = store.prepare<object, { id: string }>((db) =>
      db.selectFrom("matches").select("id").where("aside", "=", 1).where("outcome", "is", null).limit(1),
    );
  }

  /** Why nothing can be written there, in words; undefined while all is well. */
  get failing(): string | undefined {
    return this.why;
  }

  /** Sets the clocks and bots of matches aside going, when there are any. */
  resumeAll(): void {
    if (this.selectAny.first({})) this.start().catch(() => {});
  }

  /** Passes requests for matches aside on, before their bodies are read. @param here whether a match is played here */
  handler(here: (match: string) => boolean): RequestHandler {
    return (request, response, next) => {
      const [, encoded = ""] = request.path.split("/");
      const id = encoded.includes("%") ? decoded(encoded) : encoded;
      if (id === "" || here(id) || !this.selectAside.first({ id })) next();
      else this.forward(request, response).catch(next);
    };
  }

  /**
   * Passes a request on and its answer back.
   *
   * @param body what was read of it already
   * @throws Problem 503 when the thread does not answer
   */
  async forward(request: Request<object>, response: Response, body?: unknown): Promise<void> {
    const { port } = await this.start().catch(() => {
      throw unavailable();
    });
    const text = body === undefined ? undefined : JSON.stringify(body);
    const headers: OutgoingHttpHeaders = {
      ...passedOn(request.headers),
      ...(text !== undefined && { "content-length": Buffer.byteLength(text) }),
      "x-forwarded-for": request.ip ?? "",
      [TOKEN_HEADER]: this.token,
    };
    await new Promise<void>((resolve, reject) => {
      const { method, originalUrl: path } = request;
      const passed = send({ host: "127.0.0.1", port, method, path, headers }, (answer) => {
        response.status(answer.statusCode ?? 502).set(passedOn(answer.headers));
        response.flushHeaders();
        pipeline(answer, response, () => resolve());
      });
      passed.on("error", () => (response.headersSent || response.destroyed ? resolve() : reject(unavailable())));
      response.on("close", () => passed.destroy());
      if (text === undefined) request.pipe(passed);
      else passed.end(text);
    });
  }

  /** Tells the thread of keys that were taken away, whose streams end. */
  revoked(hashes: readonly string[]): void {
    void this.running?.then(({ worker }) => worker.postMessage({ revoked: hashes } satisfies ToAside)).catch(() => {});
  }

  /** Resolves when what is under way there has been answered, and the thread has ended. */
  async stop(): Promise<void> {
    this.closed = true;
    clearTimeout(this.restarting);
    const running = await this.running?.catch(() => undefined);
    if (!running) return;
    const ended = new Promise((resolve) => running.worker.once("exit", resolve));
    running.worker.postMessage("stop" satisfies ToAside);
    await ended;
  }

  /** Ends the thread, whatever is under way. */
  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.restarting);
    await (await this.running?.catch(() => undefined))?.worker.terminate();
  }

  private start(): Promise<Running> {
    if (this.closed) return Promise.reject(unavailable());
    this.running ??= this.started();
    return this.running;
  }

  private started(): Promise<Running> {
    const { file, token, rules } = this;
    const workerData: AsideOptions = { file, token, rules, logLevel: this.log.level };
    const worker = new Worker(this.program, { workerData, resourceLimits: { maxOldGenerationSizeMb: MEMORY } });
    return new Promise((resolve, reject) => {
      worker.on("message", (message: FromAside) => {
        if ("port" in message) resolve({ worker, port: message.port });
        else if ("revoked" in message) this.listener.revoked(message.revoked);
        else if ("comesBack" in message) this.listener.comesBack(message.comesBack);
        else if ("noticed" in message) this.listener.noticed();
        else this.why = message.failing;
      });
      worker.on("error", (error) => this.log.error({ err: error }, "the thread of large machines has failed"));
      worker.once("exit", () => {
        reject(unavailable());
        this.why = undefined;
        this.restarting = setTimeout(() => {
          this.running = undefined;
          this.resumeAll();
        }, PAUSE).unref();
        if (this.closed) clearTimeout(this.restarting);
      });
    });
  }
}

function passedOn(headers: IncomingHttpHeaders): OutgoingHttpHeaders {
  return Object.fromEntries(Object.entries(headers).filter(([name]) => !OF_A_CONNECTION.includes(name)));
}

function unavailable(): Problem {
  return new Problem(
    503,
    "asideFails",
    "The matches of large machines are being set up again. What was acknowledged is kept; send it again in a while.",
    {},
    { "Retry-After": "2" },
  );
}
