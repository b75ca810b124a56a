/**
 * Follows a match, or all matches of a person, over server-sent events: through lost connections, without missing or
 * repeating anything.
 */

import { createParser, type EventSourceMessage } from "eventsource-parser";
import type { JobInfo, Notice, SeenMatch, StreamedStep } from "./api.js";
import { problemOf, ServiceProblem } from "./problem.js";

/** A step that was taken, or what is to be seen after the steps so far. */
export type MatchUpdate =
  | { readonly kind: "step"; readonly line: StreamedStep }
  | { readonly kind: "now"; readonly match: SeenMatch }
  | { readonly kind: "away"; readonly words: string };

/** What a person is told of one of their matches. */
export type PersonUpdate =
  | { readonly kind: "notice"; readonly notice: Notice }
  | { readonly kind: "away"; readonly words: string };

/** How a job of the service is. */
export type JobUpdate =
  | { readonly kind: "job"; readonly job: JobInfo }
  | { readonly kind: "away"; readonly words: string };

export interface FollowOptions {
  /** A seat's key, or a person's; without, one follows a match as a watcher. */
  readonly key?: string;
  /** For a match with the eyes of which seat, when the key is of several. */
  readonly seat?: string;
  /** The last step or notice one has, -1 for none of them; without, only those from now on come. */
  readonly after?: number;
  readonly signal?: AbortSignal;
}

const FIRST_PAUSE = 250;
const LONGEST_PAUSE = 5_000;

/** Gives events until the signal aborts. After a lost connection an event `away`, then everything missed. */
export function followMatch(url: string, options: FollowOptions): AsyncGenerator<MatchUpdate> {
  return follow<MatchUpdate>(url, options, (message, last) => {
    if (message.event === "step") {
      const line = JSON.parse(message.data) as StreamedStep;
      return { last: line.step, update: { kind: "step", line } };
    }
    if (message.event !== "now") return undefined;
    const match = JSON.parse(message.data) as SeenMatch;
    return { last: last ?? match.view.step, update: { kind: "now", match } };
  });
}

/** The same for all matches of a person. */
export function followPerson(url: string, options: FollowOptions): AsyncGenerator<PersonUpdate> {
  return follow<PersonUpdate>(url, options, (message) => {
    const told = JSON.parse(message.data) as Notice;
    return { last: told.id, update: message.event === "here" ? undefined : { kind: "notice", notice: told } };
  });
}

/** The same for a job of the service. */
export function followJobs(url: string, options: FollowOptions): AsyncGenerator<JobUpdate> {
  return follow<JobUpdate>(url, options, (message) =>
    message.event === "job"
      ? { last: -1, update: { kind: "job", job: JSON.parse(message.data) as JobInfo } }
      : undefined,
  );
}

type Away = { readonly kind: "away"; readonly words: string };

/** What a message comes to, and where one goes on behind it; undefined for one that is not known. */
type Reading<Update> = (
  message: EventSourceMessage,
  last: number | undefined,
) => { readonly last: number; readonly update: Update | undefined } | undefined;

async function* follow<Update>(
  url: string,
  options: FollowOptions,
  read: Reading<Exclude<Update, Away>>,
): AsyncGenerator<Update | Away> {
  let last = options.after;
  let pause = FIRST_PAUSE;
  while (!options.signal?.aborted) {
    try {
      for await (const message of connect(url, options, last)) {
        pause = FIRST_PAUSE;
        const told = read(message, last);
        if (told === undefined) continue;
        last = told.last;
        if (told.update !== undefined) yield told.update;
      }
    } catch (error) {
      if (options.signal?.aborted) return;
      if (error instanceof ServiceProblem && error.status >= 400 && error.status < 500) throw error;
    }
    if (options.signal?.aborted) return;
    yield { kind: "away", words: "The connection to the service is lost; trying again." };
    await new Promise((resolve) => setTimeout(resolve, pause));
    pause = Math.min(LONGEST_PAUSE, pause * 2);
  }
}

async function* connect(
  url: string,
  options: FollowOptions,
  last: number | undefined,
): AsyncGenerator<EventSourceMessage> {
  const headers: Record<string, string> = { Accept: "text/event-stream" };
  if (options.key !== undefined) headers["Authorization"] = `Bearer ${options.key}`;
  if (last !== undefined && last >= 0) headers["Last-Event-ID"] = String(last);
  const query = queryOf({ from: last === -1 ? "0" : undefined, seat: options.seat });
  const response = await fetch(`${url}${query}`, {
    headers,
    ...(options.signal && { signal: options.signal }),
  });
  if (!response.ok || !response.body) throw await problemOf(response);
  const waiting: EventSourceMessage[] = [];
  const parser = createParser({ onEvent: (event) => waiting.push(event) });
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  try {
    for (;;) {
      const { value, done } = await reader.read();
      if (done) return;
      parser.feed(value);
      yield* waiting.splice(0);
    }
  } finally {
    // Whoever stops listening hangs up.
    await reader.cancel().catch(() => {});
  }
}

/** A query of what is given of it; empty for nothing. */
export function queryOf(parts: Readonly<Record<string, string | undefined>>): string {
  const given = Object.entries(parts).filter((part): part is [string, string] => part[1] !== undefined);
  return given.length === 0 ? "" : `?${new URLSearchParams(given)}`;
}
