/** Lets bots play many matches and counts. Match number i is the same whoever plays it, and on how many cores. */

import type { Machine } from "../check/machine.js";
import { begin, type BeginOptions } from "../engine/matches/begin.js";
import type { Given } from "../engine/matches/given.js";
import { type Measure, measuring } from "../engine/matches/measure.js";
import { type Moment, run } from "../engine/matches/run.js";
import { engineOf, type Runnable } from "../engine/matches/runnable.js";
import { Dice } from "../engine/values/random.js";
import { closedInWords } from "../engine/matches/options.js";
import { options, view } from "../engine/matches/view.js";
import { type Input, nextTimer, type Situation, type Taken } from "../engine/situation/situation.js";
import { activeAction } from "./active-action.js";
import { WARY_BOT } from "./bot.js";
import { drawnBot, wrongMixture } from "./mixture.js";
import type { Player } from "./player.js";
import { Counter, ENDLESS, FAULTY, STUCK, type Tally } from "./tally.js";
import { RandomGame } from "./random-game.js";
import { actAsTheyCome, inAnyOrder } from "./who-first.js";

export interface SimulateOptions {
  readonly seed: string;
  /** The numbers of the matches: from `first` up to, not including, `end`. */
  readonly first: number;
  readonly end: number;
  /** The bot of each seat by name, or a mixture: `careful:3,wary:1`. Other seats play `wary`. */
  readonly bots?: Readonly<Record<string, string>>;
  /** Who plays the game's part: `random` (without) tells any event that is heard, `silent` none. */
  readonly game?: GamePlayer;
  /** What every match begins with in place of the machine's own. */
  readonly given?: Given;
  /** How many seats, where the machine leaves it open. */
  readonly seats?: number;
  /** Steps after which a match counts as endless. */
  readonly limit?: number;
  /** What is counted of how a match stands at its end, and of numbers and conditions at each step. */
  readonly measures?: readonly Measure[];
  /** Counts what each roll came to, by its place in the text; takes longer. */
  readonly rolls?: boolean;
  /** Called after every match with how many have been played, and how often each seat has won. */
  readonly progress?: (played: number, wins: ReadonlyMap<string, number>) => void;
}

/** Who tells of the events of a machine. */
export const GAME_PLAYERS = ["random", "silent"] as const;
export type GamePlayer = (typeof GAME_PLAYERS)[number];

/** Says what is wrong with the wish for a simulation. */
export class BadSimulation extends Error {}

const LIMIT = 10_000;

/**
 * Plays matches with bots.
 *
 * @throws BadSimulation for a seat or policy that the machine does not have, or when no match can begin
 */
export function simulate(runnable: Runnable, options: SimulateOptions): Tally {
  const { machine } = runnable;
  for (const [seat, policy] of Object.entries(options.bots ?? {})) {
    const wrong = wrongMixture(runnable, machine.seats.names, seat, policy);
    if (wrong !== undefined) throw new BadSimulation(wrong);
  }
  const tally = new Counter();
  for (let number = options.first; number < options.end; number++) {
    play(runnable, options, number, tally);
    options.progress?.(number - options.first + 1, tally.wins);
  }
  return tally.tally();
}

/**
 * One match of a simulation, to look at.
 *
 * @param number its number @returns how it begins, and its steps, the beginning first; none when it cannot begin
 */
export function simulatedCourse(
  runnable: Runnable,
  options: MatchOptions,
  number: number,
): { readonly how: BeginOptions; readonly taken: readonly Taken[] } {
  const taken: Taken[] = [];
  play(runnable, options, number, new Counter(), (one) => taken.push(one));
  return { how: howBegun(options, number), taken };
}

/** What decides how a match goes. */
export type MatchOptions = Omit<SimulateOptions, "first" | "end">;

function howBegun({ seed, seats, given }: MatchOptions, number: number): BeginOptions {
  return { seed: `${seed} ${number}`, ...(seats !== undefined && { seats }), ...(given && { given }) };
}

/** @param each is told of every step */
function play(
  runnable: Runnable,
  options: MatchOptions,
  number: number,
  tally: Counter,
  each?: (taken: Taken) => void,
): void {
  const how = howBegun(options, number);
  const { seed } = how;
  const begun = begin(runnable, how);
  if (!begun.taken) {
    if (!begun.fault) throw new BadSimulation(begun.refusal?.words ?? "No match can begin.");
    tally.add({ ending: FAULTY, number, steps: 0, turns: 0, time: 0, fault: begun.fault.words });
    return;
  }
  const players = new Map<string, Player>();
  const playerOf = (seat: string): Player => {
    let player = players.get(seat);
    if (!player) {
      player = drawnBot(runnable, options.bots?.[seat] ?? WARY_BOT, `${seed} ${seat}`);
      players.set(seat, player);
    }
    return player;
  };
  const game = options.game === "silent" ? undefined : new RandomGame(runnable, seed);
  const limit = options.limit ?? LIMIT;
  let ended = STUCK;
  let first: string | undefined;
  let turns = 0;
  let onTurn = "";
  let order: Dice | undefined;
  const measures = (options.measures ?? []).map((measure) => ({
    measure,
    ask: measuring(engineOf(runnable), measure),
  }));
  const measured = (situation: Situation, over: boolean): void => {
    for (const { measure, ask } of measures) tally.measured(measure, situation.step, ask(situation), over);
  };
  const next = (moment: Moment): Input | undefined => {
    if (moment.step >= limit) {
      ended = ENDLESS;
      return undefined;
    }
    const { situation } = moment;
    measured(situation, false);
    first ??= moment.turn[0];
    const holders = moment.turn.join(" ");
    if (holders !== "" && holders !== onTurn) turns++;
    if (holders !== "") onTurn = holders;
    const asTheyCome = moment.turn.length > 1 && actAsTheyCome(runnable.machine, situation.configuration);
    order ??= asTheyCome ? Dice.from(seed, ["order"]) : undefined;
    for (const seat of asTheyCome && order ? inAnyOrder(moment.turn, order) : moment.turn) {
      const input = playerOf(seat).choose(situation, seat);
      if (!input) continue;
      tally.used(actionIn(runnable.machine, situation, input.action));
      return input;
    }
    // Nobody can act: an event of the game happens, or time goes on to the next timer, when there is one.
    const due = nextTimer(runnable.machine, situation)?.due;
    return game?.choose(situation, due !== undefined) ?? (due === undefined ? undefined : { kind: "time", time: due });
  };
  const rolled = ({ happenings: { rolls } }: Taken): void => {
    for (const { position, value } of rolls) tally.rolled(position, value);
  };
  const told = each ?? (options.rolls ? rolled : undefined);
  told?.(begun.taken);
  const result = run(runnable, begun.taken.situation, next, told);
  measured(result.situation, true);
  const { outcome, step, now } = result.situation;
  const time = now - begun.taken.situation.now;
  if (result.fault) tally.add({ ending: FAULTY, number, steps: step, turns, time, fault: result.fault.words });
  else
    tally.add({
      ending: outcome?.ending ?? ended,
      number,
      steps: step,
      turns,
      time,
      results: outcome?.results ?? [],
      ...(first !== undefined && { first }),
      ...(!outcome && { stood: () => standsIn(runnable, result.situation) }),
    });
}

/** An action by its name and the state that declares it, among those that are active. */
function actionIn(machine: Machine, situation: Situation, name: string): string {
  return `${machine.states[activeAction(machine, situation, name)?.state ?? 0]?.name}.${name}`;
}

/**
 * In words where a match stands that does not go on: its states, who is on turn, what is closed to them, and that a
 * timer waits for a time that does not pass.
 */
function standsIn(runnable: Runnable, situation: Situation): string {
  const { states, turn, due } = view(runnable, situation, null);
  let canAct = false;
  const seats = turn.map((seat) => {
    const open = options(runnable, situation, seat);
    if (!open.some((one) => one.open)) return `${seat} is on turn, and ${closedInWords(open)}`;
    canAct = true;
    return `${seat} is on turn, with ${open.flatMap((one) => (one.open ? [one.action] : [])).join(", ")} open`;
  });
  const waits = due && canAct ? ["no time passes while a seat can act, unless a policy says wait"] : [];
  return [`in ${states.join(" > ")}`, ...(seats.length > 0 ? seats : ["nobody is on turn"]), ...waits].join("; ");
}
