/** Logs that write much in one place: lines that go on with a row, a whole match in one row, decks as codes. */

import { readFileSync } from "node:fs";
import { expect, test } from "vitest";
import {
  compile,
  compileMap,
  judge,
  type Judgement,
  renderMessage,
  rowsOf,
  sampleMap,
  UnreadableLog,
} from "../src/index.js";

/** Judges a log by a machine of the fair. */
function judged(machine: string, map: string, log: string): Judgement[] {
  const name = `${machine}.zany`;
  const text = readFileSync(new URL(`machines/fair/${name}`, import.meta.url), "utf8");
  const { map: typed, runnable, messages, sources } = compileMap({ text: map, name: "test.map" }, { text, name });
  if (!typed || !runnable) throw new Error(messages.map((message) => renderMessage(sources, message)).join("\n"));
  return judge(runnable, typed, rowsOf(typed, log));
}

const EXCHANGE = `map Exchange for SailExchange
read lines
time .t in clock
continued "   {who} has {coins}" in .lines
row line "opens {t}: {a}, {b}, {c}" -> begin seats 3 then .a sits then .b sits then .c sits
row line "[{t}] {p} buys {n} {kind}" -> .p order(true, .kind, .n)
row line "[{t}] {p} sells {n} {kind}" -> .p order(false, .kind, .n)
row line "[{t}] settled" -> wait tells for .l in .lines: coins[.l.who] == .l.coins
`;

const DAY = `opens 20:00: Ada, Bo, Cy
[20:10] Bo buys 2 canvas
[20:12] Cy sells 2 cord
[19:58] settled
   Ada has 40
   Bo has 28
   Cy has 48
`;

test("of lines that go on with a row several make a list; a clock that goes back has passed midnight", () => {
  // Ada gives no order: the day is over a whole day after it began, and a clock shows less then.
  const whole = DAY.replace("[19:58]", "[20:00]");
  expect(judged("sail-exchange", EXCHANGE, whole)).toMatchObject([{ rows: 4, steps: 3, ways: 1 }]);
  expect(judged("sail-exchange", EXCHANGE, DAY)[0]?.finding?.words).toContain("coins[broker2] is 40 by the machine");
  const [wrong] = judged("sail-exchange", EXCHANGE, whole.replace("Cy has 48", "Cy has 47"));
  expect(wrong?.finding).toMatchObject({ row: 4, words: "coins[broker3] is 48 by the machine, and the log tells 47." });
  // Why speaks of that broker alone, though the step pays all of them.
  expect(wrong?.finding?.why.join("\n")).toContain("coins.broker3 40 -> 48");
  expect(wrong?.finding?.why.join("\n")).not.toContain("broker2");
  const early = `${whole}[19:59:50] Ada sells 0 cord\n`;
  expect(judged("sail-exchange", EXCHANGE, early)[0]?.finding?.words).toBe(
    "This happens 10 s before the row above it.",
  );

  const once = EXCHANGE.replace(" in .lines", "");
  const twice = (): unknown => judged("sail-exchange", once, whole);
  expect(twice).toThrow(UnreadableLog);
  expect(twice).toThrow('tells {who} a second time. Lines that come several times make a list: continued "   {who}');
  const { machine } = compile(readFileSync(new URL("machines/fair/sail-exchange.zany", import.meta.url), "utf8"), "x");
  expect(sampleMap(machine, "x.zany", whole)).toContain('continued "   {p} has {has}" in .lines');
});

test("a whole match stands in one row, with lists in lists: the finding says in which element", () => {
  const map = `map Whole for SiegeOfStalls
match .id
seats: "L" side1, "R" side2
row .id -> begin then for .t in .turns {
  for .m in .t.moves {
    .t.by build(.m.i) if .m.kind == "build" then .t.by throw(.m.i, .m.with) dice .m.die if .m.kind == "throw"
  } then .t.by done if not .t.last
  tells energy[.t.by] == .t.energy
}`;
  const match = (energy: number): string =>
    JSON.stringify({
      id: `match ${energy}`,
      turns: [
        { by: "L", moves: [{ kind: "throw", i: 3, with: 1, die: 2 }], energy: 2 },
        {
          by: "R",
          moves: [
            { kind: "build", i: 4 },
            { kind: "build", i: 3 },
          ],
          energy,
        },
        { by: "L", moves: [{ kind: "build", i: 0 }], energy: 3, last: true },
      ],
    });
  const [right, wrong] = judged("siege-of-stalls", map, `${match(2)}\n${match(4)}\n`);
  expect(right).toMatchObject({ match: "match 2", steps: 6 });
  expect(wrong?.finding).toMatchObject({
    row: 2,
    inside: ".turns[1]",
    words: "energy[side2] is 2 by the machine, and the log tells 4.",
  });
  // The last step is the end of the turn; what wrote it is found before it.
  expect(wrong?.finding?.why[1]).toBe("step 4, side2 build(3), wrote it last:");
  // The same in lines of text: entries of a list with entries of their own.
  const lines = `map Lines for SiegeOfStalls
read lines
row line "{p}: {moves}" -> for .m in .moves by ";" {
  .p throw(.m[1], .m[2]) dice .m[3] if .m[0] == "throw" then .p build(.m[1]) if .m[0] == "build"
} then .p done`;
  const text = "side1: throw 3 1 2; build 0\nside2: build 4\n";
  expect(judged("siege-of-stalls", lines, text)).toMatchObject([{ steps: 5, ways: 1 }]);
  expect(judged("siege-of-stalls", lines, text.replace("3 1 2", "3 1 3"))[0]?.finding).toMatchObject({
    inside: ".moves[0]",
    kind: "dice",
  });
  const foreign = match(2).replace('"i":3}', '"i":1}');
  expect(judged("siege-of-stalls", map, foreign)[0]?.finding).toMatchObject({
    inside: ".turns[1].moves[1]",
    kind: "refused",
  });
  // What it was refused by, and what wrote that last.
  const dear = match(2).replace('"i":4},', '"i":4},{"kind":"throw","i":0,"with":2,"die":1},');
  const why = judged("siege-of-stalls", map, dear)[0]?.finding?.why ?? [];
  expect(why.slice(0, 2)).toEqual(["needs energy[me] >= 1", "energy[me] is 0"]);
  expect(why[2]).toBe("step 4, side2 throw(0, 2), wrote it last:");
  expect(why.at(-1)).toContain("energy.side2 3 -> 0");
});

test("a table is of the elements of a list, too; what is shuffled has no name; a word in another case is told", () => {
  const codes = ["madder", "woad", "weld"].flatMap((dye) =>
    [1, 2, 3, 4, 5].map((worth) => `"${dye[0]}${dye[1]}${worth}" Card(dye: ${dye}, worth: ${worth})`),
  );
  const map = `map Ribbon for RibbonDraft
table Code: ${codes.join(", ")}
row .ev "deal" -> begin dice shuffle to .deck as Code
row .ev "keep" -> .p keep(i where hand[.p][i] == .card as Code)
row .ev "hands" -> nothing tells hand == .hands as Code, for .h in .hands: hand[.h.key].size == .h.value.size`;
  const deck = "ma5 we1 wo1 wo2 ma1 ma2 ma3 ma4 we2 we3 we4 we5 wo3 wo4 wo5";
  const log = (third: string, who = "ana"): string =>
    [
      { ev: "deal", deck },
      { ev: "keep", p: who, card: "ma5" },
      { ev: "keep", p: "bes", card: "ma4" },
      { ev: "keep", p: "col", card: "we2" },
      { ev: "hands", hands: { ana: ["we3", "we4", "we5"], bes: ["we1", "wo1", "wo2"], col: ["ma1", "ma2", third] } },
    ]
      .map((row) => JSON.stringify(row))
      .join("\n");
  expect(judged("ribbon-draft", map, log("ma3"))).toMatchObject([{ steps: 3, ways: 1 }]);
  expect(judged("ribbon-draft", map, log("ma4"))[0]?.finding).toMatchObject({ row: 5, kind: "told" });
  expect(judged("ribbon-draft", map, log("mo4"))[0]?.finding?.words).toContain('the table has no "mo4"');
  expect(judged("ribbon-draft", map, log("ma3", "Ana"))[0]?.finding?.words).toContain("words ignore case");
  expect(judged("ribbon-draft", map, log("ma3", "Olga"))[0]?.finding?.words).toContain('seats: "Olga" ana');
  const misspelt = (): unknown => judged("ribbon-draft", map.replace("shuffle to", "shuffle crads to"), log("ma3"));
  expect(misspelt).toThrow('There is no list that is shuffled "crads".');
  expect(misspelt).toThrow('Did you mean "cards"?');
  const bare = map.replace(".deck as Code", ".deck");
  expect(judged("ribbon-draft", bare, log("ma3"))[0]?.finding?.words).toContain('table NAME: "ma5" Card(...)');
  // By its name, which is none of the data; and another order than of these cards.
  const named = map.replace("shuffle to", "shuffle cards to");
  expect(judged("ribbon-draft", named, log("ma3"))[0]?.finding).toBeUndefined();
  const other = log("ma3").replace("ma5 we1", "ma5 ma5");
  expect(judged("ribbon-draft", named, other)[0]?.finding?.words).toContain("cards is shuffled from");
});
