/** Kinds of messages about what is declared and how long it lives. */

import { frame, kind, type Kind } from "./kind.js";

const w = (
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind => kind("warning", name, title, about, triggers, ...fix);

const BELLS = "data { bells: int 0..9 = 0 }";

/** A journey with a bout that is entered again and again. */
const JOURNEY = (data: string, bout: string): string =>
  `machine Journey
seats ann

data { ${data} }

start AtSea

state AtSea {
  turn of ann
  action sail -> Bout
  action land -> Home
}

state Bout {
${bout}
}

ending Home { wins ann }
`;

export const USES: readonly Kind[] = [
  w(
    "unheard-signal",
    "A signal that nobody hears.",
    "It is raised, or reported by the game, and nothing listens: almost always the listener is missing or hears " +
      "another signal.",
    frame({ top: "signal Rung()", turn: "action ring { raise Rung() } -> stay" }),
    ["action ring", 'on Rung { note "dong" }\n  action ring'],
  ),
  w(
    "unraised-signal",
    "A listener for a signal that nobody raises.",
    "It is never called. Raise the signal where it happens, and listen where the match is then: a state that has " +
      "been left hears nothing.",
    frame({
      top: `${BELLS}\nsignal Rung()`,
      turn: 'action ring { bells += 1 } -> stay\non Rung { note "dong" }\nwhen bells == 9 -> Home',
    }),
    ["{ bells += 1 }", "{\n    bells += 1\n    raise Rung()\n  }"],
  ),
  w(
    "unread-data",
    "Data that nothing reads.",
    "They may be set, but nothing ever asks for them. What people see may be there for them alone: then it is a hint.",
    frame({ top: "data { hidden bells: int 0..9 = 0 }", turn: "action ring { bells += 1 } -> stay" }),
    ["-> stay", "-> stay\n  when bells == 9 -> Home"],
  ),
  w(
    "unset-data",
    "Data that nothing ever sets.",
    "They are read, but keep the first value of their type for ever. Data that are set up from outside get a " +
      "written default. A number that is asked for as if it were counted, or used up, and never is, stays what " +
      "it was too.",
    frame({ top: "data { goal: int 0..9 }", turn: 'action look { note "{goal}" } -> stay' }),
    ["int 0..9", "int 0..9 = 5"],
  ),
  w(
    "unused-declaration",
    "A declaration that is never used.",
    "Functions, effects, constants, signals and dice that nothing uses are left over, or something uses another by " +
      "mistake. So are parameters, and what a let keeps: an action that goes the same whatever is chosen has " +
      "forgotten what it was chosen for.",
    frame({
      top: `${BELLS}\nfunction half(n: int): int = floor(n / 2)`,
      turn: "action ring { bells += 1 } -> stay\nwhen bells == 9 -> Home",
    }),
    ["\nfunction half(n: int): int = floor(n / 2)", ""],
  ),
  w(
    "unknown-key",
    "A key that a map does not have, spelled much like one that it has.",
    "What is kept under it is found by nobody: the map begins with other keys, and nothing else names this one.",
    frame({
      top: 'data { rung: map of text to bool = ["lantern": false, "pulley": false] }',
      turn: 'action ring { rung["pully"] = true } -> stay\nwhen all(k in rung.keys: rung[k]) -> Home',
    }),
    ['"pully"', '"pulley"'],
  ),
  w(
    "flag-never-cleared",
    "A flag that is set and never cleared.",
    "It still holds when the state that uses it is entered the next time. Clear it where that begins, or make it " +
      "data of the state. Units that are marked as they act can act no more; who is braced or dazed stays so, " +
      "and a number that says for how long is to be counted down. What may be none, such as who bought, is set back " +
      "to none; a flag that keeps the turn from being passed on is cleared when it has.",
    JOURNEY(
      "escaping: bool = false",
      "  turn of ann\n  action escape { escaping = true } -> stay\n  action strike -> stay\n  when escaping -> AtSea",
    ),
    ["data { escaping: bool = false }\n\n", ""],
    ["state Bout {\n", "state Bout {\n  data { escaping: bool = false }\n"],
  ),
  w(
    "outlives-state",
    "Data of a battle that outlive it.",
    "Only one state uses them, and nothing sets them anew when it is entered: the next battle begins with what " +
      "the last one left. Data declared in the state are made anew at each entry. So it is with a condition " +
      "that holds " +
      "for good once it does, and ends a state or passes the turn on.",
    JOURNEY(
      "hull: int 0..9 = 9",
      "  start Ours\n\n  state Ours {\n    turn of ann\n    action ram { hull -= roll(1..6) } -> Judge\n  }\n\n  " +
        "state Judge {\n    enter -> choose {\n      when hull == 0 -> AtSea\n      else -> Ours\n    }\n  }",
    ),
    ["data { hull: int 0..9 = 9 }\n\n", ""],
    ["state Bout {\n", "state Bout {\n  data { hull: int 0..9 = 9 }\n"],
  ),
  w(
    "queue-never-emptied",
    "A list asked for being empty that nothing takes from.",
    "It grows, its emptiness decides something, and nothing ever takes an entry out.",
    frame({
      top: "data { line: list of int }",
      turn: "action queue { line.push(roll(1..6)) } -> stay\naction serve -> Serve",
      rest:
        'state Serve {\n  turn of ann\n  when line.empty -> Home\n  action next { note "{line.size} wait" } ' +
        "-> stay\n  action close -> Turn\n}",
    }).replaceAll("action next", "action call"),
    ['note "{line.size} wait" }', "line.take() }"],
  ),
  w(
    "queue-made-anew",
    "A queue that is made anew at every turn.",
    "Whoever is first in it has the turn, and is taken out when that is done; but the state with the turn makes it " +
      "anew when it is entered, so nobody ever comes next.",
    `machine Kiosk
seats ann, ben

data { line: list of seat  bells: int 0..9 = 0 }

on Left(s) -> Home

start Turn

state Turn {
  enter { line = seats }
  turn of line.first
  action ring { bells += 1 } -> Next
  when bells == 9 -> Home
}

state Next {
  enter { line.take() } -> Turn
}

ending Home { draws all }
`,
    [
      "start Turn\n\nstate Turn {\n  enter { line = seats }",
      "start Round\n\nstate Round {\n  enter { line = seats } -> Turn\n}\n\nstate Turn {",
    ],
    [
      "enter { line.take() } -> Turn",
      "enter { line.take() } -> choose {\n    when line.empty -> Round\n    else -> Turn\n  }",
    ],
  ),
  w(
    "roll-again-for-nothing",
    "A roll that can be repeated without any cost.",
    "The state rolls whenever it is entered, and somebody can leave it and come back for nothing, until the dice " +
      "please.",
    frame({
      top: "data { price: int 1..6 = 1 }",
      turn: "action shop -> Shop",
      rest:
        "state Shop {\n  enter { price = roll(1..6) }\n  turn of ann\n  action look -> Shelf\n  action buy { " +
        'note "for {price}" } -> Home\n}\n\nstate Shelf {\n  turn of ann\n  action back -> Shop\n}',
    }),
    ["action shop -> Shop", "action shop { price = roll(1..6) } -> Shop"],
    ["  enter { price = roll(1..6) }\n", ""],
  ),
  w(
    "given-overwritten",
    "Data that a test is given and the machine sets at once.",
    "What is given comes first, then `enter` of the state in which the match begins. What that sets anew is not " +
      "what the test was given.",
    `${frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: "enter { bells = 3 }\naction ring { bells += 1 } -> " + "stay\nwhen bells == 9 -> Home",
    })}test "many bells" {\n  given bells = 8\n  ann ring\n  expect ending Home\n}\n`,
    ["enter { bells = 3 }\n  ", ""],
  ),
];
