/** The database's tables and their migrations. */

import { type Generated, type Kysely, type Migration, Migrator, sql } from "kysely";

export interface MachineRow {
  /** SHA-256 of the text and its parts: what a version is known by. */
  hash: string;
  name: string;
  /** 1 for the first version of this name, and so on. */
  version: number;
  text: string;
  /** The texts of the included files by their paths, JSON. */
  parts: string;
  /** SHA-256 of what the texts mean. */
  rules: string;
  /** What its author says of this version; may be empty. */
  words: string;
  created: string;
}

export interface MatchRow {
  id: string;
  /** The hash of the machine it is played on. */
  machine: string;
  /** The logbook's header, JSON. */
  header: string;
  step: number;
  /** The digest of the header and all lines up to `step`; see `chained`. */
  chain: string;
  /** The outcome, JSON, once it is over. */
  outcome: string | null;
  /** When the next timer is due, in milliseconds since 1970 UTC. */
  due: number | null;
  /** The next timer that would do something, as everybody may see it, with what it would do; JSON. */
  deadline: string | null;
  /** Why a match does not go on although it is not over: a fault in a timer. */
  suspended: string | null;
  /** When it was cancelled for good; RFC 3339, UTC. */
  cancelled: string | null;
  /** The time of a manual clock, in milliseconds since 1970 UTC; null for a match on real time. */
  manual_time: number | null;
  /** The policies of bots by their seats, JSON. */
  bots: string;
  /** 1 when its machine is large, so that it is played aside; else 0. */
  aside: number;
  /** The seats on turn, JSON; none for a match that does not go on. */
  turn: string;
  /** The person or host who began it, by id; null for one that nobody with a key began. */
  begun_by: string | null;
  /** 1 when a key was given out that speaks for its game; else 0. */
  hosted: number;
  /** The digest of what matches have in common that somebody who plays anyone may take: see `fittingOf`. */
  fitting: string;
  /** The seats that anybody may take, JSON; none for a match that does not go on. */
  free: string;
  /** How many of its seats must be held by somebody before anybody may act. */
  least: number;
  /** Who ended it without a result; null for one that was not cancelled. */
  cancelled_by: "host" | "admin" | "time" | null;
  /** The seats that have confirmed how it ended, JSON. */
  confirmed: string;
  /** The match it is the rematch of, and by how many seats everybody moved on. */
  rematch_of: string | null;
  moved_on: number;
  created: string;
  updated: string;
}

/** Somebody with a key of their own: a person, a guest, or a game's own server. */
export interface PersonRow {
  id: string;
  kind: "person" | "guest" | "host";
  /** What others invite them by: unique. */
  handle: string;
  /** The name that everybody sees. */
  name: string;
  created: string;
}

export interface KeyRow {
  /** SHA-256 of the key; the key itself is not kept. */
  key_hash: string;
  /** What it opens. A `link` is exchanged for a seat's key, a `ticket` stands for its parent for a while. */
  kind: "admin" | "person" | "seat" | "host" | "watcher" | "link" | "ticket";
  /** The match it is of; null for keys of people and of the admin. */
  match: string | null;
  seat: string | null;
  /** The person it is of, by id. */
  person: string | null;
  /** The digest of the key it was made with, and that it ends with. */
  parent: string | null;
  /** What its holder calls it: a device. */
  name: string;
  created: string;
  /** When it ends by itself, in milliseconds since 1970 UTC. */
  expires: number | null;
}

/** Who holds a seat, where that is not as it was when the match began: the host, and nobody in an open seat. */
export interface SeatRow {
  match: string;
  seat: string;
  /** `open` is a seat that a bot plays until somebody takes it. */
  kind: "person" | "link" | "host" | "open";
  /** For a person: who. */
  person: string | null;
  /** Whether it is held, was left, or is an invitation that waits, was declined or was withdrawn. */
  state: "held" | "left" | "waiting" | "declined" | "withdrawn";
  /** What whoever came by a link wants to be called. */
  name: string | null;
  /** How the game's own server calls its player. */
  external: string | null;
}

/** How a match ended for a seat. Kept when the match itself is not any more. */
export interface ResultRow {
  match: string;
  seat: string;
  /** The machine's name and version. */
  machine: string;
  version: number;
  /** The person who sat there, by id. */
  person: string | null;
  ending: string;
  result: "win" | "loss" | "draw" | "none";
  rank: number | null;
  score: number | null;
  /** How many steps it took, and how long by its own clock, in milliseconds. */
  steps: number;
  lasted: number;
  /** RFC 3339, UTC. */
  ended: string;
}

/** What a person is told of a match. */
export interface NoticeRow {
  id: Generated<number>;
  person: string;
  match: string;
  step: number;
  /** See `Notice`. */
  kind: string;
  /** Who caused it, as that client calls itself. */
  client: string | null;
  /** RFC 3339, UTC. */
  at: string;
}

export interface StepRow {
  match: string;
  step: number;
  /** The logbook's line, without its line end. */
  line: string;
  /** The client that caused it, as it calls itself; null when it does not, or nobody did. */
  client: string | null;
}

/** Something that was asked for and refused, where that is kept. */
export interface RefusalRow {
  match: string;
  /** Its number among those of the match, from 0 on. */
  number: number;
  /** The last step before it. */
  after: number;
  /** The logbook's line, without its line end. */
  line: string;
}

/** An address that is told what people are told: a webhook of the admin's, or of a game's own server. */
interface HookRow {
  id: string;
  /** The host whose matches it is told of, by id; null for the admin's, which is told of all. */
  owner: string | null;
  url: string;
  /** What its messages are signed with; it has to be known to sign. */
  secret: string;
  /** When it is tried next, in milliseconds since 1970 UTC, and how often it has failed since it took something. */
  next: number;
  failures: number;
  created: string;
}

/** A message to a webhook that has not been taken yet. */
export interface DeliveryRow {
  id: Generated<number>;
  hook: string;
  /** The notice, by its number. */
  notice: number;
  person: string;
  match: string;
  step: number;
  kind: string;
  at: string;
  attempts: number;
  /** 1 when it was given up; else 0. */
  dead: number;
  /** Why it was not taken when it was sent last, in words. */
  failed: string | null;
}

/** A request that was taken, so that a repeated one does no harm. */
export interface RequestRow {
  /** The match it was taken in; empty for one that began a match. */
  match: string;
  /** SHA-256 of the key it came with. */
  key_hash: string;
  /** The name that its sender gave it, or SHA-256 of it where the answer is kept. */
  name: string;
  /** SHA-256 of what was asked for. */
  content: string;
  /** The step it led to. */
  step: number;
  /** Its answer, sealed, where it cannot be made again: it holds a new key. */
  answer: Uint8Array | null;
  /** When it is forgotten, in milliseconds since 1970 UTC; null for as long as the match is kept. */
  expires: number | null;
}

/** A situation of a match, so that loading need not begin at the beginning. */
export interface SnapshotRow {
  match: string;
  step: number;
  /** The situation, canonical JSON: what the digest in the line of that step is of. */
  situation: string;
  /** `chained` of the lines up to that step. */
  chain: string;
  /** Ties the others and the header together; see `sealOf`. */
  seal: string;
}

/** Long work: verifying, exploring, simulating. */
export interface JobRow {
  position: Generated<number>;
  id: string;
  kind: "verify" | "explore" | "simulate" | "coverage";
  /** The hash of the version it is about; null for verifying each logbook on the newest of its name. */
  machine: string | null;
  /** What was asked for, JSON. */
  wish: string;
  state: "waiting" | "running" | "done" | "failed" | "cancelled";
  /** How far it came: a share from 0 to 1 where that is known, and in words. */
  share: number | null;
  words: string;
  /** What another process can go on from, JSON; null where it begins anew. */
  kept: string | null;
  /** What it came to, JSON; of verifying the parts are that. */
  result: string | null;
  /** Why it came to nothing. */
  problem: string | null;
  created: string;
  ended: string | null;
}

/** What a job that verifies has come to for one logbook, by its place among those that were asked for. */
interface JobPartRow {
  job: string;
  number: number;
  part: string;
}

/** Holds what is written to see whether the disk takes it. */
interface TouchRow {
  at: number;
}

export interface LogbookRow {
  /** Ascending number of storing, for the order of lists. */
  position: Generated<number>;
  id: string;
  name: string;
  machine_name: string;
  machine_hash: string;
  steps: number;
  outcome: string | null;
  created: string;
}

/** A piece of a long text; see `Pieces`. */
interface PieceRow {
  /** What it is of: the id of a logbook. */
  of: string;
  /** 0 for the first. */
  piece: number;
  bytes: Uint8Array;
}

/** What a version of this program found out about a version of a machine. */
export interface ReportRow {
  /** The machine's hash. */
  machine: string;
  /** The version of the program. */
  checker: string;
  /** JSON; see `MachineReport`. */
  report: string;
}

/** How a logbook goes on a version of its machine. */
export interface VerdictRow {
  logbook: string;
  /** The machine's hash. */
  machine: string;
  kind: string;
  /** Where it diverges; null otherwise. */
  step: number | null;
}

export interface Schema {
  machines: MachineRow;
  matches: MatchRow;
  people: PersonRow;
  keys: KeyRow;
  seats: SeatRow;
  notices: NoticeRow;
  results: ResultRow;
  hooks: HookRow;
  deliveries: DeliveryRow;
  steps: StepRow;
  refusals: RefusalRow;
  requests: RequestRow;
  snapshots: SnapshotRow;
  logbooks: LogbookRow;
  pieces: PieceRow;
  reports: ReportRow;
  verdicts: VerdictRow;
  touches: TouchRow;
  jobs: JobRow;
  job_parts: JobPartRow;
}

/** The first migrations of data folders with logbooks that this version does not read, and what does. */
const OLDER_FORMATS = [
  { format: 1, migrations: ["0001-first", "0002-parts", "0003-hand-and-bots"], lastVersion: "0.1.0" },
  { format: 2, migrations: ["0100-format-2", "0101-rules"], lastVersion: "0.2.0" },
];

const migrations: Record<string, Migration> = {
  "0200-format-3": {
    async up(db: Kysely<unknown>) {
      const { schema } = db;
      const strict = sql`STRICT`;
      await schema
        .createTable("machines")
        .addColumn("hash", "text", (c) => c.primaryKey())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("version", "integer", (c) => c.notNull())
        .addColumn("text", "text", (c) => c.notNull())
        .addColumn("parts", "text", (c) => c.notNull())
        .addColumn("rules", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .addUniqueConstraint("machines_name_version", ["name", "version"])
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("matches")
        .addColumn("id", "text", (c) => c.primaryKey())
        .addColumn("machine", "text", (c) => c.notNull().references("machines.hash"))
        .addColumn("header", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("chain", "text", (c) => c.notNull())
        .addColumn("outcome", "text")
        .addColumn("due", "integer")
        .addColumn("due_seen", "integer")
        .addColumn("suspended", "text")
        .addColumn("cancelled", "text")
        .addColumn("manual_time", "integer")
        .addColumn("bots", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .addColumn("updated", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema.createIndex("matches_due").on("matches").column("due").where("due", "is not", null).execute();
      await schema.createIndex("matches_updated").on("matches").column("updated").execute();
      await schema
        .createTable("keys")
        .addColumn("match", "text", (c) => c.notNull().references("matches.id"))
        .addColumn("seat", "text", (c) => c.notNull())
        .addColumn("key_hash", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("keys_primary", ["match", "seat"])
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("steps")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("line", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("steps_primary", ["match", "step"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema
        .createTable("requests")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("key_hash", "text", (c) => c.notNull())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("content", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addPrimaryKeyConstraint("requests_primary", ["match", "key_hash", "name"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema
        .createTable("snapshots")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("situation", "text", (c) => c.notNull())
        .addColumn("chain", "text", (c) => c.notNull())
        .addColumn("seal", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("snapshots_primary", ["match", "step"])
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("logbooks")
        .addColumn("position", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("id", "text", (c) => c.notNull().unique())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("machine_name", "text", (c) => c.notNull())
        .addColumn("machine_hash", "text", (c) => c.notNull())
        .addColumn("steps", "integer", (c) => c.notNull())
        .addColumn("outcome", "text")
        .addColumn("text", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("touches")
        .addColumn("at", "integer", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
    },
  },
  "0201-aside": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .alterTable("matches")
        .addColumn("aside", "integer", (c) => c.notNull().defaultTo(0))
        .execute();
      // What counts as large is what did when this was written.
      await sql`UPDATE matches SET aside = 1 WHERE machine IN
        (SELECT hash FROM machines WHERE length(text) + length(parts) > 12000)`.execute(db);
    },
  },
  "0202-pieces": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("pieces")
        .addColumn("of", "text", (c) => c.notNull())
        .addColumn("piece", "integer", (c) => c.notNull())
        .addColumn("bytes", "blob", (c) => c.notNull())
        .addPrimaryKeyConstraint("pieces_primary", ["of", "piece"])
        .modifyEnd(sql`STRICT`)
        .execute();
      await sql`INSERT INTO pieces ("of", piece, bytes) SELECT id, 0, CAST(text AS BLOB) FROM logbooks`.execute(db);
      await db.schema.alterTable("logbooks").dropColumn("text").execute();
    },
  },
  "0203-reports": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("reports")
        .addColumn("machine", "text", (c) => c.primaryKey().references("machines.hash"))
        .addColumn("checker", "text", (c) => c.notNull())
        .addColumn("report", "text", (c) => c.notNull())
        .modifyEnd(sql`STRICT`)
        .execute();
      await db.schema
        .createTable("verdicts")
        .addColumn("logbook", "text", (c) => c.notNull().references("logbooks.id"))
        .addColumn("machine", "text", (c) => c.notNull().references("machines.hash"))
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("step", "integer")
        .addPrimaryKeyConstraint("verdicts_primary", ["logbook", "machine"])
        .modifyEnd(sql`STRICT`)
        .execute();
      // Whose turn it is in matches of before is known with their next step.
      await db.schema
        .alterTable("matches")
        .addColumn("turn", "text", (c) => c.notNull().defaultTo("[]"))
        .execute();
    },
  },
  "0204-words": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .alterTable("machines")
        .addColumn("words", "text", (c) => c.notNull().defaultTo(""))
        .execute();
    },
  },
  "0205-people": {
    async up(db: Kysely<unknown>) {
      const { schema } = db;
      const strict = sql`STRICT`;
      await schema
        .createTable("people")
        .addColumn("id", "text", (c) => c.primaryKey())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("handle", "text", (c) => c.notNull().unique())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema.alterTable("keys").renameTo("keys_of_before").execute();
      await schema
        .createTable("keys")
        .addColumn("key_hash", "text", (c) => c.primaryKey())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("match", "text", (c) => c.references("matches.id"))
        .addColumn("seat", "text")
        .addColumn("person", "text", (c) => c.references("people.id"))
        .addColumn("parent", "text")
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .addColumn("expires", "integer")
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await sql`INSERT INTO keys (key_hash, kind, match, seat, name, created)
        SELECT key_hash, iif(seat = '', 'host', 'seat'), keys_of_before.match, nullif(seat, ''), '', matches.created
        FROM keys_of_before INNER JOIN matches ON matches.id = keys_of_before.match`.execute(db);
      await schema.dropTable("keys_of_before").execute();
      await schema.createIndex("keys_match").on("keys").columns(["match", "seat"]).execute();
      await schema.createIndex("keys_person").on("keys").column("person").where("person", "is not", null).execute();
      await schema.createIndex("keys_parent").on("keys").column("parent").where("parent", "is not", null).execute();
      await schema
        .createTable("seats")
        .addColumn("match", "text", (c) => c.notNull().references("matches.id"))
        .addColumn("seat", "text", (c) => c.notNull())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("person", "text", (c) => c.references("people.id"))
        .addColumn("state", "text", (c) => c.notNull())
        .addColumn("name", "text")
        .addColumn("external", "text")
        .addPrimaryKeyConstraint("seats_primary", ["match", "seat"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema.createIndex("seats_person").on("seats").columns(["person", "match"]).execute();
      await schema
        .createTable("notices")
        .addColumn("id", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("person", "text", (c) => c.notNull().references("people.id"))
        .addColumn("match", "text", (c) => c.notNull().references("matches.id"))
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("client", "text")
        .addColumn("at", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema.createIndex("notices_person").on("notices").columns(["person", "id"]).execute();
      const matches = schema.alterTable("matches");
      await matches.addColumn("begun_by", "text", (c) => c.references("people.id")).execute();
      await matches.addColumn("hosted", "integer", (c) => c.notNull().defaultTo(1)).execute();
      await matches.addColumn("fitting", "text", (c) => c.notNull().defaultTo("")).execute();
      await matches.addColumn("free", "text", (c) => c.notNull().defaultTo("[]")).execute();
      await matches.addColumn("cancelled_by", "text").execute();
      await sql`UPDATE matches SET cancelled_by = 'host' WHERE cancelled IS NOT NULL`.execute(db);
      await matches.addColumn("confirmed", "text", (c) => c.notNull().defaultTo("[]")).execute();
      await matches.addColumn("rematch_of", "text", (c) => c.references("matches.id")).execute();
      await matches.addColumn("moved_on", "integer", (c) => c.notNull().defaultTo(0)).execute();
      await sql`CREATE UNIQUE INDEX matches_rematch ON matches (rematch_of) WHERE rematch_of IS NOT NULL`.execute(db);
      await schema
        .createTable("results")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("seat", "text", (c) => c.notNull())
        .addColumn("machine", "text", (c) => c.notNull())
        .addColumn("version", "integer", (c) => c.notNull())
        .addColumn("person", "text", (c) => c.references("people.id"))
        .addColumn("ending", "text", (c) => c.notNull())
        .addColumn("result", "text", (c) => c.notNull())
        .addColumn("rank", "integer")
        .addColumn("score", "real")
        .addColumn("steps", "integer", (c) => c.notNull())
        .addColumn("lasted", "integer", (c) => c.notNull())
        .addColumn("ended", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("results_primary", ["match", "seat"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema.createIndex("results_machine").on("results").columns(["machine", "version"]).execute();
      await schema
        .createIndex("results_person")
        .on("results")
        .column("person")
        .where("person", "is not", null)
        .execute();
      await matches.addColumn("least", "integer", (c) => c.notNull().defaultTo(0)).execute();
      await sql`CREATE INDEX matches_free ON matches (created) WHERE free != '[]'`.execute(db);
      await schema.alterTable("steps").addColumn("client", "text").execute();
      await schema.alterTable("requests").addColumn("answer", "blob").execute();
      await schema.alterTable("requests").addColumn("expires", "integer").execute();
    },
  },
  "0206-hooks": {
    async up(db: Kysely<unknown>) {
      const { schema } = db;
      await schema
        .createTable("hooks")
        .addColumn("id", "text", (c) => c.primaryKey())
        .addColumn("owner", "text", (c) => c.references("people.id"))
        .addColumn("url", "text", (c) => c.notNull())
        .addColumn("secret", "text", (c) => c.notNull())
        .addColumn("next", "integer", (c) => c.notNull())
        .addColumn("failures", "integer", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .modifyEnd(sql`STRICT`)
        .execute();
      await schema
        .createTable("deliveries")
        .addColumn("id", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("hook", "text", (c) => c.notNull().references("hooks.id").onDelete("cascade"))
        .addColumn("notice", "integer", (c) => c.notNull())
        .addColumn("person", "text", (c) => c.notNull().references("people.id"))
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("at", "text", (c) => c.notNull())
        .addColumn("attempts", "integer", (c) => c.notNull())
        .addColumn("dead", "integer", (c) => c.notNull())
        .addColumn("failed", "text")
        .modifyEnd(sql`STRICT`)
        .execute();
      await schema.createIndex("deliveries_hook").on("deliveries").columns(["hook", "dead", "id"]).execute();
    },
  },
  "0207-open-matches": {
    async up(db: Kysely<unknown>) {
      await sql`CREATE INDEX matches_open_by ON matches (begun_by)
        WHERE begun_by IS NOT NULL AND outcome IS NULL AND cancelled IS NULL`.execute(db);
    },
  },
  "0208-deadlines": {
    async up(db: Kysely<unknown>) {
      await db.schema.alterTable("matches").addColumn("deadline", "text").execute();
      // What the timers of matches that go on would do is written with their next step.
      await sql`UPDATE matches SET deadline = json_object('timer', '', 'at', due_seen, 'to', json_array(),
        'words', 'its timer runs') WHERE due_seen IS NOT NULL`.execute(db);
      await db.schema.alterTable("matches").dropColumn("due_seen").execute();
    },
  },
  "0209-refusals": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("refusals")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("number", "integer", (c) => c.notNull())
        .addColumn("after", "integer", (c) => c.notNull())
        .addColumn("line", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("refusals_primary", ["match", "number"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
    },
  },
  "0210-jobs": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("jobs")
        .addColumn("position", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("id", "text", (c) => c.notNull().unique())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("machine", "text")
        .addColumn("wish", "text", (c) => c.notNull())
        .addColumn("state", "text", (c) => c.notNull())
        .addColumn("share", "real")
        .addColumn("words", "text", (c) => c.notNull())
        .addColumn("kept", "text")
        .addColumn("result", "text")
        .addColumn("problem", "text")
        .addColumn("created", "text", (c) => c.notNull())
        .addColumn("ended", "text")
        .modifyEnd(sql`STRICT`)
        .execute();
      await db.schema
        .createTable("job_parts")
        .addColumn("job", "text", (c) => c.notNull().references("jobs.id").onDelete("cascade"))
        .addColumn("number", "integer", (c) => c.notNull())
        .addColumn("part", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("job_parts_primary", ["job", "number"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
    },
  },
};

/** A database that another version of the service made, in words for the person who started this one. */
export class DataOfAnotherVersion extends Error {}

/**
 * Brings a database to the newest version.
 *
 * @throws DataOfAnotherVersion when it holds what this version does not read; nothing is changed then
 */
export async function bringUpToDate(db: Kysely<Schema>): Promise<void> {
  const migrator = new Migrator({ db, provider: { getMigrations: async () => migrations } });
  const tables = await db.introspection.getTables({ withInternalKyselyTables: true });
  if (tables.some((t) => t.name === "kysely_migration")) {
    const rows = await sql<{ name: string }>`SELECT name FROM kysely_migration`.execute(db);
    const foreign = rows.rows.map((row) => row.name).filter((name) => migrations[name] === undefined);
    const older = OLDER_FORMATS.find((known) => foreign.some((name) => known.migrations.includes(name)));
    if (older)
      throw new DataOfAnotherVersion(
        `holds matches and logbooks of format ${older.format}. The last version that reads them ` +
          `is ${older.lastVersion}`,
      );
    if (foreign.length > 0) throw new DataOfAnotherVersion("was written by a newer version of Zany Compass");
  }
  const due = (await migrator.getMigrations()).some((migration) => migration.executedAt === undefined);
  if (!due) return;
  const { error } = await migrator.migrateToLatest();
  if (error) throw error;
}
