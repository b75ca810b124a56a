/**
 * Whole steps as generated code: for every configuration that comes up and every action in it, one
 * function that tests the action, runs its effects, leaves and enters, delivers signals, takes `when`s and
 * tests the laws, with everything in it that is known there: which states are active, which laws can
 * be broken, how to get from here to there. It does what `TurnOrder` does, for runs in which nobody looks at what
 * happened; a property test holds the two equal. What is rare it leaves to `TurnOrder`; a step that ends
 * in a fault here is taken again there, which says what is wrong.
 */

import type { ActionParameter, Arrow, Block, Expr, Listener, State, Statement, Target } from "../check/machine.js";
import { cannotFail, quietSignals } from "../check/quiet.js";
import { routineSizes } from "../check/size.js";
import { type Arguments, NO_ARGUMENTS, seatNumber } from "./acting.js";
import type { Configuration, Plan, VisibleAction } from "./configuration.js";
import type { Engine } from "./engine.js";
import { Fault } from "./fault.js";
import { type Code, Generator, Scope } from "./generate.js";
import { MAX_EFFECTS, SEAT_IN, SEAT_OUT } from "./runtime.js";
import type { Run, StatementCompiler } from "./statements.js";
import type { TurnOrder } from "./turn-order.js";
import { fromJson, WrongValue } from "./values.js";

/** Takes an action of a seat; false when it is not admitted, in which case nothing has been changed. */
type Act = (seat: number, args: Arguments) => boolean;

/** The generated code of one configuration; each function is made when it is first called. */
export interface ConfigurationFlow {
  /** The actions there by name; few enough that looking through them is fastest. */
  readonly names: readonly string[];
  readonly acts: readonly Act[];
  /** Goes on until nothing is left to be done, then tests the laws. */
  rest: Run;
  /** The names of the seats on turn. */
  turn: () => readonly string[];
}

/** The most operations of an effect that is written out where it is called. */
const MAX_INLINED = 400;
/** No argument can have this value. */
const WRONG = Symbol("wrong");

export class Flow extends Generator {
  private readonly quiet = quietSignals(this.machine);
  private readonly sizes = routineSizes(this.machine);

  constructor(
    private readonly engine: Engine,
    private readonly order: TurnOrder,
    statements: StatementCompiler,
  ) {
    super(engine.machine, engine.rt, engine.expressions, statements);
  }

  of(configuration: Configuration): ConfigurationFlow {
    return (configuration.flow ??= this.make(configuration));
  }

  private make(configuration: Configuration): ConfigurationFlow {
    const acts: Act[] = [];
    const flow: ConfigurationFlow = {
      names: [...configuration.actions.keys()],
      acts,
      rest: () => {
        flow.rest = this.build(this.restCode(configuration)) as Run;
        flow.rest();
      },
      turn: () => {
        flow.turn = this.turnFunction(configuration);
        return flow.turn();
      },
    };
    for (const visible of configuration.actions.values()) {
      const number = acts.length;
      acts.push((seat, args) => {
        const act = this.build(this.actCode(configuration, visible)) as Act;
        acts[number] = act;
        return act(seat, args);
      });
    }
    return flow;
  }

  // ---- an action -------------------------------------------------------------------------------

  private actCode(configuration: Configuration, visible: readonly VisibleAction[]): Code {
    let code = `if (seat < 0 || rt.seats[seat] !== ${SEAT_IN}) return false;\nrt.me = seat;\n`;
    // The first whose turn it is counts; only side by side there is more than one.
    for (const v of visible) code += `if (${this.mayAct(v, configuration)}) {\n${this.admitted(v, configuration)}}\n`;
    return `(seat, args) => {\n${code}return false;\n}`;
  }

  private mayAct({ action, turns }: VisibleAction, configuration: Configuration): Code {
    const scope = new Scope(undefined, configuration);
    if (action.by === "anyone") return "true";
    if (action.by) return this.isAmong(action.by, scope);
    return turns.map((id) => this.isTurnOf(id, scope)).join(" || ") || "false";
  }

  private isTurnOf(id: number, scope: Scope): Code {
    const { turn } = this.machine.states[id] as State;
    if (!turn) return "false";
    const ready = turn.readySlot >= 0 ? ` && (rt.root.at[${turn.readySlot}] & (1 << seat)) === 0` : "";
    return `(${this.isAmong(turn.of, scope)}${ready})`;
  }

  private isAmong(of: Expr, scope: Scope): Code {
    const code = this.expression(of, scope);
    return of.type.kind === "list" ? `has(${code}, seat)` : `(${code} === seat)`;
  }

  private admitted({ action }: VisibleAction, configuration: Configuration): Code {
    const scope = new Scope(undefined, configuration, "seat");
    const ready = this.engine.actions[action.id] as Engine["actions"][number];
    let code = this.noOthers(action.parameters);
    for (const p of action.parameters) {
      const given =
        p.name in Object.prototype
          ? `(Object.hasOwn(args, ${JSON.stringify(p.name)}) ? args[${JSON.stringify(p.name)}] : undefined)`
          : `args[${JSON.stringify(p.name)}]`;
      const value = scope.add(p.slot);
      code +=
        p.type.kind === "seat"
          ? `const ${value} = ${this.keep(this.seatNumber)}(${given});\nif (${value} < 0) return false;\n`
          : `const ${value} = ${this.keep(this.reader(p.type))}(${given});\nif (${value} === ${this.keep(WRONG)}) return false;\n`;
      const open = ready.parameters.find((r) => r.slot === p.slot)?.tests ?? [];
      for (const test of open) code += `if (!${this.expression(test, scope)}) return false;\n`;
    }
    for (const need of action.needs) code += `if (!${this.expression(need.test, scope)}) return false;\n`;
    return `${code}${this.keep(this.order.patience)}.reset();\n${this.blockAndArrow(action.block, action.arrow, action.state, configuration, scope)}return true;\n`;
  }

  /** Refuses names that are no parameters. Where all must be given, counting the names is enough. */
  private noOthers(parameters: readonly ActionParameter[]): Code {
    const none = `args !== ${this.keep(NO_ARGUMENTS)}`;
    if (parameters.some((p) => p.type.kind === "maybe")) {
      const names = parameters.map((p) => `name !== ${JSON.stringify(p.name)}`).join(" && ");
      return `for (const name in args) if (${names}) return false;\n`;
    }
    return parameters.length === 0
      ? `if (${none}) for (const name in args) return false;\n`
      : `let given = 0;\nfor (const name in args) given++;\nif (given > ${parameters.length}) return false;\n`;
  }

  private readonly seatNumber = (name: unknown): number => seatNumber(this.engine.naming.seats, name);

  private reader(type: Parameters<typeof fromJson>[0]): (value: unknown) => unknown {
    const { naming } = this.engine;
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
    scope: Scope,
  ): Code {
    return `${block ? this.blockCode(block, scope) : ""}${this.arrow(arrow, source, configuration, scope)}`;
  }

  /** Follows an arrow and goes on to rest where it leads. */
  private arrow(arrow: Arrow, source: number, configuration: Configuration, scope: Scope): Code {
    switch (arrow.kind) {
      case "stay":
      case "missing":
        return this.restOf(configuration);
      case "ready":
        return `${this.keep(this.engine.readyOf(source))}();\n${this.restOf(configuration)}`;
      case "to":
        return this.to(arrow.target, arrow, source, configuration, scope);
      case "choose": {
        const branches = arrow.branches.map(
          (b) =>
            `if (${b.test ? this.expression(b.test, scope) : "true"}) {\n${this.blockAndArrow(b.block, b.arrow, source, configuration, scope.inside())}}`,
        );
        const otherwise = arrow.otherwise
          ? this.blockAndArrow(arrow.otherwise.block, arrow.otherwise.arrow, source, configuration, scope.inside())
          : `${this.keep(this.order.arrow(arrow, source))}();\n`;
        return `${branches.join(" else ")} else {\n${otherwise}}\n`;
      }
      default:
        return this.slowly(arrow, source, scope);
    }
  }

  /** Leaves an arrow to the closures, and goes on wherever it has led. */
  private slowly(arrow: Arrow, source: number, scope: Scope): Code {
    const follow = this.order.arrow(arrow, source);
    return `${this.synced(scope)}${this.keep(() => {
      follow();
      this.of(this.rt.configuration).rest();
    })}();\n`;
  }

  private synced(scope: Scope): Code {
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
    scope: Scope,
  ): Code {
    if (target.kind === "ending") return this.slowly(arrow, source, scope);
    const plan = this.engine.configurations.way(configuration, source, [target.state], arrow.again);
    const states = this.machine.states;
    const lawful =
      plan &&
      this.machine.laws.every(
        (law) =>
          law.form !== "entered" ||
          !plan.entered.some((e) => e.state === law.target) ||
          law.states.some((id) => configuration.active[id] === 1),
      );
    if (!plan || plan.layered || !lawful || this.engine.moving.keepsHistory) return this.slowly(arrow, source, scope);
    // Arguments are worked out before anything is left.
    const args = target.args.map((arg) => [this.variable(), this.storedCode(arg, scope)] as const);
    const first = args.map(([name, code]) => `const ${name} = ${code};\n`).join("");
    const outside = new Scope(undefined, configuration);
    const left = plan.left.map(
      (id) =>
        `${(states[id] as State).exits.map((block) => `{\n${this.blockCode(block, outside)}}\n`).join("")}${this.forget(
          states[id] as State,
          plan.entered.some((e) => e.state === id),
        )}`,
    );
    const entered = plan.entered.map((e) => this.enter(e, e.state === target.state ? args.map(([name]) => name) : []));
    return `{\n${first}${left.join("")}${entered.join("")}rt.configuration = ${this.keep(plan.to)};\n${this.restOf(plan.to)}}\n`;
  }

  /** @param anew it is entered again, which starts its timers over */
  private forget(state: State, anew: boolean): Code {
    const timers = anew
      ? ""
      : state.timers
          .map((t) => `if (rt.timersOwned) rt.timers[${t.id}] = NaN; else rt.setTimer(${t.id}, NaN);\n`)
          .join("");
    const slot = state.slot >= 0 ? `rt.ownRoot(${state.slot}).at[${state.slot}] = null;\n` : "";
    return `${timers}${slot}${this.clearActed(state)}`;
  }

  private clearActed({ turn }: State): Code {
    return turn && turn.readySlot >= 0 ? `rt.ownRoot(${turn.readySlot}).at[${turn.readySlot}] = 0;\n` : "";
  }

  private enter({ state: id, configuration }: Plan["entered"][number], args: readonly Code[]): Code {
    const state = this.machine.states[id] as State;
    const scope = new Scope(undefined, configuration);
    let code = "";
    if (state.slot >= 0) {
      const box = this.variable();
      code += `{\nconst ${box} = new Box(rt.epoch, []);\nrt.ownRoot(${state.slot}).at[${state.slot}] = ${box};\n`;
      for (const [i, field] of state.fields.entries())
        code += `${box}.at.push(${args[i] ?? `${this.keep(() => this.expressions.initial(field.type, field.initial))}()`});\n`;
      code += "}\n";
    }
    code += this.clearActed(state);
    for (const { block } of state.enters) if (block) code += `{\n${this.blockCode(block, scope)}}\n`;
    for (const { id: timer, delay } of state.timers) {
      const time =
        delay.kind === "constant"
          ? String(Math.max(0, delay.value as number))
          : `Math.max(0, ${this.expression(delay, scope)})`;
      code += `if (rt.timersOwned) rt.timers[${timer}] = rt.now + ${time}; else rt.setTimer(${timer}, rt.now + ${time});\n`;
    }
    // Only what is called from here can ask where the match stands on the way: the code itself knows.
    return /\bK\[\d+\]\(|\bF\[/.test(code) ? `rt.configuration = ${this.keep(configuration)};\n${code}` : code;
  }

  // ---- coming to rest --------------------------------------------------------------------------

  private restOf(configuration: Configuration): Code {
    return `${this.keep(this.of(configuration))}.rest();\n`;
  }

  private restCode(configuration: Configuration): Code {
    if (configuration.stub >= 0 || configuration.layers[0]?.length === 0)
      return `() => ${this.keep(() => this.engine.finish())}()`;
    const scope = new Scope(undefined, configuration);
    const whens = configuration.whens.map((when) => {
      const { test } = when;
      const asked =
        test.kind === "holds"
          ? this.expression(test.test, scope)
          : test.kind === "entered"
            ? "true"
            : `${this.keep(this.engine.whenTest(when))}()`;
      return `if (${asked}) {\n${this.spend()}${this.blockAndArrow(when.block, when.arrow, when.state, configuration, new Scope(scope))}return;\n}\n`;
    });
    return `() => {\n${this.deliveries(configuration)}${whens.join("")}${this.laws(scope)}${this.turnsTested(configuration, scope)}}`;
  }

  private deliveries(configuration: Configuration): Code {
    if (this.machine.signals.every((signal) => signal.origin !== "machine")) return "";
    const cases = configuration.listeners.map((listeners, signal) =>
      listeners ? `case ${signal}: {\n${this.delivery(listeners, configuration)}break;\n}\n` : "",
    );
    return `while (rt.waiting > 0) {\nconst s = rt.takeSignal(), values = s.values;\n${this.spend()}switch (s.signal) {\n${cases.join("")}}\n}\n`;
  }

  /** All listeners act, then the first arrow is followed. */
  private delivery(listeners: readonly Listener[], configuration: Configuration): Code {
    let code = listeners.some((listener) => listener.arrow) ? "let led = -1;\n" : "";
    let arrows = "";
    for (const [i, listener] of listeners.entries()) {
      const scope = new Scope(undefined, configuration);
      const bound = listener.slots.map((slot, j) => `${scope.add(slot)} = values[${j}]`);
      const body = `${listener.block ? this.blockCode(listener.block, scope) : ""}${listener.arrow ? `if (led < 0) led = ${i};\n` : ""}`;
      code += `{\n${bound.length > 0 ? `const ${bound.join(", ")};\n` : ""}${listener.arrow ? this.synced(scope) : ""}${listener.test ? `if (${this.expression(listener.test, scope)}) {\n${body}}\n` : body}}\n`;
      // What a block lets, and the signal's values, are read from the working memory behind it.
      if (listener.arrow)
        arrows += `if (led === ${i}) {\n${this.arrow(listener.arrow, listener.state, configuration, new Scope(undefined, configuration))}return;\n}\n`;
    }
    return code + arrows;
  }

  /** Counts a small step. Where names would be wanted, the step is taken again by those who can tell them. */
  private spend(): Code {
    return `if (${this.keep(this.order.patience)}.spend()) ${this.keep(this.tooLong)}();\n`;
  }

  private readonly tooLong = (): never => {
    throw new Fault("endlessLoop", { from: 0, to: 0 }, "This step does not come to rest.");
  };

  /** A signal that only notes would hear is counted, not raised. */
  protected override raised(s: Statement & { kind: "raise" }, scope: Scope): Code {
    if (!scope.configuration || !this.quiet.has(s.signal)) return super.raised(s, scope);
    const args = s.args.filter((arg) => !cannotFail(arg)).map((arg) => `${this.expression(arg, scope)};\n`);
    return `${args.join("")}${this.spend()}`;
  }

  /** Large effects are not written out at every call. */
  protected override inlines(effect: number): boolean {
    return (this.sizes.effects[effect] ?? 0) <= MAX_INLINED;
  }

  private laws(scope: Scope): Code {
    const laws = this.engine.laws
      .map(({ written, mask, more, broken }) => {
        const test = `if (!${this.expression(written, scope)}) ${this.keep(broken)}();\n`;
        return more ? test : `if ((rt.touched & ${mask}) !== 0) ${test}`;
      })
      .join("");
    return `${laws}if (rt.effects > ${MAX_EFFECTS}) ${this.keep(this.tooLong)}();\n`;
  }

  /** As in `Engine.finish`: whose turn it is can be told, or the step is a fault. */
  private turnsTested(configuration: Configuration, scope: Scope): Code {
    const turns = configuration.turns.flatMap((id) => this.machine.states[id]?.turn ?? []);
    return turns.map(({ of }) => (cannotFail(of) ? "" : `${this.expression(of, scope)};\n`)).join("");
  }

  private turnFunction(configuration: Configuration): () => readonly string[] {
    const { engine, rt } = this;
    const [id] = configuration.turns;
    const turn = id === undefined ? undefined : this.machine.states[id]?.turn;
    if (configuration.turns.length === 1 && turn && !turn.each && turn.of.type.kind !== "list") {
      const of = this.build(`() => ${this.expression(turn.of, new Scope(undefined, configuration))}`) as () => number;
      return () => {
        const seat = of();
        return rt.seats[seat] === SEAT_OUT || rt.outcome ? [] : (engine.alone[seat] as readonly string[]);
      };
    }
    return () => engine.namesOnTurn();
  }
}
