/** A browser for the tests: headless, with a profile of its own. */

import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type BrowserContext, chromium } from "playwright-core";

const FLAGS = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

/** @param more what else the browser pretends: its size, what the system prefers */
export async function openBrowser(
  more: { readonly viewport?: { width: number; height: number }; readonly colorScheme?: "light" | "dark" } = {},
): Promise<BrowserContext> {
  const browser = await chromium.launchPersistentContext(mkdtempSync(join(tmpdir(), "zany-browser-")), {
    headless: true,
    executablePath: "/usr/bin/chromium",
    viewport: { width: 1280, height: 800 },
    args: FLAGS,
    ...more,
  });
  browser.setDefaultTimeout(60_000);
  return browser;
}
