import { readdirSync } from "node:fs";
import { defineConfig } from "vitest/config";

/** The tests of the packages that are called through their bundles or pages. */
const OF_BUILDS = ["cli", "service", "console"].flatMap((name) =>
  readdirSync(`${import.meta.dirname}/packages/${name}/test`)
    .filter((file) => file.endsWith(".test.ts"))
    .map((file) => `packages/${name}/test/${file}`),
);

export default defineConfig({
  ssr: { resolve: { conditions: ["@zany/source", "node"] } },
  test: {
    include: ["packages/*/test/**/*.test.ts"],
    globalSetup: "./scripts/build-first.ts",
    reporters: ["default", "./scripts/closing-line.ts"],
    testTimeout: 300_000,
    hookTimeout: 300_000,
    // What is waited for comes when the machine has time for it.
    expect: { poll: { timeout: 60_000 } },
    maxWorkers: 2,
    // These import little of what they test, so a change of it has to be told to them.
    watchTriggerPatterns: [
      { pattern: /packages\/(core|client|cli|service|console)\/src\/.*\.(ts|tsx|css)$/, testsToRun: () => OF_BUILDS },
    ],
  },
});
