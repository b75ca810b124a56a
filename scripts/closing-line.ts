/** Ends a test run with one plain line: `N passed, N failed`. */

import type { Reporter, TestModule } from "vitest/node";

export default class ClosingLine implements Reporter {
  onTestRunEnd(modules: readonly TestModule[], errors: readonly unknown[]): void {
    let passed = 0;
    let failed = errors.length;
    for (const module of modules) {
      if (module.state() === "failed" && [...module.children.allTests("failed")].length === 0) failed++;
      for (const test of module.children.allTests()) {
        if (test.result().state === "passed") passed++;
        else if (test.result().state === "failed") failed++;
      }
    }
    process.once("exit", () => process.stdout.write(`${passed} passed, ${failed} failed\n`));
  }
}
