/** A whole check: warnings stand with the match that shows them, and what is not so is not warned of. */

import { readFileSync } from "node:fs";
import {
  begin,
  compile,
  type Evidenced,
  type EvidenceOptions,
  KINDS,
  type Message,
  nextTimer,
  RandomPlayer,
  run,
  Runnable,
  runTests,
  type Situation,
  verifyText,
  withEvidence,
} from "@zany/core";
import { describe, expect, test } from "vitest";
import type { Expr } from "../src/check/machine.js";
import { someExpr, visitMachine } from "../src/check/visit.js";
import { exploringEngineOf } from "../src/engine/matches/runnable.js";
import { aimAt } from "../src/evidence/distance.js";
import { EXAMPLES, example, exampleText, findPart } from "./examples.js";

function checked(text: string, options: EvidenceOptions = { matches: true }): Evidenced {
  const compilation = compile(text);
  expect(compilation.messages.filter(({ severity }) => severity === "error")).toEqual([]);
  return withEvidence(compilation, options);
}

const told = ({ messages }: Evidenced): string[] => messages.map(({ severity, name }) => `${severity} ${name}`);

/** The logbook verifies, and the test goes the same way. */
function expectShown(text: string, { evidence, shown }: Message): string[] {
  expect(evidence).toBeDefined();
  const { steps = [], logbook = "", test: written = "" } = evidence ?? {};
  expect(shown).toBe(steps.length);
  const runnable = new Runnable(compile(text).machine);
  expect(verifyText(runnable, logbook)).toMatchObject({ kind: "verified" });
  expect(compile(`${text}\n${written}`).ok).toBe(true);
  return [...steps];
}

const STALL = (turn: string, data: string, rest = ""): string => `machine Stall
seats mira, olle

data { coins: int 0..9 = 3  onTurn: seat = mira  ${data} }

on Left(s) -> Shut

start Trade

state Trade {
  turn of onTurn
  ${turn}
  action shut -> Shut
}
${rest}
ending Shut { draws all }
`;

describe("what is suspected", () => {
  test("stands with the shortest match that shows it, dice and all", () => {
    const text = STALL(
      "action deal { coins -= roll(1..6) onTurn = next(me) } -> stay\n  action split { bags = 12 / coins } -> stay",
      "bags: num",
      'law "few bags": bags < 99',
    );
    const result = checked(text);
    expect(told(result)).toContain("warning may-divide-by-zero");
    const [message] = result.messages.filter(({ name }) => name === "may-divide-by-zero");
    expect(expectShown(text, message as Message)).toEqual(["mira deal", "olle split"]);
    const { machine } = compile(`${text}\n${message?.evidence?.test}`);
    expect(runTests(new Runnable(machine))[0]?.failure?.actual).toContain("divides by zero");
    expect(checked(text)).toEqual(result);
  });

  test("is led to conditions that name who acts, by how far they are where they are asked", () => {
    const text = STALL(
      `enter { for s in seats { held[s] = [1, 2, 3, 4, 5, 6, 7] } }
  action lay { held[me].remove(0)  rounds += 1 } -> choose {
    when held[me].empty -> Shut
    when rounds == 400 -> Tired
    else -> stay
  }
  action hold { onTurn = next(me)  rounds += 1 } -> choose { when rounds == 400 -> Tired else -> stay }
  after 2d { onTurn = next(onTurn) } -> stay`,
      "private held per seat: list of int  rounds: int 0..400",
      "ending Tired { none all }",
    );
    const result = checked(text);
    expect(told(result)).toContain("warning endings-overlap");
    const shown = result.messages.find(({ name }) => name === "endings-overlap");
    expect(expectShown(text, shown as Message).length).toBeGreaterThan(300);
  });

  test("is silent when everything was visited and it never happened", () => {
    // A suspicion that takes more than intervals: the sum of both is always 4.
    const text = STALL(
      "action give needs left > 0 { left -= 1  right += 1 } -> stay\n  action take needs right > 0 { right -= 1  left += 1 } -> stay\n  action weigh { coins = floor(9 / (left + right)) } -> stay",
      "left: int 0..4 = 4  right: int 0..4 = 0",
    );
    expect(compile(text).messages.map(({ name }) => name)).toContain("may-divide-by-zero");
    const { messages, searched } = checked(text);
    expect(messages.map(({ name }) => name)).not.toContain("may-divide-by-zero");
    expect(searched).toMatchObject({ complete: true, incomplete: [] });
  });

  test("of what the text itself says, it stays without a match, and goes when it never comes to be", () => {
    const buys = (data: string, more = ""): string =>
      STALL(
        `action buy { purse[me] -= 2  bags[me] += 1 } -> stay
  action give needs purse[me] > 0 { purse[me] -= 1 } -> stay${more}`,
        `purse per seat: int 0..9 = ${data}  bags per seat: int 0..3`,
      );
    const shown = checked(buys("3")).messages.filter(({ name }) => name === "unpaid-cost");
    expect(expectShown(buys("3"), shown[0] as Message)).toEqual(["mira buy", "mira buy"]);
    // Three bags cost six, and nothing else takes so much.
    const never = buys("9")
      .replace("action buy", "action buy needs bags[me] < 3")
      .replace("needs purse[me] > 0", "needs purse[me] > 8");
    expect(compile(never).messages.map(({ name }) => name)).toContain("unpaid-cost");
    expect(told(checked(never)).join()).not.toContain("unpaid-cost");
    const far = buys("9", "\n  action idle { turns += 1 } -> stay\n  when turns == 999999999 -> Shut").replace(
      "{ coins",
      "{ turns: int 0..999999999  coins",
    );
    expect(told(checked(far, { work: 10 }))).toContain("warning unpaid-cost");
  });

  test("data that are read unset come with the match in which nothing has set them, and only then", () => {
    const goal = (aims: string, needs = "", more = ""): string =>
      STALL(
        `action aim { ${aims} } -> stay\n  action shoot ${needs} { coins = goal } -> stay${more}`,
        "goal: int 0..9  left: int 1..2 = 1",
      );
    const unset = (text: string, options?: EvidenceOptions): Message | undefined =>
      checked(text, options).messages.find(({ name }) => name === "may-be-unset");
    const written = goal("goal = 5");
    expect(expectShown(written, unset(written) as Message)).toEqual(["mira shoot"]);
    // It is set on every way to an even square, which intervals do not see.
    const never = goal("goal = 5  left = 2", "needs (left * left) mod 2 == 0");
    expect(compile(never).messages.map(({ name }) => name)).toContain("may-be-unset");
    expect(unset(never)).toBeUndefined();
    const after = goal("if coins == 9 { goal = 5 }  left = 2", "needs (left * left) mod 2 == 0");
    expect(expectShown(after, unset(after) as Message)).toEqual(["mira aim", "mira shoot"]);
    const counts = "\n  action idle { turns += 1 } -> stay\n  when turns == 999999999 -> Shut";
    const far = goal("goal = 5  left = 2", "needs (left * left) mod 2 == 0", counts).replace(
      "{ coins",
      "{ turns: int 0..999999999  coins",
    );
    expect(unset(far, { work: 500 })?.severity).toBe("hint");
    // Of more than are watched the others stand as they were suspected.
    const names = Array.from({ length: 33 }, (_, i) => `goal${i}`);
    const many = STALL(
      `action aim { ${names.map((name) => `${name} = 5`).join("  ")}  left = 2 } -> stay
  action shoot needs (left * left) mod 2 == 0 { coins = min(9, ${names.join(" + ")}) } -> stay`,
      `${names.map((name) => `${name}: int 0..9`).join("  ")}  left: int 1..2 = 1`,
    );
    expect(told(checked(many)).filter((line) => line === "warning may-be-unset").length).toBe(2);
    // A state's own data are unset each time that it is entered.
    const own = (leaves: string): string =>
      STALL(
        "action look -> Look",
        "looks: int 0..2 = 0",
        `state Look {
  data { far: int 0..9 }
  turn of onTurn
  enter { looks = min(2, looks + 1) }
  action take needs looks == 1 { far = 4 } -> stay
  action use needs ${leaves} { coins = far } -> stay
  action back needs far == 4 -> Trade
}`,
      );
    const again = own("looks == 2");
    expect(expectShown(again, unset(again) as Message)).toEqual([
      "mira look",
      "mira take",
      "mira back",
      "mira look",
      "mira use",
    ]);
  });

  test("a choice that counts again comes with a round in which somebody has it still; one that nobody keeps does not", () => {
    const votes = (reset: string, again: string) => `machine Vote
seats a, b
data { private vote per seat: seat?  ayes: int 0..9 }
start Choose
state Choose {
  turn of each seats
  ${reset}
  sealed action name1(who: seat in seats) { vote[me] = who } -> ready
  when all ready -> Count
  after 1m -> Count
}
state Count { enter { ayes = count(s in seats where vote[s] == a) } -> choose { when ayes == 2 -> Done  ${again}  else -> Done } }
ending Done { wins filter(s in seats where ayes > 0)  loses others }
`;
    const stale = votes("", "when ayes == 1 -> Choose");
    const [message] = checked(stale).messages.filter(({ name }) => name === "stale-choice");
    expect(message?.severity).toBe("warning");
    expect(expectShown(stale, message as Message)).toEqual([expect.stringContaining("name1(a)"), expect.any(String)]);
    // Who comes back has chosen nothing: all were visited, and nobody keeps a choice.
    const kept = checked(votes("", "when ayes == 0 and not any(s in seats: vote[s] != none) -> Choose"));
    expect(kept.searched?.complete).toBe(true);
    expect(told(kept).filter((each) => each.includes("stale"))).toEqual([]);
    const reset = checked(votes("enter { for s in seats { vote[s] = none } }", "when ayes == 1 -> Choose"));
    expect(told(reset).filter((each) => each.includes("stale"))).toEqual([]);
  });

  test("is a hint where it happens only with data that nothing writes, given so", () => {
    const rated = (data: string, rate: string, more = ""): string =>
      STALL(`action trade { coins = floor(9 / ${rate}) } -> stay${more}`, data);
    const types = "type Scale { weight: int 0..9 = 3  dust: int 0..9 = 3 }\n\ndata {";
    for (const [text, given] of [
      [rated("rate: int 0..9 = 3", "rate"), "rate=0"],
      [rated("rates per seat: int 0..9 = 3", "rates[me]"), "rates.mira=0, rates.olle=0"],
      [rated("scale: Scale", "scale.weight").replace("data {", types), "scale.weight=0"],
    ] as const) {
      expect(compile(text).messages.map(({ name }) => name)).toContain("may-divide-by-zero");
      const message = checked(text).messages.find(({ name }) => name === "may-divide-by-zero");
      expect([message?.severity, message?.words]).toEqual([
        "hint",
        expect.stringContaining(`Only so when ${given} is`),
      ]);
      const steps = expectShown(text, message as Message);
      expect(steps).toEqual(["mira trade"]);
      expect(JSON.parse(message?.evidence?.logbook.split("\n")[0] ?? "").given.data.length).toBe(
        given.split(",").length,
      );
    }
    // What a rule writes is not as it was given.
    const dusted = rated("scale: Scale", "scale.weight", "\n  action dust { scale.weight = 2 } -> stay");
    expect(told(checked(dusted.replace("data {", types))).join()).not.toContain("may-divide-by-zero");
  });

  test("units that have fallen and act, and signals that nobody hears, come with their matches", () => {
    const gulls = KINDS.get("fallen-acts")?.triggers ?? "";
    const fallen = checked(gulls).messages.filter(({ name }) => name === "fallen-acts");
    expect(expectShown(gulls, fallen[0] as Message)).toEqual(["ann feed(0)", "ann feed(0)"]);
    const bell = KINDS.get("late-signal")?.triggers ?? "";
    const late = checked(bell).messages.filter(({ name }) => name === "late-signal");
    expect(expectShown(bell, late[0] as Message)).toEqual(["ann last"]);
  });

  test("a fault in a note stops no match, and is believed where the same is found outside of notes, too", () => {
    const text = (rest: string): string =>
      STALL(`action look { note "{queue.first}" } -> stay\n  ${rest}`, "queue: list of seat  seen: seat?", "");
    const empty = (machine: string) => checked(machine).messages.filter(({ name }) => name === "list-may-be-empty");
    const words = expect.stringContaining("the note could not be worked out");
    expect(empty(text("action lay { queue.push(me) } -> stay"))).toMatchObject([{ severity: "warning", words }]);
    // Nobody can look outside of notes before somebody has laid something, and that is not seen by reasoning.
    const safe = text("action lay { queue.push(me)  coins = 0 } -> stay").replace(
      "action shut",
      'action see needs coins == 0 else "nothing lies there" { seen = queue.first } -> stay\n  action shut',
    );
    expect(empty(safe).map(({ severity }) => severity)).toEqual(["hint", "hint"]);
  });

  test("of an order that decides, the other order is tried: it says who wins then, or that it is all the same", () => {
    const judged = KINDS.get("endings-overlap")?.triggers ?? "";
    const overlap = (text: string): Message | undefined =>
      checked(text).messages.find(({ name }) => name === "endings-overlap");
    const swapped = overlap(judged);
    expect([swapped?.severity, swapped?.words]).toEqual([
      "warning",
      expect.stringMatching(/In a match: Won, ben wins; with the two swapped: Won, ann wins\.$/),
    ]);
    const same = overlap(judged.replace("Won(ann)", "Won(best)").replace("data {", "data { best: seat = ben "));
    expect([same?.severity, same?.words]).toEqual([
      "hint",
      expect.stringContaining("ends the same for every seat with the two swapped."),
    ]);
    // What asks first whether there is one to name is no matter of order.
    const guarded = overlap(`machine M
seats a, b
data { best: list of seat  rounds: int 0..3 }
on Left(s) -> Quiet
start S
state S {
  turn of a
  action lay { best.push(b) } -> stay
  action clear1 { best.clear() } -> stay
  action ring { rounds += 1 } -> J
}
state J { enter -> choose { when best.empty -> Quiet  when rounds == 2 -> Crowned(best.first)  else -> S } }
ending Quiet { draws all }
ending Crowned(by: seat) { wins by loses others }
`);
    expect([guarded?.severity, guarded?.words]).toEqual(["hint", expect.stringContaining("stop with a fault")]);
  });

  test("what a state that is passed at once asks of its own data is looked for, too", () => {
    const { messages } = checked(`machine M
seats a, b
data { laid: int 0..60  tally per seat: int 0..600  up: seat = a }
function far(s: seat): bool = tally[s] >= 200
on Left(s) -> Full
start S
state S {
  turn of up
  action lay(n: int 0..9) { laid += 1  tally[me] += n } -> J(me)
}
state J(by: seat) {
  enter -> choose { when far(by) -> Won(by)  when laid == 60 -> Full  else { up = next(by) } -> S }
}
ending Won(by: seat) { wins by loses others }
ending Full { draws all }
`);
    expect(messages.map(({ name, severity }) => [name, severity])).toEqual([["endings-overlap", "hint"]]);
  });

  test("is a hint when neither a match was found nor everything visited", () => {
    const text = STALL(
      "action give needs left > 0 { left -= 1  right += 1  turns += 1 } -> stay\n  action weigh { coins = floor(9 / (left + right)) } -> stay\n  when turns == 999999999 -> Shut",
      "left: int 0..4 = 4  right: int 0..4 = 0  turns: int 0..999999999",
    ).replace("action give", "action wind { turns += 1 } -> stay\n  action give");
    const { messages, searched } = checked(text, { work: 5_000 });
    const [message] = messages.filter(({ name }) => name === "may-divide-by-zero");
    expect([searched?.complete, message?.severity]).toEqual([false, "hint"]);
    expect(message?.words).toMatch(/No match that shows it was found in \d+ steps\.$/);
  });

  test.each([
    ["a list has to be emptied", "list-may-be-empty", "draw { coins = pile.take() }", 13],
    ["a number has to come to nothing", "may-divide-by-zero", "draw { left -= 1  bags = 12 / left }", 12],
  ])("is found where %s first, though more is done against it", (_what, kind, draw, steps) => {
    const text = STALL(
      `action ${draw} -> stay
  action put(n: int 1..6) { pile.push(n)  left += 1 } -> stay
  action slip(n: int 1..6) { pile.insert(0, n)  left += 2 } -> stay`,
      "pile: list of int = [1, 2, 3, 4, 5, 6, 6, 5, 4, 3, 2, 1]  left: int = 12  bags: num",
    );
    const [message] = checked(text).messages.filter(({ name }) => name === kind);
    expect(expectShown(text, message as Message)).toEqual(Array(steps).fill("mira draw"));
  });

  test("is shortened past moves that could not even be asked for where others are left out", () => {
    const text = STALL(
      `action spend needs coins > 0 else "none" { coins -= 1 } -> stay
  action earn needs coins == 0 else "enough" { coins = 3  low = true } -> stay
  action split needs 12 / coins < 13 else "few" { turns += 1 } -> stay`,
      "turns: int  low: bool",
      'law "few turns": turns < 6 or not low',
    );
    const [message] = checked(text).messages.filter(({ name }) => name === "law-broken");
    expect(expectShown(text, message as Message).at(-1)).toBe("mira split");
  });

  test("is what the work is done for: once it is shown, it is only looked around", () => {
    const text = (more: string): string =>
      STALL(
        `action hand { coins = 1 } -> stay
  action lend { coins -= 1 } -> stay
  action share { bags = 12 / coins } -> stay
  action wind { turns += 1 } -> stay${more}
  when turns == 999999999 -> Shut`,
        "bags: num  turns: int 0..999999999",
      );
    const shown = checked(text(""));
    expect(told(shown)).toContain("warning may-divide-by-zero");
    expect(shown.searched?.steps).toBeGreaterThan(3_000);
    expect(shown.searched?.steps).toBeLessThan(8_000);
    const open = checked(text("\n  action weigh { bags = 9 / (999999998 - turns) } -> stay"));
    expect(told(open)).toContain("hint may-divide-by-zero");
    expect(open.searched?.steps).toBeGreaterThan(100_000);
  });

  test("counts a step that goes round in a circle as the many small ones that it is", () => {
    const text = (circle: string): string =>
      STALL(
        `action wind { turns += 1 } -> stay
  action turn1 -> Wheel
  action weigh { bags = 9 / (999999998 - turns) } -> stay
  when turns == 999999999 -> Shut`,
        "bags: num  turns: int 0..999999999",
      ).replace(
        "ending Shut",
        `state Wheel { enter -> choose { when turns < 0 -> Shut  else -> ${circle} } }\nending Shut`,
      );
    const round = checked(text("again Wheel"));
    expect(told(round)).toContain("warning endless-loop");
    expect(round.searched?.steps).toBeLessThan(20_000);
    expect(checked(text("Trade")).searched?.steps).toBeGreaterThan(100_000);
  });

  test("is found deep down, where only a search with an aim comes to", () => {
    const text = `machine Siege
seats besieger, castle
data { wall: int 0..60 = 30  men: int 0..60 = 40  day: int 1..12 = 1 }
on Left(s) -> choose { when s == castle -> Taken  else -> Relieved }
start Day
state Day {
  turn of besieger
  action storm { men -= roll(2 of 1..6)  wall -= roll(1..6) } -> Night
  action rest { men += 3 } -> Night
  action mine { wall -= 4 } -> Night
}
state Night {
  enter { day += 1 } -> choose {
    when men == 0 and wall == 0 -> Taken
    when day == 12 -> Relieved
    when men == 0 -> Relieved
    when wall == 0 -> Taken
    else -> Day
  }
}
ending Taken { wins besieger  loses castle }
ending Relieved { wins castle  loses besieger }
`;
    const result = checked(text);
    const [message] = result.messages.filter(
      ({ name, from }) => name === "endings-overlap" && text.slice(from).startsWith("day == 12"),
    );
    expect(message?.severity).toBe("warning");
    expect(expectShown(text, message as Message)).toHaveLength(11);
  });
});

describe("what nothing warned of", () => {
  const BOARD = `machine Board
seats red, blue
data { marks: list max 9 of int = [0, 0, 0, 0]  painter: seat = red }
function free(i: int): bool = marks[i] == 0 and (i == 0 or marks[i - 1] != 3)
start Paint
state Paint {
  turn of painter
  action paint(i: int in marks.indices where free(i) else "that is taken") { marks[i] = roll(1..3)  painter = next(me) } -> choose {
    when marks[3] == 2 -> Done
    else -> stay
  }
}
ending Done { draws all }
`;

  test("is told when a match is stuck, with what everything is closed by", () => {
    const result = checked(BOARD);
    const [message] = result.messages;
    expect(told(result)).toEqual(["warning no-open-action"]);
    expect(expectShown(BOARD, message as Message).length).toBeGreaterThan(0);
  });

  describe("units that have fallen and act, although no rule suspects them", () => {
    const UNITS = `machine Crews
seats ann, ben
type Hand { hp: int 0..5 = 4  force: int 1..3 = 2  side: seat = ann }
const crews: list of Hand = [Hand(), Hand(force: 3), Hand(side: ben), Hand(side: ben, hp: 5)]
function own(s: seat): list of int = filter(i in hands.indices where hands[i].side == s and hands[i].hp > 0)
effect hit(by: int, of: int) { hands[of].hp -= hands[by].force + roll(0..1) }
on Left(s) -> Swept(next(s))
ending Swept(winner: seat) { wins winner  loses others }
`;
    const chosen = (from: string): string => `${UNITS}
data { hands: list of Hand = crews  onTurn: seat = ann }
start Turn
state Turn {
  turn of onTurn
  action strike(with: int in ${from}, target: int in own(next(me))) { hit(with, target)  onTurn = next(me) } -> Judge
  action rest { onTurn = next(me) } -> Judge
}
state Judge { enter -> choose { when own(onTurn).empty -> Swept(next(onTurn))  else -> Turn } }
`;
    const inTurn = (skipped: string): string => `${UNITS}
data { hands: list of Hand = crews  waiting: list of int  acting: int 0..3 }
start Round
state Round { enter { waiting = [0, 2, 1, 3] } -> Next }
state Next {
  enter -> choose {
    when own(ann).empty -> Swept(ben)
    when own(ben).empty -> Swept(ann)
    when waiting.empty -> Round
    else { acting = waiting.take() } -> Ready
  }
}
state Ready { enter -> choose { when ${skipped} -> Next  else -> Turn } }
state Turn {
  turn of hands[acting].side
  action strike(target: int in own(next(me))) { hit(acting, target) } -> Next
}
`;

    test.each([
      ["one is chosen that stands", chosen("own(me)"), undefined],
      [
        "of the other it is asked",
        chosen('hands.indices where hands[with].side == me else "whose?"').replace(
          "hit(with, target)",
          'hit(with, target)  if hands[target].hp == 0 { note "down" }',
        ),
        "strike",
      ],
      ["any is chosen", chosen('hands.indices where hands[with].side == me else "whose?"'), "strike"],
      ["the fallen are passed over", inTurn("hands[acting].hp == 0"), undefined],
      ["only the weak are passed over", inTurn("hands[acting].force == 1"), "hands[acting].side"],
    ])("%s", (_, text, where) => {
      const fallen = checked(text).messages.filter(({ name }) => name === "fallen-acts");
      expect(fallen.map(({ severity, from, to }) => `${severity} ${text.slice(from, to)}`)).toEqual(
        where === undefined ? [] : [`warning ${where}`],
      );
      for (const message of fallen) expect(expectShown(text, message).length).toBeGreaterThan(1);
    });
  });

  test("is accepted where the text says so, and that is no accept too many", () => {
    const accepted = BOARD.replace(
      "  turn of painter",
      '  accept no-open-action "whoever is stuck gives up"\n  turn of painter',
    );
    expect(told(checked(accepted))).toEqual([]);
    const needless = BOARD.replace("  action paint", '  accept no-open-action "of no use here"\n  action paint');
    expect(told(checked(needless))).toEqual(["warning no-open-action", "warning unneeded-accept"]);
  });

  test("a law that breaks is told with its match, and hides nothing", () => {
    const duel = (law: string): string => `machine Duel
seats ann, ben
data { lift per seat: int 0..9 = 5  onTurn: seat = ann }
on Left(s) -> Won(next(s))
start Turn
state Turn {
  turn of onTurn
  action slash { lift[next(me)] -= 3 } -> Judge
  action dive { lift[me] -= 2  onTurn = next(me) } -> again Turn
}
state Judge {
  enter -> choose {
    when lift[next(onTurn)] == 0 -> Won(onTurn)
    else { onTurn = next(onTurn) } -> Turn
  }
}
ending Won(winner: seat) { wins winner  loses others }
${law}`;
    const plain = checked(duel(""));
    expect(told(plain)).toContain("warning fallen-on-turn");
    const claimed = checked(duel('law "the fallen never act": lift[onTurn] > 0\n'));
    expect(told(claimed)).toEqual(expect.arrayContaining([...told(plain), "warning law-broken"]));
    const [broken] = claimed.messages.filter(({ name }) => name === "law-broken");
    expectShown(duel('law "the fallen never act": lift[onTurn] > 0\n'), broken as Message);
  });

  test("behind rolls of which there is no end it is looked at random", () => {
    const text = `machine Scale
seats ann
data { weight: num = 0  put: int 0..9 = 0  last: int? = none }
start Turn
state Turn { turn of ann action add -> Weigh }
state Weigh { enter { weight += roll(0.5..1.5)  put += 1 } -> choose { when put == 3 -> Tell(last)  else -> Turn } }
state Tell(mark: int 0..9) { turn of ann action end { put -= mark } -> Over }
ending Over { wins ann  scores s in seats: floor(weight) }
`;
    const { messages, searched } = checked(text);
    expect(told({ messages })).toEqual(["warning may-be-none"]);
    expect(searched).toMatchObject({ complete: false });
    expect(expectShown(text, messages[0] as Message)).toEqual(["ann add", "ann add", "ann add"]);
  });

  test("an open seat and one that is left are thought of", () => {
    const text = `machine Table
seats host, guest
data { bowl: int 0..9 = 9  mover: seat = host }
on Left(s) { bowl = 0 } -> stay
start Turn
state Turn {
  turn of mover
  action take { bowl -= 1  mover = next(me) } -> choose { when bowl == 0 -> Over  else -> stay }
}
ending Over { draws all }
`;
    expect(told(checked(text))).toContain("warning out-on-turn");
    expect(
      checked(text)
        .messages.find(({ name }) => name === "out-on-turn")
        ?.evidence?.steps.at(-1),
    ).toBe("host leaves");
    // Where the time leads on, everybody waits for who has left; not where the turn is given on at once.
    const timed = text.replace("  action take", "  after 5m { mover = next(mover) } -> again Turn\n  action take");
    const [waits] = checked(timed).messages;
    expect(waits).toMatchObject({
      severity: "warning",
      name: "out-on-turn",
      words: expect.stringContaining("has left"),
    });
    expect(expectShown(timed, waits as Message)).toEqual(["host leaves"]);
    // Others may do something meanwhile that leads nowhere; where it leads on, nobody waits.
    const beside = (arrow: string): string =>
      timed.replace("  after 5m", `  action ring by anyone -> ${arrow}\n  after 5m`);
    expect(told(checked(beside("stay")))).toEqual(["warning out-on-turn"]);
    expect(told(checked(beside("Over")))).toEqual([]);
    // Of two that one leaves ends the match: it shows only where two go on.
    const three = timed.replace("seats host, guest", "seats 2..4 sitter").replace("= host", "= sitter1");
    const ends = three.replace("{ bowl = 0 } -> stay", "-> choose { when inPlay.size == 1 -> Over  else -> stay }");
    expect(told(checked(ends))).toEqual(["warning out-on-turn"]);
    const given = "bowl = 0  if s == mover { mover = next(s) }";
    expect(told(checked(timed.replace("bowl = 0", given)))).toEqual([]);
  });
});

test("where one may be stuck, by a hint, is looked for long enough to be a warning with its match", () => {
  const right = readFileSync("packages/core/test/machines/fair/herb-terrace.zany", "utf8");
  const text = right.replace("action sleep ->", 'action sleep needs water == 0 else "water first" ->');
  expect(compile(text).messages).toMatchObject([{ name: "no-open-action", severity: "hint" }]);
  // What is done where nothing is suspected comes to none.
  expect(told(checked(text, { work: 5_000 }))).toEqual(["hint no-open-action"]);
  const { messages } = checked(text);
  expect(messages).toMatchObject([{ name: "no-open-action", severity: "warning" }]);
  const steps = messages[0] ? expectShown(text, messages[0]) : [];
  expect(steps.length).toBeGreaterThan(0);
});

test("right machines are silent: every example, and it is said how much was looked at", () => {
  for (const file of EXAMPLES) {
    const compilation = compile(exampleText(file), file, findPart);
    const { messages, searched } = withEvidence(compilation, { work: 20_000 });
    expect(messages.filter(({ severity }) => severity !== "hint")).toEqual([]);
    expect(searched?.steps).toBeGreaterThan(0);
  }
});

describe("how far a condition is from holding", () => {
  test.each(EXAMPLES)("is nothing where it holds, and more where it does not: %s", (name) => {
    const runnable = example(name);
    const engine = exploringEngineOf(runnable);
    const { memory, code } = engine;
    const conditions: Expr[] = [];
    // Only what can be asked at rest: locals are those of the condition itself.
    const add = (test: Expr | undefined): void => {
      const own = new Set<number>();
      someExpr(test, (e) => e.kind === "binder" && own.add(e.slot) && false);
      if (test && !someExpr(test, (e) => e.kind === "me" || (e.kind === "local" && !own.has(e.slot))))
        conditions.push(test);
    };
    for (const { whens } of runnable.machine.states)
      for (const { test } of whens) if (test.kind === "holds") add(test.test);
    visitMachine(runnable.machine, {
      arrow: (arrow) => arrow.kind === "choose" && arrow.branches.forEach(({ test }) => add(test)),
    });
    for (const law of runnable.machine.laws) if (law.form === "holds") add(law.test);
    expect(conditions.length).toBeGreaterThan(0);
    const asked = conditions.flatMap((e) =>
      [true, false].map((wanted) => ({ wanted, holds: code.condition(e), distance: aimAt(engine, e, wanted) })),
    );
    const seen = new Set<boolean>();
    for (const situation of situationsOf(runnable, 300)) {
      memory.load(situation);
      for (const { wanted, holds, distance } of asked) {
        let is: boolean;
        try {
          is = holds();
        } catch {
          continue;
        }
        seen.add(is);
        const far = distance();
        expect([far === 0, far >= 0, Number.isFinite(far)]).toEqual([is === wanted, true, true]);
      }
    }
    expect(seen.size).toBeGreaterThan(0);
  });
});

/** Situations that players at random come to. */
function* situationsOf(runnable: Runnable, count: number): Generator<Situation> {
  for (let number = 0, given = 0; given < count; number++) {
    const found: Situation[] = [];
    const { taken } = begin(runnable, { seed: `far ${number}` });
    if (!taken) throw new Error("does not begin");
    const player = new RandomPlayer(runnable, `far ${number}`);
    run(runnable, taken.situation, ({ situation, turn, step }) => {
      found.push(situation);
      if (step > 40) return undefined;
      for (const seat of turn) {
        const input = player.choose(situation, seat);
        if (input) return input;
      }
      const due = nextTimer(runnable.machine, situation)?.due;
      return due === undefined ? undefined : { kind: "time", time: due };
    });
    given += found.length;
    yield* found;
  }
}

test("a law that is shown to hold by induction is enough, where not everything can be visited; a wrong one is not", () => {
  const crates = (clear: string, law: string): string => `machine Crates
seats mira, olle
data { mover: seat = mira  isOpen: bool = false  crate: int? = none  total: int = 0 }
start Turn
state Turn {
  turn of mover
  action open(size: int 1..3) needs not isOpen else "it is open" { isOpen = true  crate = size } -> Next
  action shut needs isOpen else "nothing is open" { isOpen = false } -> Next
  action clear ${clear} { crate = none } -> Next
  action weigh needs isOpen else "nothing is open" { total += crate } -> Next
  action stop needs total > 100000 else "too early" -> Done
}
state Next { enter { mover = next(mover) } -> Turn }
ending Done { draws all }
${law}`;
  const law = 'law "what is open holds something": isOpen implies crate != none';
  const right = 'needs not isOpen else "shut it first"';
  const options = { work: 5_000 };
  expect(told(checked(crates(right, ""), options))).toEqual(["hint may-be-none"]);
  expect(told(checked(crates(right, law), options))).toEqual([]);
  expect(told(checked(crates("", law), options))).toEqual(["warning may-be-none", "warning law-broken"]);
});
