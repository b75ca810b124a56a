// A player in a terminal: node terminal-player.mjs http://127.0.0.1:4747/matches/ID/seat#SECRET [your name]
// Or go on where you stopped: the seat is kept in seat.json beside you.
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { createInterface } from "node:readline";
import { isOver, Seat, ServiceProblem, ZanyClient } from "@zany/client";

const KEPT = "seat.json";
const [link, name] = process.argv.slice(2);
if (!link && !existsSync(KEPT)) throw new Error("Give the link to your seat.");
const kept = link ? undefined : JSON.parse(readFileSync(KEPT, "utf8"));
const service = link ? new URL(link).origin : kept.service;
const client = new ZanyClient(service);
const seat = link ? await Seat.take(client, { link, name }) : new Seat(client, kept.seat);
writeFileSync(KEPT, JSON.stringify({ service, seat: seat.kept }), { mode: 0o600 });

const open = (match) => match.options.filter((option) => option.open);

function show(match) {
  const { view } = match;
  console.log(`\n${view.here.join(", ")}, step ${view.step}`);
  for (const { name, value } of view.data) console.log(`  ${name}: ${JSON.stringify(value)}`);
  if (view.outcome) return console.log(`It ended: ${view.outcome.ending}.`);
  console.log(view.turn.includes(seat.kept.seat) ? "It is your turn." : `It is ${view.turn.join(" and ")}'s turn.`);
  if (open(match).length > 0) console.log(`You may: ${open(match).map(inWords).join(", ")}`);
}

function inWords({ action, parameters }) {
  const choices = parameters.map(({ name, values }) => {
    const listed = values?.filter((value) => value.open).map((value) => value.label);
    return listed ? `${name}=${listed.join("|")}` : `${name}=..`;
  });
  return [action, ...choices].join(" ");
}

/** "slash target=north": an action and its arguments, as `inWords` shows them. */
async function act(line, { options }) {
  const [action, ...words] = line.trim().split(/\s+(?=\w+=|$)/);
  const parameters = options.find((option) => option.action === action)?.parameters ?? [];
  const given = new Map(words.map((word) => [word.slice(0, word.indexOf("=")), word.slice(word.indexOf("=") + 1)]));
  const args = Object.fromEntries(
    parameters.map(({ name, type, values }) => {
      const text = given.get(name) ?? "";
      const listed = values?.find((value) => value.label === text);
      return [name, listed ? listed.value : /^(int|num)/.test(type) ? Number(text) : text];
    }),
  );
  await seat.act(action, args);
}

let present;
const lines = createInterface({ input: process.stdin });
lines.on("line", (line) => {
  act(line, present).catch((error) => console.log(error instanceof ServiceProblem ? error.message : error));
});
for await (const { match, away } of seat.follow()) {
  if (away) console.log(away);
  else show((present = match));
  if (match && isOver(match)) lines.close();
}
