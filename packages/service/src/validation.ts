/** Checks what comes in over HTTP, with Joi, before anything else sees it. */

import type { Arguments } from "@zany/core";
import Joi from "joi";
import { Problem } from "./problems.js";

const NAME = Joi.string()
  .pattern(/^[A-Za-z_][A-Za-z0-9_]*$/, "a name")
  .max(200);
const JSON_VALUE = Joi.any();
const ARGUMENTS = Joi.object().pattern(NAME, JSON_VALUE).default({});
const REQUEST = Joi.string().min(1).max(100);

export const newMachine = Joi.object<{ text: string; parts: Readonly<Record<string, string>> }>({
  text: Joi.string().max(2_000_000).required(),
  parts: Joi.object().pattern(Joi.string().max(500), Joi.string().max(2_000_000).allow("")).max(100).default({}),
}).required();

export interface NewMatch {
  readonly machine: string;
  readonly seed?: string;
  readonly seats?: number;
  /** Seats that are left open for somebody to take. */
  readonly open?: readonly string[];
  /** A state to begin in instead of the start. */
  readonly at?: { readonly state: string; readonly args?: Arguments };
  /** Bots, by seat. */
  readonly bots?: Readonly<Record<string, string>>;
  /** The clock stands still but for requests to move it. */
  readonly hand?: boolean;
  readonly overrides?: readonly { readonly path: string; readonly value: unknown }[];
}

export const newMatch = Joi.object<NewMatch>({
  machine: Joi.string().max(300).required(),
  seed: Joi.string().min(1).max(200),
  seats: Joi.number().integer().min(1).max(30),
  open: Joi.array().items(NAME).max(30),
  at: Joi.object({ state: NAME.required(), args: ARGUMENTS }),
  bots: Joi.object().pattern(NAME, NAME).max(30),
  hand: Joi.boolean(),
  overrides: Joi.array()
    .items(
      Joi.object({
        path: Joi.string().pattern(/^\//, "a JSON Pointer").max(1000).required(),
        value: JSON_VALUE.required(),
      }),
    )
    .max(1000),
}).required();

export interface Act {
  readonly action: string;
  readonly args: Arguments;
  readonly step: number;
  readonly request?: string;
}

export const act = Joi.object<Act>({
  action: NAME.required(),
  args: ARGUMENTS,
  step: Joi.number().integer().min(0).required(),
  request: REQUEST,
}).required();

export interface Report {
  readonly report: string;
  readonly args: Arguments;
  readonly request?: string;
}

export const report = Joi.object<Report>({ report: NAME.required(), args: ARGUMENTS, request: REQUEST }).required();

/** How far the clock moves: `by` milliseconds, or to the next timer. */
export const moveClock = Joi.object<{ by?: number }>({
  by: Joi.number()
    .integer()
    .min(1)
    .max(366 * 86_400_000),
}).default({});

export const setBot = Joi.object<{ bot: string | null }>({ bot: NAME.allow(null).required() }).required();

export interface Choose {
  readonly action: string;
  readonly args: Arguments;
}

export const choose = Joi.object<Choose>({ action: NAME.required(), args: ARGUMENTS }).required();

export const verifyLogbook = Joi.object<{ machine?: string }>({ machine: Joi.string().max(300) }).default({});

export const streamQuery = Joi.object<{ from?: number }>({ from: Joi.number().integer().min(0) });

export const listQuery = Joi.object<{ limit: number; machine?: string }>({
  limit: Joi.number().integer().min(1).max(500).default(100),
  machine: Joi.string().max(300),
});

/**
 * The value as the schema reads it.
 *
 * @throws Problem 400 with every complaint at once
 */
export function valid<T>(schema: Joi.ObjectSchema<T>, value: unknown): T {
  const result = schema.validate(value, { abortEarly: false, convert: true, errors: { wrap: { label: '"' } } });
  if (result.error)
    throw new Problem(400, "badRequest", result.error.details.map((d) => d.message).join("; "), {
      complaints: result.error.details.map((d) => ({ path: d.path.join("/"), words: d.message })),
    });
  return result.value as T;
}
