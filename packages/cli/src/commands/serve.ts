/** `zany serve`: the service and its console. */

import { existsSync } from "node:fs";
import { join } from "node:path";
import { UsedWrongly } from "../files.js";
import type { Service } from "@zany/service";
import { renderUnicodeCompact } from "uqr";
import { serviceModule } from "./service-module.js";
import { say, style } from "../terminal.js";

/** Every address of this computer. */
const EVERYWHERE = "0.0.0.0";

export async function serve(options: {
  readonly port: number;
  readonly host: string;
  readonly data: string;
  readonly demo?: boolean;
  readonly network?: boolean;
  readonly guests?: boolean;
  readonly recordRefusals?: boolean;
  readonly url: readonly string[];
  readonly hookHost: readonly string[];
  readonly origin: readonly string[];
  readonly proxy?: boolean;
  readonly name?: string;
  readonly idleLimit: number;
  readonly keepFinished?: number;
  readonly logLevel: string;
}): Promise<number> {
  // This bundle is CommonJS, in a folder beside those of the service and the console.
  const here = __dirname;
  const { startService, CannotStart } = await serviceModule();
  const examples = join(here, "../../examples");
  if (options.demo && !existsSync(examples))
    throw new UsedWrongly("The examples are not beside this program, so there is no demo to load.");
  // Where nothing more can be printed (a file on a full disk, a closed terminal), the service still goes on.
  for (const stream of [process.stdout, process.stderr]) stream.removeAllListeners("error").on("error", () => {});
  // Whoever reads that it is up may stop it at once.
  const stopped = new Promise<void>((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM"] as const) process.once(signal, () => resolve());
  });
  try {
    const service = await startService({
      port: options.port,
      host: options.network ? EVERYWHERE : options.host,
      data: options.data,
      logLevel: options.logLevel,
      console: join(here, "../console"),
      urls: options.url,
      hookHosts: options.hookHost,
      patience: {
        idle: options.idleLimit,
        ...(options.keepFinished !== undefined && { finished: options.keepFinished }),
      },
      origins: options.origin,
      ...(options.name !== undefined && { name: options.name }),
      ...(options.demo && { demo: examples }),
      ...(options.network && { makeAdmin: true }),
      ...(options.guests && { guests: true }),
      ...(options.recordRefusals && { keepsRefusals: true }),
      ...(options.proxy && { proxy: true }),
    });
    say(`Zany Compass is at ${service.address}`);
    if (options.network) sayNetwork(service);
    await stopped;
    await service.close();
    return 0;
  } catch (error) {
    if (error instanceof CannotStart) throw new UsedWrongly(error.message);
    throw error;
  }
}

/** Says how others in the network get here, and the admin's key when it was made just now. */
function sayNetwork({ addresses, adminKey }: Service): void {
  for (const address of addresses) say(`In the network: ${style("bold", address)}`);
  const [first] = addresses;
  if (first !== undefined) say(renderUnicodeCompact(first));
  else say("This computer is in no network now.");
  if (adminKey !== undefined) say(`The admin's key, told this once: ${adminKey}`);
}

/** Makes a key for the admin of a data folder. */
export function admin({ data }: { readonly data: string }): Promise<number> {
  return onFolder(async ({ addAdmin }) => {
    say(`A key for the admin of ${data}, told this once: ${await addAdmin(data)}`);
  });
}

export function backup({ data, out }: { readonly data: string; readonly out: string }): Promise<number> {
  return onFolder(({ backup: copy }) => {
    copy(data, out);
    say(`All of ${data} is in ${out}.`);
  });
}

export function restore(file: string, { data }: { readonly data: string }): Promise<number> {
  return onFolder(async ({ restore: copyBack }) => {
    await copyBack(file, data);
    say(`${data} holds what ${file} does. Serve it with: zany serve --data ${data}`);
  });
}

/** Does something with a data folder; what keeps it from that is told in words. */
async function onFolder(work: (of: Awaited<ReturnType<typeof serviceModule>>) => unknown): Promise<number> {
  const module = await serviceModule();
  try {
    await work(module);
    return 0;
  } catch (error) {
    if (error instanceof module.CannotStart) throw new UsedWrongly(error.message);
    throw error;
  }
}
