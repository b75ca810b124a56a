/** The mistakes that turn flow is made of, each with the kinds of messages that catch it. */

export const MISTAKES: readonly (readonly [string, readonly string[]])[] = [
  [
    "a name, signal, state, field or action misspelt or wrongly capitalised",
    [
      "unknown-value",
      "unknown-field",
      "unknown-state",
      "unknown-signal",
      "unknown-effect",
      "unknown-action",
      "unknown-argument",
      "unknown-type",
      "unknown-seat",
      "unknown-refusal",
      "unknown-message",
      "unknown-key",
    ],
  ],
  ["text and number mixed; a type that does not fit", ["wrong-type", "wrong-arguments", "not-assignable"]],
  [
    "a state no path reaches; a state no path leaves that is no ending; an ending nothing reaches",
    ["unreachable-state", "no-way-out", "unreachable-ending"],
  ],
  [
    "a choice without an else; a branch that can never be taken; two branches that hold at once where order decides",
    ["choice-without-else", "branch-never-taken", "same-either-way", "else-not-last", "endings-overlap"],
  ],
  ["two endings that can hold at once", ["endings-overlap"]],
  ["an ending that gives some seat no result", ["seat-without-result"]],
  [
    "a signal never heard, a listener never called, data never read, data never set, an action never open",
    [
      "unheard-signal",
      "unraised-signal",
      "timer-never-runs",
      "unread-data",
      "unset-data",
      "never-open",
      "unused-declaration",
    ],
  ],
  [
    "a flag set and never cleared; battle data that outlives the battle",
    ["flag-never-cleared", "outlives-state", "stale-choice"],
  ],
  [
    "an amount that can be negative; a value that can leave its limits",
    ["negative-amount", "always-clamped", "unpaid-cost", "list-may-be-full"],
  ],
  ["somebody's turn, but every action can be closed at once", ["no-open-action"]],
  ["a loop of states that never waits for anyone", ["endless-loop"]],
  [
    "a fallen seat, or one that is out, that can still get the turn",
    ["fallen-on-turn", "fallen-acts", "out-on-turn", "leaver-wins"],
  ],
  ["a wait whose condition nothing in that state can make true", ["endless-wait", "no-time-limit"]],
  ["something that can still act or change data after an ending", ["late-signal"]],
  ["private data that can leak to another seat", ["secret-leak", "open-choice", "shown-roll", "public-roll"]],
  [
    "a roll on entering that fires again at every re-entry; a buff undone by a constant over the base",
    ["roll-again-for-nothing", "constant-over-base"],
  ],
  [
    "data set only on a path that may not have been taken; data changed outside its phase",
    ["may-be-unset", "may-be-none", "change-outside-phase", "law-broken"],
  ],
  [
    "a queue tested for empty that nothing takes from; two seats holding a turn meant for one; a turn nobody holds",
    ["queue-never-emptied", "several-on-turn", "turn-decides-nothing", "nobody-on-turn", "turn-never-passed"],
  ],
  ["an order by a value that can be equal, with no stated rule", ["undecided-ties"]],
  ["an else nobody wrote for an invalid choice", ["missing-reason", "choice-without-else"]],
  ["a condition always true or false, or that asks the same of all", ["condition-always", "same-for-all"]],
  [
    "a fault in the middle of a step",
    ["may-divide-by-zero", "index-may-miss", "list-may-be-empty", "may-be-none", "roll-empty"],
  ],
];
