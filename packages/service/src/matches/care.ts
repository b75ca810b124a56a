/**
 * What is seen to now and then: matches that nobody plays any more lapse, rematches that nobody agreed to as well,
 * finished ones are let go when their time is over, and so are keys and requests.
 */

import type { Logger } from "pino";
import { sql } from "kysely";
import type { Store } from "../storage/store.js";
import { StorageFails } from "../storage/writer.js";
import type { Host } from "./host.js";

/** How long what is left alone is kept, in milliseconds. */
export interface Patience {
  /** Running matches whose machine sets no deadline. */
  readonly idle: number;
  /** Finished matches; undefined for ever. */
  readonly finished?: number;
}

const DAY = 86_400_000;
export const PATIENCE: Patience = { idle: 14 * DAY };

/** How long a rematch waits for those who are asked, in milliseconds. */
const REMATCH_WAITS = 7 * DAY;
/** How often it is looked, in milliseconds, and at how many matches at once. */
const EVERY = 60_000;
const AT_ONCE = 200;

/** What belongs to a match, each in a table of its own. */
const OF_A_MATCH = ["steps", "refusals", "snapshots", "requests", "keys", "seats", "notices"] as const;

export class Care {
  private timer: NodeJS.Timeout | undefined;
  private working: Promise<void> = Promise.resolve();

  constructor(
    private readonly store: Store,
    private readonly host: Host,
    private readonly log: Logger,
    private readonly patience: Patience,
    private readonly aside: 0 | 1,
  ) {}

  start(): void {
    const look = (): void => {
      this.working = this.look().catch((error: unknown) => {
        if (!(error instanceof StorageFails)) this.log.warn({ err: error }, "what nobody needs could not be seen to");
      });
    };
    look();
    this.timer = setInterval(look, EVERY).unref();
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.working;
  }

  private async look(): Promise<void> {
    for (const id of await this.lapsed()) {
      this.log.info({ match: id }, "a match lapses");
      await this.host.cancel(id, "time").catch((error: unknown) => {
        if (error instanceof StorageFails) throw error;
        this.log.warn({ err: error, match: id }, "a match could not lapse");
      });
    }
    for (const id of await this.outlived()) await this.forget(id);
    await this.host.write(() => {
      this.host.keys.clean();
      this.host.records.cleanRequests();
    });
  }

  /** Running matches that nobody will play on: left alone too long, or rematches that not all agreed to. */
  private async lapsed(): Promise<string[]> {
    const now = Date.now();
    const rows = await this.store.db
      .selectFrom("matches")
      .select("id")
      .where("outcome", "is", null)
      .where("cancelled", "is", null)
      .where("aside", "=", this.aside)
      .where((e) =>
        e.or([
          e.and([
            e("due", "is", null),
            e("manual_time", "is", null),
            e("updated", "<", timeText(now - this.patience.idle)),
          ]),
          e.and([
            e("rematch_of", "is not", null),
            e("matches.created", "<", timeText(now - REMATCH_WAITS)),
            sql<boolean>`EXISTS (SELECT 1 FROM seats WHERE seats.match = matches.id AND seats.state = 'waiting')`,
          ]),
        ]),
      )
      .limit(AT_ONCE)
      .execute();
    return rows.map((row) => row.id);
  }

  /** Finished matches whose time is over. */
  private async outlived(): Promise<string[]> {
    const { finished } = this.patience;
    if (finished === undefined) return [];
    const rows = await this.store.db
      .selectFrom("matches")
      .select("id")
      .where("aside", "=", this.aside)
      .where("updated", "<", timeText(Date.now() - finished))
      .where((e) => e.or([e("outcome", "is not", null), e("cancelled", "is not", null)]))
      .limit(AT_ONCE)
      .execute();
    return rows.map((row) => row.id);
  }

  /** Forgets a match, except for its results. */
  private async forget(id: string): Promise<void> {
    await this.host.forget(id, () => {
      for (const table of OF_A_MATCH) this.store.run(sql`DELETE FROM ${sql.table(table)} WHERE match = ${id}`);
      this.store.run(sql`UPDATE matches SET rematch_of = NULL WHERE rematch_of = ${id}`);
      this.store.run(sql`DELETE FROM matches WHERE id = ${id}`);
    });
    this.log.info({ match: id }, "a finished match is let go");
  }
}

function timeText(time: number): string {
  return new Date(time).toISOString();
}
