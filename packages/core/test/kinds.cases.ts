/**
 * For every kind of message, beside the pair on its page: two more files that trigger it and two more that
 * come close and trigger nothing at all. Most are a few lines in the frame of the pages.
 */

import { frame } from "../src/explain/kind.js";

export interface Cases {
  readonly triggers: readonly string[];
  readonly spares: readonly string[];
}

const one = (turn: string, top?: string, rest?: string): string =>
  frame({ turn, ...(top && { top }), ...(rest && { rest }) });
const two = (turn: string, top?: string, rest?: string): string =>
  frame({ turn, seats: "ann, ben", ...(top && { top }), ...(rest && { rest }) });

const BELLS = "data { bells: int 0..9 = 0 }";
/** So many values with names, each made of the one before. */
const lets = (count: number): string =>
  `let b0 = bells ${Array.from({ length: count }, (_, i) => `let b${i + 1} = b${i} + 1`).join(" ")}`;
const sides = (more: string): string =>
  `ending E { wins filter(s in inPlay where inPlay.size > bells)  loses filter(s in inPlay where inPlay.size <= bells)  ${more} }`;
const statuses = (aging: string): string =>
  one(
    `action chill(n: int 2..4) { statuses.push(Status(left: n)) } -> stay
action go { ${aging}  bells += statuses.size } -> choose { when bells == 9 -> Home  else -> stay }`,
    "type Status { left: int 0..5 }\ndata { statuses: list of Status  bells: int 0..9 }",
  );
const polls = (begins: string): string =>
  two(
    "action open -> Poll",
    "data { voted per seat: bool  ayes per seat: bool  bells: int 0..9 }",
    `state Poll { turn of each seats  ${begins}
  action cast(aye: bool) { ayes[me] = aye  voted[me] = true } -> ready
  when all ready -> Count
  after 1d -> Count
}
state Count { enter { bells += count(s in seats where voted[s] and ayes[s]) } -> choose { when bells == 9 -> Home  else -> Turn } }`,
  );
/** @param acted how the turn goes on when something was done @param lost and when a ribbon was lost */
const ribbons = (acted: string, lost: string): string => `machine Ribbons
seats ann, ben, cas
data { ribbons per seat: int 0..3 = 3  onTurn: seat = ann  laid: int 0..9 }
function standing(): list of seat = filter(s in inPlay where ribbons[s] > 0)
function after1(s: seat): seat = if ribbons[next(s)] > 0 then next(s) else if ribbons[next(next(s))] > 0 then next(next(s)) else s
effect pass(s: seat) { ${lost} }
start Lay
state Lay {
  turn of onTurn
  action lay { laid += 1  ${acted} } -> choose { when laid == 9 { laid = 0  ribbons[me] -= 1 } -> Count(me)  else -> stay }
  action give1 { ribbons[me] -= 1 } -> Count(me)
}
state Count(loser: seat) {
  enter -> choose { when standing().size <= 1 -> Won(after1(loser))  else { pass(loser) } -> Lay }
}
on Left(s) { eliminate s  ribbons[s] = 0 } -> choose { when standing().size <= 1 -> Won(next(s))  else { onTurn = after1(s) } -> Lay }
ending Won(winner: seat) { wins winner loses others }
`;
/** Each in an order that is made anew when nobody is left in it. @param taking whose turn it is */
const roundOf = (taking: string): string =>
  two(
    "action a1 -> Next",
    "data { order: list of seat  acting: seat = ann  bells: int 0..9 }",
    `state Round { enter { order.clear() for s in seats { order.push(s) } order = shuffle(order) } -> Next }
state Next { enter -> choose { when bells == 9 -> Home  when order.empty -> Round  else { ${taking} } -> Act } }
state Act { turn of acting action ring { bells += 1 } -> Next }`,
  );
const moving = (dash: string): string =>
  one(
    `action walk needs steps > 0 else "none" { steps -= 1  bells += 1 } -> stay
${dash}
action pause -> Rest1
when bells == 9 -> Home`,
    "data { steps: int 0..3 = 3  bells: int 0..9 }",
    "state Rest1 { enter { steps = 3 } -> Turn }",
  );
const stakes = (begins: string): string =>
  two(
    "action a1 -> Bets",
    "data { purse per seat: int 0..90 = 40  stake per seat: int 0..9 }",
    `state Bets {
  turn of each inPlay
  ${begins}
  action bet(n: int 1..9 where n <= purse[me] else "not so much") { stake[me] = n  purse[me] -= n } -> ready
  action sitOut -> ready
  when all ready -> Draw
}
state Draw {
  enter { for s in inPlay where stake[s] > 0 { if roll(1..2) == 1 { purse[s] += 2 * stake[s] } } } -> choose { when any(s in inPlay: purse[s] > 80) -> Home  else -> Bets }
}
on Left(s) { stake[s] = 0 }`,
  );
const voyage = (help: string): string =>
  two(
    "action a1 -> Row",
    "data { private hinders per seat: bool  miles: int 0..9 }",
    `state Row {
  turn of each seats
  enter { for s in seats { hinders[s] = false } }
  ${help}
  sealed action hinder { hinders[me] = true } -> ready
  when all ready -> Count
}
state Count { enter { miles += count(s in seats where not hinders[s]) } -> choose { when miles == 9 -> Home  else -> Row } }`,
  );
/** Each in an order, in a round with inner states. */
const orders = (enter: string, start = "start Next"): string =>
  two(
    "action a1 -> Round",
    "data { order: list of seat  acting: seat = ann  bells: int 0..9 }",
    `state Round {
  ${start}
  ${enter}
  state Next { enter -> choose { when bells == 9 -> Home  when order.empty -> again Round  else { acting = order.take() } -> Act } }
  state Act { turn of acting  action ring { bells += 1 } -> Next  action go -> Home }
}`,
  );
const RING = "action ring { bells += 1 } -> stay\nwhen bells == 9 -> Home";
const ring = (lines: string): string => one(`${lines}\n${RING}`, BELLS);
/** A ring in turns, and what passes the turn on: an action, the time, the beginning. */
const passing = (acted: string, late: string, begun = "enter"): string => `machine Ring
seats ann, ben
data { onTurn: seat = ann  rung: int 0..9 }
start Begin
state Begin { ${begun} -> Ring }
state Ring {
  turn of onTurn
  action ring { rung += 1 ${acted} } -> Count
  after 1m { ${late} } -> Count
  when rung == 9 -> Rung
}
state Count { enter -> Ring }
ending Rung { draws all }
`;
/** A round in which everybody chooses, and what is chosen is added up. */
const choosing = (lines: string): string =>
  two(
    "action begin -> Choose",
    "data { private aim per seat: int?  total: int 0..40 }",
    `state Choose {
  turn of each seats
  enter { for s in seats { aim[s] = none } }
  sealed action take1(n: int 1..9) { aim[me] = n } -> ready
  ${lines}
}
state Judge { enter -> choose { when total > 30 -> Home else -> Choose } }`,
  );
const LINE = "data { line: list of seat = [ann] }";

/** A duel: what an action leads to, and what is decided there. */
const duel = (actions: string, judge: string, data = ""): string => `machine Duel
seats ann, ben
data { lift per seat: int 0..9 = 5  onTurn: seat = ann ${data} }
on Left(s) -> Won(next(s))
start Turn
state Turn {
  turn of onTurn
  ${actions}
}
state Judge {
  enter -> choose {
    ${judge}
    else { onTurn = next(onTurn) } -> Turn
  }
}
ending Won(winner: seat) { wins winner  loses others }
ending Both { draws all }
`;

/** Stalls that throw at each other in the order of a queue; what else a throw does. */
const queueOfStalls = (more: string): string => `machine Stalls
seats a, b, c
data { wall per seat: int 0..6 = 6  queue: list of seat }
function standing(): list of seat = filter(s in inPlay where wall[s] > 0)
start Round
state Round { enter { queue = standing() } -> Turn }
state Turn {
  turn of queue.first
  action throw1(at: seat in standing() where at != me else "you") { wall[at] -= roll(1..3)  queue.take()  ${more} } -> choose {
    when standing().size == 1 -> Last(standing().first)
    when queue.empty -> Round
    else -> stay
  }
  action rest { queue.take() } -> choose {
    when queue.empty -> Round
    else -> stay
  }
}
ending Last(winner: seat) { wins winner  loses others }
`;

/** A vote, round after round: how a seat does its part, and what else is kept of it. */
const votes = (part: string, data = ""): string => `machine Votes
seats ann, ben, cid
data { private vote per seat: seat?  rounds: int 0..9  ${data} }
on Left(s) -> Home
start Choose
state Choose {
  turn of each inPlay
  enter { rounds += 1 }
  ${part}
  when all ready -> Count
}
state Count {
  enter { note "ann has {count(s in inPlay where vote[s] == ann)}" } -> choose {
    when rounds == 9 -> Home
    else -> Choose
  }
}
ending Home { draws all }
`;

/** Rounds that are won at some points, each of which counts. */
const scored = (full: string, won: string): string => `machine M
seats a, b
data { points per seat: int 0..9  rounds per seat: int 0..3  up: seat = a }
on Left(s) -> Won(next(s))
start Play
state Play { turn of up  action throw { if chance(50%) { points[me] += 1 }  up = next(me) } -> Look }
state Look { enter -> choose { when ${full} -> Over(a)  when ${full.replace("[a]", "[b]")} -> Over(b)  else -> Play } }
state Over(by: seat) { enter { ${won} } -> choose { when rounds[by] == 3 -> Won(by)  else -> Play } }
ending Won(by: seat) { wins by loses others }
`;

/** Whoever's gauge is full acts. */
const FIGHT = `state Fight {
  turn of filter(s in seats where full(s))
  after each 1s { for s in seats { gauge[s] += roll(8..12) } }
  action peck { gauge[me] -= 60 } -> Judge
}
state Judge { enter -> choose { when gauge[ann] > 90 -> Home else -> Fight } }`;

/** A queue of turns: where it is made, and what comes behind a turn. */
const turnQueue = (made: string, turn: string, next: string): string => `machine Fair
seats ann, ben
data { line: list of seat  bells: int 0..9 = 0 }
on Left(s) -> Home
start Round
state Round { ${made}
  start Turn
  state Turn { ${turn}
    turn of line.first
    action ring { bells += 1 } -> Next
    when bells == 9 -> Home
  }
  state Next { ${next} }
}
ending Home { draws all }
`;

/** Kites of several makes, who are on their guard for a round. */
const guarded = (makes: string): string => `machine Duel
seats ann, ben
type Kite { lift: int 0..40 = 40  guard: int 0..9 = 1 }
const makes: list of Kite = ${makes}
data { kites per seat: Kite  onTurn: seat = ann }
start Begin
state Begin {
  enter { for i in seats.indices { kites[seats[i]] = makes[i] } } -> Round
}
state Round {
  enter { for s in seats { kites[s].guard = 1 } }
  turn of onTurn
  action brace { kites[me].guard += 2  onTurn = next(me) } -> stay
  action slash { kites[next(me)].lift -= max(0, 5 - kites[next(me)].guard) } -> choose {
    when kites[next(me)].lift == 0 -> Won(me)
    else { onTurn = next(me) } -> again Round
  }
}
on Left(s) -> Won(next(s))
ending Won(winner: seat) { wins winner  loses others }
`;

/** Each takes one out of the own basket, until a condition holds. */
const baskets = (done: string): string => `machine M
seats ann, ben
data { basket per seat: list of int = [ann: [1, 8], ben: [6, 2]]  picked per seat: int 0..99 }
start Pick
state Pick {
  turn of each seats
  action pick1(index: int in basket[me].indices) { picked[me] += basket[me][index]  basket[me].remove(index) } -> ready
  when all ready -> Look
}
state Look {
  enter -> choose {
    when ${done} -> E
    else -> Pick
  }
}
ending E { ranks sortDown(s in seats: picked[s] ties inOrder) }
`;

/** Gulls that peck, each by itself, until none is hungry. */
const gulls = (pecking: string, done: string): string => `machine Quay
seats ann
type Gull { hunger: int 0..9 = 3  beak: int 1..3 = 1 }
data { gulls: list of Gull = [Gull(), Gull(beak: 2)]  buns: int 0..20 = 20 }
function hungry(g: Gull): bool = g.hunger > 0
effect peck(n: int) { buns -= n }
start Turn
state Turn {
  turn of ann
  action feed(i: int in gulls.indices) { gulls[i].hunger -= 2  if hungry(gulls[i]) { note "still hungry" } } -> Peck
  action shoo { peck(1) } -> Peck
}
state Peck {
  enter { ${pecking} } -> choose {
    ${done}
    when buns == 0 { note "no buns" } -> Turn
    else -> Turn
  }
}
ending Home { wins ann }
`;

/** A wave is over when none of it is hungry any more; another comes, or one goes home. */
const WAVE = "when count(g in gulls where g.hunger > 0) == 0 -> Next";
const NEXT_WAVE =
  "state Next { turn of ann action goOn { gulls = [Gull(), Gull(beak: 3)] } -> Turn action home -> Home }\nending Home";

/** Everybody votes, one after the other; seats may leave. */
const ballot = (more: string): string => `machine M
seats 3..5 v
data { voted per seat: bool = false  yes: int 0..5 = 0 }
start Vote
state Vote {
  turn of inPlay
  action look -> stay
  action cast(y: bool) needs not voted[me] else "once" { voted[me] = true  if y { yes += 1 } } -> choose {
    when all(s in inPlay: voted[s]) and yes > 2 -> E
    when all(s in inPlay: voted[s]) -> No
    else -> stay
  }${more}
}
on Left(s) { note "{s} has left" }
ending E { wins all }
ending No { draws all }
`;

/** A bout entered again and again from a journey. */
const journey = (data: string, sea: string, bout: string): string => `machine Journey
seats ann
${data}
start AtSea
state AtSea {
  turn of ann
  ${sea}
  action land -> Home
}
state Bout {
  ${bout}
}
ending Home { wins ann }
`;

export const CASES: Readonly<Record<string, Cases>> = {
  // ---- writing ---------------------------------------------------------------------------------
  syntax: {
    triggers: [ring("when bells = 3 -> Home"), ring("after -> Home")],
    spares: [one("when bells == 3 -> Home\naction ring { bells += 1 } -> stay", BELLS), ring("after 3s -> Home")],
  },
  "bad-character": {
    triggers: [ring("after 5s -> Home @ soon"), ring("action add { bells += 1 & 2 } -> stay")],
    spares: [ring("after 5s -> Home // soon #"), ring('enter { note "# & ;" }')],
  },
  "bad-number": {
    triggers: [ring("after 5sec -> Home"), one('enter { note "{99999999999999999999}" }')],
    spares: [ring("after 500ms -> Home"), one('enter { note "{9007199254740991}" }')],
  },
  "bad-escape": {
    triggers: [ring('enter { note "a\\qb" }'), ring('enter { note "\\x41" }')],
    spares: [ring('enter { note "a\\nb" }'), ring('enter { note "\\\\q \\"" }')],
  },
  "unclosed-text": {
    triggers: [ring('enter { note "dong }'), ring('action look { note "it is {bells } -> stay')],
    spares: [ring('enter { note "dong }" }'), ring('enter { note "a // b" }')],
  },
  "missing-brace": {
    triggers: [ring('action look { note "x" -> stay'), one("action a1 { if bells > 3 { bells = 0 } -> stay", BELLS)],
    spares: [ring("action look { if bells > 3 { bells = 0 } } -> stay"), ring("action look { } -> stay")],
  },
  "extra-brace": {
    triggers: [`${one("")}\n}\n`, one("").replace("ending Home", "}\nending Home")],
    spares: [`${one("")}\n// }\n`, one('enter { note "}}" }')],
  },
  "reserved-word": {
    triggers: [one("", "data { action: int 0..9 = 0 }"), one("action enter -> stay")],
    spares: [
      ring("action entering -> stay"),
      one("when by == 9 -> Home\naction at1 { by += 1 } -> stay", "data { by: int 0..9 = 0 }"),
    ],
  },
  "built-in-name": {
    triggers: [one("", "data { seats: int 0..9 = 0 }"), one("action a1(me: seat) -> stay")],
    spares: [
      one('action a1(mine: seat) { note "{mine}" } -> stay'),
      one('enter { note "{all1}" }', "const all1: int = 3"),
    ],
  },
  "too-deep": {
    triggers: [
      one(`enter { note "{${"(".repeat(300)}1${")".repeat(300)}}" }`),
      one(`action a1 { bells = ${"-".repeat(300)}1 } -> stay`, BELLS),
    ],
    spares: [
      one(`enter { note "{${"(".repeat(90)}1${")".repeat(90)}}" }`),
      one(`enter { note "{${"1 + ".repeat(300)}1}" }`),
    ],
  },
  "too-large": {
    triggers: [
      one("", "data { g: grid 600 by 600 of bool }"),
      frame({ turn: "", seats: "1..40 flyer" })
        .replace("seats 1..40 flyer", "seats 2..40 flyer")
        .replaceAll("ann", "flyer1"),
      one(`action a1 { ${lets(600)} bells = b600 } -> stay\nwhen bells == 9 -> Home`, BELLS),
    ],
    spares: [
      one(`action a1 { ${lets(400)} bells = min(9, b400) } -> stay\nwhen bells == 9 -> Home`, BELLS),
      one(
        "action a1 { g[cell(1, 1)] = true } -> stay\nwhen g[cell(1, 1)] -> Home",
        "data { g: grid 90 by 90 of bool }",
      ),
      one(
        "action a1 { g[cell(1, 1)] = 1 } -> stay\nwhen g[cell(1, 1)] == 1 -> Home",
        "data { g: grid 400 by 400 of int }",
      ),
    ],
  },
  "else-not-last": {
    triggers: [
      one("action a1 -> choose { else -> Home else -> stay }"),
      one("action a1 { bells += 1 } -> choose { when bells > 3 -> Home else -> stay when bells == 9 -> Home }", BELLS),
    ],
    spares: [
      one("action a1 { bells += 1 } -> choose { when bells > 3 -> Home else -> stay }", BELLS),
      one("action a1 -> choose { else -> Home }"),
    ],
  },
  "unknown-file": {
    triggers: [
      one("").replace("seats ann", 'include "../kites.zany"\nseats ann'),
      one("").replace("seats ann", 'include ""\nseats ann'),
    ],
    spares: [one(""), one("").replace("machine Kiosk", '// include "kites.zany"\nmachine Kiosk')],
  },
  "unknown-message": {
    triggers: [ring('accept never-opened "why"\nafter 1s -> Home'), ring('accept x "why"\nafter 1s -> Home')],
    spares: [
      one('accept unread-data "shown by the game"\naction a1 -> stay').replace(
        'accept unread-data "shown by the game"\n  ',
        "",
      ),
      ring("after 1s -> Home"),
    ],
  },
  "unneeded-accept": {
    triggers: [
      ring('accept missing-reason "why"\nafter 1s -> Home'),
      ring('accept wrong-type "why"\nafter 1s -> Home'),
    ],
    spares: [
      one(
        "action mend -> stay",
        '// silenced:\ndata {\n  accept unread-data "shown by the game"\n  kites: int 0..9 = 0\n}',
      ),
      one('accept missing-reason "the button is not shown"\naction ring needs bells < 9 { bells += 1 } -> stay', BELLS),
    ],
  },

  // ---- names and types -------------------------------------------------------------------------
  "unknown-value": {
    triggers: [ring("when Bells == 3 -> Home"), ring("action a1 { bells = sqare(3) } -> stay")],
    spares: [
      ring("when bells == 3 -> stay").replace("when bells == 3 -> stay\n  ", ""),
      ring("action a1 { bells = abs(3) } -> stay"),
    ],
  },
  "unknown-field": {
    triggers: [
      one('enter { note "{line.frist}" }\naction a1 { line.push(ann) } -> stay', LINE),
      one('enter { note "{kite.Lift}" }', "type Kite { lift: int 0..9 = 9 }\ndata { kite: Kite }"),
    ],
    spares: [
      one('enter { note "{line.last}" }\naction a1 { line.push(ann) } -> stay', LINE),
      one('enter { note "{kite.lift}" }', "type Kite { lift: int 0..9 = 9 }\ndata { kite: Kite }"),
    ],
  },
  "unknown-state": {
    triggers: [one("action a1 -> home"), ring("when in Trun and bells == 3 -> Home")],
    spares: [
      one("action a1 -> Home"),
      one("action a1 -> history Turn", undefined, "").replace("-> history Turn", "-> stay"),
    ],
  },
  "unknown-signal": {
    triggers: [one("on Rung -> Home"), one('on left(s) { note "{s}" }')],
    spares: [one('on Left(s) { note "{s}" }'), one("on Rung -> Home", "event Rung()")],
  },
  "unknown-effect": {
    triggers: [
      ring("action a1 { rnig() } -> stay"),
      one("action a1 { line.tak() } -> stay\nwhen line.empty -> Home", LINE),
    ],
    spares: [
      one("action a1 { toll() } -> stay\nwhen bells == 9 -> Home", `${BELLS}\neffect toll() { bells += 1 }`),
      one("action a1 { line.take() } -> stay\nwhen line.empty -> Home", LINE),
    ],
  },
  "unknown-action": {
    triggers: [`${one("")}test "x" {\n  ann laeve\n}\n`, `${one("")}policy p { else: leavee }\n`],
    spares: [`${one("")}test "x" {\n  ann leave\n}\n`, `${one("")}policy p { else: leave }\n`],
  },
  "unknown-argument": {
    triggers: [
      one("action a1 -> Two(tmies: 3)", undefined, 'state Two(times: int) {\n  enter { note "{times}" } -> Home\n}'),
      one('enter { note "{kite.lift}" }', "type Kite { lift: int 0..9 = 9 }\ndata { kite: Kite = Kite(life: 3) }"),
    ],
    spares: [
      one("action a1 -> Two(times: 3)", undefined, 'state Two(times: int) {\n  enter { note "{times}" } -> Home\n}'),
      one('enter { note "{kite.lift}" }', "type Kite { lift: int 0..9 = 9 }\ndata { kite: Kite = Kite(lift: 3) }"),
    ],
  },
  "unknown-type": {
    triggers: [one("", "data { k: interger = 3 }"), one("", "data { k: list of Seat }")],
    spares: [
      one('enter { note "{k}" }', "data { k: int = 3 }"),
      one("action a1 { k.push(me) } -> stay\nwhen k.size == 2 -> Home", "data { k: list of seat }"),
    ],
  },
  "unknown-seat": {
    triggers: [`${one("")}test "x" {\n  an leave\n}\n`, one("", "team Reds: ann, anna")],
    spares: [`${one("")}test "x" {\n  ann leave\n}\n`, one('enter { note "{Reds.size}" }', "team Reds: ann")],
  },
  "unknown-refusal": {
    triggers: [
      `${one("")}test "x" {\n  ann leave\n  ann leave refused over\n}\n`,
      `${one("")}test "x" {\n  ann leave\n  ann leave refused matchover\n}\n`,
    ],
    spares: [
      `${one("")}test "x" {\n  ann leave\n  ann leave refused matchOver\n}\n`,
      `${two("")}test "x" {\n  ben leave refused notYourTurn\n}\n`,
    ],
  },
  "duplicate-name": {
    triggers: [one("action a1 -> stay\naction a1 -> Home"), one("", undefined, "state Turn { after 1s -> Home }")],
    spares: [
      one("action a1 -> stay\naction a2 -> Home"),
      one("action a1 -> Two", undefined, "state Two {\n  turn of ann\n  action a1 -> Home\n}"),
    ],
  },
  "wrong-type": {
    triggers: [ring("when bells == ann -> Home"), ring("action a1 { bells += 7 / 2 } -> stay")],
    spares: [
      ring("action a1 { if bells == 3 { bells = 0 } } -> stay"),
      ring("action a1 { bells += floor(7 / 2) } -> stay"),
    ],
  },
  "wrong-arguments": {
    triggers: [
      ring("action a1 { bells = max(1) } -> stay"),
      one("action a1 -> Two(3)", undefined, "state Two { after 1s -> Home }"),
    ],
    spares: [
      ring("action a1 { bells = max(1, bells) } -> stay"),
      one("action a1 -> Two", undefined, 'state Two(times: int = 3) {\n  enter { note "{times}" } -> Home\n}'),
    ],
  },
  "empty-range": {
    triggers: [
      one("action a1 { bells = roll(6..1) } -> stay", BELLS),
      frame({}).replace("seats ann", "seats 3..2 flyer"),
    ],
    spares: [
      one("action a1 { bells = roll(1..6) } -> stay\nwhen bells == 3 -> Home", BELLS),
      one("action a1 { bells = roll(-3..-1) + 4 } -> stay\nwhen bells == 3 -> Home", BELLS),
    ],
  },
  "no-default": {
    triggers: [one("", "data { at: cell }"), one("", "type Laid { owner: seat }\ndata { laid: Laid }")],
    spares: [
      one("action a1 { at1 = cell(1, 1) } -> stay\nwhen at1 == cell(1, 1) -> Home", "data { at1: cell = cell(0, 0) }"),
      one(
        "action a1 { laid.owner = none } -> stay\nwhen laid.owner == none -> Home",
        "type Laid { owner: seat? = ann }\ndata { laid: Laid }",
      ),
    ],
  },
  "endless-type": {
    triggers: [
      one("", "type A { b: B }\ntype B { a: A }\ndata { x: A }"),
      one("", "type A { g: grid 2 by 2 of A }\ndata { x: A }"),
    ],
    spares: [
      one(
        "action a1 { x.inner.push(A()) } -> stay\nwhen x.inner.size == 3 -> Home",
        "type A { inner: list of A }\ndata { x: A }",
      ),
      one("action a1 { x.inner = A() } -> stay\nwhen x.inner != none -> Home", "type A { inner: A? }\ndata { x: A }"),
    ],
  },
  "used-too-early": {
    triggers: [
      one('enter { note "{a1}" }', "data { n: int = 3 }\nconst a1: int = n"),
      one('enter { note "{a1}" }', "const a1: int = a1 + 1"),
      one("action a1 { x = 0 } -> stay\nwhen x == y -> Home", "data { x: int = y + 1  y: int = 5 }"),
      one("action a1 { x = ann } -> stay\nwhen x == ann -> Home", "data { x: seat = x }"),
      one(
        "action a1 { x = 0 } -> stay\nwhen x == y -> Home",
        "data { x: int = f(2)  y: int = 5 }\nfunction f(n: int): int = g() * n\nfunction g(): int = y",
      ),
      one("action a1 { x.n = 0 } -> stay\nwhen x.n == y -> Home", "type A { n: int = y }\ndata { x: A  y: int = 5 }"),
    ],
    spares: [
      one('enter { note "{a2}" }', "const a1: int = 3\nconst a2: int = a1 + 1"),
      one('enter { note "{a1}" }', "const a1: int 0..9 = 3"),
      one(
        "action a1 { x.n = 0 } -> stay\nwhen x.n == z -> Home",
        "type A { n: int = y }\ndata { y: int = 5  x: A  z: int = f() }\nfunction f(): int = y + x.n",
      ),
    ],
  },
  "bad-constant": {
    triggers: [
      one('enter { note "{a2}" }', "const a1: list of int = []\nconst a2: int = a1.first"),
      one('enter { note "{a1.size}" }', "const a1: list of int = sort(x in 0..99999: 0 - x)"),
    ],
    spares: [
      one('enter { note "{a2}" }', "const a1: list of int = [1]\nconst a2: int = a1.first"),
      one('enter { note "{a1.size}" }', "const a1: list of int = sort(x in 0..999: 0 - x)"),
    ],
  },
  recursion: {
    triggers: [
      one('enter { note "{f(3)}" }', "function f(n: int): int = f(n - 1)"),
      one('enter { note "{f(3)}" }', "function f(n: int): int = g(n)\nfunction g(n: int): int = f(n)"),
      // Who can act hangs on whose turn it is.
      two(
        "action a1 -> Other",
        "function able(): list of seat = filter(s in inPlay where canAct(s))",
        "state Other { turn of able() action back -> Home }",
      ),
    ],
    spares: [
      one('enter { note "{f(f(3))}" }', "function f(n: int): int = n - 1"),
      one('enter { note "{f(3)}" }', "function f(n: int): int = g(n) + g(n)\nfunction g(n: int): int = n"),
      two(
        'action a1 needs bells > 0 else "no" { bells -= 1 } -> stay\naction pass needs not canAct(me) else "you can" -> Home',
        "data { bells: int 0..9 = 2 }",
      ),
    ],
  },
  "not-assignable": {
    triggers: [one("action a1 { ann = me } -> stay"), one("action a1 { for i in 1..3 { i += 1 } } -> stay")],
    spares: [
      one('action a1 {\n  let i = 1\n  i += 1\n  note "{i}"\n} -> stay'),
      one("action a1 { for i in 1..3 { bells += i } } -> stay\nwhen bells == 6 -> Home", BELLS),
    ],
  },
  "unused-value": {
    triggers: [
      one("action a1 { f(3) } -> stay", "function f(n: int): int = n"),
      one("action a1 { twice(me) } -> stay", "function twice(s: seat): list of seat = [s, s]"),
    ],
    spares: [
      one('action a1 { note "{f(3)}" } -> stay', "function f(n: int): int = n"),
      one('action a1 {\n  let n = f(3)\n  note "{n}"\n} -> stay', "function f(n: int): int = n"),
    ],
  },

  // ---- places ----------------------------------------------------------------------------------
  "no-seats": {
    triggers: [
      "machine M\nstart S\nstate S { after 1s -> E }\nending E { draws all }\n",
      "machine M order standard\nstart S\nstate S {}\nending E { draws all }\n",
    ],
    spares: [
      "machine M\nseats ann\nstart S\nstate S { after 1s -> E }\nending E { draws all }\n",
      "machine M\nseats 1..2 flyer\nstart S\nstate S { after 1s -> E }\nending E { draws all }\n",
    ],
  },
  "no-start": {
    triggers: [one("state Inner { after 1s -> Home }"), "machine M\nseats ann\nending E { draws all }\n"],
    spares: [
      one("start Inner\nstate Inner { after 1s -> Home }"),
      "machine M\nseats ann\nstart P\nparallel state P {\n  state A { after 1s -> E }\n  state B { after 2s -> E }\n}\nending E { draws all }\n",
    ],
  },
  "missing-arrow": {
    triggers: [one('action a1 { note "x" }'), ring("when bells == 3 { bells = 4 }")],
    spares: [one('action a1 { note "x" } -> stay'), ring("when bells == 3 { bells = 4 } -> stay")],
  },
  "choice-without-else": {
    triggers: [
      ring("action a1 -> choose { when bells > 3 -> Home when bells <= 3 -> stay }"),
      one("action a1 -> choose { }"),
    ],
    spares: [
      ring("action a1 -> choose { when bells > 3 -> Home else -> stay }"),
      one("action a1 -> odds { 1 -> Home }"),
    ],
  },
  "entered-twice": {
    triggers: [
      // The first of an order is passed over: the inner state has led on when the outer one leads to it.
      orders("enter { order = shuffle(seats) } -> Next"),
      orders("enter { order = shuffle(seats) } -> choose { when bells > 3 -> Next  else -> Next }"),
    ],
    spares: [
      orders("enter { order = shuffle(seats) }"),
      // Where it begins nothing is done on entering.
      orders("enter { order = shuffle(seats) } -> Wait", "start Wait\n  state Wait { after 1s -> Next }"),
      orders("enter { order = shuffle(seats) } -> Next", "start Wait\n  state Wait { after 1s -> Next }"),
    ],
  },
  "again-needed": {
    triggers: [one("start In\nstate In { after 1s -> Turn }"), one("after 1s -> Turn")],
    spares: [one("start In\nstate In { after 1s -> again Turn }"), one("after 1s -> again Turn")],
  },
  "wrong-place": {
    triggers: [one("action a1 -> ready"), one("action a1 -> again Home")],
    spares: [
      one("action a1 -> O", undefined, "overlay O { after 1s -> return }"),
      "machine M\nseats ann, ben\nstart S\nstate S {\n  turn of each seats\n  action a1 -> ready\n  when all ready -> E\n}\nending E { draws all }\n",
    ],
  },
  "others-are-all": {
    triggers: [
      two("action a1 -> E([me])", undefined, "ending E(winners: list of seat) { none others }"),
      two("action a1 { bells += 1 } -> E(me)", BELLS, "ending E(by: seat) { loses others  scores s in seats: bells }"),
    ],
    spares: [
      two("action a1 -> E(me)", undefined, "ending E(by: seat) { none all }"),
      two("action a1 -> E", undefined, "ending E { draws others }"),
    ],
  },
  "seat-without-result": {
    triggers: [
      // Whatever a function or a datum holds, all would not have won by it.
      two("action a1 -> E", "data { led: list of seat = [ann] }", "ending E { wins led }").replace(
        "action a1",
        "action a0 { led.push(ben) } -> stay  action a1",
      ),
      two(
        "action a1 { bells += 1 } -> E",
        `${BELLS}\nfunction up(): list of seat = filter(s in seats where s == ann or bells > 3)`,
        "ending E { wins up() }",
      ),
      two("action a1 -> E", undefined, "ending E { wins ann }"),
      two("action a1 -> E", undefined, "ending E { }"),
      // Who has left meanwhile is in neither list.
      two("action a1 -> E", BELLS, sides("")).replace("on Left(s) -> Home", "on Left(s) { bells += 1 }"),
      two("action a1 -> E", BELLS, sides("")).replace("on Left(s) -> Home", "on Left(s) when bells > 3 -> Home"),
    ],
    spares: [
      two("action a1 -> E", undefined, "ending E { wins ann  loses ben }"),
      two("action a1 -> E", undefined, "ending E { ranks seats }"),
      // Whoever leaves ends it otherwise, or is one of the others.
      two("action a1 { bells += 1 } -> E", BELLS, sides("")),
      two("action a1 -> E", BELLS, sides("loses others"))
        .replace("on Left(s) -> Home", "on Left(s) when inPlay.size == 1 -> Home")
        .replace("ann, ben", "ann, ben, cid")
        .replace("turn of ann", "turn of inPlay"),
      // Whatever leads there gives it everybody.
      two("action a1 -> E(seats)", undefined, "ending E(order: list of seat) { ranks order }"),
    ],
  },
  "no-me": {
    triggers: [
      one("after 1s { bells[me] = 1 } -> Home", "data { bells per seat: int 0..9 = 0 }"),
      one('enter { note "{others.size}" }'),
    ],
    spares: [
      one(
        "action a1 { bells[me] += 1 } -> stay\nwhen bells[ann] == 9 -> Home",
        "data { bells per seat: int 0..9 = 0 }",
      ),
      two('action a1 { note "{others.size}" } -> stay'),
    ],
  },
  "no-time-here": {
    triggers: [ring("when now > 5 -> Home"), one('action a1 needs now > 3 else "wait" -> Home')],
    spares: [
      one('action a1 { note "later" } -> stay\nafter 5s -> Home'),
      one('action a1 {\n  let t = now\n  note "{t}"\n} -> stay'),
    ],
  },
  "roll-not-allowed": {
    triggers: [one("when roll(1..6) == 6 -> Home"), one("turn of pick(seats)").replace("turn of ann\n  ", "")],
    spares: [
      one("action a1 {\n  let six = roll(1..6) == 6\n} -> choose { when six -> Home else -> stay }"),
      one("action a1 -> odds { 1 -> Home 5 -> Two }", undefined, "state Two { after 1s -> Turn }"),
    ],
  },
  "other-language": {
    triggers: [
      ring("action a1 { bells++ } -> stay"),
      ring("action a1 { print(bells) } -> stay"),
      ring("action a1 { if exists(n in 1..4 where n == bells) { bells = 0 } } -> stay"),
      ring("action a1 { bells = min(n in [3, 4]: n) } -> stay"),
      ring('action a1 needs bells > 2 else "few" and bells < 8 else "many" { bells = 0 } -> stay'),
    ],
    spares: [
      // An argument that asks whether one is in a list.
      ring("action a1 { if odd(bells in 1..4, many: 3) { bells = 0 } } -> stay").replace(
        "start Turn",
        "function odd(few: bool, many: int): bool = few and many == 3\n\nstart Turn",
      ),
      ring("action a1 { bells -= -1 } -> stay"),
      ring("action a1 { print() } -> stay").replace("start Turn", "effect print() { bells += 1 }\n\nstart Turn"),
    ],
  },
  "given-overwritten": {
    triggers: [
      `${ring("").replace("  turn of ann\n", "  turn of ann\n  enter { bells = 2 }\n")}test "t" {\n  given bells = 1\n  expect bells == 2\n}\n`,
      `${one("action go -> Two", BELLS, "effect set() { bells = 1 }\nstate Two {\n  turn of ann\n  enter { set() }\n  action a2 { bells += 1 } -> stay\n  when bells == 9 -> Home\n}")}test "t" {\n  at Two\n  given bells = 4\n  ann a2\n}\n`,
    ],
    spares: [
      `${ring("").replace("  turn of ann\n", "  turn of ann\n  enter { bells += 2 }\n")}test "t" {\n  given bells = 1\n  expect bells == 3\n}\n`,
      `${one("enter { bells = 3 }\naction go -> Two", BELLS, "state Two {\n  turn of ann\n  action a2 { bells += 1 } -> stay\n  when bells == 9 -> Home\n}")}test "t" {\n  at Two\n  given bells = 8\n  ann a2\n}\n`,
    ],
  },
  "misplaced-return": {
    triggers: [
      one("action a1 { return 3 } -> Home"),
      one("action a1 { let n = give() } -> Home", undefined, "effect give(): int { let n = 3 }"),
    ],
    spares: [
      one('action a1 { let n = give()\n note "{n}" } -> Home', undefined, "effect give(): int { return 3 }"),
      one("action a1 { give() } -> Home", undefined, "effect give(): int { return roll(1..6) }"),
    ],
  },
  "effect-not-allowed": {
    triggers: [one("when line.take() == ann -> Home", LINE), one('enter { note "{line.takeLast()}" }', LINE)],
    spares: [
      one('action a1 {\n  let who = line.take()\n  note "{who}"\n} -> Home', LINE),
      one("action a1 { line.push(me) } -> stay\nwhen line.size == 3 -> Home", LINE),
    ],
  },
  "not-raisable": {
    triggers: [
      one("action a1 { raise Left(me) } -> Home"),
      one("action a1 { raise Down() } -> Home\non Down -> Home", "event Down()"),
    ],
    spares: [
      one("action a1 { raise Gone() } -> stay\non Gone -> Home", "signal Gone()"),
      one("on Down -> Home", "event Down()"),
    ],
  },
  "unreachable-state": {
    triggers: [
      one("", undefined, "overlay Paused { after 1s -> return }"),
      one(
        "action a1 -> Two",
        undefined,
        "state Two {\n  start In\n  state In { after 1s -> Home }\n  state Lost { after 1s -> Home }\n}",
      ),
    ],
    spares: [
      one(
        "action a1 -> Two",
        undefined,
        "state Two {\n  start In\n  state In { after 1s -> Next }\n  state Next { after 1s -> Home }\n}",
      ),
      one("action pause by anyone -> Paused", undefined, "overlay Paused { after 1s -> return }"),
    ],
  },
  "unreachable-ending": {
    triggers: [
      // One of the branches has no end.
      "machine M\nseats a, b\nstart P\nparallel state P {\n  when done P -> Both\n  after 1m -> Late\n  state N { start N1 state N1 { turn of a action go1 -> N2 } state N2 { turn of a action rest -> N1 } }\n  state S { start S1 state S1 { turn of b action go2 -> S2 } final S2 }\n}\non Left(s) -> Late\nending Both { wins all }\nending Late { loses all }\n",
      ring("").replace("ending Home", "ending Lost { loses ann }\nending Home"),
      one("", undefined, "ending Drawn { draws all }"),
    ],
    spares: [
      "machine M\nseats a, b\nstart P\nparallel state P {\n  when done P -> Both\n  after 1m -> Late\n  state N { start N1 state N1 { turn of a action go1 -> N2 } final N2 }\n  state S { start S1 state S1 { turn of b action go2 -> S2 } final S2 }\n}\non Left(s) -> Late\nending Both { wins all }\nending Late { loses all }\n",
      ring("after 1s -> Lost").replace("ending Home", "ending Lost { loses ann }\nending Home"),
      one("action a1 -> odds { 1 -> Drawn 2 -> Home }", undefined, "ending Drawn { draws all }"),
    ],
  },
  "no-way-out": {
    triggers: [
      // Two that lead to each other and nowhere else; leaving the match is no way out.
      two(
        "action a1 -> Two",
        undefined,
        "state Two {\n  turn of ann\n  action look -> Three\n}\nstate Three {\n  turn of ben\n  action back -> Two\n}",
      ),
      one("action a1 -> Two", undefined, "state Two {\n  turn of ann\n  action look -> stay\n}"),
      one("action a1 -> Two", undefined, "state Two { after each 1s { bells += 1 } }").replace(
        "start Turn",
        "data { bells: int = 0 }\nstart Turn",
      ),
    ],
    spares: [
      one("action a1 -> Two", undefined, "state Two {\n  turn of ann\n  action look -> stay\n  after 1m -> Home\n}"),
      one("action a1 -> Two", undefined, "stub state Two"),
    ],
  },
  "endless-loop": {
    triggers: [
      one("action a1 -> Two", undefined, "state Two {\n  enter -> Three\n}\nstate Three {\n  enter -> Two\n}"),
      one("action a1 -> Two", undefined, 'state Two {\n  enter { note "again" } -> again Two\n}'),
    ],
    spares: [
      one(
        "action a1 -> Two",
        "data { n: int 0..9 = 0 }",
        "state Two {\n  enter { n += 1 } -> choose {\n    when n == 9 -> Home\n    else -> again Two\n  }\n}",
      ),
      one(
        "action a1 -> Two",
        undefined,
        "state Two {\n  enter -> Three\n}\nstate Three {\n  turn of ann\n  after 1s -> Two\n  action stop -> Home\n}",
      ),
    ],
  },
  "endless-wait": {
    triggers: [
      // All are ready, and wait for the time.
      "machine M\nseats a, b\ndata { n per seat: int 0..3 }\nstart S\nstate S {\n  turn of each seats\n  action pick1(k: int 1..3) { n[me] = k } -> ready\n  \n  after 1m -> T\n}\nstate T { enter -> choose { when n[a] > n[b] -> E else -> S } }\non Left(s) -> E\nending E { draws all }\n",
      // The last vote that is missing may never come.
      ballot(""),
      one(
        "action a1 -> Two\naction a2 { left -= 1 } -> stay",
        "data { left: int 0..9 = 3 }",
        "state Two {\n  when left == 0 -> Home\n  on Left(s) -> Home\n}",
      ),
      journey(
        "data { wind: int 0..9 = 0 }",
        "action gust { wind = roll(0..9) } -> Bout",
        "when wind > 3 -> AtSea\n  when wind == 1 -> Home",
      ),
      // All choose, and nobody has done its part by it.
      votes("sealed action name1(who: seat in others) { vote[me] = who } -> stay\n  after 1m -> Home"),
    ],
    spares: [
      "machine M\nseats a, b\ndata { n per seat: int 0..3 }\nstart S\nstate S {\n  turn of each seats\n  action pick1(k: int 1..3) { n[me] = k } -> ready\n  when all ready -> T\n  after 1m -> T\n}\nstate T { enter -> choose { when n[a] > n[b] -> E else -> S } }\non Left(s) -> E\nending E { draws all }\n",
      "machine M\nseats a, b\ndata { n per seat: int 0..3 }\nstart S\nstate S {\n  turn of each seats\n  enter { for s in seats { n[s] = 0 } }\n  action pick1(k: int 1..3) { n[me] = k } -> ready\n  when all(s in seats: n[s] > 0) -> T\n  after 1m -> T\n}\nstate T { enter -> choose { when n[a] > n[b] -> E else -> S } }\non Left(s) -> E\nending E { draws all }\n",
      ballot("\n  when all(s in inPlay: voted[s]) -> No"),
      ballot("\n  after 1h -> No"),
      one(
        "action a1 -> Two",
        "data { left: int 0..9 = 3 }\nevent Landed()",
        'accept no-time-limit "the game is in the same process"\nstate Two {\n  when left == 0 -> Home\n  on Landed { left -= 1 }\n}',
      ),
      one(
        "action a1 -> Two\naction a2 { left -= 1 } -> stay",
        "data { left: int 0..9 = 3 }",
        "state Two {\n  when left == 0 -> Home\n  after 20s -> Turn\n}",
      ),
    ],
  },
  "no-time-limit": {
    triggers: [
      one(
        "action a1 -> Two",
        "data { left: int 0..9 = 3 }\nevent Landed(kites: int)",
        "state Two {\n  on Landed(kites) { left -= kites }\n  when left == 0 -> Home\n}",
      ),
      one(
        "action a1 -> Two",
        "event Landed()\nevent Lost()",
        "overlay Two {\n  on Landed -> return\n  on Lost -> Home\n  action hold by anyone -> Paused\n}\noverlay Paused { action goOn by anyone -> return }",
      ),
    ],
    spares: [
      one(
        "action a1 -> Two",
        "event Landed()",
        "state Two {\n  on Landed -> Turn\n  action giveUp by anyone -> Home\n}",
      ),
      "machine M\nseats ann\nevent Begun()\nevent Done()\nstart S\nstate S { on Begun -> T }\nstate T { on Done -> E }\nending E { draws all }\n",
    ],
  },
  "late-signal": {
    triggers: [
      one(
        "on Rung { bells += 1 }\nwhen bells == 9 -> Home\naction a1 { raise Rung() } -> stay\nafter 1m { raise Rung() } -> Home",
        `${BELLS}\nsignal Rung()`,
      ),
      one(
        "on Rung { bells += 1 }\naction a1 { raise Rung() } -> stay\nwhen bells == 3 { raise Rung() } -> Home",
        `${BELLS}\nsignal Rung()`,
      ),
    ],
    spares: [
      one(
        "on Rung { bells += 1 }\naction a1 { raise Rung() } -> stay\nwhen bells == 3 -> Home",
        `${BELLS}\nsignal Rung()`,
      ),
      one('on Rung { note "dong" }\naction a1 { raise Rung() } -> Home', "signal Rung()"),
    ],
  },
  "condition-always": {
    triggers: [
      one(
        'action ask(about: text in ["storm", "brother"]) { asked["permit"] = true  if about == "weather" { bells += 1 } } -> stay\nwhen bells == 9 and all(k in asked.keys: asked[k]) -> Home',
        'data { asked: map of text to bool = ["permit": false, "storm": false]  bells: int 0..9 = 0 }',
      ),
      // A topic that nobody speaks of.
      one(
        'action ask(about: text in ["storm", "brother"]) { asked["permit"] = true  if about == "Brother" { bells += 1 } } -> stay\nwhen bells == 9 and all(k in asked.keys: asked[k]) -> Home',
        'data { asked: map of text to bool = ["permit": false, "storm": false]  bells: int 0..9 = 0 }',
      ),
      ring("action a1 { if bells < 0 { bells = 0 } } -> stay"),
      ring('action a1 needs bells <= 9 else "enough" { bells += 1 } -> stay'),
    ],
    spares: [
      one(
        'action ask(about: text in ["storm", "brother"]) { asked["permit"] = true  if about == "brother" { bells += 1 } } -> stay\nwhen bells == 9 and all(k in asked.keys: asked[k]) -> Home',
        'data { asked: map of text to bool = ["permit": false, "storm": false]  bells: int 0..9 = 0 }',
      ),
      // A player may say anything, and what nothing sets may be set up so.
      one('action say(word: text max 9) { if word == "open" { bells += 1 } } -> stay\nwhen bells == 9 -> Home', BELLS),
      one(
        'action go { bells += if way == "long" then 1 else 3 } -> stay\nwhen bells == 9 -> Home',
        'data { way: text = "short"  bells: int 0..9 = 0 }',
      ),
      ring("action a1 { if bells > 3 { bells = 0 } } -> stay"),
      ring('action a1 needs bells < 8 else "enough" { bells += 1 } -> stay'),
    ],
  },
  "branch-never-taken": {
    triggers: [
      ring("action a1 -> choose { when bells >= 5 -> Home when bells >= 7 -> stay else -> stay }"),
      one("action a1(n: int in 1..3) -> choose { when n == 4 -> Home else -> stay }"),
    ],
    spares: [
      ring('action a1 -> choose { when bells >= 7 -> Home when bells >= 5 { note "loud" } -> stay else -> stay }'),
      one("action a1(n: int in 1..4) -> choose { when n == 4 -> Home else -> stay }"),
    ],
  },
  "endings-overlap": {
    triggers: [
      duel(
        "action a1 { for s in seats { lift[s] -= 1 } } -> Judge",
        "when lift[ann] == 0 -> Won(ben)\n    when lift[ben] == 0 -> Both",
      ),
      ring("action a1 -> choose { when bells > 3 -> Lost when bells mod 2 == 0 -> Home else -> stay }").replace(
        "ending Home",
        "ending Lost { loses ann }\nending Home",
      ),
    ],
    spares: [
      // Where nothing comes nothing is taken, so a wall that stood still stands.
      one(
        "action hold -> Storm\naction mend { left -= 2 } -> Storm",
        "data { wall: int 0..9 = 9  left: int 0..5 = 5  force: int 0..3 = 1 }",
        "state Storm {\n  enter { wall -= left * force  force = 2 } -> choose {\n    when wall == 0 -> Broken\n    when left == 0 -> Home\n    else -> Turn\n  }\n}\nending Broken { loses ann }",
      ),
      duel(
        "action a1 { lift[next(me)] -= 1 } -> Judge",
        "when lift[ann] == 0 -> Won(ben)\n    when lift[ben] == 0 -> Won(ann)",
      ).replace("ending Both { draws all }\n", ""),
      ring("action a1 -> choose { when bells > 6 -> Lost when bells > 3 -> Home else -> stay }").replace(
        "ending Home",
        "ending Lost { loses ann }\nending Home",
      ),
    ],
  },
  "change-outside-phase": {
    triggers: [
      `${one("action a1 { toll() } -> stay\naction a2 -> Two", `${BELLS}\neffect toll() { bells += 1 }`, "state Two {\n  turn of ann\n  action a3 { toll() } -> Turn\n  when bells == 9 -> Home\n}")}law "only in Two": bells changes only in Two\n`,
      `${one("action a2 -> Two\nafter 1s { bells = 0 } -> Home", BELLS, "state Two {\n  turn of ann\n  action a3 { bells += 1 } -> Turn\n  when bells == 9 -> Home\n}")}law "only in Two": bells changes only in Two\n`,
    ],
    spares: [
      `${one("action a2 -> Two", BELLS, "state Two {\n  turn of ann\n  action a3 { bells += 1 } -> Turn\n  when bells == 9 -> Home\n}")}law "only in Two": bells changes only in Two\n`,
      `${ring("")}law "in turn": bells changes only in Turn\n`,
    ],
  },
  "law-broken": {
    triggers: [
      `${one("action a1 -> Two", BELLS, "state Two {\n  enter { bells = 9 }\n  after 1s -> Home\n}")}law "few": in Two implies bells < 5\n`,
      `${one("start In\nstate In { after 1s -> Two }", undefined, "state Two { after 1s -> Home }\nstate Three { after 1s -> Two }").replace("action leave", "action three -> Three\n  action leave")}law "by three": Two entered only from Three\n`,
    ],
    spares: [
      // What is known of two lists by themselves is less than what is so of both.
      `${one(
        "enter {\n  for n in 1..2 {\n    if pile.empty { pile = box.shuffle(heap)  heap.clear() }\n    let i = pile.take()\n    heap.push(i)\n  }\n  bells = heap.size\n}\naction deal -> again Turn\nwhen bells > 8 -> Home",
        "data { hidden pile: list of int = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10]  heap: list of int  bells: int 0..10 = 0 }\nhidden dice box",
      )}law "ten cards": pile.size + heap.size == 10\n`,
      `${one("action a1 -> Two", BELLS, "state Two {\n  enter { bells = 4 }\n  after 1s -> Home\n}")}law "few": in Two implies bells < 5\n`,
      `${one("action a1 -> Two", undefined, "state Two { after 1s -> Home }")}law "by turn": Two entered only from Turn\n`,
    ],
  },

  // ---- turns -----------------------------------------------------------------------------------
  "no-open-action": {
    triggers: [
      one(
        "action a1(n: int in filter(i in 1..3 where i > bells)) { bells = n } -> stay\nafter 1m { bells = 0 } -> stay",
        BELLS,
      )
        .replace("  action leave -> Home", '  action out needs bells == 9 else "ring on" -> Home')
        .replace("  after 1m { bells = 0 } -> stay\n", ""),
      two("action a1 -> Two", undefined, "state Two {\n  turn of ben\n  when in Turn -> Home\n}").replace(
        "  when in Turn -> Home\n",
        "",
      ),
      // Whoever is ready may have nothing left; whoever comes back to the state may not.
      baskets("basket[ann].empty"),
    ],
    spares: [
      one("action a1(n: int in filter(i in 1..3 where i > bells)) { bells = n } -> stay", BELLS),
      baskets("any(s in seats: basket[s].empty)"),
      // What is learned behind the action holds at the beginning too, though nobody has asked there.
      `machine M\nseats a, b, c\ndata { onTurn: seat = a  had per seat: bool = [a: true] }\nstart S\nstate S {\n  turn of onTurn\n  action hand(to: seat in seats where not had[to] else "had it") { had[to] = true  onTurn = to } -> choose {\n    when all(s in seats: had[s]) -> E\n    else -> stay\n  }\n}\nending E { draws all }\n`,
      `machine M\nseats ann\n${BELLS}\nstart S\nstate S {\n  turn of ann\n  action a1 needs bells < 5 else "high" { bells += 1 } -> stay\n  action a2 needs bells >= 5 else "low" -> E\n}\nending E { wins ann }\n`,
    ],
  },
  "turn-decides-nothing": {
    triggers: [
      two(
        "turn of up\naction dive by ann { up = ben } -> stay\naction climb by ben { up = ann } -> stay\naction out by anyone -> Home",
        "data { up: seat = ann }",
      )
        .replace("  turn of ann\n", "")
        .replace("  action leave -> Home\n", ""),
      // Also where it stands in an outer state, and one of them is for two.
      `machine M\nseats a, b, c\ndata { up: seat = a }\non Left(s) -> E\nstart S\nstate S {\n  turn of up\n  start In\n  state In {\n    action ring by a { up = next(up) } -> stay\n    action pull by [b, c] { up = next(up) } -> stay\n    action end by anyone -> E\n  }\n}\nending E { draws all }\n`,
    ],
    spares: [
      // Somebody else may end it meanwhile.
      two("turn of up\naction dive { up = next(up) } -> stay\naction stop by ben -> Home", "data { up: seat = ann }")
        .replace("  turn of ann\n", "")
        .replace("  action leave -> Home\n", ""),
      // The same seat as has the turn.
      two(
        "turn of up\naction dive by up { up = next(up) } -> stay\naction stop by up -> Home",
        "data { up: seat = ann }",
      )
        .replace("  turn of ann\n", "")
        .replace("  action leave -> Home\n", ""),
    ],
  },
  "never-open": {
    triggers: [
      one("action a1(n: int in filter(i in 1..3 where i > 5)) { bells = n } -> stay\nwhen bells == 3 -> Home", BELLS),
      one("action a1 -> Two", undefined, "state Two {\n  action look -> stay\n  after 1m -> Home\n}")
        .replace("turn of ann\n", "turn of ann\n")
        .replace("action look -> stay", "action look -> stay"),
      // Nobody is ever full enough to have the turn.
      one(
        "turn of filter(s in seats where bells > 12)\naction a1 { bells -= 4 } -> Two\nafter each 1m { bells += 1 }",
        BELLS,
        "state Two { enter -> Turn }",
      ).replace("  turn of ann\n", ""),
    ],
    spares: [
      one("action a1(n: int in filter(i in 1..9 where i > 5)) { bells = n } -> stay\nwhen bells == 7 -> Home", BELLS),
      one("action a1 -> Two", undefined, "state Two {\n  action look by anyone -> stay\n  after 1m -> Home\n}"),
    ],
  },
  "nobody-on-turn": {
    triggers: [
      "machine M\nseats ann, ben\ndata { done per seat: bool = false }\non Left(s) -> E\nstart S\nstate S {\n  turn of filter(s in seats where not done[s])\n  action a1 { done[me] = true } -> stay\n  action stop -> E\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\ndata { queue: list max 1 of seat = [ann] }\non Left(s) -> E\nstart S\nstate S {\n  turn of queue\n  action a1 { queue.take() } -> stay\n  action stop -> E\n}\nending E { draws all }\n",
    ],
    spares: [
      "machine M\nseats ann, ben\ndata { queue: list max 1 of seat = [ann] }\non Left(s) -> E\nstart S\nstate S {\n  turn of queue\n  action a1 { queue.take() } -> stay\n  when queue.empty -> E\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\nstart S\nstate S {\n  turn of inPlay\n  action a1 -> E\n  after 1m -> E\n}\nending E { draws all }\n",
    ],
  },
  "several-on-turn": {
    triggers: [
      "machine M\nseats ann, ben\ndata { queue: list of seat = [ann, ben] }\non Left(s) -> E\nstart S\nstate S {\n  turn of queue\n  action a1 { queue = [me] } -> stay\n  action stop -> E\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\ndata { pace per seat: int 0..9 = 3 }\nfunction fastest(): list of seat = filter(s in seats where all(o in seats: pace[o] <= pace[s]))\non Left(s) -> E\nstart S\nstate S {\n  turn of fastest()\n  action a1 { pace[me] = 0 } -> stay\n  action stop -> E\n  after 1m -> E\n}\nending E { draws all }\n",
    ],
    spares: [
      // From a circle seats fall away, and nobody asks who is first in it.
      'machine M\nseats a, b, c\ndata { circle: list of seat = [a, b, c] }\nstart S\nstate S {\n  turn of circle\n  action out(s: seat in circle where s != me else "you") { circle = filter(x in circle where x != s) } -> choose {\n    when circle.size == 1 -> E\n    else -> stay\n  }\n  action hum -> stay\n  when circle.empty -> E\n}\nending E { wins circle  loses others }\n',
      "machine M\nseats ann, ben\nstart S\nstate S {\n  turn of seats\n  action a1 -> E\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\ndata { queue: list of seat = [ann, ben] }\non Left(s) -> E\nstart S\nstate S {\n  turn of each queue\n  action a1 -> ready\n  action drop { queue = [me] } -> ready\n  when all ready -> E\n}\nending E { draws all }\n",
      // Whoever has not passed may bid at any time, and takes nothing from the others by it.
      two(
        "action begin -> Bids",
        "data { passed per seat: bool  price: int 0..99 }\nfunction bidding(): list of seat = filter(s in seats where not passed[s])",
        "state Bids {\n  turn of bidding()\n  action bid { price += 1 } -> stay\n  action pass { passed[me] = true } -> stay\n  when bidding().empty or price > 90 -> Home\n}",
      ),
      // One at most is the one that was named.
      two(
        "action name1(s: seat in seats) { named = s } -> Serve",
        "data { named: seat?  bells: int 0..9 }",
        "state Serve {\n  turn of filter(s in inPlay where s == named)\n  action ring { bells += 1 } -> choose { when bells == 3 -> Home  else -> stay }\n  after 1d -> Home\n}",
      ),
      // All but the one who did it may doubt it.
      "machine M\nseats a, b, c\ndata { teller: seat = a  told: int 0..9 }\non Left(s) -> E\nstart Tell\nstate Tell {\n  turn of teller\n  action tell { told += 1 } -> Hear\n}\nstate Hear {\n  turn of filter(s in inPlay where s != teller)\n  action doubt { teller = me } -> choose { when told == 9 -> E  else -> Tell }\n}\nending E { draws all }\n",
      // As many gauges as are full let act.
      two(
        "action begin -> Fight",
        "data { gauge per seat: int 0..100 }\nfunction full(s: seat): bool = gauge[s] >= 100",
        FIGHT,
      ),
      two(
        "action begin -> Fight",
        "data { gauge per seat: int 0..100 }\nfunction full(s: seat): bool = gauge[s] == 100",
        FIGHT,
      ),
    ],
  },
  "fallen-on-turn": {
    triggers: [
      // A stat without bounds can go past nothing; a comparison tells who has fallen.
      duel("action a1 { lift[next(me)] -= 1 } -> Judge", "when lift[onTurn] <= 0 -> Won(next(onTurn))")
        .replace("ending Both { draws all }\n", "")
        .replace("int 0..9", "int"),
      duel(
        "action a1 { lift[next(me)] -= 1 } -> Judge\n  action wait1 { lift[me] -= 1 } -> stay",
        "when lift[ann] == 0 and lift[ben] == 0 -> Both\n    when lift[ann] == 0 -> Won(ben)\n    when lift[ben] == 0 -> Won(ann)",
      ),
      // The queue holds who stood when the round began.
      queueOfStalls(""),
      // Whoever leaves is out, whoever has no ribbon left is not; only one way to the next minds it.
      ribbons("onTurn = next(me)", "onTurn = if ribbons[s] > 0 then s else after1(s)"),
      ribbons("onTurn = after1(me)", "onTurn = s"),
      // Whoever is next has been asked for, but one that spends its last chip has the turn still.
      "machine M\nseats a, b, c\ndata { chips per seat: int 0..3 = 3  onTurn: seat = a }\nfunction after1(s: seat): seat = if chips[next(s)] > 0 then next(s) else next(next(s))\nstart Turn\nstate Turn {\n  turn of onTurn\n  action bet { chips[me] -= 1 } -> Judge\n  action pass { onTurn = after1(me) } -> stay\n}\nstate Judge {\n  enter -> choose {\n    when count(s in seats where chips[s] > 0) == 1 -> E\n    else -> Turn\n  }\n}\nending E { draws all }\n",
    ],
    spares: [
      // With one of its two walls it still stands.
      `machine M\nseats a, b\ndata { east per seat: int 0..9 = 9  west per seat: int 0..9 = 9  up: seat = a }\nfunction down(s: seat): bool = east[s] == 0 and west[s] == 0\non Left(s) -> Won(next(s))\nstart S\nstate S {\n  turn of up\n  action ram { east[next(me)] -= 2 } -> T\n  action sap { west[next(me)] -= 2 } -> T\n}\nstate T { enter -> choose { when down(next(up)) -> Won(up)  else { up = next(up) } -> S } }\nending Won(who: seat) { wins who loses others }\n`,
      `machine M\nseats a, b\ndata { east per seat: int 0..9 = 9  west per seat: int 0..9 = 9  up: seat = a }\nfunction stands(s: seat): bool = east[s] > 0 or west[s] > 0\non Left(s) -> Won(next(s))\nstart S\nstate S {\n  turn of up\n  action ram { east[next(me)] -= 2 } -> T\n  action sap { west[next(me)] -= 2 } -> T\n}\nstate T { enter -> choose { when not stands(next(up)) -> Won(up)  else { up = next(up) } -> S } }\nending Won(who: seat) { wins who loses others }\n`,
      duel("action a1 { lift[next(me)] -= 1 } -> Judge", "when lift[next(onTurn)] == 0 -> Won(onTurn)").replace(
        "ending Both { draws all }\n",
        "",
      ),
      // Plots that are claimed are none that somebody loses.
      two(
        'action claim(c: cell in land.cells where able(me, c) else "no") { land[c] = 1  claims[me] += 1 } -> choose {\n  when not any(s in seats: any(k in land.cells: able(s, k))) -> Home\n  else -> stay\n}',
        "data { land: grid 2 by 2 of int 0..1  claims per seat: int 0..4 }\nfunction able(s: seat, c: cell): bool = land[c] == 0 and (claims[s] == 0 or claims[s] > 0)",
      ),
      // Whoever is down is counted, and may rise.
      duel(
        "action a1 { for s in seats { lift[s] -= 1 } } -> Judge",
        "when lift[next(onTurn)] == 0 and lift[onTurn] == 0 -> Both\n    when lift[next(onTurn)] == 0 -> Down(next(onTurn))",
      ).replace(
        "ending Both",
        "state Down(who: seat) { turn of who  action rise { lift[who] = 3 } -> Turn  after 10s -> Won(next(who)) }\nending Both",
      ),
      // Whoever falls is taken out of the queue at once.
      queueOfStalls("queue = filter(x in queue where wall[x] > 0)"),
      duel(
        "action a1 { for s in seats { lift[s] -= 1 } } -> Judge\n  action wait1 { lift[me] += 1 } -> Judge",
        "when lift[ann] == 0 and lift[ben] == 0 -> Both\n    when lift[ann] == 0 -> Won(ben)\n    when lift[ben] == 0 -> Won(ann)",
      ),
    ],
  },
  "fallen-acts": {
    triggers: [
      // Those that are gone are asked for where a wave is over.
      gulls("for g in gulls { buns -= g.beak }", WAVE).replace("ending Home", NEXT_WAVE),

      gulls('for g in gulls { note "it pecks"  buns -= g.beak }', "when not any(g in gulls: hungry(g)) -> Home"),
      gulls(
        "for i in gulls.indices { peck(gulls[i].beak) }",
        "when count(g in gulls where g.hunger > 0) == 0 -> Home\n    when all(g in gulls: g.hunger == 0) -> Home",
      ),
    ],
    spares: [
      // What is got for each of them is got for those that are gone, too.
      gulls("for g in gulls { fed += g.beak }", WAVE)
        .replace("ending Home", NEXT_WAVE)
        .replace("data {", "data { fed: int 0..99 ")
        .replace('when buns == 0 { note "no buns" }', 'when buns == 0 or fed > 90 { note "enough" }'),

      gulls(
        "for g in filter(x in gulls where hungry(x)) { buns -= g.beak }",
        "when not any(g in gulls: hungry(g)) -> Home",
      ),
      gulls("for g in gulls { if g.hunger > 0 { peck(g.beak) } }", "when all(g in gulls: g.hunger == 0) -> Home"),
    ],
  },
  "turn-never-passed": {
    triggers: [
      // Who waits may answer an offer, or give up: those are no turns.
      'machine M\nseats a, b\ndata { onTurn: seat = a  planks: int 0..9 = 9  offered: bool }\nstart S\nstate S {\n  turn of onTurn\n  action take { planks -= 1  offered = false } -> choose { when planks == 0 -> E else -> again S }\n  action offer by next(onTurn) { offered = true } -> stay\n  action agree needs offered else "no offer" -> E\n  action giveUp by seats -> E\n}\non Left(s) -> E\nending E { draws all }\n',
      // Voting comes but once.
      "machine M\nseats a, b, c\ndata { chair: seat = a  n: int 0..9 }\nstart Vote\nstate Vote { turn of each seats action aye -> ready when all ready -> Count }\nstate Count { turn of chair action count1 { n += 1 } -> choose { when n == 9 -> E else -> stay } }\non Left(s) -> E\nending E { draws all }\n",
      duel("action a1 { lift[next(me)] -= 1 } -> Judge", "when lift[next(onTurn)] == 0 -> Won(onTurn)")
        .replace("{ onTurn = next(onTurn) } ", "")
        .replace("ending Both { draws all }\n", ""),
      "machine M\nseats 2..4 p\ndata { starter: seat = p2  n: int 0..9 = 0 }\nstart S\nstate S {\n  turn of starter\n  action go { n += 1 } -> T\n}\nstate T {\n  turn of starter\n  action back -> S\n  when n == 9 -> E\n}\nending E { draws all }\n",
      // Only where a seat leaves another gets it.
      "machine M\nseats a, b, c\ndata { onTurn: seat = a  n: int 0..9 }\nstart S\nstate S {\n  turn of onTurn\n  action go { n += 1 } -> choose {\n    when n == 9 -> E\n    else -> stay\n  }\n}\non Left(s) -> choose {\n  when s == onTurn { onTurn = next(s) } -> S\n  else -> stay\n}\nending E { draws all }\n",
      // It is drawn once, and stays so.
      passing("", "", "enter { onTurn = pick(seats) }"),
      passing("", "onTurn = next(onTurn)"),
      passing("onTurn = onTurn", ""),
      passing("pass(me)", "").replace(
        "start Begin",
        "effect pass(s: seat) { hand(s) }\neffect hand(to: seat) { onTurn = to }\nstart Begin",
      ),
      // Each arrow names whose turn it is, and it is always the same one's.
      "machine M\nseats ann, ben\ndata { bells: int 0..9 = 0 }\nstart Begin\nstate Begin { enter -> Turn(ann) }\nstate Turn(who: seat) {\n  turn of who\n  action ring { bells += 1 } -> choose {\n    when bells == 9 -> E\n    else -> again Turn(me)\n  }\n}\nending E { draws all }\n",
    ],
    spares: [
      // Who breaks a tie does so after some votes, whoever has left.
      "machine M\nseats 3..4 p\ndata { chair: seat = p1  ayes: int 0..4  n: int 0..9 }\non Left(s) -> choose {\n  when inPlay.size < 3 -> E\n  when s == chair { chair = next(s) } -> stay\n  else -> stay\n}\nstart Vote\nstate Vote { enter { ayes = 0 } turn of each inPlay action aye { ayes += 1 } -> ready action nay -> ready when all ready -> Count }\nstate Count { enter -> choose { when ayes == 2 -> Tie else -> Next } }\nstate Tie { turn of chair action yes -> Next action no -> E }\nstate Next { enter { n += 1 } -> choose { when n == 9 -> E else -> Vote } }\nending E { draws all }\n",
      // Who counts the votes does so after each vote.
      "machine M\nseats a, b, c\ndata { chair: seat = a  n: int 0..9 }\nstart Vote\nstate Vote { turn of each seats action aye -> ready when all ready -> Count }\nstate Count { turn of chair action count1 { n += 1 } -> choose { when n == 9 -> E else -> Vote } }\non Left(s) -> E\nending E { draws all }\n",
      passing("onTurn = next(me)", "onTurn = next(onTurn)", "enter { onTurn = pick(seats) }"),
      passing("pass(next(me))", "").replace(
        "start Begin",
        "effect pass(s: seat) { hand(s) }\neffect hand(to: seat) { onTurn = to }\nstart Begin",
      ),
      // Whoever has the time may ring as often as there is time for.
      passing("", "onTurn = next(onTurn)")
        .replaceAll("-> Count", "-> stay")
        .replace("state Count { enter -> Ring }\n", ""),
      // The others act too, by themselves or in another state.
      "machine M\nseats a, b\ndata { asker: seat = a  n: int 0..9 = 0 }\nstart S\nstate S {\n  turn of asker\n  action ask { n += 1 } -> T\n}\nstate T {\n  turn of next(asker)\n  action answer -> S\n  when n == 9 -> E\n}\nending E { draws all }\n",
      "machine M\nseats a, b\nstart Fill\nstate Fill { after 1s -> Act(b) }\nstate Act(who: seat) {\n  turn of who\n  action ring -> E\n  action rest -> Fill\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\ndata { bells: int 0..9 = 0 }\nstart Begin\nstate Begin { enter -> Turn(ann) }\nstate Turn(who: seat) {\n  turn of who\n  action ring { bells += 1 } -> choose {\n    when bells == 9 -> E\n    else -> again Turn(next(me))\n  }\n}\nending E { draws all }\n",
    ],
  },
  "leaver-wins": {
    triggers: [
      "machine M\nseats a, b\ndata { n: int 0..9 }\nstart S\nstate S { turn of [a, b] action ring { n += 1 } -> choose { when n == 9 -> Won(me) else -> stay } }\non Left(s) -> Won(s)\nending Won(who: seat) { wins who loses others }\n",
      "machine M\nseats a, b\ndata { n: int 0..9 }\nstart S\nstate S { turn of [a, b] action ring { n += 1 } -> choose { when n == 9 -> Won(me) else -> stay } }\non Left(s) -> choose { when n > 3 -> Won(s) else -> Off }\nending Won(who: seat) { wins who loses others }\nending Off { none all }\n",
    ],
    spares: [
      "machine M\nseats a, b\ndata { n: int 0..9 }\nstart S\nstate S { turn of [a, b] action ring { n += 1 } -> choose { when n == 9 -> Won(me) else -> stay } }\non Left(s) -> Won(next(s))\nending Won(who: seat) { wins who loses others }\n",
      "machine M\nseats a, b\ndata { n: int 0..9 }\nstart S\nstate S { turn of [a, b] action ring { n += 1 } -> choose { when n == 9 -> Won(me) else -> stay } }\non Left(s) -> choose { when n > 3 -> Won(s) else -> Off }\nending Won(who: seat) { loses who wins others }\nending Off { none all }\n",
    ],
  },
  "out-on-turn": {
    triggers: [
      // That one is left is no help while there are three.
      'machine M\nseats 2..4 hand\ndata { up: seat = hand1  tied: int 0..9 }\non Left(s) { note "{s} goes" }\nwhen inPlay.size == 1 -> E\nstart S\nstate S {\n  turn of up\n  action tie { tied += 1  up = next(me) } -> choose { when tied == 9 -> E  else -> stay }\n}\nending E { draws all }\n',
      // Eliminated in a state that is passed through, and still on turn two states later.
      'machine M\nseats 3..5 p\ndata { onTurn: seat = p1  lives per seat: int 0..3 = 3 }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action dare(s: seat in inPlay) { lives[s] -= 1 } -> Count\n}\nstate Count {\n  enter { for s in inPlay where lives[s] == 0 { eliminate s } } -> choose {\n    when inPlay.size == 1 -> Last(inPlay.first)\n    else -> Deal\n  }\n}\nstate Deal { enter { note "again" } -> Turn }\nending Last(w: seat) { wins w  loses others }\n',
      // That few are left is no help while there are others.
      "machine M\nseats 3..5 mate\ndata { captain: seat = mate1  knots: int 0..20 = 0 }\non Left(s) when inPlay.size < 2 -> E\nstart S\nstate S {\n  turn of captain\n  action steer { knots += 1 } -> choose {\n    when knots == 20 -> E\n    else -> stay\n  }\n  action hand(to: seat in others) { captain = to } -> stay\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\ndata { onTurn: seat = ann }\nstart S\nstate S {\n  turn of onTurn\n  on Left -> E\n  action a1 { onTurn = next(me) } -> T\n  action stop -> E\n}\nstate T {\n  turn of onTurn\n  action a2 -> S\n}\nending E { draws all }\n",
      "machine M\nseats 2..4 flyer\ndata { queue: list of seat = [flyer1, flyer2] }\nstart S\nstate S {\n  turn of queue.first\n  action a1 { queue.push(queue.take()) } -> stay\n  action rest -> T\n  action stop -> E\n}\nstate T {\n  turn of inPlay\n  on Left -> E\n  action wake -> S\n}\nending E { draws all }\n",
    ],
    spares: [
      // Of two one is left.
      'machine M\nseats ann, ben\ndata { up: seat = ann  tied: int 0..9 }\non Left(s) { note "{s} goes" }\nwhen inPlay.size == 1 -> E\nstart S\nstate S {\n  turn of up\n  action tie { tied += 1  up = next(me) } -> choose { when tied == 9 -> E  else -> stay }\n}\nending E { draws all }\n',
      "machine M\nseats 3..5 mate\ndata { captain: seat = mate1 }\non Left(s) -> choose {\n  when inPlay.size < 2 -> E\n  when s == captain { captain = next(s) } -> stay\n  else -> stay\n}\nstart S\nstate S {\n  turn of captain\n  action hand(to: seat in others) { captain = to } -> stay\n  action stop -> E\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\ndata { onTurn: seat = ann }\nstart S\nstate S {\n  turn of onTurn\n  action a1 { onTurn = next(me) } -> stay\n  action stop -> E\n}\nending E { draws all }\n",
      "machine M\nseats ann, ben\ndata { onTurn: seat = ann }\nstart S\nstate S {\n  turn of onTurn\n  action a1 { onTurn = next(me) } -> stay\n  after 2d -> E\n}\nending E { draws all }\n",
    ],
  },
  "undecided-ties": {
    triggers: [
      two(
        'action a1 { note "{sort(s in seats: pace[s]).first}"  pace[me] += 1 } -> stay',
        "data { pace per seat: int 0..9 = 3 }",
      ),
      "machine M\nseats ann, ben\ndata { pace per seat: int 0..9 = 3 }\non Left(s) -> E\nstart S\nstate S {\n  turn of minBy(s in seats: pace[s])\n  action a1 { pace[me] += 1 } -> stay\n  action stop -> E\n}\nending E { draws all }\n",
    ],
    spares: [
      two(
        'action a1 { note "{sort(s in seats: pace[s] ties byLot).first}" } -> stay',
        "data { pace per seat: int 0..9 = 3 }",
      ).replace(
        'note "{sort(s in seats: pace[s] ties byLot).first}"',
        'let first = sort(s in seats: pace[s] ties byLot).first\n  note "{first}"',
      ),
      two('action a1 { note "{sort(n in [3, 1, 2]: n).first}" } -> stay'),
      // What it is best by is the same for all that are best.
      two(
        "action a1 { pace[me] += 1 } -> choose {\n  when pace[maxBy(s in seats: pace[s])] == 9 -> Home\n  else -> stay\n}",
        "data { pace per seat: int 0..9 = 3 }",
      ),
      two(
        "action a1(n: int 1..9, by1: seat in seats) { bid[by1] = n } -> choose {\n  when bid[ann] == none or bid[ben] == none -> stay\n  when bid[maxBy(s in seats: bid[s])] == 9 -> Home\n  else -> stay\n}",
        "data { bid per seat: int? }",
      ),
    ],
  },
  "missing-reason": {
    triggers: [
      two('action a1(s: seat in seats where s != me) { note "{s}" } -> stay'),
      ring('action a1 needs bells > 3 else "few" needs bells < 7 { bells = 0 } -> stay'),
    ],
    spares: [
      two('action a1(s: seat in seats where s != me else "that is you") { note "{s}" } -> stay'),
      two('action a1(s: seat in others) { note "{s}" } -> stay'),
    ],
  },
  "secret-leak": {
    triggers: [
      // It speaks to one, and everybody reads it.
      'machine M\nseats ann, ben\ndata { private part per seat: int 0..3  hidden deck: list of int = [1, 2, 3] }\nhidden dice deal\nstart Deal\nstate Deal {\n  enter {\n    deck = deal.shuffle(deck)\n    for s in seats {\n      part[s] = deck.take()\n      note "{s}, you are {part[s]}"\n    }\n  } -> Show\n}\nstate Show {\n  turn of ann\n  action open1 { note "{part[me]} {part[ben]}" } -> E\n}\nending E { draws all }\n',
      two(
        'action draw { let c = deck.take()\n  hand[me].push(c)\n  note "You draw {c}" } -> choose { when deck.empty -> Home else -> stay }',
        "data { hidden deck: list of int = [3, 5]  private hand per seat: list of int }",
      ),
      // Where everybody sees something change is what was chosen.
      two(
        'sealed action lay(c: cell in fog.cells) { fog[c] = true } -> stay\naction show { note "{fog[cell(0, 0)]}" } -> stay',
        "data { fog: grid 2 by 2 of bool }",
      ),
      two(
        'sealed action a1(card: int in hand[me]) { laid[me] = card\n note "{me} lays {card}" } -> stay\nafter 9s { note "{laid[ann]}" } -> Home',
        "data { private hand per seat: list of int = [3, 5]  private laid per seat: int = 0 }",
      ),
      two(
        'action a1 needs any(c in hand[next(me)]: c > 3) else "no" -> stay',
        "data { private hand per seat: list of int = [3, 5] }",
      ),
    ],
    spares: [
      // Whoever lays a hand down whole, and has none then, shows it.
      two(
        "enter { for c in hand[ann] { used.push(c) } hand[ann].clear() }\naction draw { hand[me].push(palm.roll(1..6)) } -> again Turn\nwhen sum(c in used: c) > 40 -> Home",
        "data { private hand per seat: list of int  used: list of int }\nprivate dice palm",
      ),
      // It speaks to one, who alone reads it; or to everybody, of what is opened; or tells nothing.
      two(
        'action draw { let c = deck.take()\n  hand[me].push(c)\n  note to me "You draw {c}"\n  note "{me} draws, you go on"\n } -> choose { when deck.empty { note "{hand[me]} lies open" } -> Home else -> stay }',
        "data { hidden deck: list of int = [3, 5]  private hand per seat: list of int }",
      ),
      // What was chosen is told once all have chosen, or have no more time to.
      two(
        "action begin -> Choose",
        "data { private choice1 per seat: int? }",
        'state Choose {\n  turn of each seats\n  sealed action take1(n: int 1..9) { choice1[me] = n } -> ready\n  when all ready { for s in seats { note "{s} takes {choice1[s]}" } } -> Home\n  after 9s { for s in seats { note "{s} has {choice1[s]}" } } -> Home\n}',
      ),
      // One that looks, by an action that is there for it.
      two(
        'sealed action look1(s: seat in others) { note to me "{s} has {hand[s]}" } -> stay',
        "data { private hand per seat: list of int = [3, 5] }",
      ),
      two(
        'action a1 { top = deck.first } -> stay\nenter { note "{top}" }\naction ask(s: seat in others) { if hand[s].has(3) { note "{s} has it: {hand[s]}" } } -> stay',
        "data { hidden deck: list of int = [1, 2]  top: int = 0  private hand per seat: list of int = [3, 5] }",
      ),
      two(
        'sealed action a1(card: int in hand[me]) { laid[me] = card\n done1[me] = true\n note "{me} has laid" } -> Open',
        "data { private hand per seat: list of int = [3, 5]  private laid per seat: int = 0  done1 per seat: bool }",
        'state Open { enter { for s in seats { note "{s}: {laid[s]}, {done1[s]}" } } -> Home }',
      ),
    ],
  },

  "public-roll": {
    triggers: [
      two(
        'enter { deal1() }\naction a1 needs deck.size > 2 else "no" -> Home',
        "data { hidden deck: list of int = [1, 2, 3] }\neffect deal1() { let mixed = shuffle(deck)  deck = mixed }",
      ),
      two(
        'sealed action a1 { if chance(50%) { aim[me] = 1 } } -> stay\naction a2 { note to me "{aim[me]}" } -> stay',
        "data { private aim per seat: int 0..9 }",
      ),
      two(
        "action a1 {\n  let s = if chance(50%) then ann else ben\n  spies[s] = true\n} -> stay\naction a2 -> choose { when spies[me] -> Home else -> stay }",
        "data { private spies per seat: bool }",
      ),
      two(
        "action a1 {\n  let s = if chance(50%) then ann else ben\n  aim[s] = 5\n} -> stay\naction a2 -> choose { when aim[me] == 5 -> Home else -> stay }",
        "data { private aim per seat: int 0..9 = 1 }",
      ),
    ],
    spares: [
      two(
        'enter { deck = deal.shuffle(deck)\n for s in seats { hand[s] = palm.roll(1..6) for s } }\naction a1 { first = deck.first  note to me "{hand[me]}" } -> stay\naction a2 { let die = roll(1..6)  note "{die} {first}" } -> stay',
        "hidden dice deal\nprivate dice palm\ndata { hidden deck: list of int = [1, 2, 3, 4]  first: int = 0  private hand per seat: int }",
      ),
      two(
        'sealed action a1 { aim[me] = palm.roll(1..6) } -> stay\naction a2 { note to me "{aim[me]}" } -> stay',
        "private dice palm\ndata { private aim per seat: int 0..9 }",
      ),
      // Forgetting a secret makes none.
      two(
        'sealed action a1(n: int 2..9) { aim[me] = n } -> stay\naction a2 {\n  let s = if chance(50%) then ann else ben\n  note "{s} {aim[s]}"\n  aim[s] = 1\n} -> stay',
        "data { private aim per seat: int 0..9 = 1 }",
      ),
    ],
  },

  // ---- values ----------------------------------------------------------------------------------
  "negative-amount": {
    triggers: [
      // However it is written.
      two(
        "action a1(s: seat in others) {\n  let hit = roll(1..6) - guard[s]\n  lift[s] = max(0, lift[s] - hit)\n} -> stay\nwhen lift[ann] == 0 -> Home",
        "data {\n  lift per seat: int 0..9 = 9\n  guard per seat: int 0..4 = 2\n}",
      ),
      two(
        "action a1(s: seat in others) {\n  let hit = roll(1..6) - guard[s]\n  lift[s] -= hit\n} -> stay\nwhen lift[ann] == 0 -> Home",
        "data {\n  lift per seat: int 0..9 = 9\n  guard per seat: int 0..4 = 2\n}",
      ),
      one(
        "action a1 { gold += gain - toll } -> stay\naction a2 { toll = roll(0..9)  gain = roll(0..9) } -> stay\nwhen gold == 99 -> Home",
        "data {\n  gold: int 0..99 = 50\n  gain: int 0..9 = 0\n  toll: int 0..9 = 0\n}",
      ),
      // A roll from below 0 on top of something: it is the whole that turns round.
      two(
        "action a1(s: seat in others) {\n  let hit = force[me] + roll(-3..3)\n  lift[s] -= hit\n} -> stay\nwhen lift[ann] == 0 -> Home",
        "data {\n  lift per seat: int 0..9 = 9\n  force per seat: int 0..4 = 2\n}",
      ),
    ],
    spares: [
      two(
        "action a1(s: seat in others) {\n  let hit = max(0, roll(1..6) - guard[s])\n  lift[s] = max(0, lift[s] - hit)\n} -> stay\nwhen lift[ben] == 0 -> Home",
        "data {\n  lift per seat: int 0..9 = 9\n  guard per seat: int 0..4 = 2\n}",
      ),
      // Which way a price goes is what is rolled.
      one(
        "action a1 {\n  let drift = roll(-1..1) * swing\n  price += drift\n} -> stay\naction a2 { swing = roll(1..4) } -> stay\nwhen price == 1 -> Home",
        "data { price: int 1..20 = 8  swing: int 1..4 = 2 }",
      ),
      // A gain less its price, which is asked for.
      two(
        'action draw needs coins[me] >= 3 else "no coins" { coins[me] += roll(0..9) - 3 } -> stay\nwhen coins[ann] > 30 -> Home',
        "data { coins per seat: int 0..40 = 15 }",
      ),
      two(
        "action a1(s: seat in others) {\n  let hit = max(0, roll(1..6) - guard[s])\n  lift[s] -= hit\n} -> stay\nwhen lift[ben] == 0 -> Home",
        "data {\n  lift per seat: int 0..9 = 9\n  guard per seat: int 0..4 = 2\n}",
      ),
      one("action a1 { lift -= roll(3..8) - 2 } -> stay\nwhen lift == 0 -> Home", "data { lift: int 0..40 = 40 }"),
      // A number below 0 is written for it elsewhere: it goes both ways.
      one(
        "action buy { trade(1) } -> stay\naction sell { trade(-1) } -> stay\nwhen coins == 0 -> Home",
        "data { coins: int 0..40 = 20 }\neffect trade(n: int) { coins -= n * 3 }",
      ),
    ],
  },
  "always-clamped": {
    triggers: [
      one(
        "action a1 { lot = roll(0..3)  bells += lot } -> stay\nwhen bells == 9 -> Home",
        "data { bells: int 0..9  lot: int 0..2 }",
      ),
      ring("action a1 { bells += 20 } -> stay"),
      one("action a1 { bells = 0 - 5 } -> stay\nwhen bells == 9 -> Home\naction a2 { bells += 1 } -> stay", BELLS),
    ],
    spares: [
      one(
        "action a1 { lot = roll(0..2)  bells += lot } -> stay\nwhen bells == 9 -> Home",
        "data { bells: int 0..9  lot: int 0..2 }",
      ),
      one(
        "action a1 { lot = roll(0..min(2, bells))  bells += lot + 1 } -> stay\nwhen bells == 9 -> Home",
        "data { bells: int 0..9  lot: int 0..2 }",
      ),
      ring("action a1 { bells += 8 } -> stay"),
      one("action a1 { bells = 0 } -> stay\nwhen bells == 9 -> Home\naction a2 { bells += 1 } -> stay", BELLS),
    ],
  },
  "unpaid-cost": {
    triggers: [
      // All others ask for what they take of what all have in common.
      two(
        'action light needs oil > 0 else "none" { oil -= 1  lit += 1 } -> stay\naction wash needs oil >= 2 else "none" { oil -= 2  lit += 2 } -> stay\naction grease { oil -= 1 } -> Stiff\nwhen lit >= 8 -> Home',
        "data { oil: int 0..9 = 6  lit: int 0..9 }",
        "state Stiff { turn of ben action knock { lit += 1 } -> Turn }",
      ),
      // What is sold is still there.
      two(
        'action buy(n: int 1..9 where n <= coins[me] else "too dear") { coins[me] -= n  wool[me] += n } -> stay\naction sell(n: int 1..9 where n <= wool[me] else "none") { coins[me] += n } -> stay\nwhen wool[ann] == 9 -> Home',
        "data { coins per seat: int 0..9 = 4  wool per seat: int 0..9 = 0 }",
      ),
      two(
        'action rest needs crew[me].oil > 0 else "no oil" { bells += 1 } -> stay\naction burn needs crew[me].oil > 0 else "no oil" { crew[me].oil -= 1  bells += 2 } -> stay\nwhen bells >= 8 -> Home',
        "type Hand { oil: int 0..3 = 3 }\ndata { crew per seat: Hand  bells: int 0..9 }",
      ),
      // It is something to spend, as others do.
      moving('action dash needs steps > 0 else "none" { bells += 2 } -> stay'),
      // Through a state that is passed at once the same seat goes on.
      two(
        'action sing needs breath[me] >= 2 else "none" { bells += 1 } -> Sung\naction call needs breath[me] >= 1 else "none" { breath[me] -= 1  bells += 1 } -> Sung',
        "data { breath per seat: int 0..9 = 4  bells: int 0..9 }",
        "state Sung { enter -> choose { when bells == 9 -> Home  else -> Turn } }",
      ),
      two(
        'action sing needs breath[me] >= 2 else "none" { bells += 1 } -> stay\naction call needs breath[me] >= 1 else "none" { breath[me] -= 1  bells += 1 } -> stay\nwhen bells == 9 -> Home',
        "data { breath per seat: int 0..9 = 4  bells: int 0..9 }",
      ),
      two(
        'action a1 { coins[me] -= 3  power[me] += 2 } -> stay\naction a2 needs coins[me] > 0 else "none" { coins[me] -= 1 } -> stay\nwhen power[ann] == 9 -> Home',
        "data { coins per seat: int 0..9 = 4  power per seat: int 0..9 = 0 }",
      ),
      two(
        'action a1(s: seat in seats where s != me else "you") { purse[me].coins -= 2  purse[me].bread += 1 } -> stay\naction a2 needs purse[me].coins >= 1 else "none" { purse[me].coins -= 1 } -> stay\nwhen purse[ann].bread == 9 -> Home',
        "type Purse { coins: int 0..9 = 4  bread: int 0..9 = 0 }\ndata { purse per seat: Purse }",
      ),
      // It is asked for beside something else.
      two(
        'action sing needs bells < 9 and breath[me] > 0 else "none" { bells += 1 } -> stay\naction call needs not (bells == 9) and breath[me] > 0 else "none" { breath[me] -= 1  bells += 1 } -> stay\nwhen bells == 9 -> Home',
        "data { breath per seat: int 0..9 = 4  bells: int 0..9 }",
      ),
      // A thing that is got has its price, whoever else asks.
      two(
        "action buy { coins[me] -= price  goods[me].push(price) } -> stay\naction dear { price += 1 } -> stay\nwhen goods[ann].size == 3 -> Home",
        "data { coins per seat: int 0..9 = 4  goods per seat: list of int  price: int 1..5 = 2 }",
      ),
      // As many are bought and sold as one chooses, and nothing says how few one may have.
      two(
        "action buy(n: int 1..9) { coins[me] -= n * price  held[me] += n } -> stay\naction dear { price += 1 } -> stay\nwhen held[ann] == 20 -> Home",
        "data { coins per seat: int 0..99 = 40  held per seat: int  price: int 1..5 = 2 }",
      ),
      two(
        "action sell(n: int 1..9) { coins[me] += n  held[me] -= n } -> stay\nwhen coins[ann] == 99 -> Home",
        "data { coins per seat: int 0..99  held per seat: int = 3 }",
      ),
      // What is done to somebody costs something.
      two(
        'action curse(s: seat in seats where s != me else "you") { coins[me] -= 1  cursed[s] = true } -> stay\naction a2 needs coins[me] > 0 else "none" { coins[me] -= 1  power[me] += 1 } -> stay\nwhen power[ann] == 9 and cursed[ann] -> Home',
        "data { coins per seat: int 0..9 = 4  power per seat: int 0..9 = 0  cursed per seat: bool }",
      ),
      // What is put on something, and what is sold of goods of one's own.
      two(
        "action bet(n: int 1..5) { coins[me] -= n  stake[me] = n } -> stay\naction take1 { coins[me] += 2 * stake[me]  stake[me] = 0 } -> stay\nwhen coins[ann] == 9 -> Home",
        "data { coins per seat: int 0..9 = 4  stake per seat: int 0..5 }",
      ),
      one(
        "action sell(g: text max 3, n: int 1..5) { load[g] -= n  coins += 2 * n } -> stay\naction buy(g: text max 3) { load[g] = 9 } -> stay\nwhen coins > 40 -> Home",
        "data { coins: int 0..99  load: map of text to int }",
      ),
      // What all have in common is given out, as many as one likes.
      one(
        "action place(at: int in isles.indices, n: int 1..6) { isles[at] += n  left -= n } -> choose { when left == 0 -> Home  else -> stay }",
        "data { isles: list of int = [3, 3]  left: int 0..6 = 6 }",
      ),
      // What is chosen says what it costs.
      one(
        'action pull(n: int 1..3) { breath -= n } -> stay\naction shout needs breath >= 1 else "out of breath" { breath -= 1 } -> stay',
        "data { breath: int 0..9 = 3 }",
      ),
    ],
    spares: [
      two(
        'action light needs oil > 0 else "none" { oil -= 1  lit += 1 } -> stay\naction wash needs oil >= 2 else "none" { oil -= 2  lit += 2 } -> stay\naction grease needs oil > 0 else "none" { oil -= 1 } -> Stiff\nwhen lit >= 8 -> Home',
        "data { oil: int 0..9 = 6  lit: int 0..9 }",
        "state Stiff { turn of ben action knock { lit += 1 } -> Turn }",
      ),
      two(
        'action buy(n: int 1..9 where n <= coins[me] else "too dear") { coins[me] -= n  wool[me] += n } -> stay\naction sell(n: int 1..9 where n <= wool[me] else "none") { coins[me] += n  wool[me] -= n } -> stay\nwhen wool[ann] == 9 -> Home',
        "data { coins per seat: int 0..9 = 4  wool per seat: int 0..9 = 0 }",
      ),
      moving('action dash needs steps > 0 else "none" { steps -= 1  bells += 2 } -> stay'),
      // It ends the turn, and with it what is left.
      moving('action dash needs steps > 0 else "none" { bells += 2 } -> Rest1'),
      // It is a strength, which a fall takes away.
      one(
        'action lift needs strength >= 3 else "too weak" { bells += 1 } -> stay\naction slip { strength -= 1 } -> stay\nwhen bells == 9 -> Home',
        "data { strength: int 0..9 = 5  bells: int 0..9 }",
      ),
      one(
        'action place(at: int in isles.indices, n: int 1..6 where n <= left else "so many are not left") { isles[at] += n  left -= n } -> choose { when left == 0 -> Home  else -> stay }',
        "data { isles: list of int = [3, 3]  left: int 0..6 = 6 }",
      ),
      // What is hauled in shows how hard it was, and is no price.
      two(
        "action haul(n: int 1..5) { line[me] -= n  strain[me] = max(strain[me], n) } -> stay\nwhen strain[ann] == 5 and line[ann] < 4 -> Home",
        "data { line per seat: int 0..9 = 9  strain per seat: int 0..5 }",
      ),
      // Points may be lost, as far as one likes.
      two(
        "action risk(n: int 1..9) { points[me] -= n  luck[me] += 1 } -> stay\nwhen luck[ann] == 9 or points[ann] < -50 -> Home",
        "data { points per seat: int -99..99  luck per seat: int 0..9 }",
      ),
      two(
        'action buy needs coins[me] >= price else "too dear" { coins[me] -= price  goods[me].push(price) } -> stay\naction dear { price += 1 } -> stay\nwhen goods[ann].size == 3 -> Home',
        "data { coins per seat: int 0..9 = 4  goods per seat: list of int  price: int 1..5 = 2 }",
      ),
      // No more is taken than there is.
      one(
        'action pull(n: int 1..3) { breath -= min(n, breath) } -> stay\naction shout needs breath >= 1 else "out of breath" { breath -= 1 } -> stay',
        "data { breath: int 0..9 = 3 }",
      ),
      two(
        'action a1 needs coins[me] >= 3 else "three" { coins[me] -= 3  power[me] += 2 } -> stay\naction a2 needs coins[me] > 0 else "none" { coins[me] -= 1 } -> stay\nwhen power[ann] == 9 -> Home',
        "data { coins per seat: int 0..9 = 4  power per seat: int 0..9 = 0 }",
      ),
      // Nobody asks for tiredness before it goes down: that is no price.
      two(
        "action rest1 { tired[me] -= 3  power[me] += 2 } -> stay\naction work { tired[me] += 1 } -> stay\nwhen power[ann] == 9 -> Home\nwhen tired[ann] == 9 -> Home",
        "data { tired per seat: int 0..9 = 4  power per seat: int 0..9 = 0 }",
      ),
    ],
  },
  "may-divide-by-zero": {
    triggers: [
      ring("action a1 { bells = 9 mod bells } -> stay"),
      two('action a1(n: int in 0..3) { note "{6 / n}" } -> stay'),
    ],
    spares: [
      ring("action a1 { if bells > 0 { bells = 9 mod bells } } -> stay"),
      two('action a1(n: int in 1..3) { note "{6 / n}" } -> stay'),
    ],
  },
  "index-may-miss": {
    triggers: [
      one('action a1(n: int in 0..3) { note "{[1, 2, 3][n]}" } -> stay'),
      one(
        "action a1 { g[cell(x1, 0)] = true  x1 += 1 } -> stay\nwhen g[cell(0, 0)] -> Home",
        "data {\n  g: grid 4 by 4 of bool\n  x1: int 0..9 = 0\n}",
      ),
    ],
    spares: [
      one('action a1(n: int in 0..2) { note "{[1, 2, 3][n]}" } -> stay'),
      one(
        "action a1 { g[cell(x1, 0)] = true  x1 += 1 } -> stay\nwhen g[cell(0, 0)] -> Home",
        "data {\n  g: grid 4 by 4 of bool\n  x1: int 0..3 = 0\n}",
      ),
      // The list stays as long as it begins.
      one(
        'action mend(lane: int 0..2 where walls[lane] < 5 else "is whole") { walls[lane] += 1 } -> stay\nwhen walls[0] == 5 -> Home',
        "data { walls: list max 3 of int 0..5 = [3, 4, 4] }",
      ),
    ],
  },
  "list-may-be-empty": {
    triggers: [
      one(
        'action a1 { line = filter(s in line where s != me) } -> stay\naction a2 { note "{line.last}" } -> stay',
        LINE,
      ),
      "machine M\nseats ann, ben\ndata { queue: list of seat = [ann, ben] }\non Left(s) -> E\nstart S\nstate S {\n  turn of queue.first\n  action a1 { queue.take() } -> stay\n  action stop -> E\n}\nending E { draws all }\n",
      // In a grid of one cell, and no step away from it, there are none.
      two(
        "action a1 { at = nook.neighbours(at).first } -> stay\nwhen at == cell(1, 0) -> Home",
        "data { nook: grid 1 by 1 of bool  at: cell = cell(0, 0) }",
      ),
      two(
        "action a1(n: int 0..2) { at = yard.reach(at, n).first } -> stay\nwhen at == cell(2, 1) -> Home",
        "data { yard: grid 3 by 2 of bool  at: cell = cell(0, 0) }",
      ),
      // Two may be left out of it.
      `machine M\nseats a, b, c\nteam Pair: a, b\ndata { up: seat = a  n: int 0..9 }\nfunction mate(s: seat): seat = filter(x in Pair where x != s and x != next(s)).first\non Left(s) -> E\nstart S\nstate S {\n  turn of up\n  action hand { n += 1  up = if me == c then a else mate(me) } -> stay\n  action give { up = c } -> stay\n  when n == 9 -> E\n}\nending E { draws all }\n`,
    ],
    spares: [
      // Without one of two there is the other.
      `machine M\nseats a, b, c\nteam Pair: a, b\ndata { up: seat = a  n: int 0..9 }\nfunction mate(s: seat): seat = filter(x in Pair where x != s).first\non Left(s) -> E\nstart S\nstate S {\n  turn of up\n  action hand { n += 1  up = if me == c then a else mate(me) } -> stay\n  action give { up = c } -> stay\n  when n == 9 -> E\n}\nending E { draws all }\n`,
      // A cell of a grid has others around it.
      two(
        "action a1 { at = yard.neighbours(at).last } -> stay\naction a2 { at = yard.reach(at, 2).last } -> stay\nwhen at == cell(2, 1) -> Home",
        "data { yard: grid 3 by 2 of bool  at: cell = cell(0, 0) }",
      ),
      one(
        'action a1 { line = filter(s in line where s != me) } -> stay\naction a2 { if line.size > 0 { note "{line.last}" } } -> stay',
        LINE,
      ),
      "machine M\nseats ann, ben\ndata { queue: list of seat = [ann, ben] }\non Left(s) -> E\nstart S\nstate S {\n  turn of queue.first\n  action a1 { queue.take() } -> stay\n  when queue.empty -> E\n}\nending E { draws all }\n",
    ],
  },
  "may-be-none": {
    triggers: [
      // Not all have chosen when the time is up, or where one is ready otherwise.
      choosing("when all ready -> Judge\n  after 9s { for s in seats { total += aim[s] } } -> Judge"),
      choosing("sealed action pass -> ready\n  when all ready { for s in seats { total += aim[s] } } -> Judge"),
      two(
        "action a1(s: seat in others) { mark = s } -> stay\naction a2 { lift[mark] -= 1 } -> stay\nwhen lift[ben] == 0 -> Home",
        "data {\n  mark: seat?\n  lift per seat: int 0..9 = 9\n}",
      ),
      one(
        "action a1 { n = 3 } -> stay\naction a2 { bells += n } -> stay\nwhen bells == 9 -> Home",
        "data { n: int?  bells: int 0..9 = 0 }",
      ),
      one(
        "action a1 { kept = Kite() } -> stay\naction a2 { kept.lift -= 1 } -> choose { when kept.lift == 0 -> Home else -> stay }",
        "type Kite { lift: int 0..9 = 9 }\ndata { kept: Kite? }",
      ),
    ],
    spares: [
      one(
        'action a1 { kept = Kite() } -> stay\naction a2 needs kept != none else "no kite" { kept.lift -= 1 } -> choose { when kept.lift == 0 -> Home else -> stay }',
        "type Kite { lift: int 0..9 = 9 }\ndata { kept: Kite? }",
      ),
      // Once all are ready, all have chosen.
      choosing("when all ready { for s in seats { total += aim[s] } } -> Judge"),
      two(
        'action a1(s: seat in others) { mark = s } -> stay\naction a2 needs mark != none else "mark somebody first" { lift[mark] -= 1 } -> stay\nwhen lift[ben] == 0 -> Home',
        "data {\n  mark: seat?\n  lift per seat: int 0..9 = 9\n}",
      ),
      one(
        "action a1 {\n  n = 3\n  bells += n\n} -> stay\nwhen bells == 9 -> Home",
        "data { n: int?  bells: int 0..9 = 0 }",
      ),
    ],
  },
  "may-be-unset": {
    triggers: [
      one(
        'action a1 { word = "gale" } -> Two\naction a2 -> Two',
        "data { word: text }",
        'state Two {\n  enter { note "{word}" } -> Home\n}',
      ),
      one(
        "action a1 -> Two",
        undefined,
        'state Two {\n  data { aim: int 0..9 }\n  turn of ann\n  action take(n: int in 1..9) { aim = n } -> stay\n  action shoot { note "{aim}" } -> Home\n}',
      ),
    ],
    spares: [
      one(
        'action a1 { word = "gale" } -> Two\naction a2 { word = "calm" } -> Two',
        "data { word: text }",
        'state Two {\n  enter { note "{word}" } -> Home\n}',
      ),
      ring(""),
      // What is set back to what it begins with begins so on purpose.
      one(
        'action lay(n: int 1..9 where n > top.rank else "higher") { top = Lay(rank: n)  best = n } -> stay\naction clear1 needs best < 9 { top = Lay()  best = 0 } -> stay\nwhen top.rank == 9 -> Home',
        "type Lay { rank: int 0..9 }\ndata { top: Lay  best: int }",
      ).replaceAll("best < 9 {", 'best < 9 else "enough" {'),
      // Where somebody can go to hangs on where it is.
      one(
        "action go(to: Room in exits(room)) { room = to } -> stay\naction slip { room = yard } -> stay\nwhen room == loft -> Home",
        "type Room is yard, stair, loft\ndata { room: Room }\nfunction exits(r: Room): list of Room = if r == yard then [stair] else [yard, loft]",
      ),
      // What turns a thing over begins with what it is at first.
      one(
        "action cross { if bank == near { bank = far } else { bank = near } } -> choose {\n  when bank == far -> stay\n  else -> Home\n}",
        "type Bank is near, far\ndata { bank: Bank }",
      ),
    ],
  },
  "roll-empty": {
    triggers: [
      one(
        'action a1 {\n  let n = roll(low..high)\n  note "{n}"\n} -> stay\naction a2 { low = roll(1..9)  high = roll(1..9) } -> stay',
        "data { low: int 0..9 = 0  high: int 0..9 = 9 }",
      ),
      ring("action a1 { bells = roll(bells..5) } -> stay"),
    ],
    spares: [
      one(
        'action a1 {\n  let n = roll(low..high)\n  note "{n}"\n} -> stay\naction a2 { low = roll(1..4)  high = roll(5..9) } -> stay',
        "data { low: int 0..9 = 0  high: int 0..9 = 9 }",
      ),
      ring("action a1 { bells = roll(bells..9) } -> stay"),
    ],
  },
  "constant-over-base": {
    triggers: [
      two(
        "action a1 { kites[me].pull += 2 } -> stay\naction a2 { kites[me].pull = 9 } -> stay\naction a3(s: seat in others) { kites[s].lift -= kites[me].pull } -> stay\nwhen kites[ben].lift == 0 -> Home",
        "type Kite { pull: int 0..20 = 9  lift: int 0..40 = 40 }\ndata { kites per seat: Kite }",
      ),
      one(
        "action gust { pull += 4 } -> stay\nafter 5s { pull = base } -> Home\naction dive { lift -= pull } -> stay\nwhen lift == 0 -> Home",
        "const base: int = 9\ndata {\n  pull: int 0..20 = 9\n  lift: int 0..40 = 40\n}",
      ),
      // Each round sets up a base that is not everybody's.
      guarded("[Kite(guard: 3), Kite()]"),
    ],
    spares: [
      // Who comes later begins with it.
      two("action a1 { coins[me] += 2 } -> stay\nwhen coins[ann] > 9 -> Home\non Joined(s) { coins[s] = 5 }").replace(
        "start Turn",
        "data { coins per seat: int 0..20 = 5 }\nstart Turn",
      ),
      guarded("[Kite(lift: 30), Kite()]"),
      two(
        "action a1 { kites[me].pull += 2 } -> stay\naction a2 { kites[me].pull -= 2 } -> stay\naction a3(s: seat in others) { kites[s].lift -= kites[me].pull } -> stay\nwhen kites[ben].lift == 0 -> Home",
        "type Kite { pull: int 0..20 = 9  lift: int 0..40 = 40 }\ndata { kites per seat: Kite }",
      ),
      one(
        'action shoot needs shots > 0 else "reload" { shots -= 1 } -> stay\naction reload { shots = 6 } -> stay\naction find { shots += 1 } -> stay',
        "data { shots: int 0..6 = 6 }",
      ),
    ],
  },

  // ---- uses ------------------------------------------------------------------------------------
  "unheard-signal": {
    triggers: [
      one("action a1 -> stay", "event VolleyOver(left: int)"),
      ring("action a1 { raise Gust(3) } -> stay").replace("start Turn", "signal Gust(force: int)\n\nstart Turn"),
    ],
    spares: [
      one("on VolleyOver(left) when left == 0 -> Home", "event VolleyOver(left: int)"),
      ring("action a1 { raise Gust(3) } -> stay\non Gust(force) { bells = max(0, min(9, force)) }").replace(
        "start Turn",
        "signal Gust(force: int)\n\nstart Turn",
      ),
    ],
  },
  "unraised-signal": {
    triggers: [
      // Whoever raises it has left the state that listens.
      two(
        "on Struck(who) { hits += 1 }\naction a1 -> Two\nwhen hits == 3 -> Home",
        "signal Struck(who: seat)\ndata { hits: int 0..9 = 0 }",
        "state Two { enter { raise Struck(ann)  hits += 1 } -> Turn }",
      ),
      one("on Gust(force) when force > 3 -> Home", "signal Gust(force: int)"),
      one(
        'action a1 { raise Calm() } -> stay\non Calm { note "calm" }\non Gust { note "gust" }',
        "signal Gust()\nsignal Calm()",
      ),
    ],
    spares: [
      // Around the state that raises it and the one that is left, it is heard.
      "machine M\nseats ann\nsignal Rung()\ndata { bells: int 0..9 = 0 }\nstart S\nstate S {\n  on Rung { bells += 1 }\n  start T\n  state T {\n    turn of ann\n    action go -> U\n    action stop -> E\n  }\n  state U { enter { raise Rung() } -> choose { when bells == 9 -> E else -> T } }\n}\nending E { draws all }\n",
      one("on Gust(force) when force > 3 -> Home", "event Gust(force: int)"),
      one('action a1 { raise Calm() } -> stay\non Calm { note "calm" }', "signal Calm()"),
    ],
  },
  "unread-data": {
    triggers: [
      one("action a1 { tally += 1 } -> stay", "data { tally: int = 0 }"),
      one("action a1 { breath -= 1 } -> stay", "data { breath: int 0..9 = 9 }"),
      // Whose turn it is now is said in another way.
      two("action a1 { onTurn = next(onTurn) } -> stay", "data { onTurn: seat = ann }"),
      one(
        "action a1 { kite.lift -= 1 } -> stay\nwhen kite.lift == 0 -> Home",
        "type Kite { lift: int 0..9 = 9  colour: int 0..3 = 1 }\ndata { kite: Kite }",
      ),
    ],
    spares: [
      `${one("action a1 { tally += 1 } -> stay", "data { tally: int = 0 }")}law "not for ever": tally < 100\n`,
      two("action a1 { first1 = next(first1) } -> stay\nwhen first1 == ben -> Home", "data { first1: seat = ann }"),
      one(
        "action a1 { kite.lift -= 1 } -> stay\nwhen kite.lift == kite.floor1 -> Home",
        "type Kite { lift: int 0..9 = 9  floor1: int 0..3 = 1 }\ndata { kite: Kite }",
      ),
    ],
  },
  "unset-data": {
    triggers: [
      // What can be offered, and is waited for, never becomes less.
      two(
        'action offer(n: int 1..9 where n <= purse[me] else "too much") { bid = n } -> stay\nwhen bid == 9 -> Home',
        "data { purse per seat: int 0..20 = 9  bid: int 0..9 }",
      ),
      one(
        'action row { bells += 1 } -> stay\naction wait1 needs oil == 0 else "too bright" -> Home\nwhen bells == 9 -> Home',
        "data { oil: int 0..9 = 9  bells: int 0..9 }",
      ),
      two(
        'action name(whom: seat in others where not known[whom] else "known") { rung += 1 } -> choose { when known[whom] -> Home  else -> stay }\nwhen rung == 9 -> Home',
        "data { known per seat: bool = false  rung: int 0..9 }",
      ),
      // Nothing is ever put in, or counted up to what is waited for; nobody is ever marked.
      two(
        'action seek(c: int 0..3 where not tried.has(c) else "tried") { rung += c } -> stay\nwhen rung == 9 -> Home',
        "data { tried: list of int = []  rung: int 0..9 }",
      ),
      one(
        'action sing { bells += 1 } -> stay\naction spare needs mood == 5 else "not yet" -> Home\nwhen bells == 9 -> Home',
        "data { bells: int 0..9  mood: int 0..5 = 0 }",
      ),
      one(
        'action toss(i: int in crew.indices where not crew[i].tired else "tired") { crew[i].arm -= 1 } -> stay\nwhen all(h in crew: h.arm == 0) -> Home',
        "type Hand { arm: int 0..4 = 2  tired: bool = false }\ndata { crew: list of Hand = [Hand(), Hand()] }",
      ),
      // A fact that never comes to be so.
      ring("action a1 { bells += 1 } -> choose {\n  when bells > 3 and lampFound -> Home\n  else -> stay\n}").replace(
        "data {",
        "data { lampFound: bool = false ",
      ),
      two(
        "action aim -> Judge",
        "data { left per seat: int 0..3 = 3 }",
        "state Judge { enter -> choose { when left[ann] == 0 -> Home  else -> Turn } }",
      ),

      ring("when bells == goal -> Home").replace("bells: int 0..9 = 0", "bells: int 0..9 = 0  goal: int 0..9"),
      one('action a1 { note "{names.size}" } -> stay', "data { names: list of text }"),
      one(
        'action claim(c: cell in land.cells where land[c].owner == none else "no") { land[c].stony = true } -> choose {\n  when land[c].stony -> Home\n  else -> stay\n}',
        "type Plot { owner: seat?  stony: bool }\ndata { land: grid 2 by 2 of Plot }",
      ),
      // What begins as nothing is to grow, what begins as the most to fall, however that is asked.
      two(
        "action row -> Judge",
        "data { laps: int 0..3 = 0 }",
        "state Judge { enter -> choose { when laps < 3 -> Turn  else -> Home } }",
      ),
      two(
        "action row -> Judge",
        "data { left: int 0..5 = 5 }",
        "state Judge { enter -> choose { when left > 0 -> Turn  else -> Home } }",
      ),
      // What an action needs is never used up.
      ring('action mend needs tape > 0 else "no tape" { bells += 1 } -> stay').replace(
        "bells: int 0..9 = 0",
        "bells: int 0..9 = 0  tape: int 0..3 = 2",
      ),
      ring(
        'action mend needs kites[me].tape > 0 else "no tape" { kites[me].lift += 2 } -> choose { when kites[me].lift == 9 -> Home else -> stay }',
      ).replace(
        "data { bells: int 0..9 = 0 }",
        "type Kite { lift: int 0..9  tape: int 0..3 = 2 }\ndata { bells: int 0..9 = 0  kites per seat: Kite }",
      ),
      // A counter that nobody counts.
      ring("when laps == 3 -> Home").replace("bells: int 0..9 = 0", "bells: int 0..9 = 0  laps: int 0..9 = 0"),
      // It is only ever set to what it begins with.
      ring("action turn1 { up = true } -> stay\naction a1 { bells += if up then 2 else 1 } -> stay").replace(
        "bells: int 0..9 = 0",
        "bells: int 0..9 = 0  up: bool = true",
      ),
      ring('action turn1 { wind = calm } -> stay\naction a1 needs wind == calm else "no" { bells += 2 } -> stay')
        .replace("bells: int 0..9 = 0", "bells: int 0..9 = 0  wind: Wind")
        .replace("data {", "type Wind is calm, gale\ndata {"),
      // That a test gives it says nothing about matches.
      `${ring("when bells == goal -> Home").replace("bells: int 0..9 = 0", "bells: int 0..9 = 0  goal: int 0..9")}test "rung" {\n  given goal = 1\n  ann ring\n  expect ending Home\n}\n`,
    ],
    spares: [
      // A test shows that it is set up; how much is asked for may be a setting.
      `${two(
        'action seek(c: int 0..3 where not shut.has(c) else "shut") { rung += c } -> stay\nwhen rung == 9 -> Home',
        "data { shut: list of int = []  rung: int 0..9 }",
      )}test "a shut one" { given shut = [2]  expect closed ann seek(2) }\n`,
      one(
        'action sing needs level > 0 else "not here" { bells += 1 } -> stay\naction hum { bells += 1 } -> stay\nwhen bells == 9 -> Home',
        "data { bells: int 0..9  level: int 0..5 = 0 }",
      ),
      // A setting that a match is begun with.
      ring("action a1 { bells += 1 } -> choose {\n  when bells > 3 and isHard -> Home\n  else -> stay\n}").replace(
        "data {",
        "data { isHard: bool = false ",
      ),
      ring("when bells == goal -> Home").replace("bells: int 0..9 = 0", "bells: int 0..9 = 0  goal: int 0..9 = 5"),
      one(
        'action a1 { names.push("gale") } -> stay\naction a2 { note "{names.size}" } -> stay',
        "data { names: list of text }",
      ),
      ring("action turn1 { up = not up } -> stay\naction a1 { bells += if up then 2 else 1 } -> stay").replace(
        "bells: int 0..9 = 0",
        "bells: int 0..9 = 0  up: bool = true",
      ),
      ring("action turn1 { up = true } -> stay\naction a1 { bells += if up then 2 else 1 } -> stay").replace(
        "bells: int 0..9 = 0",
        "bells: int 0..9 = 0  up: bool",
      ),
      // What each has by its row need not change.
      ring(
        'action strike(i: int in hands.indices) needs hands[i].reach >= 2 else "too short" { bells += 1 } -> stay',
      ).replace(
        "data { bells: int 0..9 = 0 }",
        "type Hand { reach: int 1..3 = 1 }\ndata { bells: int 0..9 = 0  hands: list of Hand = [Hand(), Hand(reach: 3)] }",
      ),
      // What a test sets up may be set up from outside, too.
      `${ring("when wind == 3 -> Home").replace("bells: int 0..9 = 0", "bells: int 0..9 = 0  wind: int 0..9 = 0")}test "a storm" {\n  given wind = 3\n  expect ending Home\n}\n`,
      // It is set where something is put into it, and by what is made of it.
      one(
        "action a1(n: int 1..9) { crate.marks.push(n) } -> choose { when crate.marks.size == 4 -> Home else -> stay }\naction a2(n: int 1..9) { crate = Crate(left: n) } -> choose { when crate.left == 2 -> Home else -> stay }",
        "type Crate { marks: list of int  left: int }\ndata { crate: Crate }",
      ),
    ],
  },
  "unused-declaration": {
    triggers: [
      ring("").replace("start Turn", "dice loot\n\nstart Turn"),
      ring("").replace("start Turn", "const most: int = 5\n\nstart Turn"),
      ring("").replace("start Turn", "effect toll() { bells += 1 }\n\nstart Turn"),
      // It is asked who is given something, and nobody is given it.
      two(
        'action hand(to: seat in others where coins[to] < 9 else "rich") needs coins[me] > 0 else "poor" { coins[me] -= 1 } -> stay\nwhen coins[ann] == 0 -> Home',
        "data { coins per seat: int 0..9 = 4 }",
      ),
      one("action a1(n: int 1..3) { bells += 1 } -> stay\nwhen bells == 9 -> Home", BELLS),
      one("action a1 { toll(2) } -> stay\nwhen bells == 9 -> Home", `${BELLS}\neffect toll(n: int) { bells += 1 }`),
      one(
        "action a1 { bells += more(2) } -> stay\nwhen bells == 9 -> Home",
        `${BELLS}\nfunction more(n: int): int = bells + 1`,
      ),
      one("action a1 {\n  let n = roll(1..2)\n  bells += 1\n} -> stay\nwhen bells == 9 -> Home", BELLS),
    ],
    spares: [
      // What is said, and what is hit on, is what the action is for.
      two("action say(word: text max 20) -> stay\naction out -> Home"),
      one(
        'action open(code: int 0..99 where code == bells else "wrong") -> Home\naction a1 { bells += 1 } -> stay',
        BELLS,
      ),
      // It is for another parameter.
      one("action a1(row: int in 1..2, n: int in row..3) { bells += n } -> stay\nwhen bells == 9 -> Home", BELLS),
      // The top card is put away.
      one(
        "action a1 {\n  let top = line.take()\n  bells += 1\n} -> stay\naction a2 { line.push(me)  bells += 1 } -> stay\nwhen line.empty or bells == 9 -> Home",
        `${BELLS}\n${LINE}`,
      ),
      one("action a1 { bells += loot.roll(1..2) } -> stay\nwhen bells == 9 -> Home", `${BELLS}\ndice loot`),
      one(
        "when bells == most -> Home\naction a1 { bells += 1 } -> stay",
        "const most: int = 5\ndata { bells: int 0..most = 0 }",
      ),
      one("action a1 { toll() } -> stay\nwhen bells == 9 -> Home", `${BELLS}\neffect toll() { bells += 1 }`),
    ],
  },
  "unknown-key": {
    triggers: [
      one(
        'action ask(about: text in ["storm", "brother"]) { asked["permt"] = true  if about == "brother" { bells += 1 } } -> stay\nwhen bells == 9 and all(k in asked.keys: asked[k]) -> Home',
        'data { asked: map of text to bool = ["permit": false, "storm": false]  bells: int 0..9 = 0 }',
      ),
      one(
        'action a1 { debts["baker"]["millar"] = 2 } -> stay\nwhen debts["baker"]["miller"] == 2 -> Home',
        'data { debts: map of text to map of text to int = ["baker": ["miller": 0]] }',
      ),
    ],
    spares: [
      // A key that the map comes to have, and is asked for.
      one(
        'action a1 { rung["bells"] = 1 } -> stay\nwhen rung.has("bells") and rung["bell"] == 0 -> Home',
        'data { rung: map of text to int = ["bell": 0] }',
      ),
      // One that is like none of them.
      one(
        'action a1 { asked["harbour"] = true } -> stay\nwhen asked.size == 3 -> Home',
        'data { asked: map of text to bool = ["permit": false, "storm": false] }',
      ),
    ],
  },
  "flag-never-cleared": {
    triggers: [
      // Counted up in place of down.
      two(
        'action strike { birds[next(me)][0].hp -= 1  birds[next(me)][0].dazed = 1 } -> stay\naction peck needs birds[me][0].dazed == 0 else "dazed" { birds[next(me)][0].hp -= 2 } -> stay\naction wake { birds[me][0].dazed += 1 } -> stay\nwhen any(s in seats: birds[s][0].hp == 0) -> Home',
        "type Bird { hp: int 0..9 = 9  dazed: int 0..3 }\ndata { birds per seat: list of Bird = [Bird()] }",
      ),
      // A status that lasts as many turns as it is made for, and never grows older.
      statuses("statuses = filter(x in statuses where x.left > 0)"),
      // Everybody has voted, from the first poll on.
      polls(""),

      // Who called first is there when nobody calls; whoever had another turn has it for good.
      "machine M\nseats a, b, c\ndata { buyer: seat? = none  price: int 0..9 = 9  sold: int 0..3  lapsed: int 0..3 }\nstart Show\nstate Show { enter { price = 9 } -> Falling }\nstate Falling {\n  turn of inPlay\n  action call { buyer = me } -> Sold\n  after each 3s { price -= 1 }\n  when price == 0 -> Sold\n}\nstate Sold {\n  enter {\n    sold += 1\n    if buyer == none { lapsed += 1 }\n  } -> choose {\n    when sold == 3 and lapsed < 2 -> E\n    when sold == 3 -> Quiet\n    else -> Show\n  }\n}\non Left(s) -> Quiet\nending E { draws all }\nending Quiet { none all }\n",
      "machine M\nseats a, b\ndata { onTurn: seat = a  more: bool  laid: int 0..9 }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action lay(n: int 1..2) {\n    laid += n\n    if n == 2 { more = true }\n  } -> Next\n}\nstate Next { enter { if not more { onTurn = next(onTurn) } } -> choose { when laid == 9 -> E else -> Turn } }\non Left(s) -> E\nending E { draws all }\n",
      // A unit that has acted never acts again.
      "machine M\nseats a, b\ntype Boat { owner: seat = a  hull: int 0..9 = 3  moved: bool }\ndata { boats: list of Boat = [Boat(), Boat(), Boat(owner: b), Boat(owner: b)]  onTurn: seat = a }\nfunction afloat(s: seat): bool = any(x in boats: x.owner == s and x.hull > 0)\nfunction mine(i: int, s: seat): bool = boats[i].owner == s and boats[i].hull > 0 and not boats[i].moved\nstart Turn\nstate Turn {\n  turn of onTurn\n  action ram(i: int in filter(x in boats.indices where mine(x, me)), j: int in filter(x in boats.indices where mine(x, next(me)))) {\n    boats[j].hull -= 1\n    boats[i].moved = true\n  } -> Next\n  action rest { onTurn = next(me) } -> Next\n}\nstate Next { enter -> choose { when not afloat(next(onTurn)) -> Won(onTurn)  else -> Turn } }\nending Won(who: seat) { wins who loses others }\n",

      // It lasts two rounds, says its number, and nothing counts them.
      two(
        'action daze(s: seat in others) { birds[s][0].dazed = 2 } -> stay\naction peck needs birds[me][0].dazed == 0 else "dazed" { birds[next(me)][0].hp -= 1 } -> stay\nwhen any(s in seats: birds[s][0].hp == 0) -> Home',
        "type Bird { hp: int 0..9 = 9  dazed: int 0..3 }\ndata { birds per seat: list of Bird = [Bird()] }",
      ),
      one(
        'action rest { calm = 3 } -> stay\naction ring needs not (calm > 0) else "hush" { bells += 1 } -> stay\nwhen bells == 9 -> Home',
        "data { calm: int 0..3 = 0  bells: int 0..9 }",
      ),
      // It is added to, and never counted down.
      one(
        'action rest { calm += 2 } -> stay\naction ring needs calm == 0 else "hush" { bells += 1 } -> stay\nwhen bells == 9 -> Home',
        "data { calm: int 0..9 = 0  bells: int 0..9 }",
      ),
      // Braced once, braced for good.
      duel(
        "action brace { braced[me] = true } -> Judge\naction slash { lift[next(me)] -= if braced[next(me)] then 1 else 3 } -> Judge",
        "when lift[next(onTurn)] == 0 -> Won(onTurn)",
        "braced per seat: bool",
      ).replace("ending Both { draws all }\n", ""),
      // Once everybody is locked out, every later clue passes at once.
      "machine M\nseats a, b\ndata { locked per seat: bool = false  clue: int 0..9 = 0 }\nfunction able(s: seat): bool = s in inPlay and not locked[s]\nstart Clue\nstate Clue {\n  turn of filter(s in seats where able(s)).first\n  when not any(s in seats: able(s)) -> NextClue\n  action miss { locked[me] = true } -> stay\n  action hit -> NextClue\n}\nstate NextClue {\n  enter { clue += 1 } -> choose {\n    when clue == 9 -> E\n    else -> Clue\n  }\n}\nending E { draws all }\n",
      two(
        'enter { note "on" }\naction a1 { braced[me] = true } -> again Turn\naction a2(s: seat in others) { if not braced[s] { lift[s] -= 1 } } -> again Turn\nwhen lift[ben] == 0 -> Home',
        "data { braced per seat: bool = false  lift per seat: int 0..9 = 9 }",
      ),
      journey(
        "data { fleeing: bool = false }",
        "action sail -> Bout",
        "start Ours\n  state Ours {\n    turn of ann\n    action flee { fleeing = true } -> Judge\n    action ram -> Judge\n  }\n  state Judge { enter -> choose { when fleeing -> AtSea else -> Ours } }",
      ),
    ],
    spares: [
      two(
        'action strike { birds[next(me)][0].hp -= 1  birds[next(me)][0].dazed = 1 } -> stay\naction peck needs birds[me][0].dazed == 0 else "dazed" { birds[next(me)][0].hp -= 2 } -> stay\naction wake { birds[me][0].dazed -= 1 } -> stay\nwhen any(s in seats: birds[s][0].hp == 0) -> Home',
        "type Bird { hp: int 0..9 = 9  dazed: int 0..3 }\ndata { birds per seat: list of Bird = [Bird()] }",
      ).replace("turn of ann", "turn of [ann, ben]"),
      "machine M\nseats a, b, c\ndata { buyer: seat? = none  price: int 0..9 = 9  sold: int 0..3  lapsed: int 0..3 }\nstart Show\nstate Show { enter { price = 9  buyer = none } -> Falling }\nstate Falling {\n  turn of inPlay\n  action call { buyer = me } -> Sold\n  after each 3s { price -= 1 }\n  when price == 0 -> Sold\n}\nstate Sold {\n  enter {\n    sold += 1\n    if buyer == none { lapsed += 1 }\n  } -> choose {\n    when sold == 3 and lapsed < 2 -> E\n    when sold == 3 -> Quiet\n    else -> Show\n  }\n}\non Left(s) -> Quiet\nending E { draws all }\nending Quiet { none all }\n",
      "machine M\nseats a, b\ndata { onTurn: seat = a  more: bool  laid: int 0..9 }\nstart Turn\nstate Turn {\n  turn of onTurn\n  enter { more = false }\n  action lay(n: int 1..2) {\n    laid += n\n    if n == 2 { more = true }\n  } -> Next\n}\nstate Next { enter { if not more { onTurn = next(onTurn) } } -> choose { when laid == 9 -> E else -> Turn } }\non Left(s) -> E\nending E { draws all }\n",
      // Asked once, when all is over: whether anybody ever did.
      'machine M\nseats a, b, c\ndata { buyer: seat? = none  sold: int 0..3 }\nstart Show\nstate Show {\n  turn of inPlay\n  action call { buyer = me } -> Sold\n  after 9s -> Sold\n}\nstate Sold { enter { sold += 1 } -> choose { when sold == 3 -> Close  else -> Show } }\nstate Close { enter { if buyer == none { note "nobody" } } -> E }\non Left(s) -> E\nending E { draws all }\n',
      // Chosen once, where there is none.
      "machine M\nseats a, b\ndata { captain: seat? = none  day: int 0..9 }\nstart Day\nstate Day {\n  enter { day += 1 } -> choose {\n    when day == 9 -> E\n    when captain == none -> Choose\n    else -> Watch\n  }\n}\nstate Choose { turn of a  action lead { captain = me } -> Day  action pass -> Day }\nstate Watch { turn of b  action rest -> Day }\non Left(s) -> E\nending E { draws all }\n",
      statuses("for i in statuses.indices { statuses[i].left -= 1 } statuses = filter(x in statuses where x.left > 0)"),
      polls("enter { for s in seats { voted[s] = false } }"),

      // The next turn of one's own begins without it.
      duel(
        "enter { braced[onTurn] = false }\naction brace { braced[me] = true } -> Judge\naction slash { lift[next(me)] -= if braced[next(me)] then 1 else 3 } -> Judge",
        "when lift[next(onTurn)] == 0 -> Won(onTurn)",
        "braced per seat: bool",
      ).replace("ending Both { draws all }\n", ""),
      // One by one they are counted, and that there are any is all that is asked.
      one(
        'action fold { torn += 1 } -> stay\naction ring needs torn == 0 else "torn" { bells += 1 } -> stay\nwhen bells == 9 -> Home',
        "data { torn: int 0..9 = 0  bells: int 0..9 }",
      ),
      // It runs down, or its size says more than that it lasts.
      one(
        'action rest { calm = 3 } -> stay\naction ring needs calm == 0 else "hush" { bells += 1 } -> stay\nafter each 1m { calm -= 1 }\nwhen bells == 9 -> Home',
        "data { calm: int 0..3 = 0  bells: int 0..9 }",
      ),
      one(
        'action rest { calm = 3 } -> stay\naction ring needs calm == 0 else "hush" { bells += 1 } -> stay\naction shout { bells += 2 + calm } -> stay\nwhen bells == 9 -> Home',
        "data { calm: int 0..3 = 0  bells: int 0..9 }",
      ),
      // Units that have acted act again in the next turn; or do one thing of several once.
      "machine M\nseats a, b\ntype Boat { owner: seat = a  hull: int 0..9 = 3  moved: bool }\ndata { boats: list of Boat = [Boat(), Boat(), Boat(owner: b), Boat(owner: b)]  onTurn: seat = a }\nfunction afloat(s: seat): bool = any(x in boats: x.owner == s and x.hull > 0)\nfunction mine(i: int, s: seat): bool = boats[i].owner == s and boats[i].hull > 0 and not boats[i].moved\nstart Turn\nstate Turn {\n  turn of onTurn\n  action ram(i: int in filter(x in boats.indices where mine(x, me)), j: int in filter(x in boats.indices where mine(x, next(me)))) {\n    boats[j].hull -= 1\n    boats[i].moved = true\n  } -> Next\n  action rest { for i in boats.indices { boats[i].moved = false }  onTurn = next(me) } -> Next\n}\nstate Next { enter -> choose { when not afloat(next(onTurn)) -> Won(onTurn)  else -> Turn } }\nending Won(who: seat) { wins who loses others }\n",
      "machine M\nseats a, b\ntype Boat { owner: seat = a  hull: int 0..9 = 3  moved: bool }\ndata { boats: list of Boat = [Boat(), Boat(), Boat(owner: b), Boat(owner: b)]  onTurn: seat = a }\nfunction afloat(s: seat): bool = any(x in boats: x.owner == s and x.hull > 0)\nfunction mine(i: int, s: seat): bool = boats[i].owner == s and boats[i].hull > 0\nstart Turn\nstate Turn {\n  turn of onTurn\n  action ram(i: int in filter(x in boats.indices where mine(x, me)), j: int in filter(x in boats.indices where mine(x, next(me)))) {\n    boats[j].hull -= 1\n  } -> Next\n  action rest { onTurn = next(me) } -> Next\n  action spend(i: int in filter(x in boats.indices where mine(x, me) and not boats[x].moved)) { boats[i].moved = true  boats[i].hull += 1 } -> Next\n}\nstate Next { enter -> choose { when not afloat(next(onTurn)) -> Won(onTurn)  else -> Turn } }\nending Won(who: seat) { wins who loses others }\n",

      // Once it is done, it only leads to an ending.
      one(
        'action light needs not lit else "it burns" { lit = true  oil -= 1 } -> again Turn\n  action on1 { place += 1 } -> again Turn\n  action take1 needs lit and place == 3 else "it is dark" -> Home\n  enter { note "{oil}" }\n  when oil == 0 -> Home',
        "data { lit: bool  oil: int 0..9 = 4  place: int 0..9 }",
      ),
      // It only leads to an ending.
      "machine M\nseats a, b\ndata { last: bool  n: int 0..9  onTurn: seat = a }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action go { n += roll(0..2) } -> Next\n}\nstate Next {\n  enter { if n > 7 { last = true }  onTurn = next(onTurn) } -> choose {\n    when last and onTurn == a -> E\n    else -> Turn\n  }\n}\nending E { draws all }\n",
      // An ending tells it.
      'machine M\nseats a, b\ndata { brave per seat: bool  n: int 0..9  onTurn: seat = a }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action go { n += 1  onTurn = next(me) } -> choose { when n == 9 -> E else -> again Turn }\n  action dare needs not brave[me] else "you are" { brave[me] = true } -> again Turn\n}\nending E { wins filter(s in seats where brave[s]) loses others }\n',
      // While somebody has not had it, it goes on; when all had it, it ends.
      'machine M\nseats a, b, c\ndata { onTurn: seat = a  had per seat: bool = [a: true] }\nstart S\nstate S {\n  turn of onTurn\n  action hand(to: seat in seats where not had[to] else "had it") { had[to] = true  onTurn = to } -> Look\n}\nstate Look {\n  enter -> choose {\n    when any(s in seats: not had[s]) -> S\n    else -> E\n  }\n}\nending E { draws all }\n',
      two(
        'enter { note "on" }\naction a1(s: seat in seats) { braced[s] = true } -> stay\naction a3 { braced[ben] = false } -> again Turn\naction a2(s: seat in others) { if not braced[s] { lift[s] -= 1 } } -> again Turn\nwhen lift[ben] == 0 -> Home',
        "data { braced per seat: bool = false  lift per seat: int 0..9 = 9 }",
      ),
      journey(
        "data { sealBeaten: bool = false }",
        'action sail needs not sealBeaten else "the sea is quiet" -> Bout',
        "turn of ann\n  action ram { sealBeaten = true } -> AtSea\n  action flee -> AtSea",
      ),
    ],
  },
  "outlives-state": {
    triggers: [
      // Who has won a round has won the next as well.
      scored("points[a] >= 5", "rounds[by] += 1"),
      scored("points[a] == 5", "rounds[by] += 1"),
      // Whoever passed for one lot has passed for all.
      "machine M\nseats a, b, c\ndata { price: int 0..50  passed per seat: bool  lot: int 0..4 }\nfunction bidding(): list of seat = filter(s in inPlay where not passed[s])\nstart Lot\nstate Lot { enter { price = 0 } -> Bidding }\nstate Bidding {\n  turn of bidding()\n  action raise1(to: int in price + 1..price + 5) { price = to } -> stay\n  action pass { passed[me] = true } -> stay\n  when bidding().empty -> Sold\n}\nstate Sold { enter { lot += 1 } -> choose { when lot == 4 -> E else -> Lot } }\non Left(s) { passed[s] = true }\nending E { draws all }\n",
      // Whoever comes next has no moves.
      "machine M\nseats a, b\ndata { moves: int 0..2 = 2  laid: int 0..9  onTurn: seat = a }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action lay { moves -= 1  laid += 1 } -> Next\n  action rest { moves = 0 } -> Next\n}\nstate Next {\n  enter -> choose {\n    when laid == 9 -> E\n    when moves == 0 { onTurn = next(onTurn) } -> Turn\n    else -> Turn\n  }\n}\nending E { draws all }\n",
      // In the second race all have arrived before it begins.
      "machine M\nseats a, b\nevent Crossed(who: seat)\ndata { place per seat: int 0..2  arrived: int 0..2  races: int 0..3 }\nstart Lobby\nstate Lobby { turn of a  action go { arrived = 0 } -> Race }\nstate Race {\n  on Crossed(who) when place[who] == 0 { arrived += 1  place[who] = arrived } -> stay\n  when all(s in inPlay: place[s] > 0) { races += 1 } -> Told\n}\nstate Told { enter -> choose { when races == 3 -> E else -> Lobby } }\nending E { scores s in seats: place[s]  draws all }\n",
      // The crabs of the second race begin where those of the first came in.
      "machine M\nseats a, b\ntype Crab { pace: int 1..4 = 2  at: int 0..20 }\nconst line: int = 20\ndata { crabs: list of Crab = [Crab(), Crab(pace: 3)]  races: int 0..5  stake: int 0..9 }\nstart Bets\nstate Bets { turn of a  action bet(n: int 1..9) { stake = n } -> Run }\nstate Run {\n  after each 2s { for i in crabs.indices { crabs[i].at += roll(1..crabs[i].pace) } }\n  when any(c in crabs: c.at >= line) { races += 1 } -> Pay\n}\nstate Pay { enter -> choose { when races == 5 -> E else -> Bets } }\nending E { scores s in seats: stake  draws all }\n",
      // Rounds are counted on in the next bout.
      journey(
        "data { rounds: int 0..99 = 0 }",
        "action sail -> Bout",
        "enter { rounds += 1 }\n  start Ours\n  state Ours {\n    turn of ann\n    action ram -> Judge\n  }\n  state Judge { enter -> choose { when rounds == 3 -> AtSea else -> again Bout } }",
      ),
      // What is banked goes on lying there: an unlucky throw alone takes it away.
      "machine M\nseats a, b\ndata { pot: int 0..60  banked per seat: int 0..60  onTurn: seat = a }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action throw {\n    let face = roll(1..6)\n    pot += face\n    if face == 1 { pot = 0 }\n  } -> choose { when face == 1 -> Change else -> stay }\n  action bank { banked[me] += pot } -> Change\n}\nstate Change {\n  enter { onTurn = next(onTurn) } -> choose { when banked[a] == 60 or banked[b] == 60 -> E else -> Turn }\n}\nending E { draws all }\n",
      // After the first day nobody has to be through any more.
      "machine M\nseats a, b\ndata { through: int 0..2  day: int 1..6 = 1  onTurn: seat = a }\nstart Day\nstate Day { enter { day += 1 } -> choose { when day == 6 -> E else -> Trade } }\nstate Trade {\n  turn of onTurn\n  action done { through += 1  onTurn = next(me) } -> choose { when through < 2 -> stay else -> Day }\n}\nending E { draws all }\n",
      // What lies in the pot is given again in every round.
      "machine M\nseats a, b\ndata { pot: int 0..99 = 0  coins per seat: int 0..40 = 20  onTurn: seat = a }\nstart Round\nstate Round {\n  start Bet\n  state Bet {\n    turn of onTurn\n    action bet { coins[me] -= 2  pot += 2  onTurn = next(me) } -> stay\n    action show -> Settle\n  }\n  state Settle {\n    enter { coins[pick(seats)] += pot } -> choose {\n      when coins[a] == 40 -> E\n      else -> again Round\n    }\n  }\n}\nending E { draws all }\n",
      journey(
        "data { shots: int 0..3 = 3 }",
        "action sail -> Bout",
        'start Ours\n  state Ours {\n    turn of ann\n    action fire needs shots > 0 else "no shots" { shots -= 1 } -> Ours2\n    action flee -> AtSea\n  }\n  state Ours2 { after 1s -> Ours }',
      ),
      journey("", "action sail -> Bout", "")
        .replace(
          "state Bout {\n  \n}",
          "overlay Bout {\n  turn of ann\n  action ram { hull -= roll(1..6) } -> stay\n  when hull == 0 -> return\n}",
        )
        .replace("start AtSea", "data { hull: int 0..9 = 9 }\nstart AtSea")
        .replace("\n\n", "\n"),
    ],
    spares: [
      scored("points[a] >= 5", "rounds[by] += 1  points = [else: 0]"),
      // Whoever comes next has as many moves.
      "machine M\nseats a, b\ndata { moves: int 0..2 = 2  laid: int 0..9  onTurn: seat = a }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action lay { moves -= 1  laid += 1 } -> Next\n}\nstate Next {\n  enter -> choose {\n    when laid == 9 -> E\n    when moves == 0 { onTurn = next(onTurn)  moves = 2 } -> Turn\n    else -> Turn\n  }\n}\nending E { draws all }\n",
      // Once the alarm was given everybody does one thing only.
      "machine M\nseats a, b\ndata { alarm: bool  laid: int 0..9  onTurn: seat = a }\nstart Turn\nstate Turn {\n  turn of onTurn\n  action lay { laid += 1 } -> Next\n  action ring { alarm = true } -> Next\n  action pass { onTurn = next(me) } -> Next\n}\nstate Next {\n  enter -> choose {\n    when laid == 9 -> E\n    when alarm { onTurn = next(onTurn) } -> Turn\n    else -> Turn\n  }\n}\nending E { draws all }\n",
      // All have arrived for good, but the gate is shut again.
      "machine M\nseats a, b\nevent Crossed(who: seat)\nevent Gate(open1: bool)\ndata { place per seat: int 0..2  arrived: int 0..2  isOpen: bool  races: int 0..3 }\nstart Lobby\nstate Lobby { turn of a  action go { isOpen = false } -> Race }\nstate Race {\n  on Crossed(who) when place[who] == 0 { arrived += 1  place[who] = arrived } -> stay\n  on Gate(open1) { isOpen = open1 } -> stay\n  after 5m -> Told\n  when all(s in inPlay: place[s] > 0) and isOpen { races += 1 } -> Told\n}\nstate Told { enter -> choose { when races == 3 -> E else -> Lobby } }\nending E { scores s in seats: place[s]  draws all }\n",
      // A cave that was cleared is not entered again.
      'machine M\nseats a\ndata { foes: int 0..3 = 3  gold: int 0..9 }\nstart Town\nstate Town {\n  turn of a\n  action enterCave needs foes > 0 else "nobody is left in there" -> Cave\n  action rest { gold += 1 } -> choose { when gold == 9 -> E else -> stay }\n}\nstate Cave {\n  turn of a\n  action fight { foes -= 1  gold += 1 } -> stay\n  when foes == 0 -> Town\n  after 9s -> Town\n}\nending E { draws all }\n',
      // Whoever has nothing left to place goes on, and whoever has may go on before.
      "machine M\nseats a, b\ndata { kept: int 0..5 = 5  laid: int 0..9  round: int 0..9 }\nstart Place\nstate Place {\n  turn of a\n  action lay { kept -= 1  laid += 1 } -> stay\n  action done -> Strike\n  when kept == 0 -> Strike\n}\nstate Strike { turn of b  action strike { laid -= 1  round += 1 } -> choose { when round == 9 or laid == 0 -> E else -> Place } }\nending E { draws all }\n",
      // Rounds of the one race there is are counted.
      "machine M\nseats a, b\ndata { leg: int 0..3  miles per seat: int 0..9 }\nstart Draft\nstate Draft { turn of a  action choose1 { miles[a] += 1 } -> Race }\nstate Race {\n  enter { leg += 1 }\n  start Row\n  state Row { turn of each seats  action row { miles[me] += 1 } -> ready  when all ready -> Turned }\n  state Turned { enter -> choose { when leg == 3 -> E else -> again Race } }\n}\non Left(s) -> E\nending E { scores s in seats: miles[s]  draws all }\n",
      // It is never begun again, only gone on with.
      journey(
        "data { shots: int 0..3 = 3 }",
        "action sail -> history Bout",
        'start Ours\n  state Ours {\n    turn of ann\n    action fire needs shots > 0 else "no shots" { shots -= 1 } -> Ours2\n    action rest -> AtSea\n  }\n  state Ours2 { after 1s -> Ours }',
      ),
      journey(
        "data { gold: int 0..99 = 0 }",
        'action sail -> Bout\n  action pay { note "{gold}" } -> stay',
        "start Ours\n  state Ours {\n    turn of ann\n    action ram { gold += 1 } -> Judge\n  }\n  state Judge { enter -> AtSea }",
      ),
      journey(
        "data { hull: int 0..9 = 9 }",
        "action sail -> Bout",
        "enter { hull = 9 }\n  start Ours\n  state Ours {\n    turn of ann\n    action ram { hull -= roll(1..6) } -> Judge\n  }\n  state Judge { enter -> choose { when hull == 0 -> AtSea else -> Ours } }",
      ),
    ],
  },
  "queue-never-emptied": {
    triggers: [
      // Only who leaves puts away what it had.
      `machine M\nseats a, b\ndata { hand per seat: list of int  n: int 0..9 }\non Left(s) { hand[s].clear() } -> E\nstart S\nstate S {\n  turn of a\n  enter { hand[a] = [1, 2, 3] }\n  action play(i: int in hand[me].indices) { n += hand[me][i] } -> stay\n  when hand[a].empty or n == 9 -> E\n}\nending E { draws all }\n`,
      ring("action a1 { waves.push(3) } -> stay\naction a2 { if waves.empty { bells = 0 } } -> stay").replace(
        "bells: int 0..9 = 0",
        "bells: int 0..9 = 0  waves: list of int",
      ),
      one(
        "action a1 { queue = [3, 1, 2] } -> Two",
        "data { queue: list of int }",
        'state Two {\n  turn of ann\n  when queue.empty -> Home\n  action next1 { note "{queue.first}" } -> Turn\n}',
      ),
      // Needed to be filled, it is waited for nothing to be in it.
      one(
        "action a1 { line.push(3) } -> stay\naction serve needs waits() { bells += line.first } -> stay\nwhen bells == 9 and not waits() -> Home",
        "data { line: list of int  bells: int 0..9 }\nfunction waits(): bool = not line.empty",
      ),
      // It is emptied only where it is empty.
      roundOf("acting = order.first"),
      roundOf("acting = order.first").replace("when order.empty", "when order.size == 0"),
    ],
    spares: [
      // Nobody has chosen as long as it is empty.
      two(
        "action hide(a: int 0..3, b: int 0..3) { spots = [a, b] } -> stay\naction seek -> choose { when spots.empty -> Home  else { rung += spots.size } -> stay }\nwhen rung == 9 -> Home",
        "data { spots: list of int  rung: int 0..9 }",
      ),
      roundOf("acting = order.take()"),
      // Asked so that one of it may be looked at, in an action or behind an if.
      one(
        'action hear(n: int 1..3) { heard.push(n) } -> stay\naction repeat needs heard.size > 0 else "nothing yet" { bells += heard.last } -> stay\naction echo { if not heard.empty { bells += heard.first } } -> stay\nwhen bells == 9 -> Home',
        "data { heard: list of int  bells: int 0..9 }",
      ),
      // Only the first time: no queue.
      one(
        'action bid { if bids.empty { bids = [3] } else { bids.push(1) } } -> stay\naction raise1 needs bids.empty else "somebody has bid" { bids.push(2) } -> stay\nwhen bids.size > 3 -> Home',
        "data { bids: list of int }",
      ),
      one(
        'action lay(n: int 1..9 where fits(n) else "too low") needs free else "not yours" {\n  if laid.empty and n > 3 { low = n }\n  laid.push(n)\n  free = n < 9\n} -> stay\naction wait1 { free = true } -> stay\nwhen laid.size == 5 -> Home',
        "data { laid: list of int  low: int 0..9 = 0  free: bool = true }\nfunction fits(n: int): bool = laid.empty or n > low",
      ),
      // Asked so that the last may be looked at: no queue.
      one(
        'action add(n: int 1..9 where rows.empty or n > rows.last else "must rise") { rows.push(n) } -> stay\nwhen rows.size == 5 -> Home',
        "data { rows: list of int }",
      ),
      one(
        "action a1 { queue = [3, 1, 2] } -> Two",
        "data { queue: list of int }",
        'state Two {\n  turn of ann\n  when queue.empty -> Home\n  action next1 { note "{queue.size}"  queue.take() } -> stay\n}',
      ),
      ring(
        "action a1 { waves.push(3) } -> stay\naction a2 { if waves.empty { bells = 0 } else { waves = waves.rest } } -> stay",
      ).replace("bells: int 0..9 = 0", "bells: int 0..9 = 0  waves: list of int"),
    ],
  },
  "queue-made-anew": {
    triggers: [
      turnQueue(
        "",
        "enter { line = sortDown(s in seats: bells ties byLot) }",
        "enter { line.take() } -> choose { when line.empty -> again Round  else -> Turn }",
      ),
      turnQueue("", "enter { line = seats }", "enter { bells += 0 } -> Turn").replace(
        "ring { bells += 1 } -> Next",
        "ring { bells += 1  line.take() } -> again Turn",
      ),
    ],
    spares: [
      turnQueue(
        "enter { line = seats }",
        "",
        "enter { line.take() } -> choose { when line.empty -> again Round  else -> Turn }",
      ),
      // What is left stays; new ones come behind.
      turnQueue(
        "enter { line = seats }",
        "enter { line = filter(s in line where s in inPlay) }",
        "enter { line.take() } -> choose { when line.empty -> again Round  else -> Turn }",
      ),
    ],
  },
  "roll-again-for-nothing": {
    triggers: [
      one(
        'enter { n = roll(1..6) }\naction again1 -> again Turn\naction take needs n == 6 else "not yet" -> Home',
        "data { n: int 0..6 = 0 }",
      ),
      one(
        "action a1 { bells += 1 } -> Two\nwhen bells == 9 -> Home",
        BELLS,
        "state Two {\n  enter { draw() }\n  turn of ann\n  action look -> Three\n  action done -> Turn\n}\nstate Three {\n  turn of ann\n  action back -> Two\n}",
      ).replace("start Turn", "effect draw() { bells = roll(0..8) }\n\nstart Turn"),
    ],
    spares: [
      // A pile is shuffled when its last card was taken.
      one(
        "action deal -> Deal\nwhen bells == 9 -> Home",
        "data { hidden pile: list of int = [1, 2, 3]  heap: list of int  bells: int 0..9 = 0 }\nhidden dice box",
        "state Deal {\n  turn of ann\n  enter {\n    if pile.empty {\n      pile = box.shuffle(heap)\n      heap.clear()\n    }\n    if not pile.empty { heap.push(pile.take()) }\n    if heap.size == 3 { bells += 1 }\n  }\n  action on1 -> Turn\n}",
      ),
      one(
        'enter { n = roll(1..6) }\naction again1 { gold -= 1 } -> again Turn\naction take needs n == 6 else "not yet" -> Home\nwhen gold == 0 -> Home',
        "data { n: int 0..6 = 0  gold: int 0..9 = 9 }",
      ),
      one(
        "action a1 { bells = roll(0..8) } -> Two\nwhen bells == 8 -> Home",
        BELLS,
        "state Two {\n  turn of ann\n  action look -> Three\n  action done -> Turn\n}\nstate Three {\n  turn of ann\n  action back -> Two\n}",
      ),
    ],
  },
  "step-at-fault": {
    triggers: [
      one(
        'action say { word = "{word}{word}" } -> stay\nwhen word == "b" -> Home',
        'data { word: text max 20 = "ab" }',
      ),
      one(
        'action look { if Two.bells > 0 { note "a bell" } } -> Two',
        undefined,
        "state Two {\n  data { bells: int 0..9 = 1 }\n  turn of ann\n  action back -> Turn\n}",
      ),
    ],
    spares: [
      one('action say { word = "{word}{word}" } -> Home\nexit { note "{word}" }', 'data { word: text max 20 = "ab" }'),
      one(
        "action look -> Two",
        undefined,
        'state Two {\n  data { bells: int 0..9 = 1 }\n  turn of ann\n  action ring { bells += 1  note "{Two.bells}" } -> stay\n  action back -> Turn\n}',
      ),
    ],
  },
  "list-may-be-full": {
    triggers: [
      one(
        "action join { line.push(me) line.push(me) } -> stay\nwhen line.size == 3 -> Home",
        "data { line: list max 3 of seat }",
      ),
      // That somebody looks through it does not ask how long it is.
      one(
        'action join { line.push(me) } -> stay\naction drop(i: int in line.indices) { line.remove(i) } -> stay\naction look { for s in line { note "{s}" } } -> stay',
        "data { line: list max 2 of seat }",
      ),
    ],
    spares: [
      one(
        'action join needs line.size < 3 else "it is full" { line.push(me) } -> stay',
        "data { line: list max 3 of seat }",
      ),
      one(
        "action join { line.push(me) } -> choose { when line.size == 2 -> Home  else -> stay }",
        "data { line: list max 2 of seat }",
      ),
      // Each tosses one card, and it is cleared before anybody tosses again.
      two(
        "action begin -> Toss",
        "data { tossed: list max 2 of int }",
        'state Toss {\n  turn of each seats\n  action toss(card: int 1..3) { tossed.push(card) } -> ready\n  when all ready -> Look\n}\nstate Look {\n  enter {\n    note "{tossed}"\n    tossed.clear()\n  } -> Turn\n}',
      ),
    ],
  },
  "shown-roll": {
    triggers: [
      two(
        'enter { for s in seats { cups[s].push(cup.roll(1..6) for s) } }\naction look { note "{cups[me]}" } -> stay',
        "data { cups per seat: list of int }\nprivate dice cup",
      ),
      two(
        'enter { deck = deal.shuffle([1, 2, 3]) }\naction look { note "{deck.size}" } -> stay',
        "data { deck: list of int }\nhidden dice deal",
      ),
    ],
    spares: [
      two(
        'enter { for s in seats { cups[s].push(cup.roll(1..6) for s) } }\naction look { note "{cups[me]}" } -> stay',
        "data { private cups per seat: list of int }\nprivate dice cup",
      ),
      // What is taken from the secret deck is laid open on purpose.
      two(
        'enter { deck = deal.shuffle([1, 2, 3])  open1 = deck.take() }\naction look { note "{open1} of {deck.size}" } -> stay',
        "data { hidden deck: list of int  open1: int 0..9 = 0 }\nhidden dice deal",
      ),
    ],
  },
  "same-either-way": {
    triggers: [
      ring("action a1 -> choose {\n  when bells == 3 { bells = 0 } -> Home\n  else { bells = 0 } -> Home\n}"),
      ring("action a1 -> choose {\n  when bells == 3 -> Home\n  when bells == 5 -> stay\n  else -> stay\n}"),
    ],
    spares: [
      ring("action a1 -> choose {\n  when bells == 3 { bells = 0 } -> Home\n  else -> Home\n}"),
      ring("action a1 -> choose {\n  when bells == 3 -> stay\n  when bells == 5 -> Home\n  else -> stay\n}"),
    ],
  },
  "same-for-all": {
    triggers: [
      // Which is struck, by the place of who strikes.
      one(
        'action strike(by: int 0..1, target: int 0..1 where crew[by] > 0 else "down") { crew[target] -= 1 } -> stay\nwhen crew[0] == 0 -> Home',
        "data { crew: list of int 0..3 = [2, 2] }",
      ),
      two(
        "action swoop { lift[me] -= 1 } -> choose {\n  when any(s in seats: lift[me] > 0) -> stay\n  else -> Home\n}",
        "data { lift per seat: int 0..9 = 3 }",
      ),
    ],
    spares: [
      // Of who acts, which may be meant; of one and another.
      two(
        'action lend(to: seat in others where lift[me] > 0 else "none left") { lift[me] -= 1  lift[to] += 1 } -> stay\nwhen lift[ben] == 9 -> Home',
        "data { lift per seat: int 0..9 = 3 }",
      ),
      two(
        "action swoop(on1: seat in seats) { lift[on1] -= 1 } -> choose {\n  when any(s in seats where lift[s] > lift[me]: true) -> stay\n  else -> Home\n}",
        "data { lift per seat: int 0..9 = 3 }",
      ),
      // Something else is asked of the other than what is done to the one.
      one(
        'action pour(from: int 0..1, to: int 0..1 where taps[from] else "shut") { jars[to] += 1 } -> stay\naction turn1(tap: int 0..1) { taps[tap] = not taps[tap] } -> stay\nwhen jars[0] == 3 -> Home',
        "data { jars: list of int 0..3 = [0, 0]  taps: list of bool = [false, false] }",
      ),
    ],
  },
  "timer-never-runs": {
    triggers: [
      ring("after 1m -> Home\nafter 1m { bells = 0 } -> Home"),
      ring("after each 2m { bells = 0 }\nafter 90s -> odds { 1 -> Home 2 -> Turn2 }").replace(
        "ending Home",
        "state Turn2 { after 1s -> Turn }\nending Home",
      ),
    ],
    spares: [
      // It leaves only sometimes, or comes back to where it is.
      ring("after 1m when bells > 3 -> Home\nafter 2m { bells = 0 }"),
      ring("after 1m { bells = 0 } -> stay\nafter 2m -> Home"),
      // What lies over the state does not leave it, nor does what leads inside.
      ring("after 1m -> Break\nafter 2m -> Home").replace(
        "ending Home",
        "overlay Break { after 1s -> return }\nending Home",
      ),
      one(
        "action a1 -> Day",
        undefined,
        "state Day {\n  start Calm\n  after 1m -> Gusts\n  after 2m -> Home\n  state Calm { turn of ann  action doze -> stay }\n  state Gusts { turn of ann  action hold -> stay }\n}",
      ),
    ],
  },
  "open-choice": {
    triggers: [
      // Put among what one keeps hidden, where everybody sees it come.
      two(
        "action hide(c: cell in land.cells where not hidden1[me].has(c)) { hidden1[me].push(c) } -> stay\naction search(c: cell in land.cells) { bells += if hidden1[next(me)].has(c) then 1 else 0 } -> stay\nwhen bells == 9 -> Home",
        "data { land: grid 3 by 3 of bool  private hidden1 per seat: list of cell  bells: int 0..9 }",
      ),

      two(
        'action lay(card: int 1..3) { laid[me] = card } -> stay\naction show { note "{laid[me]}" } -> stay',
        "data { private laid per seat: int 0..3 = 0 }",
      ),
      two(
        'action lay(card: int 1..3) { if card > 1 { secret = card } } -> stay\naction show { note "{secret}" } -> stay',
        "data { hidden secret: int 0..3 = 0 }",
      ),
      // Where it is put is what was chosen.
      two(
        'action lay(c: cell in fog[me].cells) { fog[me][c] = true } -> stay\naction show { note "{fog[me][cell(0, 0)]}" } -> stay',
        "data { private fog per seat: grid 2 by 2 of bool }",
      ),
      // What is kept is made of it.
      two(
        'action lay(card: int 1..3, twice: bool) { laid[me] = Card(rank: card, twice: twice) } -> stay\naction show { note "{laid[me].rank} {laid[me].twice}" } -> stay',
        "type Card { rank: int 0..3  twice: bool }\ndata { private laid per seat: Card }",
      ),
      two(
        'action order(from: int 0..3, to: int 0..3) { plan[me].push(Move(from: from, to: to)) } -> stay\naction show { note "{map(m in plan[me]: m.from + m.to)}" } -> stay',
        "type Move { from: int 0..3  to: int 0..3 }\ndata { private plan per seat: list of Move }",
      ),
      two(
        'action set(a: Peg in pegs, b: Peg in pegs) { code = [a, b] } -> stay\naction show { note "{code.first}" } -> stay',
        "type Peg is red, blue\nconst pegs: list of Peg = [red, blue]\ndata { hidden code: list of Peg }",
      ),
      // Who is not seen to help has hindered.
      voyage("action help -> ready"),
      // What it is shows by what was done.
      two(
        "action a1 -> Choose",
        "data { private aim per seat: int?  high: int 0..9 }",
        `state Choose {
  turn of each seats
  enter { for s in seats { aim[s] = none } }
  sealed action low -> ready
  action high1 { aim[me] = 9 } -> ready
  when all ready -> Judge
}
state Judge { enter { high += count(s in seats where aim[s] == 9) } -> choose { when high > 5 -> Home else -> Choose } }`,
      ),
      // Nor is it hidden by sealing the other way to choose, or the way alone and not what is left behind.
      two(
        "action a1 -> Choose",
        "data { private stays per seat: bool  runs: int 0..9 }",
        `state Choose {
  turn of each seats
  enter { for s in seats { stays[s] = false } }
  sealed action stay1 { stays[me] = true } -> ready
  action go { stays[me] = false } -> ready
  when all ready -> Judge
}
state Judge { enter { if any(s in seats: stays[s]) { runs += 1 } } -> choose { when runs > 5 -> Home else -> Choose } }`,
      ),
      two(
        "action a1 -> Choose",
        "data { bad per seat: bool  runs: int 0..9 }",
        `state Choose {
  turn of each seats
  enter { for s in seats { bad[s] = false } }
  sealed action help -> ready
  sealed action hinder { bad[me] = true } -> ready
  when all ready -> Judge
}
state Judge { enter { if any(s in seats: bad[s]) { runs += 1 } } -> choose { when runs > 5 -> Home else -> Choose } }`,
      ),
    ],
    spares: [
      // What was asked of another openly is known to come.
      two(
        'action ask(k: Kind in kinds) { hand[me].push(k) } -> stay\naction show needs not hand[me].empty else "empty" { note "{hand[me].first}" } -> stay',
        "type Kind is cod, eel\nconst kinds: list of Kind = [cod, eel]\ndata { private hand per seat: list of Kind }",
      ),
      voyage("sealed action help -> ready"),
      voyage("action help -> ready\n  sealed action doze -> ready"),
      // What lies there is seen to be taken.
      two(
        "action buy(c: int in row) { hand[me].push(c)  row.remove(0) } -> stay\nwhen row.empty or hand[ann].size == 3 -> Home",
        "data { row: list of int = [3, 1, 2]  private hand per seat: list of int }",
      ),

      // That somebody has chosen may be seen.
      two(
        "action a1 -> Choose",
        "data { private bad per seat: bool  done per seat: bool  runs: int 0..9 }",
        `state Choose {
  turn of each seats
  enter { for s in seats { bad[s] = false  done[s] = false } }
  sealed action help { done[me] = true } -> ready
  sealed action hinder { bad[me] = true  done[me] = true } -> ready
  when all ready -> Judge
}
state Judge { enter { if any(s in seats: bad[s] and done[s]) { runs += 1 } } -> choose { when runs > 5 -> Home else -> Choose } }`,
      ),
      // How far somebody has come with what they hide may be seen.
      two(
        "action a1 -> Choose",
        "data { private buoys per seat: grid 2 by 2 of bool  laid per seat: int 0..2  runs: int 0..9 }",
        `state Choose {
  turn of each seats
  enter { for s in seats { laid[s] = 0  buoys[s].fill(false) } }
  sealed action lay(c: cell in buoys[me].cells where not buoys[me][c] else "one lies there") needs laid[me] < 2 else "both lie" { buoys[me][c] = true  laid[me] += 1 } -> stay
  sealed action done1 -> ready
  when all ready -> Judge
}
state Judge { enter { if buoys[ann][cell(0, 0)] { runs += 1 } } -> choose { when runs > 5 -> Home else -> Choose } }`,
      ),
      // What another holds is not chosen by oneself.
      two(
        'action rob(who: seat in others) { coins[who] = 0 } -> stay\naction show { note "{coins[me]}" } -> stay',
        "data { private coins per seat: int 0..9 = 4 }",
      ),
      // That nothing is chosen may be told.
      choosing(
        "action pass1 { aim[me] = none } -> ready\n  when all ready { total += count(s in seats where aim[s] != none) } -> Judge",
      ),
      two(
        'sealed action lay(card: int 1..3) { laid[me] = card } -> stay\naction show { note "{laid[me]}" } -> stay',
        "data { private laid per seat: int 0..3 = 0 }",
      ),
      // Which place it has in a hand that nobody sees tells nothing.
      two(
        'action lay(i: int in hand[me].indices) { laid[me] = hand[me][i] } -> stay\naction show { note "{laid[me]}" } -> stay',
        "data { private hand per seat: list of int = [3, 5]  private laid per seat: int 0..9 = 0 }",
      ),
    ],
  },
  "stale-choice": {
    triggers: [
      // What is chosen for who has not chosen takes nothing back.
      `machine M\nseats a, b\ntype Way is up, down\ndata { private way per seat: Way? = none  n: int 0..9 }\non Left(s) -> E\nstart S\nstate S {\n  turn of each seats\n  sealed action take(x: Way) { way[me] = x } -> ready\n  when all ready -> Count\n  after 10s -> Late\n}\nstate Late { enter { for s in seats { if way[s] == none { way[s] = down } } } -> Count }\nstate Count { enter { if way[a] == way[b] { n += 1 } } -> choose { when n == 9 -> E  else -> S } }\nending E { draws all }\n`,
      // What is chosen is paid for where it is counted.
      `machine M\nseats a, b\ndata { breath per seat: int 0..9 = 9  pull per seat: int 0..4 = 0  rope: int 0..9 = 5 }\non Left(s) -> E\nstart S\nstate S {\n  turn of each seats\n  action heave(n: int 0..4 where n <= breath[me] else "no breath") { pull[me] = n } -> ready\n  action rest { breath[me] += 1 } -> ready\n  when all ready -> Count\n}\nstate Count {\n  enter {\n    rope += pull[a]\n    for s in seats { breath[s] -= pull[s] }\n  } -> choose { when rope == 9 or pull[b] == 4 -> E  else -> S }\n}\nending E { draws all }\n`,
      // What is staked is paid as it is chosen, and taken back of those alone who leave.
      stakes(""),
      votes("sealed action name1(who: seat in others) { vote[me] = who } -> ready\n  sealed action abstain -> ready"),
      votes("action name1(who: seat in others) { vote[me] = who } -> ready\n  after 1m -> Count"),
    ],
    spares: [
      `machine M\nseats a, b\ntype Way is up, down\ndata { private way per seat: Way? = none  n: int 0..9 }\non Left(s) -> E\nstart S\nstate S {\n  enter { for s in seats { way[s] = none } }\n  turn of each seats\n  sealed action take(x: Way) { way[me] = x } -> ready\n  when all ready -> Count\n  after 10s -> Late\n}\nstate Late { enter { for s in seats { if way[s] == none { way[s] = down } } } -> Count }\nstate Count { enter { if way[a] == way[b] { n += 1 } } -> choose { when n == 9 -> E  else -> S } }\nending E { draws all }\n`,
      `machine M\nseats a, b\ndata { breath per seat: int 0..9 = 9  pull per seat: int 0..4 = 0  rope: int 0..9 = 5 }\non Left(s) -> E\nstart S\nstate S {\n  enter { for s in seats { pull[s] = 0 } }\n  turn of each seats\n  action heave(n: int 0..4 where n <= breath[me] else "no breath") { pull[me] = n } -> ready\n  action rest { breath[me] += 1 } -> ready\n  when all ready -> Count\n}\nstate Count {\n  enter {\n    rope += pull[a]\n    for s in seats { breath[s] -= pull[s] }\n  } -> choose { when rope == 9 or pull[b] == 4 -> E  else -> S }\n}\nending E { draws all }\n`,
      stakes("enter { for s in seats { stake[s] = 0 } }"),
      // Nobody goes on without a choice.
      votes("sealed action name1(who: seat in others) { vote[me] = who } -> ready"),
      // Whoever gives it up has said so, and that is taken back.
      votes(
        "sealed action name1(who: seat in others) { vote[me] = who  votes[me] = true } -> ready\n  sealed action abstain -> ready",
        "private votes per seat: bool",
      )
        .replace("vote[s] == ann", "votes[s] and vote[s] == ann")
        .replace("enter { rounds += 1 }", "enter {\n    rounds += 1\n    for s in seats { votes[s] = false }\n  }"),
      // The choices are data of the round, which are made anew with it.
      votes("sealed action name1(who: seat in others) { vote[me] = who } -> ready\n  after 1m -> Count")
        .replace("private vote per seat: seat?  ", "private counted per seat: seat?  ")
        .replace(
          "turn of each inPlay",
          "data { private vote per seat: seat? }\n  exit { for s in seats { counted[s] = vote[s] } }\n  turn of each inPlay",
        )
        .replace("vote[s] == ann", "counted[s] == ann"),
      // A stance that all can see lasts until another is taken.
      votes(
        "action name1(who: seat in others) { vote[me] = who } -> ready\n  action keep -> ready\n  after 1m -> Count",
      ).replace("private vote per seat: seat?", "vote per seat: seat = ann"),
    ],
  },
};
