/**
 * The console with much in it: how long the page's own thread is busy at a stretch while a logbook of 10,000 steps is
 * scrolled and scrubbed, a machine of 40 states and 2,000 lines is typed in, and a match of 30 seats is played.
 * Needs Debian's chromium. `npm run bench -- console`
 */

import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ZanyClient } from "@zany/client";
import { begin, compile, LogbookWriter, Runnable, step } from "@zany/core";
import type { Page } from "playwright-core";
import { openBrowser } from "../../packages/console/test/browser.js";
import { longLogbookMachine, wideMachine, longMachine } from "../../packages/console/test/large-machines.js";

const STEPS = 10_000;

async function serve(): Promise<{ address: string; process: ChildProcess }> {
  const data = mkdtempSync(join(tmpdir(), "zany-console-"));
  const child = spawn(
    process.execPath,
    ["dist/cli/zany.cjs", "serve", "--port", "0", "--data", data, "--log-level", "silent"],
    { stdio: ["ignore", "pipe", "ignore"] },
  );
  let said = "";
  return new Promise((resolve) => {
    child.stdout.on("data", (chunk: Buffer) => {
      said += chunk.toString();
      const [, address] = /is at (http:\S+)/.exec(said) ?? [];
      if (address) resolve({ address, process: child });
    });
  });
}

function logbookOf(text: string): string {
  const runnable = new Runnable(compile(text).machine);
  const how = { seed: "long", now: 0 };
  const first = begin(runnable, how).taken;
  if (!first) throw new Error("it does not begin");
  let logbook = "";
  const writer = new LogbookWriter(runnable, how, first, (line) => (logbook += line));
  let { situation } = first;
  for (let i = 0; i < STEPS; i++) {
    const seat = i % 2 === 0 ? "left" : "right";
    const result = step(runnable, situation, { kind: "action", seat, action: "call" }, { happenings: "now" });
    for (const taken of result.taken) writer.add(taken);
    situation = result.situation;
  }
  return logbook;
}

/**
 * Does something in a page, and tells how long its thread was busy at a stretch; stretches below 50 ms count as none.
 */
async function busy(page: Page, what: string, work: () => Promise<void>): Promise<void> {
  await page.evaluate(() => {
    const longest = { ms: 0, count: 0 };
    Object.assign(globalThis, { longest });
    new PerformanceObserver((list) => {
      for (const { duration } of list.getEntries()) {
        longest.ms = Math.max(longest.ms, duration);
        longest.count++;
      }
    }).observe({ type: "longtask" });
  });
  await work();
  await page.waitForTimeout(300);
  const { ms, count } = await page.evaluate(
    () => (globalThis as unknown as { longest: { ms: number; count: number } }).longest,
  );
  console.log(`${what}: ${count} tasks over 50 ms${count > 0 ? `, the longest ${ms.toFixed(0)} ms` : ""}`);
}

/** Opens Try in the page; gives the milliseconds from the click until what a seat may do is drawn, and closes it. */
async function timeOfTry(): Promise<number> {
  const button = [...document.querySelectorAll("button")].find((b) => b.textContent?.trim() === "Try");
  const drawn = (): boolean => document.querySelector('[aria-label="Actions of north"] button') !== null;
  const frame = (): Promise<number> => new Promise((resolve) => requestAnimationFrame(resolve));
  const since = performance.now();
  button?.click();
  while (!drawn()) await frame();
  const took = performance.now() - since;
  button?.click();
  while (drawn()) await frame();
  return took;
}

async function everything(): Promise<void> {
  const service = await serve();
  const client = new ZanyClient(service.address);
  const browser = await openBrowser();
  const page = await browser.newPage();
  const text = longLogbookMachine();
  await client.addMachine(text);
  const logbook = await client.addLogbook(logbookOf(text), "long");
  await page.goto(`${service.address}/logbooks/${logbook.id}`);
  await page.getByRole("list", { name: "Steps" }).getByRole("button").first().waitFor();
  await page.waitForTimeout(1_000);
  await busy(page, `${STEPS} steps scrubbed by keys`, async () => {
    for (let i = 0; i < 60; i++) await page.keyboard.press(i % 3 === 0 ? "PageDown" : "ArrowRight");
    await page.keyboard.press("End");
    await page.keyboard.press("Home");
  });
  await busy(page, `${STEPS} steps scrolled by the wheel`, async () => {
    await page.getByRole("list", { name: "Steps" }).hover();
    for (let i = 0; i < 60; i++) await page.mouse.wheel(0, i % 10 === 0 ? 20_000 : 400);
  });

  const long = longMachine(40, 2_000);
  const { name } = await client.addMachine(long);
  await page.goto(`${service.address}/machines/${name}`);
  await page.getByRole("list", { name: "Messages" }).waitFor();
  await page.waitForTimeout(1_000);
  await busy(page, `${long.split("\n").length} lines typed in`, async () => {
    await page.getByRole("textbox", { name: "The machine's text" }).click();
    await page.keyboard.type("// a gust, then another", { delay: 60 });
  });

  await client.addMachine(readFileSync("examples/kite-duel.zany", "utf8"));
  await page.goto(`${service.address}/machines/KiteDuel`);
  await page.getByRole("img", { name: /^Diagram of/ }).waitFor();
  await page.waitForTimeout(1_500);
  const starts: number[] = [];
  for (let i = 0; i < 9; i++) starts.push(await page.evaluate(timeOfTry));
  const [first = 0, ...later] = starts;
  later.sort((a, b) => a - b);
  console.log(`Try begun ${first.toFixed(0)} ms after the click, later ${later[4]?.toFixed(0)} ms (median of 8)`);

  const wide = await client.addMachine(wideMachine(30));
  const match = await client.beginMatch({ machine: wide.hash });
  await page.goto(service.address);
  await page.evaluate(([id, keys]) => localStorage.setItem(`zany.keys.${id}`, JSON.stringify(keys)), [
    match.id,
    match.keys,
  ] as const);
  await page.goto(`${service.address}/matches/${match.id}`);
  await page.getByRole("region", { name: "Actions of s30", exact: true }).waitFor();
  await busy(page, "30 seats played", async () => {
    for (let i = 0; i < 10; i++) await page.getByRole("button", { name: "pass", exact: true }).first().click();
  });
  await browser.close();
  service.process.kill();
}

void everything();
