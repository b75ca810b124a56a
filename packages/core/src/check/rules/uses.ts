/** What is declared and never used: signals nobody hears or raises, data nobody reads or sets, actions never open. */

import { someExpr, visitMachine } from "../visit.js";
import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Action, DataField, Expr, Machine, Signal, State, Statement } from "../machine.js";
import { readsOf } from "../reads.js";
import { type Access, type DataPath, pathOf } from "../reason/accesses.js";
import { branchTests, writtenArrows } from "../tree.js";
import type { Findings } from "../reason/findings.js";
import type { Point } from "../reason/flow.js";
import { MAX_INT, type Type } from "../types.js";

export function checkUses(found: Findings, messages: Messages): void {
  checkSignals(found, messages);
  checkData(found, messages);
  checkRoutines(found, messages);
  checkOpenings(found, messages);
  for (const [signal, arrow] of found.dropped) {
    const declared = found.machine.signals[signal];
    const heard = found.machine.states.some((s) =>
      s.listeners.some((l) => l.signal === signal && (l.arrow || l.block?.statements.some((x) => x.kind !== "note"))),
    );
    if (declared && heard)
      messages.warning(
        "late-signal",
        arrow,
        `"${declared.name}" is raised on the way to this ending: after an ending nothing acts, so nobody hears it.`,
        "Do what its listeners do before the ending, or lead through a state that is passed at once.",
        { from: declared.from, to: declared.to, words: `The signal "${declared.name}" is declared here.` },
      );
  }
}

/** The first assignment to data that are never given anything but the constant they begin with. */
function setsToBeginning(
  { type, initial }: Pick<DataField, "type"> & { readonly initial?: Expr | undefined },
  path: DataPath,
  writes: readonly Access[],
): (Statement & { readonly kind: "assign" }) | undefined {
  const of = type.kind === "perSeat" ? type.of : type;
  if (of.kind !== "bool" && of.kind !== "enum" && of.kind !== "int") return undefined;
  if (initial && initial.kind !== "constant") return undefined;
  const begins = initial?.value ?? (of.kind === "bool" ? false : of.kind === "int" ? Math.max(0, of.low) : 0);
  const sets = writes.flatMap(({ path: at, statement: s }) =>
    at === path && s?.kind === "assign" && s.op === "=" && s.value.kind === "constant" && s.value.value === begins
      ? [s]
      : [],
  );
  return sets.length === writes.length ? sets[0] : undefined;
}

/** What is asked of one datum alone follows from what is told of that. */
function explain(found: Findings, path: DataPath): void {
  for (const test of found.tests.keys()) {
    const { slots } = readsOf(found.machine, test);
    if (slots.size === 1 && someExpr(test, (e) => pathOf(e) === path)) found.explained.add(test);
  }
}

/** Declarations of an included file may be there for other machines. */
function isOwn(machine: Machine, at: Span): boolean {
  return machine.sources.place(at.from).file === machine.sources.files[0]?.name;
}

function checkSignals(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  for (const signal of machine.signals) {
    if (signal.origin === "system" || !isOwn(machine, signal)) continue;
    const raised = accesses.isCalled("signal", signal.id);
    const listener = machine.states.flatMap((s) => s.listeners).find((l) => l.signal === signal.id);
    if (signal.origin === "event") {
      if (!listener)
        messages.warning(
          "unheard-signal",
          signal,
          `The game may tell of "${signal.name}", but nothing here hears it.`,
          `Hear it where it matters, on ${signal.name} ..., or remove the event.`,
        );
    } else if (raised && !listener)
      messages.warning(
        "unheard-signal",
        signal,
        `"${signal.name}" is raised, but nobody hears it.`,
        `Hear it where it matters: on ${signal.name} ... { ... }; or raise nothing.`,
      );
    else if (!raised && listener)
      messages.warning(
        "unraised-signal",
        listener,
        `Nobody ever raises "${signal.name}", so this is never called.`,
        `Raise it where it happens: raise ${signal.name}(...).`,
      );
    else if (!raised) unused(messages, signal, "signal", signal.name);
    else if (!machine.standardOrder) checkListeners(found, signal, messages);
  }
}

/** Listeners in states that are never active when their signal is delivered: whoever raises it has left them. */
function checkListeners({ machine, flow, delivered, heard }: Findings, signal: Signal, messages: Messages): void {
  if (!delivered.has(signal.id)) return;
  for (const state of machine.states)
    for (const listener of state.listeners) {
      if (listener.signal !== signal.id || heard.has(listener) || !flow.entered.has(state.id)) continue;
      messages.warning(
        "unraised-signal",
        listener,
        `"${signal.name}" is raised only where "${state.name}" is not active: here it is never heard.`,
        "Listen in a state that is active then, or around both; or raise it before the state is left.",
      );
    }
}

function unused(messages: Messages, at: Span, what: string, name: string): void {
  messages.warning("unused-declaration", at, `The ${what} "${name}" is never used.`, "Use it or remove it.");
}

// ---- data --------------------------------------------------------------------------------------

function checkData(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  const compared = new Set<string>();
  const fields = new Set<string>();
  /** Fields for which records that are written out have a value of their own. */
  const given = new Set<string>();
  /** Among those, the fields that keep how the match stood then: who acted, what it was paid for. */
  const kept = new Set<string>();
  // What the game tells of is made outside.
  for (const { origin, parameters } of machine.signals)
    if (origin === "event") for (const { type } of parameters) noteRecord(type, compared);
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind === "record" && e.type.kind === "record") {
        const initials = machine.recordInitials.get(e.type.name) ?? [];
        for (const [i, value] of e.fields.entries())
          if (value.kind !== "default" && value !== initials[i]) {
            given.add(`${e.type.name}.${i}`);
            if (
              someExpr(value, ({ kind }) => kind === "me" || kind === "data" || kind === "stateData" || kind === "now")
            )
              kept.add(`${e.type.name}.${i}`);
          }
      }
      if (e.kind === "field" && e.of.type.kind === "record") fields.add(`${e.of.type.name}.${e.field}`);
      if (e.kind === "binary" && (e.op === "==" || e.op === "!=" || e.op === "in")) noteRecord(e.left.type, compared);
      if (e.kind === "listHas") noteRecord(e.value.type, compared);
      if (e.kind === "text") for (const part of e.parts) if (typeof part !== "string") noteRecord(part.type, compared);
    },
  });
  const check = (
    path: string,
    field: { name: string; type: Type; visibility: DataField["visibility"]; initial?: Expr | undefined } & Span,
    parameter: boolean,
  ): void => {
    const uses = accesses.touching(path);
    const reads = uses.filter((a) => a.kind === "read" && !a.own);
    const writes = uses.filter((a) => a.kind === "write" && a.place.kind !== "test");
    // What is taken from and never asked for is no price.
    const taken = writes.find((a) => a.statement?.kind === "assign" && a.statement.op === "-=");
    if (taken && field.visibility !== "hidden" && reads.every((a) => a.place.kind === "test")) {
      messages.warning(
        "unread-data",
        taken,
        `"${machine.sources.text(taken)}" is taken from, but nothing ever asks how much of it there is.`,
        "Ask for it where it is spent, or lead on where nothing is left of it.",
      );
    } else if (reads.length === 0) {
      if (parameter) return;
      // Whoever is next is worked out from whoever was: that is done for a turn, and no turn is of it.
      if (field.type.kind === "seat" && uses.some((a) => a.own) && machine.seats.names.length > 1)
        messages.warning(
          "unread-data",
          nameOf(field),
          `"${field.name}" is passed on from seat to seat, but nothing is asked of it: no turn is of it.`,
          `Say whose turn it is by it: turn of ${field.name}.`,
        );
      // What is set and seen may be there for people alone.
      else if (writes.length > 0 && field.visibility !== "hidden")
        messages.hint(
          "unread-data",
          nameOf(field),
          `"${field.name}" is set, but no rule reads it: only people see it.`,
          "When it is not meant for them, remove it and what sets it.",
        );
      else
        messages.warning(
          "unread-data",
          nameOf(field),
          `"${field.name}" is ${writes.length > 0 ? "set, but nobody sees it and nothing reads it" : "never used"}.`,
          writes.length > 0 ? "Use it, or remove it and what sets it." : "Use it or remove it.",
        );
    } else if (
      writes.length === 0 &&
      !field.initial &&
      !parameter &&
      !hasOwnDefaults(field.type) &&
      reads.some((a) => !a.shape)
    ) {
      messages.warning(
        "unset-data",
        nameOf(field),
        `"${field.name}" is read, but nothing ever sets it: it stays what its type begins with.`,
        "Set it where it should change, or give it a default when it is set up from outside.",
      );
    } else if (
      writes.length === 0 &&
      field.visibility !== "public" &&
      field.type.kind === "perSeat" &&
      (field.type.of.kind === "enum" || field.type.of.kind === "bool")
    ) {
      messages.warning(
        "unset-data",
        nameOf(field),
        `"${field.name}" is read, but nothing ever sets it: every seat's stays what it begins with.`,
        "Set it where it is dealt out or chosen.",
      );
    } else if (writes.length === 0 && isCounted(machine, field, path, uses.length > reads.length)) {
      const [does, sign] = isCountedDown(field) ? ["fell", "-="] : ["grew", "+="];
      messages.warning(
        "unset-data",
        nameOf(field),
        `"${field.name}" is asked for as if it ${does}, but nothing ever counts it: it stays what it begins with.`,
        `Count it where it should change, such as: ${field.name} ${sign} 1`,
      );
    } else if (writes.length === 0 && uses.length === reads.length && isNothing(field.initial)) {
      messages.warning(
        "unset-data",
        nameOf(field),
        `"${field.name}" is read, but nothing ever puts anything into it: it stays empty.`,
        "Put something in where it comes about, with push, insert or [KEY] = VALUE.",
      );
    } else if (writes.length === 0 && uses.length === reads.length && isFact(field)) {
      messages.warning(
        "unset-data",
        nameOf(field),
        `"${field.name}" is asked for, but nothing ever sets it: it stays false.`,
        `Set it where it comes to be so: ${field.name}${field.type.kind === "perSeat" ? "[SEAT]" : ""} = true.`,
      );
    } else if (writes.length === 0) {
      tellStock(field, field, (e) => pathOf(e) === path);
    } else if (reads.some((a) => a.place.kind !== "test")) {
      const sets = setsToBeginning(field, path, writes);
      if (!sets) return;
      explain(found, path);
      messages.warning(
        "unset-data",
        sets,
        `"${field.name}" is only ever set to ${machine.sources.text(sets.value)}, and it begins with that: it never ` +
          "changes.",
        "Set it to something else where it should change.",
      );
    }
  };
  /** Tells of what actions ask for, such as coins, and that is never used up. */
  const tellStock = (
    { name, initial }: { readonly name: string; readonly initial?: Expr | undefined },
    at: Span & { readonly name?: string },
    is: (e: Expr) => boolean,
  ): void => {
    const asking = initial && (askingFor(machine, initial, is) ?? offeringOf(machine, name, is));
    if (asking)
      messages.warning(
        "unset-data",
        at.name === undefined ? at : nameOf({ ...at, name }),
        `"${asking.name}" asks for "${name}", but nothing ever takes from it: it stays what it begins with.`,
        `Take it where it is used: ${name} -= 1; or leave the question out.`,
      );
  };
  const logged = loggedRecords(found);
  for (const field of machine.data) if (isOwn(machine, field)) check(`d${field.slot}`, field, false);
  for (const state of machine.states) {
    for (const [i, field] of state.fields.entries())
      if (isOwn(machine, field)) check(`s${state.slot}.${i}`, field, i < state.parameters.length);
  }
  for (const type of machine.types) {
    if (type.kind !== "record" || compared.has(type.name) || !machine.recordSpans.has(type.name)) continue;
    // That only people see it is said of the data.
    if (logged.has(type.name)) continue;
    const spans = machine.recordSpans.get(type.name) ?? [];
    for (const [i, field] of type.fields.entries()) {
      const span = spans[i];
      const { name } = type;
      const initial = machine.recordInitials.get(name)?.[i];
      // That each begins without a mark is said for those that get it later.
      const isMark = initial?.kind === "constant" && initial.value === false;
      const isSet = given.has(`${name}.${i}`) || (initial && !isMark) || isWritten(found, name, i);
      if (span && fields.has(`${name}.${i}`) && !isSet && !hasOwnDefaults(field.type) && isOwn(machine, span))
        messages.warning(
          "unset-data",
          span,
          `The field "${field.name}" of ${name} is read, but nothing ever sets it: it stays ` +
            `${isMark ? "false" : "what its type begins with"}.`,
          isMark
            ? `Set it where it comes to be so: .${field.name} = true.`
            : "Set it where it should change, or give it a default when it is set up from outside.",
        );
      else if (span && isOwn(machine, span) && !given.has(`${name}.${i}`) && !isWritten(found, name, i)) {
        const is = (e: Expr): boolean =>
          e.kind === "field" && e.field === i && e.of.type.kind === "record" && e.of.type.name === name;
        tellStock({ name: field.name, initial }, span, is);
      }
      // A text or a word that each is given is there to be seen: a name, the suit of a card. So is what is noted down.
      const isLabel =
        (/^(text|enum)$/.test(field.type.kind) && given.has(`${type.name}.${i}`)) || kept.has(`${type.name}.${i}`);
      if (isLabel && span && !fields.has(`${type.name}.${i}`) && isOwn(machine, span))
        messages.hint(
          "unread-data",
          span,
          `The field "${field.name}" of ${type.name} is read by no rule: only people see it.`,
          "When it is not meant for them, remove it.",
        );
      else if (span && !fields.has(`${type.name}.${i}`) && isOwn(machine, span) && !isWritten(found, type.name, i))
        messages.warning(
          "unread-data",
          span,
          `The field "${field.name}" of ${type.name} is never used.`,
          "Use it or remove it.",
        );
      else if (span && !fields.has(`${type.name}.${i}`) && isOwn(machine, span))
        messages.warning(
          "unread-data",
          span,
          `The field "${field.name}" of ${type.name} is set, but never read.`,
          "Use it, or remove it and what sets it.",
        );
    }
  }
}

interface Counted {
  readonly type: Type;
  readonly initial?: Expr | undefined;
}

/**
 * Whether a whole number begins as the least that it can be, or as nothing, and some way is taken only when it is more,
 * or no longer then; or as the most, and it is asked whether it is the least: what is set up from outside is compared
 * with other data, and not with numbers that are written out.
 *
 * @param given a test sets it up: then only the most, or least, that it can be says so much
 */
function isCounted(machine: Machine, { type: of, initial }: Counted, path: string, given: boolean): boolean {
  const type = of.kind === "perSeat" ? of.of : of;
  if (type.kind !== "int" || initial?.kind !== "constant") return false;
  const first = Number(initial.value);
  const isDown = isCountedDown({ type, initial });
  if (first !== 0 && first !== type.low && !isDown) return false;
  const isMore = (e: Expr): boolean => {
    if (e.kind !== "binary" || pathOf(e.left) !== path) return false;
    const limit = e.right.kind === "named" ? machine.constants[e.right.constant]?.value : e.right;
    if (isDown) return limit?.kind === "constant" && limit.value === type.low && ["==", "<=", ">", "!="].includes(e.op);
    if (!["==", ">=", ">", "<"].includes(e.op)) return false;
    if (limit?.kind !== "constant") return e.op !== "<" && e.right.kind === "listProperty";
    return Number(limit.value) > first && (!given || limit.value === type.high);
  };
  const tests = [
    ...writtenArrows(machine).flatMap(branchTests),
    ...machine.states.flatMap(({ whens }) => whens.flatMap(({ test }) => (test.kind === "holds" ? test.test : []))),
  ];
  // What an action asks for may be set up; a number that it waits for, or the most or least there is, is counted to.
  const isWaitedFor = (e: Expr): boolean =>
    isMore(e) &&
    e.kind === "binary" &&
    (isDown
      ? e.op === "==" || e.op === "<="
      : e.op !== ">" && e.right.kind === "constant" && Number(e.right.value) > 1);
  const needs = machine.actions.flatMap((action) => action.needs.map(({ test }) => test));
  return tests.some((test) => someExpr(test, isMore)) || needs.some((test) => someExpr(test, isWaitedFor));
}

/**
 * What has come to be so, by its name: `bellFound`, `beaten`. Not every participle is: a match is begun `reversed`, or
 * `advanced`.
 */
const FACT = new RegExp(
  "(answered|arrested|asleep|beaten|broken|built|burnt|called|captured|caught|chosen|cleared|collected|conquered|" +
    "dead|dealt|defeated|delivered|destroyed|done|drawn|eaten|eliminated|ended|escaped|fallen|finished|fled|" +
    "fought|found|" +
    "freed|frozen|gone|guessed|heard|hurt|jailed|killed|known|left|lost|mended|met|opened|paid|passed|picked|placed|" +
    "played|poisoned|reached|rescued|revealed|rung|saved|scored|seen|shown|slain|sold|solved|spotted|started|stolen|" +
    "struck|stunned|sunk|taken|tired|told|trapped|tried|unlocked|used|visited|voted|warned|won|wounded)$",
  "i",
);

/** A fact that is not so at first, rather than a setting that matches are begun with. */
function isFact({ name, type, initial }: Counted & Pick<DataField, "name">): boolean {
  const isFalse = initial?.kind === "constant" && initial.value === false;
  const of = type.kind === "perSeat" ? type.of : type;
  return of.kind === "bool" && isFalse && FACT.test(name);
}

/** Whether a number begins as the most that it can be, which is more than its least. */
function isCountedDown({ type: of, initial }: Counted): boolean {
  const type = of.kind === "perSeat" ? of.of : of;
  if (type.kind !== "int" || initial?.kind !== "constant" || type.low <= -MAX_INT) return false;
  return initial.value === type.high && type.high > Math.max(0, type.low);
}

/** Whether data begin as an empty list or map, also those of each seat. */
function isNothing(initial: Expr | undefined): boolean {
  if (initial?.kind === "filled" && initial.type.kind === "perSeat") return initial.items.every(isNothing);
  return (initial?.kind === "list" || initial?.kind === "filled") && initial.items.length === 0;
}

/** An action that asks whether there is enough of a number, as there is at first. */
function askingFor({ actions }: Machine, initial: Expr, is: (e: Expr) => boolean): Action | undefined {
  const first = initial.kind === "constant" ? initial.value : undefined;
  if (typeof first !== "number") return undefined;
  const asks = (e: Expr): boolean => {
    if (e.kind !== "binary" || e.right.kind !== "constant" || typeof e.right.value !== "number" || !is(e.left))
      return false;
    return (e.op === ">" && first > e.right.value) || (e.op === ">=" && first >= e.right.value);
  };
  return actions.find(({ needs }) => needs.some(({ test }) => someExpr(test, asks)));
}

/** What is paid with, by its name: a speed or a reach bounds what can be chosen, too, and is not used up. */
const MEANS = new RegExp(
  "^(ammo|ammunition|arrows|balance|bread|breath|budget|cash|chips|coal|coins?|credits?|energy|food|fuel|funds|gold|" +
    "grain|ink|magic|mana|money|oil|powder|purse|rations?|savings|silver|stamina|supplies|tokens|wallet|wealth|wood)$",
  "i",
);

/** An action that lets as much be chosen as there is of what is paid with. */
function offeringOf({ actions }: Machine, name: string, is: (e: Expr) => boolean): Action | undefined {
  if (!MEANS.test(name)) return undefined;
  return actions.find(({ parameters }) =>
    parameters.some(({ slot, where }) =>
      someExpr(
        where,
        (e) => e.kind === "binary" && e.op === "<=" && e.left.kind === "local" && e.left.slot === slot && is(e.right),
      ),
    ),
  );
}

function isWritten({ machine, written }: Findings, record: string, field: number): boolean {
  const name = fieldName(machine, record, field);
  for (const [, { target }] of written) {
    const isField = target.path.some((step) => step.kind === "field" && step.field === field);
    // It, or what lies in it.
    if (
      isField &&
      machine.sources
        .text(target)
        .split(/[.[\]]/)
        .includes(name)
    )
      return true;
  }
  return false;
}

function fieldName(machine: Machine, record: string, field: number): string {
  const type = machine.types.find((t) => t.kind === "record" && t.name === record);
  return type?.kind === "record" ? (type.fields[field]?.name ?? "") : "";
}

function nameOf(field: { name: string } & Span): Span {
  return { from: field.from, to: field.to };
}

/** Records that stand only in data which no rule reads and people see, such as a log of who did what. */
function loggedRecords({ machine, accesses }: Findings): ReadonlySet<string> {
  const seen = new Set<string>();
  const used = new Set<string>();
  const sort = (path: string, { type, visibility }: Pick<DataField, "type" | "visibility">): void => {
    const uses = accesses.touching(path);
    const isRead = uses.some((a) => a.kind === "read" && !a.own);
    noteRecord(type, !isRead && visibility !== "hidden" && uses.some((a) => a.kind === "write") ? seen : used);
  };
  for (const field of machine.data) sort(`d${field.slot}`, field);
  for (const state of machine.states)
    for (const [i, field] of state.fields.entries()) sort(`s${state.slot}.${i}`, field);
  for (const { type } of machine.constants) noteRecord(type, used);
  return new Set([...seen].filter((name) => !used.has(name)));
}

function noteRecord(type: Type, names: Set<string>): void {
  if (type.kind === "record") {
    if (names.has(type.name)) return;
    names.add(type.name);
    for (const f of type.fields) noteRecord(f.type, names);
  } else if (type.kind === "list" || type.kind === "maybe" || type.kind === "perSeat" || type.kind === "grid")
    noteRecord(type.of, names);
}

/** Records bring their own defaults; that nothing sets them again may well be meant. */
function hasOwnDefaults(type: Type): boolean {
  return type.kind === "record" || ((type.kind === "perSeat" || type.kind === "grid") && hasOwnDefaults(type.of));
}

// ---- routines, constants, types ----------------------------------------------------------------

function checkRoutines(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  for (const [id, f] of machine.functions.entries())
    if (isOwn(machine, f) && !accesses.isCalled("function", id)) unused(messages, f.nameSpan, "function", f.name);
  for (const [id, e] of machine.effects.entries())
    if (isOwn(machine, e) && !accesses.isCalled("effect", id)) unused(messages, e.nameSpan, "effect", e.name);
  for (const [id, c] of machine.constants.entries())
    if (isOwn(machine, c) && !accesses.isCalled("constant", id) && !machine.boundConstants.has(c.name))
      unused(messages, c.nameSpan, "constant", c.name);
  checkDice(machine, messages);
}

function checkDice(machine: Machine, messages: Messages): void {
  const rolled = new Set<number>();
  visitMachine(machine, {
    expr: (e) => {
      if ("stream" in e) rolled.add(e.stream);
    },
  });
  for (const { name, slot, nameSpan } of machine.streams)
    if (nameSpan && isOwn(machine, nameSpan) && !rolled.has(slot))
      messages.warning(
        "unused-declaration",
        nameSpan,
        `Nothing is rolled with the dice "${name}".`,
        `Roll with them, as in ${name}.roll(1..6) or ${name}.shuffle(LIST), or remove them.`,
      );
}

// ---- actions -----------------------------------------------------------------------------------

function checkOpenings(found: Findings, messages: Messages): void {
  const { machine, flow, opened } = found;
  const told = new Set<Expr>();
  for (const action of machine.actions) {
    const state = machine.states[action.state] as State;
    const points = [...flow.points.values()].filter((p) => p.leaf >= state.id && p.leaf <= state.last);
    if (opened.has(action) || points.length === 0) continue;
    const here = points.filter((p) => flow.openings.actionsAt(p.leaf).includes(action));
    const turn = here.map((p) => flow.openings.turnAt(p.leaf)).find((found) => found !== undefined);
    const isEmpty = (p: Point): boolean => {
      const of = flow.openings.turnAt(p.leaf)?.of;
      return of !== undefined && flow.standing(p, () => flow.openings.seatsOf(of, p.store)) === 0;
    };
    if (turn && !action.by && here.every(isEmpty)) {
      if (!told.has(turn.of))
        messages.warning(
          "never-open",
          turn.of,
          `Nobody ever has the turn here: "${machine.sources.written(turn.of)}" never holds a seat, so ` +
            `nothing can be done.`,
          "Look at what should bring a seat into it.",
        );
      told.add(turn.of);
      continue;
    }
    const never = [
      ...action.needs.map((n) => n.test),
      ...action.parameters.flatMap((p) => (p.where ? [p.where] : [])),
    ].find((test) => found.tests.get(test)?.mask === 1);
    const why =
      !turn && !action.by
        ? "nobody has the turn there"
        : never
          ? `"${machine.sources.written(never)}" never holds there`
          : "there is never a value for its arguments";
    if (never) found.explained.add(never);
    messages.warning(
      "never-open",
      action.nameSpan,
      `The action "${action.name}" can never be taken: ${why}.`,
      !turn && !action.by
        ? 'Say whose turn it is, "turn of ...", or who may act, "by ...".'
        : "Change what closes it, or remove it.",
    );
  }
}
