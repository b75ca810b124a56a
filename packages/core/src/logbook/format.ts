/** The lines of a logbook. The format is described, with a worked example, in docs/logbook.md. */

import type { Override } from "../engine/pointer.js";
import type { Outcome } from "../engine/situation.js";
import type { Change } from "../engine/situation-json.js";
import type { Json } from "../engine/values.js";

/** The version of the format that is written. */
export const LOGBOOK_FORMAT = 1;

/** A situation's digest stands in every step whose number is a multiple of this, the first included. */
export const DIGEST_EVERY = 256;

export interface Header {
  readonly zany: "logbook";
  readonly format: number;
  readonly machine: string;
  /** SHA-256 of the machine's text. */
  readonly hash: string;
  readonly seed: string;
  readonly seats: readonly string[];
  /** Seats that nobody had taken when the match began. */
  readonly open?: readonly string[];
  readonly overrides: readonly Override[];
  readonly at?: { readonly state: string; readonly args?: { readonly [name: string]: unknown } };
  /** When the match began, RFC 3339 in UTC. */
  readonly begun: string;
}

export interface LineDraw {
  /** Where the draw stands in the machine's text, `line:column`. Not compared. */
  readonly at: string;
  readonly stream?: string;
  readonly range: string;
  readonly value: number | boolean;
}

/** A signal that was delivered in a step, and who acted on it. For people; not compared. */
export interface LineSignal {
  readonly signal: string;
  readonly values: { readonly [name: string]: Json };
  /** Where it was raised, `line:column`. */
  readonly at: string;
  readonly heard: readonly { readonly state: string; readonly at: string; readonly led?: true }[];
}

/** A bounded value that was stopped at its bound. For people; not compared. */
export interface LineStop {
  readonly at: string;
  readonly wanted: number;
  readonly kept: number;
}

/** A note to everyone is its text; a note to one seat says to whom. */
export type LineNote = string | { readonly to: string; readonly text: string };

export interface LineInput {
  readonly kind: "begin" | "act" | "report" | "join" | "leave" | "timer";
  readonly seat?: string;
  readonly action?: string;
  readonly report?: string;
  readonly timer?: string;
  readonly args?: { readonly [name: string]: Json };
  /** Draws that were set by hand. */
  readonly dice?: readonly (number | boolean)[];
}

export interface StepLine {
  readonly step: number;
  /** The match's time, RFC 3339 in UTC. */
  readonly at: string;
  readonly input: LineInput;
  readonly draws: readonly LineDraw[];
  /** Active states after the step, outer first. */
  readonly places: readonly string[];
  readonly notes: readonly LineNote[];
  readonly changes: readonly Change[];
  /** Left out when there are none. */
  readonly signals?: readonly LineSignal[];
  readonly stops?: readonly LineStop[];
  readonly digest?: string;
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
  return new Date(milliseconds).toISOString();
}
