/**
 * Machines at random that keep their secrets: what is private or hidden is read everywhere, and written to what is as
 * secret alone. Nothing of it is published on purpose, and nothing depends on it that everybody sees; so whatever shows
 * of it has leaked.
 */

import type { Chance } from "./generated-machines.js";

/** How secret a value is: known to everybody, to the seat that acts, or to nobody. */
type Level = "public" | "mine" | "hidden";

const PLACES: Readonly<Record<Level, readonly string[]>> = {
  public: ["p", "points[me]", "words1.size", "quay[cell(0, 1)]"],
  mine: ["coins[me]", "cards[me].size", "(if memo[me] == tar then 1 else 0)"],
  hidden: ["h", "pile.size", "prices.size", "coins[ann]", "coins[next(me)]"],
};

/** What there is besides what `me` names: outside of an action there is nobody who acts. */
const WITHOUT_ME: Readonly<Record<Level, readonly string[]>> = {
  public: ["p", "words1.size"],
  mine: ["p"],
  hidden: ["h", "pile.size", "prices.size", "coins[ann]", "coins[ben]"],
};

export function discreetMachine(chance: Chance): string {
  return new Writer(chance).machine();
}

class Writer {
  private names = 0;
  private places = PLACES;

  constructor(private readonly chance: Chance) {}

  machine(): string {
    const { chance } = this;
    const inner = this.away(() => this.items(4));
    return `machine Discreet
seats ann, ben
private dice palm
hidden dice deal
dice loot
const tar: text = "tar"
signal Tapped(value: int)
data {
  p: int 0..999
  points per seat: int 0..99
  words1: list of text
  quay: grid 2 by 2 of int
  private coins per seat: int 0..20 = 5
  private memo per seat: text max 60
  private cards per seat: list of int = [2, 3]
  hidden h: int 0..9 = 3
  hidden pile: list of int = [4, 8, 15, 16]
  hidden prices: map of text to int
  hidden spare: num
}
function far(n: int): int = n * 3 + p
function over(n: int): num = 10 / (n * n + 1)
effect keep(n: int) { h = n  if n > 4 { pile = [n, h, 8] } }
start Open
state Open {
  turn of seats
  ${inner}
  on Tapped(value) ${chance.one(2) ? `when ${this.away(() => this.condition("hidden"))} ` : ""}{ keep(value) }
  ${Array.from({ length: 6 }, (_, i) => this.action(i)).join("\n  ")}
  action done1 -> Shut
}
state Shut { turn of seats action open1 -> Open }
ending Over { draws all }
`;
  }

  /** Something where nobody acts. */
  private away(write: () => string): string {
    this.places = WITHOUT_ME;
    const text = write();
    this.places = PLACES;
    return text;
  }

  private items(most: number): string {
    const { chance } = this;
    const items = [
      () => `enter { ${this.statements("hidden", 2)} }`,
      () => `exit { ${this.statements("hidden", 2)} }`,
      () => `after 1s * (1000 + ${this.value("hidden")}) { ${this.statements("hidden", 1)} }`,
      () => `after 5000s when ${this.condition("hidden")} { ${this.statements("hidden", 1)} }`,
      () => `when ${this.condition("hidden")} and h < 9 { h = 9 } -> stay`,
    ];
    return chance.some(most, () => chance.of(items)()).join("\n  ");
  }

  private action(number: number): string {
    const { chance } = this;
    const name = `act${number}`;
    if (chance.one(4))
      return `sealed action ${name}(n: int 0..9) { coins[me] = n + ${this.value("mine")} note to me "{n}" ${this.statements("mine", 2)} } -> stay`;
    const needs = chance.one(4) ? ` needs ${this.never()}${chance.one(2) ? ' else "not that"' : ""}` : "";
    const parameter = chance.of(["", "", "(n: int 0..9)", "(n: int 0..9 where n >= 0 or h > 20)"]);
    const ends = chance.one(5) ? `let x${number} = ${this.fault()}` : "";
    return `action ${name}${parameter}${needs} { ${this.statements("public", 3)} ${ends} } -> ${this.arrow()}`;
  }

  /** A condition on secrets that never holds, whatever they are. */
  private never(): string {
    const level = this.chance.of<Level>(["mine", "hidden"]);
    return `${this.value(level)} > 100000 or ${this.value("public")} > 100000 and ${this.value(level)} == 7`;
  }

  /** What is a fault whatever a secret is, and whose words would tell it. */
  private fault(): string {
    const level = this.chance.of<Level>(["mine", "hidden"]);
    return this.chance.of([
      `[1, 2][${this.value(level)} + 50]`,
      `pile[40 + ${this.value(level)}]`,
      `1 / (${this.value(level)} - ${this.value(level)} * 1) * (1 / 0)`,
      `roll(10..${this.value(level)} + p - 900)`,
    ]);
  }

  private arrow(): string {
    const { chance } = this;
    if (chance.one(3))
      return `choose { when ${this.condition("hidden")} { ${this.statements("hidden", 1)} } -> stay else -> stay }`;
    return chance.one(6) ? "again Open" : "stay";
  }

  // ---- statements and values --------------------------------------------------------------------

  /** @param level who may know that they run */
  private statements(level: Level, most: number): string {
    const { chance } = this;
    return Array.from({ length: 1 + chance.below(most) }, () => this.statement(level)).join("\n");
  }

  private statement(level: Level): string {
    const { chance } = this;
    const hidden = [
      () => `h = ${this.value("hidden")}`,
      () => `h ${chance.of(["+=", "-="])} ${this.value("hidden")}`,
      () => `pile = deal.shuffle(pile)`,
      () => `pile = [${this.value("hidden")}, ${this.value("hidden")}]`,
      () => `prices["{${this.value("hidden")}}"] = ${this.value("hidden")}`,
      () => `spare = over(${this.value("hidden")})`,
      () => `keep(${this.value("hidden")})`,
      () => `raise Tapped(${this.value("hidden")})`,
      () => `h = deal.roll(0..9)`,
      () => `if ${this.condition("hidden")} { ${this.statement("hidden")} } else { ${this.statement("hidden")} }`,
      () => `for i${this.names++} in pile { ${this.statement("hidden")} }`,
    ];
    const mine = [
      () => `coins[me] = ${this.value("mine")}`,
      () => `coins[me] ${chance.of(["+=", "-="])} ${this.value("mine")}`,
      () => `coins[me] = palm.roll(1..6)`,
      () => `cards[me] = palm.shuffle(cards[me])`,
      () => `cards[me] = [${this.value("mine")}, 7]`,
      () => `memo[me] = "has {${this.value("mine")}}"`,
      () => `note to me "you have {${this.value("mine")}}"`,
      () => `if ${this.condition("mine")} { ${this.statement("mine")} } else { ${this.statement("hidden")} }`,
      () => `for i${this.names++} in cards[me] { ${this.statement("mine")} }`,
    ];
    const everybody = [
      () => `p = ${this.value("public")}`,
      () => `points[me] += loot.roll(1..6)`,
      () => `note "{me} has {${this.value("public")}}"`,
      () => `words1.push("{${this.value("public")}}")`,
      () => `quay[cell(0, 1)] = ${this.value("public")}`,
      () => `if ${this.condition("public")} { ${this.statement("public")} }`,
    ];
    const may = { hidden, mine: [...hidden, ...mine], public: [...hidden, ...mine, ...mine, ...everybody] };
    return chance.of(this.places === WITHOUT_ME ? hidden : may[level])();
  }

  private condition(level: Level): string {
    return `${this.value(level)} ${this.chance.of([">", "<", "==", "!="])} ${this.value(level)}`;
  }

  /** A whole number that is as secret as `level`, or less. */
  private value(level: Level): string {
    const { chance } = this;
    const known: Level[] = {
      public: ["public" as const],
      mine: ["public" as const, "mine" as const, "mine" as const],
      hidden: ["public" as const, "mine" as const, "hidden" as const, "hidden" as const],
    }[level];
    const one = (): string => chance.of(this.places[chance.of(known)]);
    return chance.of([
      one,
      one,
      () => `${one()} + ${one()}`,
      () => `far(${one()})`,
      () => `max(${one()}, ${chance.below(9)})`,
      () => `(if ${one()} > ${chance.below(9)} then ${one()} else ${one()})`,
      () => `count(e${this.names} in [1, 5, 9] where e${this.names++} > ${one()})`,
    ])();
  }
}
