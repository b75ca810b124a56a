/** One search for the signs of all claims: what a machine can come to, in so much work. */

import type { Machine } from "../check/machine.js";
import { visitMachine } from "../check/visit.js";
import type { Engine, Runnable } from "../engine/matches/runnable.js";
import { canBeLeft } from "../engine/matches/view.js";
import { begunInWords, evidenceOf, type Setting } from "../explore/evidence.js";
import { Exploration } from "../explore/explore.js";
import type { Sighting, Work } from "../explore/options.js";
import { CannotExplore, type ExploreFinding } from "../explore/report.js";
import type { Evidence } from "../language/message.js";
import { isIn, type Sign } from "./claims.js";
import { Signs } from "./signs.js";

/** Something that a search came to, and the match that comes there. */
export interface Found {
  /** How many steps it takes. */
  readonly depth: number;
  /** Steps at random came to it: there may be a much shorter match. */
  readonly isWalked: boolean;
  /** What goes wrong there, where something does. */
  readonly finding?: ExploreFinding;
  /** Undefined when no times were found by which a match goes so. */
  evidence(words: string): Evidence | undefined;
}

export interface Searched {
  /** What was seen of the signs, by their numbers. */
  readonly signs: ReadonlyMap<number, Found>;
  /** Faults, standstills, broken laws. */
  readonly findings: readonly (Found & { readonly finding: ExploreFinding })[];
  readonly situations: number;
  readonly steps: number;
  /** Everything was visited, in every setting. */
  readonly complete: boolean;
  /** Why not everything was visited, by what is said of it and the place in the text. */
  readonly incomplete: readonly { readonly words: string; readonly position?: number }[];
}

/** What share of the work is breadth first. */
const BREADTH = 0.4;
/** What share of it is for the usual beginning, where there are others. */
const USUAL = 0.6;
/** How many ways of rolling are tried in one step. */
const MOST_WAYS = 216;
/** Of a search of more steps than this as many situations are kept as it has steps. */
const MOST_SITUATIONS = 400_000;
const MOST_BYTES = 200_000_000;

/** How much is done, and what for. */
export interface Effort {
  /** How many steps are taken in all. */
  readonly work: number;
  /**
   * What is looked for in earnest: each by the signs, any of which shows it. All of the work is done for these alone.
   */
  readonly sought: readonly (readonly number[])[];
  /** How many steps are taken in all where nothing is left of that, to see what else goes wrong. */
  readonly around: number;
  /** What share of the work is kept for another search, should a law break. */
  readonly beyond?: number;
  /** Matches are to be short: all of the work is breadth first, and what is far in one setting is sought in others. */
  readonly shortest?: true;
}

/**
 * Looks for signs, in every setting a match can begin in.
 *
 * @param settings how matches are begun
 * @returns undefined when no match can be begun
 */
export function search(
  runnable: Runnable,
  signs: readonly Sign[],
  { work, sought, around, beyond = 0, shortest }: Effort,
  settings: readonly (Setting & { readonly leaving?: "one" })[] = settingsOf(runnable),
): Searched | undefined {
  const breadth = shortest ? 1 : BREADTH;
  const seen = new Map<number, Found>();
  const findings: Searched["findings"][number][] = [];
  const incomplete: Searched["incomplete"][number][] = [];
  let [situations, steps, complete] = [0, 0, true];
  // An engine and who looks on belong together, and to a number of seats.
  const lookouts = new Map<number | undefined, { readonly lookout: Signs; readonly engine: Engine }>();
  const known = new Set<number>();
  // Seats that leave are of one kind, however many there are: none of the others gets less for it.
  const kinds = new Set(settings.map(({ leaving, seats, open }) => leaving ?? `${seats} ${open?.join(" ")}`)).size - 1;
  for (const [i, setting] of settings.entries()) {
    // The usual one gets most; what one leaves over is for those that come after it.
    const others = settings.length - i - 1;
    const part = i === 0 && others > 0 ? USUAL : 1 / (others + 1);
    const share = Math.floor((work - steps) * part);
    const little = Math.min(share, around * (i === 0 ? part : (1 - USUAL) / kinds));
    const isFound = (found: readonly ExploreFinding[], number: number): boolean => {
      if (seen.has(number) && !shortest) return true;
      const sign = signs[number];
      if (exploration.sightings.has(number)) return !(setting.leaving && isOfThoseWhoStay(sign));
      const isShown = sign !== undefined && found.some((finding) => shows(runnable.machine, finding, sign));
      if (isShown) known.add(number);
      return isShown;
    };
    const stillWanted = (found: readonly ExploreFinding[]): Work => {
      const isAllFound = sought.every((numbers) => numbers.some((number) => isFound(found, number)));
      const all = isAllFound ? little : share;
      const lawBroken = found.some(({ kind }) => kind === "law");
      return {
        steps: Math.floor(all * breadth),
        walk: Math.floor(all * (1 - breadth - (lawBroken ? beyond : 0))),
      };
    };
    const before = lookouts.get(setting.seats);
    const lookout = before?.lookout ?? new Signs(runnable.machine, signs, known);
    const exploration = new Exploration(runnable, {
      ...setting,
      walk: Math.floor(share * (1 - breadth)),
      stillWanted,
      most: {
        steps: Math.floor(share * breadth),
        situations: Math.max(MOST_SITUATIONS, work),
        bytes: MOST_BYTES,
        ways: MOST_WAYS,
      },
      lookout,
      ...(before && { engine: before.engine }),
    });
    lookouts.set(setting.seats, { lookout, engine: exploration.engine });
    const found = ({ at, move, depth, fails }: Sighting, what: number | string): Found => ({
      depth,
      isWalked: exploration.isWalked(at, move),
      evidence: (words) => evidenceOf(runnable, exploration, setting, { at, move, fails, what }, words),
    });
    const isBetter = (before: Found | undefined, { depth }: Sighting): boolean =>
      !before || (shortest === true && depth < before.depth);
    try {
      const explored = exploration.run();
      situations += explored.situations;
      steps += explored.steps;
      complete &&= explored.complete;
      incomplete.push(...explored.incomplete);
      for (const finding of explored.findings)
        findings.push({
          finding,
          ...found({ move: undefined, ...finding, fails: finding.fault !== undefined }, finding.key),
        });
      for (const [sign, sighting] of exploration.sightings)
        if (isBetter(seen.get(sign), sighting) && !(setting.leaving && isOfThoseWhoStay(signs[sign])))
          seen.set(sign, found(sighting, sign));
    } catch (error) {
      if (!(error instanceof CannotExplore)) throw error;
      const { fault, message } = error;
      if (!fault && i === 0) return undefined;
      if (fault) {
        const kind = fault.code === "lawBroken" ? "law" : "fault";
        findings.push({
          finding: { key: "", kind, words: fault.message, fault, at: 0, depth: 0 },
          depth: 0,
          isWalked: false,
          evidence: () => ({ steps: [], logbook: "", test: "", ...begunInWords(setting) }),
        });
      } else {
        complete = false;
        incomplete.push({ words: message });
      }
    }
    for (const [number, sign] of signs.entries()) {
      const shown = seen.has(number)
        ? undefined
        : findings.find(({ finding }) => shows(runnable.machine, finding, sign));
      if (shown) seen.set(number, shown);
    }
  }
  return { signs: seen, findings, situations, steps, complete, incomplete };
}

/**
 * With the fewest seats and the most; where it matters, with one that is left, also of so many that others go on, and
 * with one that nobody has taken.
 */
function settingsOf(runnable: Runnable): (Setting & { readonly leaving?: "one" })[] {
  const { machine } = runnable;
  const { names, least } = machine.seats;
  const numbers = least === names.length ? [undefined] : [least, names.length];
  const settings = numbers.map((seats) => (seats === undefined ? {} : { seats }));
  const [usual] = settings;
  const open = names[(usual?.seats ?? names.length) - 1];
  const left = [{ ...usual, leaving: "one" as const }];
  if (least < GOES_ON && names.length >= GOES_ON) left.push({ seats: GOES_ON, leaving: "one" });
  return [
    ...settings,
    ...(canBeLeft(runnable) ? left : []),
    ...(open !== undefined && asksForSeated(machine) ? [{ ...usual, open: [open] }] : []),
  ];
}

/** Of so many seats two go on when one is left. */
const GOES_ON = 3;

/** Whether it matters to a machine that a seat is open. */
function asksForSeated(machine: Machine): boolean {
  const joined = machine.signals.find(({ origin, name }) => origin === "system" && name === "Joined")?.id;
  let asks = machine.states.some(({ listeners }) => listeners.some(({ signal }) => signal === joined));
  visitMachine({ ...machine, tests: [], policies: [] }, { expr: ({ kind }) => void (asks ||= kind === "seated") });
  return asks;
}

function isOfThoseWhoStay(sign: Sign | undefined): boolean {
  return sign?.kind === "onTurn" && sign.stayed === true;
}

/** Whether something that was found is what a sign stands for. */
function shows(machine: Machine, { kind, fault, state }: ExploreFinding, sign: Sign): boolean {
  if (sign.kind === "stuck") return (kind === "stuck" || kind === "idle") && isIn(machine, state ?? 0, sign.state);
  if (sign.kind !== "fault" || !fault || !sign.codes.includes(fault.code)) return false;
  const { within, law } = sign;
  if (law !== undefined) return fault.message.includes(`"${machine.laws[law]?.words}"`);
  return !within || (within.from < fault.at.to && fault.at.from < within.to);
}
