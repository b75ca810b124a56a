/**
 * Holds the rules of the house about who may import whom (ARCHITECTURE.md), and the house's picture there against
 * the imports it measures.
 */

import { cruise } from "dependency-cruiser";
import rules from "./import-rules.mjs";

const { output } = await cruise(["packages"], {
  ruleSet: rules,
  validate: true,
  doNotFollow: { path: "node_modules" },
  exclude: { path: "(node_modules|dist|\\.test\\.)" },
  tsPreCompilationDeps: true,
  enhancedResolveOptions: {
    conditionNames: ["@zany/source", "import", "default"],
    exportsFields: ["exports"],
    extensions: [".ts", ".tsx", ".js", ".mjs", ".json"],
  },
});
const { summary, modules } = output;
const seen = modules.filter((m) => m.source.startsWith("packages/")).length;
if (seen < 50) {
  console.error(`Only ${seen} modules were looked at; the check itself is broken.`);
  process.exit(1);
}
for (const { rule, from, to } of summary.violations) console.error(`${rule.name}: ${from} -> ${to}`);
const circles = summary.violations.filter(({ rule }) => rule.name === "no-circles").length;
const against = summary.violations.length - circles;
console.log(`${seen} modules, ${circles} imports in circles (types counted), ${against} against the rules`);
process.exit(summary.violations.length > 0 ? 1 : 0);
