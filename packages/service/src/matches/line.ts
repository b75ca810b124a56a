/**
 * The line of a match: its inputs wait for each other. They are tested, taken, written and answered in the order in
 * which they came. Those that wait are taken one on top of the other and written in one transaction; when that is not
 * written, nothing of it counts, and every one of them begins again on what is true.
 */

import type { StreamedStep } from "@zany/client/api";
import {
  canonicalJson,
  type FaultReport,
  type Input,
  nextTimer,
  type Refusal,
  type Situation,
  seenFault,
  isWritten,
  refusedLine,
  seenLine,
  situationJson,
  type StepLine,
  step,
  stepLine,
  type Taken,
} from "@zany/core";
import type { Logger } from "pino";
import type { Notices } from "../access/notices.js";
import { Problem } from "../problems.js";
import { hashSecret, type SentKey, sealed } from "../secrets.js";
import type { RequestRow } from "../storage/schema.js";
import { StorageFails, type Write, type Writer } from "../storage/writer.js";
import { chained, sealOf } from "./chain.js";
import { heldSeats } from "./holders.js";
import { type LiveMatch, type MatchProgress, progressOf } from "./live.js";
import { SNAPSHOT_EVERY } from "./loading.js";
import { type MatchRecords, requestId, type TakenRequest } from "./records.js";
import { RequestNames } from "./request-names.js";

/** Most inputs that wait in one line. */
export const MOST_WAITING = 500;
/**
 * How long inputs are taken in one go, in milliseconds, before what they led to is written and others get their turn.
 */
const PORTION = 10;
/**
 * Timers that run one after the other with nobody doing anything; then the match sleeps for good, so that no clock
 * fills the disk.
 */
const MOST_IDLE_TIMERS = 100_000;

/** How far back it is looked whether what somebody saw has changed, in steps. */
const MOST_BEHIND = 1_000;

/** The name that a sender gave to a request: it is taken once, with the key and the content it came with first. */
export interface RequestName {
  readonly name: string;
  readonly key: SentKey;
  /** All that is asked for. */
  readonly content: unknown;
  /** What its answer holds that cannot be made again: a new key. */
  readonly secret?: string;
  /** How long it is remembered, in milliseconds; without, as long as the match. */
  readonly lasts?: number;
}

/** What is asked of a match. */
export interface Wish {
  /**
   * The input, by the situation that it meets; undefined when there is nothing to do in it. Time passes to `time` of
   * it, and without to the present.
   *
   * @throws Problem when it cannot be done
   */
  readonly input: (now: MatchProgress) => Input | undefined;
  readonly request?: RequestName | undefined;
  /** Changes what comes with the step, or instead of one; gives what is written together with it. */
  readonly change?: Change;
  /** Who it comes from, when it is no person. */
  readonly from?: "bot" | "clock";
  /** The client it comes from, as it calls itself. */
  readonly client?: string | undefined;
}

/** Changes of a match beside its situation. Throws a Problem when they cannot be; gives what else is to be written. */
export type Change = (match: MatchProgress) => Write | undefined;

/** An input that was taken, or refused. */
export interface TakenInput {
  readonly match: LiveMatch;
  readonly refusal?: Refusal;
  /** The step it led to, for one that was taken now. */
  readonly step?: number;
  /** For a request that was taken before: what it led to then. */
  readonly before?: Pick<TakenRequest, "step" | "answer">;
}

interface Waiting {
  readonly wish: Wish | Change;
  readonly resolve: (taken: TakenInput) => void;
  readonly reject: (error: unknown) => void;
}

/** What inputs led to that is not written yet. */
interface Draft extends MatchProgress {
  /** Written in this order, in one transaction, with the match's row. */
  readonly writes: Write[];
  /** Whether there is anything to write. */
  changed: boolean;
  readonly lines: StreamedStep[];
  /** How each of those who waited is answered once that is done. */
  readonly answers: (() => void)[];
  /** The named requests in this draft; see `requestId`. */
  readonly requests: Map<string, TakenRequest>;
  /** The client that caused the last of it, as it calls itself. */
  client: string | null;
  /** Those who are answered by it. */
  readonly of: Waiting[];
}

function draftOf(match: MatchProgress): Draft {
  // What it holds of its own comes first: behind what is spread, every draft would get a shape of its own.
  return {
    writes: [],
    changed: false,
    lines: [],
    answers: [],
    requests: new Map(),
    client: null,
    of: [],
    ...progressOf(match),
  };
}

export class MatchLine {
  private waiting: Waiting[] = [];
  /** The work under way; undefined while nobody waits. */
  private working: Promise<void> | undefined;
  /** How many are still to be taken one by one, because one of them cannot be written. */
  private alone = 0;
  private readonly requests: RequestNames;

  constructor(
    private readonly match: LiveMatch,
    private readonly records: MatchRecords,
    private readonly writer: Writer,
    private readonly log: Logger,
    /** What people are told of what changed is written in the same transaction. */
    private readonly notices: Pick<Notices, "of" | "wake">,
    /** Is told of what was written, before those who asked for it. */
    private readonly written: (match: LiveMatch, lines: readonly StreamedStep[]) => void,
    /** Whether what was refused is written down too. */
    private readonly keepsRefusals: boolean,
  ) {
    this.requests = new RequestNames(match.id, records);
  }

  /**
   * Takes an input to rest when its turn comes. Acknowledged (resolved) only when it is on the disk. A named request
   * that was taken before is acknowledged again and changes nothing; without a name, the action that was taken at its
   * step is.
   *
   * @throws Problem 409 for a match that does not go on, a fault of its machine, or a name that was used for something
   * else; 503 while nothing can be written
   */
  take(wish: Wish | Change): Promise<TakenInput> {
    if (this.waiting.length >= MOST_WAITING)
      return Promise.reject(
        new Problem(
          429,
          "tooManyWaiting",
          `${MOST_WAITING} inputs of this match are waiting already. Send it again in a while.`,
          {},
          { "Retry-After": "1" },
        ),
      );
    const taken = new Promise<TakenInput>((resolve, reject) => this.waiting.push({ wish, resolve, reject }));
    this.working ??= this.work().finally(() => (this.working = undefined));
    return taken;
  }

  /** True while nobody waits. */
  get idle(): boolean {
    return this.working === undefined;
  }

  /** Resolves when all who wait now have been answered. */
  async settled(): Promise<void> {
    while (this.working) await this.working;
  }

  private async work(): Promise<void> {
    // Whoever asks in the same turn of the event loop comes into the same transaction.
    await Promise.resolve();
    while (this.waiting.length > 0) {
      const draft = this.drafted();
      if (!draft.changed || (await this.write(draft))) this.publish(draft);
      if (this.waiting.length > 0) await new Promise((resolve) => setImmediate(resolve));
    }
  }

  /** Takes those who wait, as many as there is time for. */
  private drafted(): Draft {
    const draft = draftOf(this.match);
    const until = performance.now() + PORTION;
    for (let next = this.waiting[0]; next; next = this.waiting[0]) {
      if (!this.taken(draft, next, until)) break;
      draft.of.push(next);
      this.waiting.shift();
      if (performance.now() > until || this.alone > 0) break;
    }
    if (this.alone > 0) this.alone--;
    return draft;
  }

  /** Writes what a draft comes to. When that fails it is as if it had not been drafted. */
  private async write(draft: Draft): Promise<boolean> {
    try {
      const { match, records } = this;
      const news = this.notices.of(match, match, draft, draft.client);
      const ended = draft.situation.outcome !== match.situation.outcome;
      const results = ended ? records.results(match, draft) : [];
      await this.writer.write(...draft.writes, records.progress(match, draft), ...results, ...news);
      if (news.length > 0) this.notices.wake();
      return true;
    } catch (error) {
      if (error instanceof StorageFails) {
        for (const { reject } of [...draft.of, ...this.waiting.splice(0)]) reject(error);
      } else if (draft.of.length > 1) {
        this.waiting.unshift(...draft.of);
        this.alone = draft.of.length;
      } else {
        for (const { reject } of draft.of.length > 0 ? draft.of : this.waiting.splice(0, 1)) reject(error);
      }
      return false;
    }
  }

  private publish(draft: Draft): void {
    Object.assign(this.match, progressOf(draft));
    if (draft.changed) this.written(this.match, draft.lines);
    for (const answer of draft.answers) answer();
  }

  /**
   * Takes one input on top of a draft.
   *
   * @returns false when timers that are due before it take longer than there is time for: it stays first in line
   */
  private taken(draft: Draft, { wish, resolve, reject }: Waiting, until: number): boolean {
    const answer = (how: () => void): true => {
      draft.answers.push(how);
      return true;
    };
    const acknowledged = (refusal?: Refusal): true =>
      answer(() => resolve({ match: this.match, ...(refusal && { refusal }) }));
    try {
      if (typeof wish === "function") {
        changed(draft, wish(draft));
        return acknowledged();
      }
      const named = wish.request && requestColumns(wish.request);
      const before = named && this.takenBefore(draft, named, wish.request?.name ?? "");
      if (before) return answer(() => resolve({ match: this.match, before }));
      refuseClosed(draft);
      const asked = wish.input(draft);
      if (!asked && !wish.change) return acknowledged();
      if (!asked) {
        this.finish(draft, wish, named);
        return acknowledged();
      }
      if (!wish.request && !wish.from && this.isRepeated(draft, asked)) return acknowledged();
      const wanted = this.broughtUpToDate(draft, asked);
      const { situation } = draft;
      const time = wanted.time ?? (draft.manualTime === null ? Date.now() : situation.now);
      if (wish.from !== "clock") draft.idleTimers = 0;
      if (!this.runTimers(draft, time, until)) return false;
      refuseClosed(draft);
      if (wish.from === "clock") return acknowledged();
      this.refuseTooEarly(draft, wanted);
      const start = draft.situation;
      // With "time" behind what is spread, each input would get a shape of its own.
      const input = Object.assign({}, wanted, { time });
      const { situation: after, taken, refusal, fault } = step(this.match.runnable, start, input, NOW);
      if (fault) throw faultProblem(this.match, fault, wanted.kind === "action");
      if (refusal) {
        this.noteRefusal(draft, wanted, refusal, wish);
        return acknowledged(refusal);
      }
      if (wanted.kind !== "time") draft.botSteps = wish.from === "bot" ? draft.botSteps + 1 : 0;
      this.add(draft, start, after, taken, wish.client);
      this.finish(draft, wish, named);
      return answer(() => resolve({ match: this.match, step: after.step }));
    } catch (error) {
      return answer(() => reject(error));
    }
  }

  /** Writes down what somebody asked for and did not get, where the service keeps that. */
  private noteRefusal(draft: Draft, input: Input, refusal: Refusal, { from }: Wish): void {
    if (!this.keepsRefusals || from !== undefined || !isWritten({ input, refusal })) return;
    const { step: after, now } = draft.situation;
    const line = JSON.stringify(refusedLine({ input, refusal, after, now }));
    if (line.length <= LONGEST_REFUSAL) changed(draft, () => this.records.addRefusal(this.match.id, after, line));
  }

  /** What comes with a wish that was taken. */
  private finish(draft: Draft, { change, client }: Wish, named: NamedRow | undefined): void {
    draft.client = client ?? null;
    if (change) changed(draft, change(draft));
    if (named) this.addRequest(draft, named);
  }

  /** @throws Problem 409 for an action before as many are there as it was begun for */
  private refuseTooEarly(draft: Draft, { kind }: Input): void {
    const { runnable, least } = this.match;
    if (kind !== "action" || least === 0) return;
    const held = heldSeats(runnable, draft);
    if (held < least)
      throw new Problem(409, "notYet", `This match starts when ${least} seats are held; now ${held} are.`, {
        least,
        held,
      });
  }

  /**
   * An action meant for an earlier step, as one for this step, when nothing has changed since that its seat may see:
   * no data and no active state. Who is ready, seats, notes and time do not count.
   */
  private broughtUpToDate(draft: Draft, input: Input): Input {
    if (input.kind !== "action" || input.step === undefined) return input;
    const { step: now } = draft.situation;
    if (input.step >= now || now - input.step > MOST_BEHIND) return input;
    const { runnable } = this.match;
    let states: string | undefined;
    for (const line of this.linesSince(draft, input.step - 1)) {
      const seen = seenLine(runnable, line, input.seat);
      const active = seen.states.join(" ");
      const changed = seen.changes.some(({ path }) => /^\/(data|local)(\/|$)/.test(path));
      if (line.step > input.step && (changed || active !== states)) return input;
      states = active;
    }
    return { ...input, step: now };
  }

  /** The lines after a step, those of a draft included. */
  private *linesSince(draft: Draft, step: number): Generator<StepLine> {
    const first = draft.lines[0]?.step ?? Number.POSITIVE_INFINITY;
    for (let last = step; last + 1 < first; ) {
      const page = this.records.page(this.match.id, last);
      if (page.length === 0) break;
      for (const { line } of page) yield JSON.parse(line) as StepLine;
      last = page.at(-1)?.step ?? first;
    }
    for (const line of draft.lines) if (line.step > step) yield line;
  }

  /** Runs the timers that are due by a time. @returns false when they take longer than there is time for */
  private runTimers(draft: Draft, time: number, until: number): boolean {
    for (;;) {
      const next = nextTimer(this.match.runnable.machine, draft.situation);
      if (!next || next.due > time || draft.suspended !== null) return true;
      if (performance.now() > until) return false;
      const before = draft.situation;
      const { situation, taken, fault } = step(
        this.match.runnable,
        before,
        { kind: "timer", timer: next.timer.name, time: next.due },
        NOW,
      );
      // Whoever moves a clock by hand is told; on real time nobody is there to be told.
      if (fault && draft.manualTime !== null) throw faultProblem(this.match, fault, false);
      if (fault) this.log.warn({ match: this.match.id, fault }, "a timer is at fault; its match is suspended");
      if (fault) draft.suspended = seenFault(this.match.runnable, fault, false).words;
      else if (++draft.idleTimers > MOST_IDLE_TIMERS)
        draft.suspended = `its clock has run ${MOST_IDLE_TIMERS} timers with nobody doing anything`;
      this.add(draft, before, situation, taken);
    }
  }

  /** Adds steps to a draft, and a snapshot where one is due. */
  private add(
    draft: Draft,
    before: Situation,
    after: Situation,
    taken: readonly Taken[],
    client: string | null = null,
  ): void {
    const { match, records } = this;
    const { id, runnable, headerText } = match;
    for (const [i, one] of taken.entries()) {
      const line = stepLine(runnable, taken[i - 1]?.situation ?? before, one);
      const text = JSON.stringify(line);
      const chain = chained(draft.chain, text);
      draft.chain = chain;
      draft.lines.push(client === null ? line : { ...line, client });
      draft.writes.push(records.step(id, line.step, text, client));
      if (line.step % SNAPSHOT_EVERY !== 0) continue;
      const situation = canonicalJson(situationJson(runnable.machine, one.situation));
      const seal = sealOf(headerText, chain, situation);
      draft.writes.push(...records.snapshot({ match: id, step: line.step, situation, chain, seal }, SNAPSHOT_EVERY));
    }
    draft.situation = after;
    if (draft.manualTime !== null) draft.manualTime = after.now;
    // Time that passed, or a suspension, is written although there is no line for it.
    changed(draft);
  }

  // ---- what was taken before --------------------------------------------------------------------

  /** What a named request led to when it was taken before. @throws Problem 409 when it asked for something else then */
  private takenBefore(draft: Draft, { key_hash, name, content }: NamedRow, called: string): TakenRequest | undefined {
    const request = requestId({ key_hash, name });
    if (!this.requests.mayHave(request)) return undefined;
    const known = draft.requests.get(request) ?? this.records.requestOf(this.match.id, key_hash, name);
    if (known !== undefined && known.content !== content) throw requestReused(called);
    return known;
  }

  private addRequest(draft: Draft, named: NamedRow): void {
    const row = { match: this.match.id, step: draft.situation.step, ...named };
    draft.requests.set(requestId(row), row);
    this.requests.add(requestId(row));
    changed(draft, this.records.request(row));
  }

  /** Whether an action is the very one that was taken at the step it is meant for: sent twice, it is taken once. */
  private isRepeated(draft: Draft, input: Input): boolean {
    if (input.kind !== "action" || input.step === undefined || input.step >= draft.situation.step) return false;
    const number = input.step + 1;
    const line =
      draft.lines.find((l) => l.step === number) ??
      this.records.page(this.match.id, input.step, 1).map((stored) => JSON.parse(stored.line) as StepLine)[0];
    const { kind, seat, action, args = {} } = input;
    return line?.step === number && canonicalJson(line.input) === canonicalJson({ kind, seat, action, args });
  }
}

/** What is refused and longer than this, in characters, is not kept. */
const LONGEST_REFUSAL = 4_000;

/** Every step is written down, so its words are made as it is taken. */
const NOW = { happenings: "now" } as const;

/** The match's row is written, and what else there is. */
function changed(draft: Draft, write?: Write): void {
  draft.changed = true;
  if (write) draft.writes.push(write);
}

/** @throws Problem 409 when a match takes no more inputs */
function refuseClosed({ suspended, cancelled }: MatchProgress): void {
  if (cancelled !== null) throw new Problem(409, "cancelled", "This match was cancelled.");
  if (suspended !== null) throw new Problem(409, "suspended", `This match is suspended: ${suspended}`);
}

/** What is stored of a request beside where it belongs. */
type NamedRow = Omit<RequestRow, "match" | "step">;

/** A request as it is stored: digests of its key and of its content, and of its name when its answer is kept. */
export function requestColumns(request: RequestName): NamedRow {
  const { key, name, content, secret, lasts } = request;
  return {
    key_hash: key.hash,
    name: secret === undefined ? name : hashSecret(name),
    content: hashSecret(canonicalJson(content)),
    answer: secret === undefined ? null : sealed(secret, key.key, name),
    expires: lasts === undefined ? null : Date.now() + lasts,
  };
}

export function requestReused(name: string): Problem {
  return new Problem(
    409,
    "requestReused",
    `The request "${name}" was something else when it was taken. Give each request a name of its own.`,
  );
}

/** @param own true for the fault of an action, which is told to its seat */
function faultProblem({ runnable }: LiveMatch, fault: FaultReport, own: boolean): Problem {
  const { words, code, position } = seenFault(runnable, fault, own);
  if (position === undefined) return new Problem(409, "fault", `${words} Nothing was changed.`);
  return new Problem(409, "fault", `The machine is at fault here: ${words} Nothing was changed.`, {
    fault: { code, line: runnable.machine.sources.place(position).line },
  });
}
