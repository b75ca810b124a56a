/** Kinds of messages about turns, seats and what they may see. */

import { frame, kind, type Kind } from "./kind.js";

const w = (
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind => kind("warning", name, title, about, triggers, ...fix);

const DUEL = `machine Duel
seats ann, ben

data {
  lift per seat: int 0..9 = 5
  onTurn: seat = ann
}

on Left(s) -> Won(next(s))

start Turn

state Turn {
  turn of onTurn
  action strike { lift[next(me)] -= roll(1..3) } -> Judge
  action shove { lift[next(me)] -= 1 } -> Pass
}

state Pass {
  enter { onTurn = next(onTurn) } -> Turn
}

state Judge {
  enter -> choose {
    when lift[next(onTurn)] == 0 -> Won(onTurn)
    else { onTurn = next(onTurn) } -> Turn
  }
}

ending Won(winner: seat) { wins winner  loses others }
`;

export const TURNS: readonly Kind[] = [
  w(
    "no-open-action",
    "Somebody has the turn, and every action can be closed.",
    "The match would be stuck. The message shows when: give the state an action that is always open, or lead on " +
      "when nothing is left to do.",
    frame({
      top: "data { tape: int 0..3 = 3 }",
      turn: 'action mend needs tape > 0 else "no tape left" { tape -= 1 } -> stay',
    }).replace("  action leave -> Home\n}", '  action leave needs tape > 0 else "no tape left" -> Home\n}'),
    [' needs tape > 0 else "no tape left" -> Home', " -> Home"],
  ),
  w(
    "never-open",
    "An action that nobody can ever take.",
    "Its conditions never hold where it stands, nobody has the turn there, or there is never a value for its " +
      "arguments.",
    frame({
      top: "data { tape: int 0..3 = 0 }",
      turn: 'action mend needs tape > 3 else "no tape left" { tape -= 1 } -> stay\naction buy { tape += 1 } -> stay',
    }),
    ["tape > 3", "tape > 0"],
  ),
  w(
    "turn-decides-nothing",
    'A turn in a state in which every action has a "by".',
    '"by SEATS" stands in place of the turn, it does not add to it: such an action is open whoever has the turn. ' +
      "Where each of several seats has actions of its own, ask in their conditions who acts.",
    DUEL.replace(
      "  action strike { lift[next(me)] -= roll(1..3) } -> Judge\n  action shove { lift[next(me)] -= 1 } -> Pass",
      "  action strike by ann { lift[ben] -= roll(1..3) } -> Judge\n  action shove by ben { lift[ann] -= 1 } -> Judge",
    ).replace(/state Pass \{[^}]*\{[^}]*\}[^}]*\}\n\n/, ""),
    ["action strike by ann {", 'action strike needs me == ann else "ben shoves" {'],
    ["action shove by ben {", 'action shove needs me == ben else "ann strikes" {'],
  ),
  w(
    "nobody-on-turn",
    "A turn that nobody may hold.",
    "The list of those who may act can be empty, or the seat can be none, and nothing else leads on: the match " +
      "waits for ever.",
    frame({
      seats: "ann, ben",
      top: "data { called: list max 1 of seat }",
      turn: "action call(who: seat) { called = [who] } -> Answer\naction hush { called.clear() } -> Answer",
      rest: "state Answer {\n  turn of called\n  action reply -> Turn\n}",
    }),
    ["  turn of called\n", "  turn of called\n  when called.empty -> Turn\n"],
  ),
  w(
    "several-on-turn",
    "A turn meant for one that several can hold.",
    "Any seat in the list may act, and whoever is first takes it. Say which one, or `turn of each` when all of " +
      "them are meant.",
    frame({
      seats: "ann, ben",
      top: "data {\n  lift per seat: int 1..6 = 1\n  flown: int 0..30 = 0\n}",
      rest:
        "state Wind {\n  enter { for s in seats { lift[s] = roll(1..6) } } -> Launch\n}\n\n" +
        "state Launch {\n  when flown == 30 -> Home\n" +
        "  turn of filter(s in seats where all(o in seats: lift[o] <= lift[s]))\n" +
        "  action launch { flown += lift[me] } -> Wind\n" +
        "  action stop -> Home\n  after 1m -> Home\n}",
      turn: "action begin -> Wind",
    }),
    ["filter(s in seats where all(o in seats: lift[o] <= lift[s]))", "maxBy(s in seats: lift[s] ties inOrder)"],
  ),
  w(
    "fallen-on-turn",
    "A fallen seat that can still get the turn.",
    "A stat at 0 ends the match elsewhere, but here the seat on turn can have it at 0: the fallen strikes back. " +
      "Lead every action through the state that decides.",
    DUEL,
    ["-> Pass\n", "-> Judge\n"],
    ["state Pass {\n  enter { onTurn = next(onTurn) } -> Turn\n}\n\n", ""],
  ),
  w(
    "fallen-acts",
    "Something fallen that still acts.",
    "Whether all units of a list have fallen decides an ending, so those with nothing left are out; but where " +
      "each of them does something, nobody asks whether it stands. The last one to fall goes on biting.",
    frame({
      top:
        "type Gull { hunger: int 0..9 = 3  beak: int 1..3 = 1 }\n\ndata { gulls: list of Gull = [Gull(), " +
        "Gull(beak: 2)]  buns: int 0..20 = 20 }",
      turn:
        'action feed(i: int in gulls.indices where gulls[i].hunger > 0 else "it is full") needs buns > 0 else ' +
        '"no buns left" { gulls[i].hunger -= 2 } -> Peck',
      rest:
        "state Peck {\n  enter {\n    for g in gulls { buns -= g.beak }\n  } -> choose {\n    when all(g in " +
        "gulls: g.hunger == 0) -> Home\n    else -> Turn\n  }\n}",
    }),
    ["for g in gulls {", "for g in gulls where g.hunger > 0 {"],
  ),
  w(
    "turn-never-passed",
    "A turn that always stays with one seat.",
    "The turn is read from a datum that nothing ever writes, or from an argument that every arrow gives the same " +
      "seat, and no other state gives anybody a turn, but where everybody acts at once: only one seat ever plays. " +
      "Giving up, or answering an offer, out of turn is no turn.",
    frame({
      seats: "ann, ben",
      top: "data { onTurn: seat = ann  bells: int 0..9 = 0 }",
      turn: "action ring { bells += 1 } -> stay\nwhen bells == 9 -> Home",
    }).replace("turn of ann", "turn of onTurn"),
    ["bells += 1 }", "bells += 1  onTurn = next(me) }"],
  ),
  w(
    "out-on-turn",
    "A turn that is nobody's once its seat has left.",
    "A seat that leaves falls out of its turn. Say once for the whole machine what happens then, or give the " +
      "state a time. A machine that hears `Left` nowhere cannot be left at all. A seat that was eliminated must " +
      "not get " +
      "the turn again, though the time may lead on: everybody would wait for nobody.",
    frame({
      seats: "ann, ben",
      turn: "on Left(s) -> Home\naction climb -> Tower",
      rest: "state Tower {\n  turn of ben\n  action ring -> Turn\n}",
    }).replace("on Left(s) -> Home\n\nstart", "start"),
    ["start Turn\n", "on Left(s) -> Home\n\nstart Turn\n"],
  ),
  w(
    "leaver-wins",
    "A seat that leaves, and wins by it.",
    "`Left(s)` tells who has left; an ending that is given the same seat as its winner rewards it. Name another, or " +
      "lead to an ending that it loses.",
    frame({
      seats: "ann, ben",
      top: "data { bells: int 0..9 = 0 }",
      turn: "action ring { bells += 1 } -> choose {\n  when bells == 9 -> Rung(me)\n  else -> stay\n}",
      rest: "ending Rung(winner: seat) { wins winner  loses others }",
    }).replace("start Turn", "on Left(s) -> Rung(s)\n\nstart Turn"),
    ["-> Rung(s)", "-> Rung(next(s))"],
  ),
  w(
    "undecided-ties",
    "An order by a value that can be equal.",
    "Say which of the equal ones comes first: `ties inOrder`, as they stand in the list, or `ties byLot`. Then " +
      "every engine, and every reader, agrees.",
    frame({
      seats: "ann, ben",
      top: "data {\n  pace per seat: int 0..9 = 5\n  first: seat = ann\n}",
      turn:
        "action race {\n  for s in seats { pace[s] = roll(1..6) }\n  first = maxBy(s in seats: pace[s])\n} -> " +
        "stay\nwhen first == ben -> Home",
    }),
    ["pace[s])\n", "pace[s] ties byLot)\n"],
  ),
  w(
    "missing-reason",
    "A closed action, or a value refused, without a reason.",
    'The player would only see that it cannot be done. Behind the condition stands why: else "...".',
    frame({ top: "data { tape: int 0..3 = 3 }", turn: "action mend needs tape > 0 { tape -= 1 } -> stay" }),
    ["needs tape > 0", 'needs tape > 0 else "no tape left"'],
  ),
  w(
    "secret-leak",
    "Private or hidden data that others get to see.",
    "What a seat sees alone, or nobody, shows though nobody chose to show it: by itself in a state where somebody " +
      "has the turn, through a sealed action, through whose turn it is, through the choices and reasons of " +
      "another, or in a note that says `you` to one and is read by everybody. " +
      "What an action shows openly, and what a phase without a turn opens, is meant to be seen.",
    frame({
      seats: "ann, ben",
      top: "data { private hand per seat: list of int = [3, 5] }",
      turn: 'enter { note "{hand[ann]}" }\naction show { note "{hand[me]}" } -> stay',
    }),
    ['enter { note "{hand[ann]}" }', 'enter { note to ann "{hand[ann]}" }'],
  ),
  w(
    "shown-roll",
    "A secret roll that everybody sees.",
    "Private and hidden dice are for what not everybody may see. What they roll is written to public data here, " +
      "so it " +
      "is no secret: either the data were meant to be private or hidden, or the dice were meant to be plain ones.",
    frame({
      seats: "ann, ben",
      top: "data { drawn: int 0..6 = 0 }\nhidden dice deal",
      turn: 'action draw { drawn = deal.roll(1..6) } -> stay\naction look { note "{drawn}" } -> stay',
    }),
    ["data { drawn", "data { hidden drawn"],
  ),
  w(
    "open-choice",
    "A secret that is chosen openly.",
    "What is given to an action is shown to everybody, unless the action is sealed; kept in private data it is no " +
      "secret any more. Of several sealed actions, what one of them alone leaves behind for all to see tells " +
      "which was taken.",
    frame({
      seats: "ann, ben",
      top: "data { private pea per seat: int 0..3 = 0 }",
      turn: 'action hide(under: int 0..3) { pea[me] = under } -> stay\naction show { note "{pea[me]}" } -> stay',
    }),
    ["action hide", "sealed action hide"],
  ),
  w(
    "stale-choice",
    "A choice that counts again the next time.",
    "In a round in which everyone chooses, a seat can be passed over: it gives its part up, or its time runs out. " +
      "Where nothing takes back what it chose the last time, that counts once more.",
    `machine Votes
seats ann, ben, cid

data {
  private vote per seat: seat?
  rounds: int 0..9
}

on Left(s) -> Home

start Choose

state Choose {
  turn of each inPlay
  enter { rounds += 1 }
  sealed action name1(who: seat in others) { vote[me] = who } -> ready
  when all ready -> Count
  after 1m -> Count
}

state Count {
  enter { note "ann has {count(s in inPlay where vote[s] == ann)}" } -> choose {
    when rounds == 9 -> Home
    else -> Choose
  }
}

ending Home { draws all }
`,
    ["enter { rounds += 1 }", "enter {\n    rounds += 1\n    for s in seats { vote[s] = none }\n  }"],
  ),
  kind(
    "error",
    "public-roll",
    "A secret that is rolled with dice that everybody sees.",
    "Rolls of plain dice are shown to everybody, in the match and in its logbook. What only one seat may see, or " +
      "nobody, and what a sealed action rolls, comes from dice of its own: `private dice NAME` has a stream for each " +
      "seat, whose rolls that seat sees, `hidden dice NAME` one that nobody sees before the match is over.",
    frame({
      seats: "ann, ben",
      top: "data { private hand per seat: int 0..6 = 0 }",
      turn: 'action roll1 {\n  hand[me] = roll(1..6)\n  note to me "a {hand[me]}"\n} -> stay',
    }),
    ["data {", "private dice palm\n\ndata {"],
    ["= roll(", "= palm.roll("],
  ),
];
