/** What a machine's page looks for: matches behind warnings, every situation, many matches, what is covered. */

import { readFileSync } from "node:fs";
import { ZanyClient } from "@zany/client";
import { compile, type Tally } from "@zany/core";
import type { BrowserContext, Locator, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from "vitest";
import { newFolder, type Running, startService } from "../../service/test/running.js";
import { openBrowser } from "./browser.js";

let service: Running;
let browser: BrowserContext;
let page: Page;
const pageErrors: string[] = [];

beforeAll(async () => {
  service = await startService(newFolder(), "--demo");
  browser = await openBrowser();
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});
beforeEach(async () => {
  page = await browser.newPage();
  page.on("pageerror", (error) => pageErrors.push(error.message));
});
afterEach(async () => {
  await page.close();
  expect(pageErrors.splice(0)).toEqual([]);
});

const button = (name: string | RegExp) => page.getByRole("button", { name, exact: true });

/** Writes an editor's text anew by its keys: what the page selects in it does not outlive the editor's next change. */
async function rewrite(editor: Locator, text: string): Promise<void> {
  await editor.press("Control+a");
  await page.keyboard.insertText(text);
}

/** What is saved by a click. */
async function saved(name: string | RegExp): Promise<string> {
  const [download] = await Promise.all([page.waitForEvent("download"), button(name).click()]);
  return readFileSync(await download.path(), "utf8");
}

test("a warning shows the match behind it: as steps, as a test in the text, and in the replay", async () => {
  const text = readFileSync("docs/examples/broken-duel.zany", "utf8");
  const { hash } = await new ZanyClient(service.address).addMachine(text);
  await page.goto(`${service.address}/machines/${hash}`);
  const negative = page.getByRole("list", { name: "Messages" }).getByRole("listitem").first();
  await negative.getByRole("button", { name: "Show the match" }).click();
  const window = page.getByRole("dialog", { name: "A match that shows it" });
  expect(await window.getByRole("list", { name: "Steps" }).getByRole("listitem").allTextContents()).toEqual([
    "1north brace",
    "2south slash(north)",
  ]);
  await window.getByRole("button", { name: "Open in the replay" }).click();
  await page.waitForURL(/\/logbooks\/[^/]+\?step=2$/);
  await page.getByText("south slashes north for").first().waitFor();
  await page.goBack();
  await negative.getByRole("button", { name: "Show the match" }).click();
  await window.getByRole("button", { name: "Add as a test" }).click();
  // The text is no stored version any more; the test that was added is run.
  await page.getByText("not stored yet").waitFor();
  await page.getByRole("tab", { name: "Tests" }).click();
  await page.getByText(/^found: "hit" can be negative/).waitFor();
});

test("every situation is visited, a search is stopped, and what it finds leads to its match", async () => {
  await page.goto(`${service.address}/machines/KiteDuel?side=explore`);
  await page.getByLabel("Most situations").selectOption("2000000");
  await button("Explore").click();
  await page.getByText(/\d+ situations, \d+ to go on from/).waitFor();
  // The service does it: whoever comes back finds it at work.
  await page.reload();
  await page.getByText(/\d+ situations, \d+ to go on from/).waitFor();
  await button("Stop").click();
  await button("Explore").waitFor();
  const text = readFileSync("docs/examples/two-bells.zany", "utf8");
  const { hash } = await new ZanyClient(service.address).addMachine(text);
  await page.goto(`${service.address}/machines/${hash}?side=explore`);
  await button("Explore").click();
  await page.getByText("All 6 situations visited.").waitFor();
  const finding = page.getByRole("list", { name: "Findings" }).getByRole("listitem");
  await finding.getByText("a law breaks").waitFor();
  await finding.getByRole("button", { name: "Show the match" }).click();
  await page.getByRole("dialog").getByText("timer Big.after1").waitFor();
  await page.keyboard.press("Escape");
  expect(JSON.parse(await saved("Save as JSON"))).toMatchObject({ situations: 6, complete: true });
  // What it came to is kept with the version.
  await page.reload();
  await page.getByText("All 6 situations visited.").waitFor();
  await page.getByText("Kept with this version by the service").waitFor();
  // The shortest way to a condition of one's own, or that there is none.
  const status = page.getByRole("status").filter({ hasText: "big" });
  await page.getByLabel("Goal").fill("big and not small");
  await button("Explore").click();
  await status.getByText("never: proven").waitFor();
  await page.getByLabel("Goal").fill("big and small");
  await button("Explore").click();
  await status.getByText("is reached in 2 steps").waitFor();
  await status.getByRole("button", { name: "Show the match" }).click();
  await page.getByRole("dialog").getByText("timer Small.after1").waitFor();
  await page.keyboard.press("Escape");
  await page.getByLabel("Goal").fill("bigg");
  await button("Explore").click();
  await page.getByText('Did you mean "big"?').waitFor();
});

test("many matches are counted, by policies too; what is covered is counted and leads to the text", async () => {
  await page.goto(`${service.address}/machines/KiteDuel?side=simulate`);
  await page.getByLabel("Matches").selectOption("100");
  const policy = compile(readFileSync("examples/kite-duel.zany", "utf8")).machine.policies[0]?.name ?? "";
  await page.getByRole("combobox", { name: "north" }).selectOption(policy);
  await button("Simulate").click();
  await button("Save as JSON").waitFor();
  await button("Simulate").waitFor();
  const tally = JSON.parse(await saved("Save as JSON")) as Tally;
  expect(tally.matches).toBe(100);
  expect((await saved("Save as CSV")).split("\n")).toContainEqual(
    expect.stringMatching(/^win,north,\d+,[01]\.\d+,0\.\d+,[01]\.\d+$/),
  );
  const [[ending, number] = []] = Object.entries(tally.examples);
  await button(`Show a match that ends so: ${ending}`).click();
  const shown = page.getByRole("dialog");
  await shown.getByText(`Match ${number} of the simulation: ${ending}`).waitFor();
  const lengths = Object.keys(tally.lengths);
  expect(lengths).toContain(String(await shown.getByRole("list", { name: "Steps" }).getByRole("listitem").count()));
  await page.keyboard.press("Escape");
  // What any expression comes to, and the same matches over the values of starting data.
  await page.getByLabel("Count too").fill("lap; lapp");
  await button("Simulate").click();
  await page.getByText('Did you mean "lap"?').waitFor();
  await page.getByLabel("Count too").fill("lap; kites[north].lift > 0");
  await button("Simulate").click();
  await page.getByRole("img", { name: "lap at the end over lap" }).waitFor();
  expect(await saved("Save as SVG")).toContain("kites[north].lift &gt; 0 at the end");
  // What the dice came to, and what never came about.
  await page.getByLabel("Rolls").check();
  await button("Simulate").click();
  await page.getByText("roll(1..6)").waitFor();
  await page.getByText("Never among the endings: BothDown, Lapsed").waitFor();
  await page.getByLabel("Rolls").uncheck();
  await page.getByLabel("Vary").fill("kites.north.lift=1,20,40");
  await button("Simulate").click();
  await page.getByText("3 values of kites.north.lift, 100 matches each").waitFor();
  await page.getByRole("img", { name: "Wins over kites.north.lift" }).waitFor();
  const [head = "", weak = "", , strong = ""] = (await saved("Save as CSV")).split("\n");
  const column = head.split(",").indexOf("north win");
  expect(Number(weak.split(",")[column])).toBeLessThan(Number(strong.split(",")[column]));
  await page.getByRole("tab", { name: "Coverage" }).click();
  await button("Count").click();
  const missed = page.getByRole("list", { name: "Not covered" });
  await page.getByText(/\d+ pairs? of state and input/).click();
  await page.getByRole("row", { name: "Turn Turn.slash" }).waitFor();
  await missed.getByText("Turn.cutLoose").click();
  await page.locator(".cm-activeLine", { hasText: "action cutLoose" }).waitFor();
  expect(await saved("Save as LCOV")).toContain("FNDA:0,Turn.cutLoose");
  // What would cover it, as a match to look at and as tests.
  await page.getByLabel("Steps to find what is missing").selectOption("100000");
  await button("Count").click();
  const cut = missed.getByRole("listitem").filter({ hasText: "Turn.cutLoose" });
  await cut.getByText("1 step", { exact: true }).waitFor();
  await cut.getByRole("button", { name: "Show the match" }).click();
  await page.getByRole("list", { name: "Steps" }).getByText("cutLoose").waitFor();
  await page.keyboard.press("Escape");
  expect(await saved(/Save \d+ tests that would/)).toMatch(/test "covers Turn.cutLoose"/);
  // The text's margin and the diagram show it too.
  await page.locator(".zany-missed[title='Not covered: Turn.cutLoose']").waitFor();
  await page.getByRole("tab", { name: "Diagram" }).click();
  const pausing = page.getByRole("img", { name: /^Diagram of/ }).locator("g", { hasText: "Paused" });
  await pausing.locator("title", { hasText: "Not covered" }).first().waitFor({ state: "attached" });
  // What was found is there still when one looks elsewhere in between.
  await page.getByRole("tab", { name: "Simulate" }).click();
  await page.getByText("3 values of kites.north.lift").waitFor();
});

test("a game's own log is judged by the machine that is open, beside the mapping that says what its rows mean", async () => {
  const folder = "examples/herring-duel";
  const text = readFileSync(`${folder}/herring-duel.zany`, "utf8");
  const { hash } = await new ZanyClient(service.address).addMachine(text);
  await page.goto(`${service.address}/machines/${hash}?side=log`);
  await page.getByLabel("The log that the game wrote").setInputFiles(`${folder}/logs/04.log`);
  await page.getByText("Proposed from the names in the log").waitFor();
  const mapping = page.getByRole("textbox", { name: "The mapping" });
  expect(await mapping.textContent()).toContain('machine "HerringDuel.zany"');
  await page.getByLabel("A mapping, if there is one").setInputFiles(`${folder}/herring.map`);
  const match = page.getByRole("list", { name: "Matches" }).getByRole("listitem");
  await match.getByText("mongers[mira].clean is 2 by the machine, and the log tells 5.").waitFor();
  expect(await match.first().textContent()).toContain("row 16: olle throw(Cod)");
  const editor = page.getByRole("textbox", { name: "The machine's text" });
  await match.getByRole("button", { name: "Line in the machine" }).click();
  await editor.locator(".cm-activeLine", { hasText: "clean -= roll(1..3)" }).waitFor();
  await match.getByRole("button", { name: "Line in the mapping" }).click();
  await mapping.locator(".cm-activeLine", { hasText: "tells mongers[mira].clean" }).waitFor();
  // The machine is mended here; what the log comes to follows. Then it is the mapping that is wrong.
  await rewrite(editor, text.replace("roll(1..3) + heavy(fish)", "1"));
  await match.getByText("The log tells 2 rolls, and the machine rolls only 1 here.").waitFor();
  await rewrite(editor, text);
  await rewrite(mapping, readFileSync(`${folder}/herring.map`, "utf8").replace("-> .p duck", "-> .p dukc"));
  const wrong = page.getByRole("list", { name: "What is wrong with the mapping" }).getByRole("listitem");
  await wrong.filter({ hasText: 'Did you mean "duck"?' }).getByText("line 15").waitFor();
  await page.getByLabel("Another mapping").setInputFiles(`${folder}/herring.map`);
  await page.getByLabel("04.log, 19 lines").setInputFiles(`${folder}/logs/01.log`);
  await page.getByText("1 match explained, 0 not").waitFor();
  await match.getByRole("button", { name: "Open in the replay" }).click();
  await page.waitForURL(/\/logbooks\/[^/]+$/);
  await page.getByText("Soaked").first().waitFor();
  // It is still there for whoever comes back.
  await page.goBack();
  await page.getByText("1 match explained, 0 not").waitFor();
});
