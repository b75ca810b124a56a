/** Webhooks: `zany hook` makes and lists them, `zany notices` stands in for a program that receives what they send. */

import { createHmac, timingSafeEqual } from "node:crypto";
import { createServer, type IncomingMessage } from "node:http";
import { type HookMessage, ZanyClient } from "@zany/client";
import { UsedWrongly } from "../files.js";
import type { ServiceOptions } from "../keys.js";
import { whole } from "../lists.js";
import { pad, say, sayJson, style } from "../terminal.js";

export async function hookNew(url: string, options: ServiceOptions): Promise<number> {
  const made = await new ZanyClient(options.service).addHook(url, options.key);
  if (options.json) sayJson(made);
  else say(`Webhook ${style("bold", made.id)} tells ${url}. Its secret, told this once: ${made.secret}`);
  return 0;
}

export async function hookList(options: ServiceOptions): Promise<number> {
  const client = new ZanyClient(options.service);
  const hooks = await whole((after) => client.hooks(options.key, after));
  const dead = await Promise.all(
    hooks.map(({ id }) => whole((after) => client.deadDeliveries(id, options.key, after))),
  );
  if (options.json) {
    sayJson(hooks.map((hook, i) => ({ ...hook, dead: dead[i] })));
    return 0;
  }
  if (hooks.length === 0) say("There is none. Make one with: zany hook new URL");
  for (const [i, { id, url, waiting }] of hooks.entries()) {
    say(`${id}  ${url}  ${waiting} waiting`);
    for (const { delivery, kind, person, match, attempts, failed } of dead[i] ?? [])
      say(style("red", `  given up: ${delivery} ${kind} for ${person} in ${match}, ${attempts} attempts: ${failed}`));
  }
  return 0;
}

export async function hookEnd(id: string, options: ServiceOptions): Promise<number> {
  await new ZanyClient(options.service).removeHook(id, options.key);
  if (options.json) sayJson({ ended: id });
  else say(`Webhook ${id} is told nothing any more.`);
  return 0;
}

interface NoticesOptions {
  readonly port: number;
  readonly secret?: string;
  readonly json?: boolean;
}

/** The most that a message may hold, in bytes. */
const LONGEST = 100_000;
/** How many messages the page shows. */
const SHOWN = 200;

/** Receives messages until it is stopped; a page on the same port shows them. */
export async function notices({ port, secret, json }: NoticesOptions): Promise<number> {
  const received: HookMessage[] = [];
  const server = createServer((request, response) => {
    if (request.method !== "POST") {
      response.setHeader("Content-Type", "text/html; charset=utf-8").end(pageOf(received));
      return;
    }
    textOf(request).then(
      (text) => {
        const signed = secret === undefined || isSigned(secret, request, text);
        if (!signed) say(style("red", "A message came that was not signed with this secret; it was refused."));
        else take(JSON.parse(text) as HookMessage);
        response.writeHead(signed ? 204 : 401).end();
      },
      () => response.writeHead(400).end(),
    );
  });
  const take = (message: HookMessage): void => {
    // The same delivery may come again: it is one.
    if (received.some(({ delivery }) => delivery === message.delivery)) return;
    received.push(message);
    if (received.length > SHOWN) received.shift();
    const { at, kind, person, match, step, address } = message;
    if (json) sayJson(message);
    else say(`${at.slice(11, 19)}  ${pad(person, 14)} ${pad(kind, 12)} ${match} step ${step}  ${address}`);
  };
  const stopped = new Promise<void>((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM"] as const) process.once(signal, () => resolve());
  });
  await new Promise<void>((resolve, reject) => {
    server.once("error", () => reject(new UsedWrongly(`Port ${port} is taken by another program. Choose another.`)));
    server.listen(port, "127.0.0.1", resolve);
  });
  const { port: own } = server.address() as { port: number };
  say(`Receives at http://127.0.0.1:${own}; the same address shows what came.`);
  await stopped;
  server.close();
  server.closeAllConnections();
  return 0;
}

async function textOf(request: IncomingMessage): Promise<string> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of request as AsyncIterable<Buffer>) {
    size += part.length;
    if (size > LONGEST) throw new Error("too long");
    parts.push(part);
  }
  return Buffer.concat(parts).toString("utf8");
}

/** HMAC-SHA-256 by the secret over the time, a line feed and the body. */
function isSigned(secret: string, request: IncomingMessage, text: string): boolean {
  const { "zany-time": time, "zany-signature": signature } = request.headers;
  if (typeof time !== "string" || typeof signature !== "string") return false;
  const wanted = createHmac("sha256", secret).update(`${time}\n${text}`).digest();
  const given = Buffer.from(signature, "hex");
  return given.length === wanted.length && timingSafeEqual(given, wanted);
}

function pageOf(received: readonly HookMessage[]): string {
  const safe = (text: string | number): string => String(text).replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
  const rows = received
    .toReversed()
    .map(({ at, person, kind, match, step, address }) => {
      const cells = [at, person, kind, step].map((cell) => `<td>${safe(cell)}</td>`).join("");
      return `<tr>${cells}<td><a href="${safe(address)}">${safe(match)}</a></td></tr>`;
    })
    .join("");
  return `<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="2">
<title>Notices</title>
<style>body{font:1rem/1.5 system-ui,sans-serif;margin:2rem}td,th{text-align:left;padding:.2rem .8rem}</style>
<h1>Notices</h1><table><tr><th>At<th>Who<th>What<th>Step<th>Match</tr>${rows}</table></html>`;
}
