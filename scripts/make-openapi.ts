/**
 * Writes packages/service/src/http/openapi.json, or the file that is named: the OpenAPI 3.1 document of the service,
 * made of the schemas that validate what comes in (Joi) and of the types that client and service share (api.ts).
 */

import { writeFileSync } from "node:fs";
import convert from "joi-to-json";
import { createGenerator } from "ts-json-schema-generator";
import { OPERATIONS, type Operation } from "../packages/service/src/http/operations.js";

type Schema = Readonly<Record<string, unknown>>;

const NEEDS: Readonly<Record<Operation["needs"], string>> = {
  nothing: "Needs no key.",
  open: "On loopback needs no key; elsewhere anybody's.",
  maker: "On loopback needs no key; elsewhere the admin's, or that of a game's own server.",
  seat: "Needs the key of who sits in the match, watches or hosts it; on loopback looking needs none.",
  act: "Needs the key of the seat that acts: the seat's own, or its person's. The host acts for the seats it holds.",
  holder: "Needs the key of the seat's holder, or the host's.",
  owner: "Needs the key of whoever began the match, or the host's.",
  host: "Needs the host's key.",
  person: "Needs a person's key.",
  admin: "Needs the admin's key; on loopback and with `--guests` anybody may make themselves.",
};

const PROBLEM_WORDS: Readonly<Record<number, string>> = {
  400: "The request is not well formed.",
  401: "A key is needed, or this one is not known.",
  403: "This key does not open this.",
  404: "There is nothing here.",
  409: "It cannot be done now; `code` says why.",
  412: "What the seat may see has changed since; the document holds the match as it is now.",
  413: "The body is too large.",
  415: "The body is of a type that is not read here.",
  422: "It was understood, but is not right.",
  429: "This is too much at once; see `Retry-After`.",
  503: "It cannot be done at the moment; see `Retry-After`.",
};

/** Schemas of the shared types, by their names. */
const generated = createGenerator({
  path: "packages/client/src/api.ts",
  tsconfig: "tsconfig.json",
  type: "*",
  skipTypeCheck: true,
  jsDoc: "extended",
}).createSchema("*").definitions as Record<string, Schema>;

const moved = (value: unknown): unknown =>
  JSON.parse(JSON.stringify(value).replaceAll("#/definitions/", "#/components/schemas/"));

/** Lists that come in pages: with a name of their own, or as a page has it. */
const PAGED = ["machines", "matches", "logbooks", "page"];

const HEADER_WORDS = {
  ETag: "What it is now; sent as `If-None-Match`, it is 304 while nothing has changed.",
  Link: 'Where the page behind this one is, as `rel="next"`; the last one has none.',
  Location: "Where it is now.",
  "Retry-After": "After how many seconds it may be sent again.",
  "WWW-Authenticate": "`Bearer`: a key is needed.",
} as const;

const headers = (...names: readonly (keyof typeof HEADER_WORDS)[]): Schema => ({
  headers: Object.fromEntries(names.map((name) => [name, { $ref: `#/components/headers/${name}` }])),
});

function answerSchema(what: string): Schema {
  const [list, of] = what.split(": ");
  if (of === undefined) return { $ref: `#/components/schemas/${what}` };
  const items = { type: "array", items: { $ref: `#/components/schemas/${of}` } };
  const paged = PAGED.includes(list as string);
  const name = list === "page" ? "items" : (list as string);
  if (!paged) return { type: "object", properties: { [name]: items }, required: [name] };
  return {
    type: "object",
    properties: {
      [name]: items,
      next: { type: ["string", "null"], description: "What `after` is for the page behind this one; also in `Link`." },
    },
    required: [name, "next"],
  };
}

/** Which headers an answer has of its own. */
function headersOf(what: string, { tells }: Operation): Schema {
  if (PAGED.includes(what.split(": ")[0] as string)) return headers("Link");
  return tells === undefined ? {} : headers(tells);
}

function answerOf(what: string, operation: Operation): Schema {
  if (what === "") return { description: "Done." };
  const isText = what.includes("/");
  const media = isText ? what : "application/json";
  return {
    description: "Done.",
    ...headersOf(what, operation),
    content: { [media]: { schema: isText ? { type: "string" } : answerSchema(what) } },
  };
}

const problemOf = (status: number): [string, Schema] => [
  String(status),
  {
    description: PROBLEM_WORDS[status] ?? "A problem.",
    ...(status === 401 && headers("WWW-Authenticate")),
    ...((status === 429 || status === 503) && headers("Retry-After")),
    content: { "application/problem+json": { schema: { $ref: "#/components/schemas/Problem" } } },
  },
];

function fromJoi(schema: NonNullable<Operation["body"]>): Schema {
  // "One of these members" comes out as a condition that OpenAPI's tools do not read; here one member is all there is.
  const {
    $schema: _,
    if: one,
    then: _then,
    else: _else,
    ...converted
  } = opened(convert(schema, "json-draft-2019-09")) as Schema;
  return one === undefined ? converted : { ...converted, minProperties: 1, maxProperties: 1 };
}

/**
 * Objects whose members have names of their own, such as arguments, come out as objects without any, and patterns with
 * their flag behind them: what JSON Schema takes has it anyway.
 */
function opened(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(opened);
  if (typeof value !== "object" || value === null) return value;
  const {
    properties,
    additionalProperties,
    patternProperties: _,
    ...rest
  } = value as Schema & {
    readonly properties?: object;
  };
  const own = Object.fromEntries(
    Object.entries(rest).map(([name, part]) => [
      name,
      name === "pattern" && typeof part === "string" ? part.replace(/\/u$/, "") : opened(part),
    ]),
  );
  if (properties === undefined) return { ...value, ...own };
  if (Object.keys(properties).length === 0) return { ...own, additionalProperties: true };
  const parts = Object.entries(properties).map(([name, part]) => [name, opened(part)]);
  return {
    ...own,
    properties: Object.fromEntries(parts),
    ...(additionalProperties !== undefined && { additionalProperties }),
  };
}

/** What may stand in the header of a request, besides the key. */
function inHeader({ body, answers, tells }: Operation): Schema[] {
  const named = body !== undefined && Object.hasOwn((fromJoi(body)["properties"] ?? {}) as object, "request");
  const words = {
    ...(named && { "Idempotency-Key": "The same as `request` in the body: a name of one's own for this request." }),
    ...(tells === "ETag" && { "If-None-Match": "The `ETag` of what one has." }),
    ...(Object.values(answers).includes("text/event-stream") && { "Last-Event-ID": "The last event that one has." }),
  };
  return Object.entries(words).map(([name, description]) => ({
    ...{ name, in: "header", description },
    schema: { type: "string" },
  }));
}

function parametersOf({ path, query }: Operation): Schema[] {
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: "path",
    required: true,
    schema: { type: "string" },
  }));
  const properties = query ? ((fromJoi(query)["properties"] ?? {}) as Record<string, Schema>) : {};
  return [...inPath, ...Object.entries(properties).map(([name, schema]) => ({ name, in: "query", schema }))];
}

function pathItem(operation: Operation): Schema {
  const { id, words, needs, body, answers, tells, problems = [] } = operation;
  const statuses = [...new Set([400, 401, 403, 429, ...problems])].sort((a, b) => a - b);
  const logbook = id === "addLogbook";
  return {
    operationId: id,
    summary: words,
    description: NEEDS[needs],
    tags: [operation.path.split("/")[2]],
    security:
      needs === "nothing" ? [{}] : ["open", "maker", "seat"].includes(needs) ? [{ key: [] }, {}] : [{ key: [] }],
    parameters: [...parametersOf(operation), ...inHeader(operation)],
    ...(body && {
      requestBody: {
        required: ["required"].includes(String((body as { _flags?: { presence?: string } })._flags?.presence)),
        content: { "application/json": { schema: fromJoi(body) } },
      },
    }),
    ...(logbook && {
      requestBody: { required: true, content: { "application/x-ndjson": { schema: { type: "string" } } } },
    }),
    responses: {
      ...Object.fromEntries(Object.entries(answers).map(([status, of]) => [status, answerOf(of, operation)])),
      ...(tells === "ETag" && { 304: { description: "It is still what one has.", ...headers("ETag") } }),
      ...Object.fromEntries(statuses.map(problemOf)),
    },
  };
}

const paths: Record<string, Record<string, Schema>> = {};
for (const operation of OPERATIONS) (paths[operation.path] ??= {})[operation.method] = pathItem(operation);

/** The schemas that are referred to from somewhere, and those that they refer to. */
function needed(schemas: Readonly<Record<string, Schema>>, from: unknown): Record<string, Schema> {
  const found = new Set<string>();
  const look = (value: unknown): void => {
    for (const [, name = ""] of JSON.stringify(value).matchAll(/#\/components\/schemas\/(\w+)/g)) {
      if (found.has(name)) continue;
      found.add(name);
      look(schemas[name] ?? {});
    }
  };
  look(from);
  return Object.fromEntries(Object.entries(schemas).filter(([name]) => found.has(name)));
}

const document = {
  openapi: "3.1.0",
  info: {
    title: "Zany Compass",
    version: "0.3.0",
    description: "Hosts matches of turn-based games: stores machines, plays matches, and tells those who play.",
    license: { name: "MIT", identifier: "MIT" },
  },
  servers: [{ url: "/" }],
  security: [{ key: [] }],
  tags: [...new Set(OPERATIONS.map((o) => o.path.split("/")[2]))].map((name) => ({
    name,
    description: `Under /api/${name}.`,
  })),
  paths,
  components: {
    headers: Object.fromEntries(
      Object.entries(HEADER_WORDS).map(([name, description]) => [
        name,
        // Every answer of its status has it, but a link to a page that is not there.
        { description, required: name !== "Link", schema: { type: "string" } },
      ]),
    ),
    securitySchemes: {
      key: { type: "http", scheme: "bearer", description: "The key of a person, seat, host, watcher or the admin." },
    },
    schemas: {
      ...needed(moved(generated) as Record<string, Schema>, paths),
      NewKey: {
        type: "object",
        properties: { key: { type: "string", description: "Told this once." } },
        required: ["key"],
        additionalProperties: false,
      },
      Problem: {
        type: "object",
        description: "RFC 9457. Some problems have more members, such as the match as it is now.",
        properties: {
          type: { type: "string", description: "The address of a page about `code`." },
          title: { type: "string" },
          status: { type: "integer" },
          detail: { type: "string", description: "For people." },
          code: { type: "string", description: "For programs." },
        },
        required: ["type", "title", "status", "detail", "code"],
      },
    },
  },
};

const [out = "packages/service/src/http/openapi.json"] = process.argv.slice(2);
writeFileSync(out, `${JSON.stringify(document, null, 1)}\n`);
