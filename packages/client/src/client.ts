/** Requests: one method for each thing the service can do. */

import type { ActionOption, Arguments } from "@zany/core";
import type {
  ActionRequest,
  AddedHook,
  AddedKey,
  AddedMachine,
  AddedPerson,
  BegunMatch,
  BotRequest,
  DeadDelivery,
  EventRequest,
  HookInfo,
  HostedMatch,
  InvitationRequest,
  JobInfo,
  JobKind,
  JobResult,
  JoinedMatch,
  LinkRequest,
  ListedMachine,
  ListedPerson,
  LobbyEntry,
  LogbookInfo,
  MatchInfo,
  MatchStatus,
  Me,
  MineFilter,
  MyMatch,
  NewJob,
  NewLink,
  NewMachine,
  NewMatch,
  NewPerson,
  Notice,
  OptionRequest,
  Page,
  Parts,
  PersonInfo,
  Played,
  PlayRequest,
  Rematched,
  RematchRequest,
  ResumeRequest,
  ServiceLimits,
  SeenMatch,
  StoredMachine,
  TalliedMatches,
  Ticket,
  ToldMatch,
  TracedStep,
  VerifiedLogbook,
  VerifyRequest,
  WaitRequest,
  WatcherKey,
} from "./api.js";
import {
  type FollowOptions,
  followJobs,
  followMatch,
  followPerson,
  type MatchUpdate,
  type PersonUpdate,
  queryOf,
} from "./follow.js";
import { newName } from "./names.js";
import { everyOne } from "./pages.js";
import { problemOf, ServiceProblem } from "./problem.js";

export class ZanyClient {
  /** What this client calls itself: streams say which client caused what they tell. */
  readonly name = newName();
  private readonly base: string;

  /**
   * @param base where the service is, such as `http://127.0.0.1:4747`; in its own pages ""
   * @param ownKey gives the key that comes with requests for which no other is named: a person's
   */
  constructor(
    base = "",
    private readonly ownKey: () => string | undefined = () => undefined,
  ) {
    this.base = base.replace(/\/+$/, "");
  }

  // ---- machines --------------------------------------------------------------------------------

  /** All versions, by name, the newest of each first. */
  async machines(): Promise<readonly ListedMachine[]> {
    return this.all<ListedMachine>("machines");
  }

  /** A version by hash, by `Name@2`, or the newest by `Name`. */
  machine(reference: string): Promise<StoredMachine> {
    return this.json("GET", `/api/machines/${encodeURIComponent(reference)}`);
  }

  /**
   * Stores a machine and the files it includes. One that does not compile is a problem 422 with `messages`.
   *
   * @param words a line about this version
   */
  addMachine(text: string, parts: Parts = {}, words = ""): Promise<AddedMachine> {
    const body: NewMachine = { text, parts, words };
    return this.json("POST", "/api/machines", { body });
  }

  // ---- matches ---------------------------------------------------------------------------------

  /**
   * All matches, the last played first.
   *
   * @param of only those of machines of this name, or of this status
   * @param key the admin's, where keys are needed
   * @param after the `next` of the page before
   */
  async matches(
    of: { readonly machine?: string; readonly status?: MatchStatus } = {},
    key?: string,
    after?: string,
  ): Promise<Page<MatchInfo>> {
    return this.named<MatchInfo>("matches", { ...of, after }, key);
  }

  /** Begins a match. Whoever begins it without a key of their own speaks for the game with the key they get. */
  beginMatch(wish: NewMatch): Promise<HostedMatch>;
  /** @param key a person's, or of a game's own server */
  beginMatch(wish: NewMatch, key: string | undefined): Promise<BegunMatch>;
  beginMatch(wish: NewMatch, key?: string): Promise<BegunMatch> {
    return this.json("POST", "/api/matches", { body: wish, key });
  }

  /**
   * A match as the holder of a key sees it.
   *
   * @param key a seat's, a person's or the host's; without, as a watcher
   * @param seat with the eyes of which seat, when the key is of several
   */
  match(id: string, key?: string, seat?: string): Promise<SeenMatch> {
    return this.json("GET", `${matchPath(id)}${queryOf({ seat })}`, { key });
  }

  /**
   * Acts for the seat whose key is given.
   *
   * @param step the step one believes to be current: it is refused as `stale` when what the seat may see has changed
   * since; undefined for whatever step it meets
   * @param request a name of one's own for this request, so that sending it twice does no harm
   * @param seat for which seat, when the key is of several
   */
  act(
    id: string,
    key: string | undefined,
    action: string,
    args: Arguments,
    step?: number,
    request?: string,
    seat?: string,
  ): Promise<SeenMatch> {
    const body: ActionRequest = {
      action,
      args,
      ...(step !== undefined && { step }),
      ...(request !== undefined && { request }),
      ...(seat !== undefined && { seat }),
    };
    return this.json("POST", matchPath(id, "actions"), { key, body });
  }

  /** What is open for an action with the arguments chosen so far. */
  choose(id: string, key: string, action: string, args: Arguments, seat?: string): Promise<ActionOption> {
    const body: OptionRequest = { action, args, ...(seat !== undefined && { seat }) };
    return this.json("POST", matchPath(id, "options"), { key, body });
  }

  /** Tells of an event of the game. @param key the host's */
  event(id: string, key: string, event: string, args: Arguments, request?: string): Promise<ToldMatch> {
    const body: EventRequest = { event, args, ...(request !== undefined && { request }) };
    return this.json("POST", matchPath(id, "events"), { key, body });
  }

  /** Lets time pass on a manual clock. @param key the host's @param by milliseconds; without, to the next timer */
  wait(id: string, key: string, by?: number, request?: string): Promise<SeenMatch> {
    const body: WaitRequest = { ...(by !== undefined && { by }), ...(request !== undefined && { request }) };
    return this.json("POST", matchPath(id, "wait"), { key, body });
  }

  /** Takes an open seat. Its key is told this once. */
  join(id: string, seat: string): Promise<JoinedMatch & { readonly key: string }>;
  /** Takes an open seat, or accepts an invitation. @param key a person's, which opens the seat from now on */
  join(id: string, seat: string, key: string | undefined, request?: string): Promise<JoinedMatch>;
  join(id: string, seat: string, key?: string, request?: string): Promise<JoinedMatch> {
    return this.json("POST", matchPath(id, "seats", seat), {
      key,
      ...(request !== undefined && { body: { request } }),
    });
  }

  /** Takes the seat of a link, by its secret. It works once. @param name what one wants to be called */
  redeem(id: string, secret: string, name?: string, request?: string): Promise<JoinedMatch & { readonly key: string }> {
    const body: LinkRequest = {
      secret,
      ...(name !== undefined && { name }),
      ...(request !== undefined && { request }),
    };
    return this.json("POST", matchPath(id, "links"), { body });
  }

  /** Keeps an open seat for a person, by their handle. @param key of whoever began the match */
  async invite(id: string, key: string, seat: string, handle: string): Promise<SeenMatch> {
    const body: InvitationRequest = { person: handle };
    return this.json("PUT", matchPath(id, "invitations", seat), { key, body });
  }

  /** Makes a link to a seat; one made before, and the key that was got for it, end. @param key of whoever began it */
  link(id: string, key: string, seat: string): Promise<NewLink> {
    const body: InvitationRequest = { link: true };
    return this.json("PUT", matchPath(id, "invitations", seat), { key, body });
  }

  /** Declines an invitation, or takes it back. @param key of who is invited, or of whoever began the match */
  withdraw(id: string, key: string, seat: string): Promise<SeenMatch> {
    return this.json("DELETE", matchPath(id, "invitations", seat), { key });
  }

  /** Makes the seat of a key one's own. @param person one's own key */
  claim(id: string, seatKey: string, person?: string): Promise<SeenMatch> {
    return this.json("POST", matchPath(id, "claims"), { key: person, body: { key: seatKey } });
  }

  /** Confirms how a match ended. @param seat for which seat, when the key is of several */
  confirm(id: string, key: string | undefined, seat?: string): Promise<SeenMatch> {
    return this.json("POST", matchPath(id, "confirmations"), { key, body: seat === undefined ? {} : { seat } });
  }

  /** Asks for a rematch of a match that is over, or agrees to the one that was asked for. */
  rematch(id: string, key: string, wish: RematchRequest = {}): Promise<Rematched> {
    return this.json("POST", matchPath(id, "rematch"), { key, body: wish });
  }

  /** Makes a key for watchers. @param key of whoever began the match */
  watcher(id: string, key: string): Promise<WatcherKey> {
    return this.json("POST", matchPath(id, "watchers"), { key });
  }

  /** Ends all watchers' keys. @param key of whoever began the match */
  async revokeWatchers(id: string, key: string): Promise<void> {
    await this.send("DELETE", matchPath(id, "watchers"), { key });
  }

  /** Opens the stream of a match for a while, in an address, for who cannot send a header. */
  ticket(id: string, key: string): Promise<Ticket> {
    return this.json("POST", matchPath(id, "tickets"), { key });
  }

  // ---- the lobby -------------------------------------------------------------------------------

  /** Seats that anybody may take, those that wait longest first. @param after the `next` of the page before */
  lobby(key?: string, machine?: string, after?: string): Promise<Page<LobbyEntry>> {
    return this.json("GET", `/api/lobby${queryOf({ machine, after })}`, { key });
  }

  /** Plays whoever is there: takes a fitting seat, or begins a match and waits in it. @param key a person's */
  playAnyone(wish: PlayRequest, key?: string): Promise<Played> {
    return this.json("POST", "/api/lobby/play", { key, body: wish });
  }

  /**
   * Finished matches added up, those of most matches first.
   *
   * @param by what is told apart beside the machine
   * @param of only one machine's, one version's, or one person's, by their handle
   * @param after the `next` of the page before
   */
  tallies(
    by: readonly ("version" | "seat" | "person")[] = [],
    of: { readonly machine?: string; readonly version?: number; readonly person?: string } = {},
    key?: string,
    after?: string,
  ): Promise<Page<TalliedMatches>> {
    const query = new URLSearchParams(by.map((what) => ["by", what]));
    for (const [name, value] of Object.entries(of)) query.set(name, String(value));
    if (after !== undefined) query.set("after", after);
    return this.json("GET", `/api/tallies?${query}`, { key });
  }

  // ---- people ----------------------------------------------------------------------------------

  /** Makes a person with a first key, which is told this once. @param key the admin's, where keys are needed */
  addPerson(person: NewPerson, key?: string): Promise<AddedPerson> {
    return this.json("POST", "/api/people", { key, body: person });
  }

  /** Everybody, by handle. @param key the admin's @param after the `next` of the page before */
  people(key?: string, after?: string): Promise<Page<ListedPerson>> {
    return this.json("GET", `/api/people${queryOf({ after })}`, { key });
  }

  /** Somebody by their handle. */
  person(handle: string, key?: string): Promise<PersonInfo> {
    return this.json("GET", `/api/people/${encodeURIComponent(handle)}`, { key });
  }

  me(key?: string): Promise<Me> {
    return this.json("GET", "/api/me", { key });
  }

  /** Changes one's display name. */
  rename(key: string | undefined, name: string): Promise<PersonInfo> {
    return this.json("PATCH", "/api/me", { key, body: { name } });
  }

  /** Makes a key for one more device; told this once. */
  addKey(key: string | undefined, device: string): Promise<AddedKey> {
    return this.json("POST", "/api/me/keys", { key, body: { name: device } });
  }

  /** Ends one of one's own keys, by its id in the list. */
  async revokeKey(key: string | undefined, id: string): Promise<void> {
    await this.send("DELETE", `/api/me/keys/${encodeURIComponent(id)}`, { key });
  }

  /** Those one has played with, the last first. @param after the `next` of the page before */
  playedWith(key?: string, after?: string): Promise<Page<PersonInfo>> {
    return this.json("GET", `/api/me/played-with${queryOf({ after })}`, { key });
  }

  /** The matches one sits in or is invited to, the last played first. @param after the `next` of the page before */
  myMatches(key?: string, filter?: MineFilter, after?: string): Promise<Page<MyMatch>> {
    return this.json("GET", `/api/me/matches${queryOf({ filter, after })}`, { key });
  }

  /** Gives somebody who has lost all keys a new one. @param key the admin's */
  async replaceKey(key: string, handle: string, device: string): Promise<string> {
    const path = `/api/admin/people/${encodeURIComponent(handle)}/keys`;
    return (await this.json<{ key: string }>("POST", path, { key, body: { name: device } })).key;
  }

  /** Ends all keys of somebody. @param key the admin's */
  async revokeKeys(key: string, handle: string): Promise<void> {
    await this.send("DELETE", `/api/admin/people/${encodeURIComponent(handle)}/keys`, { key });
  }

  /** What the service allows at most. */
  limits(): Promise<ServiceLimits> {
    return this.json("GET", "/api/limits");
  }

  /** What one was told, the last first. @param after the `next` of the page before */
  notices(key?: string, after?: string): Promise<Page<Notice>> {
    return this.json("GET", `/api/me/notices${queryOf({ after })}`, { key });
  }

  // ---- webhooks --------------------------------------------------------------------------------

  /** One's webhooks. @param key the admin's, or of a game's own server @param after the `next` of the page before */
  hooks(key?: string, after?: string): Promise<Page<HookInfo>> {
    return this.json("GET", `/api/hooks${queryOf({ after })}`, { key });
  }

  /** Makes a webhook; its secret is told this once. @param key the admin's, or of a game's own server */
  addHook(url: string, key?: string): Promise<AddedHook> {
    return this.json("POST", "/api/hooks", { key, body: { url } });
  }

  async removeHook(id: string, key?: string): Promise<void> {
    await this.send("DELETE", `/api/hooks/${encodeURIComponent(id)}`, { key });
  }

  /** The messages to a webhook that were given up, the last first. @param after the `next` of the page before */
  deadDeliveries(id: string, key?: string, after?: string): Promise<Page<DeadDelivery>> {
    return this.json("GET", `/api/hooks/${encodeURIComponent(id)}/dead${queryOf({ after })}`, { key });
  }

  /** Follows all of one's matches: what one is told of them. Goes on by itself after a lost connection. */
  followMine(options: FollowOptions = {}): AsyncGenerator<PersonUpdate> {
    return followPerson(`${this.base}/api/me/stream`, this.withKey(options));
  }

  /** Leaves a seat for good. @param key the seat's or the host's */
  leave(id: string, key: string | undefined, seat: string, request?: string): Promise<SeenMatch> {
    return this.json("DELETE", matchPath(id, "seats", seat), {
      key,
      ...(request !== undefined && { body: { request } }),
    });
  }

  /** Lets a policy play a seat, or with null gives it back to people. @param key the seat's or the host's */
  setBot(id: string, key: string, seat: string, policy: string | null): Promise<SeenMatch> {
    const body: BotRequest = { policy };
    return this.json("PUT", matchPath(id, "bots", seat), { key, body });
  }

  /**
   * Lets a suspended match go on. @param key the host's @param machine another version, on which its inputs are
   * replayed
   * @param anyway goes on although they diverge there; without, that is the problem `diverges`
   */
  resume(id: string, key: string, machine?: string, anyway = false): Promise<SeenMatch> {
    const body: ResumeRequest = { ...(machine !== undefined && { machine }), ...(anyway && { anyway }) };
    return this.json("POST", matchPath(id, "resume"), { key, body });
  }

  /** Ends a match for good, without a result. @param key the host's */
  cancel(id: string, key: string): Promise<SeenMatch> {
    return this.json("DELETE", matchPath(id), { key });
  }

  /**
   * Why a step did what it did; without a step, the last. While a match with secrets goes on, for its host and the
   * admin.
   */
  trace(id: string, step?: number, key?: string): Promise<TracedStep> {
    return this.json(
      "GET",
      `${matchPath(id, "trace")}${queryOf({ step: step === undefined ? undefined : String(step) })}`,
      { key },
    );
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
    return followMatch(`${this.base}${matchPath(id, "stream")}`, this.withKey(options));
  }

  // ---- logbooks --------------------------------------------------------------------------------

  async logbooks(): Promise<readonly LogbookInfo[]> {
    return this.all<LogbookInfo>("logbooks");
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

  // ---- jobs ------------------------------------------------------------------------------------

  /** Jobs, the last first. @param after the `next` of the page before */
  jobs(
    of: { readonly kind?: JobKind; readonly machine?: string; readonly limit?: number } = {},
    after?: string,
  ): Promise<Page<JobInfo>> {
    const { kind, machine, limit } = of;
    const query = queryOf({ kind, machine, limit: limit === undefined ? limit : String(limit), after });
    return this.json("GET", `/api/jobs${query}`);
  }

  /** Asks for long work, which is done beside the matches. */
  addJob(body: NewJob): Promise<JobInfo> {
    return this.json("POST", "/api/jobs", { body });
  }

  job(id: string): Promise<JobInfo> {
    return this.json("GET", jobPath(id));
  }

  /** What it came to; of one that verifies, so far. */
  jobResult(id: string): Promise<JobResult> {
    return this.json("GET", jobPath(id, "/result"));
  }

  cancelJob(id: string): Promise<JobInfo> {
    return this.json("DELETE", jobPath(id));
  }

  /** How a job goes on, until it has ended. Goes on by itself after a lost connection. */
  async *followJob(id: string, options: Pick<FollowOptions, "key" | "signal"> = {}): AsyncGenerator<JobInfo> {
    for await (const update of followJobs(`${this.base}${jobPath(id, "/stream")}`, this.withKey(options))) {
      if (update.kind === "away") continue;
      yield update.job;
      if (update.job.ended !== null) return;
    }
  }

  // ---- how -------------------------------------------------------------------------------------

  private withKey(options: FollowOptions): FollowOptions {
    const key = options.key ?? this.ownKey();
    return key === undefined ? options : { ...options, key };
  }

  /** A whole list. */
  private async all<T>(list: "machines" | "logbooks"): Promise<readonly T[]> {
    const all: T[] = [];
    for await (const one of everyOne((after) => this.named<T>(list, { limit: "500", after }))) all.push(one);
    return all;
  }

  /** A page of a list that has its own name where others have `items`. */
  private async named<T>(
    list: "machines" | "matches" | "logbooks",
    query: Readonly<Record<string, string | undefined>>,
    key?: string,
  ): Promise<Page<T>> {
    type Named = { readonly [L in typeof list]: readonly T[] } & Pick<Page<T>, "next">;
    const { [list]: items, next } = await this.json<Named>("GET", `/api/${list}${queryOf(query)}`, { key });
    return { items, next };
  }

  private async json<T>(method: string, path: string, what: RequestParts = {}): Promise<T> {
    return (await (await this.send(method, path, what)).json()) as T;
  }

  private async text(method: string, path: string, what: RequestParts = {}): Promise<string> {
    return (await this.send(method, path, what)).text();
  }

  private async send(method: string, path: string, what: RequestParts): Promise<Response> {
    const headers: Record<string, string> = {};
    if (method !== "GET") headers["Zany-Client"] = this.name;
    const key = what.key ?? this.ownKey();
    if (key !== undefined) headers["Authorization"] = `Bearer ${key}`;
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

function jobPath(id: string, below = ""): string {
  return `/api/jobs/${encodeURIComponent(id)}${below}`;
}

interface RequestParts {
  readonly key?: string | undefined;
  readonly body?: unknown;
  readonly text?: string;
}
