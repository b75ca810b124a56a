/** The compiler's messages: each mistake is named at its place, and the rest of the file is still read. */

import { applyFixes, begin, compile, format, renderMessage, Runnable, type Situation, step } from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { isReserved, wordsOf } from "../src/language/words.js";
import { EXAMPLES, exampleText, findPart } from "./examples.js";

const DUEL = exampleText("kite-duel.zany");

/** Breaks KiteDuel at one place. */
function broken(from: string | RegExp, to: string): string {
  const text = DUEL.replace(from, to);
  if (text === DUEL) throw new Error(`"${from}" is not in KiteDuel`);
  return text;
}

/** What is broken, the message it triggers, the text it points at, and words of the way out. */
const MISTAKES: readonly [string, string | RegExp, string, string, string, RegExp?][] = [
  ["field", "kites[target].lift -= hit", "kites[target].lfit -= hit", "unknown-field", "lfit", /"lift"/],
  ["signal raised", "raise Struck(", "raise Strcuk(", "unknown-signal", "Strcuk", /"Struck"/],
  ["signal heard", "on Struck(source", "on struck(source", "unknown-signal", "struck", /"Struck"/],
  ["state in an arrow", "} -> Judge", "} -> Jugde", "unknown-state", "Jugde", /"Judge"/],
  ["start", "  start Turn", "  start Tunr", "unknown-state", "Tunr", /"Turn"/],
  ["ending in a test", "expect ending Lapsed", "expect ending Lasped", "unknown-state", "Lasped", /"Lapsed"/],
  ["value", "queue = sortDown", "quue = sortDown", "unknown-value", "quue", /"queue"/],
  ["function", "force - shield(target)", "force - sheild(target)", "unknown-value", "sheild", /"shield"/],
  ["effect", "strike(me, target", "strke(me, target", "unknown-effect", "strke", /"strike"/],
  ["list operation", "queue.take()", "queue.takee()", "unknown-effect", "takee", /"take"/],
  ["type", "kites per seat: Kite", "kites per seat: Kit", "unknown-type", "Kit", /"Kite"/],
  ["action in a policy", "lift < 12: mend", "lift < 12: mned", "unknown-action", "mned", /"mend"/],
  ["seat in a test", "north slash(south) dice 6", "nroth slash(south) dice 6", "unknown-seat", "nroth", /"north"/],
  ["refusal code", "refused matchOver", "refused matchover", "unknown-refusal", "matchover", /"matchOver"/],
  ["argument by name", "slash(target: next(me))", "slash(tagret: next(me))", "unknown-argument", "tagret", /"target"/],
  ["text for a number", "lap += 1", 'lap += "one"', "wrong-type", '"one"'],
  ["number in quotes", "lap += 1", 'lap += "1"', "wrong-type", '"1"', /Leave the quotes out: 1\./],
  ["number for a bool", "braced = true", "braced = 1", "wrong-type", "1", /Write true/],
  [
    "bool for a number",
    "lap += 1",
    "lap += aloft(north)",
    "wrong-type",
    "aloft(north)",
    /if aloft\(north\) then 1 else 0/,
  ],
  ["list for a seat", "turn of queue.first", "turn of kites", "wrong-type", "kites", /north, south/],
  ["record for a number", "lap += 1", "lap += kites[north]", "wrong-type", "kites[north]", /kites\[north\]\.lift/],
  ["number for a list", "queue = sortDown", "queue = 3  queue = sortDown", "wrong-type", "3", /Write a list/],
  ["who may, behind the needs", 'tape left" {', 'tape left" by anyone {', "syntax", "by anyone", /by anyone needs/],
  ["note without quotes", 'note "the crowd gasps"', "note amount", "syntax", "amount", /"\{amount\}"/],
  [
    "back, by chance",
    "after 2d -> return",
    "after 2d -> odds { 1 -> return 2 -> Paused }",
    "wrong-place",
    "-> return",
    /choose/,
  ],
  ["num for an int", "kites[me].lift += 12", "kites[me].lift += 12 / 2", "wrong-type", "12 / 2", /floor/],
  ["seat compared with an int", "where target != me", "where target != 1", "wrong-type", "target != 1", /north, south/],
  [
    "too many arguments",
    "strike(me, target, kites",
    "strike(me, target, 1, kites",
    "wrong-arguments",
    "kites[me].pull + roll(1..6)",
  ],
  [
    "no arrow",
    "action brace { kites[me].braced = true } -> Judge",
    "action brace { kites[me].braced = true }",
    "missing-arrow",
    "brace",
    /stay/,
  ],
  ["no else", "else                  -> Turn", "", "choice-without-else", "-> choose", /else/],
  ["no result", "{ wins winner  loses others }", "{ wins winner }", "seat-without-result", "Flown", /others/],
  ["unreachable state", "action pause by anyone -> Paused", "", "unreachable-state", "Paused"],
  ["unreachable ending", "-> BothDown", "-> Flown(north)", "unreachable-ending", "BothDown"],
  ["duplicate state", "state Judge {", "state Turn {} state Judge {", "duplicate-name", "Turn"],
  ["built-in name", "lap: int 0..99 = 0", "lap: int 0..99 = 0 me: int", "built-in-name", "me"],
  ["reserved word", "lap: int 0..99 = 0", "lap: int 0..99 = 0 raise: int", "reserved-word", "raise"],
  [
    "a law in the old order",
    'law "lift falls only by a strike or rises by mending": kites.lift changes only in Turn',
    'law "x": changes kites.lift only in Turn',
    "syntax",
    "changes",
  ],
  [
    "a law about what is no number",
    "kites.lift changes only in Turn",
    "kites.braced falls only in Turn",
    "wrong-type",
    "kites.braced",
    /changes only in STATES/,
  ],
  [
    "too few rows",
    "lap: int 0..99 = 0",
    "lap: int 0..99 = 0 g: grid 2 by 2 of int = [[1, 2]]",
    "wrong-type",
    "[[1, 2]]",
  ],
  [
    "a short row",
    "lap: int 0..99 = 0",
    "lap: int 0..99 = 0 g: grid 2 by 2 of int = [[1, 2], [3]]",
    "wrong-type",
    "[3]",
  ],
  [
    "a key twice",
    "lap: int 0..99 = 0",
    'lap: int 0..99 = 0 m: map of text to int = ["a": 1, "a": 2]',
    "duplicate-name",
    '"a"',
    /Leave one of them out/,
  ],
  [
    "a seat without a value",
    "lap: int 0..99 = 0",
    "lap: int 0..99 = 0 rival per seat: seat = [north: south]",
    "no-default",
    "[north: south]",
    /else: VALUE/,
  ],
  [
    "an else in a map",
    "lap: int 0..99 = 0",
    'lap: int 0..99 = 0 m: map of text to int = ["a": 1, else: 2]',
    "wrong-type",
    "2",
    /per seat/,
  ],
  ["keys in a list", "lap: int 0..99 = 0", "lap: int 0..99 = 0 l: list of int = [1: 2]", "wrong-type", "[1: 2]"],
  [
    "dice in a condition",
    "needs kites[me].tape > 0",
    "needs roll(1..2) > 1",
    "roll-not-allowed",
    "roll(1..2)",
    /Roll in an effect/,
  ],
  ["me where nobody acts", "enter { queue.take() }", "enter { kites[me].lift = 1 }", "no-me", "me"],
  [
    "arrow to an active state",
    "when queue.empty      -> again Lap",
    "when queue.empty      -> Lap",
    "again-needed",
    "Lap",
    /again Lap/,
  ],
  [
    "return outside an overlay",
    "action cutLoose -> Flown(next(me))",
    "action cutLoose -> return",
    "wrong-place",
    "-> return",
  ],
  ["lost brace of a block", "lap += 1\n", "lap += 1 if lap > 2 {\n", "missing-brace", "}"],
  ["unclosed text", '"the crowd gasps"', '"the crowd gasps', "unclosed-text", '"the crowd gasps }'],
  [
    "recursion",
    "max(0, force - shield(target))",
    "max(0, force - shield(target))\n  strike(source, target, force)",
    "recursion",
    "strike",
  ],
  ["assignment as comparison", "when not aloft(north) and", "when aloft(north) = false and", "syntax", "=", /==/],
];

describe("a mistake in KiteDuel", () => {
  test.each(MISTAKES)("%s", (_what, from, to, name, pointsAt, help) => {
    const { messages, sources, ok } = compile(broken(from, to), "kite-duel.zany");
    const message = messages.find((m) => m.name === name);
    expect(message, JSON.stringify(messages)).toBeDefined();
    if (!message) return;
    expect(sources.text(message)).toBe(pointsAt);
    if (help) expect(`${message.words} ${message.help ?? ""}`).toMatch(help);
    // Whatever does not fit, it is said what to write instead, and that alone is said.
    if (name === "wrong-type") expect([messages.length, message.help]).toEqual([1, expect.stringMatching(/./)]);
    if (name !== "unreachable-state" && name !== "unreachable-ending") expect(ok).toBe(false);
  });

  test("is not told twice, and none of its consequences is", () => {
    const { messages } = compile(broken("kites[target].lift -= hit", "kites[target].lfit -= hit"));
    expect(messages.map((m) => m.name)).toEqual(["unknown-field"]);
  });
});

test("a comparison that always comes out the same says what its sides can be", () => {
  const words = (from: string, to: string): string[] => compile(broken(from, to)).messages.map((m) => m.words);
  expect(words("    after 10d ->", "    when lap == 120 -> Lapsed(north)\n    after 10d ->")).toEqual([
    '"lap == 120" is always false: lap goes from 1 to 99 here, and this asks for 120.',
  ]);
  expect(words("    after 10d ->", "    after 10d when kites[north].tape <= 3 ->")).toEqual([
    '"kites[north].tape <= 3" is always true: kites[north].tape goes from 0 to 2 here, and this asks for at most 3.',
  ]);
});

test("data that may not be set come with the way on which nothing sets them", () => {
  const { messages, sources } = compile(`machine Aim
seats ann
data { goal: int 0..9  shots: int 0..9 = 0 }
start Stand
state Stand {
  turn of ann
  action aim { goal = 3 } -> Shoot
  action walk -> Walk
}
state Walk {
  turn of ann
  action aimThere { goal = 4 } -> Shoot
  action run -> Shoot
}
state Shoot {
  turn of ann
  action shoot { shots += 1 } -> choose {
    when shots == goal -> Home
    else -> stay
  }
}
ending Home { wins ann }
`);
  expect(messages.map((m) => [m.name, sources.text(m)])).toEqual([["may-be-unset", "goal"]]);
  const related = messages[0]?.related;
  expect(related?.words).toBe("Nothing sets it on the way Stand -> Walk -> Shoot.");
  expect(sources.place(related?.from ?? 0).line).toBe(13);
});

test("a step that goes round is at fault by the first condition of its circle, wherever it was met", () => {
  const { machine } = compile(`machine Wrong
seats ann
data { rounds: int 0..9999 = 0  gusts: int 0..9 = 0 }
start Turn
state Turn { turn of ann  action go -> Cup }
state Cup { enter { rounds = (rounds + 1) mod 7 } -> Decide }
state Decide {
  turn of ann
  when rounds < 9 -> Cup
  action end -> Home
}
ending Home { wins ann }
`);
  const runnable = new Runnable(machine);
  const { taken } = begin(runnable, { seed: "round" });
  const { fault } = step(runnable, taken?.situation as Situation, { kind: "action", seat: "ann", action: "go" });
  expect(fault?.words).toMatch(/goes round in: (Cup -> Decide -> Cup|Decide -> Cup -> Decide)\./);
  expect(machine.sources.place(fault?.position ?? 0).line).toBe(9);
});

test("a circle is told where it leaves a state in which somebody could act", () => {
  const { messages, sources } = compile(`machine Wrong
seats ann
data { offered: int 0..9 = 0  rounds: int 0..9 = 0 }
start Divide
state Divide {
  turn of ann
  when offered == 0 -> Next
  action offer(n: int 1..9) { offered = n } -> Home
}
state Next {
  when rounds == 9 -> Home
  enter -> Divide
}
ending Home { wins ann }
`);
  const circle = messages.find(({ name }) => name === "endless-loop");
  expect(circle && sources.text(circle)).toBe("offered == 0");
  expect([circle?.related?.words, circle?.related && sources.text(circle.related)]).toEqual([
    'In "Divide" somebody could act.',
    "Divide",
  ]);
});

test("the examples compile without a message", () => {
  for (const name of [...EXAMPLES, "older/kite-duel-1.zany", "older/stall-siege-1.zany"]) {
    expect(compile(exampleText(name), name, findPart).messages, name).toEqual([]);
  }
});

test("a declaration that cannot be read does not make its uses unknown too", () => {
  const broken = (text: string): string[] => compile(text).messages.map((m) => m.name);
  expect(broken(DUEL.replace("function shield(s: seat): int =", "function shield(s: seat): int"))).toEqual(["syntax"]);
  expect(broken(DUEL.replace("target: seat, force: int)", "target: seat, force int)"))).toEqual(["syntax"]);
});

test("a name that cannot be one, or is two things at once, is told once, and not what follows from it", () => {
  const told = (declared: string, does: string): string[] =>
    compile(`machine Names
seats ann, ben
data { knots: int 0..9  onTurn: seat = ann }
${declared}
start Tie
state Tie {
  turn of onTurn
  action tie {
    ${does}
    onTurn = next(me)
  } -> choose {
    when knots == 9 -> Tied
    else -> stay
  }
}
on Left(s) -> Tied
ending Tied { ranks sortDown(s in seats: if s == onTurn then 1 else 0 ties inOrder) }
`).messages.map(({ name, words }) => `${name}: ${words}`);
  const words = told("type Way is over, turn, back\ndata { way: Way }", "way = turn if way == turn { knots += 1 }");
  expect(words).toEqual(['reserved-word: Expected a member, but "turn" is a word of the language.']);
  const two = told("type Way is over, gust\ndata { gust: int 0..9  way: Way }", "gust += 1 if gust > 3 { knots += 1 }");
  expect(two).toEqual(['duplicate-name: "gust" is the name of a member of an enumeration already.']);
  expect(told("", 'knots += 1 let first = sortDown(s in seats: knots, 3 ties inOrder) note "{first.size}"')).toEqual([
    'other-language: "sortDown" goes by one value.',
  ]);
});

/** The words and signs of a text that are no comments, with where they stand. */
function tokensOf(text: string): readonly (readonly [token: string, at: number])[] {
  const signs = /\/\/.*|"(?:[^"\\]|\\.)*"|[A-Za-z_]\w*|[\d.]+\w*%?|[+-]=|->|[=!<>]=|\.\.|\S/g;
  return [...text.matchAll(signs)].map((m) => [m[0], m.index] as const).filter(([token]) => !token.startsWith("//"));
}

test.each<[string, (token: string) => string | undefined]>([
  ["left out", () => " "],
  ["written twice", (token) => `${token} ${token}`],
  ["misspelt", (token) => (/^[a-zA-Z]{4}/.test(token) ? token.slice(0, 2) + token.slice(3) : undefined)],
])("a word or sign that is %s is one message, nearly wherever it stands", (_, changed) => {
  let tried = 0;
  const several: string[] = [];
  for (const [token, at] of tokensOf(DUEL)) {
    const instead = changed(token);
    if (instead === undefined) continue;
    tried++;
    const { messages } = compile(DUEL.slice(0, at) + instead + DUEL.slice(at + token.length), "m", undefined, {
      errorsOnly: true,
    });
    if (messages.filter((m) => m.severity === "error").length > 1) several.push(`${token} at ${at}`);
  }
  expect(tried).toBeGreaterThan(200);
  expect(several.length, several.join(", ")).toBeLessThanOrEqual(tried / 50);
});

test.each([
  ["function aloft(s: seat)", "function aloft s: seat)", 'syntax: A "(" is missing after this.'],
  ["action slash(target", "action slash target", 'syntax: A "(" is missing after this.'],
  ["action slash(", "action (", 'syntax: Expected the name of the action, but found "(".'],
  ["type Kite {", "type Kite", 'missing-brace: A "{" is missing after this.'],
  ["start Lap\n\nstate Lap {", "start Lap\n\nstate Lap", 'missing-brace: A "{" is missing after this.'],
  ["    -> choose {", "    -> choose", 'missing-brace: A "{" is missing after this.'],
  ["enter { queue.take() }", "enter queue.take() }", 'missing-brace: A "{" is missing after this.'],
  ["let hit = max(0, force - shield(target))", "let hit = (3", 'syntax: Expected ")" to close the parenthesis'],
  ["} -> Judge", "} Judge", 'other-language: Where it leads is written with an arrow: "->".'],
  [
    "  kites[target].lift -= hit\n",
    "  kites[target].\n",
    'syntax: Expected the name of a field after ".", but the next line begins with "note".',
  ],
  [
    'test "nobody plays for ten days" {',
    'test "nobody plays for ten days" {\n  given data { lap: 3 }',
    "reserved-word: Expected data to begin with",
  ],
  [
    "not aloft(north) and not aloft(south)",
    "not any(s in seats where aloft(s))",
    "wrong-arguments: What any asks of each stands behind a colon.",
  ],
  ["lap += 1", "lap += kites[north].", 'syntax: Expected the name of a field after ".", but the next line begins'],
  ["for s in seats {", "for s in in seats {", 'syntax: "in" stands here twice.'],
  ["else                  -> Turn", "-> Turn", 'syntax: Expected "when", "else" or "}" in a choice'],
  ["seats north, south", "seats", "syntax: Expected the name of a seat, but the next line begins"],
  ["machine KiteDuel", "machine", "syntax: Expected the name of the machine, but the next line begins"],
])("%j written as %j is told once", (right, wrong, words) => {
  expect(DUEL).toContain(right);
  const told = compile(DUEL.replace(right, wrong)).messages.filter((m) => m.severity === "error");
  expect(told.map((m) => `${m.name}: ${m.words}`)).toEqual([expect.stringContaining(words)]);
});

test("what asks for a turn of each is told once for a turn that is none", () => {
  const text = `machine M
seats a, b
start S
state S {
  turn of seats
  action go -> ready
  action rest -> ready
  when all ready -> E
}
ending E { draws all }
`;
  const { messages } = compile(text);
  expect(messages.filter((m) => m.severity === "error").map((m) => m.related?.words)).toEqual([
    "This turn is anybody's of those it names.",
  ]);
});

test("a name that nobody declared is told once, and a misspelt one with a fix of all places", () => {
  const told = (text: string): string[] => compile(text).messages.map((m) => m.name);
  expect(told(DUEL.replace("  let hit = max(0, force - shield(target))\n", ""))).toEqual(["unknown-value"]);
  const { messages, sources } = compile(DUEL.replaceAll("hit}", "hitt}").replace("target, hit)", "target, hitt)"), "m");
  expect(messages.map((m) => m.help)).toEqual(['Did you mean "hit"? It is written so 2 times.']);
  expect(applyFixes(sources, messages).texts.get("m")).toBe(DUEL);
});

test("a field that cannot be read costs neither the fields beside it nor the declarations behind", () => {
  const text = DUEL.replace("guard:  int 0..9  = 2", "signal: int 0..9 = 2")
    .replace("data {\n", "data {\n  bad: int 0.. = [\n    1, 2\n  ]\n")
    .replaceAll(".guard", ".pull");
  expect(compile(text).messages.map((m) => m.name)).toEqual(["reserved-word", "syntax"]);
});

test("several mistakes are all found in one run, in the order of the text", () => {
  const text = DUEL.replace("lift -= hit", "lfit -= hit")
    .replace("lap += 1\n", "lap += = 1\n")
    .replace("queue.take()", "queue.takee()")
    .replace("loses late ", "loses lat ");
  const { messages, sources } = compile(text);
  expect(messages.map((m) => [m.name, sources.place(m.from).line])).toEqual([
    ["unknown-field", 27],
    ["syntax", 38],
    ["unknown-effect", 67],
    ["unknown-value", 87],
  ]);
});

test("a lost brace of a state is reported where the lines say it belongs", () => {
  const text =
    "machine M\nseats a, b\nstart One\nstate One {\n  action go -> Two\n\nstate Two {\n  action end -> Over\n}\nending Over { draws all }\n";
  const { messages, sources } = compile(text);
  const [brace] = messages.filter((m) => m.name === "missing-brace");
  expect(brace && sources.place(brace.from).line).toBe(5);
  expect(brace?.words).toContain("One");
});

test("a message is shown with its line, the place underlined and what to do", () => {
  const { messages, sources } = compile(broken("raise Struck(", "raise Strcuk("), "kite-duel.zany");
  expect(messages[0] && renderMessage(sources, messages[0]).split("\n")).toEqual([
    "error unknown-signal at kite-duel.zany:29:9",
    "  29 |   raise Strcuk(source, target, hit)",
    "     |         ~~~~~~",
    '  There is no signal "Strcuk".',
    '  Did you mean "Struck"?',
  ]);
});

test("whatever is cut out of a machine or put into it, compiling ends with messages", () => {
  const pieces = [
    "{",
    "}",
    "(",
    ")",
    "->",
    '"',
    "state",
    "action",
    "when",
    "in",
    "[",
    "..",
    "1",
    "each",
    "\\",
    "{{",
    "__proto__",
    "constructor",
    ":",
    "start",
    "\u{1F3EE}",
  ];
  fc.assert(
    fc.property(
      fc.nat(DUEL.length),
      fc.nat(60),
      fc.array(fc.constantFrom(...pieces), { maxLength: 4 }),
      (at, length, inserted) => {
        const text = DUEL.slice(0, at) + inserted.join(" ") + DUEL.slice(at + length);
        const { messages, ok } = compile(text);
        expect(ok).toBe(!messages.some((m) => m.severity === "error"));
      },
    ),
    { numRuns: 500 },
  );
});

describe("format", () => {
  const words = (text: string) => text.replace(/\/\/[^\n]*/g, (c) => c.trimEnd()).replace(/\s+/g, "");

  test.each([...EXAMPLES, "older/kite-duel-1.zany"])("leaves %s as it is, and fixes it when it is unkempt", (name) => {
    const text = exampleText(name);
    expect(format(text)).toBe(text);
    expect(
      format(
        text
          .replace(/^ +/gm, "")
          .replace(/\n/g, " \n")
          .replace(/\n\s*\n/g, "\n\n\n\n"),
      ),
    ).toBe(text);
  });

  test("keeps every token and comment, and is at rest after once, whatever the text", () => {
    const pieces = [
      "{",
      "}",
      "(",
      ")",
      "->",
      '"',
      "// why\n",
      "/// doc\n",
      "else",
      "  ",
      "\n",
      "-",
      "..",
      "\t",
      "[",
      "]",
      ",",
    ];
    fc.assert(
      fc.property(
        fc.nat(DUEL.length),
        fc.nat(60),
        fc.array(fc.constantFrom(...pieces), { maxLength: 5 }),
        (at, length, inserted) => {
          const text = DUEL.slice(0, at) + inserted.join("") + DUEL.slice(at + length);
          const once = format(text);
          expect(words(once)).toBe(words(text));
          expect(format(once)).toBe(once);
        },
      ),
      { numRuns: 1_000 },
    );
  });

  test("what it formats compiles to the same machine", () => {
    const shape = (text: string) =>
      JSON.stringify(compile(text, "m.zany", findPart).machine.states, (key, value) =>
        ["from", "to", "nameSpan", "nameFrom"].includes(key) ? undefined : value,
      );
    for (const text of EXAMPLES.map(exampleText)) {
      const squeezed = text.replace(/^ +/gm, "").replace(/ (\+=|-=|==|=|->|>|\+) /g, "$1");
      expect(shape(format(squeezed))).toBe(shape(text));
    }
  });
});

test("a cause is told, its consequences are not; a hint only where it helps", () => {
  const names = (text: string) => compile(text).messages.map((m) => `${m.name}: ${m.help ?? ""}`);
  expect(names("hello")).toEqual([expect.stringMatching(/^syntax: A machine begins with/)]);
  expect(names("")).toEqual([expect.stringMatching(/^syntax: /)]);
  expect(names("machine M\nseats a b\nstart S\nstate S { turn of a action go -> E }\nending E { wins a }")).toEqual([
    "syntax: Write: seats a, b",
  ]);
  const counted =
    "machine M\nseats 2 hand\nstart S\nstate S { turn of hand1 action go -> E }\nending E { wins hand1 loses others }";
  expect(names(counted)).toEqual(["syntax: Write both, also where they are the same: seats 2..2 hand"]);
  const { sources, messages } = compile(counted, "machine.zany");
  expect(applyFixes(sources, messages).texts.get("machine.zany")).toContain("\nseats 2..2 hand\n");
  expect(
    names("machine M\nseats a, b\nstart S\nstate S { turn of a action go { n = 1 } -> E }\nending E { draws all }"),
  ).toEqual(["unknown-value: Known here: a, b, me, seats, inPlay, seated, others, now."]);
});

const MISNAMED = wordsOf("item", "top", "statement", "arrow", "test").filter(
  (word) => isReserved(word) && word !== "if",
);

test.each([...MISNAMED, "where", "needs"])(
  "that %s cannot be a name is told where it is declared, not where it is used",
  (word) => {
    const named = (name: string): string => `machine M
seats 2..4 hand
data {
  ${name}: int 0..9 = 0
  ${name}s per seat: int = 0
}
function twice(n: int): int = n + ${name}
start S
state S {
  turn of hand1
  action go(by: seat in seats where ${name} < 9) needs ${name} >= 0 and not (${name} == 9) {
    ${name} += 1
    ${name}s[by] += twice(${name})
    if ${name} > 3 { ${name} = max(${name}, 4) }
  } -> choose {
    when ${name} >= 8 or ${name}s[by] > 99 -> E(${name})
    else              -> stay
  }
}
ending E(n: int) { wins hand1 loses others }
law "it is no secret": ${name} <= 9
`;
    const { messages, sources } = compile(named(word));
    expect(messages.map((m) => [m.name, sources.place(m.from).line])).toEqual([["reserved-word", 4]]);
    expect(compile(named("pot")).messages.filter(({ severity }) => severity === "error")).toEqual([]);
  },
);

test("a word of the language as the name of data of each seat is told once", () => {
  const { messages } = compile(`machine M
seats a, b
data { dice per seat: int 0..5 = 5 }
start S
state S {
  turn of a
  action go { dice[me] -= 1 } -> choose { when dice[a] == 0 or sum(s in seats: dice[s]) < 3 -> E else -> stay }
}
ending E { draws all }
`);
  expect(messages.map(({ name }) => name)).toEqual(["reserved-word"]);
});

test.each([
  ["a condition", "choose {\n when n 8 -> E\n when n > 6 { n = 2 } -> T\n else -> stay\n }"],
  ["a branch on a line with others", "choose { when n 8 -> E when n > 6 -> T else -> stay }"],
  ["an else", "choose { when n > 8 -> E else stay }"],
  ["the block of a branch", "choose { when n > 8 { n = } -> E else -> stay }"],
  ["odds", "odds { 30 - E 40 -> stay }"],
])("%s that cannot be read is told once, and what stands behind it is read", (_what, arrow) => {
  const { messages } = compile(`machine M
seats one, two
data { n: int 0..9 }
start S
state S { turn of one action go { n += 1 } -> ${arrow} action end -> E }
state T { turn of one action back -> S action on1 -> nowhere }
ending E { draws all }
`);
  expect(messages.map(({ name }) => name)).toEqual(["syntax", "unknown-state"]);
});

test.each([
  ["n > 2 and strike == one", ["strike"], /^"strike" is an action, not a value\. What a seat did/],
  ["did(one, strike)", ["did"], /^There is no function "did"/],
  ["hit > 2", ["hit"], /^There is no value "hit"\. Did you mean "hits"/],
])("an action in place of a value: %s", (test, points, words) => {
  const text = `machine M
seats one, two
data { n: int 0..9  hits: int 0..9 }
start S
state S { turn of one action strike { n += 1 } -> choose { when ${test} -> E else -> stay } action hit { hits += 1 } -> E }
ending E { draws all }
`;
  const errors = compile(text).messages.filter(({ severity }) => severity === "error");
  expect(errors.map(({ from, to }) => text.slice(from, to))).toEqual(points);
  expect(`${errors[0]?.words} ${errors[0]?.help}`).toMatch(words);
});

test("a function by its name alone is told how it is called, and called by the fix where it takes nothing", () => {
  const text = `machine M
seats a, b
data { n: int 0..9 }
function many: int = n + 1
function more(by: int): int = n + by
start S
state S { turn of a action go { n += many } -> choose { when many > 8 -> E when more == 3 -> E else -> stay } }
ending E { draws all }
`;
  const { sources, messages } = compile(text);
  expect(messages.map(({ name, help }) => [name, help])).toEqual([
    ["wrong-type", "Call it: many()."],
    ["wrong-type", "Call it: many()."],
    ["wrong-type", "Call it: more(by)."],
  ]);
  expect(applyFixes(sources, messages).texts.get("machine.zany")).toBe(text.replace(/many(?= [}>])/g, "many()"));
});

test.each([
  ["after 1m -> T", "until the time is up"],
  ["on Noon -> T", "until the game tells of something"],
  ["after each 1m { n[a] += 1 }", "for ever"],
])("where all are ready in vain it is said how long it waits: %s", (item, until) => {
  const { messages } = compile(`machine M
seats a, b
event Noon()
data { n per seat: int 0..3 }
start S
state S { turn of each seats action pick1(k: int 1..3) { n[me] = k } -> ready ${item} }
state T { enter -> choose { when n[a] > n[b] -> E else -> S } }
on Left(s) -> E
on Noon { n[b] = 0 }
ending E { draws all }
`);
  const told = messages.filter(({ name }) => name === "endless-wait").map(({ words }) => words);
  expect(told).toEqual([`When all are ready in "S", nothing goes on: it waits ${until}.`]);
});

test("dice without a comma between them are read, told, and mended", () => {
  const text = `machine M
seats a
data { n: int 0..99 }
start S
state S { turn of a action go { n += roll(1..6) + roll(1..6)  n += if chance(5%) then 1 else 0 } -> choose { when n > 8 -> E else -> stay } }
ending E { draws all }
test "x" {
  a go dice 1, 2 false
  a go dice 3 any, ...
  a go dice 2 ...
  expect n > 3
}
`;
  const { sources, messages } = compile(text);
  expect(messages.map(({ words }) => words)).toEqual(
    ["false", "any", "..."].map((die) => `A "," is missing after this, before "${die}".`),
  );
  const mended = applyFixes(sources, messages).texts.get("machine.zany") ?? "";
  expect(mended).toContain("dice 1, 2, false\n  a go dice 3, any, ...\n  a go dice 2, ...\n");
  expect(compile(mended).messages).toEqual([]);
});

test("data of a state are changed by their name alone inside it, and only read from outside", () => {
  const text = `machine M
seats a, b
data { n: int 0..9 }
start S
state S { turn of a action go { n += 1  Bout.left -= 1 } -> Bout(3) action on1 { Bout.lft = 1  E.n = 1 } -> stay }
overlay Bout(left: int 0..9) { turn of b action hit { Bout.left -= 1  n += Bout.left } -> choose { when left == 0 -> E else -> stay } }
ending E { draws all }
`;
  const { sources, messages } = compile(text);
  // What a state does not have, and an ending, are told as where they are read.
  expect(messages.map(({ name, words }) => [name, words])).toEqual([
    ["not-assignable", '"Bout.left" can be read here, but data of a state are changed inside that state only.'],
    ["unknown-field", 'There is no data of "Bout" called "lft".'],
    ["unknown-value", '"E" is a state or an ending, not a value.'],
    ["not-assignable", 'Inside "Bout" its data are changed by their name alone.'],
  ]);
  const mended = applyFixes(sources, messages).texts.get("machine.zany");
  expect(mended).toBe(text.replace("hit { Bout.left", "hit { left").replace("Bout.lft", "Bout.left"));
});

test("a branch with a single = is a condition, not an effect", () => {
  const { messages } = compile(`machine M
seats a, b
data { n: int 0..9 }
start S
state S { turn of a action go { n += 1 } -> choose { n = 8 -> E
  when n > 3 -> E else -> stay } }
ending E { draws all }
`);
  expect(messages.map(({ words }) => words)).toEqual(['A branch begins with "when", the last one with "else".']);
});

test("seats under another word are the seats", () => {
  const text =
    "machine M\nplayers 2..3 hand\nstart S\nstate S { turn of hand1 action go -> E }\nending E { draws all }\n";
  const { messages, sources } = compile(text);
  expect(messages.map(({ name }) => name)).toEqual(["other-language"]);
  expect(compile(applyFixes(sources, messages).texts.get("machine.zany") ?? "").messages).toEqual([]);
});

test("that nobody acts is told of an effect once, with the argument it wants", () => {
  const { messages } = compile(`machine M
seats a, b
data { cups per seat: int 0..9 }
effect fill(n: int) { cups[me] += n  if cups[me] > 3 { cups[me] = 0 } }
start S
state S { turn of a action pour { fill(2) } -> E }
ending E { draws all }
`);
  expect(messages.map(({ name, help }) => [name, help])).toEqual([
    ["no-me", "Take the seat as an argument: effect fill(who: seat, ...), called as fill(me, ...)."],
  ]);
});

test.each([
  ["an arrow with nothing before it", "state T { -> choose { when n > 3 -> E else -> S } }", "syntax", "->", true],
  ["elements that filter gives anyway", "function f(): int = filter(s in seats where n > 0: s).size", "", "s", true],
  ["a condition behind the colon", "function f(): int = count(s in seats: s == one)", "", "s == one", true],
  ["what count cannot make", "function f(): int = count(s in seats where n > 1: n)", "wrong-arguments", "n", false],
  ["several seats that win", "ending F { wins one, two }", "syntax", ",", true],
  ["a range in brackets", "const some: list of int = [1..9]", "wrong-type", "[1..9]", false],
  ["seats as numbers", "function f(): int = count(s in seats where s < two)", "wrong-type", "s < two", false],
  ["seats that are subtracted", "function f(): int = one - two", "wrong-type", "one - two", false],
  ["what an operation does not give", "effect f() { let x = l.remove(0) }", "wrong-type", "remove", false],
])("%s: one message, and the fix where it is certain", (_what, line, name, points, mends) => {
  const text = `machine M
seats one, two
data { n: int 0..9  l: list of int }
${line}
start S
state S { turn of one action go { n += 1 } -> choose { when n > 8 -> E else -> stay } }
ending E { wins one loses two }
`;
  const { messages, sources } = compile(text);
  const errors = messages.filter(({ severity }) => severity === "error");
  expect(errors.map((m) => [m.name, text.slice(m.from, m.to)])).toEqual([[name || "wrong-arguments", points]]);
  const after = compile(applyFixes(sources, errors).texts.get("machine.zany") ?? "");
  expect(after.messages.filter(({ severity }) => severity === "error")).toHaveLength(mends ? 0 : 1);
});

describe("habits from elsewhere are one message each, and mended where only one thing can be meant", () => {
  const TOP = "function twice(x: int): int = 2 * x";
  const GO = "action go { n += 1 } -> choose { when n > 8 -> E else -> stay }";
  const machine = (top: string, item: string): string => `machine M
seats one, two
data { n: int 0..9  up per seat: bool  l: list of int }
${top}
start S
state S {
  turn of one
  ${item}
}
ending E { wins one loses two }
`;

  test.each([
    ["on enter", TOP, `on enter { n = 1 }\n  ${GO}`, true],
    ["a condition behind an arrow", TOP, "action go { n += 1 } -> E when n > 8", true],
    ["an if behind an arrow", TOP, "action go { n += 1 } -> if n > 8 then E else stay", false],
    ["a block behind an arrow", TOP, "action go -> { n += 1 } E", false],
    ["an arrow in an if", TOP, "action go { if n > 8 { -> E } n += 1 } -> stay", false],
    [
      "arrows with arguments in the branches of an if, and none behind it",
      "state T(m: int) { when m > n -> E  action wait1 by anyone -> E }",
      "action go {\n    if n > 8 {\n      -> T(max(n, 2))\n    } else if n > 7 { -> T(1) } else { -> E }\n    n += 1\n  }",
      false,
    ],
    ["faces with a comma", TOP, GO.replace("+= 1", "= roll(1, 6)"), true],
    ["a function with a body", "function f(x: int): int { return x }", GO, false],
    ["where behind parameters", TOP, GO.replace("go", "go(who: seat) where who != me"), true],
    ["a reason behind a comma", TOP, GO.replace("go", 'go needs n < 9, "enough"'), true],
    ["a local value with a type", TOP, GO.replace("n += 1", "let x: int = 3  n += x"), true],
    ["the number of a seat", TOP, GO.replace("+= 1", "= one.index"), false],
    ["a field of a seat that is out", TOP, GO.replace("n > 8", "two.eliminated"), false],
    ["dice behind at", `${TOP}\ntest "t" {\n  at S dice 3\n  one go\n}`, GO, true],
    ["results with and", `${TOP}\ntest "t" {\n  one go\n  expect one wins and two loses, n == 1\n}`, GO, true],
    ["results with or", `${TOP}\ntest "t" {\n  one go\n  expect one wins or n == 1\n}`, GO, false],
    ["odds that lead to where the match is", TOP, "action go { n += 1 } -> odds { 60 -> S  40 -> E }", false],
    ["odds that enter anew", TOP, "action go { n += 1 } -> odds { 60 -> again S  40 -> E }", false],
    ["a note in parentheses", TOP, GO.replace("{ n", '{ note("now")  n'), true],
    ["a counting loop", TOP, GO.replace("n += 1", "for i = 1 to 3 { n += i }"), true],
    ["a condition behind what it decides", TOP, GO.replace("n += 1", "n += 1 if up[one]"), true],
    [
      "effects in a choice",
      TOP,
      "action go -> choose {\n    let more = n + 1\n    n = more\n    when more > 8 -> E\n    else -> stay\n  }",
      false,
    ],
    ["an effect between branches", TOP, GO.replace("else", "\n    up[me] = true\n    else"), false],
    [
      "a note in the choice of a branch",
      TOP,
      GO.replace("-> stay", '-> choose { note "far"  when n > 7 -> E  else -> stay }'),
      false,
    ],
    ["a product that is set", TOP, GO.replace("+= 1", "*= 2 + 1"), true],
    ["unless", TOP, GO.replace("{ n", "{ unless up[me] { n = 2 }\n n"), false],
    ["if without an else", TOP, GO.replace("+= 1", "= if up[me] then 3"), false],
    ["not in", TOP, GO.replace("n > 8", "3 not in l"), true],
    ["a word in capitals", TOP, GO.replace("n > 8", "n > 8 AND up[one]"), true],
    ["not in capitals", TOP, GO.replace("n > 8", "NOT up[one]"), true],
    ["each in a loop", TOP, GO.replace("{ n", "{ for each s in seats { n += 1 }\n n"), true],
    ["two numbers for a cell", "data { quay: grid 3 by 3 of int }", GO.replace("n +=", "quay[1, n] +="), true],
    ["data that are public", "data { public quay: int }", GO, true],
    ["data that are secret", "data { secret quay per seat: int }", GO, true],
    ["a word before data", "data { var quay: int }", GO, true],
    ["data with the type first", "data { int quay = 2 }", GO, true],
    ["data per player", "data { quay per player: int }", GO, true],
    ["bounds in brackets", "data { quay: int[0..9] }", GO, true],
    ["bounds with a word", "data { quay: int 0 to 9 }", GO, true],
    ["a type or none", "data { quay: seat or none = none }", GO, true],
    ["a type that may be none, said before it", "data { quay: maybe seat = none }", GO, true],
    ["a type that may be none, around it", "data { quay: Optional<seat> = none }", GO, true],
    ["a type with a bar and none", "data { quay: seat | none = none }", GO, true],
    ["a shuffle as an effect", TOP, GO.replace("{ n", "{ shuffle(l)  n"), false],
    ["each of nobody", "state T { turn of each action gone -> ready  when all ready -> E }", GO, true],
    ["a word before who acts", `${TOP}\ntest "t" {\n  do one go\n}`, GO, true],
    ["how it ended", `${TOP}\ntest "t" {\n  given n = 8\n  one go\n  expect ended E\n}`, GO, true],
    ["keys in braces", "type Wind is gale, calm\ndata { quay: map of Wind to int = { gale: 3, calm: 4 } }", GO, true],
    ["quoted keys in braces", 'data { quay: map of text to int = { "gale": 3, "calm": 4 } }', GO, true],
    ["bounds that go with data", TOP, GO.replace("go", "go(k: int 1..l[0])"), false],
    ["bounds that are worked out", "data { quay: int 0..n + 1 = 3 }", GO, false],
    ["data per seat without a type", "data { quay per seat = 10 }", GO, true],
    ["a function there is not", TOP, GO.replace("+= 1", "= clamp(n + 1, 0, 9)"), false],
    ["the other seat by its name", TOP, GO.replace("n > 8", "up[opponent]"), false],
    [
      "what is heard when all are ready",
      TOP,
      `${GO}\n  state T { turn of each inPlay action gone -> ready  on all ready -> E }\n  start T`,
      true,
    ],
    [
      "arguments without parentheses",
      `${TOP}\ntest "t" {\n  one go two dice 4\n}`,
      GO.replace("go", "go(who: seat)").replace("1 }", "roll(1..6) }"),
      true,
    ],
    ["a law of what never falls", 'law "up": n never falls', GO, false],
    ["an enumeration in braces", "enum Mood { calm, wild }\ndata { mood: Mood }", GO, false],
    ["a record by another word", "struct Gull { wings: int }\ndata { gull: Gull }", GO, false],
    ["a list with its length", "data { quay: int[3] }", GO, false],
    ["an index of seats", "data { quay[seat]: int = 3 }", GO, true],
    ["a state that is initial", TOP, `${GO}\n  state T initial { turn of one action back -> E }`, false],
    ["a signal of types alone", "signal Hit(int, int)", GO, false],
    ["a binder without parentheses", 'law "few": all k in l: k < 9', GO, true],
    ["a state in which a test starts", `${TOP}\ntest "t" {\n  start S\n  one go\n}`, GO, true],
    ["the turn without of", `${TOP}\ntest "t" {\n  one go\n  expect turn one\n}`, GO, true],
    [
      "a part of what is given",
      "type Gull { wings: int }\ndata { flock: list of Gull }",
      GO.replace("go {", "go(g: Gull in flock) { g.wings = 2 "),
      false,
    ],
    ["dice as they are called", TOP, GO.replace("+= 1", "+= roll(2d6)"), true],
    ["one die as it is called", TOP, GO.replace("+= 1", "+= roll(1d6)"), true],
    ["a grid in brackets", "data { quay: grid[3][3] of int }", GO, false],
    ["a map with an arrow", "data { quay: map seat -> int }", GO, false],
    ["a timer at the top", "timer tick every 100ms", GO, false],
    ["a region", TOP, `${GO}\n  region Quay { start T  state T { turn of one action back -> E } }`, false],
    ["time that is heard", TOP, `${GO}\n  on timeout 20s -> E`, false],
    ["a policy for a seat", "policy p for one { else: go }", GO, true],
    ["a parameter that is an opponent", TOP, GO.replace("go", "go(k: opponent)"), false],
    ["a list before its elements", TOP, GO.replace("n > 8", "any(seats, s -> up[s])"), false],
    [
      "a member with its type",
      "type Mood is calm, wild\ndata { mood: Mood }",
      GO.replace("n > 8", "mood == Mood.wild"),
      true,
    ],
    ["new", "type Gull { wings: int }\ndata { gull: Gull }", GO.replace("n += 1", "gull = new Gull(2)"), true],
    [
      "fields in braces",
      "type Gull { wings: int }\ndata { gull: Gull }",
      GO.replace("n += 1", "gull = Gull { wings: n }"),
      true,
    ],
    ["the other seat", TOP, GO.replace("n > 8", "up[other(me)]"), false],
    ["the end of a turn", TOP, GO.replace("+= 1", "+= 1 endTurn()"), false],
    ["require", TOP, GO.replace("go", "go require n < 9"), true],
    ["on entry", TOP, `on entry { n = 1 }\n  ${GO}`, true],
    ["initial", TOP, `initial T\n  ${GO}\n  state T { turn of one action back -> E }`, true],
    ["is", TOP, GO.replace("n > 8", "n is 8"), true],
    ["is not", TOP, GO.replace("n > 8", "n is not 8"), true],
    ["a seat that is none", "data { first: seat = none }", GO, false],
    ["members behind a sign", "type Mood = calm, wild\ndata { mood: Mood }", GO, true],
    ["members with bars", "type Mood is calm | wild\ndata { mood: Mood }", GO, true],
    ["a colon before a first value", "data { many: int 0..9: 3 }", GO, true],
    ["an action behind a dot", 'test "t" { one.go expect n == 1 }', GO, true],
    ["an action behind a colon", 'test "t" { one: go expect n == 1 }', GO, true],
    ["a division by a word", TOP, GO.replace("n > 8", "n div 2 > 3"), true],
    ["a branch without when", TOP, GO.replace("when n", "n"), true],
    ["a branch with if", TOP, GO.replace("when n", "if n"), true],
    ["a colon for an arrow", TOP, GO.replace("8 ->", "8:"), true],
    ["a constant without a type", "const top = 12", GO, true],
    ["data without a type", "data { many = true }", GO, true],
    ["data of what cannot be seen", "data { many = twice(2) }", GO, false],
    ["the type first", "signal Hit(int amount)", GO, true],
    ["a policy with if", "policy p { if n < 3: go }", GO, false],
    ["a law in braces", 'law "small" { n <= 9 }', GO, false],
    ["a signal that is emitted", "signal Hit(by: int)", GO.replace("{ n", "{ emit Hit(3)\n n"), false],
    ["data of the acting seat", TOP, GO.replace("{ n", "{ me.up = true  n"), true],
    ["data of a seat, asked", TOP, GO.replace("n > 8", "one.up"), true],
    ["the seat acting, set", TOP, GO.replace("{ n", "{ me = two  n"), false],
    ["all seats at once", TOP, GO.replace("{ n", "{ up = true  n"), false],
    ["the greatest of a list", TOP, GO.replace("+= 1", "= max(l)"), false],
    ["a list that filters", TOP, GO.replace("+= 1", "= l.filter(x > 3).size"), false],
    ["what is heard if", "signal Hit(by: int)", `on Hit(by) if by > 3 { n = 1 }\n  ${GO}`, true],
    ["a timer", TOP, `timer 30s -> E\n  ${GO}`, false],
    ["a colon behind a time", TOP, `after 30s: -> E\n  ${GO}`, true],
    ["an action with when", TOP, GO.replace("go", "go when n < 9"), true],
    ["two lists at once", TOP, GO.replace("n > 8", "any(s in seats, k in l: up[s] and k > 8)"), false],
    ["two lists counted", TOP, GO.replace("n > 8", "count(s in seats, k in l where up[s] and k > 8) > 8"), false],
    ["goto", TOP, "action go { n += 1 } goto E", true],
    ["a state without an arrow", TOP, "action go { n += 1 } E", true],
    ["an arrow by chance", TOP, "action go { n += 1 } -> random { 50: E, 50: stay }", false],
    ["turn with a colon", "state T { turn: one action go -> E }", GO, true],
    ["a colon and a brace", "state T : { turn of one action go -> E }", GO, true],
    ["a winner", "ending F { winner one loser two }", GO, false],
    ["who comes first", "ending F { one wins  loses two }", GO, true],
    ["a result with a colon", "ending F { wins: one  loses two }", GO, true],
    ["results with commas", "ending F(s: seat) { wins s, loses others }", GO, true],
    ["a score", "ending F { wins one  loses two  score s in seats: n }", GO, true],
    ["scores without whose", "ending F { wins one  loses two  scores s: n }", GO, true],
    [
      "scores by the name of numbers",
      "data { by per seat: int 0..9 }\nending F { scores by wins one loses two }",
      GO,
      true,
    ],
    ["a rank", "ending F { rank [one, two] }", GO, true],
    ["an ending without results", "ending F", GO, false],
    ["a parameter without a type", "function f(s): int = 3", GO, false],
    ["a function's type behind an arrow", "function f(s: seat) -> int = 3", GO, true],
    ["an effect that is set", "effect f(s: seat) = { n = 1 }", GO, true],
    ["each seat's own behind the type", "data { hp: int per seat = 40 }", GO, true],
    ["bounds with a dash", "data { hp: int 0-40 = 40 }", GO, true],
    ["bounds in parentheses", "data { hp: int(0..40) = 40 }", GO, true],
    ["bounds alone", "data { hp: 0..40 = 40 }", GO, true],
    ["a default of an argument", TOP, GO.replace("go", "go(k: int 0..3 = 1)"), true],
    ["types of what is heard", "signal Hit(by: int)", `on Hit(by: int) { n = by }\n  ${GO}`, true],
    ["minutes by a letter apart", TOP, `after 5 m -> E\n  ${GO}`, true],
    ["lines of a test with commas", 'test "t" { one go, one go }', GO, true],
    ["what a test begins with, bare", 'test "t" { n = 8\n  one go }', GO, true],
    ["what a test sets", 'test "t" { set n = 8\n  one go }', GO, true],
    ["what is given, compared", 'test "t" { given n == 8\n  one go }', GO, true],
    ["time in a test", 'test "t" { wait 30 seconds\n  one go }', GO, true],
    [
      "an event that is raised",
      'event Gust(n2: int)\ntest "t" { raise Gust(3) }',
      `on Gust(f) { n = f }\n  ${GO}`,
      true,
    ],
    ["an event that is called", 'event Gust(n2: int)\ntest "t" { Gust(3) }', `on Gust(f) { n = f }\n  ${GO}`, true],
    ["a refusal without its code", 'test "t" { two go refused }', GO, false],
    ["a test without quotes", "test opening { one go }", GO, true],
    ["a law that holds always", 'law "small": always n <= 9', GO, true],
    ["a law of what never is", 'law "small": never n > 9', GO, true],
    ["a law with the word state", 'law "once": n changes only in state S', GO, true],
    ["an invariant", 'invariant "small": n <= 9', GO, false],
    ["a policy with commas", "policy p { when n < 3: go, else: wait }", GO, true],
    ["a policy with arrows", "policy p { when n < 3 -> go else: wait }", GO, true],
    ["a bot", "bot p { else: go }", GO, false],
  ])("%s", (_what, top, item, mends) => {
    const { messages, sources } = compile(machine(top, item));
    const errors = messages.filter(({ severity }) => severity === "error");
    expect(errors.map(({ words }) => words)).toHaveLength(1);
    expect(errors[0]?.help).toMatch(/[A-Z].{5}/);
    const after = compile(applyFixes(sources, errors).texts.get("machine.zany") ?? "");
    expect(after.messages.filter(({ severity }) => severity === "error")).toHaveLength(mends ? 0 : 1);
  });

  test("what only looks like them is left alone", () => {
    const right = machine(
      "",
      `start T
  state T { action go { n += 1 } -> E when n > 8 -> E }
  action step { n = 1 if up[one] { n = 2 } } -> stay`,
    );
    expect(compile(right).messages.filter(({ severity }) => severity === "error")).toEqual([]);
  });
});

test("a fix of results never gives them to others than those they were written for", () => {
  const text = (results: string): string =>
    `machine M\nseats a, b\nstart S\nstate S { turn of a action go -> E }\nending E { ${results} }\n`;
  for (const results of ["a wins, b loses", "wins a, b loses", "wins a, loses b"]) {
    let mended = text(results);
    for (let i = 0; i < 3; i++) {
      const { messages, sources } = compile(mended);
      mended = applyFixes(sources, messages).texts.get("machine.zany") ?? mended;
    }
    expect(mended).toMatch(/wins a\s+loses b/);
    expect(compile(mended).messages.filter(({ severity }) => severity === "error")).toEqual([]);
  }
});

test("seats of their own names and a least number are told once", () => {
  const { messages } = compile(
    "machine M\nseats a, b, c at least 2\nstart S\nstate S { turn of a action go -> E }\nending E { wins a loses others }",
  );
  expect(messages.map(({ name, help }) => [name, help])).toEqual([
    ["syntax", 'Write "seats reds, blues", or "seats 2..3 crew" for crew1, crew2 and so on.'],
  ]);
});

test("what a condition of the state has said already may be said again, and nothing else that is always so", () => {
  const told = (guard: string, leads: string) =>
    compile(
      "machine M\nseats a\ndata { left: int 0..9  lift: int 0..9 = 9 }\nstart S\n" +
        `state S { turn of a action fly(n: int 1..9) { left = n } -> T }\nstate T { after each 1s when ${guard} { left -= 1  lift -= 1 }\n` +
        `${leads}\nwhen lift == 0 -> E }\nending E { wins a }\n`,
    ).messages.map(({ severity, name }) => `${severity} ${name}`);
  expect(told("left > 0", "when left == 0 -> S")).toEqual(["hint condition-always"]);
  expect(told("left < 10", "when left == 0 -> S")).toEqual(["warning condition-always"]);
});

test("a flag that is set behind the first move alone is done once a match, and need not be cleared", () => {
  const told = (needs: string) =>
    compile(
      "machine M\nseats a, b\ndata { laid: int 0..9  traded: bool  up: seat = a }\non Left(s) -> E\nstart S\n" +
        "state S { turn of up action lay { laid += 1  up = next(me) } -> T\n" +
        `action trade needs ${needs} and not traded else "not now" { traded = true } -> T }\n` +
        "state T { enter -> choose { when laid == 9 -> E else -> S } }\nending E { draws all }\n",
    ).messages.map(({ severity, name }) => `${severity} ${name}`);
  expect(told("laid == 1")).toEqual(["hint flag-never-cleared"]);
  expect(told("laid >= 1")).toEqual(["warning flag-never-cleared"]);
});

test("a name that people alone read is a hint, a number that nobody reads a warning", () => {
  const machine = (field: string, value: string) =>
    `machine M\nseats a\ntype Oar { ${field}  reach: int 1..9 = 1 }\ndata { oars: list of Oar = [Oar(${value})] }\n` +
    "start S\nstate S { turn of a action pull(i: int in oars.indices) { oars[i].reach += 1 } -> choose { " +
    "when oars[0].reach == 9 -> E else -> stay } }\nending E { wins a }\n";
  const told = (text: string) => compile(text).messages.map(({ severity, name }) => `${severity} ${name}`);
  expect(told(machine("name: text", 'name: "long"'))).toEqual(["hint unread-data"]);
  expect(told(machine("weight: int 0..9", "weight: 4"))).toEqual(["warning unread-data"]);
  expect(told(machine('name: text = ""', "reach: 2"))).toEqual(["warning unread-data"]);
  // Who did it, as it was then, is kept for people.
  expect(told(machine("by: seat = a", "").replace("reach += 1 }", "reach += 1  oars.push(Oar(by: me)) }"))).toEqual([
    "hint unread-data",
  ]);
  // What is only kept to be seen is said once, of the data: not of all that is in it.
  const log = "type Stroke { by: seat = a  reach: int }\ndata { strokes: list of Stroke }\n";
  expect(
    told(`machine M\nseats a\n${log}start S\nstate S { turn of a action pull(n: int 1..3) {
    strokes.push(Stroke(by: me, reach: n)) } -> choose { when n == 3 -> E else -> stay } }\nending E { wins a }\n`),
  ).toEqual(["hint unread-data"]);
});

test("nesting too deep is refused in words", () => {
  const deep = `machine M\nseats a\nfunction f(): int = ${"(".repeat(5_000)}1${")".repeat(5_000)}\n`;
  expect(compile(deep).messages.map((m) => m.name)).toContain("too-deep");
});
