/** A stored machine as a diagram. Whatever imports it loads the language and the checker. */

import type { StoredMachine } from "@zany/client";
import { type Diagram, diagramOf } from "@zany/core";
import { compileStored } from "./compiled.js";

export function drawnOf(stored: StoredMachine): Diagram {
  return diagramOf(compileStored(stored).machine);
}
