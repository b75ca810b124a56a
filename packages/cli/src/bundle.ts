/** Loading what stands beside the command as a bundle of its own. */

import { createRequire } from "node:module";

/**
 * Loads a bundle by its file. With `require`: an `import` would look through all of its text for names first, which
 * takes as long as a small check.
 */
export function bundle<T>(file: string): T {
  return createRequire(__filename)(file) as T;
}
