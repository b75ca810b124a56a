/** Wrong keys are answered ever more slowly, and then not looked at: 192 bits are not guessed, and nobody shall try. */

import { setTimeout as delay } from "node:timers/promises";
import type { Request } from "express";
import { Problem } from "../problems.js";

/** How many wrong keys an address may send in a while, and how long that is, in milliseconds. */
const MOST = 60;
const WHILE = 60_000;
/** What each wrong key adds to the wait for the answer, in milliseconds, and the longest wait. */
const STEP = 20;
const LONGEST = 1_000;
/** How many addresses are remembered. */
const ADDRESSES = 10_000;

export class WrongKeys {
  private readonly counts = new Map<string, { count: number; since: number }>();

  /** @throws Problem 429 for an address that has sent too many wrong keys */
  refuse(request: Request<object>): void {
    if (this.counts.size === 0) return;
    if ((this.of(addressOf(request))?.count ?? 0) < MOST) return;
    const detail = `From this address came ${MOST} wrong keys within a minute. Try again later.`;
    throw new Problem(429, "wrongKeys", detail, {}, { "Retry-After": String(WHILE / 1000) });
  }

  /** Notes a wrong key, and resolves when it may be answered. */
  async slow(request: Request<object>): Promise<void> {
    const address = addressOf(request);
    const known = this.of(address) ?? { count: 0, since: Date.now() };
    known.count++;
    this.counts.delete(address);
    this.counts.set(address, known);
    const [oldest] = this.counts.keys();
    if (this.counts.size > ADDRESSES && oldest !== undefined) this.counts.delete(oldest);
    await delay(Math.min(LONGEST, known.count * STEP), undefined, { ref: false });
  }

  private of(address: string): { count: number; since: number } | undefined {
    const known = this.counts.get(address);
    if (known && Date.now() - known.since > WHILE) this.counts.delete(address);
    return this.counts.get(address);
  }
}

/** Where a request comes from; behind a proxy, what the proxy says of it. */
export function addressOf({ ip }: Request<object>): string {
  return ip ?? "";
}
