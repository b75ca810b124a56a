/** The console in headless Chromium, against a service with the demo data. */

import { readdirSync, readFileSync } from "node:fs";
import { gzipSync } from "node:zlib";
import { ZanyClient } from "@zany/client";
import { compile, Runnable, Trial, verifyText } from "@zany/core";
import type { BrowserContext, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from "vitest";
import { newFolder, type Running, startService } from "../../service/test/running.js";
import { openBrowser } from "./browser.js";
import { longLogbookMachine } from "./large-machines.js";

let service: Running;
let browser: BrowserContext;
let page: Page;
/** Errors that a page logs or throws; there must be none. */
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
  // A refused action is an answer with status 409, which the browser notes too.
  page.on(
    "console",
    (message) => message.type() === "error" && !message.text().includes("409") && pageErrors.push(message.text()),
  );
});
afterEach(async () => {
  await page.close();
  expect(pageErrors.splice(0)).toEqual([]);
});

const open = (path: string) => page.goto(`${service.address}${path}`);
const diagram = () => page.getByRole("img", { name: /^Diagram of/ });

/** Begins a match of a machine and waits until it is shown. */
async function beginMatch(machine: string): Promise<void> {
  await open(`/machines/${machine}`);
  await page.getByRole("button", { name: "Begin a match" }).click();
  await page.waitForURL(/\/matches\//);
  await page.getByText("begin", { exact: false }).first().waitFor();
}

const seatPanel = (name: string) => page.getByRole("region", { name, exact: true });
const actions = (of: string, on = page) => on.getByRole("region", { name: `Actions of ${of}`, exact: true });
const seatOnTurn = async (): Promise<[string, string]> => {
  await page.getByText("on turn").waitFor();
  return (await seatPanel("north").getByText("on turn").count()) > 0 ? ["north", "south"] : ["south", "north"];
};

describe("the frame", () => {
  test("goes anywhere by a few letters, tells the page's keys, and says when the service is gone", async () => {
    await open("/");
    await page.getByRole("heading", { name: "Machines" }).waitFor();
    await page.keyboard.press("Control+k");
    await page.getByRole("combobox", { name: "Go to" }).fill("volleys");
    await page.getByRole("option", { name: /KiteVolleys@1/ }).waitFor();
    await page.keyboard.press("Enter");
    await page.waitForURL(/\/machines\/KiteVolleys$/);
    await open("/logbooks");
    await page.getByRole("link", { name: "kite-duel-01" }).click();
    await page.getByRole("list", { name: "Steps" }).waitFor();
    await page.keyboard.press("?");
    const keys = page.getByRole("dialog", { name: "Keys" });
    await keys.getByText("one step back, one step on").waitFor();
    expect(await keys.textContent()).toContain("Ctrl K");
    await page.keyboard.press("Escape");
    await keys.waitFor({ state: "detached" });
    await page.route("**/api/**", (route) => route.abort());
    await page.getByRole("link", { name: "Matches" }).click();
    await page.getByText("The service does not answer.").waitFor();
    await page.unroute("**/api/**");
    await page.getByText("The service does not answer.").waitFor({ state: "detached" });
    await page.getByText("No match has been begun here yet.").waitFor();
    pageErrors.splice(0);
  });

  test("shows first what is going on, finds a machine, and begins with a template or a file", async () => {
    await open("/");
    const card = page.getByRole("listitem").filter({ has: page.getByRole("link", { name: "KiteDuel", exact: true }) });
    await card.getByText("of 12 kept matches diverge").waitFor();
    expect(await card.first().textContent()).toMatch(/two fighting kites.*no problems.*2 tests pass/);
    await page.getByRole("searchbox", { name: "Search machines" }).fill("lanterns");
    await page.getByRole("link", { name: "LanternTrails" }).waitFor();
    expect(await page.getByRole("link", { name: "KiteDuel", exact: true }).count()).toBe(0);
    for (const [link, said] of [
      ["alternating", "Alternating"],
      ["round robin", "RoundRobin"],
      ["initiative", "Initiative"],
      ["secretly at once", "SecretlyAtOnce"],
      ["gauges", "Gauges"],
      ["phases", "Phases"],
    ] as const) {
      await open("/");
      await page.getByRole("link", { name: link }).click();
      await page.getByText(`No problems found in ${said}:`).waitFor();
    }
    await open("/");
    const text = "machine Dropped\nseats a\nstart S\nstate S { turn of a action end -> E }\nending E { draws all }\n";
    await page
      .getByLabel(/Drop a .zany file/)
      .setInputFiles({ name: "d.zany", mimeType: "text/plain", buffer: Buffer.from(text) });
    await page.getByText("No problems found in Dropped:").waitFor();
    await open("/");
    await page
      .getByLabel(/Drop a .zany file/)
      .setInputFiles({ name: "bad.zany", mimeType: "text/plain", buffer: Buffer.from([0xff, 0xfe]) });
    await page.getByText('"bad.zany" is no UTF-8 text.').waitFor();
  });
});

describe("much of everything", () => {
  test("what lists and matches load at first is less than 150 kB", () => {
    const folder = "dist/console/assets";
    const files = readdirSync(folder);
    const isPage = (page: string) => (file: string) => new RegExp(`^${page}-[\\w-]{8}\\.js$`).test(file);
    for (const page of ["home", "machines", "matches", "matches\\.ID", "logbooks"]) {
      const first = [...files.filter(isPage(page)), ...files.filter(isPage("index"))];
      expect(first.length, page).toBe(2);
      const loaded = new Set(files.filter((file) => /^index-.*\.css$/.test(file)));
      for (const file of first) {
        if (loaded.has(file)) continue;
        loaded.add(file);
        for (const [, other] of readFileSync(`${folder}/${file}`, "utf8").matchAll(/(?:from|import)"\.\/([^"]+\.js)"/g))
          first.push(other as string);
      }
      const size = [...loaded].reduce((sum, file) => sum + gzipSync(readFileSync(`${folder}/${file}`)).length, 0);
      expect(size, page).toBeLessThan(150_000);
    }
  });

  test("a logbook of 1,000 steps draws only what is in sight, and its address names the step", async () => {
    const client = new ZanyClient(service.address);
    const text = longLogbookMachine();
    await client.addMachine(text);
    const runnable = new Runnable(compile(text).machine);
    const trial = new Trial({ runnable, text, name: "calls", findPart: () => undefined }, { seed: "long", now: 0 });
    for (let i = 0; i < 999; i++)
      trial.match.take({ kind: "action", seat: i % 2 === 0 ? "left" : "right", action: "call" });
    trial.match.take({ kind: "action", seat: "right", action: "hush" });
    const { id } = await client.addLogbook(trial.asLogbook(), "long");
    await open(`/logbooks/${id}?step=500`);
    const steps = page.getByRole("list", { name: "Steps" });
    await steps.getByRole("button", { name: "500 right call" }).waitFor();
    expect(await steps.getByRole("listitem").count()).toBeLessThan(100);
    await page.keyboard.press("End");
    await steps.getByRole("button", { name: "1000 right hush" }).waitFor();
    await expect.poll(() => page.url()).toContain("step=1000");
    expect(await steps.getByRole("listitem").count()).toBeLessThan(100);
  });

  test("a slow service shows where things will be, and then the things", async () => {
    await page.route("**/api/**", async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 1_000));
      await route.continue().catch(() => {});
    });
    await open("/");
    await page.getByRole("status", { name: "Loading" }).waitFor();
    await page.getByRole("link", { name: "KiteDuel", exact: true }).click();
    await page.getByText("No problems found in KiteDuel").waitFor();
    await page.getByRole("button", { name: "Begin a match" }).click();
    await page.waitForURL(/\/matches\//);
    await page.getByRole("button", { name: "brace", exact: true }).first().click();
    await page.getByText("brace", { exact: true }).first().waitFor();
    await page.unrouteAll({ behavior: "ignoreErrors" });
  });
});

describe("a machine", () => {
  test("is listed with its versions, and opens with its text and its diagram", async () => {
    await open("/");
    await page.getByRole("link", { name: "KiteDuel", exact: true }).first().click();
    await page.getByText("No problems found in KiteDuel: 4 states, 6 actions, 3 endings, 2 tests.").waitFor();
    await diagram().waitFor();
    const words = (await diagram().textContent()) ?? "";
    for (const word of [
      "Lap",
      "Turn",
      "Judge",
      "Paused",
      "Flown",
      "BothDown",
      "slash, brace, mend",
      "after 10d",
      "queue.empty",
      "returns: unpause, after 2d",
      "anywhere",
    ])
      expect(words).toContain(word);
  });

  test("tells a mistake at its line while it is typed, redraws, and can be stored when it is fixed", async () => {
    await open("/machines/new");
    const editor = page.getByRole("textbox", { name: "The machine's text" });
    await editor.click();
    await page.keyboard.press("Control+a");
    await page.keyboard.insertText(
      "machine Ferry\nseats bow\n\nstart Sail\n\nstate Sail {\n  turn of bow\n  action moor -> Harbor\n}\n\nending Harbour { draws all }\n",
    );
    const message = page.getByRole("list", { name: "Messages" }).getByRole("button", { name: /line/ });
    await message.waitFor();
    expect(await message.textContent()).toBe(
      'line 8There is no state, overlay or ending "Harbor". Did you mean "Harbour"?',
    );
    expect(await page.getByRole("button", { name: "Store version" }).isDisabled()).toBe(true);
    await message.click();
    for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowRight");
    await page.keyboard.type("u");
    await page.getByText("No problems found in Ferry").waitFor();
    await diagram().getByText("Harbour").waitFor();
    await page.getByRole("button", { name: "Store version" }).click();
    await page.getByLabel("What is new in it, in a line").fill("the first crossing");
    await page.getByRole("button", { name: "Store", exact: true }).click();
    await page.waitForURL(/\/machines\/Ferry@1/);
    await page.getByRole("heading", { name: "Ferry@1" }).waitFor();
  });

  test("runs its tests while it is typed; one that fails tells its story and leads to its line", async () => {
    await open("/machines/KiteDuel?side=tests");
    const tests = page.getByRole("region", { name: "Tests" });
    await tests.getByText("nobody plays for ten days").waitFor();
    expect(await tests.getByRole("img", { name: "passes" }).count()).toBe(2);
    const editor = page.getByRole("textbox", { name: "The machine's text" });
    await editor.click();
    await page.keyboard.press("Control+End");
    await page.keyboard.insertText('\ntest "nobody may lose" {\n  north cutLoose\n  expect north wins\n}\n');
    await page.getByRole("tab", { name: /Tests 1 failing/ }).waitFor();
    const failing = tests
      .getByRole("listitem")
      .filter({ has: page.getByRole("img", { name: "fails" }) })
      .first();
    expect(await failing.textContent()).toMatch(/nobody may lose.*cutLoose.*expected north: win, but north: loss/);
    await failing.getByRole("button").click();
    await page.keyboard.insertText("//");
    await expect.poll(() => editor.textContent()).toContain("expect //north wins");
  });

  test("its diagram is zoomed and moved about; the border beside it stays where it was left", async () => {
    await open("/machines/MarketSiege");
    await diagram().waitFor();
    const width = async (): Promise<number> => (await diagram().boundingBox())?.width ?? 0;
    const frame = page.getByRole("region", { name: "Diagram" });
    // At first its labels are as large as they are written, and the whole need not fit.
    await page.getByText("100%", { exact: true }).waitFor();
    await page.getByRole("button", { name: "See the whole (0)" }).click();
    const whole = await width();
    expect(whole).toBeLessThanOrEqual((await frame.boundingBox())?.width ?? 0);
    await frame.focus();
    for (const _ of [1, 2, 3, 4, 5]) await page.keyboard.press("+");
    expect(await width()).toBeGreaterThan(whole * 2);
    const at = await frame.evaluate((element) => {
      element.scrollTo(200, 200);
      const { x, y } = element.getBoundingClientRect();
      return { x: x + 300, y: y + 300, left: element.scrollLeft };
    });
    await page.mouse.move(at.x, at.y);
    await page.mouse.down();
    await page.mouse.move(at.x - 60, at.y, { steps: 3 });
    await page.mouse.up();
    expect(await frame.evaluate((element) => element.scrollLeft)).toBe(at.left + 60);
    const border = page.getByRole("separator", { name: "Border between the panels" });
    const before = (await border.boundingBox())?.x ?? 0;
    await border.focus();
    const kept = (): Promise<string> => page.evaluate(() => JSON.stringify({ ...localStorage }));
    const atFirst = await kept();
    await page.keyboard.press("ArrowLeft");
    await expect.poll(async () => (await border.boundingBox())?.x).toBeLessThan(before - 20);
    const after = (await border.boundingBox())?.x ?? 0;
    await expect.poll(kept).not.toBe(atFirst);
    await page.reload();
    await diagram().waitFor();
    expect(Math.abs(((await border.boundingBox())?.x ?? 0) - after)).toBeLessThan(4);
    await page.evaluate(() => localStorage.clear());
  });

  test("is seen as a whole: a state folded in the diagram, and every state against every action in the table", async () => {
    await open("/machines/KiteDuel");
    await diagram().getByText("Judge").waitFor();
    await diagram().getByText("Lap", { exact: true }).click();
    await page.getByRole("button", { name: "Fold", exact: true }).click();
    await diagram().getByText("Lap (+2)").waitFor();
    expect(await diagram().getByText("Judge").count()).toBe(0);
    expect(await diagram().textContent()).toContain("wins winner, loses others");
    await page.getByRole("button", { name: "Unfold" }).click();
    // A click goes to the text, and the state the cursor is in is lit; it can be seen with its neighbours alone.
    await diagram().getByText("Judge").click();
    await page.keyboard.insertText("//");
    await expect
      .poll(() => page.getByRole("textbox", { name: "The machine's text" }).textContent())
      .toContain("//state Judge");
    await page.keyboard.press("Control+z");
    await expect.poll(() => page.url()).toContain("state=Judge");
    await page.getByRole("button", { name: "Only with its neighbours" }).click();
    await diagram().getByText("Paused").waitFor({ state: "detached" });
    await diagram().getByText("BothDown").waitFor();
    await page.getByRole("button", { name: "The whole again" }).click();
    for (const [kind, beginning] of [
      ["SVG", "<svg"],
      ["PNG", "\u0089PNG"],
      ["DOT", "digraph"],
    ] as const) {
      await page.getByRole("button", { name: "Save the diagram" }).click();
      const [download] = await Promise.all([
        page.waitForEvent("download"),
        page.getByRole("menuitem", { name: kind }).click(),
      ]);
      expect(readFileSync(await download.path(), "latin1").slice(0, 8)).toContain(beginning);
    }
    await page.getByRole("tab", { name: "Table" }).click();
    const row = page.getByRole("row", { name: /^Turn/ });
    const cell = row.getByRole("button", { name: "Judge" });
    const titles = await row.getByRole("button").evaluateAll((all) => all.map((one) => (one as HTMLElement).title));
    for (const words of [
      "in Lap\nturn of queue.first",
      "-> Judge",
      'needs kites[me].tape > 0, else "no tape left"',
      "by anyone",
      "from the machine",
      "after 10d",
    ])
      expect(titles.join("\n")).toContain(words);
    // All of it is seen at this width, each cell on one line.
    const frame = page.getByRole("region", { name: "Table" });
    expect(await frame.evaluate((e) => e.scrollWidth - e.clientWidth)).toBeLessThanOrEqual(0);
    expect((await row.boundingBox())?.height).toBeLessThan(32);
    await cell.first().click();
    await page.keyboard.insertText("//");
    await expect
      .poll(() => page.getByRole("textbox", { name: "The machine's text" }).textContent())
      .toContain("//action slash");
    await page.keyboard.press("Control+z");
    await page.getByLabel("Filter by state or input").fill("slash");
    await expect.poll(() => page.getByRole("columnheader", { name: "brace" }).count()).toBe(0);
    await page.getByRole("columnheader", { name: "slash" }).waitFor();
    await page.getByRole("tab", { name: "Outline" }).click();
    await page.getByLabel("Find a name").fill("shield");
    await page.keyboard.press("Enter");
    await page.keyboard.type("/");
    await expect
      .poll(() => page.getByRole("textbox", { name: "The machine's text" }).textContent())
      .toContain("function /shield");
  });

  test("helps in the editor: completion, hover, a fix by a click, jumping, listing and renaming", async () => {
    await open("/machines/new");
    const editor = page.getByRole("textbox", { name: "The machine's text" });
    await page.getByText("No problems found in Untitled").waitFor();
    await editor.click();
    await page.keyboard.press("Control+a");
    await page.keyboard.insertText(
      "machine Ferry\nseats bow\n\ndata { knots: int 0..9 = 3 }\n\nstart Sail\n\nstate Sail {\n  turn of bow\n  when knots == 9 -> Harbour\n  action row { knts += 1 } -> stay\n  action moor -> ",
    );
    await page
      .getByRole("option", { name: /^Harbour|^Sail/ })
      .first()
      .waitFor();
    await page.keyboard.type("Har");
    await page.keyboard.press("Escape");
    await page.keyboard.insertText("bour\n}\n\nending Harbour { draws all }\n");
    const messages = page.getByRole("list", { name: "Messages" });
    await messages.getByText('There is no value "knts". Did you mean "knots"?').waitFor();
    // While one types, messages about the lines around come and go; a click is for a list that stays.
    await expect.poll(() => messages.getByRole("listitem").count()).toBe(1);
    await messages
      .getByRole("listitem")
      .filter({ hasText: 'no value "knts"' })
      .getByRole("button", { name: "Explain" })
      .click();
    await page
      .getByRole("region", { name: "About unknown-value" })
      .getByText("A value that is not declared.")
      .waitFor();
    await messages.getByRole("button", { name: 'Write "knots"' }).click();
    await page.getByText("No problems found in Ferry").waitFor();
    // A place is shown, listed and renamed from where it is used.
    const use = editor.getByText("-> Harbour").first();
    await use.click();
    await page.keyboard.press("End");
    await page.keyboard.press("Shift+F12");
    await page.getByText("Harbour: 3 places").waitFor();
    await page.keyboard.press("F2");
    await page.getByLabel("New name").fill("Sail");
    await page.keyboard.press("Enter");
    await page.getByText("It would be an error").waitFor();
    await page.getByLabel("New name").fill("Quay");
    await page.keyboard.press("Enter");
    await diagram().getByText("Quay").waitFor();
    expect(await editor.textContent()).not.toContain("Harbour");
    // The pointer over a name tells its type.
    await editor.getByText("knots").first().hover();
    await page.getByText("knots: int 0..9").waitFor();
  });
});

describe("a trial", () => {
  test("is played from the text as it is, keeps its inputs when it changes, and becomes a test or a logbook", async () => {
    await open("/machines/KiteDuel?try=yes");
    const trial = page.getByRole("region", { name: "Try", exact: true });
    await trial.getByRole("region", { name: "Actions of north" }).waitFor();
    // Another state, other data, all dice by hand.
    await trial.getByRole("button", { name: "Begin with ..." }).click();
    await page.getByLabel(/^Seed/).fill("breeze");
    await page.getByText(/^Given/).click();
    await page.getByLabel(/^Data/).fill("kites.south.lift=30\nkites.north.pace=20");
    await page.getByRole("button", { name: "Begin", exact: true }).click();
    await trial.getByLabel("next dice").fill("6");
    await actions("north").getByRole("button", { name: "slash" }).click();
    await trial.getByText("slash(south) dice 6").waitFor();
    await page.getByRole("img", { name: /the match is in Lap, Turn$/ }).waitFor();
    await actions("south").getByRole("button", { name: "brace" }).click();
    await trial.getByRole("button", { name: "Undo" }).click();
    await expect.poll(() => trial.getByRole("list", { name: "What happened" }).textContent()).not.toContain("brace");
    await actions("south").getByRole("button", { name: "brace" }).click();
    // The rules change: the same inputs are played again, and where they go differently is said.
    const editor = page.getByRole("textbox", { name: "The machine's text" });
    await editor.getByText("kites[target].lift").first().click();
    await page.keyboard.press("End");
    await page.keyboard.type(" + 1");
    await trial
      .getByRole("alert")
      .getByText(/^Goes differently now at step 1, north slash\(south\): kites\.south\.lift becomes \d+, was \d+\.$/)
      .waitFor();
    for (const _ of " + 1") await page.keyboard.press("Backspace");
    await trial.getByRole("alert").waitFor({ state: "detached" });
    await trial.getByRole("list", { name: "What happened" }).getByText("brace", { exact: true }).waitFor();
    await trial.getByRole("button", { name: "Keep as a test" }).click();
    await page.getByRole("tab", { name: "Tests 3" }).waitFor();
    const [download] = await Promise.all([
      page.waitForEvent("download"),
      trial.getByRole("button", { name: "Save the logbook" }).click(),
    ]);
    const machine = compile(readFileSync("examples/kite-duel.zany", "utf8")).machine;
    const text = readFileSync(await download.path(), "utf8");
    expect(verifyText(new Runnable(machine), text)).toMatchObject({ kind: "truncated", steps: 2 });
  });
});

/** Presses Tab until the control of a name has the focus; out of the editor leads Esc. */
async function tabTo(name: RegExp): Promise<void> {
  const passed: string[] = [];
  for (let i = 0; i < 60; i++) {
    await page.keyboard.press("Tab");
    const at = await page.evaluate(() => {
      const element = document.activeElement;
      const label = element instanceof HTMLInputElement ? element.labels?.[0]?.textContent : undefined;
      return element?.getAttribute("aria-label") ?? (label ?? element?.textContent ?? "").trim();
    });
    if (name.test(at)) return;
    passed.push(at);
    if (at === "The machine's text") await page.keyboard.press("Escape");
  }
  throw new Error(`no ${name} among ${passed.join(" > ")}`);
}

/** The line of the text that the cursor is in. */
const cursorLine = () =>
  page.evaluate(() => getSelection()?.anchorNode?.parentElement?.closest(".cm-line")?.textContent ?? "");

describe("by keyboard alone", () => {
  test("a trial is played, the table is filtered, and both tables and outline go to the text", async () => {
    await open("/machines/KiteDuel");
    await diagram().waitFor();
    await tabTo(/^Try/);
    await page.keyboard.press("Enter");
    const trial = page.getByRole("region", { name: "Try", exact: true });
    const story = trial.getByRole("list", { name: "What happened" });
    await trial.getByRole("button", { name: "brace" }).first().waitFor();
    await tabTo(/^next dice$/);
    await page.keyboard.type("6");
    await tabTo(/^slash/);
    await page.keyboard.press("Enter");
    await trial.getByText(/slash\(\w+\) dice 6/).waitFor();
    await page.keyboard.press("Control+k");
    await page.getByRole("combobox", { name: "Go to" }).fill("brace");
    await page.getByRole("option", { name: /brace/ }).first().waitFor();
    await page.keyboard.press("Enter");
    const editor = page.getByRole("textbox", { name: "The machine's text" });
    await expect.poll(() => editor.evaluate((e) => e.contains(document.activeElement))).toBe(true);
    await page.keyboard.press("Escape");
    await tabTo(/^Table/);
    await page.keyboard.press("Enter");
    await tabTo(/^Filter by state/);
    await page.keyboard.type("turn");
    await page.getByText("1 state,").waitFor();
    await tabTo(/^Turn/);
    await page.keyboard.press("Enter");
    await expect.poll(cursorLine).toContain("state Turn");
    await page.keyboard.press("Escape");
    await tabTo(/^Outline/);
    await page.keyboard.press("Enter");
    await tabTo(/^Find a name/);
    await page.keyboard.type("cutL");
    await page.keyboard.press("Enter");
    await expect.poll(cursorLine).toContain("cutLoose");
    await page.keyboard.press("Escape");
    await tabTo(/^Undo$/);
    await page.keyboard.press("Enter");
    await expect.poll(() => story.textContent()).not.toContain("slash");
  });

  test("a match that waits elsewhere is told of; one that is cancelled asks first", async () => {
    const client = new ZanyClient(service.address);
    const match = await client.beginMatch({ machine: "StallSiege" });
    const [first = "", second = ""] = ["apples", "bread"];
    await open("/");
    await page.evaluate(
      ([id, key, host]) => localStorage.setItem(`zany.keys.${id}`, JSON.stringify({ bread: key, "(host)": host })),
      [match.id, match.keys[second] ?? "", match.hostKey] as const,
    );
    await open("/logbooks");
    await page.getByRole("link", { name: "kite-duel-01" }).waitFor();
    await client.act(match.id, match.keys[first] ?? "", "raid", { target: "candles" }, match.view.step);
    await page.getByText("StallSiege: it is bread's turn.", { exact: true }).waitFor();
    await page.getByRole("link", { name: "Go there" }).click();
    await page.waitForURL(new RegExp(`/matches/${match.id}`));
    await page.getByRole("button", { name: "Cancel", exact: true }).waitFor();
    await tabTo(/^Cancel/);
    await page.keyboard.press("Enter");
    const question = page.getByRole("dialog", { name: "Cancel this match?" });
    await question.waitFor();
    await page.keyboard.press("Escape");
    await question.waitFor({ state: "detached" });
    await expect.poll(() => page.evaluate(() => document.activeElement?.textContent?.trim())).toBe("Cancel");
    expect((await client.match(match.id)).cancelled).toBe(null);
    await page.keyboard.press("Enter");
    await tabTo(/^Cancel the match$/);
    await page.keyboard.press("Enter");
    await expect.poll(async () => (await client.match(match.id)).cancelled).not.toBe(null);
    await page.getByText("cancelled").first().waitFor();
  });
});

describe("a match", () => {
  test("is played in two seats side by side: open and closed actions, bars, notes and the live diagram", async () => {
    await beginMatch("KiteDuel");
    const [first, second] = await seatOnTurn();
    const theirs = seatPanel(second);
    // What is closed for one reason is said once; what one seat may not do has no button.
    await actions(second).getByText(`4 closed: It is ${first}'s turn.`).waitFor();
    expect(await actions(second).getByRole("button", { name: "slash" }).count()).toBe(0);
    expect(await page.title()).toContain(`${first}: your turn`);
    await actions(first).getByRole("button", { name: "slash" }).click();
    await page.getByText(`${first} slashes ${second} for`).waitFor();
    await theirs.getByText("on turn").waitFor();
    expect(await theirs.getByRole("meter", { name: "lift" }).getAttribute("value")).not.toBe("40");
    await page.getByRole("img", { name: /the match is in Lap, Turn$/ }).waitFor();
    // A number that only rises has no bar.
    expect(await page.getByRole("meter", { name: "pull" }).count()).toBe(0);
    await actions(first).getByRole("button", { name: "pause" }).click();
    await page.getByRole("img", { name: /the match is in Lap, Turn, Paused$/ }).waitFor();
    await page.getByRole("status").getByText("Paused").waitFor();
    await actions(second).getByRole("button", { name: "unpause" }).click();
    await actions(second).getByRole("button", { name: "cutLoose" }).click();
    await page.getByRole("status").getByText("Flown").waitFor();
    expect(await page.getByRole("status").textContent()).toMatch(new RegExp(`Flown.*${first} win|${second} loss`));
    await expect.poll(() => page.getByRole("button", { name: "slash" }).count()).toBe(0);
    await page.getByRole("link", { name: "Replay" }).click();
    await page.getByRole("list", { name: "Steps" }).getByRole("button").nth(4).waitFor();
  });

  test("can be played by keyboard alone, an argument chosen among open and closed values", async () => {
    await beginMatch("StallSiege");
    const raid = actions("apples").getByRole("button", { name: "raid" });
    await raid.focus();
    await page.keyboard.press("Enter");
    const choice = page.getByRole("group", { name: "raid: target" });
    await choice.waitFor();
    expect(await choice.getByRole("button", { name: "apples" }).isDisabled()).toBe(true);
    await choice.getByRole("button", { name: "candles" }).focus();
    await page.keyboard.press("Space");
    await page.getByText("candles loses").waitFor();
    await seatPanel("bread").getByText("on turn").waitFor();
  });

  test("that another page moves on is shown here at once, and a watcher sees no keys' actions", async () => {
    await beginMatch("KiteDuel");
    const [first, second] = await seatOnTurn();
    const other = await browser.newPage();
    await other.goto(page.url());
    await actions(first, other).getByRole("button", { name: "brace", exact: true }).click();
    await seatPanel(second).getByText("on turn").waitFor();
    await other.evaluate(() => localStorage.clear());
    await other.reload();
    await other.getByText("braced").first().waitFor();
    expect(await other.getByRole("button", { name: "brace", exact: true }).count()).toBe(0);
    await other.close();
  });
});

describe("beginning a match another way", () => {
  const wish = async (machine: string, fill: () => Promise<void>): Promise<void> => {
    await open(`/machines/${machine}`);
    await page.getByRole("button", { name: "Begin with ..." }).click();
    await page.getByText("Who plays").waitFor();
    await fill();
    await page.getByRole("button", { name: "Begin", exact: true }).click();
    await page.waitForURL(/\/matches\//);
  };

  test("a manual clock, a state with arguments and data, events as buttons, data watched", async () => {
    await wish("KiteVolleys", async () => {
      await page.getByLabel(/^Manual clock/).check();
      await page.getByText(/^Given/).click();
      await page.getByLabel("State").selectOption("Volley");
      await page.getByLabel(/^Its arguments/).fill("pattern=wall, kites=3");
      await page.getByLabel(/^Data/).fill("tears=4");
    });
    const game = page.getByRole("region", { name: "The game" });
    await page.getByRole("button", { name: "Watch tears", exact: true }).click();
    await game.getByRole("button", { name: "KiteStruck" }).click();
    await page.getByText(/signal KiteStruck from 37:\d+: heard by Volley \(70:\d+\)/).waitFor();
    await expect.poll(() => page.getByRole("region", { name: "Watched" }).textContent()).toContain("tears55 at step 1");
    await game.getByText("in 00:20 it goes on in Flyer").waitFor();
    await game.getByRole("button", { name: "+10 s" }).click();
    await game.getByText("in 00:10 it goes on in Flyer").waitFor();
    await game.getByRole("button", { name: "KitesLeft" }).click();
    await game.getByRole("group", { name: "KitesLeft: left" }).getByRole("spinbutton").fill("2");
    await page.keyboard.press("Enter");
    await page.getByText("event KitesLeft(2)").waitFor();
    await game.getByRole("button", { name: "To the next timer" }).click();
    await page.getByText("the last kites drift off").waitFor();
  });

  test("an open seat that somebody takes, a bot that is put into a seat and out of it", async () => {
    await wish("KiteDuel", async () => {
      await page.getByLabel("south").selectOption("open, for somebody");
    });
    await seatPanel("south").getByRole("button", { name: "Take the seat" }).click();
    await page.getByText("joins", { exact: true }).waitFor();
    await seatPanel("north").getByLabel("Who plays north").selectOption("bot careful");
    await seatPanel("south").getByLabel("Who plays south").selectOption("bot careful");
    await page.getByRole("list", { name: "What happened" }).getByRole("listitem").nth(8).waitFor();
    for (const seat of ["north", "south"])
      await seatPanel(seat).getByLabel(`Who plays ${seat}`).selectOption("a person");
    await expect.poll(() => seatPanel("north").getByLabel("Who plays north").inputValue()).toBe("");
  });

  test("a cell is picked on the board, by mouse and by keyboard", async () => {
    await beginMatch("FerryJourney");
    const board = page.getByRole("table", { name: "chart" });
    const sail = actions("skipper").getByRole("button", { name: "sail" });
    await sail.click();
    await board.getByRole("button", { name: "0,3" }).click();
    await page.getByText("sail(0,3)").waitFor();
    await sail.focus();
    await page.keyboard.press("Enter");
    await expect.poll(() => page.evaluate(() => document.activeElement?.getAttribute("aria-label"))).toBe("0,2");
    for (const key of ["ArrowDown", "ArrowRight", "ArrowLeft", "ArrowUp", "Enter"]) await page.keyboard.press(key);
    await page.getByText("sail(0,2)").waitFor();
  });
});

describe("logbooks", () => {
  test("are verified, and the two of older rules lead to the step where they diverge", async () => {
    await open("/logbooks");
    const all = page.getByRole("button", { name: "Verify all" });
    await all.click();
    await page
      .getByRole("status")
      .getByText(/\d verified/)
      .waitFor();
    await all.waitFor();
    expect((await page.getByRole("status").allTextContents()).join()).toMatch(/\b3[23] verified, 2 not\b/);
    const reasons = page.getByRole("list", { name: "Reasons" });
    await reasons.getByText(/1 match: .*because of Turn\.mend\.effects/).waitFor();
    await page.getByRole("link", { name: "diverged at step 10" }).first().click();
    await page
      .getByRole("alert")
      .getByText("Diverges at step 10, south mend: kites.south.lift recorded 23, replayed 27")
      .waitFor();
    // Side by side with the version it was played on, which the service has, and from there on.
    const ways = page.getByRole("region", { name: "Both ways" });
    await ways.waitFor();
    expect(await page.getByText("The replay diverges here:").count()).toBe(0);
    // Above the slider: where somebody else gets the turn, beside what went wrong.
    expect(await page.getByTitle(/^turn of (north|south) at step \d+$/).count()).toBeGreaterThan(5);
    expect(await page.getByTitle("diverges at step 10").count()).toBe(1);
    expect(await ways.getByRole("columnheader").allTextContents()).toEqual([
      "what",
      "as played, on version 1",
      "on version 2",
    ]);
    expect(await ways.getByRole("row").last().textContent()).toBe("kites.south.lift2327");
    await page.keyboard.press("ArrowLeft");
    await expect.poll(() => ways.count()).toBe(0);
    await page.keyboard.press("End");
    await ways.getByText("ended in Flown").first().waitFor();
    await page.getByRole("button", { name: "Go there" }).click();
    expect(await page.getByRole("slider").getAttribute("aria-valuenow")).toBe("10");
    // Why: what the step asked and wrote, from what went otherwise on, with the line of the text.
    const why = page.getByRole("tab", { name: "Why" });
    expect(await why.getAttribute("aria-selected")).toBe("true");
    await page.keyboard.press("w");
    expect(await why.getAttribute("aria-selected")).toBe("false");
    await page.keyboard.press("w");
    const current = page.locator('[aria-current="true"]');
    await current.getByText("kites.south.lift 15 -> 27").waitFor();
    await page.getByRole("region", { name: "The text at line 58" }).getByText("kites[me].lift += 12").waitFor();
    await page.getByLabel("Why of").selectOption({ label: "kites.south.tape" });
    await page.getByRole("button", { name: /kites\[me\]\.tape > 0/ }).click();
    await page.getByRole("region", { name: "The text at line 56" }).waitFor();
    await page
      .getByRole("button", { name: /^Go there|^Step forward/ })
      .last()
      .click();
    await page.getByRole("tab", { name: "Diagram" }).click();
    // On the version it was played on: a test of the step, and another way from it.
    await page.getByLabel("on version").selectOption({ label: "1 (played on)" });
    await page.getByText("of 25").waitFor();
    await expect.poll(() => page.getByRole("alert").count()).toBe(0);
    await page.keyboard.press("Home");
    for (let i = 0; i < 2; i++) await page.keyboard.press("ArrowRight");
    await page.getByRole("button", { name: "Make a test" }).click();
    const window = page.getByRole("dialog");
    await window.getByRole("button", { name: "Make the test" }).click();
    await window.getByText(/of 2 moves are enough\. It passes on this version/).waitFor();
    await window.getByText("south slash(target: north)").first().waitFor();
    await page.keyboard.press("Escape");
    await page.getByRole("button", { name: "Go on otherwise" }).click();
    await window.getByLabel("What is done instead").fill("south brce");
    await window.getByRole("button", { name: "Play it" }).click();
    await window.getByText('Did you mean "brace"?').waitFor();
    await window.getByLabel("What is done instead").fill("south brace");
    await window.getByRole("button", { name: "Play it" }).click();
    await window
      .getByRole("region", { name: /^Otherwise, 1 step/ })
      .getByText("queue south -> south, north")
      .waitFor();
    await page.keyboard.press("Escape");
    // What is watched is drawn over all steps, and leads to where it changed.
    await page.getByRole("tab", { name: "Watch" }).click();
    const expression = page.getByLabel("An expression to watch");
    await expression.fill("lap > two");
    await page.keyboard.press("Enter");
    await page.getByRole("alert").getByText('There is no value "two"').waitFor();
    await expression.fill("lap > 2");
    await page.keyboard.press("Enter");
    const watched = page.getByRole("region", { name: "lap > 2" });
    await watched.getByRole("img").waitFor();
    const change = watched.getByRole("button", { name: /^\d+: yes$/ });
    const step = (await change.textContent())?.split(":")[0];
    await change.click();
    await expect.poll(() => page.getByRole("slider").getAttribute("aria-valuenow")).toBe(step);
    await watched.getByText("yes", { exact: true }).waitFor();
    await watched.getByRole("button", { name: "Watch lap > 2 no longer" }).click();
    await expect.poll(() => watched.count()).toBe(0);
  });

  test("are stepped through forwards and backwards by keyboard: input, dice, notes, changes, states", async () => {
    await open("/logbooks");
    await page.getByRole("link", { name: "kite-duel-01" }).click();
    await page.getByRole("list", { name: "Steps" }).waitFor();
    const card = page.getByRole("region", { name: "This step" });
    await card.getByText("begin").waitFor();
    await page.keyboard.press("End");
    await page.getByRole("img", { name: /the match is in Flown$/ }).waitFor();
    await page.keyboard.press("Home");
    const rows = page.getByRole("list", { name: "Steps" }).getByRole("button");
    const slash = (await rows.allTextContents()).findIndex((row) => row.includes("slash"));
    for (let i = 0; i < slash; i++) await page.keyboard.press("ArrowRight");
    expect(await card.textContent()).toMatch(
      /slash.*dice\d.*of 1\.\.6.*slashes.*kites\.(north|south)\.lift \d+ \u2192 \d+/,
    );
    await page.keyboard.press("ArrowLeft");
    expect(await rows.nth(slash - 1).getAttribute("aria-current")).toBe("step");
  });
});

test("light and dark, kept for the next time; an address without a page says so", async () => {
  await open("/nowhere");
  await page.getByText("There is no page at this address.").waitFor();
  const background = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const before = await background();
  await page.getByRole("button", { name: /^(Dark|Light)$/ }).click();
  const after = await background();
  expect(after).not.toBe(before);
  await page.reload();
  await page.getByText("There is no page").waitFor();
  expect(await background()).toBe(after);
});
