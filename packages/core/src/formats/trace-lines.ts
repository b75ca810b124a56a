/** A trace as people read it: a line for what was asked and decided, for what was written, rolled and told. */

import type { Machine } from "../check/machine.js";
import type { Recorded } from "../engine/code/recorder.js";
import { type Trace, touches } from "../engine/matches/trace.js";
import type { FullChange } from "../engine/situation/situation-json.js";
import type { Difference } from "../logbook/replay.js";
import { valueInWords } from "../logbook/words.js";

/** What a line tells of; `yes` and `no` are conditions. */
export type TraceMark = "yes" | "no" | "change" | "roll" | "note" | "arrow" | "signal" | "fault" | "plain";

export interface TraceLine {
  readonly depth: number;
  readonly mark: TraceMark;
  /** The rule it is about, such as `Turn.slash.needs[1]`; empty where there is none. */
  readonly rule: string;
  readonly text: string;
  /** The values that decided, or that went into it: `kites[south].lift = 28`. Empty where there are none. */
  readonly because: string;
  /** Where it stands in the machine's texts. */
  readonly from: number;
  readonly to: number;
}

interface TraceLineOptions {
  /** Only what led to changes of this datum, a JSON Pointer such as `/data/kites/south/lift`. */
  readonly of?: string;
}

/** How many values are told with a line, and how long a piece of text in it is. */
const MOST_VALUES = 6;
const LONGEST = 100;

export function traceLines(machine: Machine, trace: Trace, { of }: TraceLineOptions = {}): TraceLine[] {
  const lines = new Lines(machine, of).all(trace.nodes, 0).lines;
  if (trace.lost > 0) lines.push({ ...NOWHERE, text: `${trace.lost} more were not kept` });
  return lines;
}

const NOWHERE: Omit<TraceLine, "text"> = { depth: 0, mark: "plain", rule: "", because: "", from: 0, to: 0 };

/** A path as the language writes it: `/data/kites/south/lift` is `kites.south.lift`. */
export function pathInWords(path: string): string {
  return path
    .split("/")
    .slice(2)
    .map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"))
    .join(".");
}

/** What went otherwise, in words: `kites.south.lift recorded 23, replayed 27`. */
export function differenceInWords({ path, recorded, replayed }: Difference): string {
  const name = path.startsWith("/") ? pathInWords(path) : path;
  return `${name} recorded ${cut(valueInWords(recorded))}, replayed ${cut(valueInWords(replayed))}`;
}

/** A change in words: `kites.south.lift 40 -> 28`. */
export function changeInWords({ path, before, after }: FullChange): string {
  const name = path.startsWith("/seats/") ? `seat ${pathInWords(path)}` : pathInWords(path);
  if (before === undefined) return `${name} is now ${cut(valueInWords(after))}`;
  if (after === undefined) return `${name} is gone, it was ${cut(valueInWords(before))}`;
  return `${name} ${cut(valueInWords(before))} -> ${cut(valueInWords(after))}`;
}

function cut(text: string): string {
  return text.length > LONGEST ? `${text.slice(0, LONGEST - 3)}...` : text;
}

/** Lines, and whether something among them is of the datum that is asked for. */
interface Told {
  readonly lines: TraceLine[];
  readonly touched: boolean;
}

class Lines {
  constructor(
    private readonly machine: Machine,
    private readonly of: string | undefined,
  ) {}

  /** The lines of what stands side by side. Asked for one datum, what came behind its last change is left out. */
  all(nodes: readonly Recorded[], depth: number): Told {
    const { of } = this;
    const told = nodes.map((node) => this.node(node, depth));
    if (of === undefined) return { lines: told.flatMap(({ lines }) => lines), touched: false };
    const last = told.findLastIndex(({ touched }) => touched);
    // Conditions that were asked before it belong to why it came to that.
    const leads = (node: Recorded): boolean => isCondition(node) || /^let\b/.test(this.text(node));
    const kept = told.filter(({ touched }, i) => touched || (i < last && leads(nodes[i] as Recorded)));
    return { lines: kept.flatMap(({ lines }) => lines), touched: last >= 0 };
  }

  private node(node: Recorded, depth: number): Told {
    const { parts = [] } = node;
    switch (node.kind) {
      case "rule":
      case "if":
      case "where":
      case "body":
        return this.condition(node, depth);
      case "value":
        return { lines: [...this.rolls(node, depth), ...this.rulesIn(node, depth)], touched: false };
      case "statement":
        return this.statement(node, depth);
      case "element": {
        const inside = this.all(parts, depth + 1);
        const line = this.line(node, depth, "plain", `for ${valueInWords(node.value)}`);
        return { ...inside, lines: inside.lines.length > 0 ? [line, ...inside.lines] : [] };
      }
      case "arrow": {
        const inside = this.all(parts, depth + 1);
        const { left = [], entered = [] } = node;
        const moves = [
          ...(left.length > 0 ? [`left ${left.join(", ")}`] : []),
          ...(entered.length > 0 ? [`entered ${entered.join(", ")}`] : []),
        ];
        const line = this.line(node, depth, node.failed ? "fault" : "arrow", this.text(node), moves.join("; "));
        const touched = inside.touched || this.entersDatum(node);
        return { lines: [line, ...inside.lines], touched };
      }
      default: {
        const inside = this.all(parts, depth + 1);
        const text = node.kind === "signal" ? `signal ${node.name} is heard` : "is taken";
        const mark = node.failed ? "fault" : node.kind === "signal" ? "signal" : "plain";
        const line = this.line(node.kind === "signal" ? { ...node, name: "" } : node, depth, mark, text);
        // What is taken and does nothing but lead on is told by its arrow.
        return { ...inside, lines: node.kind === "taken" && parts.length === 0 ? [] : [line, ...inside.lines] };
      }
    }
  }

  private condition(node: Recorded, depth: number): Told {
    const rolls = this.rolls(node, depth + 1);
    const mark = node.failed ? "fault" : node.value === true ? "yes" : node.value === false ? "no" : "plain";
    const value =
      typeof node.value === "boolean" || node.value === undefined ? "" : ` = ${cut(valueInWords(node.value))}`;
    const line = this.line(node, depth, mark, this.text(node) + value, this.because(node));
    return { lines: [line, ...rolls], touched: false };
  }

  private statement(node: Recorded, depth: number): Told {
    const { parts = [], changes = [], clamped = [], notes = [] } = node;
    const values = parts.filter((part) => part.kind === "value");
    const inner = parts.filter((part) => part.kind !== "value");
    const text = this.text(node);
    const rolls = values.flatMap((value) => this.rolls(value, depth));
    const own: TraceLine[] = [];
    const because = this.valuesOf(values).join(", ");
    for (const change of changes)
      own.push(this.line(node, depth, "change", changeInWords(change), [text, because].filter(Boolean).join("; ")));
    const [, written = text] = /^([\w.[\]]+)/.exec(changes[0] ? pathInWords(changes[0].path) : text) ?? [];
    for (const { wanted, kept } of clamped)
      own.push(this.line(node, depth, "change", `${written} kept at its bound ${kept}, not ${wanted}`));
    for (const note of notes) own.push(this.line(node, depth, "note", `note "${cut(note)}"`));
    const touched = this.of !== undefined && changes.some(({ path }) => touches(path, this.of as string));
    if (node.failed && inner.length === 0) own.push(this.line(node, depth, "fault", text, because));
    else if (own.length === 0 && inner.length === 0) own.push(this.line(node, depth, "plain", text, because));
    const compound = /^(if|for)\b/.test(text);
    if (inner.length === 0 || compound) {
      const inside = this.all(inner, compound ? depth : depth + 1);
      return { lines: [...rolls, ...own, ...inside.lines], touched: touched || inside.touched };
    }
    const inside = this.all(inner, depth + 1);
    const line = own.length > 0 ? [] : [this.line(node, depth, "plain", text, because)];
    return { lines: [...rolls, ...own, ...line, ...inside.lines], touched: touched || inside.touched };
  }

  /** The rolls inside a value, each a line. */
  private rolls(node: Recorded, depth: number): TraceLine[] {
    const own = (node.rolls ?? []).map(({ range, value }) =>
      this.line(node, depth, "roll", `rolled ${String(value)} of ${range}`, this.text(node)),
    );
    return [...own, ...(node.parts ?? []).flatMap((part) => this.rolls(part, depth))];
  }

  /** The rules that are asked inside a value: what a parameter may be is asked as one condition. */
  private rulesIn({ parts = [] }: Recorded, depth: number): TraceLine[] {
    return parts.flatMap((part) =>
      part.kind === "rule" && (this.of === undefined || isCondition(part))
        ? this.condition(part, depth).lines
        : this.rulesIn(part, depth),
    );
  }

  private entersDatum({ entered = [], left = [] }: Recorded): boolean {
    const [, place, state = ""] = this.of?.split("/") ?? [];
    return place === "local" && (entered.includes(state) || left.includes(state));
  }

  /** The values that decided a condition. */
  private because(node: Recorded): string {
    const { parts = [] } = node;
    // Of a path such as `kites[target].braced` it is told what stands there.
    const path = parts.length > 0 && parts.every((part) => this.isIndex(node, part));
    const values = path ? this.valuesOf([node]) : this.valuesOf(parts);
    const omitted = omittedIn(node);
    return [...values, ...(omitted > 0 ? [`${omitted} more elements`] : [])].join(", ");
  }

  /**
   * The values at the ends of what was worked out, the deciding ones only: where something was decided by one of
   * several conditions, that is the one that was asked last.
   */
  private valuesOf(parts: readonly Recorded[]): string[] {
    const found = new Set<string>();
    const visit = (nodes: readonly Recorded[]): void => {
      const conditions = nodes.filter(({ value }) => typeof value === "boolean");
      const last = conditions.at(-1);
      const decided = conditions.length > 1 && conditions.some(({ value }) => value !== last?.value);
      for (const node of decided && last && conditions.length === nodes.length ? [last] : nodes) {
        const inside = (node.parts ?? []).filter((part) => !this.isIndex(node, part));
        if (inside.length > 0) visit(inside);
        else if (node.kind === "element") visit(node.parts ?? []);
        else if (node.value !== undefined) found.add(`${this.leaf(node)} = ${cut(valueInWords(node.value))}`);
      }
    };
    visit(parts);
    const all = [...found];
    return all.length > MOST_VALUES ? [...all.slice(0, MOST_VALUES), "..."] : all;
  }

  /** Whether a part is only an index or key of a path such as `kites[s].lift`. */
  private isIndex(node: Recorded, part: Recorded): boolean {
    const before = this.machine.sources.text({ from: node.from, to: part.from });
    const after = this.machine.sources.text({ from: part.to, to: node.to });
    return part.from > node.from && before.endsWith("[") && after.startsWith("]");
  }

  /** A value's text, with what stands in its brackets replaced by what it came to. */
  private leaf(node: Recorded): string {
    let text = "";
    let at = node.from;
    for (const part of node.parts ?? []) {
      if (part.from < at || part.value === undefined) continue;
      text += this.machine.sources.text({ from: at, to: part.from }) + valueInWords(part.value);
      at = part.to;
    }
    return cut((text + this.machine.sources.text({ from: at, to: node.to })).replace(/\s+/g, " "));
  }

  private text(node: Recorded): string {
    return cut(this.machine.sources.written(node));
  }

  private line(node: Recorded, depth: number, mark: TraceMark, text: string, because = ""): TraceLine {
    return { depth, mark, rule: node.name ?? "", text, because, from: node.from, to: node.to };
  }
}

/** A condition that decides something; what a parameter may be is asked as one value with rules in it. */
function isCondition({ kind, value, parts = [] }: Recorded): boolean {
  if (kind === "value") return parts.some(isCondition);
  return (kind === "rule" || kind === "if") && typeof value === "boolean";
}

function omittedIn({ omitted = 0, parts = [] }: Recorded): number {
  return parts.reduce((sum, part) => sum + omittedIn(part), omitted);
}

/** A node of a trace as other programs read it, with its place and its text. */
export interface TraceNodeJson extends Omit<Recorded, "from" | "to" | "parts"> {
  /** `line:column`, of an included file with its name before it. */
  readonly source: string;
  readonly text: string;
  readonly parts?: readonly TraceNodeJson[];
}

/** A trace as `--json` and the service give it; the form is described in docs/trace.md. */
export interface TraceJson extends Omit<Trace, "nodes" | "changes"> {
  readonly nodes: readonly TraceNodeJson[];
  readonly changes: readonly (FullChange & { readonly source?: string; readonly rule?: string })[];
}

export function traceJson(machine: Machine, trace: Trace): TraceJson {
  const { sources } = machine;
  const source = (position: number): string => {
    const { file, line, column } = sources.place(position);
    return position > (sources.files[0]?.text.length ?? 0) ? `${file}:${line}:${column}` : `${line}:${column}`;
  };
  const nodeJson = ({ from, to, parts, ...node }: Recorded): TraceNodeJson => ({
    ...node,
    source: source(from),
    text: sources.written({ from, to }),
    ...(parts && { parts: parts.map(nodeJson) }),
  });
  return {
    ...trace,
    nodes: trace.nodes.map(nodeJson),
    changes: trace.changes.map(({ position, ...change }) => ({
      ...change,
      ...(position !== undefined && { source: source(position) }),
    })),
  };
}

/**
 * A trace that another program has written as JSON, to be shown.
 *
 * @param machine the version it is a trace on
 */
export function traceFrom(machine: Machine, { nodes, changes, ...trace }: TraceJson): Trace {
  const { sources } = machine;
  const position = (source: string): number => {
    const [, file = sources.files[0]?.name ?? "", line, column] = /^(?:(.*):)?(\d+):(\d+)$/.exec(source) ?? [];
    return sources.position({ file, line: Number(line), column: Number(column) }) ?? 0;
  };
  const node = ({ source, text, parts, ...rest }: TraceNodeJson): Recorded => {
    const from = position(source);
    const to = from + lengthOf(sources.text({ from, to: Number.POSITIVE_INFINITY }), text);
    return { ...rest, from, to, ...(parts && { parts: parts.map(node) }) };
  };
  return {
    ...trace,
    nodes: nodes.map(node),
    changes: changes.map(({ source, ...change }) => ({
      ...change,
      ...(source !== undefined && { position: position(source) }),
    })),
  };
}

/** How much of a text was written with its spaces and line ends as single spaces. */
function lengthOf(text: string, written: string): number {
  let at = 0;
  for (const character of written) {
    if (character !== " ") at += character.length;
    else while (at < text.length && /\s/.test(text[at] ?? "")) at++;
  }
  return at;
}
