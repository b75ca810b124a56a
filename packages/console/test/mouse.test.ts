/** Every page by mouse, in the sizes people have: what can be clicked is in sight, and does what it says. */

import axe from "axe-core";
import { ZanyClient } from "@zany/client";
import type { BrowserContext, Locator, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { newFolder, type Running, startService } from "../../service/test/running.js";
import { openBrowser } from "./browser.js";

/** The middle of an element, in pixels of the window, and whether a click there would be its own. */
interface Spot {
  readonly x: number;
  readonly y: number;
  readonly inWindow: boolean;
  readonly onTop: boolean;
}

/** Looks at an element after the next frame; runs in the page. */
async function spotOf(element: Element): Promise<Spot> {
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done, 50)));
  const { left, top, width, height } = element.getBoundingClientRect();
  const [x, y] = [left + width / 2, top + height / 2];
  const inWindow = x > 0 && x < innerWidth && y > 0 && y < innerHeight;
  return { x, y, inWindow, onTop: element.contains(document.elementFromPoint(x, y)) };
}

let service: Running;
let client: ZanyClient;

beforeAll(async () => {
  service = await startService(newFolder(), "--demo", "--log-level", "silent");
  client = new ZanyClient(service.address);
});
afterAll(() => service?.stop());

describe.each([
  [1280, 800],
  [800, 600],
])("at %i by %i", (width, height) => {
  let browser: BrowserContext;
  let page: Page;

  beforeAll(async () => {
    browser = await openBrowser({ viewport: { width, height } });
    page = browser.pages()[0] ?? (await browser.newPage());
  });
  afterAll(() => browser?.close());

  const open = async (path: string): Promise<void> => void (await page.goto(`${service.address}${path}`));
  const button = (name: string | RegExp): Locator => page.getByRole("button", { name, exact: true });

  /** Clicks with the mouse itself, on a spot that must be in the window and not under anything else. */
  async function click(target: Locator): Promise<void> {
    await target.scrollIntoViewIfNeeded();
    const spot = await whereItStays(target);
    expect(spot.inWindow, "in the window").toBe(true);
    expect(spot.onTop, "not under anything else").toBe(true);
    await page.mouse.click(spot.x, spot.y);
  }

  /** The middle of what has come to rest: a page still being filled moves what is on it. */
  async function whereItStays(target: Locator): Promise<Spot> {
    let [before, now] = [await target.evaluate(spotOf), await target.evaluate(spotOf)];
    for (let looks = 0; looks < 100 && JSON.stringify(now) !== JSON.stringify(before); looks += 1) {
      [before, now] = [now, await target.evaluate(spotOf)];
    }
    return now;
  }

  async function nothingFound(): Promise<void> {
    await page.evaluate(axe.source);
    const found = await page.evaluate(async () => {
      const checker = (globalThis as unknown as { axe: typeof axe }).axe;
      const { violations } = await checker.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"] });
      return violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.html.slice(0, 120)}`));
    });
    expect(found).toEqual([]);
  }

  test("from the first page to a match that is over, and back through its replay", async () => {
    await open("/");
    await click(page.getByRole("link", { name: "KiteDuel", exact: true }));
    await click(button("Begin a match"));
    await page.waitForURL(/\/matches\//);
    await page.getByText("on turn").waitFor();
    const seats = ["north", "south"].map((name) => page.getByRole("region", { name, exact: true }));
    const turn = (await (seats[0] as Locator).getByText("on turn").count()) > 0 ? 0 : 1;
    const own = ["north", "south"].map((name) => page.getByRole("region", { name: `Actions of ${name}` }));
    const [mine, theirs] = [own[turn] as Locator, own[1 - turn] as Locator];
    await click(mine.getByRole("button", { name: "brace", exact: true }));
    await theirs.getByRole("button", { name: "cutLoose" }).waitFor();
    await click(theirs.getByRole("button", { name: "cutLoose" }));
    await click(page.getByRole("link", { name: "Replay" }));
    const steps = page.getByRole("list", { name: "Steps" }).getByRole("button");
    await steps.nth(2).waitFor();
    await click(button("Last step"));
    await page.getByRole("img", { name: /the match is in Flown$/ }).waitFor();
    await click(button("Step back"));
    await expect.poll(() => steps.nth(1).getAttribute("aria-current")).toBe("step");
    await click(steps.nth(0));
    await expect.poll(() => button("First step").isDisabled()).toBe(true);
    // The slider is dragged to its end.
    const thumb = await page.getByRole("slider").boundingBox();
    if (!thumb) throw new Error("no slider");
    await page.mouse.move(thumb.x + thumb.width / 2, thumb.y + thumb.height / 2);
    await page.mouse.down();
    await page.mouse.move(width - 4, thumb.y + thumb.height / 2, { steps: 5 });
    await page.mouse.up();
    await expect.poll(() => page.getByRole("slider").getAttribute("aria-valuenow")).toBe("2");
  });

  test("the dialog that begins a match fits the window, and can be left without beginning one", async () => {
    await open("/machines/LanternTrails");
    await page.getByText(/No problems found/).waitFor();
    await click(button("Begin with ..."));
    const dialog = page.getByRole("dialog", { name: "Begin a match" });
    await dialog.getByText("Who plays").waitFor();
    const box = await dialog.boundingBox();
    expect(box && box.x >= 0 && box.y >= 0 && box.x + box.width <= width && box.y + box.height <= height).toBe(true);
    await nothingFound();
    await click(dialog.getByText(/^Given/));
    await dialog.getByLabel(/^Data/).fill("nothing");
    await click(dialog.getByRole("button", { name: "Begin", exact: true }));
    await dialog.getByText('"nothing" is not of the form path=value.').waitFor();
    await click(dialog.getByRole("button", { name: "Cancel" }));
    await expect.poll(() => dialog.count()).toBe(0);
    expect(page.url()).toMatch(/LanternTrails$/);
  });

  test("the table of a machine, a message's page, its fix, and a version stored", async () => {
    await open("/machines/KiteDuel");
    await page.getByText(/No problems found/).waitFor();
    await click(page.getByRole("tab", { name: "Table" }));
    await page.getByRole("columnheader", { name: "slash" }).waitFor();
    await nothingFound();
    await click(page.getByRole("tab", { name: "Diagram" }));
    await page.getByRole("img", { name: /^Diagram of KiteDuel/ }).waitFor();
    await open("/machines/new");
    await page.getByText(/No problems found/).waitFor();
    const editor = page.getByRole("textbox", { name: "The machine's text" });
    await click(editor);
    await page.keyboard.press("Control+a");
    await page.keyboard.insertText(
      `machine Pier${width}\nseats bow\n\nstart Sail\n\nstate Sail {\n  turn of bow\n  action moor -> Harbor\n}\n\nending Harbour { draws all }\n`,
    );
    await click(button("Explain"));
    await page.getByRole("region", { name: "About unknown-state" }).getByText("Fixed", { exact: true }).waitFor();
    await click(button('Write "Harbour"'));
    await page.getByText(new RegExp(`No problems found in Pier${width}`)).waitFor();
    await click(button("Store version"));
    await nothingFound();
    await click(button("Store"));
    await page.waitForURL(new RegExp(`Pier${width}@1`));
    expect((await client.machines()).some((m) => m.name === `Pier${width}`)).toBe(true);
  });

  test("logbooks: all verified at once, one looked at, back by the link above", async () => {
    await open("/logbooks");
    await click(button("Verify all"));
    await page.getByText("32 verified, 2 not").waitFor();
    await click(page.getByRole("link", { name: "kite-duel-01", exact: true }));
    await page.getByRole("list", { name: "Steps" }).waitFor();
    await click(page.getByRole("link", { name: "Logbooks", exact: true }));
    await page.getByText("kite-duel-02").first().waitFor();
  });

  test("a match held with seat keys has nothing that an accessibility checker finds", async () => {
    await open("/machines/StallSiege");
    await click(button("Begin a match"));
    await page.waitForURL(/\/matches\//);
    const mine = page.getByRole("region", { name: "Actions of apples" });
    await mine.getByRole("button", { name: "raid" }).waitFor();
    await nothingFound();
    await click(mine.getByRole("button", { name: "raid" }));
    await page.getByRole("group", { name: "raid: target" }).waitFor();
    await nothingFound();
    await click(mine.getByRole("group").getByRole("button", { name: "bread" }));
    await page.getByText("bread loses").first().waitFor();
  });
});
