/** The outline of a machine: states with their actions and data, endings, declarations, one line each. */

import type { Machine, State } from "../check/machine.js";
import type { Span } from "../language/source.js";
import { describe, type Type } from "../check/types.js";

export interface OutlineItem {
  readonly kind:
    | "state"
    | "overlay"
    | "final"
    | "ending"
    | "action"
    | "data"
    | "signal"
    | "event"
    | "function"
    | "effect"
    | "constant"
    | "type"
    | "law"
    | "policy"
    | "test";
  readonly name: string;
  /** What belongs on its line besides: a type, whose turn it is, what it takes. */
  readonly detail: string;
  readonly doc?: string;
  /** Where it stands whole, and where its name does. */
  readonly span: Span;
  readonly nameSpan: Span;
  readonly children: readonly OutlineItem[];
}

/** The innermost state, or the ending, whose text a position lies in; undefined where there is none. */
export function stateAt({ states, endings }: Machine, position: number): string | undefined {
  const around = [...states.slice(1), ...endings].filter(({ from, to }) => from <= position && position < to);
  return around.sort((a, b) => a.to - a.from - (b.to - b.from))[0]?.name;
}

/** The outline, in the order of the text within each group. */
export function outlineOf(machine: Machine): OutlineItem[] {
  const written = (span: Span): string => machine.sources.written(span);
  const [root] = machine.states;
  return [
    ...machine.types.flatMap((t) => typeItem(t, machine)),
    ...machine.constants.map((c) => item("constant", c.name, describe(c.type), c, c)),
    ...machine.data.map((f) => dataItem(f, written)),
    ...machine.signals
      .filter((s) => s.origin !== "system")
      .map((s) => item(s.origin === "event" ? "event" : "signal", s.name, takes(s.parameters), s, { doc: s.doc })),
    ...machine.functions.map((f) =>
      item("function", f.name, `${takes(f.parameters) || "()"}: ${describe(f.type)}`, f, f),
    ),
    ...machine.effects.map((e) => item("effect", e.name, takes(e.parameters) || "()", e, e)),
    ...(root ? root.actions.map((a) => item("action", a.name, takes(a.parameters), a, a)) : []),
    ...(root ? root.children.map((id) => stateItem(machine.states[id] as State, machine, written)) : []),
    ...machine.endings.map((e) =>
      item("ending", e.name, line("  ", takes(e.parameters), ...e.results.map(written)), e, e),
    ),
    ...machine.laws.map((l) => item("law", l.words, "", l)),
    ...machine.policies.map((p) => item("policy", p.name, "", p)),
    ...machine.tests.map((t) => item("test", t.words, "", t)),
  ];
}

/** @param named where its name stands, when that is known, and what its doc comment says */
function item(
  kind: OutlineItem["kind"],
  name: string,
  detail: string,
  span: Span,
  named: { readonly nameSpan?: Span; readonly doc?: string | undefined } = {},
  children: readonly OutlineItem[] = [],
): OutlineItem {
  const { nameSpan = span, doc } = named;
  return {
    kind,
    name,
    detail,
    ...(doc !== undefined && { doc }),
    span: { from: Math.min(span.from, nameSpan.from), to: Math.max(span.to, nameSpan.to) },
    nameSpan: { from: nameSpan.from, to: nameSpan.to },
    children,
  };
}

/** What is not empty, on one line. */
function line(separator: string, ...parts: readonly string[]): string {
  return parts.filter((part) => part !== "").join(separator);
}

function takes(parameters: readonly { readonly name: string; readonly type: Type }[]): string {
  return parameters.length === 0 ? "" : `(${parameters.map((p) => `${p.name}: ${describe(p.type)}`).join(", ")})`;
}

function typeItem(type: Machine["types"][number], machine: Machine): OutlineItem[] {
  const declared = machine.names.declarations.find((d) => d.kind === "a type" && d.name === type.name);
  const members = type.kind === "enum" ? type.members : type.fields.map((f) => f.name);
  return declared ? [item("type", type.name, members.join(", "), declared.span)] : [];
}

function dataItem(f: Machine["data"][number], written: (span: Span) => string): OutlineItem {
  const visibility = f.visibility === "public" ? "" : `${f.visibility} `;
  const initial = f.initial ? ` = ${written(f.initial)}` : "";
  const nameSpan = { from: f.nameFrom, to: f.nameFrom + f.name.length };
  return item("data", f.name, `${visibility}${describe(f.type)}${initial}`, f, { nameSpan });
}

function stateItem(state: State, machine: Machine, written: (span: Span) => string): OutlineItem {
  const detail = line(
    " ",
    takes(state.parameters),
    state.parallel ? "side by side" : "",
    state.stub ? "not written yet" : "",
    state.turn ? written(state.turn) : "",
  );
  return item(state.kind === "machine" ? "state" : state.kind, state.name, detail, state, state, [
    ...state.fields.slice(state.parameters.length).map((f) => dataItem(f, written)),
    ...state.actions.map((a) =>
      item("action", a.name, line(" ", takes(a.parameters), a.by === "anyone" ? "by anyone" : ""), a, a),
    ),
    ...state.children.map((id) => stateItem(machine.states[id] as State, machine, written)),
  ]);
}
