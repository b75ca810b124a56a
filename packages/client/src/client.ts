/** Requests: one method for each thing the service can do. */

import type { ActionOption, Arguments } from "@zany/core";
import type {
  ActionRequest,
  AddedMachine,
  BegunMatch,
  BotRequest,
  EventRequest,
  JoinedMatch,
  ListedMachine,
  LogbookInfo,
  MatchInfo,
  NewMachine,
  NewMatch,
  OptionRequest,
  Parts,
  ResumeRequest,
  SeenMatch,
  StoredMachine,
  VerifiedLogbook,
  VerifyRequest,
  WaitRequest,
} from "./api.js";
import { type FollowOptions, followMatch, type MatchUpdate } from "./follow.js";
import { problemOf, ServiceProblem } from "./problem.js";

export class ZanyClient {
  private readonly base: string;

  /** @param base where the service is, such as `http://127.0.0.1:4747`; in its own pages "" */
  constructor(base = "") {
    this.base = base.replace(/\/+$/, "");
  }

  // ---- machines --------------------------------------------------------------------------------

  /** All versions, by name, the newest of each first. */
  async machines(): Promise<readonly ListedMachine[]> {
    return (await this.json<{ machines: ListedMachine[] }>("GET", "/api/machines")).machines;
  }

  /** A version by hash, by `Name@2`, or the newest by `Name`. */
  machine(reference: string): Promise<StoredMachine> {
    return this.json("GET", `/api/machines/${encodeURIComponent(reference)}`);
  }

  /** Stores a machine and the files it includes. One that does not compile is a problem 422 with `messages`. */
  addMachine(text: string, parts: Parts = {}): Promise<AddedMachine> {
    const body: NewMachine = { text, parts };
    return this.json("POST", "/api/machines", { body });
  }

  // ---- matches ---------------------------------------------------------------------------------

  /** The matches played last. @param machine only those of machines of this name */
  async matches(machine?: string): Promise<readonly MatchInfo[]> {
    const query = machine === undefined ? "" : `?machine=${encodeURIComponent(machine)}`;
    return (await this.json<{ matches: MatchInfo[] }>("GET", `/api/matches${query}`)).matches;
  }

  beginMatch(wish: NewMatch): Promise<BegunMatch> {
    return this.json("POST", "/api/matches", { body: wish });
  }

  /** A match as the holder of a key sees it. @param key a seat's or the host's; without, as a watcher */
  match(id: string, key?: string): Promise<SeenMatch> {
    return this.json("GET", matchPath(id), { key });
  }

  /**
   * Acts for the seat whose key is given.
   *
   * @param step the step one believes to be current; an older one is refused as `stale`
   * @param request a name of one's own for this request, so that sending it twice does no harm
   */
  act(id: string, key: string, action: string, args: Arguments, step: number, request?: string): Promise<SeenMatch> {
    const body: ActionRequest = { action, args, step, ...(request !== undefined && { request }) };
    return this.json("POST", matchPath(id, "actions"), { key, body });
  }

  /** What is open for an action with the arguments chosen so far. */
  choose(id: string, key: string, action: string, args: Arguments): Promise<ActionOption> {
    const body: OptionRequest = { action, args };
    return this.json("POST", matchPath(id, "options"), { key, body });
  }

  /** Tells of an event of the game. @param key the host's */
  event(id: string, key: string, event: string, args: Arguments, request?: string): Promise<SeenMatch> {
    const body: EventRequest = { event, args, ...(request !== undefined && { request }) };
    return this.json("POST", matchPath(id, "events"), { key, body });
  }

  /** Lets time pass on a manual clock. @param key the host's @param by milliseconds; without, to the next timer */
  wait(id: string, key: string, by?: number): Promise<SeenMatch> {
    const body: WaitRequest = by === undefined ? {} : { by };
    return this.json("POST", matchPath(id, "wait"), { key, body });
  }

  /** Takes an open seat. Its key is told this once. */
  join(id: string, seat: string): Promise<JoinedMatch> {
    return this.json("POST", matchPath(id, "seats", seat));
  }

  /** Leaves a seat for good. @param key the seat's or the host's */
  leave(id: string, key: string, seat: string): Promise<SeenMatch> {
    return this.json("DELETE", matchPath(id, "seats", seat), { key });
  }

  /** Lets a policy play a seat, or with null gives it back to people. @param key the seat's or the host's */
  setBot(id: string, key: string, seat: string, policy: string | null): Promise<SeenMatch> {
    const body: BotRequest = { policy };
    return this.json("PUT", matchPath(id, "bots", seat), { key, body });
  }

  /**
   * Lets a suspended match go on. @param key the host's @param machine another version, on which all its steps go as
   * they went
   */
  resume(id: string, key: string, machine?: string): Promise<SeenMatch> {
    const body: ResumeRequest = machine === undefined ? {} : { machine };
    return this.json("POST", matchPath(id, "resume"), { key, body });
  }

  /** Ends a match for good, without a result. @param key the host's */
  cancel(id: string, key: string): Promise<SeenMatch> {
    return this.json("DELETE", matchPath(id), { key });
  }

  /** The logbook's text; before the ending without what the holder of the key may not see. */
  matchLogbook(id: string, key?: string): Promise<string> {
    return this.text("GET", matchPath(id, "logbook"), { key });
  }

  /**
   * Follows a match: its steps as they are taken, each followed by what is to be seen now. Goes on by itself after a
   * lost connection.
   */
  follow(id: string, options: FollowOptions = {}): AsyncGenerator<MatchUpdate> {
    return followMatch(`${this.base}${matchPath(id, "stream")}`, options);
  }

  // ---- logbooks --------------------------------------------------------------------------------

  async logbooks(): Promise<readonly LogbookInfo[]> {
    return (await this.json<{ logbooks: LogbookInfo[] }>("GET", "/api/logbooks")).logbooks;
  }

  addLogbook(text: string, name: string): Promise<LogbookInfo> {
    return this.json("POST", `/api/logbooks?name=${encodeURIComponent(name)}`, { text });
  }

  logbook(id: string): Promise<string> {
    return this.text("GET", `/api/logbooks/${encodeURIComponent(id)}`);
  }

  verifyLogbook(id: string, machine?: string): Promise<VerifiedLogbook> {
    const body: VerifyRequest = machine === undefined ? {} : { machine };
    return this.json("POST", `/api/logbooks/${encodeURIComponent(id)}/verify`, { body });
  }

  // ---- how -------------------------------------------------------------------------------------

  private async json<T>(method: string, path: string, what: RequestParts = {}): Promise<T> {
    return (await (await this.send(method, path, what)).json()) as T;
  }

  private async text(method: string, path: string, what: RequestParts = {}): Promise<string> {
    return (await this.send(method, path, what)).text();
  }

  private async send(method: string, path: string, what: RequestParts): Promise<Response> {
    const headers: Record<string, string> = {};
    if (what.key !== undefined) headers["Authorization"] = `Bearer ${what.key}`;
    if (what.body !== undefined) headers["Content-Type"] = "application/json";
    if (what.text !== undefined) headers["Content-Type"] = "application/x-ndjson";
    const body = what.text ?? (what.body === undefined ? undefined : JSON.stringify(what.body));
    let response: Response;
    try {
      response = await fetch(`${this.base}${path}`, { method, headers, ...(body !== undefined && { body }) });
    } catch {
      throw new ServiceProblem(
        0,
        "noService",
        `No service answers at ${this.base || "this address"}. Start one with: zany serve`,
      );
    }
    if (!response.ok) throw await problemOf(response);
    return response;
  }
}

/** The path of a match, or of something below it. */
function matchPath(id: string, ...below: readonly string[]): string {
  return ["/api/matches", ...[id, ...below].map(encodeURIComponent)].join("/");
}

interface RequestParts {
  readonly key?: string | undefined;
  readonly body?: unknown;
  readonly text?: string;
}
