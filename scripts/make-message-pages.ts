/** Writes docs/messages: a page for every kind of message, and their index. */

import { mkdirSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { KINDS, MISTAKES, pageOf } from "@zany/core";

const folder = "docs/messages";
mkdirSync(folder, { recursive: true });
for (const file of readdirSync(folder)) rmSync(`${folder}/${file}`);
for (const kind of KINDS.values()) writeFileSync(`${folder}/${kind.name}.md`, pageOf(kind));
const lines = [...KINDS.values()]
  .sort((a, b) => (a.name < b.name ? -1 : 1))
  .map((kind) => `| [${kind.name}](${kind.name}.md) | ${kind.severity} | ${kind.title.replaceAll("|", "\\|")} |`);
writeFileSync(
  `${folder}/README.md`,
  `# Messages

Every kind of message has a stable name and a page with the smallest file that triggers it and the same file
fixed. \`zany explain NAME\` shows the page. A warning that is right but meant is accepted on the line above its place:
\`accept NAME "reason"\`.

| name | severity | what it says |
|---|---|---|
${lines.join("\n")}

## By mistake

| what people get wrong | what tells them |
|---|---|
${MISTAKES.map(([mistake, kinds]) => `| ${mistake} | ${kinds.map((name) => `[${name}](${name}.md)`).join(", ")} |`).join("\n")}
`,
);
