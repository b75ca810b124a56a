/** Zany Compass, the core: language, checker, engine. Runs in Node and in browsers. */

export type { Machine } from "./check/machine.js";
export { type Compilation, type CompileOptions, compile, type FindPart } from "./compile.js";
export {
  type Asked,
  type Completion,
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
export { BadGiven, givenFrom, valueFrom } from "./formats/given.js";
export { type OutlineItem, outlineOf } from "./formats/outline.js";
export { format } from "./language/format.js";
export { pageOf } from "./explain/page.js";
export { MISTAKES } from "./explain/mistakes.js";
export { KINDS } from "./explain/kinds.js";
export { type Fix, type Message, renderMessage, type Severity } from "./language/message.js";
export { applyFixes } from "./language/fix.js";
export { type Place, Sources } from "./language/source.js";
export type { ActionOption, Arguments, ParameterOption, ValueOption } from "./engine/acting.js";
export { type BoardCell, boardOf, isCell, isOnBoard, type Piece } from "./engine/board.js";
export { runTests, type TestResult } from "./engine/machine-tests.js";
export { options, type EventOption, events, type View, type ViewField, view } from "./engine/looking.js";
export {
  type BeginOptions,
  type Given,
  begin,
  type Moment,
  Runnable,
  type RunResult,
  run,
  type StepResult,
  step,
} from "./engine/play.js";
export type { GivenDatum } from "./engine/pointer.js";
export type {
  RollRecord,
  FaultReport,
  Input,
  NoteRecord,
  Outcome,
  Refusal,
  SeatResult,
  Situation,
  StepHappenings,
  ClampRecord,
  Taken,
} from "./engine/situation.js";
export { type Change, changesBetween, situationJson } from "./engine/situation-json.js";
export type { Json } from "./engine/values.js";
export { canonicalJson } from "./logbook/canonical.js";
export {
  type ClosingLine,
  DIGEST_EVERY,
  type Header,
  LOGBOOK_FORMAT,
  type LineRoll,
  type LineInput,
  type LineNote,
  type LineSignal,
  type LineClamp,
  type StepLine,
  timeText,
} from "./logbook/format.js";
export { type Logbook, NotALogbook, readLogbook } from "./logbook/read.js";
export { beginOptions, type Difference, inputFrom, type ReplayedStep, Replayer } from "./logbook/replay.js";
export { splitLines, type Verdict, verify, verifyText } from "./logbook/verify.js";
export { closingLine, headerOf, LogbookWriter, situationDigest, stepLine } from "./logbook/write.js";
export { policyNames, makeBot, RANDOM_BOT } from "./search/bot.js";
export type { Player } from "./search/player.js";
export { RandomGame } from "./search/random-game.js";
export { RandomPlayer } from "./search/random-player.js";
export { RunningDigest, sha256Hex } from "./engine/hash.js";
export { seenHeader, seenLine } from "./logbook/seen.js";
export { type Diagram, diagramOf, foldDiagram } from "./formats/diagram.js";
export { dotOf } from "./formats/dot.js";
export { type LayoutNode, layoutGraph, type Palette, type Shape, shapesOf, svgOf } from "./formats/picture.js";
export { type Table, type TableCell, type TableRow, tableCsv, tableOf } from "./formats/table.js";
export { inputInWords, noteInWords, signalInWords, valueInWords } from "./logbook/words.js";
export {
  addTallies,
  BadSimulation,
  ENDLESS,
  FAULTY,
  STUCK,
  simulate,
  type SimulateOptions,
  type Tally,
} from "./search/simulate.js";
