/**
 * A match that is tried while its machine is written, and what people see of any match: stories, measures, pointing.
 */

import { describe, expect, test } from "vitest";
import {
  begin,
  boardOf,
  chaptersOf,
  compile,
  diceFrom,
  diagramOf,
  focusDiagram,
  options,
  Runnable,
  stateAt,
  step,
  Trial,
  type TrialSource,
  verifyText,
  view,
} from "@zany/core";

const TEXT = `machine Stalls
seats ann, ben
type Stall { owner: seat  eggs: int 0..9 = 6  sold: int 0..99 }
data {
  stalls: list max 4 of Stall = [Stall(owner: ann), Stall(owner: ben)]
  square: grid 3 by 2 of Spot
  round: int 0..99 = 1
  breath per seat: int 0..20 = 20
  gauge: int 0..100
  onTurn: seat = ann
}
type Spot { by: seat?  glow: int 0..4 }
policy calm { else: rest }
start Open
state Open {
  turn of onTurn
  action throw(at: int in filter(i in stalls.indices where stalls[i].owner != me)) {
    stalls[at].eggs -= roll(1..3)
    stalls[at].sold += 1
    square[cell(1, 1)] = Spot(by: me, glow: 4)
    onTurn = next(me)
  } -> stay
  action rest { gauge += 5  if gauge == 100 { gauge = 0 }  breath[me] -= 1  onTurn = next(me)  if me == ben { round += 1 } } -> stay
  action shut -> Over(me)
  after 1m { square[cell(1, 1)].glow -= 2 } -> stay
}
ending Over(by: seat) { wins by  loses others }
`;

function sourceOf(text: string): TrialSource {
  const { ok, machine } = compile(text);
  expect(ok).toBe(true);
  return { runnable: new Runnable(machine), text, name: "machine.zany", findPart: () => undefined };
}

const HOW = { seed: "breeze", now: 0 };

describe("a trial", () => {
  test("keeps its inputs on other rules, and says at which step they go differently", () => {
    const trial = new Trial(sourceOf(TEXT), HOW);
    trial.take({ kind: "action", seat: "ann", action: "throw", args: { at: 1 }, dice: [2] });
    trial.take({ kind: "action", seat: "ben", action: "rest" });
    trial.take({ kind: "time", time: 61_000 });
    expect(trial.lines().map((line) => line.input.kind)).toEqual(["begin", "action", "action", "timer"]);
    const cases: readonly [string, string, string][] = [
      ["sold += 1", "sold += 2", "step 1: stalls.1.sold becomes 2, was 1"],
      ["breath[me] -= 1", "breath[me] -= 0", "step 2: breath.ben is left alone, became 19"],
      ["breath[me] -= 1 ", "breath[me] -= 1  stalls[0].sold += 1", "step 2: stalls.0.sold becomes 1, was left alone"],
      ["-> stay\n  action shut", "-> Rest\n  action shut", "step 2: it leads to Rest, was Open"],
      ["after 1m", "after 2m", "step 3: it comes at 1970-01-01T00:02:00.000Z, was 1970-01-01T00:01:00.000Z"],
      ["action rest", "action sleep", 'step 2: There is no action "rest"'],
      ["onTurn = next(me)\n", "\n", "step 1: onTurn is left alone, became ben"],
      ["roll(1..3)", "roll(1..3) + roll(1..3)", "step 1: dice 2, "],
    ];
    for (const [was, is, words] of cases) {
      const text = `${TEXT.replace(was, is).replace("else: rest", "else: shut")}state Rest { after 1m -> Open }\n`;
      const { departure } = trial.on(sourceOf(text));
      expect(`step ${departure?.step}: ${departure?.words}`).toContain(words);
    }
    // What does not change what people see is no difference, and rules that come back take all inputs again.
    const refused = trial.on(
      sourceOf(TEXT.replace("action rest", "action sleep").replace("else: rest", "else: sleep")),
    );
    expect(refused.lines().length).toBe(2);
    const back = refused.on(sourceOf(`${TEXT}// the same\n`));
    expect([back.departure, back.lines()]).toEqual([undefined, trial.lines()]);
    // Going on from there takes the rules as they are; a bot that was put into a seat stays in it.
    const on = trial.on(sourceOf(TEXT.replace("sold += 1", "sold += 2")));
    on.take({ kind: "action", seat: "ann", action: "rest" });
    expect(on.departure).toBe(undefined);
    on.setBot("ben", "calm");
    expect(view(on.source.runnable, on.match.situation, null).turn).toEqual(["ann"]);
    const botKept = on.on(sourceOf(`${TEXT}// as it was\n`));
    expect(botKept.match.botOf("ben")).toBe("calm");
    // What a bot did goes with the input that it answered.
    const steps = botKept.lines().length;
    botKept.take({ kind: "action", seat: "ann", action: "rest" });
    const replayed = botKept.on(sourceOf(TEXT));
    expect(replayed.lines().length).toBe(steps + 2);
    expect(replayed.undo()).toBe(true);
    expect(replayed.lines().length).toBe(steps);
  });

  test("is taken back step by step, with bots, and is a test and a logbook that both hold", () => {
    const source = sourceOf(TEXT);
    const trial = new Trial(source, { ...HOW, given: { data: [{ path: "/data/round", value: 7 }] } }, { ben: "calm" });
    const stood = trial.match.situation;
    trial.take({ kind: "action", seat: "ann", action: "rest" });
    // The bot has played, and with it a round is over.
    expect(view(source.runnable, trial.match.situation, null)).toMatchObject({ turn: ["ann"], step: 2 });
    expect(trial.take({ kind: "action", seat: "ben", action: "rest" }).refusal?.words).toContain("ann's turn");
    expect(trial.undo()).toBe(true);
    expect(trial.match.situation).toEqual(stood);
    expect(trial.undo()).toBe(false);
    trial.take({ kind: "action", seat: "ann", action: "throw", args: { at: 1 } });
    trial.take({ kind: "action", seat: "ann", action: "shut" });
    expect(verifyText(source.runnable, trial.asLogbook()).kind).toBe("verified");
    const { messages, ok } = compile(`${TEXT}\n${trial.asTest("as tried")}`);
    expect([ok, messages.filter((m) => m.name === "test-fails")]).toEqual([true, []]);
  });

  test("takes dice as they are typed", () => {
    expect(diceFrom(" 6, yes _,no 2 ")).toEqual([6, true, null, false, 2]);
    expect(diceFrom("")).toEqual([]);
    expect(() => diceFrom("6, six")).toThrow('"six" is no roll');
  });
});

describe("what is seen of a match", () => {
  const { runnable } = sourceOf(TEXT);
  const { machine } = runnable;
  const first = begin(runnable, HOW).taken?.situation;
  if (!first) throw new Error("it does not begin");

  test("only what some effect lowers has a measure; a cell shows its owner and what is left there", () => {
    const meters = Object.fromEntries(view(runnable, first, null).data.map((f) => [f.name, f.meters]));
    expect(meters).toEqual({ stalls: ["eggs"], square: ["glow"], breath: [""], gauge: [""] });
    const after = step(runnable, first, { kind: "action", seat: "ann", action: "throw", args: { at: 1 } }).situation;
    const seen = view(runnable, after, null);
    const square = seen.data.find((f) => f.name === "square");
    const cells = square && boardOf(seen, square)?.flat();
    expect(cells?.filter((c) => c.owner !== undefined)).toMatchObject([{ x: 1, y: 1, owner: "ann", level: 1 }]);
  });

  test("an argument that numbers the elements of a list says of which", () => {
    const [option] = options(runnable, first, "ann", { action: "throw", args: {} });
    expect(option?.parameters).toMatchObject([{ name: "at", of: "stalls", values: [{ value: 1, open: true }] }]);
  });

  test("its story has a chapter for each who acts, under the round it is in", () => {
    const trial = new Trial(sourceOf(TEXT), HOW);
    for (const seat of ["ann", "ben", "ann", "ben"]) trial.take({ kind: "action", seat, action: "rest" });
    trial.take({ kind: "time", time: 60_000 });
    expect(chaptersOf(trial.lines()).map(({ round, by, lines }) => [round, by, lines.length])).toEqual([
      [undefined, "the beginning", 1],
      [undefined, "ann", 1],
      [undefined, "ben", 1],
      ["round 2", "ann", 1],
      [undefined, "ben", 1],
      ["round 3", "time", 1],
    ]);
  });

  test("the cursor's state is the innermost; a diagram can be of one state and what is around it", () => {
    expect(stateAt(machine, TEXT.indexOf("action rest"))).toBe("Open");
    expect(stateAt(machine, TEXT.indexOf("wins by"))).toBe("Over");
    expect(stateAt(machine, TEXT.indexOf("data {"))).toBe(undefined);
    const { machine: nested, ok } = compile(`machine N
seats a
start Out
state Out { start In state In { turn of a action go -> Next action away -> Far } state Next { turn of a action go -> In } }
state Far { turn of a action go -> Else }
state Else { turn of a action end -> E }
ending E { draws all }
`);
    expect(ok).toBe(true);
    const whole = diagramOf(nested);
    const ids = (id: string): string[] =>
      focusDiagram(whole, id)
        .nodes.map((n) => n.id)
        .sort();
    expect(ids("In")).toEqual(["Far", "In", "Next", "Out"]);
    expect(ids("Out")).toEqual(["Far", "In", "Next", "Out"]);
    expect(ids("Else")).toEqual(["E", "Else", "Far"]);
    expect(focusDiagram(whole, "nowhere")).toBe(whole);
  });
});
