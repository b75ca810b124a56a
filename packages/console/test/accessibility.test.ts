/**
 * Every page for everybody: an accessibility checker finds nothing, in both themes and two sizes; the keyboard reaches
 * whatever the mouse does, and shows where it is; nothing runs over the edge of a small window.
 */

import axe from "axe-core";
import type { BrowserContext, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { ZanyClient } from "@zany/client";
import { newFolder, type Running, startService } from "../../service/test/running.js";
import { openBrowser } from "./browser.js";
import { wideMachine } from "./large-machines.js";

const SIZES = [
  { width: 1280, height: 800 },
  { width: 800, height: 600 },
] as const;

let service: Running;
/** Pages by their names: where each is, and what is there once it is shown. */
let pages: Readonly<
  Record<
    string,
    {
      readonly path: string;
      readonly shown: string | RegExp;
      readonly person?: string;
      /** Keys of matches that the browser holds, by match. */
      readonly kept?: Readonly<Record<string, Readonly<Record<string, string>>>>;
    }
  >
>;
/** The key of somebody, for pages that ask who one is. */
let person = "";

beforeAll(async () => {
  service = await startService(newFolder(), "--demo", "--log-level", "silent");
  const client = new ZanyClient(service.address);
  const open = await client.beginMatch({ machine: "LanternTrails", seed: "seen", clock: "manual" });
  const over = await client.beginMatch({ machine: "KiteDuel", seed: "seen" });
  const [onTurn = ""] = over.view.turn;
  await client.act(over.id, over.keys[onTurn] ?? "", "cutLoose", {}, 0);
  const { hash } = await client.addMachine(wideMachine(30));
  const wide = await client.beginMatch({ machine: hash });
  person = (await client.addPerson({ name: "Mira", handle: "mira" })).key;
  const { key: olle } = await client.addPerson({ name: "Olle" });
  await client.playAnyone({ machine: "KiteDuel" }, olle);
  const asked = await client.beginMatch({ machine: "StallSiege", people: { apples: "mira" }, links: ["bread"] });
  const logbooks = await client.logbooks();
  const diverging = logbooks.find((l) => l.name.startsWith("kite-duel-07"));
  const [logbook] = logbooks;
  pages = {
    home: { path: "/", shown: "KiteDuel" },
    machines: { path: "/machines", shown: "KiteDuel" },
    "a machine": { path: "/machines/KiteDuel", shown: /No problems found in/ },
    "a machine that is tried": { path: "/machines/StallSiege?try=yes", shown: "begin" },
    "a table": { path: "/machines/FerryJourney?side=table", shown: "slipAway" },
    "an outline": { path: "/machines/FerryJourney?side=outline", shown: "skillFor" },
    "a match of 30 seats": { path: `/matches/${wide.id}`, shown: "s30" },
    "a new machine": { path: "/machines/new", shown: "Store version" },
    matches: { path: "/matches", shown: /^KiteDuel@/ },
    "a match": { path: `/matches/${open.id}`, shown: "begin" },
    "a match that is over": { path: `/matches/${over.id}`, shown: "cutLoose" },
    "a match replayed": { path: `/matches/${over.id}/replay`, shown: "begin" },
    logbooks: { path: "/logbooks", shown: "kite-duel-01" },
    "a logbook": { path: `/logbooks/${logbook?.id}`, shown: "begin" },
    "a logbook that diverges": { path: `/logbooks/${diverging?.id}`, shown: /^Diverges at step/ },
    "who one is": { path: "/me", shown: "Become somebody here" },
    "a link to a seat": { path: asked.links["bread"] ?? "", shown: "Take the seat" },
    "one's keys": { path: "/me", shown: "Keys, one for each device", person },
    "keys of matches": { path: "/keys", shown: /^the seat/, kept: { [over.id]: over.keys, gone: { north: "k" } } },
    "a log to be judged": { path: "/machines/KiteDuel?side=log", shown: "Any game can be judged" },
    "the lobby": { path: "/lobby", shown: /^Olle/, person },
    "one's matches": { path: "/mine?show=invitations", shown: "Accept apples", person },
    tallies: { path: "/tallies?by=seat", shown: "KiteDuel" },
    "no page": { path: "/nowhere", shown: "There is no page at this address." },
  };
});
afterAll(() => service?.stop());

const NAMES = [
  "home",
  "machines",
  "a machine",
  "a machine that is tried",
  "a table",
  "an outline",
  "a match of 30 seats",
  "a new machine",
  "matches",
  "a match",
  "a match that is over",
  "a match replayed",
  "logbooks",
  "a logbook",
  "a logbook that diverges",
  "who one is",
  "a link to a seat",
  "one's keys",
  "keys of matches",
  "a log to be judged",
  "the lobby",
  "one's matches",
  "tallies",
  "no page",
];

describe.each(
  SIZES.flatMap((size) =>
    (["light", "dark"] as const).map((theme) => [`${size.width}x${size.height}`, theme, size] as const),
  ),
)("at %s, %s", (_words, theme, size) => {
  let browser: BrowserContext;
  let page: Page;

  beforeAll(async () => {
    browser = await openBrowser({ viewport: size, colorScheme: theme });
    page = browser.pages()[0] ?? (await browser.newPage());
  });
  afterAll(() => browser?.close());

  async function show(name: string): Promise<void> {
    const { path, shown, person: key = "", kept = {} } = pages[name] ?? { path: "", shown: "" };
    await page.goto("about:blank");
    await page.goto(`${service.address}/healthz`);
    await page.evaluate(
      ([own, matches]) => {
        localStorage.clear();
        if (own !== "") localStorage.setItem("zany.person", own);
        for (const [match, keys] of Object.entries(matches))
          localStorage.setItem(`zany.keys.${match}`, JSON.stringify(keys));
      },
      [key, kept] as const,
    );
    await page.goto(`${service.address}${path}`);
    await page.getByText(shown).first().waitFor();
  }

  test.each(NAMES)("%s has nothing that an accessibility checker finds", async (name) => {
    await show(name);
    await page.evaluate(axe.source);
    const found = await page.evaluate(async () => {
      const checker = (globalThis as unknown as { axe: typeof axe }).axe;
      const { violations, passes } = await checker.run(document, {
        runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "best-practice"],
      });
      return {
        violations: violations.flatMap((v) =>
          v.nodes.map((n) => `${v.id}: ${n.html.slice(0, 160)} ${n.failureSummary}`),
        ),
        passes: passes.length,
      };
    });
    expect(found.violations).toEqual([]);
    expect(found.passes).toBeGreaterThan(10);
  });

  test.each(NAMES)("%s does not run over the window's edge", async (name) => {
    await show(name);
    const over = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
    expect(over).toBeLessThanOrEqual(0);
  });

  test("the keyboard reaches every control in order, and one sees where it is", async () => {
    for (const name of ["home", "machines", "a match", "a logbook"]) {
      await show(name);
      await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
      const seen: string[] = [];
      for (let i = 0; i < 12; i++) {
        await page.keyboard.press("Tab");
        const at = await page.evaluate(() => {
          const element = document.activeElement as HTMLElement;
          const { outlineStyle, outlineWidth, boxShadow } = getComputedStyle(element);
          const box = element.getBoundingClientRect();
          return {
            name: element.getAttribute("aria-label") ?? element.textContent?.trim().slice(0, 40) ?? "",
            marked: (outlineStyle !== "none" && outlineWidth !== "0px") || boxShadow !== "none",
            visible: box.width > 0 && box.height > 0,
            inPage: element !== document.body,
          };
        });
        // Behind the last one the focus leaves the page.
        if (!at.inPage) break;
        expect(at, `${name}, after ${seen.join(" > ")}`).toMatchObject({ marked: true, visible: true });
        seen.push(at.name);
      }
      expect(seen.slice(0, 6)).toEqual(["Zany Compass", "Machines", "Matches", "Lobby", "Mine", "Notices"]);
    }
  });
});
