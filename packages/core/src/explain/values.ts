/** Kinds of messages about values: what they can come to, and where a match would stop with a fault. */

import { frame, kind, type Kind } from "./kind.js";

const w = (
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind => kind("warning", name, title, about, triggers, ...fix);

const BELLS = "data { bells: int 0..9 = 0 }";

export const VALUES: readonly Kind[] = [
  w(
    "negative-amount",
    "An amount that can turn round.",
    "What is taken away can be negative, so it would be added: damage that heals. max(0, ...) keeps it from " +
      "turning round.",
    frame({
      top: "data {\n  lift: int 0..40 = 40\n  guard: int 0..9 = 2\n}",
      turn: "action gust { lift -= roll(1..6) - guard } -> stay\nwhen lift == 0 -> Home",
    }),
    ["roll(1..6) - guard", "max(0, roll(1..6) - guard)"],
  ),
  w(
    "always-clamped",
    "A value that is always clamped.",
    "A bounded int is clamped to its bounds. Here what is written lies outside every time, so it is never what " +
      "was written; or it is a roll that goes beyond the bounds, of which some faces are never kept.",
    frame({ top: BELLS, turn: "action toll { bells = 12 } -> stay\nwhen bells == 9 -> Home" }),
    ["bells = 12", "bells = 9"],
  ),
  w(
    "unpaid-cost",
    "A cost that may not be paid in full.",
    "A bounded int stops at its bound: what takes three coins from somebody who has one takes one, and what was " +
      "bought is given all the same. Other actions ask for the coins before. So it is with what is given for goods " +
      "that are asked for and not taken.",
    frame({
      seats: "ann, ben",
      top: "data { coins per seat: int 0..9 = 4  bells per seat: int 0..9 = 0 }",
      turn:
        'action buy { coins[me] -= 3  bells[me] += 1 } -> stay\naction give needs coins[me] >= 1 else "no ' +
        'coins" { coins[me] -= 1 } -> stay\nwhen bells[ann] == 9 -> Home',
    }),
    ["action buy {", 'action buy needs coins[me] >= 3 else "three coins" {'],
  ),
  w(
    "may-divide-by-zero",
    "A division whose divisor can be 0.",
    "The match would stop there with a fault. Ask first, or keep the divisor away from 0.",
    frame({
      top: BELLS,
      turn:
        'action ring { bells += 1 } -> stay\naction share { note "{floor(9 / bells)}" } -> stay\nwhen bells ' +
        "== 9 -> Home",
    }),
    ["9 / bells", "9 / max(1, bells)"],
  ),
  w(
    "index-may-miss",
    "An index that can lie outside.",
    "Reported for lists whose size is fixed and for cells of a grid. Ask for the size, or bring the index back " +
      "inside with mod.",
    frame({
      top: 'const cries: list of text = ["apples", "bread"]\ndata { day: int 0..9 = 0 }',
      turn: 'action cry {\n  note "{cries[day]}"\n  day += 1\n} -> stay\nwhen day == 9 -> Home',
    }),
    ["cries[day]", "cries[day mod cries.size]"],
  ),
  w(
    "list-may-be-empty",
    "The first of a list that can be empty.",
    "first, last, take, pick and the like need at least one element; without one the match would stop with a fault.",
    frame({
      top: "data { line: list of seat = [ann, ann] }",
      turn: 'action serve {\n  line.take()\n  note "{line.first} is next"\n} -> stay\nwhen line.empty -> Home',
    }),
    ['note "{line.first} is next"', 'if not line.empty { note "{line.first} is next" }'],
  ),
  w(
    "may-be-none",
    "A value that can be none where one is needed.",
    "The match would stop there with a fault. Ask first: != none.",
    frame({
      top: "type Kite { lift: int 0..9 = 9 }\ndata { kite: Kite? }",
      turn: 'action build { kite = Kite() } -> stay\naction look { note "{kite.lift}" } -> stay',
    }),
    ['look { note "{kite.lift}" }', 'look { if kite != none { note "{kite.lift}" } }'],
  ),
  w(
    "may-be-unset",
    "Data read that may not have been set.",
    "On some way that leads here nothing has set it, so it holds the first value of its type. A written default " +
      "counts as set.",
    frame({
      top: "data { goal: int 0..9 }",
      turn: 'action aim { goal = 5 } -> stay\naction shoot { note "at {goal}" } -> stay',
    }),
    ["goal: int 0..9", "goal: int 0..9 = 0"],
  ),
  w(
    "list-may-be-full",
    "A list that may be full already.",
    "It has a greatest length, an action adds to it, and no condition asks how long it is; one more than fits is a " +
      "fault.",
    frame({
      top: "data { knots: list max 3 of int }",
      turn: "action tie(n: int 1..3) { knots.push(n) } -> stay",
      rest: 'law "small knots": all(k in knots: k <= 3)',
    }),
    ["knots.push(n) }", "if knots.size < 3 { knots.push(n) } }"],
  ),
  w(
    "roll-empty",
    "A roll from a range that can be empty.",
    "The lower bound can exceed the upper one; the match would stop there with a fault.",
    frame({
      top: BELLS,
      turn:
        'action ring { bells += 1 } -> stay\naction toll {\n  let times = roll(1..bells)\n  note "{times}"\n} ' +
        "-> stay\nwhen bells == 9 -> Home",
    }),
    ["roll(1..bells)", "roll(0..bells)"],
  ),
  w(
    "constant-over-base",
    "A bonus undone by writing a constant.",
    "Somewhere this value is raised, and here a plain number is written over it: whatever else was added " +
      "meanwhile is lost, and so is a base that was set up differently.",
    frame({
      top: "data {\n  pull: int 0..20 = 9\n  lift: int 0..40 = 40\n}",
      turn:
        "action gust { pull += 4 } -> stay\naction calm { pull = 9 } -> stay\naction dive { lift -= pull } -> " +
        "stay\nwhen lift == 0 -> Home",
    }),
    ["pull = 9 }", "pull -= 4 }"],
  ),
  kind(
    "warning",
    "step-at-fault",
    "A step that stops with a fault.",
    "A match was found that comes to a fault which no other " +
      "message speaks of: a text that grows too long, a range without " +
      "end, a state whose data are read while it is not active. " +
      "The step is dropped as a whole, and the match stands still.",
    frame({
      top: 'data { cry: text max 8 = "heave" }',
      turn: 'action shout { cry = "{cry}{cry}" } -> stay\naction listen { note "{cry}" } -> stay',
    }),
    ["action shout {", 'action shout needs cry == "ho" else "too loud" {'],
  ),
];
