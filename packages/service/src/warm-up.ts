/**
 * A first match that nobody sees. What the engine does for the first time takes many times as long as later; it is done
 * before the service listens, so that nobody has to wait for it.
 */

import { begin, canonicalJson, options, Runnable, restore, situationJson, step, stepLine, view } from "@zany/core";
import { compileWith } from "./workers/tasks.js";

/** Takes most of the language into its mouth. */
const MACHINE = `machine WarmUp
seats gull, tern
type Mood is calm, wild
type Bird { breath: int 0..60 = 60  mood: Mood = calm  name: text max 20 }
signal Clang(bird: seat, force: int)
event Gust(force: int 1..9)
private dice palm
dice wind
hidden dice pile
const feathers: list of int = [1, 2, 3]
const least: int = min(4, 5) - 1
data {
  birds per seat: Bird
  heard: list max 9 of text
  prices: map of text to int = ["tea": 3]
  quay: grid 4 by 3 of int
  private hand per seat: int 0..9
  hidden deck: list max 9 of int = [4, 5, 6]
  rounds: int 0..99 = 0
  first: seat?
  shoal: list of int
  bay: grid 40 by 40 of int
}
function strong(s: seat): bool = birds[s].breath > 20 and birds[s].mood == calm
function best(): seat = maxBy(s in seats: birds[s].breath)
effect tire(s: seat, by: int) {
  birds[s].breath -= max(0, by)
  if birds[s].breath < 10 { birds[s].mood = wild } else { heard.push("{s} holds") }
}
law "nobody is out of breath": all(s in seats: birds[s].breath >= 0)
start Round
state Round {
  enter {
    for i in 0..999 { shoal.push(i) }
    for at in bay.reach(cell(9, 9), 12) { bay[at] = bay.line(at, cell(30, 40)).size }
  }
  start Turn
  on Gust(force) when force > 3 { tire(gull, force) } -> stay
  on Clang(bird, force) { note "{bird} clangs with {force}" }
  state Turn(who: seat = gull) {
    turn of who
    enter { rounds += 1  first = who }
    after 30s { note "{who} sleeps" } -> again Turn(next(who))
    action ring(force: int 1..5, at: cell in quay.cells where quay[at] < 9) needs strong(who) else "{who} is tired" {
      let blow = force + wind.roll(1..6)
      quay[at] += 1
      prices["tea"] = feathers.size + least
      deck = pile.shuffle(deck)
      hand[me] = palm.roll(1..6)
      for s in others where strong(s) { tire(s, blow) }
      raise Clang(me, blow)
    } -> choose { when rounds > 90 -> Over(best()) else -> again Turn(next(who)) }
    action rest { birds[me].breath += 5 } -> again Turn(next(who))
  }
}
ending Over(winner: seat) { wins winner  loses others }
`;

/** How often it is played. */
const TIMES = 3;
const STEPS = 6;

/** Compiles a small machine and plays it. */
export function warmUp(): void {
  const { machine, messages } = compileWith({ text: MACHINE, parts: {} });
  if (messages.length > 0) throw new Error(`The machine of the warm-up is not right: ${messages[0]?.words}`);
  for (let i = 0; i < TIMES; i++) play(new Runnable(machine));
}

function play(runnable: Runnable): void {
  let situation = begin(runnable, { seed: "warm", now: 0 }).taken?.situation;
  for (let i = 0; i < STEPS && situation; i++) {
    const [seat = ""] = view(runnable, situation, null).turn;
    options(runnable, situation, seat, { action: "ring", args: { force: 2 } });
    const chosen = i % 3 === 2 ? { action: "rest" } : { action: "ring", args: { force: 2, at: { x: 1, y: i % 3 } } };
    const result = step(runnable, situation, { kind: "action", seat, ...chosen, time: i * 100 }, { happenings: "now" });
    for (const taken of result.taken) stepLine(runnable, situation, taken);
    canonicalJson(view(runnable, result.situation, seat));
    situation = restore(runnable, situationJson(runnable.machine, result.situation), "warm");
  }
}
