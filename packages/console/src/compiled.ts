/** Stored machines as this page reads them. Whatever imports it loads the language and the checker. */

import type { StoredMachine } from "@zany/client";
import { type Compilation, compile } from "@zany/core";

/** Compiles a stored machine with the files it includes. */
export function compileStored({ text, parts }: StoredMachine): Compilation {
  return compile(text, undefined, (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined), {
    errorsOnly: true,
  });
}
