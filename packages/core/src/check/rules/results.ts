/** Endings that leave a seat without a result, or give all the same where one was to get another. */

import type { Messages } from "../../language/message.js";
import type { Arrow, Ending, Expr, Machine } from "../machine.js";
import { arrowsOf, ends } from "../tree.js";
import { visitMachine } from "../visit.js";

export function checkResults(machine: Machine, messages: Messages): void {
  for (const ending of machine.endings) {
    checkOthers(ending, messages);
    const coverage = coverageOf(machine, ending);
    const missing = seatsWithoutResult(machine, coverage, ending);
    if (missing)
      messages.error(
        "seat-without-result",
        ending.nameSpan,
        `The ending "${ending.name}" gives no result to ${missing}.`,
        'Name every seat; "others" are all that have not been named: "loses others".',
      );
    else if (coverage.part && !coverage.everyone)
      messages.warning(
        "seat-without-result",
        coverage.part,
        `"${machine.sources.text(coverage.part)}" need not hold every seat, and "${ending.name}" gives no result ` +
          `to the others.`,
        'Say what they get: "others" are all that have not been named, as in "loses others".',
      );
    else if (coverage.inPlay)
      messages.warning(
        "seat-without-result",
        coverage.inPlay,
        `Only seats in play are named here, and "${ending.name}" gives no result to those that are out.`,
        'Say what they get: "others" are all that have not been named, as in "loses others".',
      );
  }
}

/** Who is told by an argument, and then named nowhere: all get what the others were to get. */
function checkOthers({ name, parameters, results }: Ending, messages: Messages): void {
  const [only, ...more] = results.filter(({ kind }) => kind !== "scores");
  if (only?.kind !== "result" || only.seats.kind !== "others" || more.length > 0) return;
  const told = parameters.find(({ type }) => (type.kind === "list" ? type.of : type).kind === "seat");
  if (told)
    messages.warning(
      "others-are-all",
      only,
      `"${name}" names nobody before its "others", so they are all: "${told.name}", too, gets what they get.`,
      `Say first what "${told.name}" gets; or write "${only.word} all".`,
    );
}

/** Whom the results of an ending name. */
interface Coverage {
  readonly everyone: boolean;
  readonly named: ReadonlySet<number>;
  /** Single seats that are known only when the match ends. */
  readonly unknown: number;
  /** The one list that may leave seats out, when nothing else could name them. */
  readonly part: Expr | undefined;
  /** The first of several lists, all of them of seats in play, when nothing else is named. */
  readonly inPlay: Expr | undefined;
}

function coverageOf(machine: Machine, ending: Ending): Coverage {
  const named = new Set<number>();
  const parts: Expr[] = [];
  let unknown = 0;
  const given = ending.results.filter(({ kind }) => kind !== "scores");
  const isAlone = given.length === 1 && given[0]?.kind === "result";
  const add = (e: Expr): boolean => {
    switch (e.kind) {
      case "seats":
      case "others":
        return true;
      case "constant":
        if (typeof e.value === "number") named.add(e.value);
        return false;
      case "list":
        return e.items.map(add).some(Boolean);
      case "inPlay":
        parts.push(e);
        return false;
      case "binder":
        if (e.word !== "filter" && !e.where) return add(e.source);
        parts.push(e);
        return false;
      case "local":
        if (e.type.kind === "seat") unknown++;
        else if (argumentsFor(machine, ending, e.slot).every(holdsEverySeat)) return true;
        else parts.push(e);
        return false;
      default:
        if (e.type.kind === "seat") unknown++;
        // What a function or a datum holds is not looked into; but all would not be told so to have won, or lost.
        if (e.type.kind === "list" && isAlone) parts.push(e);
        return e.type.kind === "list" && !isAlone;
    }
  };
  let everyone = false;
  for (const rule of ending.results) {
    if (rule.kind !== "scores" && add(rule.kind === "ranks" ? rule.list : rule.seats)) everyone = true;
  }
  // Several lists, or a list and a seat, may well make up all of them together; but not those that are out.
  const alone = parts.length === 1 && unknown === 0 && (parts[0]?.kind !== "inPlay" || canBeOutAt(machine, ending));
  const part = alone ? parts[0] : undefined;
  const isWithoutOthers = !everyone && unknown === 0 && named.size === 0 && parts.every(isOfInPlay);
  const inPlay = isWithoutOthers && !alone && canBeOutAt(machine, ending) ? parts[0] : undefined;
  if (parts.length > 0 && !part) everyone = true;
  return { everyone, named, unknown, part, inPlay };
}

function isOfInPlay(e: Expr): boolean {
  return (
    e.kind === "inPlay" || (e.kind === "binder" && /^(filter|sort|sortDown)$/.test(e.word) && isOfInPlay(e.source))
  );
}

/** What the arrows to an ending give it for an argument. */
function argumentsFor(machine: Machine, ending: Ending, slot: number): (Expr | undefined)[] {
  const at = ending.parameters.findIndex((parameter) => parameter.slot === slot);
  return machine.states
    .flatMap(arrowsOf)
    .flatMap((arrow) =>
      arrow.kind === "to" && arrow.target.kind === "ending" && arrow.target.ending === ending.id
        ? [arrow.target.args[at]]
        : [],
    );
}

/** Whether a list surely holds every seat: all of them as they are, or in another order. */
function holdsEverySeat(e: Expr | undefined): boolean {
  if (e?.kind === "binder") return /^sort/.test(e.word) && !e.where && holdsEverySeat(e.source);
  return e?.kind === "seats" || (e?.kind === "shuffle" && holdsEverySeat(e.list));
}

/** Whether a seat can be out when a match ends so: eliminated, or left while the match went on or ended so by it. */
function canBeOutAt(machine: Machine, ending: Ending): boolean {
  const left = machine.signals.find((signal) => signal.name === "Left")?.id;
  const leaving = machine.states.flatMap(({ listeners }) => listeners.filter((l) => l.signal === left));
  const goesOn = (arrow: Arrow): boolean =>
    arrow.kind !== "to" || arrow.target.kind === "state" || arrow.target.ending === ending.id;
  if (leaving.some(({ arrow, test }) => test || !arrow || ends(arrow).some(goesOn))) return true;
  let out = false;
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "eliminate") out = true;
    },
  });
  return out;
}

/** Who surely goes without a result, in words; undefined when everyone surely or possibly has one. */
function seatsWithoutResult(machine: Machine, coverage: Coverage, ending: Ending): string | undefined {
  const { everyone, named, unknown, part } = coverage;
  const { names } = machine.seats;
  if (everyone || part || (named.size + unknown >= names.length && names.length > 0)) return undefined;
  if (ending.results.length === 0) return "anyone";
  const left = names.filter((_, seat) => !named.has(seat));
  return unknown > 0 ? "every seat" : left.join(", ");
}
