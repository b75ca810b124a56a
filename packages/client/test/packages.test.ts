/**
 * The packages as games install them: packed, put into a clean folder with nothing beside them, used in plain Node,
 * in a page without build tools on another origin, and by TypeScript; and the examples that use them.
 */

import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import { cpSync, existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { ZanyClient } from "@zany/client";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { openBrowser } from "../../console/test/browser.js";
import { newFolder, ROOT, type Running, startService, ZANY } from "../../service/test/running.js";

const folder = newFolder();
let pages: Server;
let service: Running;
let client: ZanyClient;

const node = (...args: string[]): string =>
  execFileSync(process.execPath, args, { cwd: folder, encoding: "utf8", stdio: ["ignore", "pipe", "pipe"] });

beforeAll(async () => {
  execFileSync(process.execPath, ["scripts/pack.mjs"], { cwd: ROOT, stdio: "ignore" });
  const archives = readdirSync(join(ROOT, "dist/packages")).filter((file) => file.endsWith(".tgz"));
  expect(archives).toHaveLength(2);
  writeFileSync(join(folder, "package.json"), '{"type": "module"}');
  const paths = archives.map((file) => join(ROOT, "dist/packages", file));
  execFileSync("npm", ["install", "--offline", "--no-audit", "--no-fund", ...paths], { cwd: folder, stdio: "ignore" });
  cpSync(join(ROOT, "examples/clients"), folder, { recursive: true });
  node(ZANY, "compile", join(ROOT, "examples/kite-duel.zany"), "--out", "kite-duel.json");
  pages = createServer((request, response) => {
    const path = new URL(request.url ?? "/", "http://pages").pathname;
    const type = path.endsWith(".html") ? "text/html" : path.endsWith(".js") ? "text/javascript" : "application/json";
    const file = join(folder, path);
    if (!existsSync(file)) return response.writeHead(404).end();
    return response.setHeader("Content-Type", type).end(readFileSync(file));
  }).listen(0, "127.0.0.1");
  await new Promise((resolve) => pages.once("listening", resolve));
  service = await startService(newFolder(), "--demo", "--log-level", "silent", "--origin", pagesAt());
  client = new ZanyClient(service.address);
}, 600_000);
afterAll(async () => {
  pages?.close();
  await service?.stop();
});

const pagesAt = (): string => `http://127.0.0.1:${(pages.address() as AddressInfo).port}`;

/** What a program says, and a way to wait for it. */
function heard(child: ChildProcess): (words: RegExp) => Promise<string> {
  let said = "";
  child.stdout?.on("data", (chunk: Buffer) => (said += chunk.toString()));
  child.stderr?.on("data", (chunk: Buffer) => (said += chunk.toString()));
  return async (words) => {
    await expect.poll(() => said).toMatch(words);
    const found = words.exec(said) as RegExpExecArray;
    said = said.slice(found.index + found[0].length);
    return found[1] ?? "";
  };
}

describe("@zany/core", () => {
  test("runs a compiled machine in plain Node, as its readme says, without parser and checker", () => {
    const [, snippet = ""] =
      /```js\n([\s\S]*?)```/.exec(readFileSync(join(folder, "node_modules/@zany/core/README.md"), "utf8")) ?? [];
    writeFileSync(join(folder, "readme.mjs"), snippet);
    expect(node("readme.mjs")).toMatch(/slash/);
    // What of the package the engine's door leads to.
    const parts = node(
      "--input-type=module",
      "-e",
      `
      import { readFileSync } from "node:fs";
      const seen = new Set();
      const walk = (file) => {
        if (seen.has(file)) return;
        seen.add(file);
        for (const [, next] of readFileSync(file, "utf8").matchAll(/from "(\\.[^"]+)"/g)) walk(new URL(next, "file://" + file).pathname);
      };
      walk(process.cwd() + "/node_modules/@zany/core/engine.js");
      console.log([...seen].map((file) => readFileSync(file, "utf8")).join("\\n"));
    `,
    );
    expect(parts).toContain("readCompiled");
    expect(parts).not.toMatch(/missing-brace|class MachineChecker|class Cursor/);
  });

  test("has types for every door, as TypeScript reads packages", () => {
    const doors = ["", "/engine", "/language", "/logbook", "/search", "/formats", "/local", "/editing"];
    writeFileSync(
      join(folder, "typed.ts"),
      `${doors.map((door, i) => `import * as d${i} from "@zany/core${door}";`).join("\n")}
import { Seat, ZanyClient, type SeenMatch } from "@zany/client";
export const all = [${doors.map((_, i) => `d${i}`).join(", ")}];
const machine = d1.readCompiled("");
const begun = d1.begin(machine, { seed: "a", now: 0 });
export const situation: d1.Situation | undefined = begun.taken?.situation;
export const act = (seat: Seat): Promise<SeenMatch> => seat.act("brace", { how: 1 });
// @ts-expect-error a seat is no number
new Seat(new ZanyClient(), { match: "a", seat: 1, key: null });
`,
    );
    const options = [
      "--strict",
      "--noEmit",
      "--module",
      "nodenext",
      "--target",
      "es2022",
      "--lib",
      "es2023,dom,dom.asynciterable",
    ];
    const tsc = join(ROOT, "node_modules/typescript/bin/tsc");
    expect(node(tsc, ...options, "typed.ts")).toBe("");
  });

  test("plays in a page without build tools as it plays in Node", async () => {
    const play = `
      const { begin, readCompiled, view } = engine, machine = readCompiled(text);
      const { Runnable } = engine, { simulate } = search;
      return JSON.stringify([machine.hash, simulate(machine, { seed: "gale", first: 0, end: 20 })]);`;
    const inNode = node(
      "--input-type=module",
      "-e",
      `
      import { readFileSync } from "node:fs";
      const engine = await import("@zany/core/engine"), search = await import("@zany/core/search");
      const text = readFileSync("kite-duel.json", "utf8");
      console.log((() => {${play}})());`,
    ).trim();
    writeFileSync(
      join(folder, "plain.html"),
      `<script type="module">
      import * as engine from "./node_modules/@zany/core/engine.js";
      import * as search from "./node_modules/@zany/core/search.js";
      const text = await (await fetch("kite-duel.json")).text();
      document.title = (() => {${play}})();
    </script>`,
    );
    const browser = await openBrowser();
    try {
      const page = await browser.newPage();
      await page.goto(`${pagesAt()}/plain.html`);
      await expect.poll(() => page.title()).toMatch(/^\[/);
      expect(await page.title()).toBe(inNode);
    } finally {
      await browser.close();
    }
  });
});

describe("the examples", () => {
  test("a terminal and a page on another origin play a duel against each other", async () => {
    const match = await client.beginMatch({ machine: "KiteDuel", links: ["north", "south"] });
    const link = (seat: string) => `${service.address}${match.links[seat]}`;
    const terminal = spawn(process.execPath, ["terminal-player.mjs", link("north"), "Mira"], { cwd: folder });
    const says = heard(terminal);
    const browser = await openBrowser();
    try {
      const page = await browser.newPage();
      await page.goto(`${pagesAt()}/browser-player.html#${encodeURIComponent(link("south"))}`);
      await page.getByText(/turn/).waitFor();
      expect(page.url()).not.toContain("#");
      await says(/It is your turn\.\nYou may: .*brace|It is south's turn/);
      const seat = async () => (await client.match(match.id)).view.turn[0];
      for (let turns = 0; turns < 4; turns++) {
        const { step } = (await client.match(match.id)).view;
        if ((await seat()) === "north") terminal.stdin.write("brace\n");
        else await page.getByRole("button", { name: "brace" }).click();
        await expect.poll(async () => (await client.match(match.id)).view.step).toBeGreaterThan(step);
        await expect.poll(() => page.title()).toBe((await seat()) === "south" ? "Your turn" : "Gale Fair");
      }
      terminal.stdin.write("fly\n");
      await says(/There is no action "?fly/);
      expect((await client.match(match.id)).seats.map(({ name }) => name)).toEqual(["Mira", "Page"]);
      await client.cancel(match.id, match.hostKey);
      await new Promise((resolve) => terminal.once("exit", resolve));
    } finally {
      terminal.kill();
      await browser.close();
    }
  });

  test("a game with rules of its own lets the service keep turns and logbook, and what it refuses is told in words", async () => {
    const game = spawn(process.execPath, ["game-server.mjs", service.address, "0"], { cwd: folder });
    try {
      const says = heard(game);
      const at = await says(/words come to (\S+)/);
      const say = async (player: string, word: string): Promise<string> => {
        const answer = await fetch(at, { method: "POST", body: JSON.stringify({ player, word }) });
        return `${answer.status} ${await answer.text()}`;
      };
      expect(await say("gull", "harbour")).toBe("200 gull says harbour.\n");
      expect(await say("gull", "rope")).toMatch(/^409 It is passenger2's turn/);
      expect(await say("tern", "mast")).toBe('422 The word must begin with "r".\n');
      expect(await say("tern", "rope")).toBe("200 tern says rope.\n");
      expect(await say("puffin", "eel")).toMatch(/^404 /);
      expect(await (await fetch(at)).text()).toBe("harbour rope\n");
    } finally {
      game.kill();
    }
  });
});
