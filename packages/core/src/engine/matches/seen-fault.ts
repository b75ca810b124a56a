/** A fault as it may be told. */

import type { FaultReport } from "../situation/situation.js";
import { SECRET_FAULT } from "./options.js";
import { engineOf, type Runnable } from "./runnable.js";

/**
 * The words of a fault for whoever asks; of one that comes from a secret, nothing but that there is one.
 *
 * @param own true for the seat whose action it was, which knows its own secrets
 * @returns the fault, or one without words and place of its own
 */
export function seenFault(
  runnable: Runnable,
  fault: FaultReport,
  own: boolean,
): FaultReport | { readonly words: string; readonly code?: undefined; readonly position?: undefined } {
  const audience = engineOf(runnable).secrecy.at(fault.position);
  return audience === "all" || (audience === "actor" && own) ? fault : { words: SECRET_FAULT };
}
