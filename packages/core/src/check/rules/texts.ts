/** Texts that stand for something, such as a topic or the key of a map, and that are spelled like nothing else. */

import type { Messages } from "../../language/message.js";
import { nearest } from "../../language/suggest.js";
import type { Expr, Location, Machine } from "../machine.js";
import { pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { Type } from "../types.js";
import { keysOf, visitMachine } from "../visit.js";

type Text = Expr & { readonly kind: "constant"; readonly value: string };

/** Where the texts of a machine stand, what it tells people left out. */
interface Texts {
  /** What is asked for: the condition, the text in it, and what it is compared with. */
  readonly asked: readonly { readonly test: Expr; readonly text: Text; readonly with: Expr }[];
  /** What something is, or can become. */
  readonly made: ReadonlyMap<string, readonly Text[]>;
  /** A text can be put together, or come from outside: it may be any. */
  readonly open: boolean;
}

export function checkTexts(found: Findings, messages: Messages): void {
  const texts = textsOf(found.machine);
  if (!texts.open) checkAsked(found, texts, messages);
  checkKeys(found.machine, texts, messages);
}

/** A text that is asked for, and that nothing ever is. */
function checkAsked({ machine, accesses, tests, explained }: Findings, texts: Texts, messages: Messages): void {
  for (const { test, text, with: other } of texts.asked) {
    const path = pathOf(other);
    // What nothing writes may have been set up with any text; every text begins as an empty one.
    if (
      text.value === "" ||
      texts.made.has(text.value) ||
      explained.has(test) ||
      (path !== undefined && accesses.neverWritten(path))
    )
      continue;
    const mask = tests.get(test)?.mask;
    if (mask === 1 || mask === 2) continue;
    const near = nearest(text.value, texts.made.keys());
    const comesOut = test.kind === "binary" && test.op === "!=";
    messages.warning(
      "condition-always",
      test,
      `"${machine.sources.written(test)}" is always ${comesOut}: nothing here is ever "${text.value}".`,
      near === undefined ? "Look for what should have been it, or leave the condition out." : `Did you mean "${near}"?`,
    );
  }
}

/** A value that is kept under a key like one that the map has, and that nothing else ever names. */
function checkKeys(machine: Machine, { asked, made }: Texts, messages: Messages): void {
  visitMachine(
    { ...machine, tests: [] },
    {
      statement: (s) => {
        if (s.kind !== "assign") return;
        const known = keysAtFirst(machine, s.target);
        for (const key of keysOf(s.target)) {
          if (!isText(key) || known.has(key.value) || (made.get(key.value)?.length ?? 0) > 1) continue;
          const near = nearest(key.value, known);
          if (near === undefined || asked.some(({ text }) => text.value === key.value)) continue;
          messages.warning(
            "unknown-key",
            key,
            `"${key.value}" is none of the keys that this map begins with, and is named nowhere else.`,
            `Did you mean "${near}"?`,
          );
        }
      },
    },
  );
}

/** The keys that the maps of a datum begin with. */
function keysAtFirst({ data }: Machine, { base }: Location): Set<string> {
  const known = new Set<string>();
  const note = (e: Expr | undefined): void => {
    if (e?.kind !== "filled") return;
    for (const key of e.keys) if (isText(key)) known.add(key.value);
    for (const item of e.items) note(item);
  };
  if (base.kind === "data") note(data[base.slot]?.initial);
  return known;
}

/** Goes through a machine and sorts its texts: those that are asked for, and those that something is. */
function textsOf(machine: Machine): Texts {
  const asked: Texts["asked"][number][] = [];
  const made = new Map<string, Text[]>();
  const inConditions = new Set<Expr>();
  let open = takesTexts(machine);
  const ask = (test: Expr, text: Expr, other: Expr): void => {
    if (!isText(text)) return;
    asked.push({ test, text, with: other });
    inConditions.add(text);
  };
  const told = reasonsIn(machine);
  visitMachine(
    { ...machine, tests: [] },
    {
      // Notes are for people.
      statement: (s) => s.kind !== "note",
      expr: (e) => {
        if (told.has(e)) return false;
        if (e.kind === "binary" && (e.op === "==" || e.op === "!=")) {
          ask(e, e.left, e.right);
          ask(e, e.right, e.left);
        } else if (e.kind === "listHas") ask(e, e.value, e.of);
        else if (e.kind === "text") open = true;
        else if (isText(e) && !inConditions.has(e)) made.set(e.value, [...(made.get(e.value) ?? []), e]);
        return true;
      },
    },
  );
  return { asked, made, open };
}

/** What says why something is refused, in every action. */
function reasonsIn({ actions }: Machine): Set<Expr> {
  return new Set(
    actions.flatMap(({ needs, parameters }) => [...needs, ...parameters].flatMap(({ reason }) => reason ?? [])),
  );
}

/** Whether a player or the game can tell a text of its own. */
function takesTexts({ actions, signals }: Machine): boolean {
  return (
    actions.some(({ parameters }) => parameters.some(({ type, domain }) => !domain && holdsText(type))) ||
    signals.some(({ origin, parameters }) => origin === "event" && parameters.some(({ type }) => holdsText(type)))
  );
}

function holdsText(type: Type): boolean {
  switch (type.kind) {
    case "text":
      return true;
    case "record":
      return type.fields.some((field) => holdsText(field.type));
    case "map":
      return holdsText(type.key) || holdsText(type.value);
    case "list":
    case "grid":
    case "maybe":
    case "perSeat":
      return holdsText(type.of);
    default:
      return false;
  }
}

function isText(e: Expr): e is Text {
  return e.kind === "constant" && typeof e.value === "string";
}
