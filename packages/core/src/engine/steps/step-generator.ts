/**
 * Whole steps as generated code: for every configuration that comes up and every action in it, one
 * function that tests the action, runs its effects, leaves and enters, delivers signals, takes `when`s and
 * tests the laws, with everything in it that is known there: which states are active, which laws can
 * be broken, how to get from here to there. It does what `TurnOrder` does, for runs in which nobody looks at what
 * happened; a property test holds the two equal. What is rare it leaves to `TurnOrder`; a step that ends
 * in a fault here is taken again there, which says what is wrong.
 */

import type {
  ActionParameter,
  Arrow,
  Block,
  Branch,
  Expr,
  Listener,
  State,
  Statement,
  Target,
} from "../../check/machine.js";
import { cannotFail, quietSignals } from "../../check/cannot-fail.js";
import { routineSizes } from "../../check/size.js";
import type { Code as CodeText, GeneratorHooks } from "../code/generating.js";
import { Generator } from "../code/generator.js";
import { lookingIntoBoxes, throughBoxes } from "../code/packed.js";
import type { PackedData } from "../code/packed-data.js";
import { CodeScope } from "../code/scope.js";
import type { Configuration, Plan, VisibleAction } from "../situation/configuration.js";
import type { Act, GeneratedSteps, Take } from "../situation/generated-steps.js";
import { MAX_EFFECTS, PENDING, pendingSlotsOf, SEAT_IN, SEAT_OUT } from "../situation/memory.js";
import { NO_ARGUMENTS } from "../values/json.js";
import type { Run } from "../values/closure.js";
import type { Span } from "../../language/source.js";
import { Fault } from "../values/fault.js";
import type { LazyTable } from "../values/lazy.js";
import { fromJson, seatNumber, WrongValue } from "../values/json.js";
import type { ReadyAction, ReadyParameter } from "./actions.js";
import { Halfway, RollingOnTheWay } from "./halfway.js";
import { listCode, type MoveParts, takeCode } from "./move-code.js";
import type { StepParts } from "./parts.js";
import type { TurnOrder } from "./turn-order.js";

/** The most operations of an effect that is written out where it is called, and of all in one function. */
const MAX_INLINED = 400;
const MAX_INLINED_TOGETHER = 20_000;
/** How often something is done in the ordinary way before it is worth generating. */
export const OFTEN = 8;
/** What generated code takes in memory for each of its characters, about, in bytes. */
const PER_CHARACTER = 4;
const NONE: ReadonlySet<number> = new Set();
/** No argument can have this value. */
const WRONG = Symbol("wrong");

export class StepGenerator implements GeneratorHooks {
  private readonly machine;
  private readonly memory;
  private generator: Generator;
  /** For searches over data in words: steps can stop halfway. */
  readonly halfway = new Halfway();
  private readonly rolling;
  private readonly quiet;
  private readonly sizes;
  private inlined = 0;
  /** The configurations' count at which the generator began anew. */
  private since = 0;

  constructor(
    private readonly parts: StepParts,
    private readonly order: TurnOrder,
    private readonly actions: LazyTable<ReadyAction>,
    /** How often each is done in the ordinary way first. */
    private readonly after: number,
    readonly isSearched: boolean,
    /** For searches: the data that stand in words while its steps are taken. */
    readonly packed: PackedData | undefined,
  ) {
    this.machine = parts.machine;
    this.memory = parts.memory;
    this.generator = new Generator(parts.code.statements, this);
    this.rolling = new RollingOnTheWay(this.machine, parts.configurations);
    this.quiet = quietSignals(this.machine);
    this.sizes = routineSizes(this.machine);
  }

  /** The generated code of a configuration. */
  of(configuration: Configuration): GeneratedSteps {
    const { generated } = configuration;
    return generated?.by === this ? generated : (configuration.generated = this.make(configuration));
  }

  /** Has something done in the ordinary way, for which all data are to stand in boxes. */
  private ordinarily(body: Run): void {
    const { packed } = this;
    packed?.toBoxes();
    body();
    packed?.fromBoxes();
  }

  /** What is seldom done in a configuration is done in the ordinary way: side by side there can be any number. */
  private make(configuration: Configuration): GeneratedSteps {
    const { after, order, parts } = this;
    const acts: Act[] = [];
    const takes: (Take | undefined)[] = [];
    let lists = 0;
    let rests = 0;
    let turns = 0;
    let alones = 0;
    const steps: GeneratedSteps = {
      by: this,
      names: [...configuration.actions.keys()],
      acts,
      takes,
      list: (moves, told) => {
        if (lists++ < after) {
          this.packed?.toBoxes();
          return -1;
        }
        steps.list = this.built(() => listCode(this.moveParts(), configuration)) as GeneratedSteps["list"];
        return steps.list(moves, told);
      },
      rest: () => {
        if (rests++ < after) {
          this.ordinarily(() => {
            order.goOn();
            parts.finish();
          });
          return;
        }
        steps.rest = this.built(() => this.restCode(configuration)) as Run;
        steps.rest();
      },
      turn: () => {
        if (turns++ < after) return parts.turns.namesNow();
        steps.turn = this.turnFunction(configuration);
        return steps.turn();
      },
      alone: () => {
        if (alones++ < after) return -1;
        steps.alone = this.aloneFunction(configuration);
        return steps.alone();
      },
    };
    for (const visible of configuration.actions.values()) {
      const number = acts.length;
      let calls = 0;
      acts.push((seat, args) => {
        if (calls++ < after) return false;
        const act = this.built(() => this.actCode(configuration, visible)) as Act;
        acts[number] = act;
        return act(seat, args);
      });
      for (const { id, action } of visible) {
        let taken = 0;
        takes[id] = (seat, args) => {
          if (taken++ < after) {
            this.takeOrdinarily(id, seat, args);
            return;
          }
          const take = this.built(() => takeCode(this.moveParts(), configuration, action)) as Take;
          takes[id] = take;
          take(seat, args);
        };
      }
    }
    return steps;
  }

  private takeOrdinarily(id: number, seat: number, args: readonly unknown[]): void {
    const { parameters, run } = this.actions.of(id);
    this.memory.me = seat;
    for (let i = 0; i < parameters.length; i++) this.memory.locals[(parameters[i] as ReadyParameter).slot] = args[i];
    this.order.budget.reset();
    this.ordinarily(run);
    this.of(this.memory.configuration).rest();
  }

  /** A step has done less than half of what a step may. */
  get isShort(): boolean {
    return this.order.budget.isShort && this.memory.effects * 2 < MAX_EFFECTS;
  }

  /** Goes on to rest after something that was done in the ordinary way, or from halfway. */
  rest(): void {
    this.order.budget.reset();
    this.of(this.memory.configuration).rest();
  }

  private moveParts(): MoveParts {
    return {
      generator: this.generator,
      ready: (id) => this.actions.of(id),
      mayAct: (visible, configuration) => this.mayAct(visible, configuration),
      effects: (action, configuration, scope) =>
        `${this.generator.keep(this.order.budget)}.reset();\n${this.told(action)}` +
        this.blockAndArrow(action.block, action.arrow, action.state, configuration, scope),
    };
  }

  /** Makes code run. What was made for configurations that have been let go of goes with them. */
  private built(make: () => CodeText): unknown {
    const { configurations } = this.parts;
    if (configurations.cleared !== this.since) {
      this.since = configurations.cleared;
      this.generator = new Generator(this.parts.code.statements, this);
    }
    this.inlined = 0;
    const code = make();
    configurations.keep(PER_CHARACTER * code.length);
    return this.generator.build(code);
  }

  // ---- an action -------------------------------------------------------------------------------

  private actCode(configuration: Configuration, visible: readonly VisibleAction[]): CodeText {
    let code = `if (seat < 0 || memory.seats[seat] !== ${SEAT_IN}) return false;\nmemory.me = seat;\n`;
    // The first whose turn it is counts; only side by side there is more than one.
    for (const v of visible) code += `if (${this.mayAct(v, configuration)}) {\n${this.admitted(v, configuration)}}\n`;
    return `(seat, args) => {\n${code}return false;\n}`;
  }

  private mayAct({ action, turns }: VisibleAction, configuration: Configuration): CodeText {
    const scope = new CodeScope(undefined, configuration);
    if (action.by === "anyone") return "true";
    if (action.by) return this.isAmong(action.by, scope);
    return turns.map((id) => this.isTurnOf(id, scope)).join(" || ") || "false";
  }

  private isTurnOf(id: number, scope: CodeScope): CodeText {
    const { turn } = this.machine.states[id] as State;
    if (!turn) return "false";
    const ready = turn.readySlot >= 0 ? ` && (memory.root.parts[${turn.readySlot}] & (1 << seat)) === 0` : "";
    return `(${this.isAmong(turn.of, scope)}${ready})`;
  }

  private isAmong(of: Expr, scope: CodeScope): CodeText {
    const code = this.generator.expression(of, scope);
    return of.type.kind === "list" ? `has(memory, ${code}, seat, ${this.generator.at(of)})` : `(${code} === seat)`;
  }

  private admitted({ action }: VisibleAction, configuration: Configuration): CodeText {
    const scope = new CodeScope(undefined, configuration, "seat");
    const ready = this.actions.of(action.id);
    let code = this.noOthers(action.parameters);
    for (const p of action.parameters) {
      const given =
        p.name in Object.prototype
          ? `(Object.hasOwn(args, ${JSON.stringify(p.name)}) ? args[${JSON.stringify(p.name)}] : undefined)`
          : `args[${JSON.stringify(p.name)}]`;
      const value = scope.add(p.slot);
      code +=
        p.type.kind === "seat"
          ? `const ${value} = ${this.generator.keep(this.seatNumber)}(${given});\nif (${value} < 0) return false;\n`
          : `const ${value} = ${this.generator.keep(this.reader(p.type))}(${given});\nif (${value} ` +
            `=== ${this.generator.keep(WRONG)}) return false;\n`;
      const open = ready.parameters.find((r) => r.slot === p.slot)?.tests ?? [];
      for (const test of open) code += `if (!${this.generator.expression(test, scope)}) return false;\n`;
    }
    for (const need of action.needs) code += `if (!${this.generator.expression(need.test, scope)}) return false;\n`;
    return (
      `${code}${this.generator.keep(this.order.budget)}` +
      `.reset();\n${this.blockAndArrow(action.block, action.arrow, action.state, configuration, scope)}return true;\n`
    );
  }

  /** Refuses names that are no parameters. Where all must be given, counting the names is enough. */
  private noOthers(parameters: readonly ActionParameter[]): CodeText {
    const none = `args !== ${this.generator.keep(NO_ARGUMENTS)}`;
    if (parameters.some((p) => p.type.kind === "maybe")) {
      const names = parameters.map((p) => `name !== ${JSON.stringify(p.name)}`).join(" && ");
      return `for (const name in args) if (${names}) return false;\n`;
    }
    return parameters.length === 0
      ? `if (${none}) for (const name in args) return false;\n`
      : `let given = 0;\nfor (const name in args) given++;\nif (given > ${parameters.length}) return false;\n`;
  }

  private readonly seatNumber = (name: unknown): number => seatNumber(this.memory.naming.seats, name);

  private reader(type: Parameters<typeof fromJson>[0]): (value: unknown) => unknown {
    const { naming } = this.memory;
    return (value) => {
      try {
        return fromJson(type, value, naming);
      } catch (error) {
        if (error instanceof WrongValue) return WRONG;
        throw error;
      }
    };
  }

  // ---- arrows ----------------------------------------------------------------------------------

  /** A block and its arrow, up to rest. */
  private blockAndArrow(
    block: Block | undefined,
    arrow: Arrow,
    source: number,
    configuration: Configuration,
    scope: CodeScope,
  ): CodeText {
    return `${block ? this.generator.blockCode(block, scope) : ""}${this.arrow(arrow, source, configuration, scope)}`;
  }

  /**
   * Follows an arrow and goes on to rest where it leads.
   * @param stops nothing was done yet: it can stop before it does
   */
  private arrow(arrow: Arrow, source: number, configuration: Configuration, scope: CodeScope, stops = false): CodeText {
    switch (arrow.kind) {
      case "stay":
      case "missing":
        return this.restOf(configuration);
      case "ready":
        return `${this.generator.keep(this.parts.turns.ready(source))}();\n${this.restOf(configuration)}`;
      case "to":
        return this.to(arrow.target, arrow, source, configuration, scope);
      case "choose": {
        const branch = ({ block, arrow: on }: Branch): CodeText =>
          (stops ? this.stop(block, on, source, configuration) : "") +
          this.blockAndArrow(block, on, source, configuration, scope.inside());
        const branches = arrow.branches.map(
          (b) => `if (${b.test ? this.generator.expression(b.test, scope) : "true"}) {\n${branch(b)}}`,
        );
        const otherwise = arrow.otherwise
          ? branch(arrow.otherwise)
          : throughBoxes(this.generator, `${this.generator.keep(this.order.arrow(arrow, source))}();\n`);
        return `${[...branches, `{\n${otherwise}}`].join(" else ")}\n`;
      }
      default:
        return this.slowly(arrow, source, scope);
    }
  }

  /** Stops halfway, where something that rolls dice comes next. */
  private stop(block: Block | undefined, arrow: Arrow, source: number, configuration: Configuration): CodeText {
    if (!this.packed || !this.rolling.by(block, arrow, source, configuration)) return "";
    this.halfway.isPossible = true;
    return `if (${this.generator.keep(this.halfway)}.stops()) return;\n`;
  }

  /** Leaves an arrow to the closures, and goes on wherever it has led. */
  private slowly(arrow: Arrow, source: number, scope: CodeScope): CodeText {
    const follow = this.order.arrow(arrow, source);
    return `${this.synced(scope)}${this.generator.keep(() => {
      this.ordinarily(follow);
      this.of(this.memory.configuration).rest();
    })}();\n`;
  }

  private synced(scope: CodeScope): CodeText {
    return scope
      .entries()
      .map(([slot, name]) => `L[${slot}] = ${name};\n`)
      .join("");
  }

  private to(
    target: Target,
    arrow: Arrow & { kind: "to" },
    source: number,
    configuration: Configuration,
    scope: CodeScope,
  ): CodeText {
    if (target.kind === "ending") return this.ending(target, arrow, source, configuration, scope);
    const plan = this.parts.configurations.way(configuration, source, [target.state], arrow.again);
    const lawful =
      plan &&
      this.machine.laws.every(
        (law) =>
          law.form !== "entered" ||
          !plan.entered.some((e) => e.state === law.target) ||
          law.states.some((id) => configuration.active[id] === 1),
      );
    if (!plan || plan.layered || !lawful || this.parts.entering.keepsHistory) return this.slowly(arrow, source, scope);
    // Arguments are worked out before anything is left.
    const args = target.args.map((arg) => [this.generator.variable(), this.generator.storedCode(arg, scope)] as const);
    const first = args.map(([name, code]) => `const ${name} = ${code};\n`).join("");
    const left = this.leave(plan.left, configuration, new Set(plan.entered.map(({ state }) => state)));
    const entered = plan.entered.map((e) => this.enter(e, e.state === target.state ? args.map(([name]) => name) : []));
    return (
      `{\n${first}${left.join("")}${entered.join("")}memory.configuration ` +
      `= ${this.generator.keep(plan.to)};\n${this.restOf(plan.to)}}\n`
    );
  }

  /** Leaves everything, and ends the match. */
  private ending(
    target: Target & { kind: "ending" },
    arrow: Arrow,
    source: number,
    configuration: Configuration,
    scope: CodeScope,
  ): CodeText {
    const { configurations, endings, entering } = this.parts;
    if (entering.keepsHistory) return this.slowly(arrow, source, scope);
    const args = target.args.map((arg) => [this.generator.variable(), this.generator.storedCode(arg, scope)] as const);
    const left = configurations.everything(configuration).flatMap((layer) => this.leave(layer, configuration));
    const looks = endings.looksAtData(target.ending) || this.parts.laws.holding.length > 0;
    const end = this.generator.keep((values: readonly unknown[]) => {
      if (looks) this.packed?.toBoxes();
      endings.end(target.ending, values);
      this.parts.finish();
    });
    return (
      `{\n${args.map(([name, code]) => `const ${name} = ${code};\n`).join("")}${left.join("")}` +
      `${end}([${args.map(([name]) => name).join(", ")}]);\n}\n`
    );
  }

  /** Leaves states one after the other. @param anew those that are entered again */
  private leave(left: readonly number[], configuration: Configuration, anew: ReadonlySet<number> = NONE): CodeText[] {
    const outside = new CodeScope(undefined, configuration);
    return left.map((id) => {
      const state = this.machine.states[id] as State;
      const exits = state.exits.map((block) => `{\n${this.generator.blockCode(block, outside)}}\n`);
      return `${exits.join("")}${this.forget(state, anew.has(id))}`;
    });
  }

  /** @param anew it is entered again, which starts its timers over */
  private forget(state: State, anew: boolean): CodeText {
    const timers = anew
      ? ""
      : state.timers
          .map((t) => `if (memory.timersOwned) memory.timers[${t.id}] = NaN; else memory.setTimer(${t.id}, NaN);\n`)
          .join("");
    const slot = state.slot >= 0 ? `memory.ownRoot(${state.slot}).parts[${state.slot}] = null;\n` : "";
    return `${timers}${slot}${this.clearReady(state)}${this.allPending(state, "null")}`;
  }

  private allPending(state: State, value: CodeText): CodeText {
    return pendingSlotsOf(state)
      .map((slot) => this.pending(slot, value))
      .join("");
  }

  private pending(slot: number, value: CodeText): CodeText {
    return `memory.ownRoot(${slot}).parts[${slot}] = ${value};\n`;
  }

  private clearReady({ turn }: State): CodeText {
    return turn && turn.readySlot >= 0 ? `memory.ownRoot(${turn.readySlot}).parts[${turn.readySlot}] = 0;\n` : "";
  }

  private enter({ state: id, configuration }: Plan["entered"][number], args: readonly CodeText[]): CodeText {
    const state = this.machine.states[id] as State;
    const scope = new CodeScope(undefined, configuration);
    let code = "";
    if (state.slot >= 0) {
      const box = this.generator.variable();
      code +=
        `{\nconst ${box} = new Box(memory.epoch, []);\nmemory.ownRoot(${state.slot}).parts[${state.slot}] ` +
        `= ${box};\n`;
      for (const [i, field] of state.fields.entries()) code += `${box}.parts.push(${args[i] ?? this.first(field)});\n`;
      code += "}\n";
    }
    code += this.clearReady(state) + this.allPending(state, String(PENDING));
    const { probes } = this.parts.code;
    if (probes?.entered) code += `${this.generator.keep(() => probes.entered?.(id))}();\n`;
    for (const { block } of state.enters) if (block) code += `{\n${this.generator.blockCode(block, scope)}}\n`;
    for (const { id: timer, delay } of state.timers) {
      const time =
        delay.kind === "constant"
          ? String(Math.max(0, delay.value as number))
          : `Math.max(0, ${this.generator.expression(delay, scope)})`;
      code +=
        `if (memory.timersOwned) memory.timers[${timer}] = memory.now + ${time}; else ` +
        `memory.setTimer(${timer}, memory.now + ${time});\n`;
    }
    // Only what is called from here can ask where the match stands on the way: the code itself knows.
    return /\b[KFE]\d+\(/.test(code) ? `memory.configuration = ${this.generator.keep(configuration)};\n${code}` : code;
  }

  private first(field: State["fields"][number]): CodeText {
    const code = `${this.generator.keep(() => this.parts.code.first(field))}()`;
    return field.initial ? lookingIntoBoxes(this.generator, field.initial, code) : code;
  }

  // ---- coming to rest --------------------------------------------------------------------------

  /** Tells whoever listens that an item is carried out. */
  private told(item: Span): CodeText {
    const { probes } = this.parts.code;
    return probes?.taken ? `${this.generator.keep(() => probes.taken?.(item))}();\n` : "";
  }

  private restOf(configuration: Configuration): CodeText {
    // Where no signal can wait, and nothing is asked at rest, it is there.
    if (
      this.parts.laws.holding.length === 0 &&
      configuration.whens.length === 0 &&
      configuration.stub < 0 &&
      this.turnsTested(configuration, new CodeScope()) === "" &&
      this.machine.signals.every(({ origin }) => origin !== "machine")
    )
      return this.laws(new CodeScope());
    return `${this.generator.keep(this.of(configuration))}.rest();\n`;
  }

  private restCode(configuration: Configuration): CodeText {
    if (configuration.stub >= 0 || configuration.layers[0]?.length === 0)
      return `() => ${this.generator.keep(() => {
        this.packed?.toBoxes();
        this.parts.finish();
      })}()`;
    const scope = new CodeScope(undefined, configuration);
    const whens = configuration.whens.map((when) => {
      const { test } = when;
      const asked =
        test.kind === "holds"
          ? this.generator.expression(test.test, scope)
          : test.kind === "entered" && test.pendingSlot < 0
            ? "true"
            : lookingIntoBoxes(this.generator, undefined, `${this.generator.keep(this.parts.whens.test(when))}()`);
      const use = test.kind === "entered" && test.pendingSlot >= 0 ? this.pending(test.pendingSlot, "null") : "";
      // What is done at once cannot be stopped any more; what is chosen first, in each branch by itself.
      const { block, arrow, state } = when;
      const chooses = arrow.kind === "choose" && !block && use === "";
      const stop = chooses ? "" : this.stop(block, arrow, state, configuration);
      const inner = new CodeScope(scope);
      return (
        `if (${asked}) {\n${stop}${this.spend(configuration.asking)}${this.told(when)}${use}` +
        `${block ? this.generator.blockCode(block, inner) : ""}` +
        `${this.arrow(arrow, state, configuration, inner, chooses)}return;\n}\n`
      );
    });
    return (
      `() => {\n${this.deliveries(configuration)}${whens.join("")}${this.laws(scope)}` +
      `${this.turnsTested(configuration, scope)}}`
    );
  }

  private deliveries(configuration: Configuration): CodeText {
    // What happens from outside comes here in searches alone.
    if (this.machine.signals.every(({ origin }) => origin !== "machine" && !this.isSearched)) return "";
    const cases = configuration.listeners.map((listeners, signal) =>
      listeners
        ? `case ${signal}: {\n${effects(configuration.hearing[signal])}${this.delivery(listeners, configuration)}` +
          `break;\n}\n`
        : "",
    );
    return (
      `while (memory.waiting > 0) {\nconst s = memory.takeSignal(), values = ` +
      `s.values;\n${this.spend()}switch (s.signal) {\n${cases.join("")}}\n}\n`
    );
  }

  /** All listeners act, then the first arrow is followed. */
  private delivery(listeners: readonly Listener[], configuration: Configuration): CodeText {
    let code = listeners.some((listener) => listener.arrow) ? "let led = -1;\n" : "";
    let arrows = "";
    const after = new CodeScope(undefined, configuration);
    for (const [i, listener] of listeners.entries()) {
      const scope = new CodeScope(undefined, configuration);
      const bound = listener.slots.map((slot, j) => `${scope.add(slot)} = values[${j}]`);
      const body =
        `${this.told(listener)}${listener.block ? this.generator.blockCode(listener.block, scope) : ""}` +
        `${listener.arrow ? `if (led < 0) led = ${i};\n` : ""}`;
      code +=
        `{\n${bound.length > 0 ? `const ${bound.join(", ")};\n` : ""}` +
        `${listener.arrow ? this.synced(scope) : ""}` +
        `${listener.test ? `if (${this.generator.expression(listener.test, scope)}) {\n${body}}\n` : body}}\n`;
      // What a block lets, and the signal's values, are read from the working memory behind it.
      if (!listener.arrow) continue;
      arrows += `if (led === ${i}) {\n${this.arrow(listener.arrow, listener.state, configuration, after)}return;\n}\n`;
    }
    return code + arrows;
  }

  /** Counts a small step. Where names would be wanted, the step is taken again by those who can tell them. */
  private spend(cost = 0): CodeText {
    return (
      `${effects(cost)}if (${this.generator.keep(this.order.budget)}` +
      `.spend()) ${this.generator.keep(this.tooLong)}();\n`
    );
  }

  private readonly tooLong = (): never => {
    throw new Fault("endlessLoop", { from: 0, to: 0 }, "This step does not come to rest.");
  };

  /** A signal that only notes would hear is counted, not raised. */
  raised(s: Statement & { kind: "raise" }, scope: CodeScope): CodeText | undefined {
    if (!scope.configuration || !this.quiet.has(s.signal) || this.parts.code.probes) return undefined;
    const args = s.args.filter((arg) => !cannotFail(arg)).map((arg) => `${this.generator.expression(arg, scope)};\n`);
    return `${args.join("")}${this.spend()}`;
  }

  /** Large effects are not written out at every call. */
  inlines(effect: number): boolean {
    const size = this.sizes.effects[effect] ?? 0;
    return size <= MAX_INLINED && this.takesOn(size);
  }

  takesOn(operations: number): boolean {
    if (this.inlined + operations > MAX_INLINED_TOGETHER) return false;
    this.inlined += operations;
    return true;
  }

  private laws(scope: CodeScope): CodeText {
    const laws = this.parts.laws.holding
      .map(({ written, mask, more, broken }) => {
        const test = `if (!${this.generator.expression(written, scope)}) ${this.generator.keep(broken)}();\n`;
        return more ? test : `if ((memory.touched & ${mask}) !== 0) ${test}`;
      })
      .join("");
    return `${laws}if (memory.effects > ${MAX_EFFECTS}) ${this.generator.keep(this.tooLong)}();\n`;
  }

  /** As in `StepParts.finish`: whose turn it is can be told, or the step is a fault. */
  private turnsTested(configuration: Configuration, scope: CodeScope): CodeText {
    const turns = configuration.turns.flatMap((id) => this.machine.states[id]?.turn ?? []);
    return turns.map(({ of }) => (cannotFail(of) ? "" : `${this.generator.expression(of, scope)};\n`)).join("");
  }

  /** For searches: the seat whose turn alone it is, by one `turn of`; -1 where it is told otherwise. */
  private aloneFunction(configuration: Configuration): () => number {
    const [id] = configuration.turns;
    const turn = id === undefined ? undefined : this.machine.states[id]?.turn;
    if (configuration.turns.length !== 1 || !turn || turn.each || turn.of.type.kind === "list") return () => -1;
    return this.built(
      () => `() => ${this.generator.expression(turn.of, new CodeScope(undefined, configuration))}`,
    ) as () => number;
  }

  private turnFunction(configuration: Configuration): () => readonly string[] {
    const { memory } = this;
    const { turns } = this.parts;
    const [id] = configuration.turns;
    const turn = id === undefined ? undefined : this.machine.states[id]?.turn;
    if (configuration.turns.length === 1 && turn && !turn.each && turn.of.type.kind !== "list") {
      const of = this.built(
        () => `() => ${this.generator.expression(turn.of, new CodeScope(undefined, configuration))}`,
      ) as () => number;
      return () => {
        const seat = of();
        return memory.seats[seat] === SEAT_OUT || memory.outcome ? [] : (turns.alone[seat] as readonly string[]);
      };
    }
    return () => turns.namesNow();
  }
}

/** Pays for something whose cost is known. */
function effects(cost = 0): CodeText {
  return cost === 0 ? "" : `memory.effects += ${cost};\n`;
}
