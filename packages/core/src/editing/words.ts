/** Built-in values and calls, as an editor shows them. */

export const BUILT_IN_WORDS: ReadonlyMap<string, string> = new Map([
  ["me", "the seat acting"],
  ["inPlay", "the seats in play"],
  ["seated", "the seats in play that somebody holds"],
  ["others", "the seats in play but me"],
]);

/** What each built-in call takes. */
export const BUILT_IN_CALLS: ReadonlyMap<string, readonly string[]> = new Map([
  ["next", ["seat: seat"]],
  ["canAct", ["seat: seat"]],
  ["floor", ["number: num"]],
  ["ceil", ["number: num"]],
  ["nearest", ["number: num"]],
  ["abs", ["number: num"]],
  ["min", ["first: num", "second: num", "..."]],
  ["max", ["first: num", "second: num", "..."]],
  ["cell", ["x: int", "y: int"]],
  ["roll", ["faces: LOW..HIGH or N of LOW..HIGH"]],
  ["chance", ["share: 35% or 1 in 5"]],
  ["pick", ["list: list, weighted by x: WEIGHT"]],
  ["shuffle", ["list: list"]],
  ["any", ["x in LIST where COND: COND"]],
  ["all", ["x in LIST where COND: COND"]],
  ["count", ["x in LIST where COND"]],
  ["sum", ["x in LIST where COND: NUMBER"]],
  ["filter", ["x in LIST where COND"]],
  ["map", ["x in LIST where COND: VALUE"]],
  ["sort", ["x in LIST where COND: NUMBER ties inOrder"]],
  ["sortDown", ["x in LIST where COND: NUMBER ties inOrder"]],
  ["minBy", ["x in LIST where COND: NUMBER ties inOrder"]],
  ["maxBy", ["x in LIST where COND: NUMBER ties inOrder"]],
]);
