/**
 * The colours of a machine's text as a TextMate grammar, the form most editors load
 * (macromates.com/manual/en/language_grammars). Its words come from the language's own tables.
 */

import { BUILT_IN_CALLS } from "../check/builtins.js";
import { type WordColour, wordsOfColour } from "./colours.js";

const SCOPES: readonly (readonly [WordColour, string])[] = [
  ["declaration", "keyword.declaration.zany"],
  ["control", "keyword.control.zany"],
  ["operator", "keyword.operator.word.zany"],
  ["value", "constant.language.zany"],
  ["type", "storage.type.zany"],
];

const oneOf = (words: readonly string[]): string => `(?:${words.join("|")})`;

/** Word and the name behind it. */
const named = (words: string, name: string) => ({
  match: `\\b(${words})\\s+(\\w+)`,
  captures: { 1: { name: "keyword.declaration.zany" }, 2: { name } },
});

function wordPatterns(): object[] {
  const coloured = SCOPES.flatMap(([colour, name]) => {
    const { anywhere, first } = wordsOfColour(colour);
    return [
      { name, match: `\\b${oneOf(anywhere)}\\b` },
      ...(first.length > 0 ? [{ name, match: `^\\s*${oneOf(first)}\\b(?=\\s+\\w)` }] : []),
    ];
  });
  return [
    { name: "support.function.zany", match: `\\b${oneOf([...BUILT_IN_CALLS.keys()])}(?=\\()` },
    ...coloured,
    { name: "entity.name.type.zany", match: "\\b[A-Z]\\w*\\b" },
  ];
}

/** The grammar, as the text of its file. */
export function textMateGrammar(): string {
  const grammar = {
    name: "Zany",
    scopeName: "source.zany",
    fileTypes: ["zany"],
    patterns: ["comments", "texts", "declarations", "words", "values"].map((part) => ({ include: `#${part}` })),
    repository: {
      comments: {
        patterns: [
          { name: "comment.line.documentation.zany", match: "///.*$" },
          { name: "comment.line.double-slash.zany", match: "//.*$" },
        ],
      },
      texts: {
        name: "string.quoted.double.zany",
        begin: '"',
        end: '"|$',
        patterns: [
          { name: "constant.character.escape.zany", match: '\\\\[n"\\\\]|\\{\\{|\\}\\}' },
          {
            name: "meta.interpolation.zany",
            begin: "\\{",
            end: "\\}|$",
            beginCaptures: { 0: { name: "punctuation.section.interpolation.begin.zany" } },
            endCaptures: { 0: { name: "punctuation.section.interpolation.end.zany" } },
            patterns: [{ include: "#inner" }, { include: "#words" }, { include: "#values" }],
          },
        ],
      },
      inner: { name: "string.quoted.double.zany", match: '"[^"]*"' },
      declarations: {
        patterns: [
          named("machine|type", "entity.name.type.zany"),
          named("state|stub|overlay|ending|final", "entity.name.class.state.zany"),
          named("function|effect|action", "entity.name.function.zany"),
          named("signal|event|raise|on", "entity.name.type.signal.zany"),
          {
            match: "(->)\\s*(?:(again|history|inner)\\s+)?([A-Z]\\w*)?",
            captures: {
              1: { name: "keyword.operator.arrow.zany" },
              2: { name: "keyword.control.zany" },
              3: { name: "entity.name.class.state.zany" },
            },
          },
          {
            match: "\\b(accept)\\s+([a-z]+(?:-[a-z]+)*)",
            captures: { 1: { name: "keyword.control.zany" }, 2: { name: "entity.name.tag.message.zany" } },
          },
        ],
      },
      words: { patterns: wordPatterns() },
      values: {
        patterns: [
          { name: "constant.numeric.duration.zany", match: "\\b[0-9][0-9_]*(ms|s|m|h|d)\\b" },
          { name: "constant.numeric.zany", match: "\\b[0-9][0-9_]*(\\.[0-9]+)?%?" },
          { name: "keyword.operator.zany", match: "==|!=|<=|>=|\\+=|-=|\\.\\.|[-+*/=<>?]" },
        ],
      },
    },
  };
  return `${JSON.stringify(grammar, undefined, 2)}\n`;
}
