/** One small machine a construct, each with its own tests in the language itself; both ways of running them. */

import { begin, compile, Runnable, renderMessage, runTests, type Situation, step } from "@zany/core";
import { describe, expect, test } from "vitest";

/** Everything after `machine M` and two seats. */
const MACHINES: Readonly<Record<string, string>> = {
  "effects that give a value, kept with let, set, or left alone": `
type Meal { bread: int 0..9 = 3  eaten: int 0..20 }
data { meals per seat: Meal  told: text  last: Meal }
effect eat(s: seat, much: int): int 0..5 {
  let most = min(much, meals[s].bread)
  meals[s].bread -= most
  meals[s].eaten += most
  return most + roll(0..9)
}
effect twice(s: seat): int {
  let first = eat(s, 1)
  let second = eat(s, 1)
  return first * 10 + second
}
effect serve(s: seat): Meal { meals[s].bread += 1 return meals[s] }
start S
state S {
  turn of a
  action bite { let n = eat(me, 2) told = "{n}" } -> stay
  action gulp { meals[b].eaten = twice(me) } -> stay
  action nibble { eat(b, 1) } -> stay
  action plate { last = serve(b) meals[b].bread = 0 } -> E
}
ending E { draws all }
test "the value is of its type, and what was given stays as it was" {
  a bite dice 4
  expect told == "5", meals[a].bread == 1
  a gulp dice 0, 3
  expect meals[b].eaten == 13, meals[a].eaten == 3
  a nibble dice 0
  expect meals[b].bread == 2
  a plate
  expect last.bread == 3, meals[b].bread == 0
}`,
  "a field of what may be none is set as one of what is there": `
type Piece { owner: seat = a  crowned: bool  grit: int 0..9 = 3  marks: list of int }
data { planks: grid 2 by 2 of Piece?  best: Piece?  crew per seat: list of Piece? = [else: [none]] }
start S
state S {
  enter { planks[cell(0, 1)] = Piece(owner: b)  crew[a] = [none, Piece()] }
  turn of a
  action crown(c: cell in planks.cells) {
    planks[c].crowned = true
    planks[c].grit -= 2
    planks[c].marks.push(c.y)
    best = planks[c]
  } -> stay
  action praise { best.grit += 5  crew[me][1].owner = b } -> stay
  action end -> E
}
ending E { draws all }
test "of its own, and of none at all" {
  given crew[b] = [Piece(grit: 4)], crew[b][0].grit = 5
  expect crew[b][0].grit == 5
  a crown(cell(0, 1))
  expect planks[cell(0, 1)] == Piece(owner: b, crowned: true, grit: 1, marks: [1])
  a praise
  expect best.grit == 6, planks[cell(0, 1)].grit == 1, crew[a][1].owner == b
}`,
  "whether a seat can act: what asks for it does not count, and nothing that is at hand is touched": `
data { worth per seat: int = [a: 1, else: 2]  told: int  kept: int  stones: int 0..3 = 1 }
function able(): int = sum(s in seats where canAct(s) and worth[s] > 0: worth[s])
start S
state S {
  turn of a
  action take(n: int 1..3 where n <= stones else "so many are not left") { stones -= n } -> stay
  action weigh(k: int 7..9) by inPlay needs stones > 0 else "nothing to weigh" { told = able()  kept = k } -> stay
  action pass needs not canAct(me) else "you still can" -> E
  action resign by filter(s in seats where canAct(s)) -> E
}
ending E { draws all }
test "with what was chosen as it was" {
  a weigh(8)
  expect told == 3, kept == 8, open b resign, closed a pass
  a take(1)
  expect closed a take(1), closed b weigh(7), closed b resign, open a pass
  a pass
  expect ending E
}`,
  "texts in the values of a text": `
data { prices: map of text to int = ["br}ead": 4, "b": 2]  told: text }
start S
state S {
  turn of a
  action go {
    told = "{prices["br}ead"]} and {{ {if prices["b"] > 1 then "{prices["b"]}" else "no"}"
  } -> E
}
ending E { draws all }
test "are texts" {
  a go
  expect told == "4 and {{ 2"
}`,
  "contents written out: rows of a grid, maps by key, data per seat by seat": `
type Plank is dry, wet
type Ship { planks: int 0..9 = 3  stock: map of text to int }
const one: int = 1
data {
  deck: grid 3 by 2 of Plank = [[wet, dry, dry], [dry, dry, wet]]
  prices: map of text to int 0..9 = ["bread": 4, "apple": 12, "{{x": one]
  ships per seat: Ship = [a: Ship(planks: 5, stock: ["rope": 2]), else: Ship()]
  luck per seat: int 0..5 = [b: 9]
  known per seat: map of seat to int = [else: [a: 3]]
  empty1: map of seat to int = []
  spot: grid 1 by 1 of int? = [[none]]
}
start S
state S {
  turn of a
  data { hand per seat: list of int = [a: [1, 2], else: []] }
  action set {
    deck = [[dry, dry, dry], [wet, wet, wet]]
    prices = ["egg": 1]
    ships[b] = Ship(stock: ["net": 7])
    let rates = ["day": 2, "week": 9]
    known[b] = [b: rates["week"]]
  } -> stay
  action stop -> E
}
ending E { draws all }
test "the contents are what stands there, within their bounds" {
  expect deck[cell(0, 0)] == wet, deck[cell(2, 1)] == wet, deck[cell(1, 1)] == dry
  expect prices["bread"] == 4, prices["apple"] == 9, prices.size == 3, prices["{{x"] == 1
  expect ships[a].planks == 5, ships[a].stock["rope"] == 2, ships[b].planks == 3, ships[b].stock.empty
  expect luck[b] == 5, luck[a] == 0, known[b][a] == 3, empty1.empty, S.hand[a] == [1, 2], S.hand[b].empty
  a set
  expect deck[cell(0, 0)] == dry, deck[cell(2, 1)] == wet, prices.keys == ["egg"], ships[b].stock["net"] == 7
  expect known[b].keys == [b], known[b][b] == 9, known[a][a] == 3
}`,
  "laws about numbers that fall or rise, compared after clamping": `
type Kite { lift: int 0..9 = 5  tape: num = 1 }
data { kites per seat: Kite  pot: int 0..9 = 3 }
law "lift falls in a gust": kites.lift falls only in Gust
law "tape is never added": kites.tape rises only in Shed
law "the pot grows at night": pot rises only in Shed
start Calm
state Calm {
  turn of a
  action mend { kites[me].lift += 3 } -> stay
  action drop { kites[b].lift -= 1 } -> stay
  action none1 { kites[b].lift -= 0 pot += 0 pot = 2 } -> stay
  action swap { kites[b] = Kite(lift: 7, tape: 1) } -> stay
  action lose { kites[b] = Kite(lift: 1) } -> stay
  action add { pot += 1 } -> stay
  action blow -> Gust
}
state Gust { turn of a action drop { kites[b].lift -= 9 } -> Calm  action tape { kites[b].tape += 0.5 } -> stay }
state Shed { turn of a action add { pot += 1 } -> E }
ending E { draws all }
test "what goes the other way, or nowhere, is free" {
  a mend
  a none1
  a swap
  a blow
  a drop
  expect kites[a].lift == 8, kites[b].lift == 0, pot == 2
}`,
  "lines of tests: seats, open ones, an overlay to begin in, an ending's arguments, dice one by one": `
data { n: int 0..99 = 0 }
on Left(s) { note "{s} leaves" } -> E(s, n)
on Joined(s) { note "{s} joins" }
start S
state S {
  turn of a
  action throw { n = roll(1..6) + roll(1..6) + roll(1..6) } -> stay
  action pause(why: text) -> Break(why)
  action move(x: int in [1, 2] where x != n) needs n < 9 else "too many" -> stay
  after 1s { n = roll(1..6) }
}
overlay Break(why: text) { turn of b action back -> return action stop -> E(b, 7) }
ending E(who: seat, why: int) { wins who loses others }
test "an overlay lies over the start" {
  at Break("tea")
  expect in Break, in S, Break.why == "tea"
  b back
  expect turn of a, not in Break
}
test "dice by hand, by chance, and all the rest" {
  a throw dice 2, any, 4
  expect n >= 7, n <= 12
  a throw dice 6, ...
  expect n >= 8
  a throw dice any, ...
  a throw dice ...
  wait 1s dice 5
  expect n == 5
}
test "an ending with its arguments" {
  at Break("x")
  b stop
  expect ending E(b, 7), ending E(why: 7, who: b), ending E
}
test "an open seat, and what is refused" {
  seats 2
  open b
  a joins refused seatTaken
  b leaves refused seatOut
  b joins
  expect note "b joins", closed a move(0), closed a move(3), open a move(1)
  b leaves
  expect ending E(b, 0)
}`,
  "a machine that hears nothing of it cannot be left": `
start S
state S { turn of a action stop -> E }
ending E { draws all }
test "leaving is refused" {
  a leaves refused cannotLeave
  a stop
  b leaves refused matchOver
}`,
  "a seat that is out is opened again for somebody else": `
data { hats per seat: int 0..9 = 1 }
on Left(s) { hats[s] = 5  reopen s }
on Joined(s) { hats[s] += 1 }
start S
state S {
  turn of filter(s in inPlay where s in seated)
  action wait1 -> stay
  action drop { eliminate b reopen b reopen a } -> stay
  action stop -> E
}
ending E { draws all }
test "what the seat had is still there" {
  b leaves
  expect not (b in seated), inPlay == [a, b], hats[b] == 5, turn of a
  b wait1 refused notSeated
  b joins
  expect b in seated, hats[b] == 6, turn of [a, b]
  a drop
  expect seated == [a], inPlay.size == 2
  b joins
  expect hats[b] == 7
}`,
  "rolls in the condition of an if, and none where it is not reached": `
data { n: int 0..99 = 0  deck: list of int = [4, 7] }
start S
state S {
  turn of a
  action go(x: int 0..9) {
    if x > 5 and chance(30%) { n += 1 }
    else if roll(1..6) == 6 or x == 0 { n += 10 }
    else { n += 20 }
    for s in seats { if s == a and chance(1 in 2) { n += 40 } }
  } -> stay
  action draw { if deck.take() == 4 { n = deck.size } } -> E
}
ending E { draws all }
test "asked once, in order, and only as far as it goes" {
  a go(7) dice true, false
  expect n == 1
  a go(7) dice false, 6, false
  expect n == 11
  a go(3) dice 2, true
  expect n == 71
  a draw
  expect n == 1, deck == [7]
}`,
  "nested states, history shallow and deep": `
start Out
state Out {
  turn of a
  action in1 -> In
  action backFlat -> history In
  action backDeep -> history deep In
}
state In {
  start One
  turn of a
  action leave -> Out
  action end -> E
  state One { action on1 -> Two }
  state Two {
    start Inner1
    state Inner1 { action deeper -> Inner2 }
    state Inner2 { action shallower -> Inner1 }
  }
}
ending E { draws all }
test "history goes back to where it was" {
  a in1
  expect in One
  a on1
  a deeper
  a leave
  a backFlat
  expect in Two, in Inner1, not in Inner2
  a deeper
  a leave
  a backDeep
  expect in Inner2
}`,
  "parallel states with turns of their own, final and done": `
data { bells: int 0..9 = 0 }
start Fair
parallel state Fair {
  when done Rung -> E
  state Left1 {
    start L1
    state L1 { turn of a action ring -> L2 }
    state L2 { turn of a action unring -> L1 }
  }
  state Right1 {
    start R1
    state R1 { turn of b action ring { bells += 1 } -> stay action finish -> Rung }
    final Rung
  }
}
ending E { draws all }
test "both are active, each with its own turn" {
  expect in L1, in R1, turn of [a, b]
  a ring
  expect in L2, in R1
  b ring
  expect bells == 1, closed a ring
  b finish
  expect ending E
}`,
  "an order of exits, enters and signals": `
data { log: list of int }
signal Beep(n: int)
start A1
state A1 {
  turn of a
  exit { log.push(2) raise Beep(8) }
  action go { log.push(1) raise Beep(7) } -> B2
}
state B1 {
  enter { log.push(3) }
  on Beep(n) when n == 8 { log.push(n * 10) }
  start B2
  state B2 {
    enter { log.push(4) raise Beep(9) }
    on Beep(n) { log.push(n) }
    on Beep(n) when n == 9 -> B3
  }
  state B3 { turn of a action end -> E }
}
ending E { draws all }
test "effects, exit, enter, then signals in the order raised; every listener hears, inner ones first" {
  a go
  expect log == [1, 2, 3, 4, 7, 8, 80, 9], in B3
}`,
  "turn of each, acted, all ready": `
data { private secret per seat: int 0..9  sum1: int 0..99 = 0 }
start Secret
state Secret {
  turn of each inPlay
  sealed action choose1(n: int 0..9) { secret[me] = n } -> ready
  sealed action look -> stay
  when all ready -> Open
}
state Open {
  enter { sum1 = sum(s in inPlay: secret[s]) }
  turn of a
  action end -> E
}
ending E { ranks sortDown(s in seats: secret[s]) }
test "everyone once, then on" {
  expect turn of [a, b]
  a look
  a choose1(4)
  expect turn of b, in Secret
  a choose1(4) refused alreadyReady
  b choose1(5)
  expect in Open, sum1 == 9
  a end
  expect a rank 2, b rank 1, b wins
}`,
  "of several listeners with arrows the first is taken, all are heard": `
data { heard: int 0..9 = 0 }
signal Ping
start Outer
state Outer {
  on Ping { heard += 1 } -> FromOuter
  start Inner
  state Inner {
    turn of a
    action go { raise Ping } -> stay
    on Ping { heard += 2 } -> FromInner
    on Ping { heard += 4 } -> FromSecond
  }
  state FromInner { turn of a action end -> E }
  state FromSecond { turn of a action end -> E }
}
state FromOuter { turn of a action end -> E }
ending E { draws all }
test "inner and first" {
  a go
  expect in FromInner, heard == 7
}`,
  "odds, choose with let, weights": `
data { seen: int 0..99 = 0 }
start Walk
state Walk {
  turn of a
  action step1 -> odds { 30 -> Met(2) 70 -> Walk2 }
  action rest { let d = roll(1..6) seen += d } -> choose {
    when d >= 5 { seen += 10 } -> Met(d)
    else -> stay
  }
}
state Walk2 { turn of a action back -> Walk }
state Met(foe: int) { turn of a action note1 { note "foe {foe}" } -> Walk }
test "the branch can be set, and lets are known in the arrow" {
  a step1 dice 1
  expect in Walk2
  a back
  a step1 dice 0
  expect in Met
  a note1
  expect note "foe 2"
  a rest dice 4
  expect in Walk, seen == 4
  a rest dice 6
  expect in Met, seen == 20
  a note1
  expect note "foe 6"
}`,
  "timers: after with a condition, every, time": `
data { beats: int 0..99 = 0 calm: bool = false }
start Wait
state Wait {
  turn of a
  action soothe { calm = true } -> stay
  after each 10s { beats += 1 }
  after 35s when not calm -> E
  after 60s -> Late
}
state Late { turn of a action end -> E }
ending E { draws all }
test "runs out when nobody soothes" {
  wait 34s
  expect beats == 3, in Wait
  wait 1s
  expect ending E
}
test "goes on when somebody does" {
  wait 20s
  a soothe
  wait 25s
  expect beats == 4, in Wait
  wait 15s
  expect in Late, beats == 6
}`,
  "an arrow behind enter is asked once for each entry, and a return is no entry": `
data { n: int 0..9 = 0 }
start S
state S {
  turn of a
  enter { n += 1 } -> choose { when n < 4 -> Break else -> stay }
  action more -> again S
  action go -> Side
}
overlay Break { turn of b action back -> return }
parallel state Side {
  state Left { start First state First { enter -> Break } }
  state Right { start Early state Early { enter { n = 0 } -> Late } state Late { turn of a action end -> E } }
}
ending E { draws all }
test "once" {
  expect in Break, n == 1
  b back
  expect turn of a, n == 1
  a more
  expect in Break, n == 2
  b back
  a more
  b back
  a more
  expect not in Break, n == 4
  a go
  expect in Break, in Early, n == 0
  b back
  expect in Late, not in Break
  a end
}`,
  "overlays lie on each other and take arguments": `
data { n: int 0..99 = 0 }
start Play
state Play { turn of a action menu -> Menu(depth: 3) action up { n += 1 } -> stay }
overlay Menu(depth: int) {
  turn of a
  action help -> Help
  action add { n += depth } -> stay
  action close -> return
  action quit -> E
}
overlay Help { action close by anyone -> return }
ending E { draws all }
test "frozen, not left" {
  a menu
  a up refused notOpenHere
  a add
  a help
  a add refused notOpenHere
  b close
  expect in Menu, in Play
  a close
  a up
  expect n == 4, in Play, not in Menu
  a menu
  a quit
  expect ending E
}`,
  "reports of the game, and of seats": `
data { kites: int 0..9 = 3 left1: int 0..9 = 0 }
event Landed(count1: int)
on Left(s) { left1 += 1 }
start Air
state Air {
  turn of b
  on Landed(n) { kites -= n }
  when kites == 0 -> E
  action wave -> stay
}
ending E { draws inPlay loses others }
test "the game announces" {
  event Landed(2)
  expect kites == 1
  a leaves
  a wave refused seatOut
  expect left1 == 1
  event Landed(1)
  expect ending E, a loses, b draws
}`,
  "maps, grids, cells, maybe": `
type Mark is free, mine, theirs
data {
  board: grid 4 by 3 of Mark
  price: map of text to int 0..9
  at: cell? 
  seen: list of int
}
start S
state S {
  turn of a
  action put(c: cell in board.cells where board[c] == free else "taken") {
    board[c] = mine
    at = c
    seen.push(board.neighbours(c).size)
    price["x{c.x}"] = c.y
  } -> stay
  action end -> E
}
ending E { draws all }
test "cells and keys" {
  a put(cell(x: 0, y: 0))
  a put(cell(x: 2, y: 1))
  a put(cell(x: 2, y: 1)) refused badArgument
  a put(cell(x: 4, y: 1)) refused badArgument
  expect seen == [2, 4], price["x2"] == 1, price.size == 2, at == cell(x: 2, y: 1)
  expect count(c in board.cells where board[c] == mine) == 2, board.distance(cell(x: 0, y: 0), cell(x: 3, y: 2)) == 5
  expect board.reach(cell(x: 0, y: 0), 1).size == 2, board.line(cell(x: 0, y: 0), cell(x: 2, y: 2)).size == 3
}`,
  "values are copied, never shared": `
type Unit { hp: int 0..9 = 5 tags: list of int }
data { u: Unit v: Unit all1: list of Unit kept: int 0..9 = 0 }
start S
state S {
  turn of a
  action go {
    u.hp = 7
    v = u
    u.hp = 1
    v.tags.push(3)
    all1.push(v)
    all1.push(v)
    all1[0].hp = 9
    let w = all1[0]
    all1[0].hp = 2
    kept = w.hp
    for x in all1 { all1[1].hp = 4  if x.hp == 4 { kept = 0 } }
  } -> stay
  action end -> E
}
ending E { draws all }
test "a copy does not follow its original" {
  a go
  expect u.hp == 1, v.hp == 7, v.tags == [3], u.tags.empty, all1[0].hp == 2, all1[1].hp == 4, kept == 9
}`,
  "lists, binders and arithmetic": `
type Foe { name1: text = "?" lift: int 0..20 = 3 w: int 0..9 = 1 }
const foes: list of Foe = [Foe(name1: "Squall", lift: 9), Foe(name1: "Gust", w: 0), Foe(lift: 9)]
data { xs: list of int  t: text max 9 = "hi" }
function clampTo9(n: int): int 0..9 = n
start S
state S { turn of a action go { xs = [3, 1, 2] xs.insert(1, 9) xs.remove(0) } -> stay action end -> E }
ending E { draws all }
test "lists" {
  a go
  expect xs == [9, 1, 2], xs.first == 9, xs.last == 2, xs.rest == [1, 2], xs.has(2), not (7 in xs), 3 in 1..4, xs.indices == [0, 1, 2]
  expect sum(f in foes: f.lift) == 21, count(f in foes where f.w == 0) == 1, minBy(f in foes: f.lift).name1 == "Gust"
  expect sort(x in xs: x) == [1, 2, 9], map(f in foes where f.lift > 3: f.lift) == [9, 9], any(x in xs: x == 1), all(x in xs: x > 0)
  expect maxBy(f in foes: f.lift).name1 == "Squall", filter(x in 1..5 where x mod 2 == 0) == [2, 4], sortDown(f in foes: f.lift)[2].name1 == "Gust"
  expect -7 mod 3 == 2, 7 mod -3 == -2, floor(-7 / 2) == -4, nearest(2.5) == 3, nearest(-2.5) == -3, abs(-4) == 4, sign(-2.5) == -1, sign(0) == 0, sign(7) == 1, clampTo9(50) == 9, max(1, 2, 3) == 3
  expect (if t == "hi" then 1 else 2) == 1, false implies false, 1 < 2 and not (2 < 1) or false
}`,
  "state data is made anew and gone after": `
data { got: int 0..99 = 0 }
start A1
state A1 { turn of a action go(n: int 1..5) -> B1(n) }
state B1(n: int) {
  data { twice: int 0..20 = n * 2 }
  turn of a
  action count1 { twice += 1 got = twice } -> stay
  action back -> A1
  action anew -> again B1(5)
}
test "from arguments and defaults" {
  a go(3)
  a count1
  expect got == 7
  a anew
  a count1
  expect got == 11
  a back
  expect in A1
}
test "a run can begin in any state" {
  at B1(4)
  a count1
  expect got == 9
}`,
};

describe.each(Object.entries(MACHINES))("%s", (_name, body) => {
  const text = `machine M\nseats a, b\n${body}\n`;
  const compilation = compile(text);

  test("compiles", () => {
    expect(
      compilation.messages
        .filter((m) => m.severity === "error")
        .map((m) => renderMessage(compilation.sources, m))
        .join("\n"),
    ).toBe("");
  });

  test.each([true, false])("passes its own tests (generated: %s)", (generated) => {
    const results = runTests(new Runnable(compilation.machine, generated));
    expect(results.length).toBeGreaterThan(0);
    for (const { words, failure, story } of results)
      expect(
        failure && { words, line: compilation.sources.place(failure.position).line, ...failure, story },
      ).toBeUndefined();
  });
});

test("a number that falls or rises where its law does not allow it is a fault, as closures and as code", () => {
  const body = MACHINES["laws about numbers that fall or rise, compared after clamping"] ?? "";
  for (const generated of [true, false]) {
    const runnable = new Runnable(compile(`machine M\nseats a, b\n${body}\n`).machine, generated);
    const { taken } = begin(runnable, { seed: "law" });
    for (const [path, law] of [
      [["drop"], "lift falls in a gust"],
      [["lose"], "lift falls in a gust"],
      [["add"], "the pot grows at night"],
      [["blow", "tape"], "tape is never added"],
    ] as const) {
      let { situation } = taken as { situation: Situation };
      const faults = path.map((action) => {
        const result = step(runnable, situation, { kind: "action", seat: "a", action, args: {} });
        ({ situation } = result);
        return result.fault?.words ?? "";
      });
      expect(faults.at(-1)).toContain(`By the law "${law}" this may not`);
      expect(faults.slice(0, -1).join("")).toBe("");
    }
  }
});

describe("faults", () => {
  const FAULTS: readonly [string, string, string][] = [
    ["divisionByZero", "data { n: int 0..9 = 0 x: num }", "x = 1 / n"],
    ["missingIndex", "data { xs: list of int n: int 0..9 = 0 }", "n = xs[3]"],
    ["missingKey", "data { m: map of text to int n: int }", 'n = m["nobody"]'],
    ["listFull", "data { xs: list max 2 of int }", "xs.push(1) xs.push(2) xs.push(3)"],
    ["textTooLong", "data { t: text max 3 }", 't = "long one"'],
    ["emptyPick", "data { xs: list of int n: int }", "n = pick(xs)"],
    ["emptyRange", "data { n: int 0..9 = 0 }", "n = roll(n + 5..n)"],
    ["outOfRange", "data { n: int = 9007199254740991 }", "n += 1"],
    ["tooManyEffects", "data { n: int }", "for x in 1..1000 { for y in 1..1000 { n += 1 } }"],
    ["noneUsed", "data { c: cell? n: int }", "n = c.x"],
    ["noneUsed", "data { c: int? n: int }", "n = c + 1"],
    ["notACell", "data { g: grid 2 by 2 of int n: int }", "n = g[cell(x: 5, y: 0)]"],
  ];
  test.each(FAULTS)("%s is told with its place, and changes nothing", (code, data, effect) => {
    const { machine, ok, messages, sources } = compile(
      `machine M\nseats a, b\n${data}\nstart S\nstate S {\n turn of a\n action go { ${effect} } -> stay\n action end -> E\n}\nending E { draws all }\ntest "t" { a go }`,
    );
    expect(ok, messages.map((m) => renderMessage(sources, m)).join("\n")).toBe(true);
    for (const generated of [true, false]) {
      const [result] = runTests(new Runnable(machine, generated));
      expect(result?.failure?.actual).toMatch(new RegExp(`^${code}: `));
    }
  });

  test("a circle that waits for nobody is named", () => {
    const { machine } = compile(
      'machine M\nseats a\nstart S\nstate S { turn of a action go -> One action end -> E }\nstate One { enter -> Two }\nstate Two { enter -> One }\nending E { draws all }\ntest "t" { a go }',
    );
    const [result] = runTests(new Runnable(machine));
    expect(result?.failure?.actual).toMatch(/^endlessLoop: .*One -> Two -> One|Two -> One -> Two/);
  });
});

describe("include", () => {
  const main = (path: string): string =>
    `machine M\ninclude "${path}"\nseats a, b\ndata { kite: Kite }\nstart S\nstate S { turn of a action hit { strike(2) } -> E }\nending E { draws all }`;
  const files: Readonly<Record<string, string>> = {
    "shared/kites.zany":
      'include "deep/more.zany"\ntype Kite { lift: int 0..9 = most }\neffect strike(n: int) { kite.lift -= n }\ntest "in a part" { a hit expect kite.lift == 3 }',
    "shared/deep/more.zany": 'include "../kites.zany"\nconst most: int = 5',
    "whole.zany": "machine Other",
    "seated.zany": "seats x, y\ntype Kite { lift: int = 0 }\neffect strike(n: int) { }",
    "wrong.zany": "type Kite { lift: int 0..9 = 5 }\neffect strike(n: int) { kite.lfit -= n }",
  };
  const compiled = (path: string) => compile(main(path), "fair/m.zany", (part) => files[part]);

  test("declarations of other files are the machine's, each file once, circles included", () => {
    const { ok, machine, parts } = compiled("shared/./kites.zany");
    expect(ok).toBe(true);
    expect(Object.keys(parts)).toEqual(["shared/kites.zany", "shared/deep/more.zany"]);
    expect(runTests(new Runnable(machine)).map((t) => t.failure)).toEqual([undefined]);
  });

  test.each([
    ["lost.zany", "unknown-file", "fair/m.zany"],
    ["/etc/kites.zany", "unknown-file", "fair/m.zany"],
    ["whole.zany", "wrong-place", "fair/whole.zany"],
    ["seated.zany", "wrong-place", "fair/seated.zany"],
    ["wrong.zany", "unknown-field", "fair/wrong.zany"],
  ])("what is wrong with %s is told in its file", (path, name, file) => {
    const { messages, sources } = compiled(path);
    const message = messages.find((m) => m.name === name);
    expect(sources.place(message?.from ?? -1).file).toBe(file);
  });

  test("a change of an included file is another version of the machine", () => {
    const hash = (kites: string) => new Runnable(compile(main("k.zany"), "m.zany", () => kites).machine).hash;
    const kites = "type Kite { lift: int 0..9 = 5 }\neffect strike(n: int) { kite.lift -= n }";
    expect(hash(kites)).not.toBe(hash(kites.replace("= 5", "= 6")));
  });
});
