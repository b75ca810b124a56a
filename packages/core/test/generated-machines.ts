/**
 * Machines at random, well-typed, over the whole grammar: what no person would write, so that every way of running is
 * held against the others where nobody looked. The same seed gives the same machine.
 */

/** Numbers at random from a seed (mulberry32; what a test needs, not a match). */
export class Chance {
  private state: number;

  constructor(seed: number) {
    this.state = seed >>> 0;
  }

  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0;
    let t = this.state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  }

  /** A whole number below `count`. */
  below(count: number): number {
    return Math.floor(this.next() * count);
  }

  of<T>(items: readonly T[]): T {
    return items[this.below(items.length)] as T;
  }

  /** True in one of `n` cases. */
  one(n: number): boolean {
    return this.below(n) === 0;
  }

  some<T>(most: number, make: (i: number) => T): T[] {
    return Array.from({ length: this.below(most + 1) }, (_, i) => make(i));
  }
}

/** Texts that have been trouble, or look like it. */
const ODD_TEXTS = [
  "",
  "gale",
  "see K[1] and F[2], E[0] K1 L[3] t0",
  "$1 $& $` \u0024{n} `x`",
  '\\\\ \\" \\n',
  "{{braces}} {{",
  "'quoted' /* */ // */",
  "\u2028\u2029\u00a0",
  "\ud83c\udf88 e\u0301 \u0645\u0631",
  "__proto__ constructor",
  "</script><!--",
  "\t tab",
];

type Kind = "int" | "num" | "bool" | "text" | "seat" | "cell" | "gear" | "ints" | "seats" | "kite";

/** A place that holds a value. */
interface Place {
  readonly text: string;
  readonly kind: Kind;
  readonly writable: boolean;
}

interface Scope {
  readonly places: readonly Place[];
  /** Somebody acts. */
  readonly me: boolean;
  /** Effects: dice may be rolled. */
  readonly effects: boolean;
}

const DATA: readonly (readonly [string, string, Kind, string])[] = [
  ["n", "int 0..50 = 5", "int", "n"],
  ["wide", "int = 3", "int", "wide"],
  ["low", "int -9..9 = -2", "int", "low"],
  ["x", "num = 1.5", "num", "x"],
  ["flag", "bool", "bool", "flag"],
  ["word", "text max 60", "text", "word"],
  ["free", "text", "text", "free"],
  ["ended", "list of int", "ints", "ended"],
  ["who", "seat = ann", "seat", "who"],
  ["maybe", "seat?", "seat", "maybe"],
  ["gear", "Gear = bell", "gear", "gear"],
  ["kite", "Kite", "kite", "kite"],
  ["spare", "Kite?", "kite", "spare"],
  ["fleet", "grid 2 by 2 of Kite?", "kite", "fleet[cell(1, 0)]"],
  ["long", "list max 8 of int = [3, 1, 2]", "ints", "long"],
  ["order", "list max 6 of seat = [ann, ben]", "seats", "order"],
  ["prices", 'map of text to int = ["tea": 3]', "int", 'prices["tea"]'],
  ["square", "grid 3 by 2 of int", "int", "square[cell(1, 1)]"],
  ["spot", "cell = cell(1, 0)", "cell", "spot"],
  ["purse per seat", "int 0..99 = 10", "int", "purse[ben]"],
  ["private hand per seat", "int 0..9 = 1", "int", "hand[ann]"],
  ["hidden deck", "list max 9 of int = [4, 5, 6]", "ints", "deck"],
];

const PLACES: readonly Place[] = [
  ...DATA.map(([, , kind, text]) => ({ text, kind, writable: true })),
  { text: "kite.lift", kind: "int", writable: true },
  { text: "kite.name", kind: "text", writable: true },
  { text: "kite.gear", kind: "gear", writable: true },
  { text: "spare.lift", kind: "int", writable: true },
  { text: "fleet[cell(1, 0)].gear", kind: "gear", writable: true },
  { text: "long[0]", kind: "int", writable: true },
];

/** A machine of a seed. */
export function machineOf(seed: number): string {
  return new Writer(new Chance(seed)).machine();
}

class Writer {
  private names = 0;
  /** Whether this one takes its steps in the standard order, which has no overlays and no odds. */
  private readonly standard: boolean;

  constructor(private readonly chance: Chance) {
    this.standard = chance.one(5);
  }

  machine(): string {
    const { chance, standard } = this;
    const top: Scope = { places: PLACES, me: false, effects: false };
    return `machine Made${standard ? " order standard" : ""}
seats ann, ben, cat
type Gear is tape, bell, whistle
type Kite { lift: int 0..40 = 9  name: text max 60  gear: Gear }
private dice palm
hidden dice deal
dice loot
signal Rang(count1: int)
signal Hush
event Gust(force: int 0..9)
data {
${DATA.map(([name, type]) => `  ${name}: ${type}`).join("\n")}
}
function twice(k: int): int 5..40 = ${this.int(2, { places: [{ text: "k", kind: "int", writable: false }], me: false, effects: false })}
function calm(s: seat): bool = ${this.bool(2, { places: [...PLACES, { text: "s", kind: "seat", writable: false }], me: false, effects: false })}
function label(k: int 0..9): text = ${this.text(1, { places: [{ text: "k", kind: "int", writable: false }], me: false, effects: false })}
effect nudge(by1: int) { ${this.block(1, { places: [...PLACES, { text: "by1", kind: "int", writable: false }], me: false, effects: true }, 2)} }
on Left(s) -> Calm
${chance.one(3) ? `law "stays within": ${this.bool(1, top)} or wide < 100000` : ""}
start Alpha
${this.state("Alpha", ["Inner", "Other"], 2)}
${this.state("Beta", [], 1)}
parallel state Side {
  when done Side -> Alpha
  state Wing { start Up state Up { turn of ann ${this.items("Up", 1)} action land -> Down } final Down }
  state Tail { start Low state Low { turn of who ${this.items("Low", 1)} action drop -> Gone } final Gone }
}
${standard ? "" : "overlay Pause { turn of seats action unpause -> return  action leave1 -> Beta }"}
action stop by anyone -> Calm
ending Calm { draws all }
ending Won(winner: seat, by1: int) { wins winner  loses others  scores s in seats: purse[s] + by1 }
`;
  }

  private name(prefix: string): string {
    return `${prefix}${this.names++}`;
  }

  private state(name: string, inner: readonly string[], depth: number): string {
    const start = inner.length > 0 ? `start ${inner[0]}\n` : "";
    const turn = this.chance.of([
      "turn of seats",
      "turn of who",
      "turn of each seats",
      "turn of order",
      "turn of next(who)",
    ]);
    const ready = turn.includes("each") ? `action pass1 -> ready\nwhen all ready -> ${this.other(name)}` : "";
    return `state ${name} {
${turn}
${start}${this.items(name, 3)}
${ready}
${inner.map((i) => this.state(i, [], depth - 1)).join("\n")}
action move1 -> ${this.other(name)}
}`;
  }

  private items(state: string, most: number): string {
    const { chance } = this;
    const effects: Scope = { places: PLACES, me: false, effects: true };
    const plain: Scope = { places: PLACES, me: false, effects: false };
    const acting: Scope = { places: PLACES, me: true, effects: true };
    const makers: (() => string)[] = [
      () => `enter { ${this.block(1, effects, 2)} }`,
      () => `exit { ${this.block(1, effects, 2)} }`,
      () =>
        `after ${chance.of(["2s", "500ms", "1s * (1 + n)"])} { ${this.block(1, effects, 1)} } -> ${this.arrow(state, effects)}`,
      () =>
        `on Rang(k) { ${this.block(1, { ...effects, places: [...PLACES, { text: "k", kind: "int", writable: false }] }, 2)} } -> stay`,
      () =>
        `on Gust(f) when ${this.bool(1, { ...plain, places: [...PLACES, { text: "f", kind: "int", writable: false }] })} { wide += f } -> ${this.arrow(state, effects)}`,
      () => `on Hush -> ${this.arrow(state, effects)}`,
      () => `when ${this.bool(2, plain)} and flag { flag = false } -> ${this.arrow(state, effects)}`,
      () => this.action(state, acting),
      () => this.action(state, acting),
      () => this.action(state, acting),
    ];
    return [this.action(state, acting), ...chance.some(most, () => chance.of(makers)())].join("\n");
  }

  private action(state: string, scope: Scope): string {
    const { chance } = this;
    const name = this.name("act");
    const [parameter, place] = chance.of<readonly [string, Place | undefined]>([
      ["", undefined],
      ["(k: int 0..5)", { text: "k", kind: "int", writable: false }],
      ["(s: seat in others)", { text: "s", kind: "seat", writable: false }],
      ["(g: Gear)", { text: "g", kind: "gear", writable: false }],
      ["(i: int in long.indices)", { text: "i", kind: "int", writable: false }],
      ["(w: text max 60)", { text: "w", kind: "text", writable: false }],
      ["(c: cell in square.cells)", { text: "c", kind: "cell", writable: false }],
    ]);
    const inside: Scope = place ? { ...scope, places: [...scope.places, place] } : scope;
    const needs = chance.one(3)
      ? ` needs ${this.bool(2, { ...inside, effects: false })} else ${this.quoted(1, { ...inside, effects: false })}`
      : "";
    const sealed = chance.one(8);
    const body = sealed ? 'hand[me] = palm.roll(1..9) note to me "{hand[me]}"' : this.block(2, inside, 4);
    return `${sealed ? "sealed " : ""}action ${name}${parameter}${needs} { ${body} } -> ${sealed ? "stay" : this.arrow(state, inside)}`;
  }

  private other(state: string): string {
    return this.chance.of(
      ["Alpha", "Beta", "Side", ...(this.chance.one(9) ? ["Calm"] : [])].filter(
        (s) =>
          s !== state &&
          !(s === "Alpha" && ["Inner", "Other"].includes(state)) &&
          !(s === "Side" && ["Up", "Low"].includes(state)),
      ),
    );
  }

  private arrow(state: string, scope: Scope, depth = 1): string {
    const { chance } = this;
    const pure: Scope = { ...scope, effects: false };
    const simple = (): string =>
      chance.one(20)
        ? `Won(${this.seat(1, scope)}, ${this.int(1, scope)})`
        : chance.of([
            this.other(state),
            this.other(state),
            "stay",
            "stay",
            "stay",
            ...(this.standard ? [] : ["Pause"]),
          ]);
    if (depth === 0) return simple();
    switch (chance.below(8)) {
      case 0:
        return `choose { ${chance.some(2, () => `when ${this.bool(2, pure)} { ${this.block(1, scope, 1)} } -> ${this.arrow(state, scope, depth - 1)}`).join(" ")} else -> ${this.arrow(state, scope, depth - 1)} }`;
      case 1:
        if (this.standard) return simple();
        return `odds { ${1 + chance.below(9)} -> ${this.other(state)} ${chance.below(5)} * ${this.known("int", pure)} -> Calm }`;
      case 2:
        return state === "Up" || state === "Low" ? "stay" : `${this.standard ? "" : "again "}${state}`;
      case 3:
        return state === "Up" || state === "Low" ? "stay" : "history Side";
      default:
        return simple();
    }
  }

  // ---- statements -----------------------------------------------------------------------------------

  private block(depth: number, scope: Scope, most: number): string {
    let inside = scope;
    const lines: string[] = [];
    for (let i = 1 + this.chance.below(most); i > 0; i--) {
      if (this.chance.one(5)) {
        const name = this.name("v");
        const kind = this.chance.of<Kind>(["int", "bool", "text", "seat", "ints"]);
        lines.push(`let ${name} = ${this.value(kind, depth, inside)}`);
        inside = { ...inside, places: [...inside.places, { text: name, kind, writable: false }] };
      } else lines.push(this.statement(depth, inside));
    }
    return lines.join("\n");
  }

  private statement(depth: number, scope: Scope): string {
    const { chance } = this;
    switch (chance.below(depth > 0 ? 13 : 9)) {
      case 0:
        return `note ${this.quoted(1, scope)}`;
      case 1:
        return `note to ${this.seat(1, scope)} ${this.quoted(1, scope)}`;
      case 2:
        return chance.of([`raise Rang(${this.int(1, scope)})`, "raise Hush"]);
      case 3:
        return chance.of([
          `long.push(${this.int(1, scope)})`,
          `long.remove(${this.int(0, scope)})`,
          `long.insert(${this.int(0, scope)}, ${this.int(0, scope)})`,
          "long.clear()",
          `long = [${chance.some(4, () => this.int(1, scope)).join(", ")}]`,
          `order.push(${this.seat(1, scope)})`,
          "order = [ann, cat]",
          "deck = deal.shuffle(deck)",
          `square.fill(${this.int(1, scope)})`,
          `prices[${chance.of(['"tea"', '"rope"', '"{n}"'])}] = ${this.int(1, scope)}`,
          'prices.remove("tea")',
        ]);
      case 4:
        return `purse[${this.seat(1, scope)}] ${chance.of(["+=", "-=", "="])} ${this.int(2, scope)}`;
      case 5:
        return `square[cell(${this.int(0, scope)}, ${this.int(0, scope)})] = ${this.int(1, scope)}`;
      case 6:
        return chance.one(12)
          ? `eliminate ${this.seat(1, scope)}`
          : chance.of([
              `kite = Kite(lift: ${this.int(1, scope)}, name: ${this.text(1, scope)})`,
              `spare = Kite(lift: ${this.int(1, scope)})`,
              `fleet[${this.known("cell", scope)}] = ${chance.of(["none", "kite", "spare"])}`,
              `spare.lift ${chance.of(["+=", "="])} ${this.int(1, scope)}`,
              `fleet[cell(1, 0)].name = ${this.quoted(1, scope)}`,
              `fleet[${this.known("cell", scope)}].lift -= ${this.int(0, scope)}`,
            ]);
      case 7:
        return `${chance.of(["word", "free", "free", "kite.name"])} = ${this.quoted(1, scope)}`;
      case 9:
        return `if ${this.bool(2, scope)} { ${this.block(depth - 1, scope, 2)} }${chance.one(2) ? ` else { ${this.block(depth - 1, scope, 1)} }` : ""}`;
      case 10: {
        const name = this.name("e");
        const [source, kind] = chance.of<readonly [string, Kind]>([
          ["seats", "seat"],
          ["0..3", "int"],
          [this.ints(1, scope), "int"],
          ["order", "seat"],
        ]);
        const inside = { ...scope, places: [...scope.places, { text: name, kind, writable: false }] };
        return `for ${name} in ${source}${chance.one(2) ? ` where ${this.bool(1, { ...inside, effects: false })}` : ""} { ${this.block(depth - 1, inside, 2)} }`;
      }
      case 11:
        return `nudge(${this.int(1, scope)})`.replace(
          /^nudge/,
          scope.places.some((p) => p.text === "by1") ? "wide +=" : "nudge",
        );
      default: {
        const targets = scope.places.filter(
          (p) => p.writable && p.kind !== "kite" && !p.text.startsWith("hand") && p.text !== "deck",
        );
        const { text, kind } = chance.of(targets);
        const op = kind === "int" || kind === "num" ? chance.of(["=", "+=", "-="]) : "=";
        return `${text} ${op} ${this.value(kind, depth + 1, scope)}`;
      }
    }
  }

  // ---- expressions ----------------------------------------------------------------------------------

  private value(kind: Kind, depth: number, scope: Scope): string {
    switch (kind) {
      case "int":
        return this.int(depth, scope);
      case "num":
        return `${this.int(depth, scope)} * 0.5`;
      case "bool":
        return this.bool(depth, scope);
      case "text":
        return this.text(depth, scope);
      case "seat":
        return this.seat(depth, scope);
      case "ints":
        return this.ints(depth, scope);
      case "gear":
        return this.known("gear", scope) ?? "bell";
      case "cell":
        return `cell(${this.int(0, scope)}, ${this.int(0, scope)})`;
      case "seats":
        return this.chance.of(["seats", "inPlay", "order"]);
      default:
        return "kite";
    }
  }

  private known(kind: Kind, scope: Scope): string | undefined {
    // A value that may be none is taken for one now and then; a secret is not told by the generator.
    const fitting = scope.places.filter((p) => p.kind === kind && !p.text.startsWith("hand") && p.text !== "deck");
    return fitting.length > 0 ? this.chance.of(fitting).text : undefined;
  }

  private int(depth: number, scope: Scope): string {
    const { chance } = this;
    if (depth <= 0 || chance.one(4)) return this.known("int", scope) ?? String(chance.below(12));
    const int = (): string => this.int(depth - 1, scope);
    const hasLists = scope.places.length > 3;
    const pure = { ...scope, effects: false };
    const b = this.name("b");
    const makers: (() => string)[] = [
      () => String(chance.of([0, 1, 2, 7, 12])),
      () => `(${int()} ${chance.of(["+", "-", "*"])} ${int()})`,
      () => `(${int()} mod ${chance.of(["3", "7", int()])})`,
      () => `${chance.of(["min", "max"])}(${int()}, ${int()})`,
      () => `abs(${int()})`,
      () => `(if ${this.bool(depth - 1, scope)} then ${int()} else ${int()})`,
      () => `nearest(${int()} / ${chance.of(["2", "3", int()])})`,
    ];
    if (hasLists)
      makers.push(
        () => `${this.ints(depth - 1, scope)}.size`,
        () => `sum(${b} in ${this.ints(depth - 1, scope)}: ${b})`,
        () => `count(${b} in seats where purse[${b}] > ${this.int(depth - 1, pure)})`,
        () => `long[${int()}]`,
        () => "long.first",
        () => `square[${chance.of(["spot", "cell(0, 1)", `cell(${int()}, 0)`])}]`,
        () => `maxBy(${b} in long: ${b} mod 3)`,
        () => `square.distance(spot, cell(0, 0))`,
        () => `square.reach(spot, ${int()}).size`,
        () => "prices.size",
        () => `prices["tea"]`,
        () => `twice(${int()})`,
      );
    if (scope.effects && hasLists)
      makers.push(
        () => `roll(1..${2 + chance.below(9)})`,
        () => `loot.roll(2 of 1..6)`,
      );
    return chance.of(makers)();
  }

  private bool(depth: number, scope: Scope): string {
    const { chance } = this;
    if (depth <= 0 || chance.one(6)) return this.known("bool", scope) ?? chance.of(["true", "false"]);
    const bool = (): string => this.bool(depth - 1, scope);
    const int = (): string => this.int(depth - 1, scope);
    const pure = { ...scope, effects: false };
    const b = this.name("b");
    const makers: (() => string)[] = [
      () => `(${int()} ${chance.of(["<", "<=", "==", "!=", ">", ">="])} ${int()})`,
      () => `(${bool()} ${chance.of(["and", "or", "implies"])} ${bool()})`,
      () => `not ${bool()}`,
      () => `(${int()} in 1..${int()})`,
    ];
    if (scope.places.length > 3)
      makers.push(
        () => `any(${b} in ${chance.of(["seats", "inPlay", "order"])}: purse[${b}] > ${this.int(depth - 1, pure)})`,
        () => `all(${b} in ${this.ints(depth - 1, scope)}: ${b} < ${this.int(depth - 1, pure)})`,
        () => `${this.ints(depth - 1, scope)}.has(${int()})`,
        () => `(${this.seat(depth - 1, scope)} == ${this.seat(depth - 1, scope)})`,
        () => `(${this.text(depth - 1, scope)} == ${this.text(depth - 1, scope)})`,
        () => `(long == ${this.ints(depth - 1, scope)})`,
        () => "(maybe == none)",
        () => `in ${chance.of(["Alpha", "Beta", "Inner"])}`,
        () => `(gear == ${chance.of(["tape", "bell"])})`,
      );
    if (scope.effects && scope.places.length > 3) makers.push(() => "chance(40%)");
    return chance.of(makers)();
  }

  private text(depth: number, scope: Scope): string {
    const { chance } = this;
    const odd = chance.of(ODD_TEXTS);
    if (depth > 0 && chance.one(4)) return this.known("text", scope) ?? `"${odd}"`;
    return this.quoted(depth, scope);
  }

  /** A text in quotes, values in it or not. */
  private quoted(depth: number, scope: Scope): string {
    const { chance } = this;
    const odd = chance.of(ODD_TEXTS);
    if (depth <= 0 || chance.one(3)) return `"${odd}"`;
    const part = chance.of([
      this.int(depth - 1, scope),
      this.bool(depth - 1, scope),
      ...(scope.places.length > 3 ? [this.seat(0, scope), "long", "kite", "gear", "prices"] : []),
    ]);
    return part.includes('"') ? `"${odd}"` : `"${odd}{${part}}${chance.of(ODD_TEXTS)}"`;
  }

  private seat(depth: number, scope: Scope): string {
    const { chance } = this;
    if (depth > 0 && chance.one(4)) return `next(${this.seat(depth - 1, scope)})`;
    if (scope.me && chance.one(3)) return "me";
    return chance.one(2) ? (this.known("seat", scope) ?? "ann") : chance.of(["ann", "ben", "cat"]);
  }

  private ints(depth: number, scope: Scope): string {
    const { chance } = this;
    if (depth <= 0 || scope.places.length <= 3) return scope.places.length > 3 ? "long" : "[1, 2]";
    const pure = { ...scope, effects: false };
    const b = this.name("b");
    const makers: (() => string)[] = [
      () => "long",
      () => `[${this.int(depth - 1, scope)}, ${this.int(depth - 1, scope)}]`,
      () => `filter(${b} in long where ${b} > ${this.int(depth - 1, pure)})`,
      () => `map(${b} in long: ${b} + ${this.int(depth - 1, pure)})`,
      () => `${chance.of(["sort", "sortDown"])}(${b} in long: ${b} mod ${2 + chance.below(4)} ties inOrder)`,
      () => "long.indices",
    ];
    return chance.of(makers)();
  }
}
