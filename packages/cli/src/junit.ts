/** Results as a JUnit XML report, which most services that build and test software read. */

import { writeText } from "./files.js";

/** One thing that was looked at. */
export interface Case {
  readonly name: string;
  readonly file: string;
  readonly line?: number;
  /** What is wrong: a headline, and all there is to say. */
  readonly failure?: { readonly headline: string; readonly text: string };
}

/** All cases of one file. */
export interface Suite {
  readonly name: string;
  readonly cases: readonly Case[];
}

/** Writes a report. Times are left out: results are the same however long they took. */
export function writeJunit(path: string, tool: string, suites: readonly Suite[]): void {
  const failed = (cases: readonly Case[]): number => cases.filter((c) => c.failure).length;
  const all = suites.flatMap((suite) => suite.cases);
  const lines = [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<testsuites name="${escaped(`zany ${tool}`)}" tests="${all.length}" failures="${failed(all)}">`,
    ...suites.flatMap(({ name, cases }) => [
      `  <testsuite name="${escaped(name)}" tests="${cases.length}" failures="${failed(cases)}">`,
      ...cases.flatMap(caseLines),
      "  </testsuite>",
    ]),
    "</testsuites>",
  ];
  writeText(path, `${lines.join("\n")}\n`);
}

function caseLines({ name, file, line, failure }: Case): string[] {
  const at = line === undefined ? "" : ` line="${line}"`;
  const open = `    <testcase name="${escaped(name)}" classname="${escaped(file)}" file="${escaped(file)}"${at}`;
  if (!failure) return [`${open}/>`];
  return [
    `${open}>`,
    `      <failure message="${escaped(failure.headline)}">${escaped(failure.text)}</failure>`,
    "    </testcase>",
  ];
}

/** Text as XML has it; what XML 1.0 cannot hold is left out. */
function escaped(text: string): string {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: these are the characters that XML forbids
  const allowed = text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, "");
  const names: Readonly<Record<string, string>> = {
    "&": "&amp;",
    "<": "&lt;",
    ">": "&gt;",
    '"': "&quot;",
    "\n": "&#10;",
  };
  return allowed.replace(/[&<>"\n]/g, (c) => names[c] as string);
}
