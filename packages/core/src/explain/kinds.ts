/** Every kind of message there is, by its stable name. */

import type { Kind } from "./kind.js";
import { NAMES } from "./names.js";
import { STATES } from "./states.js";
import { TURNS } from "./turns.js";
import { USES } from "./uses.js";
import { VALUES } from "./values.js";
import { WRITING } from "./writing.js";

export const KINDS: ReadonlyMap<string, Kind> = new Map(
  [...WRITING, ...NAMES, ...STATES, ...TURNS, ...VALUES, ...USES].map((kind) => [kind.name, kind]),
);
