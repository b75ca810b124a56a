/** The lines of a logbook. The format is described, with a worked example, in docs/logbook.md. */

import type { Given } from "../engine/matches/given.js";
import type { Outcome } from "../engine/situation/situation.js";
import type { Change } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";

/** The version of the format that is written. */
export const LOGBOOK_FORMAT = 3;

/** The last versions of Zany Compass that read logbooks of older formats. */
export const LAST_READERS: Readonly<Record<number, string>> = { 1: "0.1.0", 2: "0.2.0" };

/** A situation's digest stands in every step whose number is a multiple of this, the first included. */
export const DIGEST_EVERY = 256;

export interface Header {
  readonly zany: "logbook";
  readonly format: number;
  readonly machine: {
    readonly name: string;
    /** SHA-256 of the machine's texts. */
    readonly hash: string;
    /** SHA-256 of what they mean. */
    readonly rules: string;
  };
  readonly seed: string;
  readonly seats: readonly string[];
  /** Seats that nobody had taken when the match began. */
  readonly open?: readonly string[];
  /** What the match began with in place of the machine's own; left out when there is nothing. */
  readonly given?: Given;
  /** The whole situation that it went on from, as digests are made of it; then nothing else of a beginning happened. */
  readonly from?: Json;
  /** The match that this one is a variation of. */
  readonly parent?: Parent;
  /** When the match began, RFC 3339 in UTC. */
  readonly begun: string;
}

/** Where a variation comes from. */
export interface Parent {
  /** The step that goes otherwise in it, as the other match counts them. */
  readonly step: number;
  /** The digest in the closing line of the other match; left out when it had none. */
  readonly file?: string;
}

export interface LineRoll {
  /** Where the roll stands in the machine's text, `line:column`. Not compared. */
  readonly source: string;
  readonly stream?: string;
  /** Whose private stream. */
  readonly seat?: string;
  readonly range: string;
  readonly value: number | boolean;
}

/** A signal that was delivered in a step, and who acted on it. For people; not compared. */
export interface LineSignal {
  readonly signal: string;
  readonly values: { readonly [name: string]: Json };
  /** Where it was raised, `line:column`. */
  readonly source: string;
  readonly heard: readonly { readonly state: string; readonly source: string; readonly led?: true }[];
}

/** A value that was kept at its bound. For people; not compared. */
export interface LineClamp {
  readonly source: string;
  readonly wanted: number;
  readonly kept: number;
}

/** A note to everyone is its text; a note to one seat says to whom. */
export type LineNote = string | { readonly to: string; readonly text: string };

export interface LineInput {
  readonly kind: "begin" | "action" | "event" | "join" | "leave" | "timer";
  readonly seat?: string;
  readonly action?: string;
  readonly event?: string;
  readonly timer?: string;
  readonly args?: { readonly [name: string]: Json };
  /** Rolls that were set by hand; null for one left to chance. */
  readonly dice?: readonly (number | boolean | null)[];
}

export interface StepLine {
  readonly step: number;
  /** The match's time, RFC 3339 in UTC. */
  readonly time: string;
  readonly input: LineInput;
  readonly dice: readonly LineRoll[];
  /** Active states after the step, outer first. */
  readonly states: readonly string[];
  readonly notes: readonly LineNote[];
  readonly changes: readonly Change[];
  /** Left out when there are none. */
  readonly signals?: readonly LineSignal[];
  readonly clamped?: readonly LineClamp[];
  readonly digest?: string;
}

/** Something that was asked for and refused: it changed nothing. Written on request, behind the step it came after. */
export interface RefusedLine {
  /** What was asked for: an action, an event, a seat that is taken or left. */
  readonly refused: LineInput;
  /** The number of the last step before it. */
  readonly after: number;
  /** The match's time, RFC 3339 in UTC. */
  readonly time: string;
  /** Why, as a code and in words. */
  readonly code: string;
  readonly words: string;
}

export interface ClosingLine {
  readonly end: true;
  readonly steps: number;
  /** What every seat has; null for a match that was not over when it was written. */
  readonly result: Outcome | null;
  /** Digest of the last situation. */
  readonly digest: string;
  /** SHA-256 of all bytes before this line. */
  readonly file: string;
}

/** A time as lines carry it. */
export function timeText(milliseconds: number): string {
  if (milliseconds !== lastTime) {
    lastText = new Date(milliseconds).toISOString();
    lastTime = milliseconds;
  }
  return lastText;
}

/** The time of a line, in milliseconds since 1970 UTC; NaN for what is none. */
export function timeFrom(text: string): number {
  return text === lastText ? lastTime : Date.parse(text);
}

/** The time that was written last: many steps are taken at the same. */
let lastTime = Number.NaN;
let lastText = "";
