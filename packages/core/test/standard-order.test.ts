/**
 * The standard order against traces worked out by hand. Each names the procedure of the algorithm in
 * appendix D of the W3C State Chart XML recommendation that decides it. In a trace `+A` is entering A, `-A` leaving it,
 * words are notes of effects; a bar stands between the steps, of which the first is the beginning.
 */

import { begin, compile, type Input, type NoteRecord, Runnable, renderMessage, type Situation, step } from "@zany/core";
import { describe, expect, test } from "vitest";

/** Every state tells when it is entered and left. */
const told = (body: string): string =>
  body.replace(/state (\w+) \{/g, 'state $1 { enter { note "+$1" } exit { note "-$1" }');

const REST = "state X { } state Y { } ending E { draws all } action quit -> E";

function machineOf(body: string, order = "order standard", generated = true): Runnable {
  const text = `machine M ${order}\nseats a\nturn of a\nsignal Beep()\nsignal One()\nsignal Two()\nsignal Three()\nevent Bell()\ndata { n: int 0..9 = 0 }\n${told(`${body}\n${REST}`)}`;
  const { machine, ok, messages, sources } = compile(text);
  if (!ok) throw new Error(messages.map((m) => renderMessage(sources, m)).join("\n"));
  return new Runnable(machine, generated);
}

/** `go` is an action, `Bell!` an event, `2s` time. */
function inputOf(word: string, now: number): Input {
  if (word.endsWith("!")) return { kind: "event", event: word.slice(0, -1) };
  return word.endsWith("s") && /^\d/.test(word)
    ? { kind: "time", time: now + Number.parseInt(word, 10) * 1000 }
    : { kind: "action", seat: "a", action: word };
}

function traceOf(runnable: Runnable, inputs: string): string {
  const text = (notes: readonly NoteRecord[]): string => notes.map((n) => n.text).join(" ");
  const { taken, fault } = begin(runnable, { seed: "trace" });
  if (!taken) throw new Error(fault?.words);
  let situation: Situation = taken.situation;
  const steps = [text(taken.happenings.notes)];
  for (const word of inputs.split(" ").filter(Boolean)) {
    const result = step(runnable, situation, inputOf(word, situation.now));
    steps.push(
      result.refusal?.code ?? result.fault?.code ?? result.taken.map((t) => text(t.happenings.notes)).join(" / "),
    );
    situation = result.situation;
  }
  return steps.join(" | ");
}

const regions = (left: string, right: string, own = ""): string => `start P parallel state P { ${own}
  state L { start L1 state L1 { ${left} } state L2 { } }
  state R { start R1 state R1 { ${right} } state R2 { } } }`;
const IN = "+P +L +L1 +R +R1";
const OUT = "-R1 -R -L1 -L -P";

/** Procedure, what it shows, the machine, the inputs, the trace. */
const TRACES: readonly (readonly [string, string, string, string, string])[] = [
  [
    "selectTransitions",
    "an inner transition comes before an outer one",
    'start P state P { start C action go { note "p" } -> stay state C { action go { note "c" } -> stay } }',
    "go",
    "+P +C | c",
  ],
  [
    "selectTransitions",
    "an inner one whose condition fails lets the outer one through",
    'start P state P { start C action go { note "p" } -> stay state C { action go needs n > 0 { note "c" } -> stay } }',
    "go",
    "+P +C | p",
  ],
  [
    "selectTransitions",
    "of one state the first in document order counts",
    'start A state A { action go { raise Beep() } -> stay on Beep when n == 0 { note "1" } on Beep { note "2" } }',
    "go",
    "+A | 1",
  ],
  [
    "selectTransitions",
    "a first whose condition fails is passed over",
    'start A state A { action go { raise Beep() } -> stay on Beep when n == 1 { note "1" } on Beep { note "2" } }',
    "go",
    "+A | 2",
  ],
  [
    "selectTransitions",
    "each atomic state selects its own",
    regions('action go { note "l" } -> L2', 'action go { note "r" } -> R2'),
    "go",
    `${IN} | -R1 -L1 l r +L2 +R2`,
  ],
  [
    "selectTransitions",
    "one transition selected by two atomic states is taken once",
    regions("", "", 'action go { note "p" } -> stay'),
    "go",
    `${IN} | p`,
  ],
  [
    "selectTransitions",
    "only the innermost listener of a branch hears",
    'start P state P { start C on Beep { note "p" } state C { on Beep { note "c" } action go { raise Beep() } -> stay } }',
    "go",
    "+P +C | c",
  ],
  [
    "selectTransitions",
    "the listeners of both branches hear",
    regions('on Beep { note "l" } action go { raise Beep() } -> stay', 'on Beep { note "r" }'),
    "go",
    `${IN} | l r`,
  ],
  [
    "selectTransitions",
    "a listener of the machine itself hears when no state does",
    'on Beep { note "m" } start A state A { action go { raise Beep() } -> stay }',
    "go",
    "+A | m",
  ],
  [
    "selectTransitions",
    "an external event that nothing wants is used up",
    'start A state A { } on Beep { note "m" }',
    "Bell! Bell!",
    "+A |  | ",
  ],
  ["selectTransitions", "a report is an external event", "start A state A { on Bell -> X }", "Bell!", "+A | -A +X"],
  [
    "removeConflictingTransitions",
    "of two that leave the same states the first in document order wins",
    regions('action go { note "l" } -> X', 'action go { note "r" } -> Y'),
    "go",
    `${IN} | ${OUT} l +X`,
  ],
  [
    "removeConflictingTransitions",
    "one from an inner state preempts the outer one selected before it",
    regions("", 'action go { note "r" } -> R2', 'action go { note "p" } -> X'),
    "go",
    `${IN} | -R1 r +R2`,
  ],
  [
    "removeConflictingTransitions",
    "one without a target conflicts with nothing",
    regions('action go { note "l" } -> stay', 'action go { note "r" } -> X'),
    "go",
    `${IN} | ${OUT} l r +X`,
  ],
  [
    "removeConflictingTransitions",
    "an outer one without a target goes beside an inner one",
    regions("", 'action go { note "r" } -> R2', 'action go { note "p" } -> stay'),
    "go",
    `${IN} | -R1 p r +R2`,
  ],
  [
    "removeConflictingTransitions",
    "eventless ones conflict as well",
    regions('action go { n = 1 } -> stay when n == 1 { note "l" } -> X', 'when n == 1 { note "r" } -> Y'),
    "go",
    `${IN} | ${OUT} l +X`,
  ],
  [
    "exitStates",
    "inner states are left first, and all before the content",
    'start A state A { start B state B { start C state C { action go { note "t" } -> X } } }',
    "go",
    "+A +B +C | -C -B -A t +X",
  ],
  [
    "exitStates",
    "branches are left in reverse document order",
    regions('action go { note "t" } -> X', ""),
    "go",
    `${IN} | ${OUT} t +X`,
  ],
  [
    "exitStates",
    "a state that has been left is not active for the content",
    'start A state A { action go { note "{if in A then 1 else 0}" } -> X }',
    "go",
    "+A | -A 0 +X",
  ],
  [
    "exitStates",
    "an outer state is still active while an inner one is left",
    'start A state A { start B state B { exit { note "{if in A then 1 else 0}{if in B then 1 else 0}" } action go -> X } }',
    "go",
    "+A +B | -B 11 -A +X",
  ],
  [
    "exitStates",
    "several exit blocks run in document order",
    'start A state A { exit { note "one" } exit { note "two" } action go -> X }',
    "go",
    "+A | -A one two +X",
  ],
  [
    "exitStates",
    "the data of a state last until the content has run",
    'start A state A { data { k: int 0..9 = 4 } action go { note "{k}" } -> X }',
    "go",
    "+A | -A 4 +X",
  ],
  [
    "exitStates",
    "shallow history keeps the inner states",
    "start A state A { start B state B { action on1 -> C } state C { start D state D { action on2 -> F } state F { action off -> X } } } action back -> history A",
    "on1 on2 off back",
    "+A +B | -B +C +D | -D +F | -F -C -A +X | -X +A +C +D",
  ],
  [
    "exitStates",
    "deep history keeps the innermost states",
    "start A state A { start B state B { action on1 -> C } state C { start D state D { action on2 -> F } state F { action off -> X } } } action back -> history deep A",
    "on1 on2 off back",
    "+A +B | -B +C +D | -D +F | -F -C -A +X | -X +A +C +F",
  ],
  [
    "exitStates",
    "history is what was active when the state itself was left last",
    "start A state A { start B state B { action on1 -> C } state C { action off -> X } } action back -> history A",
    "on1 off back",
    "+A +B | -B +C | -C -A +X | -X +A +C",
  ],
  [
    "addDescendantStatesToEnter",
    "a history not kept yet leads to the start",
    "start X state A { start B state B { } state C { } } action back -> history A",
    "back",
    "+X | -X +A +B",
  ],
  [
    "addDescendantStatesToEnter",
    "deep history of a parallel state brings both branches back",
    `${regions("action go -> L2", "action go -> R2")} action off -> X action back -> history deep P`,
    "go off back",
    `${IN} | -R1 -L1 +L2 +R2 | -R2 -R -L2 -L -P +X | -X +P +L +L2 +R +R2`,
  ],
  [
    "addDescendantStatesToEnter",
    "shallow history of a parallel state begins its branches anew",
    `${regions("action go -> L2", "action go -> R2")} action off -> X action back -> history P`,
    "go off back",
    `${IN} | -R1 -L1 +L2 +R2 | -R2 -R -L2 -L -P +X | -X ${IN}`,
  ],
  [
    "addDescendantStatesToEnter",
    "entering a compound state enters its start, and so on",
    "start X state A { start B state B { start C state C { } } } action go -> A",
    "go",
    "+X | -X +A +B +C",
  ],
  [
    "addDescendantStatesToEnter",
    "entering a parallel state enters every branch in document order",
    `${regions("", "").replace("start P", "start X")} action go -> P`,
    "go",
    `+X | -X ${IN}`,
  ],
  [
    "addAncestorStatesToEnter",
    "the states around a target are entered first, their starts are not",
    "start X state A { start B state B { } state C { start D state D { } state F { } } } action go -> F",
    "go",
    "+X | -X +A +C +F",
  ],
  [
    "addAncestorStatesToEnter",
    "a target in one branch enters the others by their starts",
    `${regions("", "").replace("start P", "start X")} action go -> R2`,
    "go",
    "+X | -X +P +L +L1 +R +R2",
  ],
  [
    "getTransitionDomain",
    "an arrow from an outer state inwards leaves the outer state",
    'start A state A { start B action go { note "t" } -> C state B { } state C { } }',
    "go",
    "+A +B | -B -A t +A +C",
  ],
  [
    "getTransitionDomain",
    "an internal one does not",
    'start A state A { start B action go { note "t" } -> inner C state B { } state C { } }',
    "go",
    "+A +B | -B t +C",
  ],
  [
    "getTransitionDomain",
    "an internal one whose source is parallel is none",
    regions("", "", 'action go { note "t" } -> inner L2'),
    "go",
    `${IN} | ${OUT} t +P +L +L2 +R +R1`,
  ],
  [
    "getTransitionDomain",
    "an arrow to the own state leaves it and enters it anew",
    'start A state A { action go { note "t" } -> A }',
    "go",
    "+A | -A t +A",
  ],
  [
    "getTransitionDomain",
    "an arrow to the state around leaves and enters that as well",
    'start A state A { start B state B { action go { note "t" } -> A } }',
    "go",
    "+A +B | -B -A t +A +B",
  ],
  [
    "getTransitionDomain",
    "without a target nothing is left",
    'start A state A { start B state B { action go { note "t" } -> stay } }',
    "go",
    "+A +B | t",
  ],
  [
    "findLCCA",
    "a parallel state is none: an arrow from branch to branch leaves it",
    regions('action go { note "t" } -> R2', ""),
    "go",
    `${IN} | ${OUT} t +P +L +L1 +R +R2`,
  ],
  [
    "findLCCA",
    "a branch's own arrow inwards leaves the parallel state too",
    `start P parallel state P { state L { start L1 action go { note "t" } -> L2 state L1 { } state L2 { } } state R { } }`,
    "go",
    "+P +L +L1 +R | -R -L1 -L -P t +P +L +L2 +R",
  ],
  [
    "mainEventLoop",
    "choices come before internal events",
    'start A state A { action go { n = 1 raise Beep() } -> B on Beep { note "A hears" } } state B { when n == 1 { note "w" } -> C on Beep { note "B hears" } } state C { on Beep { note "C hears" } }',
    "go",
    "+A | -A +B -B w +C C hears",
  ],
  [
    "mainEventLoop",
    "internal events are heard in the order raised",
    'start A state A { action go { raise One() raise Two() } -> stay on One { note "1" raise Three() } on Two { note "2" } on Three { note "3" } }',
    "go",
    "+A | 1 2 3",
  ],
  [
    "mainEventLoop",
    "an internal event is heard where the step has come to, not where it was raised",
    'start A state A { action go { raise Beep() } -> B on Beep { note "A" } } state B { on Beep { note "B" } }',
    "go",
    "+A | -A +B B",
  ],
  [
    "mainEventLoop",
    "choices go on until none holds",
    "start A state A { action go -> B } state B { enter -> C } state C { enter -> X }",
    "go",
    "+A | -A +B -B +C -C +X",
  ],
  [
    "mainEventLoop",
    "what an ending drops is not heard",
    'start A state A { action go { note "t" raise Beep() } -> E on Beep { note "late" } }',
    "go",
    "+A | -A t",
  ],
  [
    "mainEventLoop",
    "a timer is an external event of its own",
    'start A state A { after 2s { note "t" } -> X }',
    "1s 1s",
    "+A |  | -A t +X",
  ],
  [
    "selectEventlessTransitions",
    "inner choices first, then outer ones",
    'start P state P { start C when n == 1 { note "p" } -> X state C { action go { n = 1 } -> stay when n == 1 { note "c" } -> D } state D { } }',
    "go",
    "+P +C | -C c +D -D -P p +X",
  ],
  [
    "selectEventlessTransitions",
    "both branches at once",
    regions('action go { n = 1 } -> stay when n == 1 { note "l" } -> L2', 'when n == 1 { note "r" } -> R2'),
    "go",
    `${IN} | -R1 -L1 l r +L2 +R2`,
  ],
  [
    "enterStates",
    "several enter blocks run in document order",
    'start X state A { enter { note "one" } enter { note "two" } } action go -> A',
    "go",
    "+X | -X +A one two",
  ],
  [
    "enterStates",
    "entering a final raises the done event of the state around it",
    'start A state A { start B when done F { note "done" } -> X state B { action go -> F } final F }',
    "go",
    "+A +B | -B -A done +X",
  ],
  [
    "enterStates",
    "a done event waits behind what was raised before it",
    'start A state A { start B on Beep { note "beep" } when done F { note "done" } -> stay state B { action go { raise Beep() } -> F } final F }',
    "go",
    "+A +B | -B beep done",
  ],
  [
    "enterStates",
    "a done event is heard once, not as long as the final is active",
    'start A state A { start B on Beep { note "beep" } when done F { note "done" raise Beep() } -> stay state B { action go -> F } final F }',
    "go",
    "+A +B | -B done beep",
  ],
  [
    "isInFinalState",
    "a parallel state is done when every branch is",
    'start P parallel state P { when done P { note "done" } -> X state L { start L1 state L1 { action left -> F1 } final F1 } state R { start R1 state R1 { action right -> F2 } final F2 } }',
    "left right",
    "+P +L +L1 +R +R1 | -L1 | -R1 -R -L -P done +X",
  ],
  [
    "isInFinalState",
    "the branch's done event comes before that of the parallel state",
    'start P parallel state P { when done P { note "all" } -> stay state L { start F1 final F1 } state R { start R1 when done F2 { note "one" } -> stay state R1 { action right -> F2 } final F2 } }',
    "right",
    "+P +L +R +R1 | -R1 one all",
  ],
  [
    "conditionMatch",
    "the tests of a choose are tested before anything is done",
    'start A state A { action go { n = 5 } -> choose { when n == 5 { note "five" } -> X else { note "not yet" } -> Y } }',
    "go",
    "+A | -A not yet +Y",
  ],
  [
    "executeTransitionContent",
    "a branch's content follows the block before it, after the exits",
    'start A state A { action go { note "one" } -> choose { when n == 0 { note "two" } -> X else -> Y } }',
    "go",
    "+A | -A one two +X",
  ],
];

describe("order standard", () => {
  test.each(TRACES)("%s: %s", (_procedure, _what, body, inputs, trace) => {
    for (const generated of [true, false])
      expect(traceOf(machineOf(body, "order standard", generated), inputs)).toBe(trace);
  });

  test("there are at least forty of them", () => {
    expect(TRACES.length).toBeGreaterThanOrEqual(40);
  });
});

describe("the four differences", () => {
  test.each([
    ["effects and exits", 'start A state A { action go { note "t" } -> X }', "+A | -A t +X", "+A | t -A +X"],
    [
      "who hears",
      'start P state P { start C on Beep { note "p" } state C { on Beep { note "c" } action go { raise Beep() } -> stay } }',
      "+P +C | c",
      "+P +C | c p",
    ],
    [
      "signals and choices",
      'start A state A { action go { n = 1 raise Beep() } -> stay on Beep { note "beep" } when n == 1 -> X }',
      "+A | -A +X",
      "+A | beep -A +X",
    ],
    [
      "arrows inwards",
      "start A state A { start B action go -> C state B { } state C { } }",
      "+A +B | -B -A +A +C",
      "+A +B | -B +C",
    ],
  ])("%s", (_what, body, standard, turn) => {
    expect(traceOf(machineOf(body), "go")).toBe(standard);
    expect(traceOf(machineOf(body, ""), "go")).toBe(turn);
  });

  test("what one order does not know is refused in it", () => {
    const kinds = (order: string, body: string) =>
      compile(`machine M ${order}\nseats a\nturn of a\n${body}\nending E { draws all }`)
        .messages.filter((m) => m.severity === "error")
        .map((m) => m.words);
    expect(kinds("order standard", "start A state A { action go -> again A }")).toEqual([
      "In the standard order every arrow leaves and enters anew.",
    ]);
    expect(kinds("order standard", "start A state A { action go -> odds { 1 -> A 1 -> E } }")).toEqual([
      "The standard order knows no odds.",
    ]);
    expect(kinds("order standard", "start A state A { action go -> O } overlay O { action back -> return }")).toEqual([
      "The standard order knows no overlays.",
    ]);
    expect(kinds("", "start A state A { start B action go -> inner B state B { } }")).toEqual([
      "An arrow inwards leaves nothing anyway.",
    ]);
  });
});
