// A game whose rules run in its own server; the service keeps the turns, the clock, the stream and the logbook.
// The game: each word begins with the letter that ended the one before. Its machine passes a text on to whoever is
// named.
//   node game-server.mjs http://127.0.0.1:4747 8090            begins a match of two
//   curl -d '{"player": "gull", "word": "harbour"}' http://127.0.0.1:8090/words
import { randomUUID } from "node:crypto";
import { createServer } from "node:http";
import { ServiceProblem, ZanyClient } from "@zany/client";

const [service = "http://127.0.0.1:4747", port = "8090"] = process.argv.slice(2);
// Where keys are needed, the admin makes one for a game's server: zany person add "Word chain" --host
const client = new ZanyClient(service, () => process.env.GAME_KEY);

/** The game's own players, and their seats in the match. The service only knows these names as names. */
const PLAYERS = { gull: "passenger1", tern: "passenger2" };
const seats = Object.fromEntries(Object.entries(PLAYERS).map(([player, seat]) => [seat, player]));
const match = await client.beginMatch({ machine: "PassTheLetter", seats: 2, external: seats, request: randomUUID() });
const key = match.hostKey;

/** The rules: why a word may not be said, or undefined. */
function wrong(word, before) {
  if (!/^[a-z]{3,20}$/.test(word)) return "A word has 3 to 20 letters.";
  if (before.includes(word)) return "That word was said before.";
  const last = before.at(-1)?.at(-1);
  if (last && word[0] !== last) return `The word must begin with "${last}".`;
  return undefined;
}

/** What the game makes of the text that is passed on. */
const wordsIn = ({ view }) => {
  const letter = view.data.find(({ name }) => name === "letter").value;
  return letter.startsWith("{") ? JSON.parse(letter).words : [];
};

async function say({ player, word }) {
  const seat = PLAYERS[player];
  if (!seat) return [404, `Nobody here is called ${player}.`];
  const seen = await client.match(match.id, key);
  const before = wordsIn(seen);
  const reason = wrong(word, before);
  if (reason) return [422, reason];
  const receiver = seat === "passenger1" ? "passenger2" : "passenger1";
  const words = JSON.stringify({ words: [...before, word].slice(-10) });
  // Whose turn it is, the service knows; and with the step, that of two words at once one is late.
  await client.act(match.id, key, "pass", { words, receiver }, seen.view.step, randomUUID(), seat);
  return [200, `${player} says ${word}.`];
}

const server = createServer(async (request, response) => {
  const answer = (status, value) => response.writeHead(status).end(`${value}\n`);
  try {
    if (request.method === "GET") return answer(200, wordsIn(await client.match(match.id, key)).join(" "));
    const body = await new Response(request).text();
    answer(...(await say(JSON.parse(body))));
  } catch (error) {
    if (error instanceof SyntaxError) answer(400, "Send JSON.");
    else if (error instanceof ServiceProblem) answer(error.status || 503, error.message);
    else throw error;
  }
});
server.listen(Number(port), "127.0.0.1", () => {
  console.log(`Match ${match.id}; words come to http://127.0.0.1:${server.address().port}/words`);
});
