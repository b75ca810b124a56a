/** Builds what is stale before tests run, and again before they run anew: no test meets an old build. */

import { execFileSync } from "node:child_process";
import type { TestProject } from "vitest/node";

/** In a process of its own, as users build: the tests' environment would make pages for developing. */
function build(): void {
  const { NODE_ENV: _, VITEST: _vitest, ...env } = process.env;
  execFileSync(process.execPath, ["scripts/run.mjs", "build"], { stdio: ["ignore", "inherit", "inherit"], env });
}

export default function setup(project: TestProject): void {
  build();
  project.onTestsRerun(async () => build());
}
