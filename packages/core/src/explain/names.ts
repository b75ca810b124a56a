/** Kinds of messages about names and types. */

import { frame, kind, type Kind } from "./kind.js";

const e = (
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind => kind("error", name, title, about, triggers, ...fix);

const BELLS = "data { bells: int 0..9 = 0 }";
const RING = "action ring { bells += 1 } -> stay\nwhen bells == 9 -> Home";

export const NAMES: readonly Kind[] = [
  e(
    "unknown-value",
    "A value that is not declared.",
    "Names are told apart by case too. When a known name is near, the message names it, and `zany check --fix` " +
      "writes it.",
    frame({ top: BELLS, turn: "action ring { bels += 1 } -> stay\nwhen bells == 9 -> Home" }),
    ["bels", "bells"],
  ),
  e(
    "unknown-field",
    "A field the type does not have.",
    "Only declared fields exist, so a misspelt one is never silently a new one.",
    frame({
      top: "type Kite { lift: int 0..9 = 9 }\ndata { kite: Kite }",
      turn: "action dive { kite.lfit -= 1 } -> stay\nwhen kite.lift == 0 -> Home",
    }),
    ["lfit", "lift"],
  ),
  e(
    "unknown-state",
    "A state, overlay or ending that is not declared.",
    "An arrow points at a declared state, overlay or ending, and `in` asks for a declared state.",
    frame({ turn: "action rest -> Brake", rest: "state Break { after 5m -> Turn }" }),
    ["Brake", "Break"],
  ),
  e(
    "unknown-signal",
    "A signal that is not declared.",
    "A misspelt signal would be raised and never heard. Declared once, it cannot be.",
    frame({
      top: "signal Rung(times: int)",
      turn: 'action ring { raise Rang(1) } -> stay\non Rung(times) { note "{times}" }',
    }),
    ["Rang", "Rung"],
  ),
  e(
    "unknown-effect",
    "An effect that is not declared, or a change the value does not know.",
    "Effects are called as statements of their own; lists know push, take, remove and a few more.",
    frame({
      top: "data { line: list of seat }",
      turn: "action queue { line.psuh(me) } -> stay\nwhen line.size == 3 -> Home",
    }),
    ["psuh", "push"],
  ),
  e(
    "unknown-action",
    "An action that is not declared.",
    "Policies and tests name actions of the machine.",
    `${frame({ turn: "action ring -> stay" })}policy loud { else: rign }\n`,
    ["rign", "ring"],
  ),
  e(
    "unknown-argument",
    "An argument by a name the declaration does not have.",
    "Arguments by name must use the names of the parameters.",
    frame({
      top: "data { bells: int 0..9 = 0 }\n\neffect ring(times: int) { bells += max(0, times) }",
      turn: "action toll { ring(time: 2) } -> stay\nwhen bells == 9 -> Home",
    }),
    ["time: 2", "times: 2"],
  ),
  e(
    "unknown-type",
    "A type that is not declared.",
    "Types are bool, int, num, text, seat, cell, lists, maps, grids, and those that the file declares.",
    frame({
      top: "type Kite { lift: int 0..9 = 9 }\ndata { kite: Kyte }",
      turn: "action dive { kite.lift -= 1 } -> stay\nwhen kite.lift == 0 -> Home",
    }),
    ["Kyte", "Kite"],
  ),
  e(
    "unknown-seat",
    "A seat that is not declared.",
    "Tests and sides name seats of the machine.",
    `${frame({})}test "home" {\n  anne leave\n  expect ending Home\n}\n`,
    ["anne", "ann"],
  ),
  e(
    "unknown-refusal",
    "A reason for a refusal that does not exist.",
    "A refused action is refused for one of ten reasons, each with a stable code.",
    `${frame({})}test "home" {\n  ann leave\n  ann leave refused gameOver\n}\n`,
    ["gameOver", "matchOver"],
  ),
  e(
    "duplicate-name",
    "Two declarations with one name.",
    "Names share one space per kind, so that a name means one thing wherever it stands.",
    frame({ top: "data { bells: int 0..9 = 0  bells: int 0..3 = 0 }", turn: RING }),
    ["  bells: int 0..3 = 0 }", " }"],
  ),
  e(
    "wrong-type",
    "A value of another type than is wanted here.",
    "Text and numbers are never mixed, and a num becomes an int only by floor, ceil or nearest.",
    frame({ top: BELLS, turn: 'action ring { bells += "one" } -> stay\nwhen bells == 9 -> Home' }),
    ['"one"', "1"],
  ),
  e(
    "wrong-arguments",
    "Too few, too many or doubled arguments.",
    "Each parameter without a default gets exactly one argument, by position or by name.",
    frame({
      top: `${BELLS}\n\neffect ring(times: int) { bells += max(0, times) }`,
      turn: "action toll { ring() } -> stay\nwhen bells == 9 -> Home",
    }),
    ["ring()", "ring(2)"],
  ),
  e(
    "empty-range",
    "A range that holds no value.",
    "The lower bound comes first.",
    frame({ top: "data { bells: int 9..0 }", turn: RING }),
    ["9..0", "0..9 = 0"],
  ),
  e(
    "no-default",
    "Data that have no value to begin with.",
    "A seat or a cell has no first value of its own: write one, or make it a maybe with `?`.",
    frame({ top: "data { holder: seat }", turn: "action take { holder = me } -> stay\nwhen holder == ann -> Home" }),
    ["holder: seat", "holder: seat?"],
  ),
  e(
    "endless-type",
    "A record that holds itself.",
    "A value of it would never end. A list or a maybe of it ends.",
    frame({
      top: "type Crate { inside: Crate  tar: int 0..3 = 1 }\ndata { hold: Crate }",
      turn: "action open { hold.tar -= 1 } -> stay\nwhen hold.tar == 0 -> Home\nwhen hold.inside != none -> Home",
    }),
    ["inside: Crate", "inside: Crate?"],
    [
      "when hold.inside != none -> Home\n",
      "action fill { hold.inside = Crate() } -> stay\n  when hold.inside != none -> Home\n",
    ],
  ),
  e(
    "used-too-early",
    "A constant, or the first value of data, made of something that is not known yet.",
    "Constants are computed from top to bottom, of plain values and earlier constants. Data get their first " +
      "values from top " +
      "to bottom, of constants and of data above them.",
    frame({ top: "const twice: int = once * 2\nconst once: int = 3", turn: 'enter { note "{twice}" }' }),
    ["const twice: int = once * 2\nconst once: int = 3", "const once: int = 3\nconst twice: int = once * 2"],
  ),
  e(
    "bad-constant",
    "A constant that cannot be worked out.",
    "Constants are worked out before a match begins, all of them together with no more work than a step may take.",
    frame({
      top: "const tones: list of int = [3, 5]\nconst third: int = tones[2]",
      turn: 'enter { note "{third}" }',
    }),
    ["[3, 5]", "[3, 5, 8]"],
  ),
  e(
    "recursion",
    "Something that calls itself.",
    "Nothing may call itself, not even in a circle: then every step ends.",
    frame({
      top: `${BELLS}\n\neffect ring() { bells += 1  echo() }\neffect echo() { ring() }`,
      turn: "action toll { ring() } -> stay\nwhen bells == 9 -> Home",
    }),
    ["  echo() }\neffect echo() { ring() }", " }"],
  ),
  e(
    "not-assignable",
    "Something that cannot be changed.",
    "Data and values made with let can be changed; parameters, constants and seats cannot.",
    frame({
      top: `${BELLS}\n\neffect ring(times: int) {\n  times = max(0, times)\n  bells += times\n}`,
      turn: "action toll { ring(2) } -> stay\nwhen bells == 9 -> Home",
    }),
    ["  times = max(0, times)\n  bells += times", "  bells += max(0, times)"],
  ),
  e(
    "unused-value",
    "A function called as if it did something.",
    "A function computes a value and changes nothing; what changes data is an effect.",
    frame({
      top: `${BELLS}\nfunction half(n: int): int = floor(n / 2)`,
      turn: "action rest { half(bells) } -> stay\naction ring { bells += 1 } -> stay\nwhen bells == 9 -> Home",
    }),
    ["{ half(bells) }", "{ bells = half(bells) }"],
  ),
];
