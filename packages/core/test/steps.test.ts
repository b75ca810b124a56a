/**
 * How a step runs, one sentence of docs/language.md after the other: each place of a machine leaves a note when it is
 * passed, and the notes of a step tell in which order that was.
 */

import { begin, type Input, Runnable, type Situation, step, view } from "@zany/core";
import { describe, expect, test } from "vitest";
import { runnableOf } from "./examples.js";

/** A match of two seats whose notes are read step by step. */
class Played {
  private readonly runnable: Runnable;
  private situation: Situation;
  /** What beginning the match left. */
  readonly first: readonly string[];

  /** @param generated whether the machine runs as generated code */
  constructor(body: string, generated = true) {
    this.runnable = new Runnable(
      runnableOf(`machine M\nseats a, b\n${body}\nending E { draws all }\n`).machine,
      generated,
    );
    const { taken, fault } = begin(this.runnable, { seed: "steps" });
    if (!taken) throw new Error(fault?.words);
    this.situation = taken.situation;
    this.first = taken.happenings.notes.map((n) => n.text);
  }

  /** The notes of what an input brings about, or why it is not taken. */
  does(input: Input): readonly string[] {
    const { taken, situation, refusal, fault } = step(this.runnable, this.situation, input);
    this.situation = situation;
    if (refusal) return [refusal.code];
    return [...taken.flatMap((t) => t.happenings.notes.map((n) => n.text)), ...(fault ? [fault.code] : [])];
  }

  a(action: string, args: Record<string, unknown> = {}): readonly string[] {
    return this.does({ kind: "action", seat: "a", action, args });
  }

  b(action: string): readonly string[] {
    return this.does({ kind: "action", seat: "b", action, args: {} });
  }

  after(ms: number): readonly string[] {
    return this.does({ kind: "time", time: this.situation.now + ms });
  }

  get in(): readonly string[] {
    return view(this.runnable, this.situation, null).states;
  }
}

/** A state that notes when it is entered and left. */
const noting = (name: string, inside = ""): string =>
  `state ${name} { enter { note "+${name}" } exit { note "-${name}" } ${inside} }`;

describe.each([
  ["generated code", true],
  ["closures", false],
])("in %s", (_how, generated) => {
  const match = (body: string): Played => new Played(body, generated);

  test("effects, then exits from the inside, then enters from the outside", () => {
    const m = match(`
start Out
${noting(
  "Out",
  `start One ${noting("One", `start Deep ${noting("Deep", `turn of a action go { note "effects" } -> Two`)}`)}
   ${noting("Two", `start Inner ${noting("Inner", "turn of a action end -> E action round -> again Two action back -> again Out")}`)}`,
)}`);
    expect(m.first).toEqual(["+Out", "+One", "+Deep"]);
    expect(m.a("go")).toEqual(["effects", "-Deep", "-One", "+Two", "+Inner"]);
    expect(m.a("round")).toEqual(["-Inner", "-Two", "+Two", "+Inner"]);
    expect(m.a("back")).toEqual(["-Inner", "-Two", "-Out", "+Out", "+One", "+Deep"]);
    expect(m.in).toEqual(["Out", "One", "Deep"]);
  });

  test("every listener hears, inner ones first, in text order; of those with an arrow the first is taken", () => {
    const m = match(`
signal Gust(strength: int 0..9)
start Out
state Out {
  on Gust(s) { note "out {s}" } -> Far
  start In
  state In {
    turn of a
    on Gust(s) when s > 5 { note "strong" } -> Near
    on Gust(s) { note "in {s}" }
    on Gust { note "in again" } -> Far
    action blow(s: int 0..9) { raise Gust(s) note "raised" } -> stay
  }
  state Near { turn of a action end -> E  enter { note "+Near" } }
}
state Far { turn of a action end -> E  enter { note "+Far" } }`);
    expect(m.a("blow", { s: 7 })).toEqual(["raised", "strong", "in 7", "in again", "out 7", "+Near"]);
    const weak = match(`
signal Gust
start Out
state Out {
  on Gust -> Far
  start In
  state In { turn of a action blow { raise Gust } -> stay  on Gust { note "in" } }
}
state Far { turn of a action end -> E  enter { note "+Far" } }`);
    expect(weak.a("blow")).toEqual(["in", "+Far"]);
  });

  test("signals are delivered in the order raised, and come before any when", () => {
    const m = match(`
data { n: int 0..9 = 0 }
signal One
signal Two
start S
state S {
  turn of a
  on One { note "one" n += 1 raise Two }
  on Two { note "two" }
  when n == 1 { note "when" } -> T
  action go { raise One raise Two note "go" } -> stay
}
state T { turn of a action end -> E enter { note "+T" } }`);
    expect(m.a("go")).toEqual(["go", "one", "two", "two", "when", "+T"]);
  });

  test("a signal that is raised in enter is heard where the arrow leads", () => {
    const m = match(`
signal Arrived
start S
state S { turn of a  on Arrived { note "heard in S" }  exit { raise Arrived }  action go -> T }
state T { turn of a  on Arrived { note "heard in T" }  enter { raise Arrived }  action end -> E }`);
    expect(m.a("go")).toEqual(["heard in T", "heard in T"]);
  });

  test("one when at a time, the innermost first, until nothing is left", () => {
    const m = match(`
data { n: int 0..9 = 0 }
start Out
state Out {
  when n == 3 { note "outer at 3" n = 4 } -> Third
  start First
  state First { turn of a  action go { n = 1 } -> stay  when n == 1 { note "first" n = 2 } -> Second }
  state Second { when n == 2 { note "second" n = 3 } -> Third }
  state Third { turn of a  action end -> E  when n == 4 { note "third" n = 5 } -> First }
}`);
    expect(m.a("go")).toEqual(["first", "second", "outer at 3", "third"]);
    expect(m.in).toEqual(["Out", "First"]);
  });

  test("an enter arrow is taken once for each entry", () => {
    const m = match(`
data { n: int 0..9 = 0 }
start Camp
state Camp { turn of a  action go -> Bridge }
state Bridge { enter { n += 1 note "over {n}" } -> choose { when n < 3 -> again Bridge  else -> Camp } }`);
    expect(m.a("go")).toEqual(["over 1", "over 2", "over 3"]);
    expect(m.in).toEqual(["Camp"]);
  });

  test("timers run by time, those due at once from the inside; one that repeats runs again; those of a state that is left do not", () => {
    const m = match(`
start Out
state Out {
  after each 4s { note "tick" }
  start In
  state In { turn of a  after 4s { note "in" }  after 9s { note "late" } -> Gone  action leave -> Gone }
  state Gone { turn of a  action end -> E }
}`);
    expect(m.after(4000)).toEqual(["in", "tick"]);
    expect(m.after(4000)).toEqual(["tick"]);
    expect(m.a("leave")).toEqual([]);
    expect(m.after(4000)).toEqual(["tick"]);
    expect(m.in).toEqual(["Out", "Gone"]);
  });

  test("timers that are due before an input run first, each a step of its own", () => {
    const m = match(`
start S
state S { turn of a  after 5s { note "bell" } -> T  action early { note "early" } -> stay }
state T { turn of a  action late { note "late" } -> E }`);
    expect(m.does({ kind: "action", seat: "a", action: "early", args: {}, time: 6000 })).toEqual(["notOpenHere"]);
    expect(m.in).toEqual(["T"]);
    expect(m.does({ kind: "action", seat: "a", action: "late", args: {}, time: 6000 })).toEqual(["late"]);
  });

  test("branches of a choice are asked in order, with what the effects before them have done", () => {
    const m = match(`
data { n: int 0..9 = 0 }
start S
state S {
  turn of a
  action go(by: int 0..9) { n += by } -> choose {
    when n >= 5 { note "much" } -> T
    when n >= 5 { note "never" } -> T
    when n >= 2 { note "some" } -> stay
    else { note "little" } -> stay
  }
}
state T { turn of a action end -> E }`);
    expect(m.a("go", { by: 1 })).toEqual(["little"]);
    expect(m.a("go", { by: 1 })).toEqual(["some"]);
    expect(m.a("go", { by: 9 })).toEqual(["much"]);
  });

  test("each seat of a turn of each is asked until it is ready, then the phase goes on", () => {
    const m = match(`
start Plan
state Plan {
  turn of each inPlay
  action think { note "{me} thinks" } -> stay
  action done { note "{me} is ready" } -> ready
  when all ready { note "all ready" } -> Plan2
}
state Plan2 { turn of each [b, a]  action done -> ready  when all ready -> E }`);
    expect(m.a("think")).toEqual(["a thinks"]);
    expect(m.a("done")).toEqual(["a is ready"]);
    expect(m.a("think")).toEqual(["alreadyReady"]);
    expect(m.b("think")).toEqual(["b thinks"]);
    expect(m.b("done")).toEqual(["b is ready", "all ready"]);
    expect(m.a("done")).toEqual([]);
    expect(m.a("done")).toEqual(["alreadyReady"]);
  });

  test("an overlay lies over everything: what is below waits, and goes on where it was", () => {
    const m = match(`
signal Whistle
start S
state S {
  turn of a
  enter { note "+S" }
  exit { note "-S" }
  on Whistle { note "heard" }
  after 10s { note "bell" } -> T
  action pause -> Break("tea")
}
state T { turn of a action end -> E }
overlay Break(why: text) {
  turn of b
  enter { note "break for {why}" raise Whistle }
  exit { note "over" }
  action resume -> return
  action stop -> T
}`);
    expect(m.a("pause")).toEqual(["break for tea"]);
    expect(m.after(20_000)).toEqual([]);
    expect(m.b("resume")).toEqual(["over"]);
    expect(m.after(9_000)).toEqual([]);
    expect(m.after(1_000)).toEqual(["bell", "-S"]);
  });

  test("out of an overlay for good: it is left first, then what lay below", () => {
    const m = match(`
start Out
${noting("Out", `start S ${noting("S", "turn of a action pause -> Break")}`)}
state T { turn of a action end -> E enter { note "+T" } }
overlay Break { turn of b  exit { note "-Break" }  action stop { note "stop" } -> T }`);
    m.a("pause");
    expect(m.b("stop")).toEqual(["stop", "-Break", "-S", "-Out", "+T"]);
  });

  test("a broken law undoes the whole step", () => {
    const m = match(`
data { n: int 0..9 = 0 }
law "small": n < 3
start S
state S { turn of a  action add(by: int 0..9) { n += by note "added {by}" } -> stay  action show { note "{n}" } -> E }`);
    expect(m.a("add", { by: 2 })).toEqual(["added 2"]);
    expect(m.a("add", { by: 1 })).toEqual(["lawBroken"]);
    expect(m.a("show")).toEqual(["2"]);
  });

  test("refusals are tested in the order the reference names", () => {
    const m = match(`
start S
state S {
  turn of a
  action go(x: int 1..3) needs x != 2 else "not two" -> T
  action only(x: int 1..3) by b -> stay
}
state T { turn of each inPlay  action done -> ready  when all ready -> E  action over -> E }`);
    const go = (extra: Record<string, unknown>): readonly string[] =>
      m.does({ kind: "action", seat: "a", action: "go", args: { x: 1 }, ...extra } as Input);
    expect(go({ step: 9, seat: "z", action: "fly" })).toEqual(["stale"]);
    expect(go({ seat: "z", action: "fly" })).toEqual(["notSeated"]);
    expect(go({ seat: "b", action: "fly" })).toEqual(["unknownAction"]);
    expect(go({ seat: "b", action: "done" })).toEqual(["notOpenHere"]);
    expect(go({ seat: "b", args: { x: 7 } })).toEqual(["notYourTurn"]);
    expect(go({ args: { x: 7 } })).toEqual(["badArgument"]);
    expect(go({ args: { x: 2 } })).toEqual(["needsFailed"]);
    expect(go({})).toEqual([]);
    expect(m.a("done")).toEqual([]);
    expect(m.a("done")).toEqual(["alreadyReady"]);
    expect(m.a("over")).toEqual(["alreadyReady"]);
    expect(m.b("over")).toEqual([]);
    expect(m.b("over")).toEqual(["matchOver"]);
  });
});
