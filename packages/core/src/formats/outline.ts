/** The outline of a machine: states with their actions and data, endings, declarations, one line each. */

import type { Machine, State } from "../check/machine.js";
import type { Span } from "../language/source.js";
import { describe } from "../check/types.js";

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

/** The outline, in the order of the text within each group. */
export function outlineOf(machine: Machine): OutlineItem[] {
  const item = (
    kind: OutlineItem["kind"],
    name: string,
    detail: string,
    span: Span,
    nameSpan: Span = span,
    children: readonly OutlineItem[] = [],
    doc?: string,
  ): OutlineItem => ({
    kind,
    name,
    detail,
    ...(doc !== undefined && { doc }),
    span: { from: Math.min(span.from, nameSpan.from), to: Math.max(span.to, nameSpan.to) },
    nameSpan: { from: nameSpan.from, to: nameSpan.to },
    children,
  });
  const written = (span: Span): string => machine.sources.text(span).replace(/\s+/g, " ");
  const takes = (
    parameters: readonly { readonly name: string; readonly type: Parameters<typeof describe>[0] }[],
  ): string =>
    parameters.length === 0 ? "" : `(${parameters.map((p) => `${p.name}: ${describe(p.type)}`).join(", ")})`;
  const dataItem = (f: Machine["data"][number]): OutlineItem =>
    item(
      "data",
      f.name,
      `${f.visibility === "public" ? "" : `${f.visibility} `}${describe(f.type)}${f.initial ? ` = ${written(f.initial)}` : ""}`,
      f,
      { from: f.nameFrom, to: f.nameFrom + f.name.length },
    );
  const stateItem = (state: State): OutlineItem => {
    const own = state.fields.slice(state.parameters.length).map(dataItem);
    const actions = state.actions.map((a) =>
      item(
        "action",
        a.name,
        [takes(a.parameters), a.by === "anyone" ? "by anyone" : ""].filter(Boolean).join(" "),
        a,
        a.nameSpan,
        [],
        a.doc,
      ),
    );
    const inner = state.children.map((id) => stateItem(machine.states[id] as State));
    const detail = [
      takes(state.parameters),
      state.parallel ? "side by side" : "",
      state.stub ? "not written yet" : "",
      state.turn ? written(state.turn).replace(/^turn of/, "turn of") : "",
    ]
      .filter(Boolean)
      .join(" ");
    return item(
      state.kind === "machine" ? "state" : state.kind,
      state.name,
      detail,
      state,
      state.nameSpan,
      [...own, ...actions, ...inner],
      state.doc,
    );
  };
  const [root] = machine.states;
  return [
    ...machine.types.flatMap((t) => {
      const declared = machine.names.declarations.find((d) => d.kind === "a type" && d.name === t.name);
      return declared
        ? [
            item(
              "type",
              t.name,
              t.kind === "enum" ? t.members.join(", ") : t.fields.map((f) => f.name).join(", "),
              declared.span,
            ),
          ]
        : [];
    }),
    ...machine.constants.map((c) => item("constant", c.name, describe(c.type), c, c.nameSpan, [], c.doc)),
    ...machine.data.map(dataItem),
    ...machine.signals
      .filter((s) => s.origin !== "system")
      .map((s) => item(s.origin === "event" ? "event" : "signal", s.name, takes(s.parameters), s, s, [], s.doc)),
    ...machine.functions.map((f) =>
      item("function", f.name, `${takes(f.parameters) || "()"}: ${describe(f.type)}`, f, f.nameSpan, [], f.doc),
    ),
    ...machine.effects.map((e) => item("effect", e.name, takes(e.parameters) || "()", e, e.nameSpan, [], e.doc)),
    ...(root ? root.actions.map((a) => item("action", a.name, takes(a.parameters), a, a.nameSpan, [], a.doc)) : []),
    ...(root ? root.children.map((id) => stateItem(machine.states[id] as State)) : []),
    ...machine.endings.map((e) =>
      item(
        "ending",
        e.name,
        [takes(e.parameters), e.results.map((r) => written(r)).join("  ")].filter(Boolean).join("  "),
        e,
        e.nameSpan,
        [],
        e.doc,
      ),
    ),
    ...machine.laws.map((l) => item("law", l.words, "", l)),
    ...machine.policies.map((p) => item("policy", p.name, "", p)),
    ...machine.tests.map((t) => item("test", t.words, "", t)),
  ];
}
