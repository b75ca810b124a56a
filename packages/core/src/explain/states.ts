/** Kinds of messages about states, arrows and endings. */

import { frame, kind, type Kind } from "./kind.js";

const e = (
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind => kind("error", name, title, about, triggers, ...fix);
const w = (
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind => kind("warning", name, title, about, triggers, ...fix);

const BELLS = "data { bells: int 0..9 = 0 }";

export const STATES: readonly Kind[] = [
  e(
    "no-seats",
    "The machine does not say who plays.",
    "Every machine has seats: by name, or as a range such as `seats 2..6 flyer`.",
    frame({}).replace("seats ann\n", "").replace("turn of ann", "turn of seats").replace("wins ann", "wins all"),
    ["machine Kiosk\n", "machine Kiosk\nseats ann\n"],
  ),
  e(
    "no-start",
    "A state with inner states that does not say in which it starts.",
    "Write `start NAME` in it. A parallel state starts all its inner states together.",
    frame({ rest: "" }).replace("start Turn\n\n", ""),
    ["state Turn {", "start Turn\n\nstate Turn {"],
  ),
  e(
    "missing-arrow",
    "An action, or a condition, that does not say where it leads.",
    "Effects come first, then one arrow. To lead nowhere, write -> stay.",
    frame({ top: BELLS, turn: "action ring { bells += 1 }\nwhen bells == 9 -> Home" }),
    ["{ bells += 1 }", "{ bells += 1 } -> stay"],
  ),
  e(
    "choice-without-else",
    "A choice that may find no branch.",
    "When none of its conditions holds, the match could not go on. Else says what happens then.",
    frame({ top: BELLS, turn: "action ring { bells += 1 } -> choose {\n  when bells == 9 -> Home\n}" }),
    ["when bells == 9 -> Home\n", "when bells == 9 -> Home\n    else -> stay\n"],
  ),
  e(
    "again-needed",
    "An arrow to a state that is active here.",
    "It could mean to stay or to leave it and enter it anew; `again` or `stay` says which.",
    frame({ turn: "action rest -> Turn" }),
    ["rest -> Turn", "rest -> stay"],
  ),
  w(
    "entered-twice",
    "An arrow behind `enter` that leads to where the state begins anyway.",
    "A state with inner states begins in its start. What it does on entering is done there and then, and an arrow of " +
      "its own; only then is the arrow of the outer state followed, which leaves it and enters it anew.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: "action go -> Round",
      rest: `state Round {
  start Ring
  enter { bells = 0 } -> Ring
  state Ring {
    turn of ann
    enter { bells += 1 }
    action look { note "{bells}" } -> stay
    action back -> Turn
  }
}`,
    }),
    ["enter { bells = 0 } -> Ring", "enter { bells = 0 }"],
  ),
  e(
    "wrong-place",
    "Something that cannot stand here.",
    "Overlays stand at the top, `return` leads out of an overlay, `-> ready` needs a turn of each. The message " +
      "says where it belongs.",
    frame({ turn: "action rest -> return" }),
    ["return", "stay"],
  ),
  e(
    "seat-without-result",
    "An ending that leaves some seat without a result.",
    "Everyone must learn how it ended. `others` are all that have not been named.",
    frame({ seats: "ann, ben", turn: "action win -> Won(me)", rest: "ending Won(winner: seat) { wins winner }" }),
    ["{ wins winner }", "{ wins winner  loses others }"],
  ),
  w(
    "others-are-all",
    "An ending that is told of a seat, and gives all the same.",
    "`others` are those that have not been named: where nobody is named before, they are all, whoever it was told of " +
      "as well.",
    frame({
      seats: "ann, ben",
      turn: "action win -> Won(me)",
      rest: "ending Won(winner: seat) { loses others }",
    }),
    ["{ loses others }", "{ wins winner  loses others }"],
  ),
  e(
    "no-me",
    "`me` where nobody acts.",
    "me is the seat acting, so it stands in actions and policies only. Elsewhere name the seat, or pass it on as " +
      "an argument.",
    frame({
      top: "data { bells per seat: int 0..9 = 0 }",
      turn: "action ring { bells[me] += 1 } -> stay\nwhen bells[me] == 9 -> Home",
    }),
    ["when bells[me]", "when bells[ann]"],
  ),
  e(
    "no-time-here",
    "`now` outside of effects.",
    "The time may be kept in data by an effect. A condition that looked at the clock would not be tested again " +
      "when the time comes; `after` is.",
    frame({ top: "data { since: int = 0 }", turn: "enter { since = now }\nwhen now > since + 60000 -> Home" }),
    ["when now > since + 60000 -> Home", 'after 1m -> Home\n  action look { note "{since}" } -> stay'],
  ),
  e(
    "roll-not-allowed",
    "A roll where nothing is rolled.",
    "Dice fall in effects, arrow arguments and odds. A condition that drew would come out anew each time it is " +
      "looked at.",
    frame({
      top: BELLS,
      turn:
        "action ring { bells += 1 } -> choose {\n  when chance(10%) -> Home\n  else -> stay\n}\nwhen bells == " +
        "9 -> Home",
    }),
    [
      "{ bells += 1 } -> choose {\n    when chance(10%) -> Home",
      "{\n    bells += 1\n    let cracked = chance(10%)\n  } -> choose {\n    when cracked -> Home",
    ],
  ),
  e(
    "misplaced-return",
    "A return that is not the last line of an effect with a type.",
    "An effect may give a value: effect eat(s: seat): int { ... return healed }. Its last line gives it; nothing " +
      "is left early. Actions and states lead on with arrows.",
    frame({
      top:
        `${BELLS}\neffect ring(times: int 0..9): int {\n  if times == 0 { return bells }\n  bells += times\n  ` +
        `return bells\n}`,
      turn: 'action toll {\n  let now1 = ring(2)\n  note "{now1}"\n} -> stay\nwhen bells == 9 -> Home',
    }),
    ["  if times == 0 { return bells }\n", ""],
  ),
  e(
    "effect-not-allowed",
    "A change where nothing is changed.",
    "Conditions, functions and laws only look. To look at the next of a list without taking it, use first or last.",
    frame({
      top: "data { line: list of seat = [ann, ann] }",
      turn: "action serve { line.takeLast() } -> stay\nwhen not line.empty and line.take() == ann -> Home",
    }),
    ["not line.empty and line.take() == ann", "line.size == 1"],
  ),
  e(
    "not-raisable",
    "Raising what the machine does not raise.",
    "Joined and Left come from the system, events from the game. For something the machine itself announces " +
      "declare a signal.",
    frame({ top: "event Landed()", turn: "on Landed -> Home\naction land { raise Landed() } -> stay" }),
    ["  action land { raise Landed() } -> stay\n", ""],
  ),
  w(
    "unreachable-state",
    "A state that no match comes to.",
    "Either no arrow leads to it, or the conditions on every way can never hold.",
    frame({ rest: "state Rest { after 1m -> Turn }" }),
    ["  action leave -> Home", "  action rest -> Rest\n  action leave -> Home"],
  ),
  w(
    "unreachable-ending",
    "An ending that no match comes to.",
    "Either no arrow leads to it, or the conditions on every way can never hold.",
    frame({ rest: "ending Lost { loses ann }" }),
    ["  action leave -> Home", "  action drop -> Lost\n  action leave -> Home"],
  ),
  w(
    "no-way-out",
    "A state that nothing leads out of, and that is no ending.",
    "A match that comes here stays for ever. Give it an arrow that leaves it, or make it an ending.",
    frame({
      top: BELLS,
      turn: "action tower -> Tower",
      rest:
        'state Tower {\n  turn of ann\n  action ring { bells += 1 } -> stay\n  action look { note "{bells}" } ' +
        "-> stay\n}",
    }),
    ['look { note "{bells}" } -> stay', 'look { note "{bells}" } -> Turn'],
  ),
  w(
    "endless-loop",
    "States that go round without waiting for anybody.",
    "One of them must wait for a turn, a time or an event, or something on the way must change what ends the " +
      "circle. Otherwise the step never ends, and the engine stops it with a fault.",
    frame({
      top: BELLS,
      turn: "action ring { bells += 1 } -> Count",
      rest:
        "state Count {\n  enter -> choose {\n    when bells == 9 -> Home\n    else -> Echo\n  }\n}\n\nstate " +
        'Echo {\n  enter { note "dong" } -> Count\n}',
    }),
    ["-> Count\n}\n\nending", "-> Turn\n}\n\nending"],
  ),
  w(
    "endless-wait",
    "A wait that nothing can end.",
    "The state waits for a condition, and nothing that happens there changes what the condition asks. Or an " +
      "action asks whether all in play have done something, and nobody asks again when the last one that is missing " +
      "leaves the match. Or everybody makes itself ready, and nothing leads on when all are.",
    frame({
      top: "data { kitesUp: int 0..9 = 2 }",
      turn: "action volley -> Volley\naction cut { kitesUp -= 1 } -> stay",
      rest: "state Volley {\n  when kitesUp == 0 -> Home\n}",
    }),
    ["  when kitesUp == 0 -> Home\n}", "  after each 1s { kitesUp -= 1 }\n  when kitesUp == 0 -> Home\n}"],
  ),
  w(
    "no-time-limit",
    "A state that only an event leads out of.",
    "The game tells of events: an animation has ended, a ball has landed. When the game crashes or a client goes, " +
      "nobody does, and a match that waits for nothing else stands still for ever. Set a limit beside it.",
    frame({
      top: "event Landed()",
      turn: "action throw -> Flight",
      rest: "state Flight {\n  on Landed -> Turn\n}",
    }),
    ["  on Landed -> Turn\n}", "  on Landed -> Turn\n  after 30s -> Turn\n}"],
  ),
  w(
    "late-signal",
    "A signal raised on the way to an ending.",
    "After an ending nothing acts: signals that still wait are dropped, and what their listeners would have done " +
      "does not happen.",
    frame({
      top: `${BELLS}\nsignal Rung()`,
      turn:
        "on Rung { bells += 1 }\naction ring { raise Rung() } -> stay\nwhen bells == 9 -> Home\naction last { " +
        "raise Rung() } -> Home",
    }),
    ["last { raise Rung() }", "last { bells += 1 }"],
  ),
  w(
    "condition-always",
    "A condition that always comes out the same.",
    "Every value that can get here has been looked at. Either the condition is not needed, or something else " +
      "keeps it from ever changing; a text that it asks for may be spelled like nothing else.",
    frame({ top: BELLS, turn: "action ring { bells += 1 } -> stay\nwhen bells > 9 -> Home" }),
    ["bells > 9", "bells == 9"],
  ),
  w(
    "same-either-way",
    "A condition of a choice that decides nothing.",
    "The last branch and the else do the same and lead to the same. One of them was meant to be different, or the " +
      "condition can be left out.",
    frame({
      top: BELLS,
      turn: "action ring { bells += 1 } -> choose {\n  when bells == 9 -> stay\n  else -> stay\n}",
    }),
    ["when bells == 9 -> stay", "when bells == 9 -> Home"],
  ),
  w(
    "same-for-all",
    "A condition on each of several that asks the same of all.",
    "It is there to choose some of them, and says nothing of the one that is looked at: it asks another, whose name " +
      "stands where that one's should.",
    frame({
      top: "data { crew: list of int 0..3 = [2, 2] }",
      turn:
        'action pull(by: int 0..1, down: int 0..1 where crew[by] > 0 else "down already") {\n' +
        "  crew[by] += 1\n  crew[down] -= 1\n} -> stay\nwhen crew[0] == 0 -> Home",
    }),
    ["where crew[by]", "where crew[down]"],
  ),
  w(
    "timer-never-runs",
    "A timer that never runs.",
    "Another timer of the same state leaves it earlier in any case, so this one is cancelled every time.",
    frame({ turn: 'after 2m { note "hurry" }\nafter 1m -> Home' }),
    ["after 2m", "after 30s"],
  ),
  w(
    "branch-never-taken",
    "A branch of a choice that is never taken.",
    "Its condition never holds here, or whenever it holds a branch before it is taken.",
    frame({
      top: BELLS,
      turn:
        'action ring { bells += 1 } -> choose {\n  when bells > 3 -> Home\n  when bells > 6 { note "deaf" } ' +
        "-> Home\n  else -> stay\n}",
    }),
    [
      'when bells > 3 -> Home\n    when bells > 6 { note "deaf" } -> Home',
      'when bells > 6 { note "deaf" } -> Home\n    when bells > 5 -> Home',
    ],
    ["bells > 6", "bells > 5"],
    ["    when bells > 5 -> Home\n", ""],
  ),
  w(
    "endings-overlap",
    "Two endings that can hold at once.",
    "Both conditions can hold in one situation, the message shows one, and only the order of the branches decides " +
      "who has won. Give the case a branch of its own, first, or let one condition exclude the other.",
    frame({
      seats: "ann, ben",
      top: "data { lift per seat: int 0..9 = 5 }",
      turn: "action clash { for s in seats { lift[s] -= 1 } } -> Judge",
      rest:
        "state Judge {\n  enter -> choose {\n    when lift[ann] == 0 -> Won(ben)\n    when lift[ben] == 0 -> " +
        "Won(ann)\n    else -> Turn\n  }\n}\n\nending Won(winner: seat) { wins winner  loses others }",
    }),
    [
      "    when lift[ann] == 0 -> Won(ben)\n    when",
      "    when lift[ann] == 0 and lift[ben] == 0 -> Home\n    when lift[ann] == 0 -> Won(ben)\n    when",
    ],
  ),
  w(
    "change-outside-phase",
    "Data changed where a law forbids it.",
    "A law says in which states the datum changes; this write happens in another.",
    `${frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: "action tower -> Tower\naction ring { bells += 1 } " + "-> stay",
      rest: "state Tower {\n  turn of ann\n  action toll { bells += 1 } -> Turn\n  when bells == 9 -> " + "Home\n}",
    })}law "bells ring in the tower": bells changes only in Tower\n`,
    ["  action ring { bells += 1 } -> stay\n", ""],
  ),
  w(
    "law-broken",
    "A law that the text itself breaks.",
    "An arrow enters a state from where it may not be entered, or a condition can never hold in some state. The " +
      "match would stop there with a fault.",
    `${frame({
      turn: "action climb -> Stairs\naction jump -> Tower",
      rest: "state Stairs {\n  turn of ann\n  " + "action up -> Tower\n}\n\nstate Tower { after 1m -> Home }",
    })}law "by the stairs": Tower entered only from Stairs\n`,
    ["  action jump -> Tower\n", ""],
  ),
];
