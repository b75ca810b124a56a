/**
 * Visits every situation that a machine can reach, breadth first, so that the first way found to one is a shortest: all
 * actions of all seats, all dice, all orders in which timers can run, events, and seats that come and go.
 */

import type { Machine } from "../check/machine.js";
import { beginOn } from "../engine/matches/begin.js";
import { type Move as Happening, Moves } from "../engine/matches/moves.js";
import { closedInWords } from "../engine/matches/options.js";
import { type Engine, exploringEngineOf, type Runnable } from "../engine/matches/runnable.js";
import type { ActionMove } from "../engine/situation/generated-steps.js";
import type { Input, Outcome } from "../engine/situation/situation.js";
import { Fault } from "../engine/values/fault.js";
import { Dice, randomBelow } from "../engine/values/random.js";
import type { Span } from "../language/source.js";
import { canonicalJson } from "../logbook/canonical.js";
import { ALL, type Choice, kindOf, type Share } from "./choice.js";
import { leadingTo } from "./edges.js";
import { Chance, RollsOtherwise, Told, Unlistable } from "./odometer.js";
import { Findings } from "./findings.js";
import { type Chain, chainOf, type Game, gameOf, type Packed } from "./graph.js";
import type { Lead } from "./halves.js";
import { holdsFor } from "./holds-for.js";
import { Met } from "./met.js";
import type { ExploreOptions, Sighting, Work } from "./options.js";
import { PackedEdges } from "./packed-edges.js";
import { TooManyValues } from "./packing.js";
import { CannotExplore, type Explored, type ExploreProgress, type Incomplete, type Move, type Way } from "./report.js";
import { HALFWAY, Stepping, UNLISTED } from "./stepping.js";
import { type Left, Sweeps, type SweptSearch } from "./sweeps.js";
import { NOBODY } from "./table.js";
import { type Unseen, unseenData } from "./unseen.js";
import { shortened } from "./shorten.js";
import { comparedIn, readsOfTime } from "./tried.js";
import { type Choices, type Ground, Walk } from "./walk.js";
import { WeighedEdges } from "./weighed-edges.js";
import type { Zone } from "./zones.js";

/** More ways than this of rolling at the beginning are not tried, and so many where they cannot be listed. */
const MOST_BEGUN = 1_000;
const ROLLED_BEGUN = 20;
/** Where no more than so many steps are to be taken, one in this many matches begins with rolls of its own. */
const STEPS_PER_BEGUN = 100;
const NO_FAULTS: Moves["faults"] = [];
const NO_CHOICES: readonly Choice[] = [];
const NOTHING_ROLLED = { rolled: [] };
const NOTHING_OPEN: Open = { moves: [], zone: undefined, others: NO_CHOICES };
/** Stands for a situation where a step is at fault and leads to none. */
const AT_FAULT = 0xffffffff;
/** The limits of a search that has been given none. */
const MOST = {
  situations: 2_000_000,
  depth: Number.POSITIVE_INFINITY,
  steps: Number.POSITIVE_INFINITY,
  bytes: 1_500_000_000,
  ways: 50_000,
} as const;
/** How many steps are taken to shorten a match. */
const MOST_SHORTENING = 40_000;
/** After how many situations, or steps at random, it is asked whether it is to end, and whether there is room. */
const ASKED_EVERY = 64;
const PROGRESS_EVERY = 80 * ASKED_EVERY;

/** Where moves lead from situations. */
type Followed = Map<number, Map<Move, number>>;

/** What can happen in a situation. */
interface Open {
  readonly moves: readonly Happening[];
  /** What timers have left when one of those is made; undefined where one runs before anybody can. */
  readonly zone: Zone | undefined;
  /** What is more or less likely, or happens when a timer has run. */
  readonly others: readonly Choice[];
}

/** A search and what it has found; the ways to what it found can be asked for. */
export class Exploration implements Ground<Choice>, SweptSearch {
  readonly engine: Engine;
  private readonly machine: Machine;
  private readonly moves: Moves;
  private readonly stepping: Stepping;
  private readonly unseen: Unseen;
  private readonly dice = Dice.from("explore", ["walk"]);
  private readonly chance = new Chance((count) => this.below(count));
  private readonly most: Required<NonNullable<ExploreOptions["most"]>>;
  private readonly holds: (() => boolean) | undefined;
  /** Who moves in the situation that it goes on from. */
  private mover = NOBODY;
  /** It is asked how likely things are. */
  private readonly isWeighed: boolean;
  /** The rolls of step 0, by the situation they lead to. */
  private readonly begun = new Map<number, readonly (number | boolean)[]>();
  /** The moves that led a walk to situations of its own. */
  private readonly walkedTo = new Map<number, Move>();
  /** Where moves of one situation lead, by their places. */
  private readonly reached: number[] = [];
  private readonly shares: (Share & { readonly id: number })[] = [];
  /** Not every way in which a match can begin was tried. */
  private begunInPart = false;
  private readonly edges: PackedEdges | WeighedEdges;
  private readonly levels: number[] = [0];
  private readonly findings: Findings;
  private readonly incomplete = new Map<string, Incomplete>();
  /** Situations of which not every way of rolling was taken. */
  private readonly cutShort = new Set<number>();
  private readonly met: Met;
  /** The steps that were taken before it went on at random; undefined as long as it does not. */
  private inBreadth: number | undefined;
  private at = 0;
  private goalAt: number | undefined;
  private wanted: Work;
  /** How much was found when it was last asked how much work is left. */
  private foundBefore = -1;
  /** What the lookout has seen, where it saw it first. */
  readonly sightings = new Map<number, Sighting>();

  constructor(
    runnable: Runnable,
    private readonly options: ExploreOptions,
  ) {
    this.engine = options.engine ?? exploringEngineOf(runnable, options.lookout?.probes);
    if (!options.engine) options.lookout?.begin(this.engine, () => this.stepping.unpacked());
    this.isWeighed = options.players !== undefined || options.movers !== undefined;
    this.edges = options.players ? new WeighedEdges() : new PackedEdges();
    this.machine = runnable.machine;
    this.moves = new Moves(
      this.engine,
      { ...(options.leaving && { seats: options.leaving === "one" ? "one" : "any" }), events: !options.noEvents },
      comparedIn(this.machine),
    );
    const { goal, lookout, measures = [], most } = options;
    this.most = { ...MOST, ...most };
    this.wanted = { steps: this.most.steps, walk: options.walk ?? 0 };
    this.unseen = unseenData(this.machine, [
      ...(goal ? [goal] : []),
      ...measures.map(({ of }) => of),
      ...(lookout ? [...lookout.probes.values.keys(), ...lookout.asks] : []),
    ]);
    this.stepping = new Stepping(
      this.engine,
      this.moves,
      this.unseen,
      {
        odometer: options.odometer,
        isWeighed: this.isWeighed,
        isWatched: lookout !== undefined && !lookout.quiet,
        marks: lookout?.marks?.bits ? lookout.marks : undefined,
        quiet: lookout?.quiet,
      },
      {
        met: (id) => this.meet(id),
        done: lookout && ((at, move) => this.sight(at, move)),
        failed: (at, fault, move) => {
          this.sight(at, move, true);
          this.faulty(at, fault, move, false);
        },
        unlisted: ({ at, words }) => this.leaveOut(at, words),
      },
    );
    this.holds = options.goal && this.engine.code.expressions.condition(options.goal);
    this.findings = new Findings(options.law, (id) => this.depthOf(id));
    this.met = new Met(this.machine);
    for (const { from, to } of readsOfTime(this.machine))
      this.leaveOut({ from, to }, "what is made of the time of day is not tried for every time");
  }

  /** @throws CannotExplore when no match can be begun so */
  run(): Explored {
    const { memory } = this.engine;
    memory.roller = this.stepping.odometer;
    try {
      this.begin();
      this.search();
      if (this.goalAt === undefined && this.isInPart) this.walk();
    } catch (error) {
      if (!(error instanceof TooManyValues)) throw error;
      this.stop(error.message);
    } finally {
      memory.roller = null;
    }
    const visited = this.goalAt === undefined && this.at >= this.stepping.table.count;
    for (const left of this.moves.notAll.values()) this.leaveOut(left, `tried were ${left.words}`);
    if (visited) this.findHopeless();
    return this.report(visited);
  }

  /** There may be more than what was visited: behind a limit, or behind rolls that cannot all be taken. */
  private get isInPart(): boolean {
    return this.at < this.stepping.table.count || this.begunInPart || this.cutShort.size > 0;
  }

  // ---- searching -------------------------------------------------------------------------------

  private begin(): void {
    try {
      let ways = 0;
      this.stepping.odometer.reset();
      const { steps } = this.work();
      const { ways: each } = this.most;
      const most = Math.min(MOST_BEGUN, each, Math.ceil(steps / STEPS_PER_BEGUN));
      do this.beginOnce();
      while (this.stepping.odometer.next() && ++ways < most);
      if (ways < most) return;
      this.stop(`only ${most} of the ways in which the dice can fall at the beginning were tried`);
    } catch (error) {
      if (!(error instanceof Unlistable)) throw error;
      if (this.options.players) throw new CannotExplore(`The match cannot be begun in every way: ${error.words}.`);
      this.leaveOut(error.at, error.words);
    }
    this.begunInPart = true;
    // What cannot be listed is rolled. The first of very many ways are much alike, too.
    if (!this.options.players) for (let i = 0; i < ROLLED_BEGUN; i++) this.beginAtRandom();
  }

  /** Begins with rolls at random. @returns the situation it begins in */
  beginAtRandom(): number {
    const { roller } = this.stepping;
    this.stepping.rollBy(this.chance);
    this.chance.reset();
    const id = this.beginOnce();
    this.stepping.rollBy(roller);
    return id;
  }

  /** @returns the situation that it begins in */
  private beginOnce(): number {
    const { options, engine } = this;
    const { memory } = engine;
    this.stepping.forget();
    const marks = options.lookout?.marks;
    if (marks) marks.now = marks.begun;
    const { taken, fault, refusal } = beginOn(engine, {
      seed: "explore",
      ...(options.seats !== undefined && { seats: options.seats }),
      ...(options.open && { open: options.open }),
      ...(options.given && { given: options.given }),
    });
    if (refusal) throw new CannotExplore(refusal.words);
    if (fault) {
      const at = { from: fault.position, to: fault.position + 1 };
      throw new CannotExplore(`The match cannot begin: ${fault.words}`, new Fault(fault.code, at, fault.words));
    }
    if (!taken) throw new CannotExplore("The match cannot begin.");
    const { stepping } = this;
    const { zones } = stepping;
    stepping.open(taken.situation);
    stepping.codec.plain.fromBoxes();
    const reached = stepping.found(zones.after(zones.still, memory.timers), NOBODY);
    const id = reached < 0 ? -reached - 1 : reached;
    if (reached >= 0) this.begun.set(id, stepping.roller.rolled.slice());
    this.shares.push({ id, ...stepping.odometer.share });
    return id;
  }

  private search(): void {
    const sweeps = this.sweeps();
    let end = this.stepping.table.count;
    while (this.at < this.stepping.table.count && this.goalAt === undefined) {
      if (this.at === end) {
        this.levels.push(end);
        end = this.stepping.table.count;
      }
      const enough = this.enough();
      if (enough !== undefined) {
        this.stop(enough);
        return;
      }
      const next = sweeps?.goOn(this.at, Math.min(end, this.at - (this.at % ASKED_EVERY) + ASKED_EVERY)) ?? this.at;
      const left = sweeps?.left;
      if (!left && next === this.at) this.goOn(this.at++);
      else {
        this.at = next;
        if (left) this.finish(this.at++, left);
      }
    }
  }

  /** Undefined in searches in which somebody plays, or has to be told of each step. */
  private sweeps(): Sweeps | undefined {
    const { bots, lookout, players, movers, free } = this.options;
    const { edges } = this;
    if (bots || (lookout && !lookout.quiet) || players || movers || free) return undefined;
    return edges instanceof PackedEdges ? new Sweeps(this.stepping, this.moves, edges, this.met, this) : undefined;
  }

  /** Does what is left to be done in a situation. */
  private finish(id: number, { moves, from }: Left): void {
    const { stepping } = this;
    const { zone } = stepping.codec;
    if (stepping.odometer.hasRolled) this.takeAll(id, moves[from - 1] as Happening, zone, ALL, 1);
    this.goByAll(id, moves, zone, from);
  }

  isEnough(): boolean {
    const { stepping, most, goalAt } = this;
    return goalAt !== undefined || stepping.table.count > most.situations || stepping.work >= this.work().steps;
  }

  lookAt(id: number, moves: readonly ActionMove[]): void {
    this.look(id, moves, false);
  }

  /** Why the search goes no further; undefined while it does. */
  private enough(): string | undefined {
    const { most, options } = this;
    const { situations, depth, bytes } = most;
    const { steps } = this.work();
    if (this.levels.length > depth) return `no further than ${depth} steps from the beginning was asked for`;
    if (this.stepping.table.count > situations) return `${situations} situations are the most that were asked for`;
    if (this.stepping.work >= steps) return `${steps} steps are the most that were asked for`;
    if (this.at % ASKED_EVERY === 0 && !this.room()) return `${bytes} bytes are the most that were asked for`;
    if (this.at % PROGRESS_EVERY === 0 && options.progress?.(this.progress()) === false) return "the search was ended";
    return this.at % ASKED_EVERY === 0 ? options.ends?.() : undefined;
  }

  /** How many steps are to be taken, as things stand. */
  private work(): Work {
    const { options, findings, sightings } = this;
    const found = findings.count + sightings.size;
    if (options.stillWanted && found !== this.foundBefore) {
      this.foundBefore = found;
      const left = options.stillWanted(findings.all);
      const { steps, walk } = this.wanted;
      this.wanted = { steps: Math.min(steps, left.steps), walk: Math.min(walk, left.walk) };
    }
    return this.wanted;
  }

  private room(): boolean {
    return this.stepping.bytes + this.edges.bytes <= this.most.bytes;
  }

  private progress(): ExploreProgress {
    const { count, bytes } = this.stepping.table;
    return {
      situations: count,
      waiting: count - this.at,
      depth: this.levels.length - 1,
      bytes: bytes + this.edges.bytes,
    };
  }

  /** Everything that can happen in a situation. */
  private goOn(id: number): void {
    const { options } = this;
    this.edges.begin(id);
    this.mover = NOBODY;
    const { moves, zone, others } = this.openIn(id);
    if (zone) this.goByAll(id, moves, zone, 0);
    for (let i = 0; i < others.length; i++) {
      const other = others[i] as Choice;
      this.goBy(id, other.move, other.zone, other);
    }
    options.movers?.note(id, this.mover === NOBODY ? -1 : this.mover);
  }

  /** Takes moves from one on in every way of rolling, as many as can be in one go. */
  private goByAll(id: number, moves: readonly Happening[], zone: Zone, from: number): void {
    const { stepping, edges, reached } = this;
    const { movers, free } = this.options;
    const goesStraight = !this.isWeighed && !movers && !free;
    for (let i = from; i < moves.length; ) {
      const next = goesStraight ? stepping.straightOn(id, moves, i, zone, reached) : i;
      if (next === i) {
        this.goBy(id, moves[i++] as Happening, zone, ALL);
        continue;
      }
      for (; i < next; i++) {
        this.met.action((moves[i] as ActionMove).id);
        edges.add(reached[i] as number, 1, 1);
      }
      if (stepping.odometer.hasRolled) this.takeAll(id, moves[next - 1] as Happening, zone, ALL, 1);
    }
  }

  /** Takes a move in every way of rolling. @param share how likely it is */
  private goBy(id: number, move: Happening, zone: Zone, share: Share): void {
    const { movers, free } = this.options;
    if (free && move.kind === "action" && move.seat === free.seat) free.note(id, this.edges.size, move.id);
    if (move.kind === "action") this.met.action(move.id);
    this.takeAll(id, move, zone, share);
    if (!movers) return;
    if (move.kind !== "action")
      movers.unfit ??= "Best play is not worked out where time passes or the game tells of events.";
    else if (this.mover !== NOBODY && this.mover !== move.seat)
      movers.unfit ??= "Best play is worked out only where one seat at a time can act.";
    else this.mover = move.seat;
  }

  /** Takes a move in every way of rolling, and takes down where it leads. @param from so many ways were taken */
  private takeAll(id: number, move: Happening, zone: Zone, share: Share, from = 0): void {
    const { stepping } = this;
    const { odometer } = stepping;
    const { ways } = this.most;
    if (from === 0) {
      this.edges.choose();
      odometer.reset();
    }
    for (let tried = from; tried === 0 || this.rollsOn(tried); tried++) {
      if (tried >= ways) this.cutShort.add(id);
      const reached = stepping.halfOnce(id, move, zone, Math.max(0, ways - tried));
      if (reached === UNLISTED) {
        this.cutShort.add(id);
        return;
      }
      if (reached !== HALFWAY) {
        this.edge(share, reached, ALL);
        continue;
      }
      const { leads, ways: others } = stepping.half;
      tried += others - 1;
      stepping.taken += others - 1;
      for (let i = 0; i < leads.length; i++) {
        const on = leads[i] as Lead;
        this.edge(share, on.target, on);
      }
    }
  }

  /**
   * Goes on to the next way of rolling in a step; when so many were tried, to one for each other outcome of the first
   * roll. @returns false when there is none left to try
   */
  private rollsOn(tried: number): boolean {
    const { odometer } = this.stepping;
    const { ways } = this.most;
    if (tried < ways) return odometer.next();
    if (!(tried === ways ? odometer.next() : odometer.nextOfFirst())) return false;
    this.stop(`of all ways in which the dice can fall in a step ${ways} were tried`);
    return tried < 2 * ways;
  }

  /** Takes down where a move leads, and how likely. @param within the share of this way among those from halfway on */
  private edge({ part, total }: Share, reached: number | undefined, within: Share): void {
    const { edges, options } = this;
    if (!this.isWeighed) {
      if (reached !== undefined) edges.add(reached, part, total);
      return;
    }
    const share = this.stepping.odometer.share;
    const all = share.total * within.total;
    if (reached !== undefined || options.players)
      edges.add(reached ?? AT_FAULT, part * (share.part * within.part), total * all);
    if (!options.movers) return;
    if (all > 1) options.movers.unfit ??= "Best play is not worked out where dice decide.";
    if (reached === undefined) options.movers.unfit ??= "Best play is not worked out where a step can be at fault.";
  }

  private findStuck(at: number): void {
    this.stepping.show(at);
    const state = this.engine.memory.configuration.leaves[0] ?? 0;
    const key = `stuck ${state}`;
    if (this.findings.meets(key)) return;
    const { memory, steps } = this.engine;
    const closed = steps.turns
      .now()
      .slice()
      .map((seat) => {
        const closed = closedInWords(this.engine.options.of(seat, undefined));
        return `${memory.naming.seats[seat] ?? ""} is on turn in ${this.nameOf(state)}, and ${closed}`;
      });
    const words = ["Nothing can happen any more, and the match is not over", ...closed].join(": ");
    this.findings.add("stuck", `${words}.`, { at, state, key });
  }

  private nameOf(state: number): string {
    return this.machine.states[state]?.name ?? "";
  }

  /**
   * Takes every move from a situation, in every way of rolling.
   *
   * @param each is told of a move and the number of the situation it leads to (undefined for a fault); what it gives
   * ends it @returns that
   */
  private each<T>(id: number, each: (choice: Choice, reached: number | undefined) => T | undefined): T | undefined {
    const { count, choice } = this.choicesOf(id);
    for (let i = 0; i < count; i++) {
      const found = this.take(id, choice(i), each);
      if (found !== undefined) return found;
    }
    return undefined;
  }

  /** Everything that can happen in a situation; nothing when the match is over. */
  choicesOf(id: number): Choices<Choice> {
    const { moves, zone, others } = this.openIn(id);
    const first = zone ? moves.length : 0;
    return {
      configuration: this.engine.memory.configuration,
      count: first + others.length,
      choice: (i) =>
        zone && i < first ? { move: moves[i] as Happening, zone, ...ALL } : (others[i - first] as Choice),
    };
  }

  /**
   * What can happen in a situation: the moves that are open, what timers have left once time has passed for them, and
   * whatever is more or less likely, or has a time of its own. Nothing when the match is over.
   */
  private openIn(id: number): Open {
    const { moves, stepping } = this;
    const { zones } = stepping;
    const { memory } = this.engine;
    const zone = this.stepping.load(id);
    const { configuration } = memory;
    if (memory.outcome) return NOTHING_OPEN;
    const awake = zones.awake(zone, configuration.timers);
    const all = moves.list();
    const asked = moves.faults.length > 0 ? moves.faults.slice() : NO_FAULTS;
    const { bots, lookout, players } = this.options;
    const listed = bots ? this.calledFor(bots, all) : all;
    if (bots) this.stepping.load(id);
    if (lookout) this.sight(id, undefined);
    this.look(id, all, awake.length > 0);
    for (const { fault, action, seat } of asked)
      this.faulty(id, fault, { kind: "action", seat, id: action, args: [] }, true);
    const passed = zones.elapsed(zone, awake);
    const played = players ? this.played(listed, passed ? zone : undefined) : NO_CHOICES;
    // Where everybody plays, time passes only when nobody can act.
    if (played.length > 0) return { moves: [], zone: undefined, others: played };
    const fired = awake.length === 0 ? NO_CHOICES : this.firedFrom(zone, awake);
    const open = passed && !players ? listed : [];
    if (open.length === 0 && fired.length === 0) this.findStuck(id);
    return { moves: open, zone: passed, others: fired };
  }

  /** The timers that can run next, each before all others; where everybody plays, the first of them. */
  private firedFrom(zone: Zone, awake: readonly number[]): readonly Choice[] {
    const choices: Choice[] = [];
    for (let i = 0; i < awake.length; i++) {
      const fired = this.firing(zone, awake[i] as number, awake);
      if (fired) choices.push(fired);
      if (fired && this.options.players) break;
    }
    return choices;
  }

  /** A move in a situation, if it can be made there; not for searches in which everybody plays. */
  private choiceOf(id: number, move: Happening): Choice | undefined {
    const zone = this.stepping.show(id);
    const { configuration, outcome } = this.engine.memory;
    if (outcome) return undefined;
    const awake = this.stepping.zones.awake(zone, configuration.timers);
    if (move.kind === "timer") return this.firing(zone, move.timer, awake);
    const passed = this.stepping.zones.elapsed(zone, awake);
    if (passed && this.options.bots && !this.isCalledFor(id, move)) return undefined;
    return passed && this.moves.has(move) ? { move, zone: passed, part: 1, total: 1 } : undefined;
  }

  /** Whether a move that is open is one that the policies of the seats leave in. */
  private isCalledFor(id: number, move: Happening): boolean {
    const { bots } = this.options;
    if (!bots || move.kind !== "action") return true;
    const written = (each: Happening): string => canonicalJson(this.moves.inputOf(each));
    const wanted = written(move);
    const called = this.calledFor(bots, this.moves.list());
    this.stepping.load(id);
    return called.some((each) => written(each) === wanted);
  }

  /** Of some moves those that the policies of the seats leave in; the working memory is to be loaded anew. */
  private calledFor(bots: NonNullable<ExploreOptions["bots"]>, moves: readonly Happening[]): readonly Happening[] {
    const { steps, memory } = this.engine;
    this.stepping.unpacked();
    return bots.calledFor(moves, steps.turns.now().slice(), memory.publish(0));
  }

  /** A timer that runs before all others; undefined when another is always due before it. */
  private firing(zone: Zone, timer: number, awake: readonly number[]): Choice | undefined {
    const after = this.stepping.zones.fired(zone, timer, awake);
    return after && { move: { kind: "timer", timer }, zone: after, part: 1, total: 1 };
  }

  /** What those who play do at once. */
  private played(listed: readonly Happening[], zone: Zone | undefined): Choice[] {
    const { players } = this.options;
    if (!players || !zone) return [];
    const event = listed.find((move) => move.kind === "event");
    if (event?.kind === "event") {
      const { name = "", from = 0, to = 0 } = this.machine.signals[event.signal] ?? {};
      this.leaveOut({ from, to }, `nobody plays the game's part: the event ${name} does not happen`);
    }
    const { steps, memory } = this.engine;
    this.stepping.unpacked();
    const turn = steps.turns.now().slice();
    this.stepping.forget();
    return players
      .acting(listed, turn, memory.publish(0), this.options.free?.seat)
      .map((chosen) => ({ ...chosen, zone }));
  }

  private take<T>(
    id: number,
    choice: Choice,
    each: (choice: Choice, reached: number | undefined) => T | undefined,
  ): T | undefined {
    this.stepping.odometer.reset();
    for (let tried = 0; tried === 0 || this.rollsOn(tried); tried++) {
      const reached = this.stepping.once(id, choice.move, choice.zone);
      if (reached === UNLISTED) return undefined;
      const found = each(choice, reached);
      if (found !== undefined) return found;
    }
    return undefined;
  }

  /** Takes down what the lookout saw. @param move what was done; undefined when nothing was */
  private sight(at: number, move: Happening | undefined, fails = false): void {
    const { lookout } = this.options;
    if (!lookout) return;
    for (const seen of lookout.seen()) {
      this.findings.met.add(seen);
      const before = this.sightings.get(seen);
      if (!before || (before.fails && !fails)) {
        const depth = this.depthOf(at) + (move ? 1 : 0);
        this.sightings.set(seen, { at, move: move && this.moveOf(move), fails, depth });
      }
      if (!fails) lookout.quiet?.settle(seen);
    }
  }

  /** Goes on at random from situations that were found: deep ones are come to so. */
  private walk(): void {
    if (this.work().walk === 0) return;
    this.stepping.rollBy(this.chance);
    const aims = (this.options.lookout?.aims() ?? []).map((aim) => () => {
      this.stepping.unpacked();
      return aim();
    });
    const walk = new Walk<Choice>(this, (count) => this.below(count), aims);
    this.inBreadth = this.stepping.taken;
    // A way that goes no further costs as much as a step, and is none.
    for (let tried = 0, asked = 0; tried < this.work().walk && this.goalAt === undefined && this.room(); asked++) {
      const ends = asked % ASKED_EVERY === 0 ? this.options.ends?.() : undefined;
      if (ends !== undefined) {
        this.stop(ends);
        break;
      }
      const longer = this.stepping.work - this.stepping.taken;
      tried += walk.step() + this.stepping.work - this.stepping.taken - longer;
    }
    this.stepping.rollBy(this.stepping.odometer);
  }

  /** Puts a situation into the boxes of the working memory, where everybody can look at it. */
  show(id: number): void {
    this.stepping.show(id);
  }

  get count(): number {
    return this.stepping.table.count;
  }

  get visited(): number {
    return this.at;
  }

  /**
   * Whether something was seen by steps at random alone, so that the way there may be no shortest one.
   *
   * @param move what was done in the situation; undefined when it was seen there
   */
  isWalked(id: number, move: Move | undefined): boolean {
    return this.walkedTo.has(id) || (move !== undefined && id >= this.at);
  }

  /** Whether something else may follow on a situation than what was found. */
  isCutShort(id: number): boolean {
    return this.cutShort.has(id);
  }

  get beginsOtherwise(): boolean {
    return this.begun.size > 1;
  }

  kindOf({ move }: Choice): string {
    return kindOf(move);
  }

  walkBy(at: number, choice: Choice): { readonly reached: number; readonly isOver: boolean } | undefined {
    const { chance } = this;
    const { table } = this.stepping;
    if (choice.move.kind === "action") this.met.action(choice.move.id);
    chance.reset();
    const { count } = table;
    const reached = this.stepping.once(at, choice.move, choice.zone);
    if (reached === undefined || reached === UNLISTED) return undefined;
    if (table.count > count) this.walkedTo.set(reached, this.moveOf(choice.move, chance));
    return { reached, isOver: this.engine.memory.outcome !== null };
  }

  private moveOf(does: Happening, { rolled }: Pick<Told, "rolled"> = this.stepping.roller): Move {
    return { does, input: this.moves.inputOf(does), dice: rolled.slice() };
  }

  /** An action that is asked for, without arguments. */
  private askedOf(does: Happening): Move {
    return { does, input: { ...this.moves.inputOf(does), args: {} } as Input, dice: [], asked: true };
  }

  private below(count: number): number {
    return randomBelow(this.dice, 0, Math.max(1, count));
  }

  /** Looks at a situation that was not there before, and that the working memory holds. */
  private meet(id: number): void {
    this.met.situation(id, this.engine.memory);
    if (this.goalAt === undefined && this.holds && this.reaches()) this.goalAt = id;
    if (this.options.lookout) {
      this.options.lookout.rest(this.engine);
      this.sight(id, undefined);
    }
  }

  private reaches(): boolean {
    this.stepping.unpacked();
    try {
      return this.holds?.() === true;
    } catch (error) {
      if (error instanceof Fault) return false;
      throw error;
    }
  }

  // ---- finding ---------------------------------------------------------------------------------

  /** Looks at a situation in which the match goes on. */
  private look(id: number, moves: readonly Happening[], timers: boolean): void {
    const { steps, memory } = this.engine;
    const [first] = moves;
    // Mostly it is one seat's turn, and the first move that is open is its own.
    if (first?.kind === "action" && this.moves.alone() === first.seat) {
      this.met.turn(first.seat);
      return;
    }
    this.stepping.unpacked();
    for (const turn of memory.configuration.turns) {
      const seats = steps.turns.seatsOf(turn);
      for (const seat of seats) this.met.turn(seat);
      // That nothing at all can happen is told as such.
      if (timers || moves.length === 0) continue;
      const idle = seats.filter((seat) => !moves.some((move) => move.kind !== "action" || move.seat === seat));
      // Where any of several may act, one who can is enough.
      if (!this.machine.states[turn]?.turn?.each && idle.length < seats.length) continue;
      for (const seat of idle) this.addIdle(id, seat);
    }
  }

  private addIdle(at: number, seat: number): void {
    const { naming, configuration } = this.engine.memory;
    const leaf = this.machine.states[configuration.leaves[0] ?? 0];
    this.findings.add("idle", `${naming.seats[seat] ?? ""} is on turn in ${leaf?.name ?? ""}, and has nothing open.`, {
      at,
      ...(leaf && { position: leaf.from, state: leaf.id }),
    });
  }

  private faulty(at: number, fault: Fault, move: Happening, asking: boolean): void {
    this.findings.addFault(fault, { at, move: asking ? this.askedOf(move) : this.moveOf(move) }, asking);
  }

  /** Situations from which no ending can be reached any more, when all were visited. */
  private findHopeless(): void {
    const { edges } = this;
    const { table } = this.stepping;
    if (!edges.complete || this.incomplete.size > 0 || this.machine.endings.length === 0) return;
    const ended = new Uint8Array(table.count);
    for (const id of this.met.over) ended[id] = 1;
    const first = leadingTo(edges, ended).indexOf(0);
    // Where nothing can happen any more this has been told.
    if (first >= 0 && edges.hasAny(first))
      this.findings.add("noEnding", "From here no ending can be reached any more.", { at: first });
  }

  /** How many steps it is from the beginning, by the way it was come to first. */
  private depthOf(id: number): number {
    let depth = 0;
    for (let at = this.stepping.table.parent(id); at !== NOBODY; at = this.stepping.table.parent(at)) depth++;
    return depth;
  }

  private leaveOut({ from }: Span, words: string): void {
    const key = `${from} ${words}`;
    if (!this.incomplete.has(key)) this.incomplete.set(key, { words, position: from });
  }

  private stop(words: string): void {
    this.incomplete.set(words, { words });
  }

  private report(visited: boolean): Explored {
    const { met } = this;
    const { table, taken } = this.stepping;
    const incomplete = [...this.incomplete.values()];
    return {
      situations: table.count,
      steps: taken,
      walked: taken - (this.inBreadth ?? taken),
      depth: this.levels.length - 1,
      bytes: table.bytes + this.edges.bytes,
      complete: visited && incomplete.length === 0,
      incomplete,
      holdsFor: holdsFor(this.machine, this.options),
      unseen: this.unseen.names,
      findings: this.findings.sorted,
      endings: met.endings,
      never: met.never(this.engine.memory.seats.length),
      ...(this.goalAt !== undefined && { goal: { at: this.goalAt, depth: this.depthOf(this.goalAt) } }),
    };
  }

  /** What was found as a Markov chain, where everybody plays. */
  chain(): Chain {
    const { shares: begin, at: visited, edges } = this;
    if (!(edges instanceof WeighedEdges)) throw new Error("Where nobody plays nothing is weighed.");
    return chainOf({ ...this.packed(), edges }, { begin, visited, fault: AT_FAULT });
  }

  /** What was found as a game of two, where it was noted who moves. */
  game(): Game {
    return gameOf(this.packed());
  }

  private packed(): Packed {
    const { edges } = this;
    const { table, codec } = this.stepping;
    const resultOf = (id: number): Outcome | undefined => codec.outcomeOf(table.arena, id * table.width) ?? undefined;
    return { count: table.count, edges, resultOf };
  }

  /** The moves from one of several situations to the next. */
  line(ids: readonly number[]): Move[] {
    return this.asking(() => ids.slice(1).map((child, i) => this.moveTo(ids[i] as number, child)));
  }

  // ---- ways ------------------------------------------------------------------------------------

  /** The shortest way to a situation: the rolls of step 0, and every move with its rolls. */
  wayTo(id: number): Way {
    const ids: number[] = [];
    for (let at = id; at !== NOBODY; at = this.stepping.table.parent(at)) ids.push(at);
    ids.reverse();
    const moves = this.asking(() => ids.slice(1).map((child, at) => this.moveTo(ids[at] as number, child)));
    const begin = ids[0] as number;
    return { begin, dice: this.begun.get(begin) ?? [], moves };
  }

  /**
   * A shorter match that comes to the same: to a sign by its number, to a finding by its key.
   *
   * @param last it comes to it by its last move, which stays
   */
  shortened(way: Way, what: number | string, last: boolean): Way {
    const most = this.stepping.taken + MOST_SHORTENING;
    const known: Followed = new Map();
    const isEnough = (): boolean => this.stepping.taken > most;
    return shortened(way, last, {
      works: (from, moves) => (isEnough() ? undefined : this.comesTo(from, moves, what, known)),
      after: (from, move) => (isEnough() ? undefined : this.alone(() => this.following(from, move) ?? undefined)),
      open: (at, most) => this.alone(() => this.openMoves(at, most)) ?? [],
    });
  }

  /** What can be done in a situation, as moves in which nothing is rolled. */
  private openMoves(id: number, most: number): Move[] {
    const { count, choice } = this.choicesOf(id);
    return Array.from({ length: Math.min(count, most) }, (_, i) => this.moveOf(choice(i).move, NOTHING_ROLLED));
  }

  /** The situation that a move leads to with its rolls; undefined where it cannot be made so, null for a fault. */
  private following(from: number, { does, dice }: Move): number | undefined | null {
    const choice = this.choiceOf(from, does);
    if (!choice) return undefined;
    const told = new Told(dice);
    this.stepping.rollBy(told);
    this.findings.met.clear();
    this.options.lookout?.quiet?.again();
    const reached = this.stepping.once(from, choice.move, choice.zone);
    if (!told.isDone || reached === UNLISTED) return undefined;
    return reached ?? null;
  }

  /** Does something beside the search, which goes on rolling as before. @returns undefined where rolls do not fit */
  private alone<T>(body: () => T): T | undefined {
    try {
      return body();
    } catch (error) {
      if (error instanceof RollsOtherwise || error instanceof TooManyValues) return undefined;
      throw error;
    } finally {
      this.stepping.rollBy(this.stepping.odometer);
      this.engine.memory.roller = null;
    }
  }

  /**
   * Whether moves come to something at last, when they are taken one after the other from a situation on.
   *
   * @param known where they lead, as far as they were taken before; what the last one comes to is looked at again
   */
  private comesTo(begin: number, moves: readonly Move[], what: number | string, known: Followed): boolean {
    const { met } = this.findings;
    const comes = (): boolean => {
      let at = begin;
      met.clear();
      for (const [i, move] of moves.entries()) {
        const before = i + 1 < moves.length ? known.get(at)?.get(move) : undefined;
        const reached = before ?? this.following(at, move);
        if (reached === undefined) return false;
        if (reached === null) return met.has(what);
        if (before === undefined) known.set(at, (known.get(at) ?? new Map()).set(move, reached));
        at = reached;
      }
      if (!met.has(what)) {
        this.choicesOf(at);
        this.options.lookout?.rest(this.engine);
        this.sight(at, undefined);
      }
      return met.has(what);
    };
    return this.alone(comes) ?? false;
  }

  private moveTo(from: number, to: number): Move {
    const walked = this.walkedTo.get(to);
    if (walked) return walked;
    const found = this.each(from, ({ move }, reached): Move | undefined =>
      reached === to ? this.moveOf(move, this.stepping.odometer) : undefined,
    );
    if (!found) throw new Error(`There is no way from situation ${from} to ${to}.`);
    return found;
  }

  /** Rolls one by one while something is asked. */
  private asking<T>(body: () => T): T {
    const { memory } = this.engine;
    memory.roller = this.stepping.odometer;
    try {
      return body();
    } finally {
      memory.roller = null;
    }
  }
}
