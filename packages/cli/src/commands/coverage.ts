/**
 * `zany coverage`: what of a machine its tests, kept matches, simulations and searches come to, and what would be
 * missing.
 */

import {
  BadSimulation,
  COVER_WORDS,
  Coverage,
  coverByLogbook,
  coverBySearch,
  coverBySimulation,
  coverByTests,
  type Covered,
  type CoveredKind,
  lcovOf,
  marginText,
  type Missing,
  missingIn,
  stepRuns,
  sumsOf,
} from "@zany/core";
import { compileFile, logbookFile, needFolder, runnableFile, UsedWrongly, writeText } from "../files.js";
import { bar, count, pad, say, sayJson, sayText, style } from "../terminal.js";
import { logbooksIn } from "./verify.js";

interface CoverageWish {
  readonly tests: boolean;
  readonly logbook: readonly string[];
  readonly simulate?: number;
  readonly seed: string;
  readonly explore?: number;
  readonly missing?: boolean;
  readonly look?: number;
  readonly text?: boolean;
  readonly lcov?: string;
  readonly out?: string;
  readonly json?: boolean;
}

/** How many steps are taken to look for matches that cover what nothing does, where nobody says. */
const LOOKING = 750_000;
/** How many steps of a match are told in a line, those that are repeated as one. */
const MOST_TOLD = 12;

export async function coverage(file: string, wish: CoverageWish): Promise<number> {
  if (wish.look !== undefined && !wish.missing)
    throw new UsedWrongly("--look says how far it is looked for what is missing: it goes with --missing.");
  if (wish.lcov !== undefined) needFolder(wish.lcov);
  if (!runnableFile(file)) return 1;
  const { machine, sources } = compileFile(file, { errorsOnly: true });
  const covered = new Coverage(machine);
  const played = play(covered, wish);
  const { items, statesAndInputs } = covered;
  const missing = wish.missing ? missingIn(covered, wish.look ?? LOOKING) : [];
  if (wish.lcov !== undefined)
    writeText(
      wish.lcov,
      lcovOf(sources, items, (name) => name),
    );
  if (wish.out !== undefined) {
    needFolder(wish.out);
    writeText(wish.out, missing.flatMap(({ evidence }) => (evidence ? [evidence.test] : [])).join("\n"));
  }
  const placed = ({ item }: Covered | Missing): { kind: CoveredKind; name: string; way?: boolean; source: string } => {
    const { line, column } = sources.place(item.from);
    const { kind, name, way } = item;
    return { kind, name, ...(way !== undefined && { way }), source: `${line}:${column}` };
  };
  if (wish.json)
    sayJson({
      machine: machine.name,
      played,
      sums: sumsOf(items),
      items: items.map((one) => ({ ...placed(one), count: one.count })),
      pairs: statesAndInputs,
      ...(wish.missing && {
        missing: missing.map((one) => ({
          ...placed(one),
          ...(one.evidence && { steps: one.evidence.steps, test: one.evidence.test }),
          ...(one.mayBeShorter && { mayBeShorter: true }),
        })),
      }),
    });
  else if (wish.text) sayText(`${marginText(sources, items)}\n`);
  else {
    tellSums(items, played);
    tellMissed(
      items,
      missing,
      (one) => placed(one).source,
      (one) => sources.text(one.item).replace(/\s+/g, " "),
    );
    const states = new Set(statesAndInputs.map(({ state }) => state)).size;
    say(style("dim", `${count(statesAndInputs.length, "pair")} of state and input, in ${count(states, "state")}`));
  }
  return items.some((one) => one.count === 0) ? 1 : 0;
}

/** Lets everything play that was asked for. @returns in words what did */
function play(covered: Coverage, { tests, logbook, simulate, seed, explore }: CoverageWish): readonly string[] {
  const played: string[] = [];
  if (tests) played.push(count(coverByTests(covered), "test"));
  if (logbook.length > 0) {
    let [books, steps] = [0, 0];
    for (const path of logbooksIn(logbook)) {
      const book = logbookFile(path);
      if (book.header.machine.name !== covered.machine.name) continue;
      steps += coverByLogbook(covered, book);
      books++;
    }
    played.push(`${count(books, "logbook")} with ${count(steps, "step")}`);
  }
  if (simulate !== undefined) {
    try {
      coverBySimulation(covered, { seed, first: 0, end: simulate });
    } catch (error) {
      if (error instanceof BadSimulation) throw new UsedWrongly(error.message);
      throw error;
    }
    played.push(`${count(simulate, "match", "matches")} at random`);
  }
  if (explore !== undefined)
    played.push(coverBySearch(covered, explore) ? "every situation there is" : `a search of ${count(explore, "step")}`);
  if (played.length === 0)
    throw new UsedWrongly("Nothing is to play: leave out --no-tests, or name --logbook, --simulate, --explore.");
  return played;
}

function tellSums(items: readonly Covered[], played: readonly string[]): void {
  say(style("dim", `covered by ${played.join(", ")}`));
  for (const { kind, covered, all } of sumsOf(items)) {
    const sum = `${covered} of ${all}`;
    say(
      `${pad(COVER_WORDS[kind].all, 22)}${bar(covered, 0, all)}  ` +
        `${covered === all ? style("green", sum) : style("yellow", sum)}`,
    );
  }
}

function tellMissed(
  items: readonly Covered[],
  missing: readonly Missing[],
  place: (one: Covered) => string,
  text: (one: Covered) => string,
): void {
  const missed = items.filter((one) => one.count === 0);
  if (missed.length === 0) {
    say(style("green", "everything is covered"));
    return;
  }
  say();
  for (const [i, one] of missed.entries()) {
    const { kind, name, way } = one.item;
    const what =
      way === undefined || kind === "refusal" || kind === "law" ? "" : `  ${way ? "never" : "always"} so: ${text(one)}`;
    say(`${style("yellow", pad(COVER_WORDS[kind].missed, 16))}${pad(place(one), 8)}${name}${style("dim", what)}`);
    const found = missing[i];
    if (found) say(style("dim", `${" ".repeat(24)}${wayInWords(found)}`));
  }
  const tests = missing.filter(({ evidence }) => evidence).length;
  if (tests > 0)
    say(`\n${count(tests, "test")} that would: --out FILE writes them, to be put behind the machine's text`);
}

/** The match that would cover something, in a line. */
function wayInWords({ evidence, mayBeShorter }: Missing): string {
  if (!evidence) return "no match was found that does";
  const { steps, begun } = evidence;
  const runs = stepRuns(steps);
  const told = runs.slice(0, MOST_TOLD).map(({ words, times }) => (times === 1 ? words : `${words} ${times} times`));
  const more = runs.slice(MOST_TOLD).reduce((sum, { times }) => sum + times, 0);
  if (more > 0) told.push(`and ${count(more, "step")} more`);
  const shorter = mayBeShorter && steps.length > 1 ? " (there may be a shorter match: --look MORE)" : "";
  return `${begun === undefined ? "" : `begun with ${begun}: `}${told.join(", ") || "at the very beginning"}${shorter}`;
}
