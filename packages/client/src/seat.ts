/** A seat in a match, as a game plays in it: keys, request names, repeats and reconnecting are seen to. */

import type { Arguments } from "@zany/core";
import { type Patience, untilAnswered } from "./again.js";
import type { JoinedMatch, SeenMatch } from "./api.js";
import type { ZanyClient } from "./client.js";
import { newName } from "./names.js";

/** A seat to take: by the address of a link to it, or an open one of a match. */
export type WantedSeat =
  | { readonly link: string; readonly name?: string }
  | { readonly match: string; readonly seat: string };

/** What opens a seat again later; keep it where others do not read. Null where a person's own key opens it. */
export interface KeptSeat {
  readonly match: string;
  readonly seat: string;
  readonly key: string | null;
}

/** Where one stands in the match; or why that is not known just now. */
export type Standing = { readonly match: SeenMatch } | { readonly away: string };

/** One's seat: taken with `Seat.take`, or there again with what was kept of it. */
export class Seat {
  /** What was last seen of the match. */
  private seen: SeenMatch | undefined;

  /**
   * Takes a seat; asked again by itself until there is an answer.
   *
   * @param client with the key of a person, or without any
   * @param wanted a link to a seat, or an open seat of a match
   * @param patience how long to try while the service does not answer
   * @throws ServiceProblem when somebody else has it, or the link was used
   */
  static async take(client: ZanyClient, wanted: WantedSeat, patience: Patience = {}): Promise<Seat> {
    const request = newName();
    const joined = await untilAnswered(() => ask(client, wanted, request), patience);
    // Whoever takes a seat with a key of several sees the match with the eyes of the one that was taken.
    const seat = joined.seat ?? ("seat" in wanted ? wanted.seat : "");
    return new Seat(client, { match: joined.id, seat, key: joined.key ?? null }, patience);
  }

  /** @param kept what `kept` gave before, or a key that came some other way */
  constructor(
    private readonly client: ZanyClient,
    readonly kept: KeptSeat,
    private readonly patience: Patience = {},
  ) {}

  /**
   * The match as this seat sees it: now, and whenever something happens, until it is over or the signal aborts. What
   * is told while one looks at something else is not queued: the newest counts. A lost connection is told and mended.
   *
   * @throws ServiceProblem when the match or the seat is not there for one any more
   */
  async *follow(signal?: AbortSignal): AsyncGenerator<Standing> {
    const { match, key, seat } = this.kept;
    const options = { seat, ...(key !== null && { key }), ...(signal && { signal }) };
    for await (const update of this.client.follow(match, options)) {
      if (update.kind === "away") yield { away: update.words };
      if (update.kind !== "now") continue;
      this.seen = update.match;
      yield { match: update.match };
      if (isOver(update.match)) return;
    }
  }

  /**
   * Acts. It counts once, however often it has to be sent; it is refused as `stale` (412) when what this seat may see
   * has changed since it was last looked at, but for where several seats are on turn at once.
   *
   * @param request a name of one's own for it, for whoever may have to ask once more after patience was at an end
   * @returns the match after it
   * @throws ServiceProblem when it is refused, with the reason; with status 0 when there was no answer
   */
  act(action: string, args: Arguments = {}, request = newName()): Promise<SeenMatch> {
    const { match, key, seat } = this.kept;
    const alone = (this.seen?.view.turn.length ?? 0) < 2;
    const step = alone ? this.seen?.view.step : undefined;
    return this.told(() => this.client.act(match, key ?? undefined, action, args, step, request, seat));
  }

  /** Leaves the seat for good. */
  leave(): Promise<SeenMatch> {
    const { match, key, seat } = this.kept;
    const request = newName();
    return this.told(() => this.client.leave(match, key ?? undefined, seat, request));
  }

  /** Agrees to how the match ended. */
  confirm(): Promise<SeenMatch> {
    const { match, key, seat } = this.kept;
    return this.told(() => this.client.confirm(match, key ?? undefined, seat));
  }

  private async told(ask: () => Promise<SeenMatch>): Promise<SeenMatch> {
    this.seen = await untilAnswered(ask, this.patience);
    return this.seen;
  }
}

/** Whether nothing more will happen in a match. */
export function isOver(match: SeenMatch): boolean {
  return match.view.outcome !== null || match.cancelled !== null;
}

function ask(client: ZanyClient, wanted: WantedSeat, request: string): Promise<JoinedMatch> {
  if ("match" in wanted) return client.join(wanted.match, wanted.seat, undefined, request);
  const [, match, secret] = /\/matches\/([^/#?]+)\/seat#(.+)$/.exec(wanted.link) ?? [];
  if (match === undefined || secret === undefined)
    throw new TypeError(`"${wanted.link}" is no link to a seat; one looks like http://HOST/matches/ID/seat#SECRET.`);
  return client.redeem(match, secret, wanted.name, request);
}
