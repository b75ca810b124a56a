/**
 * Running machines: begin, step, what is open, what a seat sees. `@zany/core/engine`: a compiled machine comes in as
 * JSON, and neither the parser nor the checker is in what a game ships.
 */

export type { Machine } from "../check/machine.js";
export { type Measure, valuesOf } from "../engine/matches/measure.js";
export { fromPortable, type PortableMachine, toPortable } from "../check/portable.js";
export { type BeginOptions, begin } from "../engine/matches/begin.js";
export type { Deadline } from "../engine/matches/deadlines.js";
export { COMPILED_FORMAT, compiledText, NotCompiled, readCompiled } from "../engine/matches/compiled.js";
export type { Given, GivenDatum } from "../engine/matches/given.js";
export { runTests, type TestResult } from "../engine/matches/machine-tests.js";
export type { RunResult } from "../engine/matches/one-input.js";
export { restore } from "../engine/matches/restore.js";
export type { ActionOption, EventOption, ParameterOption, ValueOption } from "../engine/matches/options.js";
export { type Moment, run } from "../engine/matches/run.js";
export { Runnable } from "../engine/matches/runnable.js";
export { seenFault } from "../engine/matches/seen-fault.js";
export { type StepOptions, type StepResult, step } from "../engine/matches/step.js";
export {
  TRACE_FORMAT,
  type Trace,
  type TracedChange,
  type TracedTimer,
  traceBegin,
  traceStep,
} from "../engine/matches/trace.js";
export type { Recorded, RecordedKind } from "../engine/code/recorder.js";
export {
  canBeLeft,
  dataSize,
  events,
  keepsSecrets,
  options,
  type SeatStatus,
  seatsNow,
  seenDue,
  turnOf,
  type View,
  type ViewField,
  view,
} from "../engine/matches/view.js";
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
} from "../engine/situation/situation.js";
export type { Arguments } from "../engine/values/json.js";
export { type Change, changesBetween, situationJson } from "../engine/situation/situation-json.js";
export { RunningDigest, sha256Hex } from "../engine/values/hash.js";
export { isCell, isWellFormed, type Json, WrongValue } from "../engine/values/json.js";
