/**
 * Builds what runs: the service (ES module), the command line (CommonJS), the console (pages). Types are checked
 * elsewhere.
 */

import { build } from "esbuild";

const shared = {
  bundle: true,
  platform: "node",
  target: "node20",
  conditions: ["@zany/source"],
  logLevel: "warning",
  legalComments: "none",
};

/** Packages stay in node_modules; only the project's own code is bundled. */
const packagesOutside = {
  name: "packages-outside",
  setup(builder) {
    builder.onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === "entry-point" || path.startsWith("@zany/") ? undefined : { path, external: true },
    );
  },
};

export async function buildService() {
  await build({
    ...shared,
    entryPoints: ["packages/service/src/index.ts"],
    outfile: "dist/service/service.mjs",
    format: "esm",
    sourcemap: true,
    plugins: [packagesOutside],
  });
}

export async function buildCli() {
  const cli = { ...shared, format: "cjs", minify: true };
  await Promise.all([
    build({
      ...cli,
      entryPoints: ["packages/cli/src/zany.ts"],
      outfile: "dist/cli/zany.cjs",
      external: ["./work.cjs"],
      banner: { js: "#!/usr/bin/env node" },
    }),
    build({
      ...cli,
      entryPoints: ["packages/cli/src/commands/index.ts"],
      outfile: "dist/cli/work.cjs",
      external: ["./layout.cjs"],
    }),
    build({ ...cli, entryPoints: ["packages/cli/src/layout.ts"], outfile: "dist/cli/layout.cjs" }),
    build({ ...cli, entryPoints: ["packages/cli/src/lsp.ts"], outfile: "dist/cli/lsp.cjs" }),
    build({ ...cli, entryPoints: ["packages/cli/src/simulate-worker.ts"], outfile: "dist/cli/simulate-worker.cjs" }),
  ]);
}

export async function buildConsole() {
  const { build: buildPages } = await import("vite");
  await buildPages({ configFile: "packages/console/vite.config.ts", logLevel: "warn" });
}
