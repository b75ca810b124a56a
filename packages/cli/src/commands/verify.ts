/**
 * `zany verify`: replays logbooks on all cores, tells which diverge, because of which rule, and which change did it.
 */

import { existsSync, mkdtempSync, readdirSync, rmSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, join } from "node:path";
import {
  type Cause,
  causeOf,
  type Compilation,
  type DivergedGroup,
  groupsOf,
  HOW_DIVERGED,
  inputInWords,
  Runnable,
  type Texts,
  type Verdict,
  verify as verifyLines,
} from "@zany/core";
import { compileFile, linesOf, logbookFile, needFolder, runnableFile, UsedWrongly, writeText } from "../files.js";
import { clientOf, type ServiceOptions } from "../keys.js";
import { type Case, writeJunit } from "../junit.js";
import { count, pad, say, sayJson, style } from "../terminal.js";
import { verifyFile } from "../verify-file.js";
import { judgeLogs } from "./maps.js";
import { differenceText } from "./replay.js";
import { type Version, verifyOnCores } from "./verify-threads.js";

/** With fewer bytes of logbooks than this, threads cost more than they save. */
const MUCH = 2_000_000;
/** How many logbooks are told of one by one; of more it is only told how they group. */
const MOST_TOLD = 40;
const STANDARD_INPUT = "-";

interface VerifyOptions {
  readonly machine?: string;
  readonly map?: string;
  readonly book?: string;
  readonly digestEvery?: number;
  readonly stored?: boolean;
  readonly service: string;
  readonly key?: string;
  readonly playedOn?: string;
  readonly cores?: number;
  readonly json?: boolean;
  readonly junit?: string;
}

interface Verified {
  readonly file: string;
  readonly verdict: Verdict;
}

/** A group with the changes that a trial has found to make the difference. */
type Explained = DivergedGroup & { readonly cause?: Cause };

export async function verify(
  paths: readonly string[],
  { machine, map, book, stored, service, key, ...options }: VerifyOptions,
): Promise<number> {
  if (stored && (machine === undefined || map !== undefined))
    throw new UsedWrongly("Stored logbooks are verified on a machine: --stored --machine FILE.");
  if (stored && machine !== undefined)
    return verifyStored(paths, { service, ...(key !== undefined && { key }) }, { ...options, machine });
  if (paths.length === 0) throw new UsedWrongly("Name the logbooks, folders of them, or - for standard input.");
  if (map !== undefined) return judgeLogs(paths, { ...options, map, machine, ...(book !== undefined && { book }) });
  if (machine === undefined) throw new UsedWrongly("Say which machine they are verified on: --machine FILE.");
  if (book !== undefined) throw new UsedWrongly("--book goes with --map: a logbook is one already.");
  return verifyLogbooks(paths, { ...options, machine });
}

type LogbookOptions = Pick<VerifyOptions, "playedOn" | "cores" | "json" | "junit"> & { readonly machine: string };

/** Verifies logbooks that a service keeps: those that are named by their ids, or all of the machine's name. */
async function verifyStored(ids: readonly string[], where: ServiceOptions, options: LogbookOptions): Promise<number> {
  const runnable = runnableFile(options.machine);
  if (!runnable) return 1;
  const client = clientOf(where);
  const { name } = runnable.machine;
  const wanted = (await client.logbooks()).filter((each) =>
    ids.length === 0 ? each.machine.name === name : ids.includes(each.id),
  );
  const unknown = ids.find((id) => !wanted.some((each) => each.id === id));
  if (unknown !== undefined) throw new UsedWrongly(`The service keeps no logbook "${unknown}".`);
  if (wanted.length === 0) throw new UsedWrongly(`The service keeps no logbook of ${name}.`);
  const folder = mkdtempSync(join(tmpdir(), "zany-logbooks-"));
  try {
    // One after the other: they are verified from files, so that none need be in memory.
    for (const { id } of wanted) writeText(join(folder, `${id}.jsonl`), await client.logbook(id));
    return await verifyLogbooks(
      wanted.map(({ id }) => join(folder, `${id}.jsonl`)),
      options,
      (file) => basename(file, ".jsonl"),
    );
  } finally {
    rmSync(folder, { recursive: true });
  }
}

export async function verifyLogbooks(
  paths: readonly string[],
  options: LogbookOptions,
  nameOf: (file: string) => string = (file) => file,
): Promise<number> {
  if (options.junit !== undefined) needFolder(options.junit);
  const compilation = compileFile(options.machine, { errorsOnly: true });
  const runnable = compilation.ok ? new Runnable(compilation.machine) : runnableFile(options.machine);
  if (!runnable) return 1;
  const before = options.playedOn === undefined ? undefined : compileFile(options.playedOn, { errorsOnly: true });
  if (before && !before.ok) {
    runnableFile(options.playedOn ?? "");
    return 1;
  }
  const files = logbooksIn(paths);
  const texts = { now: textsOf(compilation), old: before && textsOf(before) };
  const playedOn = before && new Runnable(before.machine);
  const verdicts = isMuch(files)
    ? await onAllCores(
        files,
        { runnable, texts: texts.now },
        playedOn && texts.old && { runnable: playedOn, texts: texts.old },
        options,
      )
    : await oneByOne(files, runnable, playedOn);
  // A folder may hold matches of other machines too.
  const others = verdicts.filter(({ file, verdict }) => verdict.kind === "foreign" && !paths.includes(file));
  const found = verdicts.filter((each) => !others.includes(each));
  const own = found.map(({ file, verdict }) => ({ file: nameOf(file), verdict }));
  const bad = own.filter(({ verdict }) => verdict.kind !== "verified");
  const groups = groupsOf(
    found.map(({ file, verdict }) => ({ name: file, verdict, seats: runnable.machine.seats.names })),
  )
    .map((group) => explained(group, texts))
    .map(({ example, matches, ...group }) => ({
      ...group,
      matches: matches.map(nameOf),
      example: { ...example, name: nameOf(example.name) },
    }));
  if (options.junit !== undefined)
    writeJunit(options.junit, "verify", [{ name: options.machine, cases: own.map(caseOf) }]);
  if (options.json) sayJson({ logbooks: own, groups: groups.map(groupJson) });
  else {
    const told = own.length > MOST_TOLD ? bad.slice(0, MOST_TOLD) : own;
    for (const each of told) tell(each);
    if (bad.length > told.length) say(style("dim", `and ${bad.length - told.length} more that are not verified`));
    for (const group of groups) tellGroup(group);
    const skipped = others.length > 0 ? `; ${others.length} in folders are of other machines` : "";
    say(`${count(own.length - bad.length, "logbook")} verified, ${bad.length} not${skipped}`);
  }
  return bad.length > 0 ? 1 : 0;
}

/** The texts of a machine, its own by the empty path. */
export function textsOf({ sources, parts }: Compilation): Texts {
  return { "": sources.files[0]?.text ?? "", ...parts };
}

/** Logbooks, and those in folders and inside them, in the order of their names. */
export function logbooksIn(paths: readonly string[]): string[] {
  return paths.flatMap((path) => {
    if (path === STANDARD_INPUT) return [path];
    if (!existsSync(path)) throw new UsedWrongly(`Cannot read "${path}": there is no such file.`);
    if (!statSync(path).isDirectory()) return [path];
    const found = readdirSync(path, { recursive: true, encoding: "utf8" })
      .filter((name) => name.endsWith(".jsonl"))
      .map((name) => join(path, name))
      .sort();
    if (found.length === 0)
      throw new UsedWrongly(`There is no logbook in "${path}": none of its files ends in .jsonl.`);
    return found;
  });
}

/** Whether threads save more than they cost. */
function isMuch(files: readonly string[]): boolean {
  if (files.length < 2 || files.includes(STANDARD_INPUT)) return false;
  let size = 0;
  return files.some((file) => (size += statSync(file).size) > MUCH);
}

async function onAllCores(
  files: readonly string[],
  now: Version,
  old: Version | undefined,
  options: Pick<VerifyOptions, "cores" | "json">,
): Promise<Verified[]> {
  const verdicts = await verifyOnCores(files, now, old, options);
  return verdicts.map((verdict, i) => ({ file: files[i] ?? "", verdict }));
}

/** The logbooks of a source: standard input may hold several, one behind the other. */
async function* logbooksOf(file: string): AsyncGenerator<{ readonly name: string; readonly lines: string[] }> {
  let lines: string[] = [];
  let number = 0;
  for await (const line of linesOf(file)) {
    if (lines.length > 0 && line.startsWith('{"zany":"logbook"')) {
      yield { name: `${file}:${++number}`, lines };
      lines = [];
    }
    lines.push(line);
  }
  yield { name: number === 0 ? file : `${file}:${number + 1}`, lines };
}

async function oneByOne(files: readonly string[], runnable: Runnable, playedOn?: Runnable): Promise<Verified[]> {
  const verdicts: Verified[] = [];
  for (const file of files) {
    if (file !== STANDARD_INPUT) verdicts.push({ file, verdict: await verifyFile(runnable, file, playedOn) });
    else
      for await (const { name, lines } of logbooksOf(file))
        verdicts.push({ file: name, verdict: await verifyLines(runnable, lines, { playedOn }) });
  }
  return verdicts;
}

/** Looks for the change that makes a group's example diverge, where both versions are at hand. */
function explained(
  group: DivergedGroup,
  { now, old }: { readonly now: Texts; readonly old: Texts | undefined },
): Explained {
  if (!old || !existsSync(group.example.name)) return group;
  return { ...group, cause: causeOf(old, now, logbookFile(group.example.name), group.example.verdict) };
}

/** A group as programs read it: of its changes what and where, not what was done to which text. */
function groupJson({ example: { name, verdict }, cause, ...group }: Explained): unknown {
  const changes = cause?.changes.map(({ edit: _, oldText: _old, newText: _new, ...change }) => change);
  return { ...group, example: { file: name, step: verdict.step }, ...(changes && { changes }) };
}

// ---- telling ----------------------------------------------------------------------------------------

function caseOf({ file, verdict }: Verified): Case {
  if (verdict.kind === "verified") return { name: file, file };
  if (verdict.kind !== "diverged")
    return { name: file, file, line: verdict.line, failure: { headline: verdict.words, text: verdict.words } };
  const headline = `diverged at step ${verdict.step}: ${inputInWords(verdict.input)}`;
  const text = [
    headline,
    HOW_DIVERGED[verdict.how],
    ...becauseOf(verdict),
    ...verdict.differences.map(differenceText),
  ].join("\n");
  return { name: file, file, line: verdict.line, failure: { headline, text } };
}

/** The rule that is responsible, in words. */
function becauseOf({ responsible: { rule, source, writers } }: Verdict & { kind: "diverged" }): string[] {
  if (rule !== undefined) return [`because of ${rule}${source === undefined ? "" : ` (${source})`}`];
  if (writers === undefined) return [];
  return [`nothing wrote it; ${writers.length === 0 ? "no rule does" : `${writers.join(", ")} can`}`];
}

function tell({ file, verdict }: Verified): void {
  const other = verdict.otherRules ? ", played on other rules" : "";
  if (verdict.kind === "verified") {
    say(`${style("green", pad("verified", 10))} ${file}  ${count(verdict.steps, "step")}${other}`);
    return;
  }
  if (verdict.kind !== "diverged") {
    say(`${style("red", pad(verdict.kind, 10))} ${file}  line ${verdict.line}: ${verdict.words}`);
    return;
  }
  const { how, step, line, input, words, differences, rolls } = verdict;
  say(
    `${style(how === "sameResult" ? "yellow" : "red", pad("diverged", 10))} ${file}  at step ${step} ` +
      `(line ${line}): ${inputInWords(input)}${other}`,
  );
  const more = how === "changed" ? [] : [words === undefined ? HOW_DIVERGED[how] : `${HOW_DIVERGED[how]}: ${words}`];
  for (const text of [...more, ...becauseOf(verdict)]) say(`             ${text}`);
  for (const d of differences.slice(0, 8)) if (d.path !== "input") say(`             ${differenceText(d)}`);
  if (differences.length > 8) say(`             and ${count(differences.length - 8, "more difference")}`);
  if (rolls.recorded + rolls.anew > 0)
    say(
      style("dim", `             rolls as recorded in ${count(rolls.recorded, "step")}, rolled anew in ${rolls.anew}`),
    );
}

function tellGroup({ how, rule, path, source, matches, example, cause }: Explained): void {
  // A match alone has been told of already.
  if (matches.length < 2 && cause === undefined) return;
  const where = rule === "" ? "" : ` because of ${style("bold", rule)}${source === "" ? "" : ` (${source})`}`;
  const what = path === "" || path === "input" ? "" : `, first ${path}`;
  say(`${count(matches.length, "match", "matches")}: ${HOW_DIVERGED[how]}${where}${what}`);
  say(style("dim", `           soonest in ${example.name}, step ${example.verdict.step}`));
  if (!cause) return;
  if (cause.changes.length === 0) say(style("yellow", "           no change by itself makes it go so"));
  for (const { name, what: changed, newLine, oldLine } of cause.changes)
    say(`           by trial: ${style("bold", name)} ${changed} (line ${newLine ?? oldLine})`);
}
