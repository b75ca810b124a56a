/** Checks what comes in over HTTP, with Joi, before anything else sees it. */

import type {
  ActionRequest,
  BotRequest,
  InvitationRequest,
  JobKind,
  NewJob,
  LinkRequest,
  MatchStatus,
  MineFilter,
  NewPerson,
  PlayRequest,
  RematchRequest,
  SeatRequest,
  EventRequest,
  NewMachine,
  NewMatch,
  OptionRequest,
  ResumeRequest,
  VerifyRequest,
  WaitRequest,
} from "@zany/client/api";
import { type Arguments, GAME_PLAYERS, isWellFormed } from "@zany/core";
import Joi from "joi";
import { Problem } from "./problems.js";

const NAME = Joi.string()
  .pattern(/^[A-Za-z_][A-Za-z0-9_]*$/, "a name")
  .max(200);
/** Bots of which one is drawn for each match, by their weights. */
const MIXTURE = Joi.string()
  .pattern(
    /^[A-Za-z_][A-Za-z0-9_]*(:\d{1,7})?(,[A-Za-z_][A-Za-z0-9_]*(:\d{1,7})?)*$/,
    "a bot, or a mixture: careful:3,wary:1",
  )
  .max(500);
/** How deep a value may be nested; no type of the language comes near. */
const DEEPEST = 64;
const JSON_VALUE = Joi.any().custom((value: unknown, helpers) =>
  isDeeper(value, DEEPEST) ? helpers.message({ custom: `{{#label}} is nested more than ${DEEPEST} deep` }) : value,
);
const ARGUMENTS = Joi.object().pattern(NAME, JSON_VALUE).max(100).default({});
/** What people are invited by: short, and hard to mistake. */
const HANDLE = Joi.string()
  .pattern(/^[a-z][a-z0-9-]*$/, "a handle: small letters, digits and hyphens")
  .max(40);
const KEY = Joi.string()
  .pattern(/^[A-Za-z0-9_-]+$/, "a key")
  .max(200);
const REQUEST = Joi.string().min(1).max(100);
const REFERENCE = Joi.string().max(300);

/** Requests whose arguments have been filled in. */
type WithArguments<T> = Omit<T, "args"> & { readonly args: Arguments };

function isDeeper(value: unknown, most: number): boolean {
  if (value === null || typeof value !== "object") return false;
  return most === 0 || Object.values(value).some((part) => isDeeper(part, most - 1));
}

/** The longest text of a machine, in characters, and the most seats of a match. */
export const LONGEST_TEXT = 2_000_000;
export const MOST_SEATS = 30;

/** A text whose every character is one: half of a pair would not be stored as it came. */
const TEXT = Joi.string()
  .max(LONGEST_TEXT)
  .custom((value: string, helpers) =>
    isWellFormed(value)
      ? value
      : helpers.message({ custom: "{{#label}} holds half of a character (a lone surrogate)" }),
  );

/** A name that others see: one line of printable characters. */
const DISPLAY = TEXT.trim()
  .pattern(/^[^\p{Cc}\p{Cf}\p{Zl}\p{Zp}]+$/u, "a name in one line")
  .max(60);
const DEVICE = TEXT.trim()
  .pattern(/^[^\p{Cc}\p{Cf}\p{Zl}\p{Zp}]*$/u, "a name in one line")
  .max(60)
  .allow("");

/** The most that may be said of a version, in characters. */
const MOST_WORDS = 200;

export const newMachine = Joi.object<Required<NewMachine>>({
  text: TEXT.required(),
  parts: Joi.object().pattern(Joi.string().max(500), TEXT.allow("")).max(100).default({}),
  words: TEXT.max(MOST_WORDS).allow("").default(""),
}).required();

const GIVEN_DATUM = Joi.object({
  path: Joi.string().pattern(/^\//, "a JSON Pointer").max(1000).required(),
  value: JSON_VALUE.required(),
});

const GIVEN = Joi.object({
  data: Joi.array().items(GIVEN_DATUM).max(1000),
  state: Joi.object({ name: NAME.required(), args: ARGUMENTS }),
});

export const newMatch = Joi.object<NewMatch>({
  machine: REFERENCE.required(),
  seed: Joi.string().min(1).max(200),
  seats: Joi.number().integer().min(1).max(MOST_SEATS),
  open: Joi.array().items(NAME).max(MOST_SEATS),
  bots: Joi.object().pattern(NAME, NAME).max(MOST_SEATS),
  people: Joi.object().pattern(NAME, HANDLE).max(MOST_SEATS),
  links: Joi.array().items(NAME).max(MOST_SEATS),
  external: Joi.object().pattern(NAME, Joi.string().min(1).max(200)).max(MOST_SEATS),
  least: Joi.number().integer().min(0).max(MOST_SEATS),
  hostKey: Joi.boolean(),
  request: REQUEST,
  clock: Joi.string().valid("real", "manual"),
  given: GIVEN,
}).required();

export const action = Joi.object<WithArguments<ActionRequest>>({
  action: NAME.required(),
  args: ARGUMENTS,
  seat: NAME,
  step: Joi.number().integer().min(0),
  request: REQUEST,
}).required();

export const event = Joi.object<WithArguments<EventRequest>>({
  event: NAME.required(),
  args: ARGUMENTS,
  request: REQUEST,
}).required();

export const wait = Joi.object<WaitRequest>({
  by: Joi.number()
    .integer()
    .min(1)
    .max(366 * 86_400_000),
  request: REQUEST,
}).default({});

export const resume = Joi.object<ResumeRequest>({ machine: REFERENCE, anyway: Joi.boolean() }).default({});

export const bot = Joi.object<BotRequest>({ policy: NAME.allow(null).required(), request: REQUEST }).required();

export const seat = Joi.object<SeatRequest>({ request: REQUEST }).default({});

export const invitation = Joi.object<InvitationRequest>({ person: HANDLE, link: Joi.valid(true) })
  .xor("person", "link")
  .required();

export const link = Joi.object<LinkRequest>({ secret: KEY.required(), name: DISPLAY, request: REQUEST }).required();

export const confirmation = Joi.object<{ seat?: string }>({ seat: NAME }).default({});

export const rematch = Joi.object<RematchRequest>({ seat: NAME, swap: Joi.boolean(), request: REQUEST }).default({});

export const claim = Joi.object<{ key: string }>({ key: KEY.required() }).required();

export const option = Joi.object<WithArguments<OptionRequest>>({
  action: NAME.required(),
  args: ARGUMENTS,
  seat: NAME,
}).required();

// ---- people --------------------------------------------------------------------------------------

export const newPerson = Joi.object<NewPerson>({
  name: DISPLAY.required(),
  handle: HANDLE,
  device: DEVICE.default(""),
  host: Joi.boolean(),
}).required();

export const rename = Joi.object<{ name: string }>({ name: DISPLAY.required() }).required();

export const newKey = Joi.object<{ name: string }>({ name: DEVICE.default("") }).default({ name: "" });

export const play = Joi.object<PlayRequest>({
  machine: REFERENCE.required(),
  seats: Joi.number().integer().min(1).max(MOST_SEATS),
  least: Joi.number().integer().min(0).max(MOST_SEATS),
  given: GIVEN,
}).required();

export const newHook = Joi.object<{ url: string }>({
  url: Joi.string()
    .uri({ scheme: ["http", "https"] })
    .max(500)
    .required(),
}).required();

/** Where a page of a list ended, as it said itself. */
const behind = (form: RegExp) => Joi.string().max(200).pattern(form, "the `next` of the page before");
const BEHIND_MATCH = behind(/^\d{4}-\d\d-\d\dT[\d:.]+Z [\w.-]+$/);
const BEHIND_NUMBER = behind(/^\d{1,15}$/);

/** Pages of lists: how many. Behind what is told by each list in its own way. */
const PAGED = { limit: Joi.number().integer().min(1).max(200).default(50) };

/** Lists of what has a time: those one has played with, and webhooks. */
export const timedQuery = Joi.object<PageQuery>({ ...PAGED, after: BEHIND_MATCH });

export const deadQuery = Joi.object<PageQuery>({ ...PAGED, after: BEHIND_NUMBER });

export const peopleQuery = Joi.object<PageQuery>({ ...PAGED, after: behind(/^[a-z][a-z0-9-]*$/) });

export const noticeListQuery = Joi.object<{ limit: number; after?: number }>({
  ...PAGED,
  after: Joi.number().integer().min(1),
});

export const mineQuery = Joi.object<PageQuery & { filter?: MineFilter }>({
  ...PAGED,
  after: BEHIND_MATCH,
  filter: Joi.string().valid("my-turn", "invitations", "others-turn", "finished"),
});

const TALLIED = ["version", "seat", "person"] as const;

export const tallyQuery = Joi.object<{
  machine?: string;
  version?: number;
  person?: string;
  by: (typeof TALLIED)[number][];
  limit: number;
  after?: string;
}>({
  machine: NAME,
  version: Joi.number().integer().min(1),
  person: HANDLE,
  by: Joi.array()
    .items(Joi.string().valid(...TALLIED))
    .single()
    .default([]),
  limit: Joi.number().integer().min(1).max(1_000).default(200),
  after: behind(/^\d{1,15} [A-Za-z_]\w*( [\w-]*){0,3}$/),
});

export const lobbyQuery = Joi.object<PageQuery & { machine?: string }>({
  ...PAGED,
  after: BEHIND_MATCH,
  machine: REFERENCE,
});

interface PageQuery {
  readonly limit: number;
  readonly after?: string;
}

export const verifyLogbook = Joi.object<VerifyRequest>({ machine: REFERENCE }).default({});

/** What each kind of job can be asked beside its machine. */
const OF_JOBS: { readonly [K in JobKind]: readonly (keyof NewJob)[] } = {
  verify: ["logbooks"],
  explore: ["situations", "goal"],
  simulate: ["matches", "seed", "bots", "game", "of", "vary", "rolls"],
  coverage: ["matches", "steps", "look", "kept"],
};

const KINDS = Object.keys(OF_JOBS) as JobKind[];
const SHORT = Joi.string().min(1).max(1_000);

/** A job as it is understood: what is left out of its kind is filled in. */
export const newJob = Joi.object<NewJob>({
  kind: Joi.string()
    .valid(...KINDS)
    .required(),
  machine: REFERENCE,
  logbooks: Joi.array().items(Joi.string().max(100)).max(10_000),
  situations: Joi.number().integer().min(1).max(5_000_000),
  goal: SHORT,
  matches: Joi.number().integer().min(0).max(1_000_000),
  seed: Joi.string().min(1).max(200),
  bots: Joi.object().pattern(NAME, MIXTURE).max(MOST_SEATS),
  game: Joi.string().valid(...GAME_PLAYERS),
  of: Joi.array().items(SHORT).max(20),
  vary: Joi.array().items(SHORT).max(5),
  rolls: Joi.boolean(),
  steps: Joi.number().integer().min(0).max(1_000_000),
  look: Joi.number().integer().min(0).max(5_000_000),
  kept: Joi.boolean(),
}).custom((asked: NewJob, helpers): unknown => {
  const { kind, machine } = asked;
  if (kind !== "verify" && machine === undefined)
    return helpers.message({ custom: `"machine" is required to ${kind}` });
  const known = ["kind", "machine", ...OF_JOBS[kind]];
  const foreign = Object.keys(asked).find((name) => !known.includes(name));
  if (foreign !== undefined) return helpers.message({ custom: `"${foreign}" is nothing that "${kind}" is asked for` });
  return { ...WITHOUT[kind], ...asked };
});

/** What a job is asked for where nothing is said. */
const WITHOUT: { readonly [K in JobKind]: Partial<NewJob> } = {
  verify: {},
  explore: { situations: 200_000 },
  simulate: { matches: 1_000, seed: "1", bots: {}, of: [], vary: [] },
  coverage: { matches: 0, steps: 0, look: 0 },
};

export const logbookQuery = Joi.object<{ name: string }>({ name: TEXT.max(200).default("logbook") });

const TICKET = Joi.string().max(200);

export const seatQuery = Joi.object<{ seat?: string }>({ seat: NAME });

export const traceQuery = Joi.object<{ step?: number }>({ step: Joi.number().integer().min(0) });

export const streamQuery = Joi.object<{ from?: number; seat?: string; ticket?: string }>({
  from: Joi.number().integer().min(0),
  seat: NAME,
  ticket: TICKET,
});

export const noticesQuery = Joi.object<{ from?: number; ticket?: string }>({
  from: Joi.number().integer().min(0),
  ticket: TICKET,
});

/** Long lists, whose entries are short. */
const LONG = { ...PAGED, limit: Joi.number().integer().min(1).max(500).default(100) };

export const matchQuery = Joi.object<PageQuery & { machine?: string; status?: MatchStatus }>({
  status: Joi.string().valid("running", "suspended", "finished", "cancelled"),
  ...LONG,
  after: BEHIND_MATCH,
  machine: REFERENCE,
});

export const machinesQuery = Joi.object<PageQuery>({ ...LONG, after: behind(/^[A-Za-z_]\w* \d{1,9}$/) });

export const logbooksQuery = Joi.object<PageQuery>({ ...LONG, after: BEHIND_NUMBER });

export const jobsQuery = Joi.object<PageQuery & { kind?: JobKind; machine?: string }>({
  ...LONG,
  after: BEHIND_NUMBER,
  kind: Joi.string().valid(...KINDS),
  machine: REFERENCE,
});

/**
 * Most entries of objects and lists that a schema goes through, and how deep it goes; and most mistakes that are told.
 */
const MOST_ENTRIES = 5_000;
const SCHEMA_DEPTH = 4;
const MOST_TOLD = 20;

/** How many entries objects and lists have, down to a depth, or more than `most`. */
function entriesOf(value: unknown, depth: number, most: number): number {
  if (value === null || typeof value !== "object" || depth === 0) return 0;
  const parts = Object.values(value);
  let entries = parts.length;
  for (const part of parts) {
    if (entries > most) break;
    entries += entriesOf(part, depth - 1, most - entries);
  }
  return entries;
}

/** What a pattern is called says what is wanted. */
const MESSAGES = {
  "string.pattern.name": "{{#label}} is not {{#name}}",
  "string.max": "{{#label}} has {{length(#value)}} characters, and {{#limit}} are allowed",
  "array.max": "{{#label}} has {{length(#value)}} entries, and {{#limit}} are allowed",
  "number.unsafe": "{{#label}} is further from nothing than numbers are exact",
  "number.max": "{{#label}} is {{#value}}, and at most {{#limit}} is allowed",
};

/** Schemas with what they are read by, which takes as long to work out as reading. */
const READING = new WeakMap<Joi.ObjectSchema, Joi.ObjectSchema>();

function reading(schema: Joi.ObjectSchema): Joi.ObjectSchema {
  const known = READING.get(schema);
  if (known) return known;
  const prepared = schema.prefs({
    abortEarly: false,
    convert: true,
    errors: { wrap: { label: '"' } },
    messages: MESSAGES,
  });
  READING.set(schema, prepared);
  return prepared;
}

/**
 * The value as the schema reads it.
 *
 * @throws Problem 400 with everything that is wrong, at once
 */
export function valid<T>(schema: Joi.ObjectSchema<T>, value: unknown): T {
  if (entriesOf(value, SCHEMA_DEPTH, MOST_ENTRIES) > MOST_ENTRIES)
    throw new Problem(400, "badRequest", `The body has more than ${MOST_ENTRIES} entries.`);
  if (value === undefined || value === null || typeof value !== "object" || Array.isArray(value))
    throw new Problem(400, "badRequest", "A body that is an object is needed here: {...}.");
  const result = reading(schema).validate(value);
  const told = result.error?.details.slice(0, MOST_TOLD) ?? [];
  if (told.length > 0)
    throw new Problem(400, "badRequest", told.map((d) => d.message).join("; "), {
      errors: told.map((d) => ({ path: d.path.join("/"), words: d.message })),
    });
  return result.value as T;
}
