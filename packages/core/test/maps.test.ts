/** Maps of games' own logs: how they are read, and what judging by them finds. */

import { readFileSync } from "node:fs";
import { describe, expect, test } from "vitest";
import {
  bookOf,
  compile,
  compileMap,
  format,
  judge,
  type Judgement,
  renderMessage,
  rowsOf,
  Runnable,
  applyFixes,
  sampleMap,
  UnreadableLog,
  verifyText,
} from "../src/index.js";

/** Two stalls draw cards of a shuffled pile, and throw two dice for a parcel. */
const PARCELS = `
machine Parcels
seats left, right
type Wind is calm, breeze, gale
data {
  pile: list of Wind = [calm, breeze, gale, calm]
  hand per seat: list of Wind
  score per seat: num
  total: int 0..99 = 0
  ready per seat: bool = false
}
event Gust(force: int 1..9)
start Deal
state Deal {
  enter { pile = shuffle(pile) for s in seats { hand[s].push(pile.take()) } }
  -> Play
}
state Play {
  turn of seats
  action lay(at: int in hand[me].indices) { hand[me].take() score[me] += 0.5 } -> stay
  action toss { total += roll(1..6) + roll(1..6) } -> stay
  action sign needs not ready[me] else "signed already" { ready[me] = true } -> stay
  on Gust(force) { total += force }
  after 10s { total = 0 }
  when total >= 90 -> Later
  when total >= 50 -> Done
}
stub state Later
ending Done { wins left loses others }
`;

function judged(map: string, log: string, machine = PARCELS): Judgement[] {
  const {
    map: typed,
    runnable,
    messages,
    sources,
  } = compileMap({ text: map, name: "test.map" }, { text: machine, name: "parcels.zany" });
  if (!typed || !runnable) throw new Error(messages.map((message) => renderMessage(sources, message)).join("\n"));
  return judge(runnable, typed, rowsOf(typed, log));
}

function one(map: string, log: string, machine = PARCELS): Judgement {
  const [judgement] = judged(map, log, machine);
  return judgement as Judgement;
}

const HEAD = `map Log for Parcels
read json
row .ev "begin" -> begin dice shuffle pile to .pile
`;
const BEGUN = '{"ev":"begin","pile":["gale","calm","calm","breeze"]}\n';

describe("rows", () => {
  test("JSON lines, JSON inside, CSV with semicolons and decimal commas, and lines of text tell the same", () => {
    const rows = `row .ev "begin" -> begin dice shuffle pile to .pile
      row .ev "lay" -> .who lay(.at) tells score[.who] == .score within 0.01
      row else -> refuse`;
    const lay = '{"ev":"lay","who":"left","at":0,"score":0.5}';
    expect(one(`map A for Parcels ${rows}`, `${BEGUN}${lay}\n`)).toMatchObject({ rows: 2, steps: 1, ways: 1 });
    const inside = `{"id": 4, "moves": [${BEGUN.trim()}, ${lay}]}`;
    expect(one(`map A for Parcels read json in .moves ${rows}`, inside)).toMatchObject({ rows: 2, steps: 1 });
    const csv = 'ev;who;at;score;note\r\nlay;left;0;"0,5";\r\n\r\nlay;right;0;"0,75";"a ""b"";\nc"\r\n';
    const unshuffled = `${PARCELS.replace("pile = shuffle(pile) ", "")}`;
    const found = one(
      `map A for Parcels read csv ";" decimal comma
       row .ev "lay" -> .who lay(.at) tells score[.who] == .score within 0.01`,
      csv,
      unshuffled,
    );
    expect(found).toMatchObject({ rows: 2, finding: { row: 2, line: 4, told: 0.75, comes: 0.5, kind: "told" } });
    const tabs = one(
      'map A for Parcels read csv tab row .ev "lay" -> .who lay(.at)',
      "ev\twho\tat\nlay\tleft\t0\n",
      unshuffled,
    );
    expect(tabs).toMatchObject({ rows: 1, steps: 1 });
    const text = "Begun!\n[1] left lays 0\n   and has 0.5\n";
    const lines = one(
      `map A for Parcels
       read lines
       continued "   and has {score}"
       row line "Begun!" -> nothing
       row line "[{n}] {who} lays {at}" -> .who lay(.at) tells score[.who] == .score
       row else -> refuse`,
      text,
      unshuffled,
    );
    expect(lines).toMatchObject({ rows: 2, steps: 1 });
    expect(lines.finding).toBeUndefined();
  });

  test("what cannot be read is told with its line; rows that nothing is about are findings or counted", () => {
    expect(() => judged(HEAD, `${BEGUN}{"ev":\n`)).toThrow(UnreadableLog);
    expect(() => judged(HEAD, `${BEGUN}[1]\n`)).toThrow("A row is an object");
    expect(one(HEAD, `${BEGUN}{"ev":"rain"}\n`).finding).toMatchObject({ row: 2, kind: "row" });
    // Before a match has begun nothing can be compared, and what its beginning tells is.
    const early = one(`${HEAD} row .ev "head" -> nothing tells total == .n`, `{"ev":"head","n":0}\n${BEGUN}`);
    expect(early.finding).toMatchObject({ row: 1, kind: "map", words: expect.stringContaining("has not begun") });
    const told = BEGUN.replace("{", '{"n":1,');
    expect(one(`${HEAD} tells total == .n`, told).finding).toMatchObject({ row: 1, kind: "told", comes: 0, told: 1 });
    expect(one(`${HEAD} row else -> skip`, `${BEGUN}{"ev":"rain"}\n`)).toMatchObject({ skipped: 1 });
    expect(one(`${HEAD} row .ev "rain" -> refuse`, `${BEGUN}{"ev":"rain"}\n`).finding?.mapped).toBe("test.map:4:20");
  });

  test("several matches stand in one file, each judged by itself", () => {
    const map = `map A for Parcels match .id row .ev "begin" -> begin dice unknown row .ev "sign" -> .p sign`;
    const unshuffled = PARCELS.replace("pile = shuffle(pile) ", "");
    const log = ["a", "b", "a", "b", "b"]
      .map((id, i) => JSON.stringify(i < 2 ? { id, ev: "begin" } : { id, ev: "sign", p: "left" }))
      .join("\n");
    const [a, b] = judged(map, log, unshuffled);
    expect(a).toMatchObject({ match: "a", rows: 2, steps: 1 });
    expect(b).toMatchObject({ match: "b", rows: 3, finding: { row: 5, kind: "refused", did: "left sign" } });
    expect(b?.finding?.words).toBe("Signed already.");
  });
});

describe("lists and records that stand in a text", () => {
  test.each([
    ["gale,calm,calm,breeze", "3, 4"],
    ["[gale, calm, calm, breeze]", "[3, 4]"],
    ["gale|calm|calm|breeze", "(3 4)"],
    ["gale;calm;calm;breeze", "3 4"],
    ["gale/calm/calm/breeze", "3/4"],
    ['["gale", "calm", "calm", "breeze"]', "3|4"],
  ])("%s and %s", (pile, dice) => {
    const map = `map Log for Parcels read lines
row line "wind {pile}" -> begin dice shuffle pile to .pile
row line "{p} tosses {dice}" -> .p toss dice .dice
row line "then {all}" -> nothing tells total == .all.left, hand[left] == .all.hand, pile[1] == .all.pile[1]`;
    const told = (left: number): string => JSON.stringify({ left, hand: ["gale"], pile: ["calm", "breeze"] });
    const log = (left: number): string => `wind ${pile}\nleft tosses ${dice}\nright tosses 1,1\nthen ${told(left)}\n`;
    expect(one(map, log(9)).finding).toBeUndefined();
    // Of what is worked out, what it is made of is told.
    const words = map.replace("total == .all.left", '"{total} in all" == "{.all.left} in all"');
    expect(one(words, log(8)).finding?.why).toEqual(one(map, log(8)).finding?.why);
    const sum = map.replace("total == .all.left", "sum(s in seats where s == left: total) == .all.left");
    expect(one(sum, log(8)).finding?.why).toEqual(one(map, log(8)).finding?.why);
    const hands = map.replace("total == .all.left", "sum(s in seats: hand[s].size) == .all.left");
    expect(one(hands, log(8)).finding).toMatchObject({
      comes: 2,
      why: [expect.stringContaining("has written it since")],
    });
    // Nothing was done in the row that tells it: what wrote it last is told.
    expect(one(map, log(8)).finding).toMatchObject({ row: 4, comes: 9, told: 8 });
    expect(one(map, log(8)).finding?.why).toEqual(
      expect.arrayContaining(["step 2, right toss, wrote it last:", expect.stringContaining("total 7 -> 9")]),
    );
  });

  test("cells, boards and keys are told in the ways in which logs write them; who acts may be asked of the machine", () => {
    const machine = `machine Board seats north, south
data { board: grid 2 by 2 of seat?  who: seat = north  won: map of seat to int  last: cell = cell(0, 0) }
start Move
state Move {
  turn of who
  action put(at: cell in board.cells where board[at] == none) {
    board[at] = me
    won[me] = 1
    last = at
    who = next(who)
  } -> stay
  action end -> E
}
ending E { draws all }
on Left(s) -> E`;
    const map = `map L for Board
seats: "N" north, "S" south
table Place: "a1" cell(0, 0), "b1" cell(1, 0), "a2" cell(0, 1), "b2" cell(1, 1)
row .ev "put" -> who put(.at) tells board == .board if told, won == .won if told, last == .at, board[.at] != none
row .ev "name" -> who put(.at as Place) tells board[.at as Place] == .by, last == cell(.x, .y)`;
    const rows = [
      {
        ev: "put",
        at: [1, 0],
        board: [
          [null, "N"],
          ["", ""],
        ],
      },
      { ev: "name", at: "b2", by: "S", x: 1, y: 1 },
      { ev: "put", at: "0,1", board: '["", "N", "N", "S"]', won: { N: 1, S: 1 } },
      { ev: "put", at: { x: 0, y: 0 } },
    ];
    const log = (from: string, to: string): string =>
      rows
        .map((row) => `${JSON.stringify(row)}\n`)
        .join("")
        .replace(from, to);
    const { steps, finding } = one(map, log("", ""), machine);
    expect([steps, finding]).toEqual([4, undefined]);
    for (const [from, to, row] of [
      ['"N"],["",""]', '"S"],["",""]', 1],
      ['"by":"S"', '"by":"N"', 2],
      ['"y":1', '"y":0', 2],
      ['"N":1', '"N":2', 3],
      ['"0,1"', '"1,1"', 3],
    ] as const)
      expect(one(map, log(from, to), machine).finding).toMatchObject({ row });
  });

  test("what is no list is told so", () => {
    const map = 'map Log for Parcels read csv row .ev "begin" -> begin dice shuffle pile to .pile';
    expect(one(map, "ev,pile\nbegin,gale calm\n").finding?.words).toContain("pile");
    expect(one(map, 'ev,pile\nbegin,"gale,calm,squall,calm"\n').finding?.words).toContain("squall");
  });
});

describe("matches that a log writes one behind the other", () => {
  const ring = `machine Ring
seats 2..3 ringer
data { pot: int 0..99 = 0  ringer: seat = ringer1 }
start Pull
state Pull {
  turn of ringer
  action pull { pot += roll(1..6) } -> choose {
    when pot >= 9 -> Rung(ringer)
    else { ringer = next(ringer) } -> again Pull
  }
  after 30s { ringer = next(ringer) } -> again Pull
}
ending Rung(by: seat) { wins by loses others }
`;
  const map = (more: string): string => `map A for Ring read lines time .t in clock within 1s ${more}
continued "   pot {pot}"
row line "== {c} == {names}" -> begin seats .names
row line "{t} {p} pulls {n}" -> .p pull dice .n tells pot == .pot
row line "{t} {p} sleeps" -> timer Pull.after1
row line "-- {w} wins" -> nothing tells ending Rung, .w wins
`;
  const log = `== 7 == Ada, Bo
23:59:50 Ada pulls 5
   pot 5
00:00:05 Bo pulls 4
   pot 9
-- Bo wins
== 8 == Bo, Cy, Ada
12:00:00 Bo pulls 3
   pot 3
12:00:30 Cy sleeps
12:00:58 Ada pulls 6
   pot 9
-- Ada wins
`;
  const over = { ending: "Rung", skipped: 0 };

  test("each begins by its own row, at the first time that is told, with who is named there", () => {
    expect(judged(map(""), log, ring)).toMatchObject([
      { match: "1", rows: 4, steps: 2, ...over },
      { match: "2", rows: 5, steps: 3, ...over },
    ]);
    // A row that does not say which match it is of is of the same as the one before.
    const named = judged(map("match .c"), log, ring);
    expect(named.map(({ match, finding }) => [match, finding])).toEqual([
      ["7", undefined],
      ["8", undefined],
    ]);
    expect(named[1]?.course?.how).toMatchObject({ seats: 3, now: 43_200_000 });
  });

  test("a first map is proposed from its lines, with what the log calls its players, and explains it", () => {
    const proposed = sampleMap(compile(ring).machine, "ring.zany", log);
    expect(proposed.split("\n").slice(3)).toEqual([
      "read lines",
      "time .t in clock within 1s",
      "words ignore case",
      'continued "   pot {pot}"',
      "",
      'row line "== {n} == {names}" -> begin seats .names',
      'row line "{t} {p} pulls {n}" -> .p pull dice .n tells pot == .pot if told',
      'row line "-- {p} wins" -> nothing tells ending Rung, .p wins',
      'row line "{t} {p} sleeps" -> nothing                     // what does it mean?',
      "row else -> refuse                       // or skip, for rows that say nothing of the match",
      "",
    ]);
    expect(judged(proposed, log, ring).map(({ finding }) => finding)).toEqual([undefined, undefined]);
    // Without a row that names who plays, the players are seats from the start.
    const alone = sampleMap(compile(ring).machine, "ring.zany", log.replace(/^==.*\n/gm, ""));
    expect(alone).toContain('seats: "Ada" ringer1, "Bo" ringer2');
  });

  test("what is wrong in one is told of that one alone, and who plays must be told so that it can be read", () => {
    const [first, second] = judged(map(""), log.replace("   pot 5", "   pot 6"), ring);
    expect(first?.finding).toMatchObject({ kind: "told", row: 2, comes: 5, told: 6 });
    expect(second?.finding).toBeUndefined();
    const twice = judged(map("match .c"), log.replace("== 8", "== 7"), ring);
    expect(twice).toHaveLength(1);
    expect(twice[0]?.finding?.words).toBe("This match has begun already, and the row begins it again.");
    const nobody = judged(map(""), log.replace("Ada, Bo", "Ada and Bo"), ring);
    expect(nobody[0]?.finding?.words).toBe(
      '.names: expected who plays, as a list or with commas between them, or how many, but got "Ada and Bo".',
    );
  });
});

describe("dice", () => {
  const toss = `${HEAD} row .ev "toss" -> .p toss dice .a, .b tells total == .total`;
  const rolled = (roll: object): string => `${BEGUN}${JSON.stringify({ ev: "toss", p: "left", ...roll })}\n`;

  test("told rolls are set; too few, too many and none of the die are findings", () => {
    expect(one(toss, rolled({ a: 3, b: 4, total: 7 })).finding).toBeUndefined();
    expect(one(toss, rolled({ a: 3, b: 4, total: 8 })).finding).toMatchObject({ kind: "told", told: 8, comes: 7 });
    expect(one(toss, rolled({ a: 3, b: 7, total: 10 })).finding).toMatchObject({ kind: "dice", row: 2 });
    const few = one(toss.replace(", .b", ""), rolled({ a: 3, total: 7 })).finding;
    expect(few).toMatchObject({ kind: "dice", source: "parcels.zany:21:39" });
    const many = one(toss.replace(".a, .b", ".a, .b, .c"), rolled({ a: 3, b: 4, c: 1, total: 7 })).finding;
    expect(many?.words).toBe("The log tells 3 rolls, and the machine rolls only 2 here.");
  });

  test("sums, unknown dice and rolls told by later rows are explained by any rolls that fit", () => {
    const sum = toss.replace(".a, .b", "sum .sum of 2");
    expect(one(sum, rolled({ sum: 12, total: 12 }))).toMatchObject({ ways: 1, steps: 1 });
    expect(one(sum, rolled({ sum: 13, total: 13 })).finding?.kind).toBe("dice");
    const unknown = toss.replace("dice .a, .b", "dice unknown");
    expect(one(unknown, rolled({ total: 7 })).finding).toBeUndefined();
    expect(one(unknown, rolled({ total: 13 })).finding).toMatchObject({ kind: "told" });
    const later = `${HEAD} row .ev "toss" -> .p toss dice .a
      row .ev "shown" -> more dice .b tells total == .total`;
    const shown = (b: number, total: number): string =>
      `${rolled({ a: 3 })}${JSON.stringify({ ev: "shown", b, total })}\n`;
    expect(one(later, shown(4, 7)).finding).toBeUndefined();
    expect(one(later, shown(9, 12)).finding).toMatchObject({ row: 3, kind: "dice" });
    expect(one(later, shown(4, 8)).finding).toMatchObject({ row: 3, kind: "told" });
    // Whatever the later row tells, nothing explains this one: it is the one to blame.
    const blamed = later.replace("toss dice .a", "toss dice .a tells total == .total");
    const log = `${rolled({ a: 3, total: 1 })}{"ev":"shown","b":9,"total":12}\n`;
    expect(one(blamed, log).finding).toMatchObject({ row: 2, kind: "told", told: 1 });
  });

  test("rolls may be told behind rows that only tell something; of what is told, the first that is not so counts", () => {
    const map = `${HEAD} row .ev "toss" -> left toss
      row .ev "sum" -> nothing tells total == .total if told, all(s in seats: ready[s] == .ready) if told
      row .ev "dice" -> more dice .d
      row .ev "said" -> nothing tells note "{.n} of {total}"`;
    const sum = (told: object): string => JSON.stringify({ ev: "sum", ...told });
    const log = (total: number, dice: number[], ready = false, more: object[] = []): string =>
      `${BEGUN}{"ev":"toss"}\n${sum({ total })}\n${sum({ ready })}\n${JSON.stringify({ ev: "dice", d: dice })}\n${more
        .map((row) => `${JSON.stringify(row)}\n`)
        .join("")}`;
    expect(one(map, log(5, [2, 3]))).toMatchObject({ rows: 5, steps: 1, ways: 1 });
    expect(one(map, log(6, [2, 3])).finding).toMatchObject({ row: 3, did: "left toss" });
    // With another roll too few or too many, what was wrong before the dice is what went another way.
    expect(one(map, log(5, [2, 3, 3])).finding).toMatchObject({ row: 5 });
    expect(one(map, log(5, [2, 3, 3], true)).finding).toMatchObject({ row: 4, did: "left toss" });
    expect(one(map, log(2, [2], true, [{ ev: "toss" }])).finding).toMatchObject({ row: 4 });
    expect(one(map, log(2, [2], false, [{ ev: "toss" }])).finding).toMatchObject({ row: 6, kind: "dice" });
    // Nothing tells of the rolls behind them: missed where something else happens.
    expect(one(map, `${BEGUN}{"ev":"toss"}\n${sum({ ready: false })}\n{"ev":"toss"}\n`).finding).toMatchObject({
      row: 4,
    });
    expect(one(map, `${BEGUN}{"ev":"toss"}\n${sum({ ready: false })}\n`).finding).toMatchObject({ row: 3 });
    const words = one(map, log(5, [2, 3], false, [{ ev: "said", n: 4 }])).finding?.words;
    expect(words).toContain('No note says "4 of 5"');
  });

  test("a shuffle is told by its order, and never guessed", () => {
    expect(
      one(`${HEAD} row .ev "hand" -> nothing tells hand[left] == .hand`, `${BEGUN}{"ev":"hand","hand":["gale"]}`)
        .finding,
    ).toBeUndefined();
    const wrong = BEGUN.replace('"gale",', '"breeze",');
    expect(one(HEAD, wrong).finding).toMatchObject({ kind: "dice", words: expect.stringContaining("order") });
    const unknown = one('map A for Parcels row .ev "begin" -> begin dice unknown', BEGUN).finding;
    expect(unknown).toMatchObject({ kind: "dice", source: "parcels.zany:15:18" });
    expect(unknown?.words).toContain("not guessed");
  });

  test("a list that is made in the very step in which it is shuffled comes into the order that is told", () => {
    const machine = `machine Stalls seats a, b
type Card { suit: int 0..1 = 0  rank: int 1..3 = 1 }
data { deck: list of Card  tents: list of int  wind: int 0..9  won: int 0..9 }
start Deal
state Deal {
  enter {
    for s in 0..1 { for r in 1..3 { deck.push(Card(suit: s, rank: r)) } }
    deck = shuffle(deck)
    wind = roll(1..6)
    tents = shuffle([1, 2, 3])
    won = deck.take().rank + tents.take()
  } -> Play
}
state Play { turn of a action go -> E }
ending E { wins a loses b }
on Left(s) -> E`;
    const map = `map L for Stalls row .ev "deal" -> begin dice shuffle deck to .deck, .wind, shuffle tents to .tents
tells won == .won, wind == .wind, tents[1] == .tents[2]`;
    const deck = [5, 1, 0, 3, 4, 2].map((i) => ({ suit: Math.floor(i / 3), rank: (i % 3) + 1 }));
    const log = (tents: number[], won: number): string =>
      `${JSON.stringify({ ev: "deal", deck, wind: 4, tents, won })}\n`;
    expect(one(map, log([2, 3, 1], 5), machine).finding).toBeUndefined();
    expect(one(map, log([2, 3, 1], 4), machine).finding).toMatchObject({ kind: "told", comes: 5, told: 4 });
    expect(one(map, log([2, 3, 3], 5), machine).finding?.words).toBe(
      "tents is shuffled from 1, 2, 3, and the log tells 2, 3, 3: an order of something else.",
    );
    const rolled = machine.replace("deck = shuffle(deck)", "wind = roll(1..6)");
    expect(one(map, log([2, 3, 1], 5), rolled).finding?.words).toContain("something else is rolled here");
  });
});

describe("a first mapping", () => {
  test("of lines with dates, numbers of matches, and lists in them judges the log it was made of", () => {
    const log = (at: string): string =>
      [
        `2026-06-01T23:58:0${at}+02:00 [tbl 7] winds for left,right pile=gale,calm,calm,breeze`,
        `2026-06-01T23:58:0${at}+02:00 [tbl 8] winds for left,right pile=calm,calm,gale,breeze`,
        "2026-06-02T00:00:01+02:00 [tbl 7] left sign",
        "2026-06-02T00:00:01+02:00 [tbl 8] right sign\n",
      ].join("\n");
    const still = PARCELS.replace("after 10s { total = 0 }", "");
    const proposed = sampleMap(compile(still).machine, "parcels.zany", log("1"));
    expect(proposed).toContain("time .t in date within 1s\nmatch .game\n");
    expect(proposed).toContain("begin seats .names dice shuffle pile to .pile");
    expect(judged(proposed, log("1"), still).map(({ finding, steps }) => [finding, steps])).toEqual([
      [undefined, 1],
      [undefined, 1],
    ]);
  });

  test("of columns whose names say nothing goes by the one that says which others are filled, and by what times look like", () => {
    const csv = "tisch;zeit;was;wurf\nT1;23:59:58;los;\nT2;23:59:58;los;\nT1;23:59:59;wirf;3\nT2;00:00:01;wirf;4\n";
    const proposed = sampleMap(compile(PARCELS).machine, "parcels.zany", csv);
    expect(proposed).toContain("time .zeit in clock");
    expect(proposed).toContain('row .was "wirf" -> ');
  });

  test("of one JSON text takes the longest list; who acts is whose turn it is where no row tells it", () => {
    const machine = `machine Quay seats north, south
data { who: seat = north  crates: int 0..99 }
start Move
state Move { turn of who action load(crates2: int 1..9) { crates += crates2 who = next(who) } -> stay action end -> E }
ending E { draws all }
on Left(s) -> E`;
    const log = (row: object) =>
      JSON.stringify(
        { players: [{ id: 1 }], "the log": { v: 1, moves: [row, row, { k: "load", crates2: 3 }] } },
        null,
        1,
      );
    const proposed = sampleMap(compile(machine).machine, "quay.zany", log({ k: "load", crates2: 2 }));
    expect(proposed).toContain('read json in ."the log".moves\n');
    expect(proposed).toContain('row .k "load" -> who load(.crates2)');
    const [found] = judged(proposed, log({ k: "load", crates2: 2 }), machine);
    expect([found?.steps, found?.finding]).toEqual([3, undefined]);
    // Rows that hold several moves each say so.
    const turns = sampleMap(
      compile(machine).machine,
      "quay.zany",
      log({ n: 1, moves: [{ x: 1 }] }).replace('"k": "load",', ""),
    );
    expect(turns).toContain("row .moves -> for .each in .moves: nothing");
  });

  test("of members that tell an order begins with the shuffle", () => {
    const log = `${BEGUN.replace("begin", "cards")}{"ev":"lay","p":"left","at":0}\n`;
    expect(sampleMap(compile(PARCELS).machine, "parcels.zany", log)).toContain(
      'row .ev "cards" -> begin dice shuffle pile to .pile',
    );
  });
});

describe("what rows mean", () => {
  test("arguments by a condition, moves in any order, loops, words in any case and tables", () => {
    const by = `${HEAD} words ignore case
      row .ev "lay" -> .p lay(i where hand[.p][i] == .wind)`;
    expect(one(by, `${BEGUN}{"ev":"lay","p":"LEFT","wind":"GALE"}`).finding).toBeUndefined();
    const none = one(by, `${BEGUN}{"ev":"lay","p":"left","wind":"calm"}`).finding;
    expect(none).toMatchObject({ kind: "refused" });
    expect(none?.words).toContain("hand[.p][i] == .wind");
    // Who signs first is open: only one of the orders lets both.
    const order = `${HEAD} row .ev "both" -> left sign also right sign tells ready[left] and ready[right]`;
    expect(one(order, `${BEGUN}{"ev":"both"}`)).toMatchObject({ steps: 2 });
    const loop = `${HEAD} seats: "L" left, "R" right
      row .ev "signed" -> for .s in .by: .s.seat sign
        tells for .s in .by: ready[.s.seat]`;
    expect(one(loop, `${BEGUN}{"ev":"signed","by":[{"seat":"R"},{"seat":"L"}]}`)).toMatchObject({ steps: 2 });
    const unsigned = loop.replace("tells for .s in .by: ", "tells for .s in .by: not ");
    expect(one(unsigned, `${BEGUN}{"ev":"signed","by":[{"seat":"R"}]}`).finding?.kind).toBe("told");
    expect(one(loop, `${BEGUN}{"ev":"signed","by":3}`).finding).toMatchObject({ kind: "map", row: 2 });
    const each = loop.replace(": .s.seat sign", " { .s.seat sign tells ready[.s.seat], not ready[left] if told }");
    expect(one(each, `${BEGUN}{"ev":"signed","by":[{"seat":"R"},{"seat":"L"}]}`).finding).toMatchObject({
      did: "left sign",
    });
    const table = `${HEAD} table Force: "weak" 1, "strong" 9
      row .ev "gust" -> event Gust(.how as Force) tells total changed by .how as Force`;
    expect(one(table, `${BEGUN}{"ev":"gust","how":"strong"}`).finding).toBeUndefined();
    expect(one(table, `${BEGUN}{"ev":"gust","how":"mild"}`).finding).toMatchObject({ kind: "map" });
  });

  test("people take seats as the log tells, and what the game refused the machine refuses", () => {
    const map = `map A for Parcels
      row .ev "sits" -> .id sits at .side
      row .ev "begin" -> begin dice shuffle pile to .pile
      row .ev "sign" and .ok true -> .id sign
      row .ev "sign" and .ok false -> .id sign refused needsFailed`;
    const sits = '{"ev":"sits","id":"u17","side":"right"}\n{"ev":"sits","id":"u4","side":"left"}\n';
    const sign = (ok: boolean): string => `${JSON.stringify({ ev: "sign", id: "u17", ok })}\n`;
    expect(one(map, sits + BEGUN + sign(true) + sign(false)).finding).toBeUndefined();
    expect(one(map, sits + BEGUN + sign(false)).finding).toMatchObject({ kind: "accepted", did: "right sign" });
  });

  test("times: tolerance about a timer, timers nobody tells of, clocks that pass midnight", () => {
    const map = (timer: string): string => `${HEAD} time .t in clock within 500ms
      row .ev "sign" -> .p sign ${timer}`;
    const log = (...times: string[]): string =>
      BEGUN.replace("{", '{"t":"23:59:55",') +
      times.map((t, i) => JSON.stringify({ t, ev: "sign", p: i === 0 ? "left" : "right" })).join("\n");
    expect(one(map(""), log("23:59:58", "00:00:07")).finding).toBeUndefined();
    // A timer that ran by itself is told of where something is otherwise than the log has it.
    const tossed = `${map("tells total == .n")} row .ev "toss" -> .p toss dice .d`;
    const rows = [
      { t: "23:59:58", ev: "toss", p: "left", d: [3, 4] },
      { t: "00:00:07", ev: "sign", p: "left", n: 7 },
    ];
    const late = `${log()}${rows.map((row) => JSON.stringify(row)).join("\n")}`;
    expect(one(tossed, late).finding).toMatchObject({
      row: 3,
      why: [
        "nothing in this step wrote it",
        "step 2, timer Play.after1, wrote it last:",
        "24:3  Play.after1  is taken",
        "24:15  total 7 -> 0  (total = 0)",
        "the timer Play.after1 ran 2 s before it; no row tells of it",
      ],
    });
    const told = map('row .ev "reset" -> timer Play.after1 tells total == 0');
    expect(one(told, log("23:59:58", "00:00:07")).finding).toMatchObject({ kind: "time", row: 3 });
    expect(one(told, log("23:59:58", "00:00:05.4")).finding).toBeUndefined();
    const reset = (t: string): string => `${log("23:59:58")}\n${JSON.stringify({ t, ev: "reset" })}`;
    expect(one(told, reset("00:00:05.4")).finding).toBeUndefined();
    // What the log tells late within the tolerance does not add up.
    const again = `${log()}\n${["00:00:05.4", "00:00:15.8"].map((t) => JSON.stringify({ t, ev: "reset" })).join("\n")}`;
    expect(one(told, again, PARCELS.replace("after 10s", "after each 10s")).finding).toBeUndefined();
    expect(one(told, reset("00:00:06")).finding).toMatchObject({ kind: "time", did: "timer Play.after1" });
  });

  test("a state that is not written yet ends what is judged; endings and results are told", () => {
    const map = `${HEAD} row .ev "gust" -> event Gust(.force)
      row .ev "end" -> nothing tells ending by .why("full" Done), .winner wins`;
    const gusts = (force: number, count: number): string => `${JSON.stringify({ ev: "gust", force })}\n`.repeat(count);
    const end = '{"ev":"end","why":"full","winner":"left"}';
    expect(one(map, BEGUN + gusts(9, 6) + end)).toMatchObject({ ending: "Done", rows: 8 });
    expect(one(map, BEGUN + gusts(9, 5) + end).finding).toMatchObject({ row: 7, kind: "told" });
    expect(one(map, BEGUN + gusts(9, 6) + end.replace("left", "right")).finding).toMatchObject({ comes: "loss" });
    const stub = one(map, BEGUN + gusts(9, 3) + gusts(9, 9), PARCELS.replace(">= 50", ">= 99"));
    expect(stub).toMatchObject({ unfinished: { state: "Later", row: 11 } });
  });

  test.each([
    ["clock", ["00:00.000", "00:09.500", "01:02.250"]],
    ["m", ["0:00", "0:09.5", "1:02.25"]],
    ["h", ["0:00:00", "0:00:09.5", "0:01:02.25"]],
  ])("times since the beginning in %s, as a stopwatch has them", (unit, [begun, early, late]) => {
    const map = `map L for Parcels time .t in ${unit}
row .ev "begin" -> begin dice shuffle pile to .pile
row .ev "toss" -> .p toss dice .d
row .ev "n" -> nothing tells total == .n`;
    const rows = [
      { t: begun, ...(JSON.parse(BEGUN) as object) },
      { t: begun, ev: "toss", p: "left", d: [2, 3] },
      { t: early, ev: "n", n: 5 },
      { t: late, ev: "toss", p: "right", d: [1, 1] },
      { t: late, ev: "n", n: 2 },
    ];
    const log = rows.map((row) => `${JSON.stringify(row)}\n`).join("");
    const { steps, finding } = one(map, log);
    expect([steps, finding]).toEqual([3, undefined]);
    expect(one(map, log.replace(`${early}`, "soon")).finding?.words).toContain("is no time");
  });

  test("what is told stands in calls and indices, too", () => {
    const map = `${HEAD} row .ev "n" -> nothing tells score[next(.p)] == .n, hand[next(.p)].size == .cards`;
    const log = (cards: number): string => `${BEGUN}{"ev":"n","p":"left","n":0,"cards":${cards}}`;
    expect(one(map, log(1)).finding).toBeUndefined();
    expect(one(map, log(2)).finding).toMatchObject({ comes: 1, told: 2 });
  });

  test("what is not a datum is told with the machine's value as the machine's", () => {
    const map = `${HEAD} row .ev "n" -> nothing tells inPlay.size == .n`;
    const other = `${HEAD} row .ev "n" -> nothing tells .n == inPlay.size`;
    for (const each of [map, other])
      expect(one(each, `${BEGUN}{"ev":"n","n":3}`).finding).toMatchObject({
        words: "inPlay.size is 2 by the machine, and the log tells 3.",
        comes: 2,
        told: 3,
      });
  });

  test("a later row tells rolls of each of a list, with what came of each", () => {
    const map = `${HEAD} row .ev "toss" -> .p toss
row .ev "hits" -> for .h in .hits { more dice sum .h.of of 2 tells total == .h.total }`;
    const log = (total: number): string =>
      `${BEGUN}{"ev":"toss","p":"left"}\n${JSON.stringify({ ev: "hits", hits: [{ of: 9, total }] })}\n`;
    expect(one(map, log(9)).finding).toBeUndefined();
    expect(one(map, log(8)).finding).toMatchObject({ row: 3, comes: 9, told: 8 });
    const untold = one(map, log(9).replace('"of":9,', "")).finding;
    expect(untold).toMatchObject({ row: 3, kind: "map", words: "The row has no .h.of." });
  });

  test("of a list of moves of several kinds each is what it says it is, one after the other", () => {
    const map = `map L for Parcels read json in .turns row .n -> for .m in .moves {
  .m.p toss dice .m.dice if .m.kind == "toss" tells total == .m.total
  then .m.p sign if .m.kind == "sign"
} tells .moves.size == 3`;
    const moves = [
      { kind: "toss", p: "left", dice: [1, 2], total: 3 },
      { kind: "sign", p: "left" },
      { kind: "toss", p: "right", dice: [4, 4], total: 11 },
    ];
    const unshuffled = PARCELS.replace("pile = shuffle(pile) ", "");
    const log = (all: readonly object[] = moves): string =>
      JSON.stringify({ turns: [{ n: 1, moves: all }] }, undefined, 1);
    const whole = one(map, log(), unshuffled);
    expect([whole.steps, whole.finding]).toEqual([3, undefined]);
    expect(one(map, log(moves.slice(0, 2)), unshuffled).finding).toMatchObject({ comes: 3, told: 2 });
    const wrong = moves.map((move) => ("total" in move && move.total === 11 ? { ...move, total: 12 } : move));
    expect(one(map, log(wrong), unshuffled).finding).toMatchObject({ comes: 11, told: 12, did: "right toss" });
    // A text that is no JSON says where it stops being one.
    const broken = log().replace('"p": "right",', '"p": "right"');
    expect(() => judged(map, broken, unshuffled)).toThrow(/what follows is none: "dice"/);
  });

  test("data that nothing was compared with are listed", () => {
    const { notCovered } = one(
      `${HEAD} row .ev "n" -> nothing tells total == .n, hand[left] == .hand`,
      `${BEGUN}{"ev":"n","n":0,"hand":["gale"]}`,
    );
    expect(notCovered).toEqual(["pile", "score.*", "ready.*"]);
    const whole = one(
      `${HEAD} row .ev "n" -> nothing tells score == .all`,
      `${BEGUN}{"ev":"n","all":{"left":0,"right":0}}`,
    );
    expect([whole.finding, whole.notCovered.includes("score.*")]).toEqual([undefined, false]);
  });
});

test("a judged match is a logbook that verifies on the machine alone", () => {
  const map = `${HEAD} row .ev "toss" -> .p toss dice unknown tells total == .total`;
  const judgement = one(map, `${BEGUN}{"ev":"toss","p":"right","total":9}`);
  const runnable = new Runnable(compile(PARCELS).machine);
  const book = bookOf(runnable, judgement) ?? "";
  expect(verifyText(runnable, book)).toMatchObject({ kind: "verified", steps: 1, otherRules: false });
});

describe("the text of a map", () => {
  const messagesOf = (map: string): string[] => {
    const { messages, sources } = compileMap({ text: map, name: "m.map" }, { text: PARCELS, name: "p.zany" });
    return messages.map(({ name, from, words, help }) => {
      const { file, line, column } = sources.place(from);
      return `${file}:${line}:${column} ${name} ${words} ${help ?? ""}`;
    });
  };

  test.each([
    [
      "map A for Parcels\nrow .ev 1 -> .p tos",
      /^m.map:2:17 unknown-action There is no action "tos". Did you mean "toss"/,
    ],
    ["map A for Other", /^m.map:1:11 wrong-place This mapping is for Other, and the machine is Parcels/],
    ["map A for Parcels\nrow .ev 1 -> timer Play.after2", /^m.map:2:20 unknown-value There is no timer/],
    ["map A for Parcels\nrow .ev 1 -> nothing tells totl == .n", /^m.map:2:28 unknown-value .*Did you mean "total"/],
    ["map A for Parcels\nrow .ev 1 -> nothing tells .n == .m", /cannot be told from where it stands/],
    ["map A for Parcels\nseats: 1 north", /unknown-seat/],
    ["map A for Parcels\nrow .ev 1 -> .p lay(.a as Rank)", /There is no table "Rank"/],
    ["map A for Parcels\nrow .ev 1 -> .p lay(to: .a)", /no parameter "to"/],
    ["map A for Parcels\nrow .ev 1", /Expected "->" and what the row means/],
    [
      "map A for Parcels\nrow .ev 1 -> .p toss dice\nrow .ev 2 -> nothing",
      /m.map:2:22 syntax Nothing is told here of what/,
    ],
    [
      "map A for Parcels\nrow .ev 1 -> .p toss then more dice .d",
      /m.map:2:27 wrong-place "more dice" are rolls of the row/,
    ],
    ["map A for Parcels\nrow .ev 1 -> .p toss also skip", /m.map:2:27 wrong-place "skip" is about a whole row/],
    ["map A for Parcels\nrwo .ev 1 -> nothing", /Expected a part of a mapping/],
    ["map A for Parcels\nrow .ev 1 -> wait dice .d", /Nothing is rolled in "wait"/],
    ['map A for Parcels\nrow line "{a}" -> nothing', /read as lines/],
    ['map A for Parcels\nread csv "ab"', /A separator is one character/],
    ["map A for Parcels\ntime .t in weeks", /Expected ms, s, m, h, clock, date/],
  ])("%s", (map, message) => {
    const found = messagesOf(map);
    expect(found).toHaveLength(1);
    expect(found[0]).toMatch(message);
  });

  test("is formatted without being changed, and twice is once", () => {
    const text = readFileSync("examples/herring-duel/herring.map", "utf8");
    expect(format(text)).toBe(text);
    const loose = text.replace(/^ {2}tells/gm, "tells").replace(/\n\n/g, "\n\n\n\n");
    expect(format(loose)).toBe(text);
  });

  test.each([
    ["row ev 1 -> nothing", /What the row tells begins with a dot. Write: .ev/],
    ["time t in s\nrow .ev 1 -> nothing", /What the row tells begins with a dot/],
    ["time .t in seconds\nrow .ev 1 -> nothing", /Units of time are short/],
    ["words lower\nrow .ev 1 -> nothing", /ignore case/],
    ["read jsonl\nrow .ev 1 -> nothing", /"jsonl" is read as "json"/],
    ["seats p: 0 left\nrow .ev 1 -> nothing", /the same wherever it stands/],
    ["row .ev == 1 -> nothing", /right behind what the row tells/],
    ["row .ev 1 -> tells total == .n", /Write: nothing tells/],
    ["row .ev 1 -> p toss", /begins with a dot: .p/],
  ])("%s: one message, with its fix", (rows, message) => {
    const head = "map A for Parcels\n";
    const found = messagesOf(head + rows);
    expect(found).toHaveLength(1);
    expect(found[0]).toMatch(message);
    const { messages, sources } = compileMap({ text: head + rows, name: "m" }, { text: PARCELS, name: "p" });
    expect(messagesOf(applyFixes(sources, messages).texts.get("m") ?? "")).toEqual([]);
  });

  test("words of the log without quotes are told, and read so", () => {
    const text = `map A for Parcels\nseats: Ann left, bo right\ntable Wind: still calm\nrow .ev "x" -> nothing\n`;
    const { messages, map } = compileMap({ text, name: "m" }, { text: PARCELS, name: "p" });
    expect(messages.map(({ words, help }) => [words, help])).toEqual(
      ["Ann", "bo", "still"].map((word) => ["A word of the log stands in quotes.", `Write: "${word}"`]),
    );
    expect(map).toBeUndefined();
  });

  test("a first map is proposed from objects that say what a row is, with who plays in them", () => {
    const machine = `machine Rope
seats 2..4 climber
data { metres per seat: int 0..60  onRope: seat = climber1 }
start Foot
state Foot {
  turn of onRope
  action climb {
    let by = roll(1..6)
    metres[me] = if by == 1 then 0 else metres[me] + by
    if by == 1 { onRope = next(onRope) }
  } -> choose { when metres[me] >= 20 -> Top(me)  else -> stay }
}
ending Top(who: seat) { wins who  loses others }
`;
    const climb = (second: number, by: string, rolls: readonly number[], metres: object) => ({
      at: `2026-05-01T23:59:0${second}.500Z`,
      climb: { by, rolls },
      metres,
    });
    const log = (last: number): string =>
      JSON.stringify(
        {
          game: "[rope, {3}]",
          turns: [
            climb(1, "Cy", [4, 1], { Ana: 0, Bo: 0, Cy: 0 }),
            climb(3, "Ana", [6, 6, 6, 2], { Ana: last, Bo: 0, Cy: 0 }),
            { at: "2026-05-01T23:59:05Z", end: { winner: "Ana" } },
          ],
        },
        undefined,
        1,
      );
    const proposed = sampleMap(compile(machine).machine, "rope.zany", log(20));
    expect(proposed.split("\n").slice(3)).toEqual([
      "read json in .turns",
      "time .at in date within 20ms",
      'seats: "Ana" climber1, "Bo" climber2, "Cy" climber3',
      "words ignore case",
      "",
      "row .climb -> for .roll in .climb.rolls: .climb.by climb dice .roll",
      "  tells " + "metres[climber1] == .metres.Ana, metres[climber2] == .metres.Bo, metres[climber3] == .metres.Cy",
      "row .end -> nothing",
      "  tells ending Top, .end.winner wins",
      "row else -> refuse                       // or skip, for rows that say nothing of the match",
      "",
    ]);
    // Who climbs first is known to whoever mends it; then what is told is judged, too, with its line.
    const seats = 'seats: "Cy" climber1, "Ana" climber2, "Bo" climber3';
    const tells = "tells metres[climber1] == .metres.Cy, metres[climber2] == .metres.Ana\n";
    const mended = proposed.replace(/seats: .*/, seats).replace(/tells metres.*\n/, tells);
    const [whole] = judged(mended, log(20), machine);
    expect([whole?.finding, whole?.ending, whole?.steps]).toEqual([undefined, "Top", 6]);
    const [{ finding } = {}] = judged(mended, log(19), machine);
    expect(finding).toMatchObject({ row: 2, told: 19, comes: 20 });
    expect(log(19).split("\n")[(finding?.line ?? 0) - 1]).toBe("  {");
    expect(log(19).split("\n")[finding?.line ?? 0]).toContain("23:59:03");
  });

  test("a first map is proposed from a table of several matches, and explains them", () => {
    const machine = `machine Wharf
seats red, blue
event Rain(minutes: int 1..30)
data { planks: int 0..9 = 2  last: seat = red }
start Day
state Day {
  turn of last
  action saw { planks -= 1  last = next(me) } -> choose { when planks == 0 -> Bare(me)  else -> stay }
  on Rain(minutes) { planks += minutes } -> stay
}
ending Bare(who: seat) { loses who  wins others }
`;
    const log = `room;t;who;what;arg
7;1,5;;start;
7;2,25;R;SAW;
8;2,5;;start;
7;3;B;SAW;
8;3,5;;RAIN;2
8;3,75;R;SAW;
7;4;;OVER;BARE
`;
    const proposed = sampleMap(compile(machine).machine, "wharf.zany", log);
    expect(proposed.split("\n").slice(3, -2)).toEqual([
      'read csv ";" decimal comma',
      "time .t in s within 20ms",
      "match .room",
      'seats: "R" red, "B" blue',
      "words ignore case",
      "",
      'row .what "start" -> begin',
      'row .what "SAW" -> .who saw',
      'row .what "RAIN" -> event Rain(.arg)',
      'row .what "OVER" -> nothing',
      '  tells ending by .arg("BARE" Bare)',
    ]);
    expect(judged(proposed, log, machine).map(({ match, ending, finding }) => [match, ending, finding])).toEqual([
      ["7", "Bare", undefined],
      ["8", undefined, undefined],
    ]);
  });

  test("no first map is proposed from JSON that is cut off", () => {
    const { machine } = compile(PARCELS);
    const sampled = (log: string) => () => sampleMap(machine, "p.zany", log);
    expect(sampled('{"turns": [1,')).toThrow("This begins as JSON does, and is none");
    expect(sampled("[12:00] left signs\n[12:01] right signs\n")).not.toThrow();
  });

  test("a first map is proposed from a log, and compiles", () => {
    const machine = readFileSync("examples/herring-duel/herring-duel.zany", "utf8");
    const log = readFileSync("examples/herring-duel/logs/01.log", "utf8");
    const proposed = sampleMap(compile(machine).machine, "herring-duel.zany", log);
    expect(proposed).toContain("seats: 0 mira, 1 olle");
    expect(proposed).toContain('row .ev "throw" -> .p throw(.fish) dice .roll.aim, .roll.soak if told');
    expect(proposed).toContain('row .ev "timeout" -> timer Turn.after1');
    const { messages } = compileMap({ text: proposed, name: "m" }, { text: machine, name: "herring-duel.zany" });
    expect(messages).toEqual([]);
  });
});

test("logs and maps that nobody meant well are bounded, and told in words", () => {
  const deep = `map A for Parcels\nrow .a 1 -> nothing tells total == ${"(".repeat(400)}.n`;
  expect(compileMap({ text: deep, name: "m" }, { text: PARCELS, name: "p" }).ok).toBe(false);
  // Six tosses of which only the sum is told, with nothing else told: more ways than are tried.
  const many = `${HEAD} row .ev "t" -> left toss dice unknown then left toss dice unknown then left toss dice unknown
    then left toss dice unknown then left toss dice unknown then left toss dice unknown tells total == .n`;
  expect(one(many, `${BEGUN}{"ev":"t","n":1}`).finding?.words).toMatch(/10000 are the most/);
  const proto = '{"ev":"begin","pile":["gale","calm","calm","breeze"],"__proto__":{"x":1}}\n';
  expect(one(`${HEAD} row .ev "x" -> nothing`, proto).finding).toBeUndefined();
  const pattern = `map A for Parcels read lines row line "${"{a}x".repeat(20)}" -> nothing row else -> skip`;
  const unshuffled = PARCELS.replace("pile = shuffle(pile) ", "");
  expect(one(pattern, `${"x".repeat(500_000)}\n`, unshuffled)).toMatchObject({ rows: 1 });
});

test("mutated maps and logs end in messages and findings, never in an error of this program", () => {
  const map = readFileSync("examples/herring-duel/herring.map", "utf8");
  const machine = readFileSync("examples/herring-duel/herring-duel.zany", "utf8");
  const log = readFileSync("examples/herring-duel/logs/01.log", "utf8");
  let state = 7;
  const random = (below: number): number => {
    state = (Math.imul(state, 1103515245) + 12345) >>> 0;
    return (state >>> 8) % below;
  };
  const pieces = [
    ".p",
    ".roll.aim",
    "dice",
    "tells",
    "->",
    "also",
    "then",
    "if told",
    "(",
    ")",
    "[",
    "1",
    '"x"',
    "for .h in .p:",
    "{",
    "}",
    "any",
    "sum 3 of 2",
    "as T",
    "-1",
    "row",
    "skip",
    "in",
    "within 2",
    "\u0000",
  ];
  const mutated = (text: string, parts: readonly string[]): string => {
    let out = text;
    for (let n = 1 + random(3); n > 0; n--) {
      const at = random(out.length);
      const cut = random(4) === 0 ? random(30) : random(3);
      out = out.slice(0, at) + (random(3) === 0 ? "" : (parts[random(parts.length)] ?? "")) + out.slice(at + cut);
    }
    return out;
  };
  let judgedMaps = 0;
  for (let n = 0; n < 400; n++) {
    const {
      map: typed,
      runnable,
      messages,
    } = compileMap({ text: mutated(map, pieces), name: "m" }, { text: machine, name: "h" });
    if (!typed || !runnable) {
      expect(messages.length).toBeGreaterThan(0);
      continue;
    }
    judgedMaps++;
    const rows = mutated(log, ["null", "9", "1e99", '"mira"', "[]", "{}", "true", "-1", '"t":', "0.5"]);
    try {
      judge(runnable, typed, rowsOf(typed, rows));
    } catch (error) {
      if (!(error instanceof UnreadableLog)) throw error;
    }
  }
  expect(judgedMaps).toBeGreaterThan(40);
});
