/** Checks a mapping against its machine: every action, timer, ending and datum in it is one of the machine's. */

import type { Checked } from "../check/check.js";
import type { Where } from "../check/context.js";
import type { Parameter } from "../check/machine.js";
import { REFUSAL_CODES } from "../check/refusals.js";
import { Scope } from "../check/scope.js";
import { actionKey } from "../check/names.js";
import { BOOL, describe, INT, NUM, SEAT, TEXT, type Type, UNKNOWN } from "../check/types.js";
import type { ExprNode, Name } from "../language/syntax.js";
import type { ParsedMap } from "./parse.js";
import type {
  CallNode,
  DiceItem as DiceItemNode,
  EachNode,
  Literal,
  MapDice,
  MoveNode,
  RowNode,
  TellNode,
  ToldNode,
} from "./syntax.js";
import { ToldTypes, widened } from "./told-types.js";
import {
  type Arg,
  type Dice,
  type DiceItem,
  isMore,
  type Move,
  type Tell,
  type Told,
  type TypedMap,
  type TypedRow,
  type Value,
} from "./typed.js";

/** @returns the checked mapping; it may be used only when no message is an error */
export function checkMap(parsed: ParsedMap, checked: Checked): TypedMap {
  return new MapChecker(parsed, checked).map();
}

class MapChecker {
  private readonly types: ToldTypes;
  private readonly timers = new Set<string>();
  private begins = false;

  constructor(
    private readonly parsed: ParsedMap,
    private readonly checked: Checked,
  ) {
    this.types = new ToldTypes(parsed, checked);
  }

  map(): TypedMap {
    const { map } = this.parsed;
    const { machine } = this.checked;
    const isOther = map.machine.text !== "" && map.machine.text !== machine;
    // Nothing can be said of a mapping without its machine.
    if (machine === "")
      this.checked.tables.error(
        "unknown-file",
        map.file ?? map.machine,
        map.file
          ? `There is no machine in "${map.file.path}".`
          : "This mapping does not say in which file its machine is.",
        'Write below the first line, with the path from the folder of this mapping: machine "FILE.zany"',
      );
    else if (isOther)
      this.checked.tables.error(
        "wrong-place",
        map.machine,
        `This mapping is for ${map.machine.text}, and the machine is ${machine}.`,
        `Take the machine that it is for; or name ${machine} here, when that is the one that is meant.`,
      );
    // What else would be wrong with a mapping of another machine follows from that.
    const isFitting = machine !== "" && !isOther;
    for (const { name } of map.tables) {
      const taken = map.tables.find((table) => table.name.text === name.text);
      if (taken && taken.name !== name) this.checked.tables.duplicate(name, "a table", taken.name);
    }
    const seats = new Map<Literal, number>();
    for (const { told, seat } of isFitting ? map.seats : []) {
      const number = this.seatNamed(seat);
      if (seats.has(told))
        this.checked.tables.error("duplicate-name", seat, `${JSON.stringify(told)} stands for a seat already.`);
      if (number !== undefined) seats.set(told, number);
    }
    const rows = isFitting ? map.rows.map((row) => this.row(row)) : [];
    const { read, time, match, ignoresCase, diceUnknown, otherwise, continued } = map;
    return {
      name: map.name.text,
      read,
      ...(time && { time }),
      ...(match && { match }),
      ignoresCase,
      diceUnknown,
      otherwise,
      seats,
      continued,
      rows,
      timers: this.timers,
      tellsLater: rows.some(({ moves }) => moves.flat().some(isMore)),
      begins: this.begins,
    };
  }

  private row(node: RowNode): TypedRow {
    const { pattern, tests, where, moves } = node;
    if (pattern && this.parsed.map.read.kind !== "lines")
      this.checked.tables.error(
        "wrong-place",
        pattern,
        `Rows are found by a line of text only in a log that is read as lines.`,
        "Write: read lines",
      );
    const typed = moves.map((group) => group.map((move) => this.move(move)));
    this.refuseMixed(typed.flat());
    return {
      ...(pattern && { pattern }),
      tests,
      ...(where && { where: this.value(where, BOOL, new Scope(this.checked.tables.global), "which rows are meant") }),
      moves: typed,
      from: node.from,
      to: node.to,
    };
  }

  /** What is about another row, or about none, stands alone. */
  private refuseMixed(moves: readonly Move[]): void {
    if (moves.length < 2 || moves.every(isMore)) return;
    const more = moves.find(isMore);
    if (more)
      this.checked.tables.error(
        "wrong-place",
        more,
        '"more dice" are rolls of the row before, and this row does something itself.',
        "Put what this row rolls behind its own action: dice .roll",
      );
    const alone = moves.find(({ kind }) => kind === "skip" || kind === "refuse");
    if (alone)
      this.checked.tables.error(
        "wrong-place",
        alone,
        `"${alone.kind}" is about a whole row, and this one does something.`,
        `Tell the rows apart by a condition, and give those that are meant a line of their own: row .ev "x" ` +
          `where ... -> ${alone.kind}`,
      );
  }

  // ---- moves -----------------------------------------------------------------------------------

  private move(node: MoveNode): Move {
    const scope = new Scope(this.checked.tables.global);
    const { dice, tells, onlyIf } = node;
    const base = {
      ...(dice && { dice: this.dice(dice) }),
      tells: tells.map((tell) => this.tell(tell)),
      ...(onlyIf !== undefined && {
        onlyIf: onlyIf === "told" ? onlyIf : this.value(onlyIf, BOOL, scope, "when it is meant"),
      }),
      from: node.from,
      to: node.to,
    };
    if (dice && ["nothing", "skip", "refuse", "wait", "sits", "for"].includes(node.kind))
      this.checked.tables.error(
        "wrong-place",
        dice,
        `Nothing is rolled in "${node.kind}".`,
        "Dice stand behind an action, an event, a timer, begin, joins or leaves, or in a row of their own: more dice.",
      );
    switch (node.kind) {
      case "begin": {
        this.begins = true;
        const given = node.given.flatMap(({ target, value }) => {
          const at: Where = { scope: new Scope(scope), effects: "a mapping", me: false };
          const told: Told[] = [];
          this.types.bind(target, undefined, at, told);
          const location = this.checked.expressions.location(target, at);
          return location
            ? [{ target: location, told, value: this.value(value, location.type, scope, "what is given") }]
            : [];
        });
        const told = typeof node.seats === "object" ? [node.seats] : [];
        return { kind: "begin", ...(node.seats !== undefined && { seats: node.seats }), given, told, ...base };
      }
      case "sits": {
        const at = node.at && this.value(node.at, SEAT, scope, "the seat");
        return { kind: "sits", who: node.who, ...(at && { at }), told: [node.who], ...base };
      }
      case "timer": {
        const { timers, tables } = this.checked;
        if (!timers.some(({ name }) => name === node.timer.text))
          tables.unknown(
            "unknown-value",
            node.timer,
            node.timer.text,
            timers.map(({ name }) => name),
            "timer",
          );
        this.timers.add(node.timer.text);
        return { kind: "timer", timer: node.timer.text, told: [], ...base };
      }
      case "event": {
        const { name } = node.call;
        const { signals, names } = this.checked.tables;
        const signal = signals.get(name.text);
        if (signal?.origin === "event") names.use(name, signal);
        else {
          const events = [...signals.values()].filter(({ origin }) => origin === "event");
          this.checked.tables.unknown(
            "unknown-signal",
            name,
            name.text,
            events.map((event) => event.name),
            "event",
          );
        }
        const args = this.args(node.call, signal?.parameters ?? [], scope);
        return { kind: "event", event: name.text, args, told: toldOf(args.map(({ value }) => value)), ...base };
      }
      case "act": {
        const seat = this.value(node.seat, SEAT, scope, "who acts");
        const args = this.args(node.call, this.parametersOf(node.call), scope);
        const { refused } = node;
        if (refused !== undefined && refused !== true && !(REFUSAL_CODES as readonly string[]).includes(refused.text))
          this.checked.tables.unknown("unknown-refusal", refused, refused.text, REFUSAL_CODES, "refusal");
        return {
          kind: "act",
          seat,
          action: node.call.name.text,
          args,
          ...(refused !== undefined && { refused: refused === true ? true : refused.text }),
          told: toldOf([seat, ...args.map(({ value }) => value)]),
          ...base,
        };
      }
      case "joins":
      case "leaves": {
        const seat = this.value(node.seat, SEAT, scope, `who ${node.kind}`);
        return { kind: node.kind, seat, told: toldOf([seat]), ...base };
      }
      case "for": {
        const moves = node.moves.map((move) => this.move(move));
        this.refuseMixed(moves);
        return { kind: "for", ...eachOf(node), moves, told: [node.list], ...base };
      }
      default:
        return { kind: node.kind, told: [], ...base };
    }
  }

  /** The parameters of an action: of those of its name, the first that takes as many arguments as are given. */
  private parametersOf({ name, args }: CallNode): readonly Pick<Parameter, "name" | "type">[] {
    const { actions, tables } = this.checked;
    const named = actions.filter((action) => action.name === name.text);
    if (named.length > 0) tables.names.use(name, actionKey(name.text));
    else tables.unknown("unknown-action", name, name.text, new Set(actions.map((action) => action.name)), "action");
    const fitting = named.find(
      ({ parameters }) =>
        parameters.length >= args.length &&
        args.every(({ label }) => !label || parameters.some((p) => p.name === label.text)),
    );
    return (fitting ?? named[0])?.parameters ?? [];
  }

  private args({ name, args }: CallNode, parameters: readonly Pick<Parameter, "name" | "type">[], scope: Scope): Arg[] {
    const { tables } = this.checked;
    let position = 0;
    return args.flatMap(({ label, variable, value, from, to }): Arg[] => {
      const parameter = label ? parameters.find((p) => p.name === label.text) : parameters[position++];
      if (!parameter) {
        if (label && parameters.length > 0)
          tables.unknown(
            "unknown-argument",
            label,
            label.text,
            parameters.map((p) => p.name),
            "parameter",
          );
        else if (parameters.length > 0)
          tables.error("wrong-arguments", { from, to }, `${name.text} takes ${parameters.length} arguments at most.`);
        return [];
      }
      const { type } = parameter;
      const what = `"${parameter.name}" of ${name.text}`;
      if (!variable) return [{ name: parameter.name, type, value: this.value(value, widened(type), scope, what) }];
      const inner = new Scope(scope);
      const slot = tables.local(inner, variable, type);
      return [{ name: parameter.name, type, value: this.value(value, BOOL, inner, `the condition of ${what}`), slot }];
    });
  }

  private dice({ unknown, items, from, to }: MapDice): Dice {
    return { unknown, items: items.map((item) => this.diceItem(item)), from, to };
  }

  private diceItem(node: DiceItemNode): DiceItem {
    const scope = new Scope(this.checked.tables.global);
    const at = { from: node.from, to: node.to };
    switch (node.kind) {
      case "any":
        return { kind: "any", ...at };
      case "sum":
        return { kind: "sum", value: this.value(node.value, INT, scope, "a sum of rolls"), of: node.of, ...at };
      case "shuffle": {
        const order = this.value(node.order, this.shuffledType(node, scope), scope, "the order");
        return { kind: "shuffle", ...(node.list && { list: node.list }), order, ...at };
      }
      case "value": {
        const bare = node.value.kind === "name" ? this.parsed.told.get(node.value.name.text) : undefined;
        const value = bare?.table === undefined ? undefined : this.value(node.value, INT, scope, "a roll");
        // What is told as it is may be a number or a yes, or a whole list of them: that is seen when it is read.
        const plain = bare && !value ? this.bareValue(bare) : undefined;
        return {
          kind: "value",
          value: value ?? plain ?? this.value(node.value, undefined, scope, "a roll", INT),
          ifTold: node.ifTold,
          ...at,
        };
      }
    }
  }

  /** What an order is an order of: what the machine shuffles, as it is written there, or the only thing it does. */
  private shuffledType(node: DiceItemNode & { kind: "shuffle" }, scope: Scope): Type {
    const { tables } = this.checked;
    const { list } = node;
    const written = list && tables.written(list);
    const shuffled = tables.shuffled.filter((each) => !written || tables.written(each) === written);
    const [first, ...others] = new Map(shuffled.map(({ type }) => [describe(type), type])).values();
    if (first && others.length === 0) return first;
    const texts = [...new Set(tables.shuffled.map((each) => tables.written(each)))];
    if (!list) {
      tables.error(
        "wrong-type",
        node,
        first ? "The machine shuffles lists of several kinds." : "The machine shuffles nothing.",
        first && `Name the list that is meant: shuffle ${texts[0]} to ...; it shuffles ${texts.join(", ")}.`,
      );
      return UNKNOWN;
    }
    if (list.kind === "name" && !scope.find(list.name.text)) {
      tables.unknown("unknown-value", list, list.name.text, texts, "list that is shuffled");
      return UNKNOWN;
    }
    const { expr } = this.value(list, undefined, scope, "what is shuffled");
    if (expr.type.kind !== "list" && expr.type.kind !== "unknown")
      tables.wrongType(
        list,
        `What is shuffled is a list, and this is ${describe(expr.type)}.`,
        "Name the list as it is before it is shuffled.",
      );
    return expr.type;
  }

  private bareValue(node: ToldNode): Value {
    const at = { from: node.from, to: node.to };
    return { expr: { kind: "constant", value: null, type: UNKNOWN, ...at }, told: [], bare: node, ...at };
  }

  // ---- what is told ----------------------------------------------------------------------------

  private tell(node: TellNode): Tell {
    const scope = new Scope(this.checked.tables.global);
    const base = { ifTold: node.ifTold, from: node.from, to: node.to };
    switch (node.kind) {
      case "holds": {
        const test = this.value(node.test, BOOL, scope, "what is told");
        if (node.within !== undefined && !(test.expr.kind === "binary" && test.expr.op === "=="))
          this.checked.tables.error(
            "wrong-type",
            node,
            '"within" stands behind two numbers that are compared with "==".',
          );
        return {
          kind: "holds",
          test,
          ...(node.within !== undefined && { within: node.within }),
          told: toldOf([test]),
          ...base,
        };
      }
      case "changed": {
        const what = this.value(node.what, NUM, scope, "what has changed");
        const by = this.value(node.by, NUM, scope, "by how much");
        return {
          kind: "changed",
          what,
          by,
          ...(node.within !== undefined && { within: node.within }),
          told: toldOf([what, by]),
          ...base,
        };
      }
      case "ending":
        return { kind: "ending", ending: this.ending(node.ending), told: [], ...base };
      case "endingBy": {
        const names = new Map(node.names.map(({ told, ending }) => [told, this.ending(ending)]));
        return { kind: "endingBy", by: node.told, names, told: [node.told], ...base };
      }
      case "result": {
        const seat = this.value(node.seat, SEAT, scope, `who ${node.word}`);
        return { kind: "result", seat, word: node.word, told: toldOf([seat]), ...base };
      }
      case "standing": {
        const seat = this.value(node.seat, SEAT, scope, `whose ${node.what} it is`);
        const value = this.value(node.value, NUM, scope, `the ${node.what}`);
        return { kind: "standing", seat, what: node.what, value, told: toldOf([seat, value]), ...base };
      }
      case "turn": {
        const bare = node.seats.kind === "name" ? this.parsed.told.get(node.seats.name.text) : undefined;
        const seats = bare
          ? this.value(node.seats, SEAT, scope, "whose turn it is")
          : this.value(node.seats, undefined, scope, "whose turn it is", SEAT);
        return { kind: "turn", seats, told: toldOf([seats]), ...base };
      }
      case "note": {
        const text = this.value(node.text, TEXT, scope, "the text of a note");
        return { kind: "note", text, told: toldOf([text]), ...base };
      }
      case "for": {
        return { kind: "for", ...eachOf(node), tell: this.tell(node.tell), told: [node.list], ...base };
      }
    }
  }

  private ending(name: Name): string {
    const { endings, tables } = this.checked;
    const place = tables.targets.get(name.text);
    if (place?.kind === "ending") tables.names.use(name, place);
    else
      tables.unknown(
        "unknown-state",
        name,
        name.text,
        endings.map((ending) => ending.name),
        "ending",
      );
    return name.text;
  }

  private seatNamed(name: Name): number | undefined {
    const { seatNames, global, names } = this.checked.tables;
    const index = seatNames.indexOf(name.text);
    const symbol = global.find(name.text);
    if (index >= 0 && symbol) names.use(name, symbol);
    if (index >= 0) return index;
    this.checked.tables.unknown("unknown-seat", name, name.text, seatNames, "seat");
    return undefined;
  }

  // ---- values ----------------------------------------------------------------------------------

  /**
   * A typed expression.
   *
   * @param wanted what it must be @param guess what told values are where nothing says what they are
   */
  private value(node: ExprNode, wanted: Type | undefined, scope: Scope, what: string, guess?: Type): Value {
    const where: Where = { scope: new Scope(scope), effects: "a mapping", me: false };
    const told: Told[] = [];
    this.types.bind(node, wanted ?? guess, where, told);
    const { expressions } = this.checked;
    const expr = wanted ? expressions.expect(node, wanted, where, what) : expressions.check(node, where);
    const bare = node.kind === "name" ? this.parsed.told.get(node.name.text) : undefined;
    return { expr, told, ...(bare && { bare }), from: node.from, to: node.to };
  }
}

function eachOf({ variable, list, by }: EachNode): EachNode {
  return { variable, list, ...(by !== undefined && { by }) };
}

function toldOf(values: readonly Value[]): ToldNode[] {
  return values.flatMap(({ told }) => told.map(({ node }) => node));
}
