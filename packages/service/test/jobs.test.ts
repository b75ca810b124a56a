/** Long work as jobs of the service: what they come to, that they outlive a kill, that they can be cancelled. */

import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { type JobInfo, type ServiceProblem, ZanyClient } from "@zany/client";
import { compile, Exploration, readLogbook, Runnable, simulate } from "@zany/core";
import { afterEach, expect, test } from "vitest";
import { newFolder, ROOT, type Running, startService, ZANY } from "./running.js";

const DUEL = readFileSync(join(ROOT, "examples/kite-duel.zany"), "utf8");
const SIEGE = readFileSync(join(ROOT, "examples/market-siege.zany"), "utf8");
const NOUGHTS = readFileSync(join(ROOT, "packages/core/test/games/noughts.zany"), "utf8");
const LOGBOOK = readFileSync(join(ROOT, "examples/logbooks/kite-duel-01.jsonl"), "utf8");

let running: Running | undefined;
afterEach(() => running?.stop());

async function started(data: string): Promise<ZanyClient> {
  running = await startService(data);
  return new ZanyClient(running.address);
}

/** Follows a job to its end, or until it has come so far. */
async function followed(client: ZanyClient, id: string, until = (_: JobInfo): boolean => false): Promise<JobInfo> {
  let last: JobInfo | undefined;
  for await (const job of client.followJob(id)) {
    last = job;
    if (until(job)) break;
  }
  return last as JobInfo;
}

test("each kind comes to what the core comes to, and is kept with its version", async () => {
  const client = await started(newFolder());
  await client.addMachine(NOUGHTS);
  const { hash } = await client.machine("Noughts");
  const runnable = new Runnable(compile(NOUGHTS, undefined, undefined, { errorsOnly: true }).machine);
  const explore = await client.addJob({ kind: "explore", machine: "Noughts", goal: "board[cell(1, 1)] == two" });
  const whole = await client.addJob({ kind: "explore", machine: "Noughts@1" });
  const simulation = await client.addJob({ kind: "simulate", machine: hash, matches: 200, seed: "gale" });
  const sweep = await client.addJob({ kind: "simulate", machine: "Noughts", matches: 20, vary: ["mover=one,two"] });
  const coverage = await client.addJob({ kind: "coverage", machine: "Noughts", look: 5_000 });
  expect(await followed(client, coverage.id)).toMatchObject({ state: "done", problem: null });
  expect((await client.jobs({ machine: "Noughts" })).items.map(({ id, state }) => [id, state])).toEqual(
    [coverage, sweep, simulation, whole, explore].map(({ id }) => [id, "done"]),
  );
  expect((await client.jobs({ kind: "coverage" })).items.map(({ id }) => id)).toEqual([coverage.id]);
  expect(await client.jobResult(explore.id)).toMatchObject({
    kind: "explore",
    found: {
      goal: { depth: 2, evidence: { steps: [expect.stringContaining("mark"), expect.stringContaining("mark")] } },
    },
  });
  const { situations, endings } = new Exploration(runnable, {}).run();
  expect(await client.jobResult(whole.id)).toMatchObject({ found: { situations, endings, complete: true } });
  const counted = simulate(runnable, { seed: "gale", bots: {}, first: 0, end: 200 });
  expect(await client.jobResult(simulation.id)).toMatchObject({
    found: { tally: JSON.parse(JSON.stringify(counted)) },
  });
  const points = [{ values: { mover: "one" } }, { values: { mover: "two" } }];
  expect(await client.jobResult(sweep.id)).toMatchObject({ found: { sweep: points } });
  expect(await client.jobResult(coverage.id)).toMatchObject({
    found: {
      lcov: expect.stringContaining("end_of_record"),
      missing: expect.arrayContaining([expect.objectContaining({ evidence: expect.anything() })]),
    },
  });
});

test("kept matches count for coverage, as far as they are readable and of the machine", async () => {
  const client = await started(newFolder());
  await client.addMachine(DUEL);
  await client.addMachine(NOUGHTS);
  const covered = async (machine: string): Promise<unknown[]> => {
    const { id } = await client.addJob({ kind: "coverage", machine, kept: true });
    expect(await followed(client, id)).toMatchObject({ state: "done" });
    const result = await client.jobResult(id);
    if (result.kind !== "coverage") throw new Error("another kind");
    return [result.found.kept, result.found.items.filter(({ count }) => count > 0).length];
  };
  const [, byTests] = await covered("KiteDuel");
  await client.addLogbook(LOGBOOK, "one");
  const { steps } = readLogbook(LOGBOOK);
  const [kept, all] = await covered("KiteDuel");
  expect(kept).toEqual({ counted: 1, of: 1, steps: steps.length - 1 });
  expect(all).toBeGreaterThan(Number(byTests));
  expect((await covered("Noughts"))[0]).toEqual({ counted: 0, of: 0, steps: 0 });
});

test("what is wished wrongly is told: at once, or as what became of the job", async () => {
  const client = await started(newFolder());
  await client.addMachine(NOUGHTS);
  const refused = async (body: object): Promise<unknown> =>
    client.addJob(body as never).catch((error: ServiceProblem) => [error.status, error.message]);
  expect(await refused({ kind: "explore" })).toEqual([
    400,
    expect.stringContaining('"machine" is required to explore'),
  ]);
  expect(await refused({ kind: "verify", goal: "true" })).toEqual([400, expect.stringContaining('"goal" is nothing')]);
  expect(await refused({ kind: "explore", machine: "Nobody" })).toEqual([404, expect.any(String)]);
  expect(await refused({ kind: "verify", logbooks: ["none"] })).toEqual([404, expect.any(String)]);
  const wrong = await client.addJob({ kind: "explore", machine: "Noughts", goal: "board[3] == one" });
  const bad = await followed(client, wrong.id);
  expect(bad).toMatchObject({ state: "failed", problem: expect.stringContaining("cell") });
  await expect(client.jobResult(wrong.id)).rejects.toMatchObject({
    status: 409,
    message: expect.stringMatching(/came to nothing: .*cell/),
  });
});

test("from the command line: begun, followed to its end, shown, listed, cancelled", async () => {
  const client = await started(newFolder());
  await client.addMachine(DUEL);
  await client.addLogbook(LOGBOOK, "one");
  const zany = (...args: string[]): string =>
    execFileSync(process.execPath, [ZANY, "job", ...args, "--service", running?.address ?? ""], { encoding: "utf8" });
  const begun = (...args: string[]): string => (JSON.parse(zany("new", ...args, "--json")) as JobInfo).id;
  expect(zany("list")).toContain("There is none.");
  const verifying = begun("verify", "KiteDuel");
  const goal = begun("explore", "KiteDuel", "--goal", "kites[north].lift < 38");
  const coverage = begun("coverage", "KiteDuel", "--kept", "--look", "20000");
  const sweep = begun("simulate", "KiteDuel", "--matches", "20", "--bot", "north=careful", "--vary", "lap=0,1");
  expect(zany("show", verifying)).toContain("1 logbook, 0 not verified");
  expect(zany("show", goal)).toContain("kites[north].lift < 38: in 1 step");
  expect(zany("show", coverage)).toMatch(/1 kept match counted\n[\s\S]*matches that would cover \d+ of the \d+/);
  expect(zany("show", sweep)).toMatch(/lap=0: 20 matches, .* steps each: north wins .*\nlap=1: 20 matches/);
  expect(zany("list")).toMatch(
    new RegExp(`${sweep} +done .*\n${coverage} +done .*\n${goal} +done .*\n${verifying} +done`),
  );
  expect(zany("cancel", goal)).toContain("done");
  expect(() => begun("explore")).toThrow();
});

test("a cancelled job stops, waiting or at work, and the next one is done", async () => {
  const client = await started(newFolder());
  await client.addMachine(SIEGE);
  await client.addMachine(NOUGHTS);
  const long = await client.addJob({ kind: "explore", machine: "MarketSiege", situations: 5_000_000 });
  const waiting = await client.addJob({ kind: "explore", machine: "MarketSiege" });
  const next = await client.addJob({ kind: "explore", machine: "Noughts" });
  await followed(client, long.id, ({ words }) => words !== "");
  expect(await client.cancelJob(waiting.id)).toMatchObject({ state: "cancelled" });
  expect(await client.cancelJob(long.id)).toMatchObject({ state: "cancelled" });
  expect(await followed(client, next.id)).toMatchObject({ state: "done" });
  expect(await client.cancelJob(next.id)).toMatchObject({ state: "done" });
  expect((await client.job(long.id)).state).toBe("cancelled");
});

test("killed in the middle they go on: a simulation comes to the same, each logbook is verified once", async () => {
  const data = newFolder();
  let client = await started(data);
  await client.addMachine(DUEL);
  const lines = LOGBOOK.split("\n");
  const damaged = [...lines.slice(0, 2), lines[2]?.replace(/"step":\d+/, '"step":77'), ...lines.slice(3)].join("\n");
  for (let i = 0; i < 12; i++) await client.addLogbook(i === 5 ? damaged : LOGBOOK, `book ${i}`);
  const matches = 10_000;
  const verifying = await client.addJob({ kind: "verify" });
  const simulation = await client.addJob({
    kind: "simulate",
    machine: "KiteDuel",
    matches,
    bots: { north: "careful:3,wary:1" },
    game: "silent",
  });
  await followed(client, verifying.id, ({ share }) => (share ?? 0) > 0.1);
  await running?.stop("SIGKILL");
  client = await started(data);
  expect(await followed(client, verifying.id)).toMatchObject({ state: "done", share: 1 });
  // Long enough that something was written down.
  await followed(client, simulation.id, ({ share }) => (share ?? 0) > 0.6);
  await running?.stop("SIGKILL");
  client = await started(data);
  // It does not begin anew: at no time it has come less far than what was written down.
  const shares: number[] = [];
  const done = await followed(client, simulation.id, ({ share }) => {
    if (share !== null) shares.push(share);
    return false;
  });
  expect(done.state).toBe("done");
  expect(Math.min(...shares)).toBeGreaterThan(0.2);
  const result = await client.jobResult(simulation.id);
  const verified = await client.jobResult(verifying.id);
  const { machine } = compile(DUEL, undefined, undefined, { errorsOnly: true });
  // By what it was wished, its matches can be played again.
  const by = { seed: "1", bots: { north: "careful:3,wary:1" }, game: "silent" } as const;
  const counted = simulate(new Runnable(machine), { ...by, first: 0, end: matches });
  expect(result).toEqual({ kind: "simulate", found: { tally: JSON.parse(JSON.stringify(counted)), by } });
  const kinds = verified.kind === "verify" ? verified.logbooks.map((one) => one.verified?.verdict.kind) : [];
  expect(kinds).toEqual(Array.from({ length: 12 }, (_, i) => (i === 5 ? "tampered" : "verified")));
});
