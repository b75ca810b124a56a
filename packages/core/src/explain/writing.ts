/** Kinds of messages about the writing itself: braces, quotes, numbers, words. */

import { frame, kind, type Kind } from "./kind.js";

const e = (
  name: string,
  title: string,
  about: string,
  triggers: string,
  ...fix: readonly (readonly [string, string])[]
): Kind => kind("error", name, title, about, triggers, ...fix);

export const WRITING: readonly Kind[] = [
  e(
    "syntax",
    "The text cannot be read here.",
    "Something stands where the language expects something else. The message says what was found and what would " +
      "fit; reading goes on behind it, so one such mistake hides no other.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: "action ring { bells += = 1 } -> stay\nwhen bells == 9 -> Home",
    }),
    ["+= = 1", "+= 1"],
  ),
  e(
    "bad-character",
    "A character that means nothing.",
    "The language is written with letters, digits and a few signs; anything else belongs into a text in quotes or " +
      "a comment.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: "action ring { bells += 1 @ } -> stay\nwhen bells == 9 -> Home",
    }),
    ["1 @", "1"],
  ),
  e(
    "other-language",
    "Something that other languages write so.",
    "Signs, words, types and names that people bring along. The message says how it is written here; reading goes " +
      "on as if that stood there.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: "action ring { bells++ } -> stay\nwhen bells == 9 && true -> Home",
    }).replace("bells++", "bells += 1"),
    ["bells == 9 && true", "bells == 9"],
  ),
  e(
    "bad-number",
    "A number that cannot be read.",
    "Whole numbers go up to 2^53 - 1, so that every engine computes the same; durations end in ms, s, m, h or d.",
    frame({ turn: "after 5min -> Home" }),
    ["5min", "5m"],
  ),
  e(
    "bad-escape",
    "A backslash before a character that needs none.",
    'A text knows \\n, \\" and \\\\; every other character stands for itself, and a brace is written twice.',
    frame({ turn: 'enter { note "tape\\tand kites" }' }),
    ["\\t", " "],
  ),
  e(
    "unclosed-text",
    "A text without its closing quote.",
    "A text ends on the line on which it begins. For a line break inside it write \\n.",
    frame({ turn: 'enter { note "a gale is coming }' }),
    ["coming }", 'coming" }'],
  ),
  e(
    "missing-brace",
    'A "}" is missing.',
    "A body is still open where something begins that cannot stand in it. The message points at the place where " +
      "the lines say that the brace belongs.",
    frame({ turn: "action pause -> Rest", rest: "state Rest {\n  after 1m -> Turn\n" }).replace(
      "  action leave -> Home\n}",
      "  action leave -> Home",
    ),
    ["action leave -> Home", "action leave -> Home\n}"],
    ["after 1m -> Turn\n", "after 1m -> Turn\n}"],
  ),
  e(
    "extra-brace",
    'A "}" that closes nothing.',
    "Remove it, or look above for a body that was closed too early.",
    `${frame({})}}\n`,
    ["ann }\n}", "ann }"],
  ),
  e(
    "reserved-word",
    "A word of the language used as a name.",
    "Words that begin a declaration or an item cannot be names, so that a lost brace can be found where it is missing.",
    frame({
      top: "data { bells: int 0..9 = 0  raise: int 0..9 = 0 }",
      turn: "action ring { bells += 1 } -> stay\nwhen bells == 9 -> Home",
    }),
    ["  raise: int 0..9 = 0 }", " }"],
  ),
  e(
    "built-in-name",
    "A name that the language has given a meaning.",
    "Built-in names such as me, seats, next or max mean the same everywhere; a declaration needs a name of its own.",
    frame({ top: "data { next: int 0..9 = 0 }", turn: "action ring { next += 1 } -> stay\nwhen next == 9 -> Home" }),
    ["{ next:", "{ place:"],
    ["next += 1", "place += 1"],
    ["when next", "when place"],
  ),
  e(
    "too-deep",
    "Nested deeper than can be read.",
    "Expressions and blocks nest up to 120 levels, and up to 500 terms, members or branches follow each other. " +
      "Long before that a function or an effect of its own is easier to read.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: `action ring { bells += ${"(".repeat(130)}1${")".repeat(130)} } -> stay\nwhen bells == 9 -> Home`,
    }),
    ["(".repeat(130), ""],
    [")".repeat(130), ""],
  ),
  e(
    "too-large",
    "More than a machine may hold.",
    "Machines, grids, steps and texts have limits, so that a machine from anybody can be hosted. The message " +
      "names the limit.",
    frame({
      top: "data { sea: grid 2000 by 10 of bool }",
      turn: "action drop { sea[cell(0, 0)] = true } -> stay\nwhen sea[cell(0, 0)] -> Home",
    }),
    ["2000", "20"],
  ),
  e(
    "else-not-last",
    "Something stands behind the else of a choice.",
    "The first branch that holds is taken, and else always holds: what stands behind it is never reached.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: "action ring { bells += 1 } -> choose {\n  else -> stay\n  when bells == 9 -> Home\n}",
    }),
    ["    else -> stay\n    when bells == 9 -> Home", "    when bells == 9 -> Home\n    else -> stay"],
  ),
  e(
    "unknown-file",
    "An included file that is not there.",
    "Paths are meant from the folder of the file that includes.",
    frame({}).replace("seats ann", 'include "shared/kites.zany"\nseats ann'),
    ['include "shared/kites.zany"\n', ""],
  ),
  kind(
    "warning",
    "unknown-message",
    "An accept for a message that does not exist.",
    "accept names a message by its stable name, as in the headline of the message.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: 'accept condition-allways "rung for luck"\nwhen bells == 9 -> Home\naction ring { bells += 1 } -> stay',
    }),
    ['  accept condition-allways "rung for luck"\n', ""],
  ),
  kind(
    "warning",
    "unneeded-accept",
    "An accept where there is nothing to accept.",
    "The line below no longer triggers the message, so the accept would only hide a later mistake.",
    frame({
      top: "data { bells: int 0..9 = 0 }",
      turn: 'accept condition-always "rung for luck"\nwhen bells == 9 -> Home\naction ring { bells += 1 } -> stay',
    }),
    ['  accept condition-always "rung for luck"\n', ""],
  ),
];
