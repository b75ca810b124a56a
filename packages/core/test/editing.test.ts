/** What editors ask, answered over one file and over several. A bar in a text stands for the cursor. */

import { readFileSync } from "node:fs";
import {
  type Asked,
  colourOf,
  compiled,
  completions,
  definitions,
  hover,
  mapBeside,
  references,
  rename,
  signatureHelp,
  textMateGrammar,
} from "@zany/core";
import { describe, expect, test } from "vitest";
import { exampleText, findPart } from "./examples.js";

const DUEL: Asked = { text: exampleText("kite-duel.zany"), name: "kite-duel.zany" };
const FERRY: Asked = { text: exampleText("ferry-journey.zany"), name: "ferry-journey.zany", findPart };
const FOES: Asked = { ...FERRY, file: "shared/foes.zany" };

/** The offset just inside some text. */
function at({ text, file }: Asked, words: string): number {
  const whole = file === undefined ? text : (findPart(file) ?? "");
  const found = whole.indexOf(words);
  if (found < 0) throw new Error(`"${words}" is not there`);
  return found + 1;
}

/** Completions at the bar in a text put in place of another. */
function complete(from: string, withBar: string): string[] {
  const offset = DUEL.text.indexOf(from) + withBar.indexOf("|");
  const text = DUEL.text.replace(from, withBar.replace("|", ""));
  return completions({ ...DUEL, text }, offset).items.map((i) => i.name);
}

test("in a map of a log: its words, and the names of its machine", () => {
  const machine: Asked = { text: exampleText("herring-duel/herring-duel.zany"), name: "herring-duel.zany" };
  const map = (text: string): Asked => ({
    ...machine,
    file: "herring.map",
    beside: mapBeside({ name: "herring.map", text }),
  });
  const complete = (withBar: string): string[] => {
    const text = `map Log for HerringDuel\nmachine "herring-duel.zany"\n${withBar}`;
    return completions(map(text.replace("|", "")), text.indexOf("|")).items.map((item) => item.name);
  };
  expect(complete("r|")).toEqual(["read", "row"]);
  expect(complete("row .ev 1 -> .p t|")).toEqual(["throw"]);
  expect(complete("row .ev 1 -> t|")).toContain("timer");
  expect(complete("row .ev 1 -> timer |")).toEqual(["Turn.after1"]);
  expect(complete("row .ev 1 -> nothing tells mongers[mira].c|")).toEqual(["clean", "cods"]);
  expect(complete("row .ev 1 -> nothing tells ending S|")).toEqual(["Soaked"]);
  const asked = map("map Log for HerringDuel\nrow .ev 1 -> .p duck tells mongers[.p].clean == .c");
  const duck = asked.beside?.text.indexOf("duck") ?? 0;
  expect(hover(compiled(asked), duck + 1, "herring.map")?.markdown).toContain("duck");
  expect(definitions(compiled(asked), duck + 1, "herring.map")).toMatchObject([{ file: "herring-duel.zany" }]);
  const renamed = rename(asked, duck + 1, "crouch");
  expect("edits" in renamed && renamed.edits.map(({ file }) => file)).toEqual(["herring-duel.zany", "herring.map"]);
});

const lines = (asked: Asked, spans: readonly { file: string; from: number }[]): string[] =>
  spans.map(
    ({ file, from }) =>
      `${file}:${(file === asked.name ? asked.text : (findPart(file) ?? "")).slice(0, from).split("\n").length}`,
  );

describe("names", () => {
  test("are declared in one place and used in many, over files", () => {
    expect(lines(FERRY, definitions(compiled(FERRY), at(FERRY, "met(f)")))).toEqual(["shared/foes.zany:22"]);
    expect(lines(FERRY, references(compiled(FERRY), at(FOES, "weight: int"), FOES.file))).toEqual([
      "ferry-journey.zany:72",
      "ferry-journey.zany:95",
      "ferry-journey.zany:122",
      "shared/foes.zany:9",
      "shared/foes.zany:13",
      "shared/foes.zany:14",
      "shared/foes.zany:15",
      "shared/foes.zany:16",
      "shared/foes.zany:22",
    ]);
    // Actions of one name are one: policies and tests speak of all of them.
    expect(definitions(compiled(FERRY), at(FERRY, 'patch needs ferry.tar > 0 else "no tar left" {'))).toHaveLength(2);
    expect(references(compiled(DUEL), at(DUEL, "// two fighting"))).toEqual([]);
  });

  test("say what they are, with type and doc comment", () => {
    expect(hover(compiled(FERRY), at(FERRY, "mend() }"))?.markdown).toBe(
      "```zany\nmend()\n```\n\nAn effect.\n\nUsed at sea and in a bout alike; it never mends above what a ferry has.",
    );
    expect(hover(compiled(FERRY), at(FOES, "weight: int"), FOES.file)?.markdown).toContain(
      "weight: int 0..10\n```\n\nA field of Foe.\n\nHow often it is met by chance; 0 is never.",
    );
    expect(hover(compiled(DUEL), at(DUEL, "Left(s)"))?.markdown).toContain("A signal of the system.");
  });

  test("are renamed everywhere, or not at all", () => {
    const renamed = rename(FERRY, at(FERRY, "planks: int"), "boards");
    expect("edits" in renamed && renamed.edits).toHaveLength(
      references(compiled(FERRY), at(FERRY, "planks: int")).length,
    );
    const refusal = (asked: Asked, words: string, name: string): string => {
      const result = rename(asked, at(asked, words), name);
      return "refused" in result ? result.refused : "renamed";
    };
    expect(refusal(DUEL, "lap: int", "lap2")).toBe("renamed");
    expect(refusal(DUEL, "lap: int", "queue")).toMatch(/already/);
    expect(refusal(DUEL, "lap: int", "state")).toBe('"state" is a word of the language.');
    expect(refusal(DUEL, "lap: int", "me")).toBe('"me" is built into the language.');
    expect(refusal(DUEL, "lap: int", "2nd")).toMatch(/is no name/);
    expect(refusal(DUEL, "Left(s)", "Gone")).toBe("It is built in and cannot be renamed.");
    // Two actions of one name would become one in policies and tests: nothing is an error, but it means something else.
    expect(refusal(DUEL, "brace {", "unpause")).toMatch(/means something else/);
  });
});

describe("completion", () => {
  test("offers fields after a dot, states after an arrow, signals to raise and hear, types, and open names only", () => {
    expect(complete("kites[target].lift -= hit", "kites[target].|")).toEqual([
      "braced",
      "guard",
      "gust",
      "lift",
      "pace",
      "pull",
      "tape",
    ]);
    expect(complete("-> Judge", "-> J|")).toEqual(["Judge"]);
    expect(complete("raise Struck(", "raise S|(")).toEqual(["Struck"]);
    expect(complete("on Left(s) ->", "on L|(s) ->")).toEqual(["Left"]);
    expect(complete("lap: int 0..99 = 0", "lap: Ki|")).toEqual(["Kite"]);
    expect(complete("let hit = max(0,", "let hit = max(f|,")).toEqual(["false", "force"].filter((n) => n !== "false"));
    // What another effect lets is not open here.
    expect(complete("kites[me].tape -= 1", "kites[me].tape -= hi|")).toEqual([]);
  });

  test("offers dice that not everybody sees, what is rolled with them, and who may see a datum", () => {
    expect(complete("signal Struck", "hid|\nsignal Struck")).toEqual(["hidden"]);
    expect(complete("signal Struck", "private |\nsignal Struck")).toEqual(["dice"]);
    expect(complete("lap: int 0..99 = 0", "lap: int 0..99 = 0\n  p|")).toEqual(["private"]);
    expect(complete("start Lap", "dice wind\nstart Lap\neffect blow() { lap = wind.| }")).toEqual([
      "chance",
      "pick",
      "roll",
      "shuffle",
    ]);
  });

  test("offers the words that can begin something, and nothing in comments and texts", () => {
    expect(complete("    action brace {", "    af|\n    action brace {")).toEqual(["after"]);
    expect(complete("kites[target].lift -= hit", "ra|\n  kites[target].lift -= hit")).toEqual(["raise"]);
    expect(complete("// a routine shared", "// a r|")).toEqual([]);
    expect(complete('"the crowd gasps"', '"the cr|"')).toEqual([]);
    expect(complete('"the crowd gasps"', '"the {am|}"')).toEqual(["amount"]);
  });

  test("offers what a test, a policy, a law and the end of an effect with a value ask for", () => {
    expect(complete("  wait 10d\n", "  |\n  wait 10d\n")).toEqual(
      ["north", "south", "at", "event", "expect", "given", "open", "seats", "wait"], // names first
    );
    expect(complete("  wait 10d\n", "  north |\n  wait 10d\n")).toEqual([
      "brace",
      "cutLoose",
      "mend",
      "pause",
      "slash",
      "unpause",
      "joins",
      "leaves",
    ]);
    expect(complete("expect ending Lapsed", "expect ending |")).toEqual(["BothDown", "Flown", "Lapsed"]);
    expect(complete("expect ending Lapsed", "expect closed north s|")).toEqual(["slash"]);
    expect(complete("expect ending Lapsed, south loses", "expect north |")).toContain("rank");
    expect(complete("else: slash", "else: wa|")).toEqual(["wait"]);
    expect(complete("kites.lift changes only in Turn", "kites.lift r|")).toEqual(["rises"]);
    expect(complete("kites.lift changes only in Turn", "kites.lift falls o|")).toEqual(["only"]);
    const valued = "effect strike(source: seat, target: seat, force: int): int {";
    expect(complete("effect strike(source: seat, target: seat, force: int) {", `${valued}\n  ret|\n`)).toEqual([
      "return",
    ]);
    // Where nothing is given back, and inside braces of its own, it cannot stand.
    expect(complete("  kites[target].lift -= hit", "  ret|")).toEqual([]);
  });
});

test("the call at the cursor, with the parameter that stands there", () => {
  const help = (words: string, past: number) => signatureHelp(compiled(DUEL), DUEL.text.indexOf(words) + past);
  expect(help("strike(me, target, kites", 18)).toEqual({
    label: "strike(source: seat, target: seat, force: int)",
    parameters: ["source: seat", "target: seat", "force: int"],
    active: 2,
  });
  expect(help("max(0, force", 6)?.active).toBe(1);
  expect(help("state Judge {", 8)).toBeUndefined();
});

describe("colours", () => {
  test("a word that can be a name too is coloured only where it begins a line", () => {
    expect(["stub Later", "event Rain", "team red: a", "eliminate a"].map((line) => colour(line, ""))).toEqual([
      "declaration",
      "declaration",
      "declaration",
      "control",
    ]);
    expect([
      colour("stub = 1", "x = "),
      colour("min(1, 2)", "x = "),
      colour("min", "x."),
      colour("seats", "x = "),
      colour("Gust", ""),
    ]).toEqual([undefined, "function", undefined, "value", undefined]);
  });

  test("the grammar for editors has the words, and its file is up to date", () => {
    expect(readFileSync("editors/zany.tmLanguage.json", "utf8")).toBe(textMateGrammar());
    for (const word of ["state", "stub", "event", "ready", "inner", "eliminate", "seated", "cell"])
      expect(textMateGrammar()).toMatch(new RegExp(`[|:(]${word}[|)]`));
  });
});

const colour = (line: string, before: string) =>
  colourOf(/^\w+/.exec(line)?.[0] ?? "", before, line.replace(/^\w+/, ""));
