/** The service, for the commands that run it or its checks. */

import { join } from "node:path";
import { pathToFileURL } from "node:url";
import type * as ServiceModule from "@zany/service";

let load: (address: string) => Promise<unknown>;

/** Says how modules are loaded: a bundle that runs from what was compiled before cannot do that itself. */
export function loadModulesBy(how: (address: string) => Promise<unknown>): void {
  load = how;
}

/** The service, which lies beside this bundle in a folder of its own. */
export async function serviceModule(): Promise<typeof ServiceModule> {
  return (await load(pathToFileURL(join(__dirname, "../service/service.mjs")).href)) as typeof ServiceModule;
}
