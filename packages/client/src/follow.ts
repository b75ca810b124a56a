/** Follows a match over server-sent events, through lost connections, without missing or repeating a step. */

import type { StepLine } from "@zany/core";
import { createParser, type EventSourceMessage } from "eventsource-parser";
import type { SeenMatch } from "./api.js";
import { problemOf, ServiceProblem } from "./problem.js";

/** A step that was taken, or what is to be seen after the steps so far. */
export type MatchUpdate =
  | { readonly kind: "step"; readonly line: StepLine }
  | { readonly kind: "now"; readonly match: SeenMatch }
  | { readonly kind: "away"; readonly words: string };

export interface FollowOptions {
  /** A seat's key; without, one follows as a watcher. */
  readonly key?: string;
  /** The last step one has, -1 for none of them; without, only steps from now on come. */
  readonly after?: number;
  readonly signal?: AbortSignal;
}

const FIRST_PAUSE = 250;
const LONGEST_PAUSE = 5_000;

/** Gives events until the signal aborts. After a lost connection an event `away`, then everything missed. */
export async function* followMatch(url: string, options: FollowOptions): AsyncGenerator<MatchUpdate> {
  let last = options.after;
  let pause = FIRST_PAUSE;
  while (!options.signal?.aborted) {
    try {
      for await (const message of connect(url, options, last)) {
        pause = FIRST_PAUSE;
        if (message.event === "step") {
          const line = JSON.parse(message.data) as StepLine;
          last = line.step;
          yield { kind: "step", line };
        } else if (message.event === "now") {
          const match = JSON.parse(message.data) as SeenMatch;
          last ??= match.view.step;
          yield { kind: "now", match };
        }
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
  const response = await fetch(last === -1 ? `${url}?from=0` : url, {
    headers,
    ...(options.signal && { signal: options.signal }),
  });
  if (!response.ok || !response.body) throw await problemOf(response);
  const waiting: EventSourceMessage[] = [];
  const parser = createParser({ onEvent: (event) => waiting.push(event) });
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  for (;;) {
    const { value, done } = await reader.read();
    if (done) return;
    parser.feed(value);
    yield* waiting.splice(0);
  }
}
