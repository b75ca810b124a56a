/**
 * Warnings with their evidence: what the reasoning suspects is looked for in matches, all of it in one search of so
 * much work and never by a clock, so that the same text is told the same everywhere.
 */

import { acceptOf } from "../check/accept.js";
import type { Machine } from "../check/machine.js";
import { helpAgainst } from "../check/rules/misses.js";
import { type Compilation, compile } from "../compile.js";
import { Runnable } from "../engine/matches/runnable.js";
import { BOOL } from "../check/types.js";
import type { Outcome } from "../engine/situation/situation.js";
import type { Json } from "../engine/values/json.js";
import type { Fault, FaultCode } from "../engine/values/fault.js";
import { shownAt, shownSecrets } from "../explore/secrets.js";
import type { ExploreFinding } from "../explore/report.js";
import type { Message } from "../language/message.js";
import type { Span } from "../language/source.js";
import { canonicalJson } from "../logbook/canonical.js";
import { claimOf, isIn, Places, type Sign } from "./claims.js";
import { outOnTurn } from "./out-on-turn.js";
import { fallenUnitsActing } from "./fallen-units.js";
import { givenChoices } from "./given.js";
import { type Effort, type Found, search, type Searched } from "./search.js";
import { MOST_UNSET } from "./signs.js";
import { swapped } from "./swapped.js";

export interface EvidenceOptions {
  /** How many steps are taken, whatever is found; else as many as it takes to find what is suspected, up to a limit. */
  readonly work?: number;
  /** The matches themselves are wanted, and not only that there is one. */
  readonly matches?: boolean;
  /** What was compiled doubts its laws already: saves a second check of most machines. */
  readonly doubting?: boolean;
}

export interface Evidenced {
  /** All messages of the machine, in the order of the text. */
  readonly messages: readonly Message[];
  /** How much was looked at; undefined when no match could be begun, or an error is in the way. */
  readonly searched?: Pick<Searched, "situations" | "steps" | "complete" | "incomplete">;
}

/**
 * The work that a whole check does, in steps: while something suspected is not found, where it only looks around, and
 * where it looks around for what may be worse than a hint.
 */
const WORK = 150_000;
const LOOKING_AROUND = 5_000;
const LOOKING_FOR_WORSE = 15_000;

/** What share of the work is kept for what comes behind a law that breaks. */
const BEYOND = 1 / 3;

/** A match of more steps than this may well be a search's way round. */
const LONG = 8;

/** Kinds whose hints become warnings once a match shows them: it ends in a fault, or is stuck. */
const WORSE: ReadonlySet<string> = new Set([
  ...(["index-may-miss", "list-may-be-empty", "may-be-none", "may-divide-by-zero", "roll-empty"] as const),
  ...(["list-may-be-full", "no-open-action", "law-broken", "change-outside-phase"] as const),
]);

/** Kinds that speak of what laws are written about: none is silenced by a law that is merely shown by reasoning. */
const OF_LAWS: ReadonlySet<string> = new Set(["law-broken", "fallen-on-turn", "fallen-acts"] as const);

/** Kinds that explain that a match comes to a standstill in the state they speak of, or around it. */
const STANDSTILLS: ReadonlySet<string> = new Set([
  ...(["no-open-action", "no-way-out", "endless-wait", "nobody-on-turn", "out-on-turn", "no-time-limit"] as const),
  ...(["queue-never-emptied", "never-open", "unraised-signal", "condition-always", "branch-never-taken"] as const),
  ...(["unset-data", "unpaid-cost", "turn-never-passed", "fallen-on-turn", "fallen-acts"] as const),
]);

/**
 * Looks for a match behind each warning.
 *
 * A warning that a match shows stays, with the match. One of which everything was visited without a match is dropped.
 * One in between becomes a hint, unless the text itself says so much. What a search comes to that nothing warned of is
 * a warning of its own: faults, laws that break, standstills. Laws are believed only when all was visited and they
 * held, or when the reasoning shows that they hold by induction.
 *
 * @param compilation what was compiled, its reasoning done
 */
export function withEvidence(compilation: Compilation, options: EvidenceOptions = {}): Evidenced {
  if (!compilation.ok) return { messages: compilation.messages };
  const { doubting, believing, shown } = readings(compilation, options.doubting ?? false);
  const { machine } = doubting;
  const places = new Places(machine);
  const signs: Sign[] = [];
  let marks = 0;
  const claimed = doubting.messages.map((message) => {
    const all = claimOf(message, places);
    // What nobody watches for is neither found nor absent.
    const claim = all?.signs[0]?.kind === "unset" && ++marks > MOST_UNSET ? undefined : all;
    return { message, claim, numbers: (claim?.signs ?? []).map((sign) => signs.push(sign) - 1) };
  });
  const watched = [...outOnTurn(machine), ...fallenUnitsActing(machine)].map(({ message, sign }) => ({
    message,
    number: signs.push(sign) - 1,
  }));
  const ofMatches = claimed.filter(({ claim }) => claim?.is === "match");
  const sought = ofMatches.filter(({ message }) => message.severity === "warning").map(({ numbers }) => numbers);
  // What is merely possible is looked for a while, where a match would make it worse.
  const isWorse = ofMatches.some(({ message }) => message.severity === "hint" && WORSE.has(message.name));
  const { work = WORK, matches = false } = options;
  const around = options.work ?? (isWorse ? LOOKING_FOR_WORSE : LOOKING_AROUND);
  const effort: Effort = { work, sought, around, beyond: BEYOND };
  const searched = search(new Runnable(machine), signs, effort);
  if (!searched) return { messages: believing().messages };
  const beyond = searchBeyond(machine, searched, signs, effort);
  const complete = searched.complete && (beyond?.complete ?? true);
  const lawBroken = searched.findings.some(({ finding }) => finding.kind === "law");
  let believed: ReadonlySet<string> | undefined;
  /** Only so without the laws. */
  const isNew = (message: Message): boolean =>
    !(believed ??= new Set(believing().messages.map(keyOf))).has(keyOf(message));
  let inductive: ReadonlySet<string> | undefined;
  /** The laws that are shown to hold by induction are enough for it not to be so. */
  const isRuledOut = (message: Message): boolean => {
    if (lawBroken || OF_LAWS.has(message.name)) return false;
    const { messages, givenUp } = shown();
    return !givenUp && !(inductive ??= new Set(messages.map(keyOf))).has(keyOf(message));
  };
  const messages: Message[] = [];
  const absent: { readonly message: Message; readonly numbers: readonly number[] }[] = [];
  const isOfNote = (message: Message): boolean => WORSE.has(message.name) && places.isInNote(message);
  const ofNotes: Message[] = [];
  for (const { message, claim, numbers } of claimed) {
    const found = foundIn(searched, numbers);
    const after = found ? undefined : beyond && foundIn(beyond, numbers);
    // All was visited and every law held: what is only so without them does not happen.
    if (!found && complete && !lawBroken && isNew(message)) continue;
    if (!found && !after && claim?.is !== "noMatch" && claim?.is !== "text" && isRuledOut(message)) continue;
    if (isOfNote(message)) ofNotes.push(message);
    else if (!claim) messages.push(!lawBroken && isNew(message) ? asHint(message, searched) : message);
    else if (claim.is === "noMatch") {
      if (!found) messages.push(message);
    } else if (found ?? after) {
      const worse: Message = WORSE.has(message.name) ? { ...message, severity: "warning" } : message;
      if (found) messages.push(withMatch(inOrder(doubting, asFound(worse, found), found), found, matches));
      else if (after) messages.push(withMatch(behindLaw(worse), after, matches));
    } else if (!complete) messages.push(claim.is === "text" ? message : asHint(message, searched));
    else if (claim.is === "match") absent.push({ message, numbers });
  }
  for (const message of ofNotes) {
    const isSame = ({ name, from, to }: Message): boolean =>
      name === message.name && machine.sources.text({ from, to }) === machine.sources.text(message);
    const twin = claimed.some((one) => isSame(one.message) && !isOfNote(one.message));
    const stands = !twin || messages.some((one) => isSame(one) && one.severity === "warning");
    messages.push(inNote(message, stands ? "warning" : "hint"));
  }
  for (const { message, number } of watched) {
    const found = foundIn(searched, [number]);
    const isTold = messages.some(
      ({ name, from, related }) => name === message.name && (related?.from ?? from) === message.from,
    );
    if (found && !isTold) messages.push(withMatch(message, found, matches));
  }
  messages.push(...onlyGiven(machine, absent, signs, matches));
  withPairs(machine, messages, matches);
  const more = fresh(machine, searched, messages).map(({ message, found }) => withMatch(message, found, matches));
  const steps = searched.steps + (beyond?.steps ?? 0);
  const { situations, incomplete } = searched;
  return { messages: accepted(compilation, messages, more), searched: { situations, steps, complete, incomplete } };
}

function foundIn({ signs }: Searched, numbers: readonly number[]): Found | undefined {
  return numbers.map((number) => signs.get(number)).find((one) => one !== undefined);
}

/**
 * A law that breaks stops the match, and what would come behind that is not seen: it is looked for with the broken laws
 * out of the way. Undefined when all hold.
 */
function searchBeyond(
  machine: Machine,
  searched: Searched,
  signs: readonly Sign[],
  { work, sought, around }: Effort,
): Searched | undefined {
  const { findings, steps } = searched;
  const broken = new Set(
    findings.flatMap(({ finding: { fault } }) => (fault?.code === "lawBroken" ? [lawOf(machine, fault)] : [])),
  );
  const isBroken = (law: Machine["laws"][number]): boolean => law.form === "holds" && broken.has(law);
  if (!machine.laws.some(isBroken)) return undefined;
  const laws = machine.laws.map((law) =>
    law.form === "holds" && isBroken(law)
      ? { ...law, test: { kind: "constant", value: true, type: BOOL, from: law.from, to: law.to } as const }
      : law,
  );
  const left = sought.filter((numbers) => !foundIn(searched, numbers));
  return search(new Runnable({ ...machine, laws }), signs, { work: Math.max(0, work - steps), sought: left, around });
}

/** Of a standstill it is said what is so in the match that was found. */
function asFound(message: Message, { finding }: Found): Message {
  return message.name === "no-open-action" && finding ? { ...message, words: finding.words } : message;
}

/** How a result is told. */
const RESULTS = { win: "wins", loss: "loses", draw: "draws", none: "has no result" } as const;

/** Of an order that decides, it is tried what the other order comes to: where it is the same, nothing is wrong. */
function inOrder(compilation: Compilation, message: Message, found: Found): Message {
  const { name, related, words } = message;
  if (name !== "endings-overlap" || !related) return message;
  const swap = swapped(compilation, related, message, found.evidence("both")?.logbook ?? "");
  if (!swap) return message;
  if (swap.after === "fault") {
    const guarded = `${words} With the two swapped the match that was found would stop with a fault.`;
    return { ...message, severity: "hint", words: guarded };
  }
  const results = ({ results: all }: Outcome): string => canonicalJson(all as unknown as Json);
  if (results(swap.before) === results(swap.after)) {
    const same = `${words} The match that was found ends the same for every seat with the two swapped.`;
    return { ...message, severity: "hint", words: same };
  }
  const [before, after] = [endInWords(swap.before), endInWords(swap.after)];
  return { ...message, words: `${words} In a match: ${before}; with the two swapped: ${after}.` };
}

/** An ending, and what it is for those who do not simply lose. */
function endInWords({ ending, results }: Outcome): string {
  const told = results.filter(({ result }) => result !== "loss");
  const each = told.map(({ seat, result, score }) => {
    return `${seat} ${RESULTS[result]}${score === undefined ? "" : ` with ${score}`}`;
  });
  return `${ending}, ${each.join(", ") || "nobody wins"}`;
}

function behindLaw(message: Message): Message {
  return { ...message, words: `${message.words} (A law breaks before; so it goes on as if that did not stand.)` };
}

function lawOf(machine: Machine, { message }: Fault): Machine["laws"][number] | undefined {
  return machine.laws.find(({ words }) => message.includes(`"${words}"`));
}

/** A machine checked without believing in its laws, with all of them, and with those shown to hold by induction. */
interface Readings {
  readonly doubting: Compilation;
  readonly believing: () => Compilation;
  readonly shown: () => Compilation;
}

/**
 * Reads a machine once more only when it is asked for, since a check takes long.
 *
 * @param doubted what is given was checked without believing in its laws
 */
function readings(compilation: Compilation, doubted: boolean): Readings {
  const { machine, sources, parts } = compilation;
  // What is known without laws is known of a machine that has none.
  const same = { doubting: compilation, believing: () => compilation, shown: () => compilation };
  if (!machine.laws.some(({ form }) => form === "holds")) return same;
  const [file] = sources.files;
  const again = (laws: "believed" | "doubted" | "shown"): Compilation =>
    compile(file?.text ?? "", file?.name, (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined), { laws });
  let byInduction: Compilation | undefined;
  const shown = (): Compilation => (byInduction ??= again("shown"));
  if (doubted && !compilation.givenUp) return { doubting: compilation, believing: () => again("believed"), shown };
  const other = again(doubted ? "believed" : "doubted");
  if (doubted) return { doubting: other, believing: () => other, shown: () => other };
  return other.givenUp ? same : { doubting: other, believing: () => compilation, shown };
}

function keyOf({ name, from, to }: Message): string {
  return `${name} ${from} ${to}`;
}

/** Says in how many steps a match shows it: a long one is shortened, to tell. */
function withMatch(message: Message, found: Found, wanted: boolean): Message {
  const made = wanted || found.depth > LONG ? found.evidence(`found: ${message.words}`.slice(0, 120)) : undefined;
  return { ...message, shown: made?.steps.length ?? found.depth, ...(wanted && made && { evidence: made }) };
}

/**
 * A fault in a note stops no match: the note is told to be none, and all else goes on. Notes are not worked out in a
 * search: what is asked outside of them, too, is believed as it is found there.
 */
function inNote(message: Message, severity: "hint" | "warning"): Message {
  const words = message.words.replace("the match would stop with a fault", "the note could not be worked out");
  return { ...message, severity, words };
}

function asHint(message: Message, { steps }: Searched): Message {
  return {
    ...message,
    severity: "hint",
    words: `${message.words} No match that shows it was found in ${steps} steps.`,
  };
}

// ---- matches of another kind -------------------------------------------------------------------

/** How many steps are taken with other starting data, all together. */
const GIVEN_WORK = 12_000;

/** Of what never happens as the machine begins by itself: hints where it does with data that are given. */
function onlyGiven(
  machine: Machine,
  absent: readonly { readonly message: Message; readonly numbers: readonly number[] }[],
  signs: readonly Sign[],
  wanted: boolean,
): Message[] {
  const left = new Set(absent);
  const told: Message[] = [];
  const choices = left.size > 0 ? givenChoices(machine) : [];
  for (const { words, given } of choices) {
    if (left.size === 0) break;
    const sought = [...left].map(({ numbers }) => numbers);
    const effort = { work: Math.floor(GIVEN_WORK / choices.length), sought, around: 0 };
    const searched = search(new Runnable(machine), signs, effort, [{ given }]);
    for (const one of searched ? left : []) {
      const found = searched && foundIn(searched, one.numbers);
      if (!found) continue;
      left.delete(one);
      const { message } = one;
      const only = { ...message, severity: "hint", words: `${message.words} Only so when ${words} is given.` } as const;
      told.push(withMatch(only, found, wanted));
    }
  }
  return told;
}

/** How many steps are taken in pairs of matches, where the reasoning has found that a secret shows. */
const SECRET_WORK = 2_000;

/** Adds to what is said of secrets the two matches in which one shows, where such are found. */
function withPairs(machine: Machine, messages: Message[], wanted: boolean): void {
  const suspected = messages.filter(({ name }) => name === "secret-leak");
  if (suspected.length === 0) return;
  const secrets = shownSecrets(new Runnable(machine), { steps: SECRET_WORK, suspected });
  for (const [i, message] of messages.entries()) {
    const shown = shownAt(secrets, message);
    if (message.name !== "secret-leak" || !shown) continue;
    const pair = `Two matches look the same to ${shown.seat} until then, and differ in ${shown.secret}.`;
    messages[i] = {
      ...message,
      words: `${message.words} ${pair}`,
      shown: shown.depth,
      ...(wanted && { evidence: shown.evidence }),
    };
  }
}

// ---- what nothing warned of --------------------------------------------------------------------

/** What the findings come to that no message speaks of, each told once. */
function fresh(
  machine: Machine,
  { findings }: Searched,
  messages: readonly Message[],
): { readonly message: Message; readonly found: Found }[] {
  const warned = messages.filter(({ severity }) => severity !== "hint");
  const told: { message: Message; found: Found }[] = [];
  const isTold = (is: (message: Message) => boolean): boolean =>
    warned.some(is) || told.some(({ message }) => is(message));
  for (const found of findings) {
    const { finding } = found;
    const message = finding.fault ? faultMessage(machine, finding) : standstill(machine, finding);
    if (!message) continue;
    const known = finding.fault
      ? isTold((m) => m.name === message.name && (m.name === "endless-loop" || meet(machine, m, message)))
      : isTold((m) => STANDSTILLS.has(m.name) && isAround(machine, m, finding.state));
    if (!known) told.push({ message, found });
  }
  return told;
}

/** Whether a message speaks of a state, or of one around it. */
function isAround({ states }: Machine, { from }: Message, leaf = 0): boolean {
  for (let id = leaf; id > 0; id = states[id]?.parent ?? 0) {
    const state = states[id];
    if (state && state.from <= from && from < state.to) return true;
  }
  return false;
}

/**
 * Whether two messages speak of the same: what overlaps, or begins in the same line; of results, in the same ending.
 */
function meet({ sources, endings }: Machine, a: Message, b: Message): boolean {
  if (a.from < b.to && b.from < a.to) return true;
  const lies = (of: Span, { from }: Message): boolean => of.from <= from && from < of.to;
  if (a.name === "seat-without-result" && endings.some((e) => lies(e, a) && lies(e, b))) return true;
  const [here, there] = [sources.place(a.from), sources.place(b.from)];
  return here.file === there.file && here.line === there.line;
}

/** What each fault is told as; those that are not here stand for themselves. */
const FAULTS: { readonly [C in FaultCode]?: string } = {
  divisionByZero: "may-divide-by-zero",
  missingKey: "index-may-miss",
  notACell: "index-may-miss",
  noneUsed: "may-be-none",
  emptyPick: "list-may-be-empty",
  emptyRange: "roll-empty",
  endlessLoop: "endless-loop",
  noResult: "seat-without-result",
  listFull: "list-may-be-full",
};

function faultMessage(machine: Machine, { fault }: ExploreFinding): Message | undefined {
  if (!fault) return undefined;
  const { from, to } = fault.at;
  const name = nameOf(machine, fault);
  const help = fault.code === "notACell" ? "Ask first whether it is there: GRID.inside(x, y)." : helpAgainst(name);
  return {
    name,
    severity: "warning",
    from,
    to,
    words: `A match comes to a fault here: ${fault.message}`,
    help: help ?? "Look at the match that shows it, and see to it that none comes here so.",
  };
}

function nameOf(machine: Machine, fault: Fault): string {
  const { code, at } = fault;
  if (code === "missingIndex") {
    const text = machine.sources.text(at).trimEnd();
    return text.endsWith("]") || machine.seats.names.includes(text) ? "index-may-miss" : "list-may-be-empty";
  }
  if (code === "lawBroken") {
    return lawOf(machine, fault)?.form === "changes" ? "change-outside-phase" : "law-broken";
  }
  return FAULTS[code] ?? "step-at-fault";
}

function standstill(machine: Machine, { kind, state: leaf, words }: ExploreFinding): Message | undefined {
  if (kind === "noEnding") return undefined;
  const state = machine.states[leaf ?? 0];
  if (!state || state.id === 0) return undefined;
  const turn = machine.states.findLast(({ id, turn }) => turn && isIn(machine, state.id, id))?.turn;
  const { from, to } = turn ?? state.nameSpan;
  return turn
    ? {
        name: "no-open-action",
        severity: "warning",
        from,
        to,
        words,
        help: "Give it an action that is always open, such as passing the turn; or lead on when nothing is left to do.",
      }
    : {
        name: "no-way-out",
        severity: "warning",
        from,
        to,
        words: `A match can stay in "${state.name}" for ever: nothing can happen there any more.`,
        help: "Lead on when nothing is left to do, or give it a time limit.",
      };
}

/** Takes out what the text accepts; an accept that was needed after all is not told of. */
function accepted(
  { accepts, sources }: Compilation,
  messages: readonly Message[],
  more: readonly Message[],
): Message[] {
  const needed = new Set<number>();
  const left = more.filter((message) => {
    const accept = acceptOf(message, accepts, sources);
    if (accept) needed.add(accept.from);
    return !accept;
  });
  return [...messages.filter((m) => m.name !== "unneeded-accept" || !needed.has(m.from)), ...left].sort(
    (a, b) => a.from - b.from || (a.name < b.name ? -1 : 1),
  );
}
