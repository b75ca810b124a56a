/** Commands that talk to a service: `zany upload` and `zany match ...`. */

import { randomUUID } from "node:crypto";
import { basename } from "node:path";
import {
  type MatchInfo,
  type MatchStatus,
  type MessageInfo,
  type NewMatch,
  type SeenMatch,
  ServiceProblem,
  ZanyClient,
} from "@zany/client";
import { compile, inputInWords, noteInWords, traceFrom, valueFrom } from "@zany/core";
import { botOptions, compileFile, givenOptions, pairsFrom, readText, UsedWrongly, writeText } from "../files.js";
import { clientOf, keepKeys, keptKey, keptPerson, type ServiceOptions } from "../keys.js";
import { sayList } from "../lists.js";
import { showOptions, showView } from "../show.js";
import { pointerFrom, showTrace } from "./why.js";
import { count, millisecondsFrom, pad, say, sayJson, sayText, style } from "../terminal.js";

interface AsSeat extends ServiceOptions {
  readonly seat?: string;
}

export async function upload(file: string, options: ServiceOptions): Promise<number> {
  const client = clientOf(options);
  const text = readText(file);
  if (file.endsWith(".jsonl")) {
    const logbook = await client.addLogbook(text, basename(file));
    if (options.json) sayJson(logbook);
    else say(`Logbook ${logbook.id}: ${logbook.machine.name}, ${count(logbook.steps, "step")}.`);
    return 0;
  }
  try {
    const machine = await client.addMachine(text, compileFile(file, { errorsOnly: true }).parts);
    if (options.json) sayJson(machine);
    else say(`${machine.name}@${machine.version} is stored as ${machine.hash.slice(0, 12)}.`);
    return 0;
  } catch (error) {
    const messages =
      error instanceof ServiceProblem ? (error.document["messages"] as readonly MessageInfo[] | undefined) : undefined;
    if (!messages) throw error;
    if (options.json) sayJson({ messages });
    else
      for (const m of messages)
        say(`${file}:${m.line}:${m.column} ${m.severity} ${m.name}: ${m.words}${m.help ? ` ${m.help}` : ""}`);
    return 1;
  }
}

/** The machines of a service, the newest version of each name first. */
export async function machines(options: ServiceOptions): Promise<number> {
  const all = await clientOf(options).machines();
  if (options.json) {
    sayJson(all);
    return 0;
  }
  if (all.length === 0) say("There is none. Store one with: zany upload FILE");
  for (const { name, version, hash, report } of all)
    say(`${pad(`${name}@${version}`, 24)} ${hash.slice(0, 12)}  ${report?.description ?? ""}`.trimEnd());
  return 0;
}

interface NewOptions extends AsSeat {
  readonly hostKey?: boolean;
  readonly seed?: string;
  readonly given: readonly string[];
  readonly seats?: number;
  readonly open: readonly string[];
  readonly person: readonly string[];
  readonly link: readonly string[];
  readonly external: readonly string[];
  readonly least?: number;
  readonly bot: readonly string[];
  readonly manualClock?: boolean;
}

export async function matchNew(machine: string, options: NewOptions): Promise<number> {
  const key = options.key ?? keptPerson(options.service)?.key;
  const wish: NewMatch = {
    machine,
    request: randomUUID(),
    ...(options.seed !== undefined && { seed: options.seed }),
    ...(options.seats !== undefined && { seats: options.seats }),
    ...(options.given.length > 0 && { given: givenOptions(options.given) }),
    ...(options.open.length > 0 && { open: options.open }),
    ...(options.bot.length > 0 && { bots: botOptions(options.bot) }),
    ...(options.person.length > 0 && { people: pairsFrom(options.person, "seat=handle", String) }),
    ...(options.link.length > 0 && { links: options.link }),
    ...(options.external.length > 0 && { external: pairsFrom(options.external, "seat=name", String) }),
    ...(options.least !== undefined && { least: options.least }),
    ...(options.manualClock && { clock: "manual" as const }),
    ...(options.hostKey && { hostKey: true }),
  };
  const match = await new ZanyClient(options.service).beginMatch(wish, key);
  const { keys, links, hostKey } = match;
  keepKeys(match.id, { ...keys, ...(hostKey !== undefined && { [HOST]: hostKey }) });
  if (options.json) {
    sayJson(match);
    return 0;
  }
  const told = Object.entries({ ...keys, ...(hostKey !== undefined && { host: hostKey }) });
  const kept = " Each seat acts with its key; they are kept for you on this computer.";
  say(`Match ${style("bold", match.id)} has begun.${told.length > 0 ? kept : ""}`);
  for (const [seat, key] of told) say(`  ${pad(seat, 12)} ${key}`);
  for (const [seat, link] of Object.entries(links)) say(`  ${pad(seat, 12)} ${options.service}${link}`);
  showView(match.view);
  return 0;
}

interface ListOptions extends AsSeat {
  readonly machine?: string;
  readonly status?: MatchStatus;
}

export async function matchList(options: ListOptions): Promise<number> {
  const { service, key, machine, status } = options;
  const of = { ...(machine !== undefined && { machine }), ...(status !== undefined && { status }) };
  const client = new ZanyClient(service);
  const none =
    Object.keys(of).length > 0
      ? "No match is like this. All are listed by: zany match list"
      : "No match has been begun here yet. Begin one with: zany match new MACHINE";
  try {
    return await sayList((after) => client.matches(of, key, after), options, {
      none,
      line: (match) =>
        `${match.id}  ${pad(`${match.machine.name}@${match.machine.version}`, 20)} ` +
        `step ${pad(String(match.step), 5)} ${stateOf(match)}`,
    });
  } catch (error) {
    if (!(error instanceof ServiceProblem) || ![401, 403].includes(error.status)) throw error;
    throw new UsedWrongly(`${service} lists all matches for its admin alone. List yours with: zany match mine`);
  }
}

function stateOf(match: MatchInfo): string {
  if (match.cancelled !== null) return style("dim", "cancelled");
  if (match.suspended !== null) return style("red", `suspended: ${match.suspended}`);
  if (!match.outcome) return "running";
  const results = match.outcome.results.map((r) => `${r.seat} ${r.result}`).join(", ");
  return `${match.outcome.ending}: ${results}`;
}

export async function matchShow(id: string, options: AsSeat): Promise<number> {
  const match = await new ZanyClient(options.service).match(id, keyFor(id, options));
  if (options.json) sayJson(match);
  else show(match);
  return 0;
}

function show(match: SeenMatch): void {
  showView(match.view);
  if (match.cancelled !== null) say(style("yellow", "This match was cancelled."));
  if (match.suspended !== null)
    say(style("red", `This match is suspended: ${match.suspended} Let it go on with: zany match resume ${match.id}`));
  if (match.options.length === 0) return;
  say();
  showOptions(match.options);
}

function keyFor(id: string, options: AsSeat): string | undefined {
  const key = options.key ?? keptKey(id, options.seat) ?? keptPerson(options.service)?.key;
  if (options.seat !== undefined && key === undefined)
    throw new UsedWrongly(`The key of ${options.seat} in match ${id} is not known here; give it with --key.`);
  return key;
}

export async function matchAct(
  id: string,
  seat: string,
  action: string,
  texts: readonly string[],
  options: AsSeat & { readonly step?: number },
): Promise<number> {
  const client = new ZanyClient(options.service);
  const key = keyFor(id, { ...options, seat });
  if (key === undefined) return 2;
  const args = pairsFrom(texts, "name=value", valueFrom);
  const own = keptKey(id, seat) === undefined && options.key === undefined;
  const step = options.step ?? (await client.match(id, key)).view.step;
  return answered(client.act(id, key, action, args, step, randomUUID(), own ? seat : undefined), options);
}

/** Shows what came of a request; a refusal is told in words and ends with 1. */
async function answered(request: Promise<SeenMatch>, options: ServiceOptions): Promise<number> {
  try {
    const match = await request;
    if (options.json) sayJson(match);
    else show(match);
    return 0;
  } catch (error) {
    if (!(error instanceof ServiceProblem) || ![409, 412].includes(error.status)) throw error;
    if (options.json) sayJson(error.document);
    else say(`${style("yellow", error.message)} ${style("dim", `(${error.code})`)}`);
    return 1;
  }
}

/** Under this name the host's key is kept. */
const HOST = "(host)";

function hostKey(id: string, options: AsSeat): string {
  const key = options.key ?? keptKey(id, HOST) ?? keptPerson(options.service)?.key;
  if (key === undefined) throw new UsedWrongly(`The host's key of match ${id} is not known here; give it with --key.`);
  return key;
}

export async function matchEvent(
  id: string,
  event: string,
  texts: readonly string[],
  options: AsSeat,
): Promise<number> {
  const args = pairsFrom(texts, "name=value", valueFrom);
  const told = new ZanyClient(options.service).event(id, hostKey(id, options), event, args, randomUUID());
  const code = await answered(told, options);
  if (code === 0 && !options.json && (await told).heardBy.length === 0)
    say(style("yellow", `No state acted on ${event}.`));
  return code;
}

export function matchWait(id: string, time: string | undefined, options: AsSeat): Promise<number> {
  const by = time === undefined ? undefined : millisecondsFrom(time);
  if (time !== undefined && by === undefined)
    throw new UsedWrongly(`"${time}" is no time; write 500ms, 2s, 10m, 36h or 10d.`);
  return answered(new ZanyClient(options.service).wait(id, hostKey(id, options), by), options);
}

export function matchJoin(id: string, seat: string, options: AsSeat): Promise<number> {
  const me = options.key ?? keptPerson(options.service)?.key;
  const joining = new ZanyClient(options.service).join(id, seat, me, randomUUID()).then((match) => {
    if (match.key !== undefined) keepKeys(id, { [seat]: match.key });
    return match;
  });
  return answered(joining, options);
}

export function matchLeave(id: string, seat: string, options: AsSeat): Promise<number> {
  const key = options.key ?? keptKey(id, seat) ?? hostKey(id, options);
  return answered(new ZanyClient(options.service).leave(id, key, seat), options);
}

export function matchBot(id: string, seat: string, policy: string | undefined, options: AsSeat): Promise<number> {
  const key = options.key ?? keptKey(id, seat) ?? hostKey(id, options);
  return answered(new ZanyClient(options.service).setBot(id, key, seat, policy ?? null), options);
}

export function matchResume(
  id: string,
  options: AsSeat & { readonly machine?: string; readonly anyway?: boolean },
): Promise<number> {
  const { machine, anyway } = options;
  return answered(new ZanyClient(options.service).resume(id, hostKey(id, options), machine, anyway), options);
}

export function matchCancel(id: string, options: AsSeat): Promise<number> {
  return answered(new ZanyClient(options.service).cancel(id, hostKey(id, options)), options);
}

export async function matchWatch(id: string, options: AsSeat): Promise<number> {
  const client = new ZanyClient(options.service);
  const key = keyFor(id, options);
  const abort = new AbortController();
  process.once("SIGINT", () => abort.abort());
  // A service that is lost later is waited for; one that was never there is not.
  await client.match(id, key);
  for await (const event of client.follow(id, { ...(key !== undefined && { key }), signal: abort.signal })) {
    if (options.json) {
      sayJson(event);
    } else if (event.kind === "step") {
      const notes = event.line.notes.map(noteInWords).join("; ");
      say(`${pad(String(event.line.step), 4)} ${pad(inputInWords(event.line.input), 30)} ${notes}`.trimEnd());
    } else if (event.kind === "away") {
      say(style("yellow", event.words));
    } else {
      showView(event.match.view);
    }
    if (event.kind === "now" && event.match.view.outcome) abort.abort();
  }
  return 0;
}

export async function matchLogbook(id: string, options: AsSeat & { readonly out?: string }): Promise<number> {
  const text = await new ZanyClient(options.service).matchLogbook(id, keyFor(id, options));
  if (options.out === undefined) sayText(text);
  else {
    writeText(options.out, text);
    say(`The logbook is in ${options.out}.`);
  }
  return 0;
}

/** Why a step of a hosted match did what it did; while a match with secrets goes on, its host's key is needed. */
export async function matchWhy(
  id: string,
  options: AsSeat & { readonly step?: number; readonly of?: string },
): Promise<number> {
  const client = new ZanyClient(options.service);
  const key = options.key ?? keptKey(id, HOST) ?? keyFor(id, options);
  const traced = await client.trace(id, options.step, key);
  if (options.json) {
    sayJson(traced.trace);
    return 0;
  }
  const { text, parts } = await client.machine(traced.machine.hash);
  const { machine } = compile(text, `${traced.machine.name}.zany`, (path) => parts[path], { errorsOnly: true });
  showTrace(machine, traceFrom(machine, traced.trace), undefined, options.of && pointerFrom(machine, options.of));
  return 0;
}

export async function matchInvite(
  id: string,
  seat: string,
  handle: string | undefined,
  options: AsSeat,
): Promise<number> {
  const client = new ZanyClient(options.service);
  const key = hostKey(id, options);
  if (handle !== undefined) return answered(client.invite(id, key, seat, handle), options);
  const made = await client.link(id, key, seat);
  if (options.json) sayJson(made);
  else say(`Whoever opens this link takes ${seat}; it works once: ${options.service}${made.link}`);
  return 0;
}

export function matchDecline(id: string, seat: string, options: AsSeat): Promise<number> {
  return answered(new ZanyClient(options.service).withdraw(id, hostKey(id, options), seat), options);
}

export async function matchWatchers(id: string, options: AsSeat & { readonly revoke?: boolean }): Promise<number> {
  const client = new ZanyClient(options.service);
  const key = hostKey(id, options);
  if (options.revoke) {
    await client.revokeWatchers(id, key);
    if (options.json) sayJson({ revoked: true });
    else say("No watcher's link opens this match any more.");
    return 0;
  }
  const made = await client.watcher(id, key);
  if (options.json) sayJson(made);
  else say(`Whoever has this link may look, and do nothing else: ${options.service}${made.link}`);
  return 0;
}

export async function matchConfirm(id: string, seat: string, options: AsSeat): Promise<number> {
  const key = keyFor(id, { ...options, seat });
  if (key === undefined) return 2;
  const named = options.key === undefined && keptKey(id, seat) === undefined;
  return answered(new ZanyClient(options.service).confirm(id, key, named ? seat : undefined), options);
}

export async function matchRematch(
  id: string,
  seat: string | undefined,
  options: AsSeat & { readonly swap?: boolean },
): Promise<number> {
  const key = seat === undefined ? hostKey(id, options) : (keyFor(id, { ...options, seat }) ?? "");
  const named = seat !== undefined && options.key === undefined && keptKey(id, seat) === undefined;
  const next = await new ZanyClient(options.service).rematch(id, key, {
    request: randomUUID(),
    ...(options.swap && { swap: true }),
    ...(named && { seat }),
  });
  keepKeys(next.match, {
    ...next.keys,
    ...(next.key !== undefined && next.seat !== null && { [next.seat]: next.key }),
    ...(next.hostKey !== undefined && { [HOST]: next.hostKey }),
  });
  if (options.json) sayJson(next);
  else
    say(
      `The rematch is match ${style("bold", next.match)}${next.seat === null ? "" : `; you are ${next.seat}`}.` +
        (next.agreed ? "" : " Others have not agreed yet."),
    );
  return 0;
}
