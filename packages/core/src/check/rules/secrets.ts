/**
 * Private and hidden data on their way to seats that may not see them.
 *
 * What a seat does openly, and what a phase without a turn does, is done to be seen: an action that lays a card, a
 * showdown that opens all hands, an answer the rules give, what follows when all are ready. A leak is what shows though
 * nobody chose to show it: what a sealed action tells, what happens by itself in a state where somebody has the turn,
 * whose turn it is, and which actions are open.
 */

import { chainOf, ends } from "../tree.js";
import { branchesOf, keysOf, visitBlock } from "../visit.js";
import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Action, Arrow, Block, Expr, Location, Machine, State, Statement, Timer, When } from "../machine.js";
import { CHOICE, type Known, type Origin, Origins } from "../origins.js";
import type { Findings } from "../reason/findings.js";
import { checkToldToOne } from "./told-to-one.js";

export function checkSecrets(found: Findings, messages: Messages): void {
  const { machine } = found;
  if (
    !machine.actions.some((a) => a.sealed) &&
    ![...machine.data, ...machine.states.flatMap((s) => s.fields)].some((f) => f.visibility !== "public")
  )
    return;
  const finder = new SecretFinder(machine, messages);
  for (const state of machine.states) finder.state(state);
  checkToldToOne(machine, messages);
}

/** What happens once all have chosen, or have no more time to, is done to be seen. */
function resolving({ turn, whens, timers }: State): (When | Timer)[] {
  if (!turn?.each) return [];
  const leaves = ({ arrow }: Timer): boolean => arrow !== undefined && ends(arrow).every(({ kind }) => kind !== "stay");
  return [...whens.filter(({ test }) => test.kind === "allReady"), ...timers.filter(leaves)];
}

/** A state and those in it that are entered with it. */
function pathsIn({ states }: Machine, id: number): number[] {
  const path: number[] = [];
  for (let state = states[id]; state; state = states[state.start]) path.push(state.id);
  return path;
}

/** Whether a seat has chosen when it has taken an action, among all who choose at once. */
function isChoice(arrow: Arrow): boolean {
  return ends(arrow).some(({ kind }) => kind === "ready");
}

/** Values that nobody takes out of anywhere: cells, seats, numbers one after the other. */
function isNoHeap(domain: Expr): boolean {
  if (domain.kind === "binder") return domain.word === "filter" && isNoHeap(domain.source);
  return ["gridProperty", "seats", "inPlay", "seated", "range"].includes(domain.kind);
}

/** What a record or a list is made of, where it is written out. */
function partsOf(e: Expr): readonly Expr[] {
  return e.kind === "record" ? e.fields : e.kind === "list" ? e.items : [];
}

/** What an action sets. */
function writesIn({ block }: Action): (Statement & { readonly kind: "assign" })[] {
  const writes: (Statement & { readonly kind: "assign" })[] = [];
  visitBlock(block, { statement: (s) => void (s.kind === "assign" && writes.push(s)) });
  return writes;
}

class SecretFinder {
  private readonly origins: Origins;
  /** The states that are entered once all have chosen, and by no action: there it is opened what they chose. */
  private readonly opened: ReadonlySet<number>;
  /** What is laid down whole where it is looked at now: afterwards it is no secret of anybody. */
  private laidDown: ReadonlySet<string> = new Set();

  constructor(
    private readonly machine: Machine,
    private readonly messages: Messages,
  ) {
    this.origins = new Origins(machine, { strict: false });
    const entered = (arrows: readonly (Arrow | undefined)[]): number[] =>
      arrows
        .flatMap((arrow) => (arrow ? ends(arrow) : []))
        .flatMap((end) => {
          const isTo = end.kind === "to" && end.target.kind === "state";
          return isTo ? pathsIn(machine, (end.target as { readonly state: number }).state) : [];
        });
    const opened = entered(machine.states.flatMap(resolving).map(({ arrow }) => arrow));
    const taken = new Set(entered(machine.actions.map(({ arrow }) => arrow)));
    this.opened = new Set(opened.filter((id) => !taken.has(id)));
  }

  state(state: State): void {
    for (const action of state.actions) this.action(action);
    if (state.turn) this.tell(state.turn.of, this.secrets(state.turn.of, new Map()), "whose turn it is");
    if (!this.hasTurn(state)) return;
    const { enters, timers, listeners, whens } = state;
    const resolves: ReadonlySet<unknown> = new Set(resolving(state));
    const shown = this.opened.has(state.id) ? [] : enters;
    for (const item of [...shown, ...timers, ...listeners, ...whens])
      if (!resolves.has(item)) this.way(item.block, item.arrow, new Map());
  }

  private hasTurn(state: State): boolean {
    for (let id = state.id; id >= 0; id = this.machine.states[id]?.parent ?? -1)
      if (this.machine.states[id]?.turn) return true;
    return false;
  }

  private action(action: Action): void {
    const known = new Map<number, readonly Origin[]>();
    for (const p of action.parameters) {
      if (p.domain)
        this.tell(
          p.domain,
          this.foreign(this.secrets(p.domain, known)),
          `the values that can be chosen for "${p.name}"`,
        );
      if (p.where) this.tell(p.where, this.foreign(this.secrets(p.where, known)), `which values of "${p.name}" fit`);
      if (p.reason) this.tell(p.reason, this.foreign(this.secrets(p.reason, known)), "the reason");
    }
    for (const need of action.needs) {
      this.tell(need.test, this.foreign(this.secrets(need.test, known)), `whether "${action.name}" is open`);
      if (need.reason) this.tell(need.reason, this.foreign(this.secrets(need.reason, known)), "the reason");
    }
    if (!action.sealed) {
      this.shown(action);
      this.shownByItsName(action);
      return;
    }
    for (const p of action.parameters) known.set(p.slot, [CHOICE]);
    this.way(action.block, action.arrow, known);
    this.shownByItsTrace(action);
  }

  /**
   * Of several sealed actions of which everybody takes one, one that leaves behind for all to see what another does
   * not: it tells which was taken.
   */
  private shownByItsTrace({ id, name, state, block, arrow }: Action): void {
    if (!isChoice(arrow)) return;
    const others =
      this.machine.states[state]?.actions.filter((a) => a.sealed && a.id !== id && isChoice(a.arrow)) ?? [];
    const traces = others.map((other) => new Set(writesIn(other).map((s) => this.text(s))));
    visitBlock(block, {
      statement: (s) => {
        if (s.kind !== "assign" || s.value.kind !== "constant" || !this.isPublic(s.target)) return;
        if (traces.every((trace) => trace.has(this.text(s)))) return;
        const target = this.text(s.target);
        this.messages.warning(
          "open-choice",
          s,
          `"${name}" is sealed, but everybody sees "${target}": that it is set tells which action was taken.`,
          `Keep it where others do not look: declare "${/^\w+/.exec(target)?.[0]}" private or hidden.`,
        );
      },
    });
  }

  /** What is chosen openly, for all to see, and kept as a secret: as a value, or as the place where one is kept. */
  private shown({ name, from, parameters, block }: Action): void {
    const slots = new Set(parameters.map(({ slot }) => slot));
    const isChosen = (e: Expr): boolean => e.kind === "local" && slots.has(e.slot);
    // Which place something has in a list that nobody sees tells nothing.
    const isPlace = (e: Expr): boolean => isChosen(e) && e.type.kind !== "int";
    // What is taken from a list that lies there may be seen to be taken, and put among what is secret.
    const free = new Set(parameters.filter(({ domain }) => !domain || isNoHeap(domain)).map(({ slot }) => slot));
    const isMadeUp = (e: Expr): boolean => e.kind === "local" && free.has(e.slot);
    const listed = new Set(parameters.filter(({ domain }) => domain?.kind === "named").map(({ slot }) => slot));
    // What is made of values that all know was made up, too.
    const isPart = (e: Expr): boolean => isMadeUp(e) || (e.kind === "local" && listed.has(e.slot));
    visitBlock(block, {
      statement: (s) => {
        if (s.kind !== "change" && (s.kind !== "assign" || s.op !== "=")) return;
        if (this.isPublic(s.target) || s.target.base.kind === "local") return;
        const [whose, ...places] = keysOf(s.target);
        // In what is another's nothing is chosen for oneself.
        const chosen =
          s.kind === "assign"
            ? ([s.value].find(isChosen) ?? partsOf(s.value).find(isPart))
            : whose?.kind === "me" && (s.method === "push" || s.method === "insert")
              ? s.args.flatMap((arg) => (arg.kind === "record" ? arg.fields : arg)).find(isMadeUp)
              : undefined;
        const shown = chosen ?? (s.kind === "assign" && whose?.kind === "me" ? places.find(isPlace) : undefined);
        if (!shown) return;
        this.messages.warning(
          "open-choice",
          shown,
          `"${this.text(s.target)}" is secret, but "${name}" is not sealed: everybody sees what was chosen.`,
          `Seal it: sealed action ${name}.`,
          undefined,
          { title: "Seal the action", edits: [{ from, to: from, text: "sealed " }] },
        );
      },
    });
  }

  /**
   * Of all who choose at once, one whose choice is what it does: that it is done tells it. What stands for no choice,
   * such as none or nothing bid, may be told.
   */
  private shownByItsName({ id, name, nameSpan, from, state, block, arrow }: Action): void {
    const turn = chainOf(this.machine, state).find((around) => around.turn)?.turn;
    if (!turn?.each || !isChoice(arrow)) return;
    // Where another way to choose is sealed and sets the same, whoever is not seen to take this one took that.
    const sealed = this.machine.states[state]?.actions.filter((a) => a.sealed && a.id !== id && !a.parameters.length);
    const other = new Set(sealed?.flatMap(writesIn).map(({ target }) => this.text(target)));
    const choices = this.machine.states[state]?.actions.filter((a) => isChoice(a.arrow)) ?? [];
    const [only] = sealed ?? [];
    if (only && choices.length === 2 && writesIn(only).some(({ target }) => !this.isPublic(target)) && !block) {
      this.messages.warning(
        "open-choice",
        nameSpan,
        `"${only.name}" is sealed, but "${name}" is not: whoever is not seen to take it has taken "${only.name}".`,
        `Seal it: sealed action ${name}.`,
        undefined,
        { title: "Seal the action", edits: [{ from, to: from, text: "sealed " }] },
      );
      return;
    }
    visitBlock(block, {
      statement: (s) => {
        if (s.kind !== "assign" || s.op !== "=" || s.value.kind !== "constant") return;
        if (!s.value.value && !other.has(this.text(s.target))) return;
        const [step] = s.target.path;
        if (this.isPublic(s.target) || step?.kind !== "index" || step.key.kind !== "me") return;
        this.messages.warning(
          "open-choice",
          s.value,
          `"${this.text(s.target)}" is secret, but "${name}" is not sealed: that it was done tells what it is.`,
          `Seal it: sealed action ${name}.`,
          undefined,
          { title: "Seal the action", edits: [{ from, to: from, text: "sealed " }] },
        );
      },
    });
  }

  /** What is not the acting seat's own. */
  private foreign(secrets: readonly Origin[]): Origin[] {
    return secrets.filter((s) => s.owner !== "me");
  }

  private way(block: Block | undefined, arrow: Arrow | undefined, known: Known): void {
    const before = this.laidDown;
    this.laidDown = new Set([...before, ...this.clearedIn(block)]);
    const after = this.block(block, known);
    this.laidDown = before;
    if (arrow) this.arrow(arrow, after);
  }

  /** The secret lists that a block empties: whoever shows what was in them lays it down. */
  private clearedIn(block: Block | undefined): string[] {
    const cleared: string[] = [];
    visitBlock(block, {
      statement: (s) => {
        const field = s.kind === "change" && s.method === "clear" ? this.origins.fieldAt(s.target.base) : undefined;
        if (field) cleared.push(field.name);
      },
    });
    return cleared;
  }

  private arrow(arrow: Arrow, known: Known): void {
    if (arrow.kind === "choose") for (const b of branchesOf(arrow)) this.way(b.block, b.arrow, known);
    const targets =
      arrow.kind === "to" ? [arrow.target] : arrow.kind === "odds" ? arrow.entries.map((e) => e.target) : [];
    for (const target of targets)
      if (target.kind === "state")
        for (const arg of target.args)
          this.tell(arg, this.secrets(arg, known), "the data of a state, which everybody sees");
  }

  private block(block: Block | undefined, known: Known): Known {
    let now = known;
    for (const s of block?.statements ?? []) now = this.statement(s, now);
    return now;
  }

  private statement(s: Statement, known: Known): Known {
    switch (s.kind) {
      case "let":
        return new Map(known).set(s.slot, this.secrets(s.value, known));
      case "assign":
        if (this.isPublic(s.target))
          for (const e of [s.value, ...keysOf(s.target)])
            this.tell(e, this.secrets(e, known), `"${this.text(s.target)}", which everybody sees`);
        return s.target.base.kind === "local"
          ? new Map(known).set(s.target.base.slot, this.secrets(s.value, known))
          : known;
      case "change":
        if (this.isPublic(s.target))
          for (const arg of [...s.args, ...keysOf(s.target)])
            this.tell(arg, this.secrets(arg, known), `"${this.text(s.target)}", which everybody sees`);
        return known;
      case "call": {
        const called = this.machine.effects[s.effect];
        const inner = new Map(known);
        for (const [i, p] of (called?.parameters ?? []).entries())
          if (s.args[i]) inner.set(p.slot, this.secrets(s.args[i], known));
        const after = this.block(called?.body, inner);
        const { slot = -1 } = called?.result ?? {};
        return slot < 0 ? known : new Map(known).set(slot, after.get(slot) ?? []);
      }
      case "note": {
        const secrets = this.secrets(s.text, known);
        if (!s.audience) this.tell(s.text, secrets, "a note to everybody");
        // Who looks at something of another by an action of its own is told of it on purpose.
        else if (s.audience.kind !== "me") {
          const to = this.origins.ownerOf(s.audience);
          this.tell(
            s.text,
            secrets.filter((x) => x.visibility === "private" && x.owner !== to),
            `a note to ${this.text(s.audience)}`,
          );
        }
        return known;
      }
      case "raise":
        for (const arg of s.args) this.tell(arg, this.secrets(arg, known), "a signal, which everybody sees");
        return known;
      case "for": {
        const inner = new Map(known).set(s.slot, this.secrets(s.source, known));
        this.block(s.body, inner);
        return known;
      }
      case "if":
        for (const b of s.branches) {
          const secrets = this.secrets(b.test, known);
          if (secrets.length > 0 && b.body.statements.some((x) => x.kind === "note" && !x.audience))
            this.tell(b.test, secrets, "whether this note is written to everybody");
          this.block(b.body, known);
        }
        this.block(s.otherwise, known);
        return known;
      default:
        return known;
    }
  }

  /** What an expression shows that not everybody may see. Rolls of public dice everybody sees. */
  private secrets(e: Expr, known: Known): readonly Origin[] {
    return this.origins
      .of(e, known)
      .filter(({ name, visibility }) => visibility !== "public" && !this.laidDown.has(name));
  }

  private isPublic(target: Location): boolean {
    return this.origins.fieldAt(target.base)?.visibility === "public";
  }

  private text(at: Span): string {
    return this.machine.sources.written(at);
  }

  private tell(at: Span, secrets: readonly Origin[], to: string): void {
    const [first] = secrets;
    if (!first) return;
    const { name, visibility } = first;
    if (first === CHOICE) {
      this.messages.warning(
        "secret-leak",
        at,
        `A sealed action does not tell what was chosen, but that shows in ${to}.`,
        "Keep it in private data, to be opened later; or do not seal the action.",
      );
      return;
    }
    const who = visibility === "hidden" ? "nobody may see" : "only its own seat may see";
    this.messages.warning(
      "secret-leak",
      at,
      `"${name}", which ${who}, shows in ${to}.`,
      visibility === "hidden"
        ? "Show only what has been taken from it (take), or what may be known, such as its size."
        : "Tell it to its own seat alone, note to SEAT; or let the seat reveal it by an action.",
    );
  }
}
