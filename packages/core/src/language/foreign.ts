/**
 * What people bring along from other languages, and what is written here in its place. Each is one message with the way
 * out, and reading goes on as if the right thing stood there, so that nothing else is reported for it.
 */

import type { BinderWord, ResultWord, Visibility } from "./syntax.js";

/** A sign of another language: what it is read as, and the words for it. */
export interface ForeignSign {
  readonly sign: string;
  /** What stands in its place; a word, a mark, or nothing. */
  readonly instead: string;
  readonly words: string;
}

/** The longest first. */
export const FOREIGN_SIGNS: readonly ForeignSign[] = [
  { sign: "| none", instead: "?", words: "A type that may hold none ends with a question mark." },
  { sign: "===", instead: "==", words: 'Equal is written "==".' },
  { sign: "!==", instead: "!=", words: 'Not equal is written "!=".' },
  { sign: "&&", instead: "and", words: 'Both is written "and".' },
  { sign: "||", instead: "or", words: 'Either is written "or".' },
  { sign: "=>", instead: "->", words: 'An arrow is written "->".' },
  { sign: ":=", instead: "=", words: 'A value is set with "=".' },
  { sign: "~=", instead: "!=", words: 'Not equal is written "!=".' },
  { sign: "<>", instead: "!=", words: 'Not equal is written "!=".' },
  {
    sign: "|",
    instead: ",",
    words: 'Members of a type stand with commas between them, and conditions with "or".',
  },
  { sign: "!", instead: "not", words: 'The opposite is written "not".' },
  { sign: ";", instead: "", words: "Nothing separates statements: leave it out." },
];

/** How a statement that begins with a word of another language is written here. */
export const FOREIGN_STATEMENTS: ReadonlyMap<string, string> = new Map([
  [
    "while",
    "Loops go through lists: for x in LIST { ... }. To wait for something, use a state with when COND -> STATE.",
  ],
  ["unless", "Write: if not (COND) { ... }."],
  ["do", "Loops go through lists: for x in LIST { ... }."],
  ["repeat", "Loops go through lists: for x in LIST { ... }."],
  ["loop", "Loops go through lists: for x in LIST { ... }."],
  ["foreach", "Write: for x in LIST { ... }."],
  ["switch", "Write if a { ... } else if b { ... }; where it leads to states, -> choose { when a -> S  else -> T }."],
  ["match", "Write if a { ... } else if b { ... }; where it leads to states, -> choose { when a -> S  else -> T }."],
  ["case", "Write if a { ... } else if b { ... }."],
  ["goto", "An arrow leads to a state, behind the block: action move { ... } -> STATE."],
  ["break", "A loop goes through its whole list; leave elements out with where: for x in LIST where COND { ... }."],
  ["continue", "Leave elements out with where: for x in LIST where COND { ... }."],
  ["throw", 'An action is refused by needs COND else "reason".'],
  ["end", "A block ends with a brace: }."],
  ["emit", "A signal is announced by raise: raise SIGNAL(VALUES)."],
  ["fire", "A signal is announced by raise: raise SIGNAL(VALUES)."],
  ["trigger", "A signal is announced by raise: raise SIGNAL(VALUES)."],
  ["dispatch", "A signal is announced by raise: raise SIGNAL(VALUES)."],
  ["print", 'What players are told is a note: note "...".'],
  ["say", 'What players are told is a note: note "...".'],
]);

/** Words that begin a local value in other languages. */
export const FOREIGN_LETS: ReadonlySet<string> = new Set(
  "var local const auto val mut dim int float double bool boolean string text num number seat char long".split(" "),
);

/** Words before the name of a datum in other languages, and who sees it here. */
export const FOREIGN_FIELD_WORDS: ReadonlyMap<string, Visibility> = new Map<string, Visibility>([
  ["public", "public"],
  ["shared", "public"],
  ["visible", "public"],
  ["common", "public"],
  ["global", "public"],
  ["var", "public"],
  ["let", "public"],
  ["mut", "public"],
  ["mutable", "public"],
  ["static", "public"],
  ["const", "public"],
  ["secret", "private"],
  ["own", "private"],
  ["personal", "private"],
  ["unseen", "hidden"],
  ["concealed", "hidden"],
  ["internal", "hidden"],
]);

/** Words that begin the declaration of a type in other languages. */
export const FOREIGN_TYPE_WORDS: ReadonlySet<string> = new Set(["enum", "struct", "class", "record", "interface"]);

/** Words that begin a declaration in other languages. */
export const FOREIGN_DECLARATIONS: ReadonlyMap<string, string> = new Map([
  ["var", "Data stand in a block: data { round: int 0..99 = 0 }"],
  ["let", "Data stand in a block: data { round: int 0..99 = 0 }. A value that never changes: const most: int = 9"],
  ["def", "Write: function alive(s: seat): bool = VALUE, or effect hit(s: seat) { ... }"],
  ["func", "Write: function alive(s: seat): bool = VALUE, or effect hit(s: seat) { ... }"],
  ["fn", "Write: function alive(s: seat): bool = VALUE, or effect hit(s: seat) { ... }"],
  ["sub", "Write: effect hit(s: seat) { ... }"],
  ["void", "Write: effect hit(s: seat) { ... }"],
  ["import", 'Write: include "file.zany"'],
  ["players", "Write: seats ann, ben"],
  ["invariant", 'Write: law "WORDS": CONDITION'],
  ["rule", 'Write: law "WORDS": CONDITION'],
  ["assert", 'Write: law "WORDS": CONDITION'],
  ["bot", "Write: policy NAME { when COND: ACTION  else: ACTION }"],
  ["ai", "Write: policy NAME { when COND: ACTION  else: ACTION }"],
  ["strategy", "Write: policy NAME { when COND: ACTION  else: ACTION }"],
  ["scenario", 'Write: test "WORDS" { ... }'],
]);

/** Words that begin an item of a state in other languages, and what is written here. */
export const FOREIGN_ITEMS: ReadonlyMap<string, string> = new Map([
  ["timer", "Write: after 30s -> STATE"],
  ["timeout", "Write: after 30s -> STATE"],
  ["wait", "Write: after 30s -> STATE"],
  ["every", "Write: after each 30s { ... }"],
  ["transition", "An arrow stands behind what it follows: action go -> STATE, when COND -> STATE"],
  ["goto", "An arrow stands behind what it follows: action go -> STATE, when COND -> STATE"],
  ["if", "Write: when COND -> STATE"],
  ["entry", "Write: enter { ... }"],
  ["onEnter", "Write: enter { ... }"],
  ["onExit", "Write: exit { ... }"],
  ["event", "A signal is heard by: on SIGNAL(VALUES) { ... }"],
  ["move", "Write: action NAME -> STATE"],
  ["input", "Write: action NAME -> STATE"],
  ["initial", "Write: start STATE"],
  ["region", "Write: state NAME { ... }, inside of: parallel state"],
  ["substate", "Write: state NAME { ... }; states stand in states"],
  ["otherwise", "Write: else, as the last branch of: -> choose { when COND -> A  else -> B }"],
]);

/** Words between conditions as other languages write them. */
export const FOREIGN_CONNECTIVES: ReadonlyMap<string, "and" | "or" | "not"> = new Map([
  ["AND", "and"],
  ["And", "and"],
  ["OR", "or"],
  ["Or", "or"],
  ["NOT", "not"],
  ["Not", "not"],
]);

/** What goes through a list in other languages, or looks as if it did, and what does so here. */
export const FOREIGN_BINDERS: ReadonlyMap<string, BinderWord> = new Map<string, BinderWord>([
  ["exists", "any"],
  ["some", "any"],
  ["anyOf", "any"],
  ["contains", "any"],
  ["every", "all"],
  ["each", "all"],
  ["forall", "all"],
  ["forAll", "all"],
  ["allOf", "all"],
  ["number", "count"],
  ["countIf", "count"],
  ["size", "count"],
  ["total", "sum"],
  ["sumOf", "sum"],
  ["min", "minBy"],
  ["least", "minBy"],
  ["argmin", "minBy"],
  ["max", "maxBy"],
  ["most", "maxBy"],
  ["argmax", "maxBy"],
  ["find", "filter"],
  ["select", "filter"],
  ["those", "filter"],
  ["collect", "map"],
  ["transform", "map"],
  ["sortBy", "sort"],
  ["orderBy", "sort"],
  ["sorted", "sort"],
  ["sortDesc", "sortDown"],
]);

/** Where an arrow leads in other languages by chance or by cases. */
export const FOREIGN_CHOICES: ReadonlyMap<string, string> = new Map([
  ["random", "Write: -> odds { 30 -> A  70 -> B }"],
  ["chance", "Write: -> odds { 30 -> A  70 -> B }"],
  ["weighted", "Write: -> odds { 30 -> A  70 -> B }"],
  ["switch", "Write: -> choose { when COND -> A  else -> B }"],
  ["match", "Write: -> choose { when COND -> A  else -> B }"],
  ["case", "Write: -> choose { when COND -> A  else -> B }"],
  ["select", "Write: -> choose { when COND -> A  else -> B }"],
]);

/** Results as they are called elsewhere. */
export const FOREIGN_RESULTS: ReadonlyMap<string, ResultWord> = new Map([
  ["win", "wins"],
  ["winner", "wins"],
  ["winners", "wins"],
  ["won", "wins"],
  ["lose", "loses"],
  ["loser", "loses"],
  ["losers", "loses"],
  ["lost", "loses"],
  ["draw", "draws"],
  ["tie", "draws"],
  ["ties", "draws"],
]);

/** What orders the seats at an ending, as it is called elsewhere. */
export const FOREIGN_RANKING: ReadonlyMap<string, "ranks" | "scores"> = new Map([
  ["rank", "ranks"],
  ["ranking", "ranks"],
  ["order", "ranks"],
  ["score", "scores"],
  ["points", "scores"],
]);

const NUMBER_OF_A_SEAT =
  "A seat is no number: next(SEAT) is the one after it. A number of its own is data per seat: place per seat: int";

/** Fields that seats have in other languages, and what there is in their place; SEAT stands for the seat as written. */
export const FIELDS_OF_SEATS: Readonly<Record<string, string>> = {
  index: NUMBER_OF_A_SEAT,
  number: NUMBER_OF_A_SEAT,
  position: NUMBER_OF_A_SEAT,
  id: NUMBER_OF_A_SEAT,
  name: 'In a text, a seat is written by its name: "{SEAT}".',
  next: "Write: next(SEAT)",
  canAct: "Write: canAct(SEAT)",
  inPlay: "Write: SEAT in inPlay",
  seated: "Write: SEAT in seated",
  open: "Write: not (SEAT in seated)",
  out: "Write: not (SEAT in inPlay)",
  eliminated: "Write: not (SEAT in inPlay)",
};

/** Types of other languages, and how they are called here. */
export const FOREIGN_TYPES: Readonly<Record<string, string>> = {
  string: "text",
  String: "text",
  str: "text",
  float: "num",
  double: "num",
  number: "num",
  real: "num",
  boolean: "bool",
  Boolean: "bool",
  integer: "int",
  Integer: "int",
  uint: "int",
  long: "int",
  player: "seat",
  Player: "seat",
  opponent: "seat",
  enemy: "seat",
  seats: "seat",
  players: "seat",
};

/** Types of other languages that take others, and how they are written here. */
export const FOREIGN_COLLECTIONS: Readonly<Record<string, string>> = {
  array: "list of TYPE",
  Array: "list of TYPE",
  vector: "list of TYPE",
  List: "list of TYPE",
  set: "list of TYPE",
  Set: "list of TYPE",
  dict: "map of KEY to VALUE",
  dictionary: "map of KEY to VALUE",
  table: "map of KEY to VALUE",
  Map: "map of KEY to VALUE",
  enum: "type NAME is a, b, declared at the top of the file",
};

/** Values of other languages, and how they are called here. */
export const FOREIGN_VALUES: Readonly<Record<string, "true" | "false" | "none" | "me" | "seats">> = {
  True: "true",
  TRUE: "true",
  False: "false",
  FALSE: "false",
  null: "none",
  nil: "none",
  None: "none",
  NULL: "none",
  undefined: "none",
  self: "me",
  this: "me",
  all: "seats",
  everyone: "seats",
  everybody: "seats",
  players: "seats",
};

/** Functions of other languages, and what is written here. */
export const FOREIGN_CALLS: Readonly<Record<string, string>> = {
  random: "roll(1..6)",
  rand: "roll(1..6)",
  randint: "roll(1..6)",
  rnd: "roll(1..6)",
  dice: "roll(1..6)",
  choice: "pick(LIST)",
  choose: "pick(LIST)",
  len: "LIST.size",
  length: "LIST.size",
  size: "LIST.size",
  other: "next(me), which is the other of two seats",
  opponent: "next(me), which is the other of two seats",
  enemy: "next(me), which is the other of two seats",
  endTurn: "holder = next(holder), in a state with: turn of holder",
  nextTurn: "holder = next(holder), in a state with: turn of holder",
  passTurn: "holder = next(holder), in a state with: turn of holder",
  count: "count(x in LIST where COND)",
  clamp: "min(max(VALUE, LOW), HIGH); an int with bounds, such as int 1..10, keeps to them by itself",
  limit: "min(max(VALUE, LOW), HIGH); an int with bounds, such as int 1..10, keeps to them by itself",
  range: "LOW..HIGH",
  pow: "products: x * x",
  round: "nearest(...)",
  int: "floor(...)",
  str: 'a text with the value in braces, "{value}"',
  print: 'note "..."',
  println: 'note "..."',
  printf: 'note "{value}"',
  echo: 'note "..."',
  log: 'note "..."',
};

/** Fields and operations of other languages, and how they are called here. */
export const FOREIGN_MEMBERS: Readonly<Record<string, string>> = {
  length: "size",
  len: "size",
  Length: "size",
  Count: "size",
  isEmpty: "empty",
  append: "push",
  add: "push",
  push_back: "push",
  pop: "takeLast",
  shift: "take",
  dequeue: "take",
  contains: "has",
  includes: "has",
  delete: "remove",
  erase: "remove",
  row: "y",
  col: "x",
};
