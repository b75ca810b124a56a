/** `zany serve`: the service and its console. */

import { existsSync } from "node:fs";
import { join } from "node:path";
import { UsedWrongly } from "../files.js";
import { serviceModule } from "./doctor.js";
import { say } from "../terminal.js";

export async function serve(options: {
  readonly port: number;
  readonly host: string;
  readonly data: string;
  readonly demo?: boolean;
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
      host: options.host,
      data: options.data,
      logLevel: options.logLevel,
      console: join(here, "../console"),
      ...(options.demo && { demo: examples }),
    });
    say(`Zany Compass is at ${service.address}`);
    await stopped;
    await service.close();
    return 0;
  } catch (error) {
    if (error instanceof CannotStart) throw new UsedWrongly(error.message);
    throw error;
  }
}
