/** The language server, asked by a real editor's own client: Neovim's, over standard input and output. */

import { execFileSync, spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { copyFileSync, mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { beforeAll, describe, expect, test } from "vitest";

const ROOT = join(import.meta.dirname, "../../..");
const answers = new Map<string, unknown>();
const answer = <T>(name: string): T => answers.get(name) as T;

beforeAll(() => {
  const folder = mkdtempSync(join(tmpdir(), "zany-editor-"));
  const file = join(folder, "kite-duel.zany");
  copyFileSync(join(ROOT, "examples/kite-duel.zany"), file);
  const out = join(folder, "answers.jsonl");
  execFileSync("nvim", ["--headless", "-u", "NONE", "-c", `luafile ${join(import.meta.dirname, "editor.lua")}`, file], {
    env: {
      ...process.env,
      ZANY: join(ROOT, "dist/cli/zany.cjs"),
      ZANY_OUT: out,
      XDG_STATE_HOME: folder,
      XDG_DATA_HOME: folder,
    },
    stdio: "ignore",
    timeout: 600_000,
  });
  for (const line of readFileSync(out, "utf8").trim().split("\n")) {
    const { name, value } = JSON.parse(line) as { name: string; value: unknown };
    answers.set(name, value);
  }
}, 600_000);

describe("in the editor", () => {
  test("messages come while typing and go when the fix is taken", () => {
    expect(answer("well")).toEqual([]);
    expect(answer("misspelt")).toEqual([
      {
        line: 27,
        column: 17,
        code: "unknown-field",
        severity: 1,
        message: 'Kite has no field "lfit".\nDid you mean "lift"?',
      },
    ]);
    expect(answer("fixes")).toEqual(['Write "lift"']);
    expect(answer("fixed")).toBe(true);
    expect(answer("no problems")).toEqual([]);
  });

  test("completion knows the place: fields after a dot, places after an arrow, open names only", () => {
    expect(answer("after a dot")).toEqual(["braced", "guard", "gust", "lift", "pace", "pull", "tape"]);
    expect(answer("names")).toEqual(["shield"]);
    expect(answer<string[]>("after an arrow").slice(0, 7)).toEqual([
      "BothDown",
      "Flown",
      "Judge",
      "Lap",
      "Lapsed",
      "Paused",
      "Turn",
    ]);
    expect(answer("after an arrow")).toContain("stay");
  });

  test("hover, definition, references and the call at the cursor", () => {
    expect(answer("hover")).toBe("```zany\nshield(s: seat): int\n```\n\nA function.");
    expect(answer("definition")).toEqual([23]);
    expect(answer("references")).toEqual([20, 29, 77]);
    expect(answer("signature")).toMatchObject({
      activeParameter: 1,
      signatures: [{ label: "strike(source: seat, target: seat, force: int)" }],
    });
  });

  test("the outline holds states within states, and formatting fixes a line", () => {
    const lap = answer<[string, string, [string, string][]][]>("outline").find(([name]) => name === "Lap");
    expect(lap?.[2].map(([name]) => name)).toEqual(["Turn", "Judge"]);
    expect(answer("formatted")).toBe(true);
  });

  test("what is suspected is held against matches once the text is left alone", () => {
    expect(answer("suspected")).toBe(1);
    const [shown] = answer<{ code: string; message: string }[]>("shown");
    expect(shown).toMatchObject({ code: "may-divide-by-zero" });
    expect(shown?.message).toContain("A match shows it: zany check --why kite-duel.zany");
  });

  test("a rename reaches every use, in laws and tests too, and is refused where it would change meaning", () => {
    expect(answer("renamed")).toEqual([0, 0]);
    expect(answer("refused")).toBe('It would be an error: "Kite" has two fields "guard".');
  });
});

function frame(message: object | string): string {
  if (typeof message === "string") return message;
  const text = JSON.stringify({ jsonrpc: "2.0", ...message });
  return `Content-Length: ${Buffer.byteLength(text)}\r\n\r\n${text}`;
}

const BEGIN = { id: 1, method: "initialize", params: { processId: null, capabilities: {}, rootUri: null } };

/** What the server answers to messages as they are sent, and how it ends. */
function sent(...messages: readonly (object | string)[]) {
  const { stdout, stderr, status } = spawnSync(process.execPath, [join(ROOT, "dist/cli/zany.cjs"), "lsp"], {
    input: messages.map(frame).join(""),
    encoding: "utf8",
  });
  return { stdout, stderr, status };
}

test("what is no request is answered in words, and keeps nothing else from being answered", () => {
  const hover = (id: number, params: unknown) => ({ id, method: "textDocument/hover", params });
  const at = { line: 0, character: 0 };
  const wrong: readonly (readonly [unknown, string])[] = [
    [null, "it is no object"],
    [{}, '\\"textDocument\\" is missing'],
    [{ textDocument: { uri: 7 }, position: at }, '\\"uri\\" is no text'],
    [{ textDocument: { uri: "untitled:1" } }, '\\"position\\" is missing'],
    [{ textDocument: { uri: "untitled:1" }, position: { line: -1, character: 0 } }, '\\"line\\" is no whole number'],
  ];
  const odd = ["file:///%zz", "file:///tmp", "file://host/x.zany", ""].map((uri) => ({
    textDocument: { uri },
    position: at,
  }));
  const { stdout, status } = sent(
    BEGIN,
    { method: "initialized", params: {} },
    { method: "textDocument/didOpen", params: {} },
    { method: "textDocument/didChange", params: { textDocument: { uri: "untitled:1" }, contentChanges: [{}] } },
    { method: "textDocument/didOpen", params: { textDocument: { uri: "file:///%zz", version: 1, text: "machine M" } } },
    ...wrong.map(([params], i) => hover(10 + i, params)),
    ...odd.map((params, i) => hover(20 + i, params)),
    { id: 99, method: "shutdown" },
    { method: "exit" },
  );
  for (const [i, [, words]] of wrong.entries())
    expect(stdout).toMatch(
      new RegExp(`"id":${10 + i},"error":\\{"code":-32602,"message":"[^{}]*${words.replace(/\\/g, "\\\\")}`),
    );
  for (const i of odd.keys()) expect(stdout).toContain(`"id":${20 + i},"result":null`);
  expect(stdout).toContain('"id":99,"result":null');
  expect(stdout).not.toMatch(/Cannot read|is not a function|malformed/);
  expect(status).toBe(0);
  const noise = sent(BEGIN, "Dear harbour master,\r\n\r\n");
  expect(noise).toMatchObject({ status: 2, stderr: expect.stringContaining("not the Language Server Protocol") });
});

/** The ids of what is answered to an editor that asks very much, says it is done or not, and reads late. */
async function answeredLate(count: number, end: readonly object[]): Promise<number[]> {
  const asked = Array.from({ length: count }, (_, i) => ({ id: 100 + i, method: "textDocument/hover", params: {} }));
  const server = spawn(process.execPath, [join(ROOT, "dist/cli/zany.cjs"), "lsp"]);
  const closed = once(server, "close");
  server.stdin.end([BEGIN, ...asked, ...end].map(frame).join(""));
  await once(server.stdin, "finish");
  // Its answers are more than the host keeps for somebody who does not read.
  await new Promise((resolve) => setTimeout(resolve, 500));
  let answers = "";
  server.stdout.setEncoding("utf8").on("data", (text: string) => {
    answers += text;
  });
  expect(await closed).toEqual([0, null]);
  return [...answers.matchAll(/"id":(\d+),"(?:result|error)"/g)].map(([, id]) => Number(id)).sort((a, b) => a - b);
}

test("an editor that reads late gets every answer, whether it says exit or closes its input", async () => {
  const wanted = [1, ...Array.from({ length: 3_000 }, (_, i) => 100 + i)];
  expect(await answeredLate(3_000, [])).toEqual(wanted);
  expect(await answeredLate(3_000, [{ id: 99, method: "shutdown" }, { method: "exit" }])).toEqual([
    1,
    99,
    ...wanted.slice(1),
  ]);
});
