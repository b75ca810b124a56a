/**
 * Tries the example of docs/operating.md: two services behind Debian's nginx, with the configuration as it stands
 * there. A match is begun at each; both are looked at, played and followed through the one address. Needs: apt-get
 * install nginx-light
 */

import { execFileSync, spawn } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

const AT = "http://127.0.0.1:8099";
const folder = mkdtempSync(join(tmpdir(), "zany-proxy-"));
const [, server] = /```nginx\n([\s\S]*?)```/.exec(readFileSync("docs/operating.md", "utf8")) ?? [];
writeFileSync(
  join(folder, "nginx.conf"),
  `daemon off; pid ${folder}/nginx.pid; error_log stderr warn; worker_processes 1;
events {}
http { access_log off; client_body_temp_path ${folder}/body; proxy_temp_path ${folder}/proxy;
${["fastcgi", "uwsgi", "scgi"].map((name) => `${name}_temp_path ${folder}/${name};`).join(" ")}
${server} }`,
);

const children = [];
function start(program, args) {
  const child = spawn(program, args, { stdio: ["ignore", "pipe", "inherit"] });
  children.push(child);
  return child;
}

async function service(name, port) {
  const data = join(folder, name);
  const said = execFileSync(process.execPath, ["dist/cli/zany.cjs", "admin", "--data", data], { encoding: "utf8" });
  const args = [
    "serve",
    "--port",
    port,
    "--data",
    data,
    "--name",
    name,
    "--proxy",
    "--url",
    AT,
    "--log-level",
    "silent",
  ];
  const child = start(process.execPath, ["dist/cli/zany.cjs", ...args]);
  await new Promise((resolve) => child.stdout.once("data", resolve));
  return / once: (\S+)/.exec(said)[1];
}

async function ask(method, path, key, body) {
  const response = await fetch(AT + path, {
    method,
    headers: { Authorization: `Bearer ${key}`, ...(body && { "Content-Type": "application/json" }) },
    ...(body && { body: JSON.stringify(body) }),
  });
  if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${await response.text()}`);
  return response.json();
}

try {
  const keys = { fair1: await service("fair1", "4751"), fair2: await service("fair2", "4752") };
  start("nginx", ["-c", join(folder, "nginx.conf")]);
  for (let tries = 0; tries < 50 && !(await fetch(AT).catch(() => undefined)); tries++)
    await new Promise((resolve) => setTimeout(resolve, 100));
  const text = readFileSync("examples/kite-duel.zany", "utf8");
  for (const [name, begins] of [
    ["fair1", "/api"],
    ["fair2", "/fair2/api"],
  ]) {
    const admin = keys[name];
    await ask("POST", `${begins}/machines`, admin, { text });
    const { key } = await ask("POST", `${begins}/people`, admin, { name: "The fair", host: true });
    const { id } = await ask("POST", `${begins}/matches`, key, {
      machine: "KiteDuel",
      external: { north: "a", south: "b" },
    });
    if (!id.startsWith(`${name}-`)) throw new Error(`${id} was begun at another service than ${name}`);
    // From here on the id alone leads to its holder.
    const stream = await fetch(`${AT}/api/matches/${id}/stream`, { headers: { Authorization: `Bearer ${key}` } });
    const reader = stream.body.pipeThrough(new TextDecoderStream()).getReader();
    const { view } = await ask("GET", `/api/matches/${id}`, key);
    await ask("POST", `/api/matches/${id}/actions`, key, { seat: view.turn[0], action: "brace" });
    let heard = "";
    while (!heard.includes("event: step")) heard += (await reader.read()).value;
    await reader.cancel();
    console.log(`${id}: begun, seen, played and followed through ${AT}`);
  }
} finally {
  for (const child of children) child.kill();
}
