/** Commands about oneself, the lobby and the seats of others: `zany person`, `zany lobby`, `zany keys`. */

import {
  type MineFilter,
  type MyMatch,
  type PersonInfo,
  type SeatHolder,
  ServiceProblem,
  ZanyClient,
} from "@zany/client";
import { givenOptions, UsedWrongly } from "../files.js";
import { sayList } from "../lists.js";
import { keepKeys, keepPerson, keptKey, keptKeys, keptPerson, keysFile, type ServiceOptions } from "../keys.js";
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

/** @param handle somebody else; without, oneself */
export async function personShow(handle: string | undefined, options: ServiceOptions): Promise<number> {
  if (handle !== undefined) {
    const somebody = await new ZanyClient(options.service).person(handle, myKey(options));
    if (options.json) sayJson(somebody);
    else say(`${style("bold", somebody.name)} (${somebody.handle})`);
    return 0;
  }
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

/** Everybody, for the admin; or those one has played with, for oneself. */
export async function personList(options: ServiceOptions & { readonly playedWith?: boolean }): Promise<number> {
  const client = new ZanyClient(options.service);
  const key = myKey(options);
  const line = ({ handle, name }: PersonInfo): string => `${pad(handle, 20)} ${name}`;
  if (options.playedWith)
    return sayList((after) => client.playedWith(key, after), options, { none: "With nobody yet.", line });
  try {
    return await sayList((after) => client.people(key, after), options, {
      none: "Nobody is known here yet.",
      line: (person) => `${pad(person.kind, 8)}${line(person)}`,
    });
  } catch (error) {
    if (!(error instanceof ServiceProblem) || error.status !== 403) throw error;
    throw new UsedWrongly(`${error.message} Those you have played with: zany person list --played-with`);
  }
}

/** Keeps a key that was made on another device, or by the admin: from now on one is whose key it is. */
export async function personKeep(key: string, options: ServiceOptions): Promise<number> {
  const { handle, name } = await new ZanyClient(options.service).me(key);
  keepPerson(options.service, { handle, key });
  if (options.json) sayJson({ handle, name });
  else say(`You are ${style("bold", name)} (${handle}) here from now on.`);
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

interface RevokeOptions extends ServiceOptions {
  readonly of?: string;
}

/** Ends a key of one's own, or all of somebody's, as the admin. */
export async function personRevoke(id: string | undefined, options: RevokeOptions): Promise<number> {
  const client = new ZanyClient(options.service);
  const { of } = options;
  if ((id === undefined) === (of === undefined))
    throw new UsedWrongly("Say which of your keys is ended, by its id, or whose keys all are: --of HANDLE.");
  if (of !== undefined) await client.revokeKeys(myKey(options), of);
  else await client.revokeKey(myKey(options), id ?? "");
  if (options.json) sayJson(of === undefined ? { revoked: id } : { revokedAllOf: of });
  else say(of === undefined ? `The key ${id} opens nothing any more.` : `No key of ${of} opens anything any more.`);
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

export function lobbyList(options: ServiceOptions & { readonly machine?: string }): Promise<number> {
  const key = options.key ?? keptPerson(options.service)?.key;
  const client = new ZanyClient(options.service);
  return sayList((after) => client.lobby(key, options.machine, after), options, {
    none: "No seat is open. Play whoever comes with: zany lobby play MACHINE",
    line: ({ match, machine, free, seats }) =>
      `${match}  ${pad(`${machine.name}@${machine.version}`, 20)} open: ${free.join(", ")}  (${seatsInWords(seats)})`,
  });
}

interface PlayOptions extends ServiceOptions {
  readonly seats?: number;
  readonly least?: number;
  readonly given: readonly string[];
}

export async function lobbyPlay(machine: string, options: PlayOptions): Promise<number> {
  const { seats, least, given } = options;
  const wish = {
    machine,
    ...(seats !== undefined && { seats }),
    ...(least !== undefined && { least }),
    ...(given.length > 0 && { given: givenOptions(given) }),
  };
  const played = await new ZanyClient(options.service).playAnyone(wish, myKey(options));
  if (options.json) sayJson(played);
  else if (played.begun) say(`You wait as ${played.seat} in match ${style("bold", played.match)}.`);
  else say(`You are ${played.seat} in match ${style("bold", played.match)}.`);
  return 0;
}

export function matchMine(options: ServiceOptions & { readonly filter?: MineFilter }): Promise<number> {
  const client = new ZanyClient(options.service);
  const key = myKey(options);
  return sayList((after) => client.myMatches(key, options.filter, after), options, {
    none: "There is none.",
    line: (match) =>
      `${match.id}  ${pad(`${match.machine.name}@${match.machine.version}`, 20)} step ${pad(String(match.step), 5)} ` +
      `${turnInWords(match)}  (${seatsInWords(match.seats)})${dueInWords(match)}`,
  });
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

/** Makes the seat of a key that is kept here one's own. */
export async function matchClaim(id: string, seat: string, options: ServiceOptions): Promise<number> {
  const seatKey = keptKey(id, seat);
  if (seatKey === undefined) throw new UsedWrongly(`No key of ${seat} in match ${id} is kept on this computer.`);
  const match = await new ZanyClient(options.service).claim(id, seatKey, myKey(options));
  if (options.json) sayJson(match);
  else say(`${seat} in match ${style("bold", id)} is yours on all your devices now.`);
  return 0;
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
  readonly version?: number;
  readonly person?: string;
  readonly by: readonly ("version" | "seat" | "person")[];
}

export function tallies(options: TallyOptions): Promise<number> {
  const { machine, version, person, by, service } = options;
  const of = {
    ...(machine !== undefined && { machine }),
    ...(version !== undefined && { version }),
    ...(person !== undefined && { person }),
  };
  const key = options.key ?? keptPerson(service)?.key;
  const client = new ZanyClient(service);
  return sayList((after) => client.tallies(by, of, key, after), options, {
    none: "No match has been finished yet.",
    line: (t) => {
      const what = [t.machine + (t.version === null ? "" : `@${t.version}`), t.seat, t.person?.name];
      const best = t.best === null ? "" : `  best ${t.best}`;
      return (
        `${pad(what.filter(Boolean).join(", "), 32)} ${pad(String(t.matches), 6)} won ${pad(String(t.wins), 6)} ` +
        `lost ${pad(String(t.losses), 6)} drawn ${pad(String(t.draws), 6)} ${t.steps.toFixed(1)} steps${best}`
      );
    },
  });
}
