/**
 * Takes the pictures in docs/screenshots anew, from the demo data: pages in headless Chromium, commands
 * in a terminal window under Xvfb. Needs Debian's chromium, xvfb, xterm and imagemagick.
 * `npm run build && node scripts/make-screenshots.mjs [NAME ...]`
 */

import { execFileSync, spawn } from "node:child_process";
import { existsSync, mkdirSync, mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "playwright-core";

const wanted = process.argv.slice(2);
const OUT = "docs/screenshots";
mkdirSync(OUT, { recursive: true });
const folder = mkdtempSync(join(tmpdir(), "zany-shots-"));
const file = (name) => join(OUT, `${name}.png`);
const asked = (name) => wanted.length === 0 || wanted.includes(name);
const sleep = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

// ---- pages --------------------------------------------------------------------------------------

const service = spawn(process.execPath, ["dist/cli/zany.cjs", "serve", "--port", "0", "--data", folder, "--demo"], {
  stdio: ["ignore", "pipe", "inherit"],
});
process.on("exit", () => service.kill());
const address = await new Promise((resolve) => {
  service.stdout.on("data", (chunk) => {
    const match = /is at (http:\S+)/.exec(chunk.toString());
    if (match) resolve(match[1]);
  });
});

const flags = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

async function shoot(name, colorScheme, go, viewport = { width: 1280, height: 800 }) {
  if (!asked(name)) return;
  const browser = await chromium.launchPersistentContext(mkdtempSync(join(folder, "browser-")), {
    headless: true,
    executablePath: "/usr/bin/chromium",
    viewport,
    colorScheme,
    args: flags,
  });
  const page = await browser.newPage();
  await go(page);
  await sleep(700);
  await page.screenshot({ path: file(name) });
  await browser.close();
}

async function begin(page, machine, seed) {
  await page.goto(`${address}/matches`);
  await page.getByRole("button", { name: "Begin a match" }).click();
  await page.getByLabel("Machine").selectOption({ label: machine });
  await page.getByLabel(/Seed/).fill(seed);
  await page.getByRole("button", { name: "Begin", exact: true }).click();
  await page.waitForURL(/matches\/\w/);
  await page.getByRole("img", { name: /the match is in/ }).waitFor();
}

const actions = (page, seat) => page.getByRole("region", { name: `Actions of ${seat}`, exact: true });

const act = async (page, seat, action) => {
  await actions(page, seat).getByRole("button", { name: action }).click();
  await sleep(500);
};

/** Asks the service something, as somebody. */
const ask = async (path, body, key) => {
  const headers = { "Content-Type": "application/json", ...(key && { Authorization: `Bearer ${key}` }) };
  return (await fetch(`${address}${path}`, { method: "POST", headers, body: JSON.stringify(body) })).json();
};

if (asked("lobby")) {
  const mira = await ask("/api/people", { name: "Mira", handle: "mira" });
  for (const [name, machine] of [
    ["Olle of the mole", "BellTower"],
    ["The ferry girl", "LanternTrails"],
    ["Old Brask", "KiteDuel"],
  ]) {
    const { key } = await ask("/api/people", { name });
    await ask("/api/lobby/play", { machine }, key);
  }
  const olle = await ask("/api/people", { name: "Olle", handle: "olle" });
  const seats = { people: { apples: "olle" }, open: ["bread", "candles"] };
  await ask("/api/matches", { machine: "StallSiege", ...seats }, olle.key);
  await shoot("lobby", "light", async (page) => {
    await page.goto(address);
    await page.evaluate((key) => localStorage.setItem("zany.person", key), mira.key);
    await page.goto(`${address}/lobby`);
    await page.getByText("Old Brask").waitFor();
  });
}

await shoot("home", "light", async (page) => {
  await begin(page, "KiteDuel@2", "tide");
  await page.goto(address);
  await page.getByText("1 of 12 kept matches diverge").waitFor();
  await page.getByText("your turn").waitFor();
});
// Text, diagram and a trial side by side.
await shoot(
  "machine",
  "light",
  async (page) => {
    await page.goto(`${address}/machines/KiteDuel?try=yes`);
    await page.getByText("No problems found in KiteDuel").waitFor();
    await page.getByRole("button", { name: "Begin with ..." }).last().click();
    await page.getByLabel(/Seed/).fill("tide");
    await page.getByRole("button", { name: "Begin", exact: true }).click();
    await page.getByLabel("next dice").fill("6");
    await act(page, "north", "slash");
    await act(page, "south", "brace");
    await page.getByRole("separator").first().press("ArrowLeft");
    await page
      .getByRole("img", { name: /^Diagram/ })
      .getByText("Judge")
      .click();
    await page.mouse.move(2, 2);
  },
  { width: 1600, height: 900 },
);
await shoot("table", "light", async (page) => {
  await page.goto(`${address}/machines/FerryJourney`);
  await page.getByRole("tab", { name: "Table" }).click();
  await page.getByRole("row", { name: /^AtSea/ }).waitFor();
});
await shoot("editor", "light", async (page) => {
  await page.goto(`${address}/machines/KiteDuel`);
  await page.getByText("No problems found in KiteDuel").waitFor();
  await page.getByRole("textbox", { name: "The machine's text" }).click();
  await page.keyboard.press("Control+Home");
  for (let i = 0; i < 26; i++) await page.keyboard.press("ArrowDown");
  await page.keyboard.press("End");
  await page.keyboard.insertText("\n  kites[target]");
  await page.keyboard.type(".");
  await page.getByRole("option", { name: /braced/ }).waitFor();
});
await shoot("machine-message", "light", async (page) => {
  await page.goto(`${address}/machines/StallSiege`);
  await page.getByRole("img", { name: /^Diagram/ }).waitFor();
  await page.getByRole("textbox", { name: "The machine's text" }).click();
  await page.keyboard.press("Control+Home");
  for (let i = 0; i < 29; i++) await page.keyboard.press("ArrowDown");
  await page.keyboard.press("End");
  await page.keyboard.type("t");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: 'Write "lost"' }).waitFor();
});
await shoot("match", "light", async (page) => {
  await begin(page, "KiteDuel@2", "harbour");
  const [first, second] =
    (await page.getByRole("region", { name: "north", exact: true }).getByText("on turn").count()) > 0
      ? ["north", "south"]
      : ["south", "north"];
  await act(page, first, "slash");
  await act(page, second, "slash");
  const turn =
    (await page.getByRole("region", { name: "north", exact: true }).getByText("on turn").count()) > 0
      ? "north"
      : "south";
  await act(page, turn, "mend");
});
await shoot("simulate", "dark", async (page) => {
  await page.goto(`${address}/machines/KiteDuel?side=simulate`);
  await page.getByRole("button", { name: "Simulate", exact: true }).click();
  await page.getByRole("button", { name: "Save as CSV" }).waitFor();
  await page.getByRole("button", { name: "Simulate", exact: true }).waitFor();
});
await shoot("logbooks", "light", async (page) => {
  await page.goto(`${address}/logbooks`);
  await page.getByRole("button", { name: /Verify all/ }).click();
  await page.getByText("32 verified").waitFor();
});
await shoot("replay", "light", async (page) => {
  await page.goto(`${address}/logbooks`);
  await page.getByRole("link", { name: "kite-duel-07", exact: true }).click();
  await page.getByRole("alert").waitFor();
  await page.getByRole("tab", { name: "Why" }).click();
});
async function beginWith(page, machine, fill) {
  await page.goto(`${address}/machines/${machine}`);
  await page.getByRole("button", { name: "Begin with ..." }).click();
  await page.getByText("Who plays").waitFor();
  await page.getByLabel(/Seed/).fill("tide");
  await fill();
  await page.getByRole("button", { name: "Begin", exact: true }).click();
  await page.waitForURL(/matches\/\w/, { timeout: 8_000 });
  await page.getByRole("img", { name: /the match is in/ }).waitFor();
}
await shoot("board", "light", async (page) => {
  const squad = (owner, x) =>
    [
      ["porter", 2],
      ["slinger", 3],
      ["crier", 1],
    ].map(([kind, y]) => ({ owner, kind, place: { x, y }, nerve: 8, done: false }));
  await beginWith(page, "MarketSiege", async () => {
    await page.getByLabel("blues").selectOption("bot bold");
    await page.getByText(/^Given/).click();
    await page.getByLabel(/^Data/).fill(`crews=${JSON.stringify([...squad("reds", 1), ...squad("blues", 7)])}`);
  });
  const reds = actions(page, "reds");
  await reds.getByRole("button", { name: "select" }).click();
  await reds.getByRole("group", { name: "select: crew" }).getByRole("button", { name: "0" }).click();
  await reds.getByRole("button", { name: "walk" }).click();
  await page.getByText("pick a cell").first().waitFor();
});
await shoot("game", "light", async (page) => {
  await beginWith(page, "KiteVolleys", async () => {
    await page.getByLabel(/^Manual clock/).check();
    await page.getByText(/^Given/).click();
    await page.getByLabel("State").selectOption("Volley");
    await page.getByLabel(/^Its arguments/).fill("pattern=cross, kites=3");
  });
  await page.getByRole("button", { name: "Watch tears" }).click();
  const game = page.getByRole("region", { name: "The game" });
  await game.getByRole("button", { name: "KiteStruck" }).click();
  await sleep(300);
  await game.getByRole("button", { name: "+10 s" }).click();
  await game.getByRole("button", { name: "KitesLeft" }).click();
});
service.kill();

// ---- commands -----------------------------------------------------------------------------------

/** Types commands into a terminal window and takes its picture. */
async function terminal(name, script, stays = 0) {
  if (!asked(name)) return;
  const done = join(folder, `${name}.done`);
  const display = `:${90 + Math.floor(Math.random() * 9)}`;
  const xvfb = spawn("Xvfb", [display, "-screen", "0", "1280x800x24"], { stdio: "ignore" });
  await sleep(700);
  const env = { ...process.env, DISPLAY: display, PATH: `${folder}:${process.env.PATH}`, TERM: "xterm-256color" };
  const xterm = spawn(
    "xterm",
    [
      "-fa",
      "DejaVu Sans Mono",
      "-fs",
      "11",
      "-geometry",
      "138x46+0+0",
      "-bg",
      "#fffdf8",
      "-fg",
      "#1f2a30",
      "-xrm",
      "XTerm*color2: #2c6e3f",
      "-xrm",
      "XTerm*color1: #a62f2f",
      "-xrm",
      "XTerm*color3: #8a5a00",
      "-xrm",
      "XTerm*color6: #0f5c63",
      "-e",
      "bash",
      "-c",
      `${script}; touch ${done}; sleep 30`,
    ],
    { env, stdio: "ignore" },
  );
  // What stays in a session is shown as it is after a while, everything else when it is through.
  for (let waited = 0; stays === 0 && waited < 120_000 && !existsSync(done); waited += 200) await sleep(200);
  await sleep(stays || 1_000);
  execFileSync("import", ["-window", "root", file(name)], { env });
  xterm.kill();
  xvfb.kill();
  await sleep(300);
}

const shown = (command) =>
  `echo '$ ${command.replaceAll("'", "'\\''")}'; ${command.replace(/^zany/, "node dist/cli/zany.cjs")}; echo`;
/** A session at a keyboard: lines are typed one after the other, a pause after each. */
const typed = (command, lines, size = "cols 110 rows 44") => {
  const keys = lines.map((line) => `sleep 0.6; printf '%b' '${line.replaceAll("'", "'\\''")}'`).join("; ");
  const run = command.replace(/^zany/, `node ${process.cwd()}/dist/cli/zany.cjs`);
  return `cd ${process.cwd()}; (sleep 0.8; ${keys}; sleep 30) | script -qec "stty ${size}; ${run}" /dev/null`;
};

await terminal(
  "check",
  [
    `cd ${process.cwd()}`,
    shown("zany check examples/kite-duel.zany"),
    shown("zany check docs/examples/broken-duel.zany"),
  ].join("; "),
);
await terminal(
  "table-text",
  [
    "cd .",
    shown("zany table examples/ferry-journey.zany --state Ours"),
    shown("zany outline examples/bell-tower.zany"),
  ].join("; "),
);
await terminal(
  "play",
  typed("zany play docs/examples/stall-brawl.zany --seed quay --bot wren=heckler", [
    "throw(odo) dice 7, false\\n",
    "event AnimationEnded\\n",
    "throw(rook) dice 4, true\\n",
    "event AnimationEnded\\n",
    "pasue\\n",
  ]),
  9_000,
);
await terminal(
  "play-board",
  typed("zany play examples/market-siege.zany --seed fair", ["select(1)\\n", "walk\\n", "\\x1b[D", "\\x1b[A"]),
  9_000,
);
await terminal(
  "verify",
  [
    "cd .",
    shown("zany test examples/stall-siege.zany"),
    shown("zany verify examples/logbooks/kite-duel-*.jsonl --machine examples/kite-duel.zany"),
    shown("zany why examples/logbooks/kite-duel-01.jsonl --machine examples/kite-duel.zany --step 19"),
  ].join("; "),
);
await terminal(
  "game-log",
  [
    "cd .",
    shown("tail -8 examples/herring-duel/herring.map").replace("node dist/cli/zany.cjs", "zany"),
    shown(
      "zany verify examples/herring-duel/logs/04.log " +
        "examples/herring-duel/logs/06.log --map examples/herring-duel/herring.map",
    ),
  ].join("; "),
);
await terminal(
  "explore",
  [
    "cd .",
    shown("zany explore docs/examples/two-bells.zany"),
    shown(`zany explore examples/kite-duel.zany --goal "kites[north].lift < 30 and lap == 1"`),
    shown(
      "zany simulate examples/kite-duel.zany --matches 200 --bot " +
        'north=careful --bot south=careful --vary "kites.north.pull=5..11 by 2"',
    ),
  ].join("; "),
);
