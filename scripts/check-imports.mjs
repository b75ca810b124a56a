/**
 * Holds the rules of the house about who may import whom (ARCHITECTURE.md), and the house's picture there against
 * the imports it measures.
 */

import { readFileSync } from "node:fs";
import { cruise } from "dependency-cruiser";
import rules, { CORE_ROOMS } from "./import-rules.mjs";

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

// Nothing can be said of the picture while imports go round.
if (circles > 0) process.exit(1);

// ---- the picture -------------------------------------------------------------------------------

/** The room a file stands in, as the picture names it; what the core exports, as a whole and by room, counts as one. */
function roomOf(file) {
  const inCore = /^packages\/core\/src\/(.+)$/.exec(file)?.[1];
  if (inCore) {
    const room = CORE_ROOMS.find((name) => inCore === name || inCore.startsWith(`${name}/`));
    return room ?? "index.ts";
  }
  return /^packages\/(service|client|cli|console)\/src\//.exec(file)?.[1];
}

const uses = new Map();
for (const { source, dependencies } of modules) {
  const from = roomOf(source);
  if (from === undefined) continue;
  const used = uses.get(from) ?? uses.set(from, new Set()).get(from);
  for (const { resolved } of dependencies) {
    const to = roomOf(resolved);
    if (to !== undefined && to !== from) used.add(to);
  }
}
const reaches = (from, to) => uses.get(from).has(to) || [...uses.get(from)].some((via) => reaches(via, to));
/** What follows from other arrows is left out of the picture. */
const measured = [...uses].flatMap(([from, used]) =>
  [...used].filter((to) => ![...used].some((via) => via !== to && reaches(via, to))).map((to) => `${from} --> ${to}`),
);
const [, picture = ""] = /```mermaid\n([\s\S]*?)```/.exec(readFileSync("ARCHITECTURE.md", "utf8")) ?? [];
const names = new Map(
  [...picture.matchAll(/(\w+)\["([^"]+)"\]/g)].map(([, id, label]) => [id, label.split("<br>")[0]]),
);
const drawn = [...picture.matchAll(/^\s*(\w+) --> (\w+)\s*$/gm)].map(
  ([, from, to]) => `${names.get(from) ?? from} --> ${names.get(to) ?? to}`,
);
const missing = measured.filter((arrow) => !drawn.includes(arrow));
const wrong = drawn.filter((arrow) => !measured.includes(arrow));
for (const arrow of missing) console.error(`The picture in ARCHITECTURE.md lacks: ${arrow}`);
for (const arrow of wrong) console.error(`The picture in ARCHITECTURE.md draws what is not so: ${arrow}`);
process.exit(summary.violations.length + missing.length + wrong.length > 0 ? 1 : 0);
