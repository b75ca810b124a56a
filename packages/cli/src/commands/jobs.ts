/** `zany job`: long work that a service does, begun, listed, followed, cancelled. */

import type { JobInfo, JobKind, JobResult, NewJob } from "@zany/client";
import { COVER_WORDS, FINDING_WORDS, meanOf, sumsOf, type Tally } from "@zany/core";
import { botOptions } from "../files.js";
import { clientOf, type ServiceOptions } from "../keys.js";
import { sayList } from "../lists.js";
import { count, pad, say, sayJson, style } from "../terminal.js";

interface JobOptions extends ServiceOptions {
  readonly logbook: readonly string[];
  readonly situations?: number;
  readonly goal?: string;
  readonly matches?: number;
  readonly seed?: string;
  readonly bot: readonly string[];
  readonly game?: "random" | "silent";
  readonly of: readonly string[];
  readonly vary: readonly string[];
  readonly rolls?: boolean;
  readonly steps?: number;
  readonly look?: number;
  readonly kept?: boolean;
}

/** Begins a job; what is not said is left to the service, which refuses what is of another kind. */
export async function jobNew(kind: JobKind, machine: string | undefined, options: JobOptions): Promise<number> {
  const { logbook, situations, goal, matches, seed, bot, game, of, vary, rolls, steps, look, kept } = options;
  const job: NewJob = {
    kind,
    ...(machine !== undefined && { machine }),
    ...(logbook.length > 0 && { logbooks: logbook }),
    ...(situations !== undefined && { situations }),
    ...(goal !== undefined && { goal }),
    ...(matches !== undefined && { matches }),
    ...(seed !== undefined && { seed }),
    ...(bot.length > 0 && { bots: botOptions(bot) }),
    ...(game !== undefined && { game }),
    ...(of.length > 0 && { of }),
    ...(vary.length > 0 && { vary }),
    ...(rolls && { rolls }),
    ...(steps !== undefined && { steps }),
    ...(look !== undefined && { look }),
    ...(kept && { kept }),
  };
  const info = await clientOf(options).addJob(job);
  if (options.json) sayJson(info);
  else say(`Job ${style("bold", info.id)} is begun. Follow it with: zany job show ${info.id}`);
  return 0;
}

export function jobList(options: ServiceOptions & { readonly machine?: string }): Promise<number> {
  const { machine } = options;
  const client = clientOf(options);
  return sayList((after) => client.jobs(machine === undefined ? {} : { machine }, after), options, {
    none: "There is none. Begin one with: zany job new explore MACHINE",
    line: lineOf,
  });
}

function lineOf({ id, wish, machine, state, words, problem }: JobInfo): string {
  const of = machine ? ` ${machine.name}@${machine.version}` : "";
  const how = style(state === "failed" ? "red" : state === "done" ? "green" : "dim", pad(state, 9));
  return `${id}  ${how}  ${wish.kind}${of}  ${style("dim", problem ?? words)}`.trimEnd();
}

/** Waits for a job to end, and says what it came to. @returns 1 when that is nothing */
export async function jobShow(id: string, options: ServiceOptions): Promise<number> {
  const client = clientOf(options);
  let last: JobInfo | undefined;
  for await (const job of client.followJob(id)) {
    if (!options.json && job.ended === null && job.words !== last?.words) say(style("dim", job.words || "it waits"));
    last = job;
  }
  if (!last) return 1;
  const result = last.state === "done" || last.wish.kind === "verify" ? await client.jobResult(id) : undefined;
  if (options.json) sayJson({ ...last, ...(result && { result }) });
  else {
    say(lineOf(last));
    if (result) showResult(result);
  }
  return last.state === "done" ? 0 : 1;
}

export async function jobCancel(id: string, options: ServiceOptions): Promise<number> {
  const job = await clientOf(options).cancelJob(id);
  if (options.json) sayJson(job);
  else say(lineOf(job));
  return 0;
}

/** What a job came to, in a few lines; the whole of it is what `--json` gives. */
function showResult(result: JobResult): void {
  switch (result.kind) {
    case "verify": {
      const bad = result.logbooks.filter(({ verified }) => verified?.verdict.kind !== "verified");
      say(`${count(result.logbooks.length, "logbook")}, ${bad.length} not verified`);
      for (const { logbook, verified, problem } of bad) {
        const { verdict } = verified ?? {};
        const at = verdict?.kind === "diverged" ? ` at step ${verdict.step}: ${verdict.responsible.rule}` : "";
        say(`  ${logbook}  ${style("red", verdict?.kind ?? problem ?? "")}${at}`);
      }
      return;
    }
    case "explore": {
      const { situations, complete, goal, findings } = result.found;
      say(`${count(situations, "situation")} ${complete ? "visited, all there are" : "visited, not all"}`);
      if (goal) say(`${goal.words}: ${goal.depth === undefined ? "not come to" : `in ${count(goal.depth, "step")}`}`);
      for (const { kind, words } of findings) say(`${style("red", FINDING_WORDS[kind])}: ${words}`);
      return;
    }
    case "simulate":
      if ("tally" in result.found) showShares(result.found.tally, "");
      else
        for (const { values, tally } of result.found.sweep)
          showShares(
            tally,
            Object.entries(values)
              .map(([path, value]) => `${path}=${value}`)
              .join(", "),
          );
      return;
    case "coverage": {
      const { items, missing = [], kept } = result.found;
      const part = kept && kept.counted < kept.of ? `${kept.counted} of ` : "";
      if (kept) say(`${part}${count(kept.of, "kept match", "kept matches")} counted`);
      for (const { kind, covered, all } of sumsOf(items)) say(`${pad(COVER_WORDS[kind].all, 24)} ${covered} of ${all}`);
      const found = missing.filter(({ evidence }) => evidence).length;
      if (missing.length > 0)
        say(`matches that would cover ${found} of the ${missing.length} that are missing: --json has them as tests`);
    }
  }
}

function showShares({ matches, results, lengths }: Tally, at: string): void {
  const shares = Object.entries(results).map(
    ([seat, { win }]) => `${seat} wins ${((win / matches) * 100).toFixed(1)}%`,
  );
  const mean = meanOf(lengths).mean.toFixed(1);
  const words = `${count(matches, "match", "matches")}, ${mean} steps each: ${shares.join(", ")}`;
  say(at === "" ? words : `${at}: ${words}`);
}
