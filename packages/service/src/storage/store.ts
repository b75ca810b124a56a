/** The open database: Kysely for most of it, prepared statements of Kysely's making for what happens at every step. */

import type { DatabaseSyncInstance, StatementSyncInstance } from "@photostructure/sqlite";
import { type Compilable, Kysely, type RawBuilder } from "kysely";
import { dialectOn, openSqlite, type SqlValue, transaction } from "./driver.js";
import { bringUpToDate } from "./migrations.js";
import type { Schema } from "./schema.js";

/** Stands in a query for a value that comes with each call. */
class Parameter {
  constructor(readonly name: string) {}
}

/** Gives the parameter of a name, typed as the value that will stand there. */
type Parameters<Values> = <Name extends keyof Values & string>(name: Name) => Values[Name];

/** A statement, by its number, and what it is run with: plain data, which another thread can run as well. */
export interface Entry {
  readonly statement: number;
  readonly values: readonly SqlValue[];
}

/** A query compiled once by Kysely's builder and prepared once by SQLite. Its calls are synchronous. */
export interface Statement<Values, Row> {
  /** What is to be run with some values, later. */
  entry(values: Values): Entry;
  /** Runs it; gives how many rows were changed. */
  run(values: Values): number;
  /** The first row, if there is one. */
  first(values: Values): Row | undefined;
  /** All rows. */
  all(values: Values): Row[];
}

export class Store {
  private readonly touching: Statement<{ at: number }, unknown>;
  /** The prepared statements, by number. */
  private readonly prepared: StatementSyncInstance[] = [];

  private constructor(
    readonly db: Kysely<Schema>,
    private readonly sqlite: DatabaseSyncInstance,
  ) {
    this.touching = this.prepare((builder, value) => builder.insertInto("touches").values({ at: value("at") }));
  }

  /**
   * Opens the database file and brings it to the newest version.
   *
   * @throws DataOfAnotherVersion when it holds what this version does not read
   */
  static async open(file: string): Promise<Store> {
    const sqlite = openSqlite(file);
    const db = new Kysely<Schema>({ dialect: dialectOn(sqlite) });
    try {
      await bringUpToDate(db);
    } catch (error) {
      await db.destroy();
      throw error;
    }
    return new Store(db, sqlite);
  }

  /** Runs `work`, which must be synchronous, in one transaction; when it throws, nothing of it is kept. */
  transaction<T>(work: () => T): T {
    return transaction(this.sqlite, work);
  }

  /**
   * Prepares a query. `build` gets the builder and a function that gives its parameters, whose types are held by
   * the schema like those of any other query.
   */
  prepare<Values, Row = unknown>(
    build: (db: Kysely<Schema>, parameter: Parameters<Values>) => Compilable<Row>,
  ): Statement<Values, Row> {
    const compiled = build(this.db, (name) => new Parameter(name) as never).compile();
    const statement = this.sqlite.prepare(compiled.sql);
    const number = this.prepared.push(statement) - 1;
    const fill = (values: Values): SqlValue[] =>
      compiled.parameters.map((p) => (p instanceof Parameter ? values[p.name as keyof Values] : p) as SqlValue);
    return {
      entry: (values) => ({ statement: number, values: fill(values) }),
      run: (values) => Number(statement.run(...fill(values)).changes),
      first: (values) => statement.get(...fill(values)) as Row | undefined,
      all: (values) => statement.all(...fill(values)) as Row[],
    };
  }

  /** Runs an entry; to be called in a transaction. */
  enter({ statement, values }: Entry): void {
    this.prepared[statement]?.run(...values);
  }

  /** The text of a statement, by its number. */
  textOf(statement: number): string {
    return this.prepared[statement]?.sourceSQL ?? "";
  }

  /** Writes a little, to see whether the disk takes it; to be called in a transaction. */
  touch(): void {
    this.sqlite.exec("DELETE FROM touches");
    this.touching.run({ at: Date.now() });
  }

  /** Runs a statement that is rarely needed, at once; to be called in a transaction. */
  run(statement: RawBuilder<unknown>): void {
    this.execute({ compile: () => statement.compile(this.db) });
  }

  /** The same for a query of the builder's. */
  execute(query: Compilable): void {
    const { sql, parameters } = query.compile();
    this.sqlite.prepare(sql).run(...(parameters as SqlValue[]));
  }

  /** The first row of a query that is rarely asked, at once. */
  first<Row>(query: Compilable<Row>): Row | undefined {
    const { sql, parameters } = query.compile();
    return this.sqlite.prepare(sql).get(...(parameters as SqlValue[])) as Row | undefined;
  }

  /** Asks the database something, to see that it answers. */
  ping(): void {
    this.sqlite.prepare("SELECT 1").get();
  }

  close(): Promise<void> {
    return this.db.destroy();
  }
}
