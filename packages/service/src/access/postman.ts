/**
 * Brings notices to webhooks: from the outbox in the database, at least once each, in the order they were written,
 * with back-off while an address does not take them, and given up after a while.
 */

import { createHmac } from "node:crypto";
import { request as sendHttp } from "node:http";
import { request as sendHttps } from "node:https";
import type { HookMessage, NoticeKind } from "@zany/client/api";
import type { Logger } from "pino";
import type { Store } from "../storage/store.js";
import { StorageFails, type Writer } from "../storage/writer.js";
import type { Reach } from "./reach.js";

/** Pauses between attempts, in milliseconds: doubled each time from the first to the longest. */
const FIRST_PAUSE = 1_000;
const LONGEST_PAUSE = 3_600_000;
/** After this a message is given up, in milliseconds. */
const GIVEN_UP = 3 * 86_400_000;
/** How long an address may take to answer, in milliseconds. */
const PATIENCE = 10_000;
/** How many are taken from the outbox at once, and the longest sleep, in milliseconds. */
const AT_ONCE = 100;
const LONGEST_SLEEP = 60_000;

/** A message that is due. */
interface Due {
  readonly id: number;
  readonly hook: string;
  readonly url: string;
  readonly secret: string;
  /** How often the webhook has failed since it took something, and how often this message has. */
  readonly failures: number;
  readonly attempts: number;
  readonly message: HookMessage;
}

export class Postman {
  private timer: NodeJS.Timeout | undefined;
  private working: Promise<void> | undefined;
  private again = false;
  private closed = false;
  private readonly abort = new AbortController();

  /** @param address where people reach the service, for the address to open in each message */
  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly reach: Reach,
    private readonly address: string,
    private readonly log: Logger,
  ) {}

  /** Sends what is due, now and whenever it is. */
  wake(): void {
    this.again = true;
    if (this.closed || this.working) return;
    clearTimeout(this.timer);
    this.working = this.work()
      .catch((error: unknown) => {
        if (!(error instanceof StorageFails)) this.log.warn({ err: error }, "webhooks could not be told");
      })
      .finally(() => {
        this.working = undefined;
        this.sleep();
      });
  }

  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    this.abort.abort();
    await this.working;
  }

  private async work(): Promise<void> {
    while (this.again && !this.closed) {
      this.again = false;
      for (let due = await this.due(); due.length > 0 && !this.closed; due = await this.due()) {
        const byHook = new Map<string, Due[]>();
        for (const one of due) byHook.set(one.hook, [...(byHook.get(one.hook) ?? []), one]);
        await Promise.all([...byHook.values()].map((messages) => this.bring(messages)));
      }
    }
  }

  /** Brings the messages of one webhook, one after the other; the first that is not taken holds up the others. */
  private async bring(messages: readonly Due[]): Promise<void> {
    for (const due of messages) {
      const failed = await this.send(due);
      if (this.closed) return;
      if (failed !== undefined) return this.putOff(due, failed);
      const { db } = this.store;
      await this.writer.write(() => {
        this.store.execute(db.deleteFrom("deliveries").where("id", "=", due.id));
        if (due.failures > 0)
          this.store.execute(db.updateTable("hooks").set({ failures: 0 }).where("id", "=", due.hook));
      });
    }
  }

  /** Lets a webhook wait, or gives up the first of its messages. */
  private async putOff({ id, hook, failures, attempts, message }: Due, failed: string): Promise<void> {
    const pause = Math.min(LONGEST_PAUSE, FIRST_PAUSE * 2 ** Math.min(failures, 20));
    const dead = Date.now() - Date.parse(message.at) > GIVEN_UP ? 1 : 0;
    if (dead) this.log.warn({ hook, delivery: id, failed }, "a message to a webhook is given up");
    const { db } = this.store;
    await this.writer.write(() => {
      this.store.execute(
        db
          .updateTable("deliveries")
          .set({ attempts: attempts + 1, failed, dead })
          .where("id", "=", id),
      );
      this.store.execute(
        db
          .updateTable("hooks")
          .set({ failures: failures + 1, next: Date.now() + pause })
          .where("id", "=", hook),
      );
    });
  }

  private async due(): Promise<Due[]> {
    const rows = await this.store.db
      .selectFrom("deliveries")
      .innerJoin("hooks", "hooks.id", "deliveries.hook")
      .innerJoin("people", "people.id", "deliveries.person")
      .select(["deliveries.id", "hook", "url", "secret", "failures", "attempts"])
      .select(["handle", "match", "step", "deliveries.kind", "at"])
      .where("dead", "=", 0)
      // A pause that ends later than any may was set before the clock was set back.
      .where((e) => e.or([e("next", "<=", Date.now()), e("next", ">", Date.now() + LONGEST_PAUSE)]))
      .orderBy("deliveries.id")
      .limit(AT_ONCE)
      .execute();
    return rows.map(({ handle, match, step, kind, at, ...row }) => ({
      ...row,
      message: {
        delivery: row.id,
        kind: kind as NoticeKind,
        person: handle,
        match,
        step,
        address: `${this.address}/matches/${match}`,
        at,
      },
    }));
  }

  /** Sends a message; gives why it was not taken, in words. */
  private send({ url, secret, message }: Due): Promise<string | undefined> {
    const to = new URL(url);
    const refused = this.reach.refusal(to);
    if (refused !== undefined) return Promise.resolve(refused);
    const text = JSON.stringify(message);
    const time = new Date().toISOString();
    const send = to.protocol === "https:" ? sendHttps : sendHttp;
    return new Promise((resolve) => {
      const sent = send(
        to,
        {
          method: "POST",
          lookup: this.reach.lookup,
          timeout: PATIENCE,
          signal: this.abort.signal,
          headers: {
            "Content-Type": "application/json",
            "Content-Length": Buffer.byteLength(text),
            "Zany-Delivery": String(message.delivery),
            "Zany-Time": time,
            "Zany-Signature": signatureOf(secret, time, text),
          },
        },
        (answer) => {
          answer.resume();
          const { statusCode = 0 } = answer;
          resolve(statusCode >= 200 && statusCode < 300 ? undefined : `it answered ${statusCode}`);
        },
      );
      sent.on("timeout", () => sent.destroy(new Error(`it did not answer within ${PATIENCE / 1000} s`)));
      sent.on("error", (error) => resolve(error.message));
      sent.end(text);
    });
  }

  /** Sleeps until the next message is due. */
  private sleep(): void {
    if (this.closed) return;
    if (this.again) {
      this.wake();
      return;
    }
    const next = this.store.first<{ next: number | null }>(
      this.store.db
        .selectFrom("hooks")
        .select((e) => e.fn.min("next").as("next"))
        .where((e) =>
          e.exists(
            e.selectFrom("deliveries").select("deliveries.id").whereRef("hook", "=", "hooks.id").where("dead", "=", 0),
          ),
        ),
    )?.next;
    if (next === null || next === undefined) return;
    const pause = Math.min(LONGEST_SLEEP, Math.max(0, next - Date.now()));
    this.timer = setTimeout(() => this.wake(), pause).unref();
  }
}

/** HMAC-SHA-256 by the webhook's secret over the time, a line feed and the body, in hexadecimal. */
function signatureOf(secret: string, time: string, body: string): string {
  return createHmac("sha256", secret).update(`${time}\n${body}`).digest("hex");
}
