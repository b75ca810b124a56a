/** The checker's entry: a syntax tree in, a typed machine and messages out. */

import type { Messages } from "../language/message.js";
import type { Sources } from "../language/source.js";
import type { FileNode, ItemNode, Name, ParameterNode, TopNode } from "../language/syntax.js";
import { Tables, type Signature, type Where } from "./context.js";
import { EffectChecker } from "./effects.js";
import { ExpressionChecker } from "./expressions.js";
import type {
  Action,
  Constant,
  DataField,
  EffectDeclaration,
  Ending,
  Expr,
  FunctionDeclaration,
  Law,
  Machine,
  Parameter,
  Timer,
} from "./machine.js";
import { Declarations } from "./declarations.js";
import { StateChecker } from "./states.js";
import { LawChecker, pathSegments } from "./laws.js";
import { TestChecker } from "./tests.js";
import { type Reasoning, runRules } from "./rules/rules.js";
import { Scope } from "./scope.js";
import { type Field, SEAT, type Type } from "./types.js";
import { Typing } from "./typing.js";

/** The most seats a machine can have; who has acted is kept in the bits of one number. */
const MAX_SEATS = 30;

/**
 * Checks a machine. The typed machine is meant to run only when no message is an error; it is given in
 * any case, so that the diagram of a machine with a mistake can still be drawn.
 *
 * @param reason "none" leaves out the warnings that take reasoning about what can happen
 * @param beside checks a text beside the machine with the machine's names, before the machine is put together
 */
export function check(
  file: FileNode,
  sources: Sources,
  messages: Messages,
  reason: Reasoning = "believed",
  beside?: (names: Checked) => void,
): Machine {
  return new MachineChecker(file, sources, messages).machine(reason, beside);
}

/** What a text beside a machine is checked with: its names, its types, and what has been declared. */
export interface Checked {
  readonly machine: string;
  readonly tables: Tables;
  readonly expressions: ExpressionChecker;
  readonly actions: readonly Action[];
  readonly endings: readonly Ending[];
  readonly timers: readonly Timer[];
}

class MachineChecker {
  private readonly tables: Tables;
  private readonly typing: Typing;
  private readonly expressions: ExpressionChecker;
  private readonly effects: EffectChecker;
  private readonly items: readonly TopNode[];

  constructor(
    private readonly file: FileNode,
    private readonly sources: Sources,
    private readonly messages: Messages,
  ) {
    this.tables = new Tables(sources, messages);
    this.typing = new Typing(this.tables);
    this.expressions = new ExpressionChecker(this.tables, this.typing);
    this.effects = new EffectChecker(this.tables, this.expressions);
    this.items = file.items;
    this.tables.standardOrder = file.standardOrder;
    for (const name of file.lost) this.tables.refused.add(name);
  }

  machine(reason: Reasoning, beside?: (names: Checked) => void): Machine {
    const seats = this.declareSeats();
    this.declareTypes();
    const teams = this.declareTeams();
    const constantTypes = this.declareConstants();
    this.declareSignals();
    this.declareStreams();
    this.declareRoutines();
    const dataTypes = this.declareData();
    this.declareParameters();
    this.fillRecordDefaults();
    const constants = this.checkConstants(constantTypes);
    const data = this.checkData(dataTypes);
    const laws = this.ofKind("law");
    for (const [law, node] of laws.entries()) {
      const segments = node.form === "changes" ? pathSegments(node.path) : undefined;
      if (segments) this.tables.watches.push({ law, segments });
    }
    const places = new Declarations(this.tables, this.typing, this.expressions);
    places.declare(this.file.name, this.items.filter(isStateItem), this.ofKind("ending"), data);
    const states = new StateChecker(this.tables, this.typing, this.expressions, this.effects, places);
    const functions = this.checkFunctions();
    const effects = this.checkEffects();
    const checked = states.check();
    const testChecker = new TestChecker(this.tables, this.expressions, checked.states, states.actions, checked.endings);
    const lawChecker = new LawChecker(this.tables, this.expressions, checked.states);
    const checkedLaws = laws.map((node, id) => lawChecker.law(node, id)).filter((law): law is Law => law !== undefined);
    const policyNames = new Map<string, Name>();
    const policies = this.ofKind("policy").map((node) => {
      this.tables.names.declare("a policy", node.name);
      const taken = policyNames.get(node.name.text);
      if (taken) this.tables.duplicate(node.name, "a policy", taken);
      policyNames.set(node.name.text, node.name);
      return testChecker.policy(node);
    });
    const tests = this.ofKind("test").map((node) => testChecker.test(node));
    const { actions, timers } = states;
    beside?.({
      machine: this.file.name.text,
      tables: this.tables,
      expressions: this.expressions,
      actions,
      endings: checked.endings,
      timers,
    });
    const machine: Machine = {
      name: this.file.name.text,
      sources: this.sources,
      standardOrder: this.file.standardOrder,
      seats,
      teams,
      types: [...this.tables.types.values()],
      recordInitials: this.tables.recordInitials,
      recordSpans: this.tables.fieldSpans,
      names: this.tables.names,
      boundConstants: this.typing.boundConstants,
      constants,
      data,
      states: checked.states,
      endings: checked.endings,
      signals: [...this.tables.signals.values()],
      functions,
      effects,
      streams: [...this.tables.streams.values()],
      laws: checkedLaws,
      policies,
      tests,
      actions,
      timers,
      rootSize: places.rootSize,
      locals: this.tables.locals,
    };
    this.tables.countUnknown();
    runRules(machine, this.messages, reason);
    return machine;
  }

  private ofKind<K extends TopNode["kind"]>(kind: K): (TopNode & { kind: K })[] {
    return this.items.filter((item): item is TopNode & { kind: K } => item.kind === kind);
  }

  private where(what: string): Where {
    return { scope: this.tables.global, effects: what, me: false };
  }

  // ---- declarations ----------------------------------------------------------------------------

  private declareSeats(): Machine["seats"] {
    const { seats } = this.file;
    if (!seats && this.file.name.text === "") return { names: [], least: 0 };
    if (!seats) {
      this.tables.error(
        "no-seats",
        this.file.name,
        "The machine does not say who plays.",
        "Write, for example: seats north, south",
      );
      return { names: [], least: 0 };
    }
    const names: Name[] = [];
    let least: number;
    if (seats.kind === "named") {
      names.push(...seats.names);
      least = names.length;
    } else {
      if (seats.low < 1 || seats.high < seats.low)
        this.tables.error(
          "empty-range",
          seats,
          `${seats.low}..${seats.high} is no number of seats.`,
          "Write the least number first, at least 1.",
        );
      for (let i = 1; i <= Math.min(seats.high, MAX_SEATS); i++)
        names.push({ ...seats.name, text: `${seats.name.text}${i}` });
      least = seats.low;
    }
    if ((seats.kind === "named" ? names.length : seats.high) > MAX_SEATS)
      this.tables.error("too-large", seats, `A machine has at most ${MAX_SEATS} seats.`);
    for (const [value, name] of names.entries()) {
      this.tables.declare(this.tables.global, name, { kind: "seat", value, from: name.from, to: name.to });
      this.tables.seatNames.push(name.text);
    }
    this.tables.least = least;
    return { names: names.map((n) => n.text), least };
  }

  private declareTypes(): void {
    for (const item of this.items) {
      if (item.kind !== "enum" && item.kind !== "record") continue;
      const { name } = item;
      this.tables.names.declare("a type", name);
      if (!this.tables.typeSpans.has(name.text)) this.tables.typeSpans.set(name.text, name);
      if (item.kind === "record") {
        this.tables.fieldSpans.set(
          name.text,
          item.fields.map((f) => f.name),
        );
        for (const f of item.fields)
          this.tables.names.declare(`a field of ${name.text}`, f.name, this.sources.text(f.type));
      }
      if (
        this.tables.types.has(name.text) ||
        ["bool", "int", "num", "text", "seat", "cell", "list", "map", "grid"].includes(name.text)
      ) {
        this.tables.error("duplicate-name", name, `There is a type "${name.text}" already.`, "Choose another name.");
      } else if (item.kind === "enum") {
        const type = { kind: "enum" as const, name: name.text, members: item.members.map((m) => m.text) };
        this.tables.types.set(name.text, type);
        for (const [value, member] of item.members.entries())
          this.tables.declare(this.tables.global, member, {
            kind: "member",
            type,
            value,
            from: member.from,
            to: member.to,
          });
      } else {
        this.tables.types.set(name.text, { kind: "record", name: name.text, fields: [] });
      }
    }
    for (const c of this.ofKind("const")) this.typing.addConstant(c.name.text, c.value);
    for (const node of this.ofKind("record")) {
      const type = this.tables.types.get(node.name.text);
      if (type?.kind !== "record" || type.fields.length > 0) continue;
      for (const f of node.fields) {
        if (f.perSeat)
          this.tables.error(
            "wrong-place",
            f,
            `A field of a record cannot be per seat.`,
            "Put the record per seat in data.",
          );
        if (f.visibility !== "public")
          this.tables.error(
            "wrong-place",
            f,
            `A field of a record cannot be ${f.visibility}.`,
            "Say so where the record stands in data.",
          );
        const same = type.fields.find((g) => g.name === f.name.text);
        if (same)
          this.tables.error(
            "duplicate-name",
            f.name,
            `"${type.name}" has two fields "${same.name}".`,
            "Give one of them another name.",
          );
        else type.fields.push({ name: f.name.text, type: this.typing.type(f.type), visibility: "public" });
      }
    }
    for (const node of this.ofKind("record")) {
      const type = this.tables.types.get(node.name.text);
      if (type && holds(type, type, new Set()))
        this.tables.error(
          "endless-type",
          node.name,
          `A ${type.kind === "record" ? type.name : ""} holds itself, so it would never end.`,
          "Put it in a list, or write ? behind the type.",
        );
    }
  }

  /** The written defaults of record fields; they may use constants, so they come after those. */
  private fillRecordDefaults(): void {
    for (const node of this.ofKind("record")) {
      const type = this.tables.types.get(node.name.text);
      if (type?.kind !== "record" || this.tables.recordInitials.has(type.name)) continue;
      const initials = type.fields.map((field): Expr | undefined => {
        const initial = node.fields.find((f) => f.name.text === field.name)?.initial;
        return initial && this.expressions.expect(initial, field.type, this.where("a default"), `"${field.name}"`);
      });
      this.tables.recordInitials.set(type.name, initials);
    }
  }

  private declareTeams(): Machine["teams"] {
    return this.ofKind("team").map((node) => {
      const seats = node.seats.map((name) => {
        const index = this.tables.seatNames.indexOf(name.text);
        const symbol = this.tables.global.find(name.text);
        if (index >= 0 && symbol) this.tables.names.use(name, symbol);
        if (index < 0) this.tables.unknown("unknown-seat", name, name.text, this.tables.seatNames, "seat");
        return index;
      });
      const team = { name: node.name.text, seats: seats.filter((i) => i >= 0) };
      this.tables.declare(this.tables.global, node.name, {
        kind: "team",
        seats: team.seats,
        from: node.name.from,
        to: node.name.to,
      });
      return team;
    });
  }

  private declareConstants(): Type[] {
    return this.ofKind("const").map((node, id) => {
      const type = this.typing.type(node.type);
      this.tables.declare(this.tables.global, node.name, {
        kind: "constant",
        id,
        type,
        from: node.name.from,
        to: node.name.to,
      });
      return type;
    });
  }

  /** Constants are computed from top to bottom and from nothing else, so that none can depend on itself. */
  private checkConstants(types: readonly Type[]): Constant[] {
    const nodes = this.ofKind("const");
    return nodes.map((node, id) => {
      visitNames(node.value, (name) => {
        const symbol = this.tables.global.find(name.text);
        if (symbol?.kind === "constant" && symbol.id >= id)
          this.tables.error(
            "used-too-early",
            name,
            `The constant "${name.text}" is not known yet.`,
            "Constants are computed from top to bottom: move it up.",
          );
        else if (symbol?.kind === "function" || symbol?.kind === "data")
          this.tables.error(
            "used-too-early",
            name,
            `"${name.text}" is ${symbol.kind === "data" ? "data" : "a function"}; a constant is made of plain ` +
              `values and earlier constants.`,
          );
      });
      const type = types[id] as Type;
      return {
        name: node.name.text,
        ...declared(node),
        type,
        value: this.expressions.expect(node.value, type, this.where("a constant"), `"${node.name.text}"`),
        from: node.from,
        to: node.to,
      };
    });
  }

  private parameters(nodes: readonly ParameterNode[], scope: Scope): Parameter[] {
    return nodes.map((node) => {
      const type = this.typing.type(node.type);
      const initial =
        node.initial &&
        this.expressions.expect(node.initial, type, this.where("a default"), `the default of "${node.name.text}"`);
      const slot = this.tables.local(scope, node.name, type);
      return { name: node.name.text, type, slot, ...(initial && { initial }), from: node.from, to: node.to };
    });
  }

  private declareSignals(): void {
    const at = { from: this.file.from, to: this.file.from };
    const add = (
      name: string,
      parameters: Parameter[],
      origin: "machine" | "event" | "system",
      span: { from: number; to: number },
      doc?: string,
    ): void => {
      this.tables.signals.set(name, {
        id: this.tables.signals.size,
        name,
        ...(doc !== undefined && { doc }),
        parameters,
        origin,
        from: span.from,
        to: span.to,
      });
    };
    for (const name of ["Joined", "Left"])
      add(name, [{ name: "seat", type: SEAT, slot: this.tables.newLocal(), ...at }], "system", at);
    for (const item of this.items) {
      if (item.kind !== "signal" && item.kind !== "event") continue;
      const taken = this.tables.signals.get(item.name.text);
      if (!taken) this.tables.names.declare(item.kind === "event" ? "an event of the game" : "a signal", item.name);
      if (taken)
        this.tables.duplicate(
          item.name,
          taken.origin === "system"
            ? "a signal of the system"
            : taken.origin === "event"
              ? "an event of the game"
              : "a signal",
          taken,
        );
      else
        add(
          item.name.text,
          this.parameters(item.parameters, new Scope()),
          item.kind === "signal" ? "machine" : "event",
          item.name,
          item.doc,
        );
    }
  }

  private declareStreams(): void {
    let slot = 1;
    for (const node of this.ofKind("dice")) {
      if (this.tables.streams.has(node.name.text))
        this.tables.error("duplicate-name", node.name, `There is a stream of dice "${node.name.text}" already.`);
      else {
        const { name, visibility } = node;
        this.tables.streams.set(name.text, { name: name.text, visibility, slot, nameSpan: name });
        slot += visibility === "private" ? this.tables.seatNames.length : 1;
        this.tables.names.declare("a stream of dice", node.name, "", `dice ${node.name.text}`);
      }
    }
  }

  // ---- functions and effects -------------------------------------------------------------------

  private readonly scopes = new Map<TopNode, Scope>();

  private declareRoutines(): void {
    for (const item of this.items) {
      if (item.kind !== "function" && item.kind !== "effect") continue;
      const list = item.kind === "function" ? this.tables.functions : this.tables.effects;
      this.tables.declare(this.tables.global, item.name, {
        kind: item.kind,
        id: list.length,
        from: item.name.from,
        to: item.name.to,
      });
      const scope = new Scope(this.tables.global);
      this.scopes.set(item, scope);
      list.push({
        name: item.name.text,
        parameters: [],
        type: item.type ? this.typing.type(item.type) : { kind: "nothing" },
        ...(item.kind === "effect" && item.type && { slot: this.tables.newLocal() }),
        from: item.from,
        to: item.to,
      });
    }
  }

  /** Parameters are declared after all global names are known, so that none of them is hidden. */
  private declareParameters(): void {
    for (const [id, node] of this.ofKind("function").entries())
      this.tables.functions[id] = {
        ...(this.tables.functions[id] as FunctionDeclaration),
        parameters: this.parameters(node.parameters, this.scopes.get(node) as Scope),
      };
    for (const [id, node] of this.ofKind("effect").entries())
      this.tables.effects[id] = {
        ...(this.tables.effects[id] as FunctionDeclaration),
        parameters: this.parameters(node.parameters, this.scopes.get(node) as Scope),
      };
  }

  private checkFunctions(): FunctionDeclaration[] {
    const nodes = this.ofKind("function");
    this.refuseRecursion(nodes.map((n) => ({ name: n.name, uses: (visit) => visitNames(n.body, visit) })));
    return nodes.map((node, id) => {
      const signature = this.tables.functions[id] as FunctionDeclaration;
      const body = this.expressions.expect(
        node.body,
        signature.type,
        {
          scope: this.scopes.get(node) as Scope,
          effects: "a function",
          me: false,
          routine: { kind: "function", name: node.name },
        },
        `the value of "${node.name.text}"`,
      );
      return {
        name: signature.name,
        ...declared(node),
        parameters: signature.parameters,
        type: signature.type,
        body,
        from: node.from,
        to: node.to,
      };
    });
  }

  private checkEffects(): EffectDeclaration[] {
    const nodes = this.ofKind("effect");
    this.refuseRecursion(nodes.map((n) => ({ name: n.name, uses: (visit) => visitNames(n.body, visit) })));
    return nodes.map((node, id) => {
      const { name, parameters, type, slot } = this.tables.effects[id] as Signature;
      const routine = { kind: "effect", name: node.name } as const;
      const where: Where = { scope: this.scopes.get(node) as Scope, effects: true, me: false, routine };
      const result = slot === undefined ? undefined : { slot, type };
      const body = this.effects.body(node.body, where, name, result);
      return { name, ...declared(node), parameters, body, ...(result && { result }), from: node.from, to: node.to };
    });
  }

  /** Nothing may call itself, not even in a circle: then every call ends. */
  private refuseRecursion(routines: readonly { name: Name; uses: (visit: (name: Name) => void) => void }[]): void {
    const calls = new Map<string, Name[]>();
    for (const routine of routines) {
      const used: Name[] = [];
      routine.uses((name) => used.push(name));
      calls.set(routine.name.text, used);
    }
    const finished = new Set<string>();
    const visit = (name: string, path: readonly string[]): void => {
      if (finished.has(name)) return;
      for (const used of calls.get(name) ?? []) {
        if (!calls.has(used.text)) continue;
        const start = path.indexOf(used.text);
        if (start >= 0)
          this.tables.error(
            "recursion",
            used,
            `This calls itself in a circle: ${[...path.slice(start), used.text].join(" -> ")}.`,
            "Nothing may call itself, so that every step ends. Use for, or a state that is entered again.",
          );
        else visit(used.text, [...path, used.text]);
      }
      finished.add(name);
    };
    for (const name of calls.keys()) visit(name, [name]);
  }

  private declareData(): Type[] {
    const types: Type[] = [];
    for (const item of this.ofKind("data")) {
      for (const node of item.fields) {
        const type = this.typing.fieldType(node);
        this.tables.declare(this.tables.global, node.name, {
          kind: "data",
          slot: types.length,
          type,
          from: node.name.from,
          to: node.name.to,
        });
        types.push(type);
      }
    }
    return types;
  }

  private checkData(types: readonly Type[]): DataField[] {
    const nodes = this.ofKind("data").flatMap((item) => item.fields);
    return nodes.map((node, slot) => {
      const type = types[slot] as Type;
      const initial = this.expressions.fieldInitial(node, type, this.where("a default"));
      return {
        name: node.name.text,
        type,
        visibility: node.visibility,
        slot,
        nameFrom: node.name.from,
        ...(initial && { initial }),
        from: node.from,
        to: node.to,
      };
    });
  }
}

const STATE_ITEMS: ReadonlySet<string> = new Set([
  "data",
  "start",
  "turn",
  "state",
  "overlay",
  "action",
  "enter",
  "exit",
  "after",
  "on",
  "when",
  "final",
]);

function isStateItem(item: TopNode): item is ItemNode {
  return STATE_ITEMS.has(item.kind);
}

/** Where a declaration's name stands, and the comment before it. */
function declared(node: { readonly name: Name; readonly doc?: string }): {
  nameSpan: { from: number; to: number };
  doc?: string;
} {
  return { nameSpan: { from: node.name.from, to: node.name.to }, ...(node.doc !== undefined && { doc: node.doc }) };
}

/** True when a record type holds `wanted` directly, not behind a list, map or maybe. */
function holds(wanted: Type, type: Type, seen: Set<Type>): boolean {
  if (type.kind === "grid" || type.kind === "perSeat") return type.of === wanted || holds(wanted, type.of, seen);
  if (type.kind !== "record" || seen.has(type)) return false;
  seen.add(type);
  return type.fields.some((f: Field) => f.type === wanted || holds(wanted, f.type, seen));
}

/** Calls `visit` for every name in an expression or a block, what is called included. */
function visitNames(node: unknown, visit: (name: Name) => void): void {
  if (Array.isArray(node)) {
    for (const item of node) visitNames(item, visit);
  } else if (node !== null && typeof node === "object") {
    const record = node as Record<string, unknown>;
    if (record["kind"] === "name") visit(record["name"] as Name);
    for (const value of Object.values(record)) visitNames(value, visit);
  }
}
