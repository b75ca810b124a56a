/** Zany Compass, the core: language, checker, engine. Runs in Node and in browsers. */

export type { Machine } from "./check/machine.js";
export { type Compilation, compile, type FindPart } from "./compile.js";
export { format } from "./language/format.js";
export { type Message, renderMessage, type Severity } from "./language/message.js";
export { type Place, Sources } from "./language/source.js";
export type { ActionOption, Arguments, ParameterOption, ValueOption } from "./engine/acting.js";
export { type BoardCell, boardOf, isCell } from "./engine/board.js";
export { runTests, type TestResult } from "./engine/machine-tests.js";
export { type BeginOptions, begin, type Moment, options, Runnable, type RunResult, run, type StepResult, step, type View, type ViewField, view } from "./engine/play.js";
export type { Override } from "./engine/pointer.js";
export type { DrawRecord, FaultReport, Input, NoteRecord, Outcome, Refusal, SeatResult, Situation, StepHappenings, StopRecord, Taken } from "./engine/situation.js";
export { type Change, changesBetween, situationJson } from "./engine/situation-json.js";
export type { Json } from "./engine/values.js";
export { canonicalJson } from "./logbook/canonical.js";
export { type ClosingLine, DIGEST_EVERY, type Header, LOGBOOK_FORMAT, type LineDraw, type LineInput, type LineNote, type StepLine, timeText } from "./logbook/format.js";
export { type Logbook, NotALogbook, readLogbook } from "./logbook/read.js";
export { beginOptions, type Difference, inputFrom, type ReplayedStep, Replayer } from "./logbook/replay.js";
export { splitLines, type Verdict, verify, verifyText } from "./logbook/verify.js";
export { closingLine, headerOf, LogbookWriter, situationDigest, stepLine } from "./logbook/write.js";
export { RandomPlayer } from "./search/random-player.js";
export { RunningDigest, sha256Hex } from "./engine/hash.js";
export { seenHeader, seenLine } from "./logbook/seen.js";
export { type Diagram, type DiagramEdge, type DiagramNode, diagramOf } from "./formats/diagram.js";
export { inputInWords, noteInWords, valueInWords } from "./logbook/words.js";
export { addTallies, BadSimulation, ENDLESS, FAULTY, STUCK, simulate, type SimulateOptions, type Tally } from "./search/simulate.js";
