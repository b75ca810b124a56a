/** What editors ask about a text: completion, hover, places, renaming, colours, the grammar. `@zany/core/editing`. */

export { colourOf, mapColourOf, type WordColour } from "../editing/colours.js";
export { dumpCode, dumpMachine, dumpTokens, dumpTree } from "../editing/dump.js";
export { textMateGrammar } from "../editing/grammar.js";
export {
  type Asked,
  type Completions,
  compiled,
  completions,
  definitions,
  type FileSpan,
  type Hover,
  hover,
  references,
  rename,
  type Signature,
  signatureHelp,
} from "../editing/editing.js";
export type { Completion } from "../editing/expected.js";
