/** Zany Compass, the core: language, checker, engine, logbook, search. Runs in Node and in browsers. */

// ---- from text to machine ------------------------------------------------------------------------

export type { Machine } from "./check/machine.js";
export { descriptionOf } from "./language/description.js";
export { fromPortable, type PortableMachine, toPortable } from "./check/portable.js";
export { type Compilation, type CompileOptions, compile, type FindPart } from "./compile.js";
export { format } from "./language/format.js";
export { applyFixes } from "./language/fix.js";
export { type Fix, type Message, renderMessage, type Severity } from "./language/message.js";
export { type Place, Sources } from "./language/source.js";
export { nearest } from "./language/suggest.js";
export { KINDS } from "./explain/kinds.js";
export { MISTAKES } from "./explain/mistakes.js";
export { pageOf } from "./explain/page.js";
export { colourOf, type WordColour } from "./editing/colours.js";
export { dumpCode, dumpMachine, dumpTokens, dumpTree } from "./editing/dump.js";
export { textMateGrammar } from "./editing/grammar.js";
export {
  type Asked,
  type Completions,
  compiled,
  completions,
  definitions,
  type FileSpan,
  type Hover,
  hover,
  references,
  rename,
  type Signature,
  signatureHelp,
} from "./editing/editing.js";
export type { Completion } from "./editing/expected.js";

// ---- playing -------------------------------------------------------------------------------------

export { type BeginOptions, begin } from "./engine/matches/begin.js";
export type { Given, GivenDatum } from "./engine/matches/given.js";
export { runTests, type TestResult } from "./engine/matches/machine-tests.js";
export type { RunResult } from "./engine/matches/one-input.js";
export { restore } from "./engine/matches/restore.js";
export type { ActionOption, EventOption, ParameterOption, ValueOption } from "./engine/matches/options.js";
export { type Moment, run } from "./engine/matches/run.js";
export { Runnable } from "./engine/matches/runnable.js";
export { seenFault } from "./engine/matches/seen-fault.js";
export { type StepOptions, type StepResult, step } from "./engine/matches/step.js";
export {
  canBeLeft,
  dataSize,
  events,
  options,
  type SeatStatus,
  seatsNow,
  seenDue,
  turnOf,
  type View,
  type ViewField,
  view,
} from "./engine/matches/view.js";
export {
  type ClampRecord,
  type FaultReport,
  type Input,
  type NoteRecord,
  nextTimer,
  type Outcome,
  type Refusal,
  type RollRecord,
  type SeatResult,
  type Situation,
  type StepHappenings,
  type Taken,
} from "./engine/situation/situation.js";
export type { Arguments } from "./engine/values/json.js";
export { type Change, changesBetween, situationJson } from "./engine/situation/situation-json.js";
export { RunningDigest, sha256Hex } from "./engine/values/hash.js";
export { isCell, type Json, WrongValue } from "./engine/values/json.js";

// ---- matches written down ------------------------------------------------------------------------

export { canonicalJson } from "./logbook/canonical.js";
export {
  type ClosingLine,
  DIGEST_EVERY,
  type Header,
  type LineClamp,
  type LineInput,
  type LineNote,
  type LineRoll,
  type LineSignal,
  LOGBOOK_FORMAT,
  type StepLine,
  timeText,
} from "./logbook/format.js";
export { type Logbook, NotALogbook, readLogbook } from "./logbook/read.js";
export { beginOptions, type Difference, inputFrom, type ReplayedStep, Replayer } from "./logbook/replay.js";
export { seenHeader, seenLine } from "./logbook/seen.js";
export { splitLines, type Verdict, verify, verifyText } from "./logbook/verify.js";
export { inputInWords, noteInWords, signalInWords, valueInWords } from "./logbook/words.js";
export { closingLine, headerOf, LogbookWriter, situationDigest, stepLine } from "./logbook/write.js";

// ---- bots and counting ---------------------------------------------------------------------------

export { makeBot, policyNames, RANDOM_BOT, wrongBot } from "./search/bot.js";
export type { Player } from "./search/player.js";
export { RandomGame } from "./search/random-game.js";
export { RandomPlayer } from "./search/random-player.js";
export {
  addTallies,
  BadSimulation,
  ENDLESS,
  FAULTY,
  STUCK,
  type SimulateOptions,
  simulate,
  type Tally,
} from "./search/simulate.js";

// ---- as people see and type it -------------------------------------------------------------------

export { type BoardCell, boardOf, isOnBoard, type Piece } from "./formats/board.js";
export { type Diagram, diagramOf, focusDiagram, foldDiagram } from "./formats/diagram.js";
export { dotOf } from "./formats/dot.js";
export { BadGiven, givenFrom, valueFrom } from "./formats/given.js";
export { type OutlineItem, outlineOf, stateAt } from "./formats/outline.js";
export { type LayoutNode, layoutGraph, placesOf } from "./formats/layout.js";
export { type Palette, type PictureOptions, type Shape, shapesOf, svgOf } from "./formats/picture.js";
export { type Chapter, chaptersOf } from "./formats/story.js";
export { type Table, type TableCell, type TableRow, tableCsv, tableOf } from "./formats/table.js";

// ---- local matches -------------------------------------------------------------------------------

export { nameOf, type ViewChange, viewChanges } from "./formats/changes.js";
export { quoted, valueText } from "./formats/value-text.js";
export {
  type AskedSeat,
  CannotBegin,
  LocalMatch,
  type LocalOptions,
  NoSuchBot,
  type Own,
} from "./local/local-match.js";
export { diceFrom, type Departure, Trial, type TrialSource } from "./local/trial.js";
export { matchTest } from "./local/match-test.js";
export type { Typed } from "./local/typed-line.js";
export { type Waiting, waiting } from "./local/waiting.js";
