/**
 * The table of a machine: every state against every action, signal, event and timer: where it leads, why it
 * is refused, where it is inherited from, or that nobody decided.
 */

import type { Action, Arrow, Expr, Machine, Signal, State, Target } from "../check/machine.js";
import type { Span } from "../language/source.js";
import { visitArrow } from "../check/visit.js";
import { chancesIn, rolledLocals, shareOf } from "./odds.js";

export interface TableCell {
  /**
   * `leads`: it happens here and leads somewhere. `happens`: it has effects and leads nowhere. `refused`: an action
   * that is not open here. `unheard`: a signal that nobody hears here. `undecided`: the game or the system may
   * announce it at any time, and this state does not say what then.
   */
  readonly kind: "leads" | "happens" | "refused" | "unheard" | "undecided";
  /** Where it leads, in words, with conditions and shares. */
  readonly words: string;
  /** Under which conditions, with the reasons that are told when they do not hold. */
  readonly conditions: readonly string[];
  /** Where it leads, as short as it can be said: `Judge`, `Flown or Judge`; empty when it leads nowhere. */
  readonly short: string;
  /** The state it is inherited from, when it is not this state's own. */
  readonly from?: string;
  /** Where it stands in the text; undefined when nothing does. */
  readonly at?: number;
}

interface TableColumn {
  readonly kind: "action" | "signal" | "event" | "system" | "condition" | "timer";
  readonly name: string;
}

export interface TableRow {
  /** The state's name, and those around it from the outside in. */
  readonly state: string;
  readonly within: readonly string[];
  readonly kind: State["kind"];
  /** Where it stands in the text. */
  readonly at: number;
  /** Whose turn it is, as written. */
  readonly turn?: string;
  /** The chances rolled by what stands in this state itself, with their exact probabilities. */
  readonly chances: readonly string[];
  /** One cell for each column; conditions and timers may have several, or none. */
  readonly cells: readonly (readonly TableCell[])[];
}

export interface Table {
  readonly columns: readonly TableColumn[];
  readonly rows: readonly TableRow[];
}

/** The table of a machine. Rows are the states in which a match can stand: those without inner states. */
export function tableOf(machine: Machine): Table {
  const actions = [...new Set(machine.actions.map((a) => a.name))];
  const signals = machine.signals.filter(
    (s) => s.origin !== "system" || s.name === "Left" || machine.seats.least < machine.seats.names.length,
  );
  const columns: TableColumn[] = [
    ...actions.map((name): TableColumn => ({ kind: "action", name })),
    ...signals.map((s): TableColumn => ({ kind: s.origin === "machine" ? "signal" : s.origin, name: s.name })),
    { kind: "condition", name: "conditions" },
    { kind: "timer", name: "time" },
  ];
  const rows = machine.states
    .filter((s) => s.id > 0 && s.children.every((id) => machine.states[id]?.kind === "overlay"))
    .map((state): TableRow => {
      const chain = chainOf(machine, state);
      const turn = chain.find((s) => s.turn)?.turn;
      return {
        state: state.name,
        within: chain
          .slice(1, -1)
          .map((s) => s.name)
          .reverse(),
        kind: state.kind,
        at: state.from,
        ...(turn && { turn: words(machine, turn.of) }),
        chances: chancesIn(machine, state),
        cells: [
          ...actions.map((name) => [actionCell(machine, chain, name)]),
          ...signals.map((s) => [signalCell(machine, chain, s)]),
          conditionCells(machine, chain),
          timerCells(machine, chain),
        ],
      };
    });
  return { columns, rows };
}

function chainOf(machine: Machine, state: State): State[] {
  const chain: State[] = [];
  for (let id = state.id; id >= 0; id = machine.states[id]?.parent ?? -1) chain.push(machine.states[id] as State);
  return chain;
}

function inherited(chain: readonly State[], at: State): { from?: string } {
  return at === chain[0] ? {} : { from: at.id === 0 ? "the machine" : at.name };
}

function actionCell(machine: Machine, chain: readonly State[], name: string): TableCell {
  for (const state of chain) {
    const action = state.actions.find((a) => a.name === name);
    if (action)
      return {
        kind: leadsOn(action.arrow) ? "leads" : "happens",
        words: arrowWords(machine, action.arrow),
        short: shortWords(machine, [action.arrow]),
        at: action.from,
        conditions: conditionsOf(machine, action, chain),
        ...inherited(chain, state),
      };
  }
  return { kind: "refused", words: "not open here", short: "", conditions: [] };
}

function conditionsOf(machine: Machine, action: Action, chain: readonly State[]): string[] {
  const told = (test: Span, reason: Span | undefined): string =>
    `${words(machine, test)}${reason ? `, else ${words(machine, reason)}` : ""}`;
  const who =
    action.by === "anyone"
      ? ["by anyone"]
      : action.by
        ? [`by ${words(machine, action.by)}`]
        : chain.some((s) => s.turn)
          ? []
          : ["nobody has the turn here"];
  const parameters = action.parameters.flatMap((p) => [
    ...(p.domain ? [`${p.name} in ${words(machine, p.domain)}`] : []),
    ...(p.where ? [`where ${told(p.where, p.reason)}`] : []),
  ]);
  return [...who, ...parameters, ...action.needs.map((n) => `needs ${told(n.test, n.reason)}`)];
}

function signalCell(machine: Machine, chain: readonly State[], signal: Signal): TableCell {
  for (const state of chain) {
    const heard = state.listeners.filter((l) => l.signal === signal.id);
    if (heard.length === 0) continue;
    const arrows = heard.map((l) => (l.arrow ? arrowWords(machine, l.arrow) : "heard"));
    return {
      kind: heard.some((l) => l.arrow && leadsOn(l.arrow)) ? "leads" : "happens",
      words: [...new Set(arrows)].join("; "),
      short: shortWords(
        machine,
        heard.map((l) => l.arrow),
      ),
      at: heard[0]?.from ?? state.from,
      conditions: heard.flatMap((l) => (l.test ? [`when ${words(machine, l.test)}`] : [])),
      ...inherited(chain, state),
    };
  }
  return signal.origin === "machine"
    ? { kind: "unheard", words: "nobody hears it", short: "", conditions: [] }
    : { kind: "undecided", words: "undecided", short: "", conditions: [] };
}

function conditionCells(machine: Machine, chain: readonly State[]): TableCell[] {
  return chain.flatMap((state) =>
    state.whens.map((when): TableCell => {
      const { test } = when;
      const condition =
        test.kind === "holds"
          ? [`when ${words(machine, test.test)}`]
          : test.kind === "done"
            ? [`when done ${machine.states[test.final >= 0 ? test.final : test.of]?.name}`]
            : test.kind === "allReady"
              ? ["when all ready"]
              : ["at once"];
      return {
        kind: leadsOn(when.arrow) ? "leads" : "happens",
        words: arrowWords(machine, when.arrow),
        short: shortWords(machine, [when.arrow]),
        at: when.from,
        conditions: condition,
        ...inherited(chain, state),
      };
    }),
  );
}

function timerCells(machine: Machine, chain: readonly State[]): TableCell[] {
  return chain.flatMap((state) =>
    state.timers.map((timer): TableCell => {
      const time = `${timer.repeats ? "after each" : "after"} ${words(machine, timer.delay)}`;
      return {
        kind: timer.arrow && leadsOn(timer.arrow) ? "leads" : "happens",
        words: timer.arrow ? arrowWords(machine, timer.arrow) : "happens",
        short: shortWords(machine, [timer.arrow]),
        at: timer.from,
        conditions: [time, ...(timer.test ? [`when ${words(machine, timer.test)}`] : [])],
        ...inherited(chain, state),
      };
    }),
  );
}

function leadsOn(arrow: Arrow): boolean {
  return arrow.kind !== "stay" && arrow.kind !== "missing";
}

/** Where an arrow leads, in words: `-> Judge`, `-> Ambush 30% or Quiet 70%`. */
function arrowWords(machine: Machine, arrow: Arrow): string {
  const name = (t: Target): string => {
    const place = t.kind === "ending" ? machine.endings[t.ending]?.name : machine.states[t.state]?.name;
    return `${place}${t.args.length > 0 ? `(${t.args.map((a) => words(machine, a)).join(", ")})` : ""}`;
  };
  switch (arrow.kind) {
    case "to":
      return `-> ${arrow.again ? "again " : ""}${name(arrow.target)}`;
    case "history":
      return `-> history ${arrow.deep ? "deep " : ""}${machine.states[arrow.state]?.name}`;
    case "choose": {
      const rolled = rolledLocals(machine);
      const condition = (test: Expr): string =>
        [words(machine, test), test.kind === "local" ? rolled.get(test.slot) : undefined].filter(Boolean).join(" ");
      const branches = arrow.branches.map(
        (b) => `${b.test ? condition(b.test) : "always"}: ${arrowWords(machine, b.arrow)}`,
      );
      if (arrow.otherwise) branches.push(`else: ${arrowWords(machine, arrow.otherwise.arrow)}`);
      return branches.join("; ");
    }
    case "odds":
      return `-> ${arrow.entries.map((e) => `${name(e.target)} ${shareOf(machine, arrow, e)}`).join(" or ")}`;
    case "missing":
      return "nowhere yet";
    default:
      return `-> ${arrow.kind}`;
  }
}

/** The names of all that some arrows may lead to. */
function shortWords(machine: Machine, arrows: readonly (Arrow | undefined)[]): string {
  const names = new Set<string>();
  for (const arrow of arrows)
    visitArrow(arrow, {
      arrow(a) {
        for (const t of a.kind === "to" ? [a.target] : a.kind === "odds" ? a.entries.map((e) => e.target) : [])
          names.add((t.kind === "ending" ? machine.endings[t.ending] : machine.states[t.state])?.name ?? "");
        if (a.kind === "history") names.add(machine.states[a.state]?.name ?? "");
        if (a.kind === "stay" || a.kind === "return" || a.kind === "ready") names.add(a.kind);
      },
    });
  return [...names].join(" or ");
}

function words(machine: Machine, span: Span): string {
  return machine.sources.written(span);
}

/** The table as comma-separated values (RFC 4180): one line a state, one field a column. */
export function tableCsv({ columns, rows }: Table): string {
  const field = (text: string): string => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const cell = (c: TableCell): string =>
    `${c.words}${c.conditions.length > 0 ? ` [${c.conditions.join("; ")}]` : ""}${c.from ? ` (from ${c.from})` : ""}`;
  const lines = [
    ["state", "within", "turn", ...columns.map((c) => c.name)],
    ...rows.map((r) => [
      r.state,
      r.within.join(" / "),
      r.turn ?? "",
      ...r.cells.map((cells) => cells.map(cell).join(" | ")),
    ]),
  ];
  return `${lines.map((line) => line.map(field).join(",")).join("\r\n")}\r\n`;
}
