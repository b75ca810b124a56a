/** The logbook of a hosted match, as it is downloaded. It is there even when the match does not load. */

import { createHash } from "node:crypto";
import { once } from "node:events";
import { closingLine, type Runnable, seenHeader, seenLine } from "@zany/core";
import type { Response } from "express";
import { Problem } from "../problems.js";
import type { Caller } from "../access/callers.js";
import { type Asker, askerOf, needSight } from "./askers.js";
import type { Host } from "./host.js";
import type { RefusalRow } from "../storage/schema.js";
import type { MatchDoors } from "./asking.js";

/**
 * Sends the logbook: all of it once the match is over or cancelled; before that, what the asker may see, without the
 * closing line. A match over that does not load has no closing line either.
 *
 * @throws Problem 409 when what the asker may see cannot be known, because the machine does not compile here any more
 */
export async function sendLogbook(
  { host, callers }: MatchDoors,
  id: string,
  caller: Caller,
  seat: string | undefined,
  response: Response,
): Promise<void> {
  const { row, header } = await host.records.find(id);
  const asker = askerOf(await host.stored(id), caller, seat);
  needSight(asker, false, callers.doors.open);
  const whole = row.outcome !== null || row.cancelled !== null;
  const runnable = whole ? undefined : await runnableFor(host, row.machine, asker);
  response.attachment(`${header.machine.name}-${id}.jsonl`).type("application/x-ndjson");
  const digest = createHash("sha256");
  const send = async (text: string): Promise<void> => {
    digest.update(text);
    if (!response.write(text) && !response.destroyed) await once(response, "drain").catch(() => {});
  };
  const refused = refusedIn(runnable === undefined ? host.records.refusalsOf(id) : []);
  const shown = runnable === undefined ? row.header : JSON.stringify(seenHeader(header));
  await send(`${shown}\n`);
  for await (const lines of host.records.lines(id)) {
    if (response.destroyed) return;
    const texts = lines.flatMap(({ step, line }) =>
      runnable === undefined ? [line, ...refused.after(step)] : [seenText(runnable, line, asker)],
    );
    await send(texts.map((text) => `${text}\n`).join(""));
  }
  const closing = whole ? await host.find(id).catch(() => undefined) : undefined;
  if (closing)
    response.write(`${JSON.stringify(closingLine(closing.runnable, closing.situation, digest.digest("hex")))}\n`);
  response.end();
}

/** The machine that says what an asker may see; undefined for the host of one that is lost, who sees all. */
async function runnableFor(host: Host, machine: string, asker: Asker): Promise<Runnable | undefined> {
  try {
    return await host.machines.runnable(machine);
  } catch (error) {
    if (!(error instanceof Problem) || !asker.host) throw error;
    return undefined;
  }
}

/** What was refused after each step. */
function refusedIn(rows: readonly Pick<RefusalRow, "after" | "line">[]): { after(step: number): string[] } {
  const lines = new Map<number, string[]>();
  for (const { after, line } of rows) lines.set(after, [...(lines.get(after) ?? []), line]);
  return { after: (step) => lines.get(step) ?? [] };
}

function seenText(runnable: Runnable, text: string, asker: Asker): string {
  return JSON.stringify(seenLine(runnable, JSON.parse(text), asker.seat));
}
