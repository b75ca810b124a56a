/** Words, tokens, spelling and formatting: the language before anything has a meaning. */

import { applyFixes, compile, format, type Message } from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { BUILT_INS, isTaken } from "../src/check/builtins.js";
import { Messages } from "../src/language/message.js";
import { scan } from "../src/language/scanner.js";
import { Sources } from "../src/language/source.js";
import { nearest } from "../src/language/suggest.js";
import { WORDS } from "../src/language/words.js";
import { EXAMPLES, exampleText } from "./examples.js";

const told = (messages: readonly Message[]): string[] => messages.map((m) => `${m.name}: ${m.words}`);

/** A machine in which one name stands wherever a name may: datum, action, argument, local value, effect, field. */
const naming = (name: string): string => `machine Names
seats one, two
type Pack { ${name}: int }
on Left(s) -> Over
data { ${name}: int 0..9 = 1 }
start Play
state Play {
  turn of one
  action ${name}(x: int 0..3) {
    let y = ${name} + x
    ${name} = y
    ${name} += 1
  } -> stay
  action end { note "{Pack(${name}: ${name}).${name}}" } -> Over
}
ending Over { draws all }
test "names" {
  one ${name}(2)
  expect ${name} == 4
}
`;

const words = [...WORDS.values()];
const free = words.filter((w) => !w.reserved && !BUILT_INS.has(w.text)).map((w) => w.text);
const reserved = words.filter((w) => w.reserved).map((w) => w.text);

describe("words", () => {
  test.each(free)("%s means something at one spot, and is a name everywhere else", (word) => {
    expect(told(compile(naming(word), "names.zany", undefined, { errorsOnly: true }).messages)).toEqual([]);
  });

  test.each(reserved)("%s cannot be a name, and that is said", (word) => {
    const { ok, messages } = compile(naming(word));
    expect(ok).toBe(false);
    expect(messages[0]?.words).toContain(`"${word}"`);
  });

  test("what is built in cannot be declared, but for what came later", () => {
    for (const name of [...BUILT_INS.keys()].filter((n) => !WORDS.has(n))) {
      const { messages } = compile(`machine M\nseats a\nconst ${name}: int = 1\nstart S\nstate S { }\n`);
      expect(
        messages.some((m) => m.name === "built-in-name"),
        name,
      ).toBe(isTaken(name));
    }
  });

  test("no word stands in the table twice, or with other letters than words have", () => {
    for (const { text } of words) expect(text).toMatch(/^[a-z][A-Za-z]*$/);
    expect(new Set(words.map((w) => w.text)).size).toBe(words.length);
  });
});

describe("when", () => {
  const machine = (items: string): string => `machine W
seats a, b
signal Hit(by: seat)
data { n: int 0..9 = 0 }
on Left(s) -> E
start S
state S {
  turn of a
  action go { n += 1 raise Hit(me) } -> stay
${items}
}
ending E { draws all }
`;
  const wrong = (items: string): (string | undefined)[][] =>
    compile(machine(items), "w.zany", undefined, { errorsOnly: true }).messages.map((m) => [m.words, m.help]);

  test("on the line of an after or on it is its condition; on a new line an item of its own", () => {
    expect(wrong("  after 5s when n > 3 -> E")).toEqual([]);
    expect(wrong("  after each 5s when n > 3 { n = 0 }")).toEqual([]);
    expect(wrong("  after each 5s when n > 3 -> E")).toEqual([]);
    expect(wrong("  on Hit(by) when by == a -> E")).toEqual([]);
    expect(wrong("  after 5s -> E\n  when n > 3 -> E")).toEqual([]);
    expect(wrong("  on Hit(by) { n = 0 }\n  when n > 3 -> E")).toEqual([]);
  });

  test.each([
    ["on", "  on Hit(by)\n  when n == 3 -> E"],
    ["after", "  after 5s\n  when n == 3 -> E"],
  ])("of %s on the next line is told", (word, items) => {
    expect(wrong(items)).toEqual([
      [
        `Expected "{" or "->" to complete ${word}, but the next line begins with "when".`,
        `A condition of "${word}" stands on the same line; on a line of its own "when" begins an item of the state.`,
      ],
    ]);
  });
});

describe("tokens", () => {
  const scanned = (text: string) => {
    const messages = new Messages();
    return { tokens: scan(new Sources().add("", text), messages, 0, text.length, true), messages: messages.list };
  };
  const text = fc.oneof(
    fc.string({ unit: "binary", maxLength: 60 }),
    fc
      .array(
        fc.constantFrom(
          "state",
          "x1",
          "->",
          "{",
          "}",
          "(",
          '"',
          "\\",
          "12",
          "3.5",
          "5s",
          "9zz",
          "//",
          "///",
          "\n",
          " ",
          "..",
          "€",
          "#",
        ),
        { maxLength: 40 },
      )
      .map((parts) => parts.join("")),
  );

  test("cover the text in order, whatever it is: between two there is white space only", () => {
    fc.assert(
      fc.property(text, (source) => {
        const { tokens } = scanned(source);
        let at = 0;
        for (const { from, to } of tokens) {
          expect(from).toBeGreaterThanOrEqual(at);
          expect(source.slice(at, from)).toMatch(/^[\s\uFEFF]*$/);
          expect(to).toBeGreaterThanOrEqual(from);
          at = to;
        }
        expect(at).toBe(source.length);
        expect(tokens.at(-1)?.kind).toBe("end");
      }),
      { numRuns: 1000 },
    );
  });

  test("compiling never fails on any text: it gives messages, each within the text", () => {
    fc.assert(
      fc.property(text, (source) => {
        for (const { from, to, words: said } of compile(source).messages) {
          expect(from).toBeLessThanOrEqual(to);
          expect(to).toBeLessThanOrEqual(source.length + 1);
          expect(said).not.toMatch(/undefined|NaN|\[object/);
        }
      }),
      { numRuns: 300 },
    );
  });
});

describe("formatting", () => {
  const withoutSpace = (text: string): string =>
    scan(new Sources().add("", text), new Messages(), 0, text.length, true)
      .map((t) => text.slice(t.from, t.to).trimEnd())
      .join(" ");

  test.each(EXAMPLES)("%s stays as it is, and comes back from any spacing", (name) => {
    const text = exampleText(name);
    expect(format(text)).toBe(text);
    const flat = text
      .split("\n")
      .map((line) => line.trim())
      .join("\n");
    expect(format(flat)).toBe(text);
  });

  test("changes white space only, and nothing the second time", () => {
    const piece = fc.constantFrom(
      "state",
      "S",
      "{",
      "}",
      "->",
      "x",
      "+=",
      "1",
      "// note",
      "\n",
      "\n\n",
      "(",
      ")",
      ",",
      '"a b"',
      "when",
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), (pieces) => {
        const text = pieces.map((p) => (p.startsWith("//") ? `${p}\n` : p)).join(" ");
        const once = format(text);
        expect(withoutSpace(once)).toBe(withoutSpace(text));
        expect(format(once)).toBe(once);
      }),
      { numRuns: 500 },
    );
  });
});

describe("spelling", () => {
  test("the nearest known name is meant after one slip, and none when all are far", () => {
    const name = fc.string({ unit: fc.constantFrom(..."abcdefgh"), minLength: 5, maxLength: 10 });
    fc.assert(
      fc.property(name, fc.nat(), (word, place) => {
        const i = place % (word.length - 1);
        const slips = [
          word.slice(0, i) + word.slice(i + 1),
          `${word.slice(0, i)}z${word.slice(i)}`,
          `${word.slice(0, i)}z${word.slice(i + 1)}`,
          word.slice(0, i) + word[i + 1] + word[i] + word.slice(i + 2),
          word.toUpperCase(),
        ];
        for (const slip of slips) expect(nearest(slip, ["zzzzzzzzzzzzzzz", word, "y"])).toBe(word);
        expect(nearest("qqqqqqqq", [word])).toBeUndefined();
      }),
    );
    expect([nearest("ab", ["ac"]), nearest("Ab", ["ab"])]).toEqual([undefined, "ab"]);
  });

  test("a certain fix is carried out, and then nothing is wrong", () => {
    const text = naming("count2").replace("count2 += 1", "coutn2 += 1").replace('note "{', '// kept\n    note "{');
    const { messages, sources } = compile(text, "names.zany");
    expect(told(messages)).toHaveLength(1);
    const { texts } = applyFixes(sources, messages);
    expect(texts.get("names.zany")).toBe(text.replace("coutn2", "count2"));
  });
});
