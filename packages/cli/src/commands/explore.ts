/** `zany explore`: every situation that a machine can reach, what goes wrong in it, and a match that shows each. */

import { join } from "node:path";
import {
  BadQuestion,
  CannotExplore,
  evidenceOf,
  type Evidence,
  type Covered,
  type Explored,
  type ExploredWhole,
  exploreWhole,
  FINDING_WORDS,
  type ExploreFinding,
  ownCondition,
  type ExploreProgress,
  Players,
  type Runnable,
  wrongBot,
} from "@zany/core";
import {
  botOptions,
  findPartOf,
  givenOptions,
  needFolderItself,
  readText,
  runnableFile,
  UsedWrongly,
  writeText,
} from "../files.js";
import { showSteps } from "../show.js";
import { count, duration, printable, say, sayJson, style } from "../terminal.js";

interface ExploreWish {
  /** How long it may take, in milliseconds. */
  readonly time?: number;
  readonly goal?: string;
  readonly law?: string;
  readonly seats?: number;
  readonly open: readonly string[];
  readonly bot: readonly string[];
  readonly given: readonly string[];
  readonly leaving?: boolean;
  readonly events: boolean;
  readonly limit?: number;
  readonly depth?: number;
  readonly memory?: number;
  readonly walk: number;
  readonly out?: string;
  readonly json?: boolean;
}

const MEGABYTE = 1_000_000;

export async function explore(file: string, wish: ExploreWish): Promise<number> {
  const plain = runnableFile(file);
  if (!plain) return 1;
  if (wish.out !== undefined) needFolderItself(wish.out);
  const laws = plain.machine.laws.map(({ words }) => words);
  if (wish.law !== undefined && !laws.includes(wish.law))
    throw new UsedWrongly(`There is no law "${wish.law}". There are: ${laws.join("; ") || "none"}.`);
  const asked = wish.goal === undefined ? undefined : goalOf(file, wish.goal);
  const options = {
    ...(wish.seats !== undefined && { seats: wish.seats }),
    ...(wish.open.length > 0 && { open: wish.open }),
    ...(wish.given.length > 0 && { given: givenOptions(wish.given) }),
  };
  const bots = playersOf(asked?.runnable ?? plain, wish.bot);
  const shownProgress = exploreProgress(wish.json ?? false);
  let whole: ExploredWhole;
  try {
    whole = exploreWhole(asked?.runnable ?? plain, {
      ...options,
      ...(wish.leaving && { leaving: true }),
      ...(!wish.events && { noEvents: true }),
      walk: wish.walk,
      most: {
        ...(wish.limit !== undefined && { situations: wish.limit }),
        ...(wish.depth !== undefined && { depth: wish.depth }),
        ...(wish.memory !== undefined && { bytes: wish.memory * MEGABYTE }),
      },
      ...(asked && { goal: asked.test }),
      ...(bots && { bots }),
      ...(wish.law !== undefined && { law: wish.law }),
      progress: shownProgress.show,
      ...(wish.time !== undefined && { ends: endingAfter(wish.time) }),
    });
  } catch (error) {
    if (error instanceof CannotExplore) throw new UsedWrongly(error.message);
    throw error;
  } finally {
    shownProgress.end();
  }
  const { exploration, explored, branches } = whole;
  const shown = (where: Parameters<typeof evidenceOf>[3], words: string): Evidence | undefined =>
    evidenceOf(plain, exploration, options, where, words.slice(0, 120));
  const found = explored.findings.map((finding) => ({
    finding,
    evidence: shown(
      { at: finding.at, move: finding.move, fails: finding.move !== undefined, what: finding.key },
      `found: ${finding.words}`,
    ),
  }));
  const atOnce = (wish.law === undefined ? whole.atOnce : []).map((one) => ({
    finding: {
      kind: "atOnce",
      words: `Both ${one.endings.join(" and ")} can be come to here: the order of the branches decides.`,
      position: one.position,
      depth: one.depth,
    } as const,
    evidence: shown(one, `${one.endings.join(" and ")} at once`),
  }));
  const secrets = (whole.secrets?.found ?? []).map(({ words, from, depth, evidence }) => ({
    finding: { kind: "secret", words, position: from, depth } as const,
    evidence,
  }));
  const all: Found = [...found, ...atOnce, ...secrets];
  const { goal: reached } = explored;
  const goal =
    reached && shown({ at: reached.at, move: undefined, fails: false, what: undefined }, `reached: ${wish.goal}`);
  if (wish.out !== undefined) {
    for (const [i, { evidence }] of all.entries()) {
      write(wish.out, `finding-${i + 1}`, evidence);
      write(wish.out, `finding-${i + 1}-twin`, evidence?.twin);
    }
    write(wish.out, "goal", goal);
  }
  const isBad = asked ? !explored.goal : all.length > 0;
  const secretSteps = whole.secrets?.steps;
  if (wish.json) sayJson({ ...jsonOf(plain, explored, branches, all, goal), ...(secretSteps && { secretSteps }) });
  else {
    if (asked) tellGoal(explored, goal, wish.goal ?? "");
    if (secretSteps && secrets.length === 0)
      say(style("dim", `No secret was seen to show, in ${secretSteps} steps of matches in pairs: not proven.`));
    tell(plain, explored, branches, all, asked !== undefined);
  }
  return isBad ? 1 : 0;
}

/** The bots of seats, one for each. @throws UsedWrongly for one that the machine does not have, or a mixture of them */
export function knownBots(runnable: Runnable, bots: readonly string[]): Record<string, string> {
  const named = botOptions(bots);
  for (const [seat, policy] of Object.entries(named)) {
    if (/[:,]/.test(policy))
      throw new UsedWrongly(`"${policy}" is a mixture: those are drawn for each match of zany simulate. Name one bot.`);
    const wrong = wrongBot(runnable, runnable.machine.seats.names, seat, policy);
    if (wrong) throw new UsedWrongly(wrong.words);
  }
  return named;
}

/** Who plays some of the seats; undefined when nobody is to. */
export function playersOf(runnable: Runnable, bots: readonly string[]): Players | undefined {
  if (bots.length === 0) return undefined;
  const named = knownBots(runnable, bots);
  const players = new Players(runnable, named);
  if (players.unknown !== undefined)
    throw new UsedWrongly(`What they do is not known, and cannot be explored: ${players.unknown}.`);
  return players;
}

/** The machine with the goal in it, as a test has it. */
function goalOf(file: string, goal: string): ReturnType<typeof ownCondition> {
  try {
    return ownCondition(readText(file), goal, findPartOf(file));
  } catch (error) {
    if (error instanceof BadQuestion) throw new UsedWrongly(error.message);
    throw error;
  }
}

/** Ends a search after a time, in milliseconds: how far it comes until then is another thing on each computer. */
function endingAfter(time: number): () => string | undefined {
  const until = performance.now() + time;
  return () => (performance.now() < until ? undefined : `no longer than ${duration(time)} was asked for`);
}

/** Shows how far a search came, in a terminal; `end` takes the line away. */
export function exploreProgress(quiet: boolean): {
  readonly show: (now: ExploreProgress) => undefined;
  readonly end: () => void;
} {
  const since = Date.now();
  const end = (): void => {
    if (process.stderr.isTTY === true && !quiet) process.stderr.write("\r\u001b[K");
  };
  const show = ({ situations, waiting, depth, bytes }: ExploreProgress): undefined => {
    if (quiet || process.stderr.isTTY !== true) return undefined;
    const each = Math.round(situations / Math.max(0.001, (Date.now() - since) / 1_000));
    const words =
      `${situations} situations, ${waiting} to go on from, step ` +
      `${depth}, ${each} a second, ${Math.round(bytes / MEGABYTE)} MB`;
    process.stderr.write(`\r${printable(words)}\u001b[K`);
    return undefined;
  };
  return { show, end };
}

function write(folder: string, name: string, evidence: Evidence | undefined): void {
  if (!evidence) return;
  writeText(join(folder, `${name}.jsonl`), evidence.logbook);
  writeText(join(folder, `${name}.test.zany`), evidence.test);
}

function placeOf({ machine }: Runnable, position: number | undefined): string | undefined {
  // What an added goal says stands behind the machine's own text.
  if (position === undefined || position > (machine.sources.files[0]?.text.length ?? 0)) return undefined;
  const { line, column } = machine.sources.place(position);
  return `${line}:${column}`;
}

// ---- telling ----------------------------------------------------------------------------------------

/** Why not everything was visited, each with its place. */
export function tellIncomplete(runnable: Runnable, incomplete: Explored["incomplete"], as: "dim" | "yellow"): void {
  for (const { words, position } of incomplete) {
    const place = placeOf(runnable, position);
    say(style(as, `Not complete${place === undefined ? "" : ` (${place})`}: ${words}.`));
  }
}

type Found = readonly {
  readonly finding: Pick<ExploreFinding, "words" | "depth" | "position"> & {
    readonly kind: keyof typeof FINDING_WORDS;
  };
  readonly evidence: Evidence | undefined;
}[];

function tellGoal(
  { goal, complete, situations, walked }: Explored,
  evidence: Evidence | undefined,
  wanted: string,
): void {
  if (goal) {
    const shortest = walked > 0 ? "" : ", no fewer";
    say(`${style("green", "reached")}  ${wanted}  ${style("dim", `in ${count(goal.depth, "step")}${shortest}`)}`);
    tellSteps(evidence);
  } else if (complete)
    say(`${style("yellow", "never")}    ${wanted}: proven, all ${situations} situations were visited`);
  else say(`${style("yellow", "not found")} ${wanted}, in ${situations} situations: not proven`);
}

function tellSteps(evidence: Evidence | undefined): void {
  if (!evidence) {
    say(style("dim", "           no times were found by which a match goes so"));
    return;
  }
  const { steps } = evidence;
  if (steps.length === 0) say(style("dim", "           at the very beginning"));
  showSteps(steps, "           ");
}

function tell(runnable: Runnable, explored: Explored, branches: readonly Covered[], found: Found, goal: boolean): void {
  const { situations, steps, walked, depth, bytes, complete, incomplete, holdsFor, unseen, endings, never } = explored;
  for (const { finding, evidence } of goal ? [] : found) {
    const place = placeOf(runnable, finding.position);
    say(`${style("red", FINDING_WORDS[finding.kind])}${place === undefined ? "" : ` at ${place}`}: ${finding.words}`);
    tellSteps(evidence);
    if (evidence?.twin && evidence.twin.steps.length > 0) {
      say(style("dim", "         and its twin, which looks the same until then:"));
      tellSteps(evidence.twin);
    }
  }
  if (!goal) {
    for (const { ending, situations: n } of endings)
      say(`${style("dim", "ending")}   ${ending}  ${style("dim", count(n, "situation"))}`);
    const missing = Object.entries(never).filter(([, names]) => names.length > 0);
    const said = complete ? "never" : "not met";
    for (const [what, names] of missing) say(style("yellow", `${said}    ${what}: ${names.join(", ")}`));
    for (const { item } of branches) {
      const text = runnable.machine.sources.text(item).replace(/\s+/g, " ");
      const how = item.way ? "never holds" : "always holds";
      const where = placeOf(runnable, item.from) ?? "";
      say(
        style(
          "yellow",
          `${said}    branch ${item.name} at ${where}: "${text}" ${complete ? how : `${how} in what was visited`}`,
        ),
      );
    }
  }
  if (unseen.length > 0)
    say(style("dim", `No rule can see ${unseen.join(", ")}: situations that differ in them alone count once.`));
  tellIncomplete(runnable, incomplete, "dim");
  // Of few situations it tells nothing how much memory each takes.
  const each = situations < 1_000 ? "" : `, ${Math.round((bytes / situations) * 10) / 10} bytes a situation`;
  const random = walked > 0 ? `, ${walked} of them at random behind what was visited whole` : "";
  say(style("dim", `${count(steps, "step")}, up to ${depth} from the beginning${random}${each}`));
  say(style("dim", `${complete ? "This holds for" : "Looked at"}: ${holdsFor.join("; ")}.`));
  if (goal) return;
  const { length } = found;
  if (complete && length === 0) say(style("green", `all ${situations} situations visited: proven`));
  else if (complete) say(`all ${situations} situations visited: ${count(length, "finding")}`);
  else if (length === 0) say(`no finding in ${situations} situations, not proven`);
  else say(`${count(length, "finding")} in ${situations} situations`);
}

function jsonOf(
  runnable: Runnable,
  explored: Explored,
  branches: readonly Covered[],
  found: Found,
  goal: Evidence | undefined,
): object {
  const placed = (position: number | undefined): { source?: string } => {
    const source = placeOf(runnable, position);
    return source === undefined ? {} : { source };
  };
  const { goal: reached, ...rest } = explored;
  return {
    ...rest,
    endings: explored.endings.map(({ ending, situations }) => ({ ending, situations })),
    never: {
      ...explored.never,
      branches: branches.map(({ item: { name, way, from } }) => ({ name, way, ...placed(from) })),
    },
    incomplete: explored.incomplete.map(({ words, position }) => ({ words, ...placed(position) })),
    findings: found.map(({ finding: { kind, words, position, depth }, evidence }) => ({
      kind,
      words,
      ...placed(position),
      depth,
      ...(evidence && { steps: evidence.steps, test: evidence.test }),
      ...(evidence?.twin && { twin: { steps: evidence.twin.steps, test: evidence.twin.test } }),
    })),
    ...(reached && { goal: { depth: reached.depth, ...(goal && { steps: goal.steps, test: goal.test }) } }),
  };
}
