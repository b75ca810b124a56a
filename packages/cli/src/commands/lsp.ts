/** `zany lsp`: the language server. It is a bundle of its own, as nothing else needs the protocol. */

import { createRequire } from "node:module";
import { join } from "node:path";

/** Speaks the protocol until the editor closes the connection. */
export async function lsp(): Promise<number> {
  createRequire(__filename)(join(__dirname, "lsp.cjs"));
  return new Promise(() => {});
}
