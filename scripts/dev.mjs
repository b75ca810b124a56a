/**
 * `npm run dev`: the service and its console, reloaded on save. Pages come from Vite, which hands `/api` on to the
 * service; the service and `zany` are bundled anew and started again when their sources change. Everything is kept in
 * the folder `.zany-dev`, with the demo data in it.
 */

import { spawn } from "node:child_process";
import { context } from "esbuild";
import { createServer } from "vite";
import { CLI, SERVICE } from "./build.mjs";

const PORT = Number(process.env.PORT ?? 4747);
const SERVICE_PORT = PORT + 1;
/** Several bundles are written after one save; the service is started again once. */
const SETTLE = 100;

let service;
let waiting;
/** Bundles that are being made now. */
let building = 0;

function restart() {
  clearTimeout(waiting);
  waiting = setTimeout(() => {
    const start = () => {
      const args = ["dist/cli/zany.cjs", "serve", "--port", String(SERVICE_PORT), "--data", ".zany-dev", "--demo"];
      service = spawn(process.execPath, args, { stdio: ["ignore", "ignore", "inherit"] });
      console.error("service started");
    };
    if (service && service.exitCode === null) service.once("exit", start).kill();
    else start();
  }, SETTLE);
}

const restarting = {
  name: "restart",
  setup: (builder) => {
    builder.onStart(() => void building++);
    builder.onEnd(({ errors }) => {
      building--;
      if (errors.length === 0 && building === 0) restart();
    });
  },
};
const bundles = await Promise.all(
  [...SERVICE, ...CLI].map((options) => context({ ...options, plugins: [...(options.plugins ?? []), restarting] })),
);
await Promise.all(bundles.map((bundle) => bundle.watch()));

const pages = await createServer({
  configFile: "packages/console/vite.config.ts",
  server: {
    port: PORT,
    strictPort: true,
    proxy: Object.fromEntries(["/api", "/healthz"].map((path) => [path, `http://127.0.0.1:${SERVICE_PORT}`])),
  },
});
await pages.listen();
console.log(`Zany Compass is at http://127.0.0.1:${PORT}, reloaded on save. Ctrl-C stops it.`);

for (const signal of ["SIGINT", "SIGTERM"])
  process.once(signal, async () => {
    service?.kill();
    await pages.close();
    process.exit(0);
  });
