/** A machine made ready to run: all rooms of the engine put together, everything that can be is worked out once. */

import type { Machine } from "../../check/machine.js";
import { Meters } from "./meters.js";
import { Secrecy } from "../../check/secrecy.js";
import { rulesText } from "../../language/rules.js";
import { Code } from "../code/code.js";
import { mayGenerate } from "../code/generator.js";
import type { Probes } from "../code/probes.js";
import { Recorder } from "../code/recorder.js";
import { Memory } from "../situation/memory.js";
import { OFTEN } from "../steps/step-generator.js";
import { Steps } from "../steps/steps.js";
import { sha256Hex } from "../values/hash.js";
import { Admission } from "./admission.js";
import { Deadlines } from "./deadlines.js";
import { Options } from "./options.js";

/** What a typed tree and what is made of it take for each character of the text, about, in bytes. */
const PER_CHARACTER = 200;

/** Make it once and use it for any number of matches. */
export class Runnable {
  readonly #engine: Engine;
  #recording: Engine | undefined;
  #exploring: Engine | undefined;
  #hash: string | undefined;
  #rules: string | undefined;

  /**
   * The machine must have compiled without errors.
   *
   * @param generated run generated code from the first step on, or closures; without it, where the host allows it, what
   * is done often is generated. All do the same
   * @param probes what is listened to, in all matches; then all runs as closures
   */
  constructor(
    readonly machine: Machine,
    generated?: boolean,
    probes?: Probes,
  ) {
    const generates = !probes && (generated ?? mayGenerate());
    this.#engine = new Engine(machine, generates, generated ? 0 : OFTEN, undefined, probes);
  }

  /** SHA-256 of the machine's texts: what its version is known by. */
  get hash(): string {
    return (this.#hash ??= sha256Hex(this.machine.sources.files.map((file) => file.text).join("\u0000")));
  }

  /** SHA-256 of what its texts mean: the same for versions that differ in layout, comments, tests or policies alone. */
  get rules(): string {
    return (this.#rules ??= sha256Hex(rulesText(this.machine.sources.files)));
  }

  /** What it takes in memory, about, in bytes; it grows as it is used, up to a limit. */
  get memory(): number {
    const characters = this.machine.sources.files.reduce((length, { text }) => length + text.length, 0);
    return PER_CHARACTER * characters + this.#engine.memory.configurations.kept;
  }

  /** The engine of a machine, for the functions of this room. */
  static engine(runnable: Runnable): Engine {
    return runnable.#engine;
  }

  /** A second engine for the same situations, which records what it does; made when it is first asked for. */
  static recording(runnable: Runnable): Engine & { readonly recorder: Recorder } {
    runnable.#recording ??= new Engine(runnable.machine, false, OFTEN, runnable.#engine);
    return runnable.#recording as Engine & { readonly recorder: Recorder };
  }

  /**
   * An engine of its own for searches, whose rolls are decided one by one.
   *
   * @param probes what is listened to; an engine that listens is made anew each time
   */
  static exploring(runnable: Runnable, probes?: Probes): Engine {
    if (probes) return new Engine(runnable.machine, mayGenerate(), OFTEN, undefined, probes, true);
    runnable.#exploring ??= new Engine(runnable.machine, mayGenerate(), OFTEN, undefined, undefined, true);
    return runnable.#exploring;
  }
}

/** The rooms of the engine for one machine. */
export class Engine {
  readonly memory: Memory;
  readonly code: Code;
  readonly steps: Steps;
  readonly admission: Admission;
  readonly options: Options;
  /** Records what is done; undefined for an engine that only plays. */
  readonly recorder: Recorder | undefined;
  /** Whether something hears that a seat was left; without that, none can be. */
  readonly canBeLeft: boolean;

  private knownSecrecy: Secrecy | undefined;
  private knownMeters: Meters | undefined;
  private knownDeadlines: Deadlines | undefined;

  constructor(
    readonly machine: Machine,
    generated: boolean,
    after: number,
    /** The engine whose steps are recorded; the situations of both are the same. */
    recorded?: Engine,
    /** What is listened to, in an engine for searches. */
    probes?: Probes,
    /** Rolls are decided one by one by somebody else. */
    isSearched = false,
  ) {
    this.memory = new Memory(machine, recorded?.memory.configurations);
    this.recorder = recorded && new Recorder(this.memory);
    // The language's `canAct` asks the room above the code that contains it; it is there before anything runs.
    this.code = new Code(machine, this.memory, generated, (seat) => this.options.canAct(seat), this.recorder, probes);
    this.steps = new Steps(machine, this.memory, this.code, after, isSearched);
    const secrecy = () => this.secrecy;
    this.admission = new Admission(machine, this.memory, this.code, this.steps, secrecy);
    this.options = new Options(machine, this.memory, this.steps, this.admission, secrecy);
    const left = machine.signals.find((signal) => signal.name === "Left")?.id;
    this.canBeLeft = machine.states.some((state) => state.listeners.some((l) => l.signal === left));
  }

  /** Who may be told what; worked out when something is first told. */
  get secrecy(): Secrecy {
    this.knownSecrecy ??= new Secrecy(this.machine);
    return this.knownSecrecy;
  }

  /** What timers would do; made when it is first asked. */
  get deadlines(): Deadlines {
    this.knownDeadlines ??= new Deadlines(this.machine, this.memory, this.code, this.secrecy);
    return this.knownDeadlines;
  }

  /** Which numbers have a measure; worked out when something is first seen. */
  get meters(): Meters {
    this.knownMeters ??= new Meters(this.machine);
    return this.knownMeters;
  }
}

/** The engine behind a runnable, for this room alone: callers use the functions of `index.ts`. */
export const engineOf = Runnable.engine;
/** The engine for searches, likewise. */
export const exploringEngineOf = Runnable.exploring;
/** The engine that records, likewise. */
export const recordingEngineOf = Runnable.recording;
