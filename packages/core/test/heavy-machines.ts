/** Machines that ask for as much work as can be written in a line. */

/** Every built-in at its largest, and how often: none of it may keep others waiting. */
export const HEAVY: readonly { readonly what: string; readonly body: string; readonly code?: string }[] = (
  [
    ["line", "for i in 0..999 { n = square.line(cell(0, 0), cell(65535, 65535)).size }"],
    ["reach", "for i in 0..9999 { n = square.reach(cell(20, 20), 999).size }"],
    ["has", "for i in 0..99999 { if long.has(0 - 1) { n = 1 } }"],
    ["in", "for i in 0..99999 { if (0 - 1) in long { n = 1 } }"],
    ["==", "for i in 0..99999 { if long == other { n = 1 } }"],
    ["rest", "for i in 0..99999 { n = long.rest.size }"],
    ["indices", "for i in 0..99999 { n = long.indices.size }"],
    ["keys", "for i in 0..99999 { n = prices.keys.size }"],
    ["values", "for i in 0..99999 { n = prices.values.size }"],
    ["insert", "for i in 0..99999 { long.insert(0, i) }"],
    ["take", "for i in 0..99999 { if not long.empty { n = long.take() } }"],
    ["copies", "for i in 0..99999 { other = long  other.push(1) }"],
    ["copies in lists", "for i in 0..99999 { lists[0] = long  lists[1] = lists[0]  lists[1].push(2) }"],
    ["sort", "for i in 0..99999 { other = sort(x in long: 0 - x) }"],
    ["filter", "for i in 0..99999 { other = filter(x in long where x > 3) }"],
    ["binders in binders", "n = count(a1 in long where any(b1 in long: any(c1 in long: a1 + b1 + c1 == 0 - 1)))"],
    ["ranges", "for i in 0..99999 { other = 0..99999 }"],
    ["fill", "for i in 0..99999 { square.fill(i) }"],
    ["grids", "for i in 0..99999 { square2 = square }"],
    ["maps", 'for i in 0..99999 { prices["{i}"] = i }'],
    ["calls", "for i in 0..99999 { n = heavy(i) }"],
    ["texts", 'for i in 0..99999 { word = "{long}" }'],
    ["comparing texts", "for i in 0..99999 { if word == word2 { n = 1 } }"],
    ["notes", 'for i in 0..99999 { note "{long}" }'],
    ["rolls", "for i in 0..99999 { n = roll(1..6) }"],
    ["many dice", "n = roll(99999 of 1..6)"],
    ["weights", "for i in 0..99999 { n = pick(long weighted by x: 1 + x) }"],
    ["shuffle", "for i in 0..99999 { long = shuffle(long) }"],
    ["clamps", "for i in 0..99999 { tight = i }"],
    ["a range that no number is below", "n = roll(0 - 9007199254740991..9007199254740991)", "outOfRange"],
    ["weights beyond what is exact", "n = pick(long weighted by x: 9007199254740991)", "badWeights"],
  ] as const
).map(([what, body, code]) => ({ what, body, ...(code !== undefined && { code }) }));

/**
 * A machine in which one action does something heavy, on lists, maps, grids and texts that are nearly as large as can
 * be.
 */
export function heavyMachine(body: string): string {
  return `machine Heavy
seats p
function heavy(k: int): int = ${Array.from({ length: 400 }, () => "k").join(" + ")}
data {
  n: int  tight: int 0..9  word: text  word2: text
  long: list of int  other: list of int  lists: list of list of int  prices: map of text to int
  square: grid 60 by 60 of int  square2: grid 60 by 60 of int
}
start S
state S {
  turn of p
  enter {
    for i in 0..3999 { long.push(i) }
    other = long
    lists = [long, long]
    for i in 0..99 { prices["{i}key"] = i }
    word = "gale"
    for i in 0..11 { word = "{word}{word}" }
    word2 = word
  }
  action go { ${body} } -> stay
  action look(k: int 0..63 where any(a1 in long: any(b1 in long: a1 + b1 + k < 0))) -> stay
}
ending E { draws all }
`;
}

/** Machines that are large in one way each; in all of them p may go. */
export const LARGE: readonly { readonly what: string; readonly text: string }[] = [
  {
    what: "a thousand states in a row",
    text: large(
      times(1_000, (i) => `state S${i} { turn of p action go { n += ${i} } -> S${(i + 1) % 1_000} action no -> stay }`),
      "S0",
    ),
  },
  ...[60, 500].map((count) => ({
    what: `${count} stalls side by side`,
    text: large(
      `parallel state All { turn of p action go { n += 1 } -> stay
${times(
  count,
  (i) => `state P${i} { start A${i}
state A${i} { enter { n += 1 } action a${i} -> B${i} when n > ${1000 + i} -> B${i} }
state B${i} { action b${i} -> A${i} } }`,
)}}`,
      "All",
    ),
  })),
  ...[300, 10_000].map((count) => ({
    what: `${count} conditions in an action`,
    text: large(
      `state S { turn of p action go { ${times(count, (i) => `if n > ${i} { n += ${i % 7} }`)} } -> stay }`,
      "S",
    ),
  })),
  ...[100, 4_000].map((count) => ({
    what: `${count} actions`,
    text: large(
      `state S { turn of p action go -> stay
${times(count, (i) => `action a${i}(k: int 0..9 where k + n >= 0) needs n >= ${i % 5} else "not {n}" { n += k } -> stay`)} }`,
      "S",
    ),
  })),
  {
    what: "five thousand laws",
    text: large(
      `${times(5_000, (i) => `law "number ${i}": n >= 0 - ${i}`)}
state S { turn of p action go { n += 1 } -> stay }`,
      "S",
    ),
  },
  {
    what: "nine thousand data",
    text: large(
      `data { ${times(9_000, (i) => `d${i}: list of int = [${i}]`)} }
state S { turn of p action go { d0[0] += 1 } -> stay }`,
      "S",
    ),
  },
];

function times(count: number, one: (i: number) => string): string {
  return Array.from({ length: count }, (_, i) => one(i)).join("\n");
}

function large(text: string, start: string): string {
  return `machine Large\nseats p\ndata { n: int 0..99999999 }\nstart ${start}\n${text}\nending E { draws all }\n`;
}
