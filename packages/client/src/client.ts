/** Requests: one method for each thing the service can do. */

import type { ActionOption, Arguments, Outcome, Override, Severity, Verdict } from "@zany/core";
import { type FollowOptions, followMatch, type MatchEvent, type SeenMatch } from "./follow.js";
import { problemOf, ServiceProblem } from "./problem.js";

/** A message of the compiler with its place. */
export interface MessageInfo {
  readonly name: string;
  readonly severity: Severity;
  readonly words: string;
  readonly help?: string;
  readonly file: string;
  readonly line: number;
  readonly column: number;
  readonly endLine: number;
  readonly endColumn: number;
}

export interface MachineInfo {
  readonly hash: string;
  readonly name: string;
  readonly number: number;
  readonly created: string;
}

export interface StoredMachine extends MachineInfo {
  readonly text: string;
  /** The texts of the included files, by their paths from the folder of the machine's file. */
  readonly parts: Readonly<Record<string, string>>;
}

export interface MatchInfo {
  readonly id: string;
  /** The hash of the machine it is played on. */
  readonly machine: string;
  readonly name: string;
  readonly number: number;
  readonly step: number;
  readonly outcome: Outcome | null;
  readonly suspended: string | null;
  readonly created: string;
  readonly updated: string;
}

export interface BegunMatch extends SeenMatch {
  /** The key of each seat that is taken; told this once. */
  readonly keys: Readonly<Record<string, string>>;
  /** The key of the game itself: it reports, moves the clock, and puts bots into seats. */
  readonly gameKey: string;
}

export interface NewMatch {
  readonly machine: string;
  readonly seed?: string;
  readonly seats?: number;
  /** Seats that are left open for somebody to take. */
  readonly open?: readonly string[];
  /** A state to begin in instead of the start. */
  readonly at?: { readonly state: string; readonly args?: Arguments };
  /** Bots, by seat. */
  readonly bots?: Readonly<Record<string, string>>;
  /** The clock stands still but for `moveClock`. */
  readonly hand?: boolean;
  readonly overrides?: readonly Override[];
}

export interface LogbookInfo {
  readonly id: string;
  readonly name: string;
  readonly machine: string;
  readonly hash: string;
  readonly steps: number;
  readonly outcome: Outcome | null;
  readonly created: string;
}

export interface VerifiedLogbook {
  readonly machine: string;
  readonly number: number;
  readonly hash: string;
  readonly verdict: Verdict;
}

export class ZanyClient {
  private readonly base: string;

  /** @param base where the service is, such as `http://127.0.0.1:4747`; in its own pages "" */
  constructor(base = "") {
    this.base = base.replace(/\/+$/, "");
  }

  // ---- machines --------------------------------------------------------------------------------

  async machines(): Promise<readonly MachineInfo[]> {
    return (await this.json<{ machines: MachineInfo[] }>("GET", "/api/machines")).machines;
  }

  /** A version by hash, by `Name@2`, or the newest by `Name`. */
  machine(reference: string): Promise<StoredMachine> {
    return this.json("GET", `/api/machines/${encodeURIComponent(reference)}`);
  }

  /** Stores a machine and the files it includes. One that does not compile is a problem 422 with `messages`. */
  addMachine(
    text: string,
    parts: Readonly<Record<string, string>> = {},
  ): Promise<StoredMachine & { readonly messages: readonly MessageInfo[] }> {
    return this.json("POST", "/api/machines", { body: { text, parts } });
  }

  // ---- matches ---------------------------------------------------------------------------------

  async matches(machine?: string): Promise<readonly MatchInfo[]> {
    const query = machine === undefined ? "" : `?machine=${encodeURIComponent(machine)}`;
    return (await this.json<{ matches: MatchInfo[] }>("GET", `/api/matches${query}`)).matches;
  }

  beginMatch(wish: NewMatch): Promise<BegunMatch> {
    return this.json("POST", "/api/matches", { body: wish });
  }

  match(id: string, key?: string): Promise<SeenMatch> {
    return this.json("GET", `/api/matches/${encodeURIComponent(id)}`, { key });
  }

  /**
   * Acts for the seat whose key is given.
   *
   * @param step the step one believes to be current; an older one is refused as `stale`
   * @param request a name of one's own for this request, so that sending it twice does no harm
   */
  act(id: string, key: string, action: string, args: Arguments, step: number, request?: string): Promise<SeenMatch> {
    return this.json("POST", `/api/matches/${encodeURIComponent(id)}/actions`, {
      key,
      body: { action, args, step, ...(request !== undefined && { request }) },
    });
  }

  /** What is open for an action with the arguments chosen so far. */
  choose(id: string, key: string, action: string, args: Arguments): Promise<ActionOption> {
    return this.json("POST", `/api/matches/${encodeURIComponent(id)}/options`, { key, body: { action, args } });
  }

  /** Reports for the game. @param key the game's own */
  report(id: string, key: string, report: string, args: Arguments, request?: string): Promise<SeenMatch> {
    return this.json("POST", `/api/matches/${encodeURIComponent(id)}/reports`, {
      key,
      body: { report, args, ...(request !== undefined && { request }) },
    });
  }

  /** Moves a clock that is moved by hand. @param by milliseconds; without, to the next timer */
  moveClock(id: string, key: string, by?: number): Promise<SeenMatch> {
    return this.json("POST", `/api/matches/${encodeURIComponent(id)}/time`, {
      key,
      body: by === undefined ? {} : { by },
    });
  }

  /** Takes an open seat. Its key is told this once. */
  join(id: string, seat: string): Promise<SeenMatch & { readonly key: string }> {
    return this.json("POST", `/api/matches/${encodeURIComponent(id)}/seats/${encodeURIComponent(seat)}`);
  }

  /** Leaves a seat for good. @param key the seat's or the game's */
  leave(id: string, key: string, seat: string): Promise<SeenMatch> {
    return this.json("DELETE", `/api/matches/${encodeURIComponent(id)}/seats/${encodeURIComponent(seat)}`, { key });
  }

  /** Gives a seat to a bot, or with null back to people. @param key the seat's or the game's */
  setBot(id: string, key: string, seat: string, bot: string | null): Promise<SeenMatch> {
    return this.json("PUT", `/api/matches/${encodeURIComponent(id)}/bots/${encodeURIComponent(seat)}`, {
      key,
      body: { bot },
    });
  }

  matchLogbook(id: string, key?: string): Promise<string> {
    return this.text("GET", `/api/matches/${encodeURIComponent(id)}/logbook`, { key });
  }

  /**
   * Follows a match: its steps as they are taken, each followed by what is to be seen now. Goes on by itself after a
   * lost connection.
   */
  follow(id: string, options: FollowOptions = {}): AsyncGenerator<MatchEvent> {
    return followMatch(`${this.base}/api/matches/${encodeURIComponent(id)}/events`, options);
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
    return this.json("POST", `/api/logbooks/${encodeURIComponent(id)}/verify`, {
      body: machine === undefined ? {} : { machine },
    });
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

interface RequestParts {
  readonly key?: string | undefined;
  readonly body?: unknown;
  readonly text?: string;
}
