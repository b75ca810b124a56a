/** Commands about oneself, the lobby and the seats of others: `zany person`, `zany lobby`, `zany keys`. */

import { type MineFilter, type MyMatch, type SeatHolder, ZanyClient } from "@zany/client";
import { UsedWrongly } from "../files.js";
import { keepKeys, keepPerson, keptKeys, keptPerson, keysFile, type ServiceOptions } from "../keys.js";
import { duration, pad, say, sayJson, style } from "../terminal.js";

/** One's own key. @throws UsedWrongly for somebody who is nobody there yet */
function myKey({ key, service }: ServiceOptions): string {
  const own = key ?? keptKeys().people[service]?.key;
  if (own === undefined)
    throw new UsedWrongly(
      `You are nobody at ${service} yet. Become somebody with: zany person new NAME --handle HANDLE`,
    );
  return own;
}

// ---- oneself -----------------------------------------------------------------------------------

interface NewPersonOptions extends ServiceOptions {
  readonly handle?: string;
  readonly host?: boolean;
}

export async function personNew(name: string, options: NewPersonOptions): Promise<number> {
  const { service, handle, host, key } = options;
  const added = await new ZanyClient(service).addPerson(
    { name, ...(handle !== undefined && { handle }), ...(host && { host }), device: "zany" },
    key,
  );
  // Whoever makes others with the admin's key stays who they are.
  const own = key === undefined;
  if (own) keepPerson(service, { handle: added.handle, key: added.key });
  if (options.json) sayJson(added);
  else if (own) say(`You are ${style("bold", added.name)} now. Others invite you as: ${added.handle}`);
  else say(`${style("bold", added.name)} is ${added.handle}. The key, told this once: ${added.key}`);
  return 0;
}

export async function personShow(options: ServiceOptions): Promise<number> {
  const me = await new ZanyClient(options.service).me(myKey(options));
  if (options.json) {
    sayJson(me);
    return 0;
  }
  say(`${style("bold", me.name)} (${me.handle}), a ${me.kind}`);
  for (const key of me.keys)
    say(`  ${key.id}  ${pad(key.name || "no name", 16)} ${key.created.slice(0, 10)}${key.current ? "  this one" : ""}`);
  return 0;
}

export async function personRename(name: string, options: ServiceOptions): Promise<number> {
  const me = await new ZanyClient(options.service).rename(myKey(options), name);
  if (options.json) sayJson(me);
  else say(`You are ${style("bold", me.name)} now.`);
  return 0;
}

export async function personKey(device: string, options: ServiceOptions & { readonly of?: string }): Promise<number> {
  const client = new ZanyClient(options.service);
  if (options.of !== undefined) {
    const key = await client.replaceKey(myKey(options), options.of, device);
    if (options.json) sayJson({ key });
    else say(`A key of ${options.of}, told this once: ${key}`);
    return 0;
  }
  const added = await client.addKey(myKey(options), device);
  if (options.json) sayJson(added);
  else say(`The key for ${device}, told this once: ${added.key}`);
  return 0;
}

export async function personRevoke(id: string, options: ServiceOptions): Promise<number> {
  await new ZanyClient(options.service).revokeKey(myKey(options), id);
  if (options.json) sayJson({ revoked: id });
  else say(`The key ${id} opens nothing any more.`);
  return 0;
}

const NEWS: Readonly<Record<string, string>> = {
  "your-turn": "it is your turn",
  "others-turn": "it is another's turn",
  invited: "you are invited",
  withdrawn: "your invitation was taken back",
  over: "it is over",
  left: "somebody left a seat, and it waits: put a bot there, or cancel the match",
  cancelled: "it was cancelled",
  suspended: "it is suspended",
  resumed: "it goes on",
};

export async function personNotices(options: ServiceOptions): Promise<number> {
  const abort = new AbortController();
  process.once("SIGINT", () => abort.abort());
  const client = new ZanyClient(options.service);
  for await (const update of client.followMine({ key: myKey(options), signal: abort.signal })) {
    if (options.json) sayJson(update);
    else if (update.kind === "away") say(style("yellow", update.words));
    else {
      const { at, match, step, kind } = update.notice;
      say(`${at.slice(11, 19)}  ${match}  step ${pad(String(step), 5)} ${NEWS[kind] ?? kind}`);
    }
  }
  return 0;
}

/** What is kept, without the keys themselves. */
export async function keys(options: { readonly json?: boolean }): Promise<number> {
  const { matches, people } = keptKeys();
  const file = keysFile();
  if (options.json) {
    sayJson({
      file,
      people: Object.entries(people).map(([service, { handle }]) => ({ service, handle })),
      matches: Object.entries(matches).map(([match, seats]) => ({ match, seats: Object.keys(seats) })),
    });
    return 0;
  }
  say(`Kept in ${file}, which only you may read:`);
  for (const [service, { handle }] of Object.entries(people)) say(`  you are ${handle} at ${service}`);
  for (const [match, seats] of Object.entries(matches)) say(`  match ${match}: ${Object.keys(seats).join(", ")}`);
  if (Object.keys(people).length + Object.keys(matches).length === 0) say("  nothing yet");
  return 0;
}

// ---- matches of others --------------------------------------------------------------------------

/** Who sits where, in a line. */
function seatsInWords(seats: readonly Pick<SeatHolder, "seat" | "name">[]): string {
  return seats.map(({ seat, name }) => (name === null ? seat : `${seat} ${name}`)).join(", ");
}

export async function lobbyList(options: ServiceOptions & { readonly machine?: string }): Promise<number> {
  const key = options.key ?? keptPerson(options.service)?.key;
  const { items } = await new ZanyClient(options.service).lobby(key, options.machine);
  if (options.json) {
    sayJson(items);
    return 0;
  }
  if (items.length === 0) say("No seat is open. Play whoever comes with: zany lobby play MACHINE");
  for (const { match, machine, free, seats } of items)
    say(
      `${match}  ${pad(`${machine.name}@${machine.version}`, 20)} open: ${free.join(", ")}  (${seatsInWords(seats)})`,
    );
  return 0;
}

interface PlayOptions extends ServiceOptions {
  readonly seats?: number;
  readonly least?: number;
}

export async function lobbyPlay(machine: string, options: PlayOptions): Promise<number> {
  const { seats, least } = options;
  const wish = { machine, ...(seats !== undefined && { seats }), ...(least !== undefined && { least }) };
  const played = await new ZanyClient(options.service).playAnyone(wish, myKey(options));
  if (options.json) sayJson(played);
  else if (played.begun) say(`You wait as ${played.seat} in match ${style("bold", played.match)}.`);
  else say(`You are ${played.seat} in match ${style("bold", played.match)}.`);
  return 0;
}

export async function matchMine(options: ServiceOptions & { readonly filter?: MineFilter }): Promise<number> {
  const client = new ZanyClient(options.service);
  const items: MyMatch[] = [];
  for (let after: string | undefined | null; after !== null; ) {
    const page = await client.myMatches(myKey(options), options.filter, after);
    items.push(...page.items);
    after = page.next;
  }
  if (options.json) {
    sayJson(items);
    return 0;
  }
  if (items.length === 0) say("There is none.");
  for (const match of items)
    say(
      `${match.id}  ${pad(`${match.machine.name}@${match.machine.version}`, 20)} step ${pad(String(match.step), 5)} ` +
        `${turnInWords(match)}  (${seatsInWords(match.seats)})${dueInWords(match)}`,
    );
  return 0;
}

function dueInWords({ due }: MyMatch): string {
  return due ? style("dim", `  in ${duration(Math.max(0, due.at - Date.now()))} ${due.words}`) : "";
}

function turnInWords({ own, invited, turn, outcome, cancelled }: MyMatch): string {
  if (outcome !== null) return outcome.ending;
  if (cancelled !== null) return style("dim", "cancelled");
  if (own.length === 0) return style("yellow", `you are invited to ${invited.join(", ")}`);
  const mine = own.filter((seat) => turn.includes(seat));
  return mine.length > 0 ? style("green", `your turn as ${mine.join(", ")}`) : `${turn.join(", ") || "nobody"}'s turn`;
}

export async function matchTake(link: string, options: ServiceOptions & { readonly name?: string }): Promise<number> {
  const [, base = "", id, secret] = /^(https?:\/\/[^/]+)?\/matches\/([\w-]+)\/seat#([\w-]+)$/.exec(link) ?? [];
  if (id === undefined || secret === undefined)
    throw new UsedWrongly("This is no link to a seat; it ends in /matches/MATCH/seat#SECRET.");
  const match = await new ZanyClient(base || options.service).redeem(id, secret, options.name, crypto.randomUUID());
  const seat = match.seat ?? "";
  keepKeys(id, { [seat]: match.key });
  if (options.json) sayJson(match);
  else say(`You are ${seat} in match ${style("bold", id)} of ${match.machine.name}. Its key is kept for you.`);
  return 0;
}

interface TallyOptions extends ServiceOptions {
  readonly machine?: string;
  readonly person?: string;
  readonly by: readonly ("version" | "seat" | "person")[];
}

export async function tallies(options: TallyOptions): Promise<number> {
  const { machine, person, by, service } = options;
  const of = { ...(machine !== undefined && { machine }), ...(person !== undefined && { person }) };
  const found = await new ZanyClient(service).tallies(by, of, options.key ?? keptPerson(service)?.key);
  if (options.json) {
    sayJson(found);
    return 0;
  }
  if (found.length === 0) say("No match has been finished yet.");
  for (const t of found) {
    const what = [t.machine + (t.version === null ? "" : `@${t.version}`), t.seat, t.person?.name]
      .filter(Boolean)
      .join(", ");
    const best = t.best === null ? "" : `  best ${t.best}`;
    say(
      `${pad(what, 32)} ${pad(String(t.matches), 6)} won ${pad(String(t.wins), 6)} lost ${pad(String(t.losses), 6)} ` +
        `drawn ${pad(String(t.draws), 6)} ${t.steps.toFixed(1)} steps${best}`,
    );
  }
  return 0;
}
