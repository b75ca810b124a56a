/** A game's own log judged by a machine, with a mapping that says what its rows mean; and a first mapping for a log. */

import { existsSync, statSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import {
  bookOf,
  compileMap,
  type Finding,
  judge,
  type Judgement,
  machineFileOf,
  type MapCompilation,
  renderMessage,
  rowsOf,
  sampleMap,
  UnreadableLog,
} from "@zany/core";
import { findPartOf, needFolder, readText, runnableFile, UsedWrongly, writeText } from "../files.js";
import { type Case, writeJunit } from "../junit.js";
import { columns, complain, count, pad, say, sayJson, style, wrap } from "../terminal.js";

interface JudgeOptions {
  readonly map: string;
  readonly machine?: string | undefined;
  readonly book?: string;
  readonly digestEvery?: number;
  readonly json?: boolean;
  readonly junit?: string;
}

/** One match of a log, or why the log cannot be read. */
type Judged = { readonly file: string } & (
  | { readonly judgement: Judgement }
  | { readonly unreadable: { readonly line: number; readonly words: string } }
);

/** A mapping with its machine, by the machine's file that is named or that it names itself. */
export function mapFile(path: string, machine?: string): MapCompilation & { readonly machine: string } {
  const text = readText(path);
  const named = machineFileOf(text);
  const file = machine ?? (named === undefined ? undefined : join(dirname(path), named));
  if (file === undefined)
    throw new UsedWrongly(
      `"${path}" does not name its machine. Write below its first line: machine "FILE.zany", or give --machine FILE.`,
    );
  return { ...compileMap({ text, name: path }, { text: readText(file), name: file }, findPartOf(file)), machine: file };
}

/** `zany verify LOG --map FILE` */
export async function judgeLogs(logs: readonly string[], options: JudgeOptions): Promise<number> {
  if (options.junit !== undefined) needFolder(options.junit);
  if (options.book !== undefined) needFolder(options.book);
  const { map, runnable, messages, sources, machine } = mapFile(options.map, options.machine);
  if (!map || !runnable) {
    for (const message of messages) complain(`${renderMessage(sources, message)}\n`);
    complain(`zany: "${options.map}" does not compile, so it cannot judge.`);
    return 1;
  }
  const judged = logs.flatMap((file): Judged[] => {
    const text = readText(file);
    try {
      return judge(runnable, map, rowsOf(map, text)).map((judgement) => ({ file, judgement }));
    } catch (error) {
      if (!(error instanceof UnreadableLog)) throw error;
      return [{ file, unreadable: { line: error.line, words: error.message } }];
    }
  });
  if (judged.length === 0) throw new UsedWrongly("There is no row in these logs.");
  const bad = judged.filter((each) => "unreadable" in each || each.judgement.finding !== undefined);
  if (options.book !== undefined) writeBooks(options.book, machine, judged, options.digestEvery);
  if (options.junit !== undefined)
    writeJunit(options.junit, "verify", [{ name: options.map, cases: judged.map(caseOf) }]);
  if (options.json) sayJson(judged.map(jsonOf));
  else {
    for (const each of judged) tell(each);
    tellNotCovered(judged);
    say(`${count(judged.length - bad.length, "match", "matches")} explained, ${bad.length} not`);
  }
  return bad.length > 0 ? 1 : 0;
}

/** `zany map --sample LOG --machine FILE` */
export async function map(options: {
  readonly sample: string;
  readonly machine: string;
  readonly out?: string;
}): Promise<number> {
  if (options.out !== undefined) needFolder(options.out);
  const runnable = runnableFile(options.machine);
  if (!runnable) return 1;
  const folder = options.out === undefined ? "." : dirname(options.out);
  const file = relative(folder, options.machine).replaceAll("\\", "/");
  try {
    const text = sampleMap(runnable.machine, file, readText(options.sample));
    if (options.out === undefined) process.stdout.write(text);
    else writeText(options.out, text);
    return 0;
  } catch (error) {
    if (error instanceof UnreadableLog)
      throw new UsedWrongly(`"${options.sample}", line ${error.line}: ${error.message}`);
    throw error;
  }
}

/** Writes the matches as logbooks: one into the file, several into the folder. */
function writeBooks(out: string, machine: string, judged: readonly Judged[], digestEvery: number | undefined): void {
  const runnable = runnableFile(machine);
  if (!runnable) return;
  const matches = judged.flatMap((each) => ("judgement" in each ? [each] : []));
  const folder = existsSync(out) && statSync(out).isDirectory();
  if (matches.length > 1 && !folder)
    throw new UsedWrongly(`There are ${matches.length} matches, so --book names a folder that is there.`);
  for (const [i, { judgement }] of matches.entries()) {
    const text = bookOf(runnable, judgement, digestEvery);
    if (text === undefined) continue;
    const name = judgement.match === "" ? String(i + 1) : judgement.match.replace(/[^A-Za-z0-9_-]+/g, "-");
    writeText(folder ? join(out, `${name}.jsonl`) : out, text);
  }
}

// ---- telling ----------------------------------------------------------------------------------------

function jsonOf(each: Judged): unknown {
  if ("unreadable" in each) return each;
  const { course: _, ...judgement } = each.judgement;
  return { file: each.file, ...judgement };
}

function nameOf({ file, judgement: { match } }: { readonly file: string; readonly judgement: Judgement }): string {
  return match === "" ? file : `${file} (${match})`;
}

function tell(each: Judged): void {
  if ("unreadable" in each) {
    say(`${style("red", pad("unreadable", 10))} ${each.file}  line ${each.unreadable.line}: ${each.unreadable.words}`);
    return;
  }
  const { finding, rows, steps, skipped, ending, unfinished, ways } = each.judgement;
  if (!finding) {
    const more = [
      ...(skipped > 0 ? [`${skipped} skipped`] : []),
      ...(ways > 1 ? [`${ways} ways explain it`] : []),
      ...(unfinished ? [`not judged behind row ${unfinished.row}: ${unfinished.state} is not written yet`] : []),
    ];
    const to = ending === undefined ? "" : ` to ${ending}`;
    say(
      `${style("green", pad("explained", 10))} ${nameOf(each)}  ${count(rows, "row")}, ${count(steps, "step")}${to}` +
        `${more.length > 0 ? style("dim", `; ${more.join("; ")}`) : ""}`,
    );
    return;
  }
  const { row, line, inside = "", did, words, why, text, mapped, source } = finding;
  const onLine = line === row ? "" : ` (line ${line})`;
  say(
    `${style("red", pad("diverged", 10))} ${nameOf(each)} row ` +
      `${row}${onLine}${inside === "" ? "" : ` ${inside}`}${did === "" ? "" : `: ${style("bold", did)}`}`,
  );
  say(`           ${words}`);
  for (const each of why)
    for (const part of wrap(`           ${each}`, columns(), " ".repeat(18))) say(style("dim", part));
  say(style("dim", `           row: ${text}`));
  const places = [
    ...(source === undefined ? [] : [`machine ${source}`]),
    ...(mapped === undefined ? [] : [`map ${mapped}`]),
  ];
  if (places.length > 0) say(style("dim", `           at ${places.join(", ")}`));
}

/** What none of the logs was compared with. */
function tellNotCovered(judged: readonly Judged[]): void {
  const lists = judged.flatMap((each) => ("judgement" in each ? [each.judgement.notCovered] : []));
  const [first = [], ...others] = lists;
  const never = first.filter((path) => others.every((list) => list.includes(path)));
  if (never.length > 0)
    say(style("dim", `not covered by the ${judged.length > 1 ? "logs" : "log"}: ${never.join(", ")}`));
}

function caseOf(each: Judged): Case {
  if ("unreadable" in each)
    return {
      name: each.file,
      file: each.file,
      line: each.unreadable.line,
      failure: { headline: each.unreadable.words, text: each.unreadable.words },
    };
  const { finding } = each.judgement;
  if (!finding) return { name: nameOf(each), file: each.file };
  return { name: nameOf(each), file: each.file, line: finding.line, failure: failureOf(finding) };
}

function failureOf({ row, did, words, why, text }: Finding): NonNullable<Case["failure"]> {
  const headline = `row ${row}${did === "" ? "" : `: ${did}`}: ${words}`;
  return { headline, text: [headline, ...why, text].join("\n") };
}
