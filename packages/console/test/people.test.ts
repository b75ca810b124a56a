/** Two people in two browsers, a guest with a link on a phone, and somebody who only watches. */

import type { BrowserContext, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, expect, test } from "vitest";
import { ZanyClient } from "@zany/client";
import { newFolder, type Running, startService } from "../../service/test/running.js";
import { openBrowser } from "./browser.js";

let service: Running;
let browsers: BrowserContext[];
const pageErrors: string[] = [];

beforeAll(async () => {
  service = await startService(newFolder(), "--demo", "--log-level", "silent");
  browsers = [await openBrowser(), await openBrowser(), await openBrowser({ viewport: { width: 390, height: 800 } })];
});
afterAll(async () => {
  for (const browser of browsers ?? []) await browser.close();
  await service?.stop();
});
afterEach(() => expect(pageErrors.splice(0)).toEqual([]));

async function pageOf(browser: number, path: string): Promise<Page> {
  const page = await (browsers[browser] as BrowserContext).newPage();
  page.on("pageerror", (error) => pageErrors.push(error.message));
  await page.goto(`${service.address}${path}`);
  return page;
}

/** Becomes somebody on a page that asks for it. */
async function become(page: Page, name: string): Promise<void> {
  await page.getByLabel("The name that others see").fill(name);
  await page.getByLabel(/^What others invite you by/).fill(name.toLowerCase());
  await page.getByRole("button", { name: `Begin as ${name}` }).click();
}

const actions = (page: Page, seat: string) => page.getByRole("region", { name: `Actions of ${seat}`, exact: true });
const card = (page: Page, seat: string) => page.getByRole("region", { name: seat, exact: true });

test("two play whoever is there, side by side; each is told when it is their turn, wherever they are", async () => {
  const [mira, olle] = [await pageOf(0, "/lobby"), await pageOf(1, "/lobby")];
  await become(mira, "Mira");
  await mira.getByLabel("The machine to play").selectOption("KiteDuel");
  await mira.getByRole("button", { name: "Play anyone" }).click();
  await mira.waitForURL(/\/matches\//);
  await card(mira, "south").getByRole("button", { name: "Take the seat" }).waitFor();
  await become(olle, "Olle");
  await olle
    .getByRole("row", { name: /KiteDuel.*Mira \(north\)/ })
    .getByRole("button", { name: "Take south in KiteDuel" })
    .click();
  await olle.waitForURL(/\/matches\//);
  await card(mira, "south").getByText("Olle").waitFor();
  await card(olle, "north").getByText("Mira").waitFor();
  const first = (await card(mira, "north").getByText("on turn").count()) > 0 ? mira : olle;
  const [other, seat] = first === mira ? [olle, "north"] : [mira, "south"];
  expect(await first.title()).toMatch(/^your turn/);
  // Only one's own seat can be played.
  expect(await actions(first, seat === "north" ? "south" : "north").count()).toBe(0);
  await other.getByRole("link", { name: "Machines" }).click();
  await actions(first, seat).getByRole("button", { name: "brace" }).click();
  await other.getByText("KiteDuel: it is your turn.", { exact: true }).waitFor();
  await other.getByRole("link", { name: "Mine" }).click();
  await other
    .getByRole("row", { name: /KiteDuel.*your turn/ })
    .getByRole("link")
    .click();
  await actions(other, seat === "north" ? "south" : "north")
    .getByRole("button", { name: "cutLoose" })
    .click();
  await first.getByText("Flown").first().waitFor();
  await other.getByRole("button", { name: "Confirm" }).click();
  await other.getByRole("button", { name: "Confirm" }).waitFor({ state: "detached" });
  await first.getByRole("button", { name: "Rematch" }).click();
  await first.getByText("invitation waits").waitFor();
  await other.goto(`${service.address}/mine?show=invitations`);
  await other.getByRole("button", { name: /^Accept/ }).click();
  await card(other, "north").getByText("Mira").waitFor();
  await first.goto(`${service.address}/tallies?by=person`);
  await first.getByRole("row", { name: /KiteDuel.*Mira/ }).waitFor();
  for (const page of [mira, olle]) await page.close();
});

test("a person is invited by handle and accepts; a guest opens a link on a phone; a watcher only looks", async () => {
  const mira = await pageOf(0, "/machines/StallSiege");
  await mira.getByRole("button", { name: "Begin with ..." }).click();
  for (const seat of ["bread", "candles"]) await mira.getByLabel(seat).selectOption({ label: "open, for somebody" });
  await mira.getByRole("dialog").getByRole("button", { name: "Begin", exact: true }).click();
  await mira.waitForURL(/\/matches\//);
  const [, id = ""] = /matches\/(\w+)/.exec(mira.url()) ?? [];
  await card(mira, "bread").getByRole("button", { name: "Invite" }).click();
  await mira.getByLabel("Handle").fill("olle");
  await mira.getByRole("dialog").getByRole("button", { name: "Invite" }).click();
  await card(mira, "bread").getByText("invitation waits: Olle").waitFor();
  const olle = await pageOf(1, "/mine");
  await olle.getByRole("tab", { name: "Invitations 1", exact: true }).click();
  await olle.getByRole("button", { name: "Accept bread" }).click();
  await olle.waitForURL(new RegExp(`/matches/${id}`));
  await card(mira, "bread").getByText("Olle").waitFor();
  await card(mira, "candles").getByRole("button", { name: "Invite" }).click();
  await mira.getByRole("button", { name: "Make a link instead" }).click();
  const link = await mira.getByLabel("To be passed on").inputValue();
  await mira.keyboard.press("Escape");
  const guest = await pageOf(2, new URL(link).pathname + new URL(link).hash);
  await guest.getByLabel(/^What the others shall call you/).fill("Gust");
  await guest.getByRole("button", { name: "Take the seat" }).click();
  await guest.waitForURL(new RegExp(`/matches/${id}$`));
  await card(mira, "candles").getByText("Gust").waitFor();
  expect(await guest.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(0);
  // The link works once.
  const late = await pageOf(1, new URL(link).pathname + new URL(link).hash);
  await late.getByRole("button", { name: "Take the seat" }).click();
  await late.getByText("was used, replaced or withdrawn").waitFor();
  await mira.getByRole("button", { name: "Watch link" }).click();
  const watch = new URL(await mira.getByLabel("To be passed on").inputValue());
  const watching = await pageOf(1, watch.pathname + watch.hash);
  await card(watching, "bread").getByText("Olle").waitFor();
  expect(watching.url()).not.toContain("watch=");
  for (const page of [mira, olle, guest, late, watching]) await page.close();
});

test("keys of matches: seen in each browser, carried from one to another, forgotten; links to watch are ended", async () => {
  const [mira, olle, guest] = [await pageOf(0, "/keys"), await pageOf(1, "/keys"), await pageOf(2, "/keys")];
  const seat = guest.getByRole("row", { name: /StallSiege.*the seat candles.*step \d/ });
  const [, id = ""] = /(\w+)$/.exec((await seat.getByRole("link").getAttribute("href")) ?? "") ?? [];
  await seat.getByRole("button", { name: "Show" }).click();
  const key = await guest.getByLabel("To be passed on").inputValue();
  const enter = async (secret: string): Promise<void> => {
    await olle.getByLabel("A key from elsewhere, of the match").fill(id);
    await olle.getByLabel("Its key").fill(secret);
    await olle.getByRole("button", { name: "Keep it here" }).click();
  };
  await enter("no-such-key");
  await olle.getByText("It may have been revoked.").waitFor();
  await enter((await olle.evaluate(() => localStorage.getItem("zany.person"))) ?? "");
  await olle.getByText("This is the key of a person, Olle.").waitFor();
  await enter(key);
  const carried = olle.getByRole("row", { name: /the seat candles/ });
  await carried.getByRole("button", { name: "Forget" }).click();
  await olle.getByRole("button", { name: "Forget it" }).click();
  await carried.waitFor({ state: "detached" });
  await olle.getByRole("row", { name: /what everybody may see.*step \d/ }).waitFor();
  await mira
    .getByRole("row", { name: /StallSiege.*as its host/ })
    .getByRole("button", { name: /^End all/ })
    .click();
  await mira.getByText("No link to watch opens this match any more.").waitFor();
  await olle.reload();
  await olle
    .getByRole("row", { name: /what everybody may see/ })
    .getByText("opens nothing any more")
    .waitFor();
  for (const page of [mira, olle, guest]) await page.close();
});

test("who one is: a key for one more device opens the same matches there, and is revoked", async () => {
  const mira = await pageOf(0, "/me");
  await mira.getByLabel("One more, for").fill("phone");
  await mira.getByRole("button", { name: "Make a key" }).click();
  const key = await mira.getByLabel("To be passed on").inputValue();
  const phone = await pageOf(2, "/me");
  await phone.getByLabel("Your key, made on another device").fill(key);
  await phone.getByRole("button", { name: "Enter" }).click();
  await phone.getByRole("heading", { name: "Mira" }).waitFor();
  await phone.goto(`${service.address}/mine?show=finished`);
  const row = phone.getByRole("row", { name: /KiteDuel/ });
  await row.waitFor();
  // A row is a block there, which is as wide as the page at most.
  const { x = 0, width = 1_000 } = (await row.boundingBox()) ?? {};
  expect(x + width).toBeLessThanOrEqual(390);
  await mira.getByRole("row", { name: "phone" }).getByRole("button", { name: "Revoke" }).click();
  await mira.getByRole("row", { name: "phone" }).waitFor({ state: "detached" });
  await phone.goto(`${service.address}/me`);
  await phone.getByText("It may have been revoked.").waitFor();
  for (const page of [mira, phone]) await page.close();
});

test("of many matches those of a status and a machine are found, and all can be shown", async () => {
  const client = new ZanyClient(service.address);
  await client.addMachine(
    "machine Pier\nseats a\nstart S\nstate S { turn of a action moor -> Over }\nending Over { draws all }",
  );
  await Promise.all(Array.from({ length: 101 }, () => client.beginMatch({ machine: "Pier" })));
  const lost = await client.beginMatch({ machine: "Pier" });
  await client.cancel(lost.id, lost.hostKey);
  const page = await pageOf(0, "/matches?machine=Pier");
  const rows = page.locator("tbody").getByRole("row");
  await expect.poll(() => rows.count()).toBe(100);
  await page.getByRole("button", { name: "Show more" }).click();
  await expect.poll(() => rows.count()).toBe(102);
  await page.getByLabel("Status").selectOption("cancelled");
  await expect.poll(() => rows.count()).toBe(1);
  await rows.getByRole("link", { name: lost.id }).waitFor();
  expect(new URL(page.url()).search).toBe("?machine=Pier&status=cancelled");
  await page.getByLabel("Status").selectOption("suspended");
  await page.getByText("No match is like this. Look at others above.").waitFor();
  await page.getByRole("link", { name: "Tallies" }).click();
  await page.getByRole("heading", { name: "Tallies" }).waitFor();
  await page.close();
});
