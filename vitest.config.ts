import { defineConfig } from "vitest/config";

export default defineConfig({
  ssr: { resolve: { conditions: ["@zany/source", "node"] } },
  test: {
    include: ["packages/*/test/**/*.test.ts"],
    reporters: ["default", "./scripts/closing-line.ts"],
    testTimeout: 60_000,
    hookTimeout: 60_000,
    maxWorkers: 2,
  },
});
