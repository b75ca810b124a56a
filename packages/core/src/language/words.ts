/**
 * The words of the language, in one table: the parser, completion, the console's colours and the grammar for
 * editors all read it. Names of built-in values and calls stand in check/builtins.ts.
 */

/** Where a word stands. */
export type WordRole =
  /** Begins an item of a state or of the file. */
  | "item"
  /** Begins an item of the file and cannot stand inside a state. */
  | "top"
  /** Begins a statement. */
  | "statement"
  /** Begins a line of a test. */
  | "test"
  /** Says where an arrow leads. */
  | "arrow"
  /** Goes on with something begun by another word. */
  | "clause"
  | "operator"
  /** Is a value, or holds the place of one. */
  | "value"
  /** Is a type, or begins one. */
  | "type";

export interface Word {
  readonly text: string;
  readonly role: WordRole;
  /** Cannot be a name. The others mean something at one spot only, and are names everywhere else. */
  readonly reserved: boolean;
  /** What it means, in a line; empty for words that speak for themselves. */
  readonly words: string;
}

const row = (role: WordRole, reserved: boolean, text: string, words = ""): Word => ({ text, role, reserved, words });

const TABLE: readonly Word[] = [
  row("item", true, "data", "what belongs to the match, or to a state"),
  row("item", true, "start", "the inner state it begins in"),
  row("item", true, "turn", "whose turn it is: turn of SEAT, turn of each LIST"),
  row("item", true, "state", "where a match waits or passes through"),
  row("item", true, "parallel", "its inner states run side by side"),
  row("item", false, "stub", "a state not written yet"),
  row("item", true, "action", "something a seat can do"),
  row("item", true, "sealed", "the others learn that the seat acted, not what"),
  row("item", true, "enter", "what happens when the state is entered"),
  row("item", true, "exit", "what happens when the state is left"),
  row("item", true, "after", "once, a time after entering; after each: again and again"),
  row("item", true, "on", "when a signal or event is heard"),
  row("item", true, "when", "as soon as a condition holds"),
  row("item", true, "final", "an inner state in which the outer one is done"),

  row("top", true, "machine", "the name of the machine"),
  row("top", true, "include", "takes the declarations of another file"),
  row("top", false, "seats", "who plays"),
  row("top", true, "type", "a record or an enumeration"),
  row("top", true, "const", "a value that never changes"),
  row("top", true, "signal", "announced by one part, heard by others"),
  row("top", false, "event", "told by the game itself"),
  row("top", true, "function", "computes a value"),
  row("top", true, "effect", "changes data; shared by actions and states"),
  row("top", false, "team", "seats that win and lose together"),
  row("top", true, "dice", "a stream of dice of its own"),
  row("top", true, "overlay", "lies over everything; what is below is frozen"),
  row("top", true, "ending", "where a match stops, with a result for every seat"),
  row("top", true, "law", "must hold in every match"),
  row("top", true, "policy", "how a bot plays"),
  row("top", true, "test", "a match played to show something"),
  row("clause", false, "accept", "silences a warning on the line below"),

  row("statement", true, "let", "a local value"),
  row("statement", true, "note", "tells everybody, or note to SEAT"),
  row("statement", true, "raise", "announces a signal"),
  row("statement", false, "eliminate", "takes a seat out of play for good"),
  row("statement", false, "reopen", "opens a seat that is out for somebody else"),
  row("statement", true, "for", "for each element of a list"),
  row("statement", true, "if", "only when a condition holds"),

  row("test", true, "given", "data that a test begins with"),
  row("test", true, "wait", "lets time pass"),
  row("test", true, "expect", "what must be so here"),
  row("test", false, "at", "the state that a test begins in"),

  row("arrow", true, "stay", "leads nowhere"),
  row("arrow", false, "ready", "ends the seat's part of a turn of each"),
  row("arrow", true, "return", "back to what lies below the overlay"),
  row("arrow", true, "again", "leaves the state and enters it anew"),
  row("arrow", true, "choose", "the first branch that holds"),
  row("arrow", true, "odds", "one of several by chance"),
  row("arrow", true, "history", "its last inner state"),
  row("arrow", false, "inner", "stays inside the state, in the standard order"),

  row("clause", true, "then"),
  row("clause", true, "else"),
  row("clause", true, "where"),
  row("clause", true, "needs", "what must hold for an action to be open"),
  row("clause", false, "of"),
  row("clause", false, "is"),
  row("clause", false, "by", "who may take an action, in place of the turn"),
  row("clause", false, "anyone"),
  row("clause", false, "per"),
  row("clause", false, "each"),
  row("clause", false, "deep"),
  row("clause", false, "order"),
  row("clause", false, "standard"),
  row("clause", false, "private", "seen by its own seat alone"),
  row("clause", false, "hidden", "seen by nobody"),
  row("clause", false, "done"),
  row("clause", false, "ties"),
  row("clause", false, "inOrder"),
  row("clause", false, "byLot"),
  row("clause", false, "weighted"),
  row("clause", false, "wins"),
  row("clause", false, "loses"),
  row("clause", false, "draws"),
  row("clause", false, "ranks"),
  row("clause", false, "rank"),
  row("clause", false, "scores"),
  row("clause", false, "score"),
  row("clause", false, "changes", "in a law: where data may be written"),
  row("clause", false, "falls", "in a law: where a number may become less"),
  row("clause", false, "rises", "in a law: where a number may become more"),
  row("clause", false, "only"),
  row("clause", false, "entered"),
  row("clause", false, "from"),
  row("clause", false, "joins"),
  row("clause", false, "leaves"),
  row("clause", false, "refused"),
  row("clause", false, "open"),
  row("clause", false, "closed"),
  row("clause", false, "to"),

  row("operator", true, "and"),
  row("operator", true, "or"),
  row("operator", true, "not"),
  row("operator", true, "implies"),
  row("operator", true, "mod"),
  row("operator", true, "in"),

  row("value", true, "true"),
  row("value", true, "false"),
  row("value", true, "none", "no value; as a result: neither won nor lost"),

  row("type", false, "bool"),
  row("type", false, "int"),
  row("type", false, "num"),
  row("type", false, "text"),
  row("type", false, "seat"),
  row("type", false, "cell"),
  row("type", false, "list"),
  row("type", false, "map"),
  row("type", false, "grid"),
  row("type", false, "max"),
];

/** Every word of the language by its text. */
export const WORDS: ReadonlyMap<string, Word> = new Map(TABLE.map((word) => [word.text, word]));

/** The words of a role, in the order of the table. */
export function wordsOf(...roles: readonly WordRole[]): string[] {
  return TABLE.filter((word) => roles.includes(word.role)).map((word) => word.text);
}

export function isReserved(text: string): boolean {
  return WORDS.get(text)?.reserved ?? false;
}

/** The words that begin a part of a mapping of a game's own log; its other lines go on with the part before. */
export const MAP_PARTS: ReadonlySet<string> = new Set([
  "map",
  "machine",
  "read",
  "time",
  "match",
  "words",
  "seats",
  "table",
  "dice",
  "continued",
  "row",
]);

/** The words that can stand behind an arrow of a mapping, beside seats. */
export const MAP_MOVES = ["begin", "event", "for", "more", "nothing", "refuse", "skip", "timer", "wait"] as const;
