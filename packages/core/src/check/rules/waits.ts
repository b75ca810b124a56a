/**
 * Circles that wait for nobody, waits that nothing or only an event ends, and rolls that can be had again for nothing.
 */

import { branchesOf, visitBlock, visitExpr, type Visitor, visitPassing } from "../visit.js";
import type { Span } from "../../language/source.js";
import type { Messages } from "../../language/message.js";
import type { Arrow, Block, Expr, Machine, State } from "../machine.js";
import { readsOf } from "../reads.js";
import { slotsWritten } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { chainOf, ends, isInside, leadsOut, leavesIn } from "../tree.js";

export function checkWaits(found: Findings, messages: Messages): void {
  checkCircles(found, messages);
  checkEndlessWaits(found, messages);
  checkNeverReady(found.machine, messages);
  checkReadyInVain(found.machine, messages);
  checkEventWaits(found, messages);
  checkRerolls(found, messages);
}

// ---- circles -----------------------------------------------------------------------------------

function checkCircles(found: Findings, messages: Messages): void {
  const { machine } = found;
  const told = new Set<number>();
  for (const circle of found.circles) {
    const key = Math.min(...circle);
    if (told.has(key)) continue;
    const states = new Set(circle.flatMap((leaf) => chainOf(found.machine, leaf)));
    const inside = circle.map((id) => machine.states[id] as State);
    const reads = new Set<number>();
    let lot = false;
    let more = false;
    for (const state of inside) {
      for (const test of [...testsOf(state)]) {
        const r = readsOf(machine, test);
        for (const slot of r.slots) reads.add(slot);
        more ||= r.states || (r.more && found.eliminates);
      }
      lot ||= state.whens.some((w) => hasOdds(w.arrow));
      if (state.whens.some((w) => w.test.kind === "allReady" || w.test.kind === "done")) more = true;
    }
    if (lot || more) continue;
    // On the way round only what entering, leaving, conditions and listeners do happens; actions and timers do not.
    const written = slotsWritten(machine, (visitor) => {
      for (const s of states) visitPassing(s, visitor);
    });
    if ([...reads].some((slot) => written.has(slot))) continue;
    told.add(key);
    for (const state of inside) for (const test of testsOf(state)) found.explained.add(test);
    const first = inside.reduce((a, b) => (a.from < b.from ? a : b));
    const names = [...circle.slice(circle.indexOf(first.id)), ...circle.slice(0, circle.indexOf(first.id)), first.id]
      .map((id) => machine.states[id]?.name)
      .join(" -> ");
    const asked =
      reads.size === 0
        ? "nothing on the way asks whether to go on"
        : "nothing on the way changes what its conditions ask";
    const onward = leadsOn(found, inside);
    messages.warning(
      "endless-loop",
      onward?.at ?? first.nameSpan,
      `The machine can go round for ever without waiting for anybody: ${names}; ${asked}.`,
      "Let one of these states wait: for somebody's turn, a time or an event; or change on the way what ends the " +
        "circle.",
      onward && { ...onward.from.nameSpan, words: `In "${onward.from.name}" somebody could act.` },
    );
  }
}

/** The condition by which a circle leaves a state in which somebody could act. */
function leadsOn(
  { machine, flow, moves }: Findings,
  circle: readonly State[],
): { readonly at: Span; readonly from: State } | undefined {
  for (const from of circle) {
    if (!flow.openings.turnAt(from.id) || flow.openings.actionsAt(from.id).length === 0) continue;
    const goesRound = (when: State["whens"][number]): boolean =>
      moves.some(
        ({ arrow, from: leaf, to }) =>
          leaf === from.id &&
          "state" in to &&
          when.from <= arrow.from &&
          arrow.to <= when.to &&
          circle.some(({ id }) => isInside(machine, id, to.state)),
      );
    const when = from.whens.find((w) => w.test.kind === "holds" && goesRound(w));
    if (when?.test.kind === "holds") return { at: when.test.test, from };
  }
  return undefined;
}

function testsOf(state: State): Expr[] {
  const tests: Expr[] = [];
  const ofArrow = (arrow: Arrow): void => {
    if (arrow.kind !== "choose") return;
    for (const b of arrow.branches) {
      if (b.test) tests.push(b.test);
      ofArrow(b.arrow);
    }
    if (arrow.otherwise) ofArrow(arrow.otherwise.arrow);
  };
  for (const when of state.whens) {
    if (when.test.kind === "holds") tests.push(when.test.test);
    ofArrow(when.arrow);
  }
  return tests;
}

function hasOdds(arrow: Arrow): boolean {
  return arrow.kind === "odds" || (arrow.kind === "choose" && branchesOf(arrow).some((b) => hasOdds(b.arrow)));
}

function slotOf(path: string): number {
  return Number(/^[ds](\d+)/.exec(path)?.[1]);
}

// ---- waits -------------------------------------------------------------------------------------

/** A state with all that are around it and inside it. */
function familyOf(machine: Machine, { id: of }: State): State[] {
  return machine.states.filter(({ id }) => isInside(machine, id, of) || isInside(machine, of, id));
}

/** `when all ready` where no action makes a seat ready. */
function checkNeverReady(machine: Machine, messages: Messages): void {
  for (const state of machine.states) {
    if (!state.turn?.each) continue;
    const around = familyOf(machine, state);
    const actions = around.flatMap((each) => each.actions);
    const when = state.whens.find(({ test }) => test.kind === "allReady");
    if (!when || actions.length === 0 || actions.some((a) => ends(a.arrow).some(({ kind }) => kind === "ready")))
      continue;
    messages.warning(
      "endless-wait",
      when,
      `Nobody is ever ready in "${state.name}": none of the actions there ends in "-> ready".`,
      "Let the action by which a seat has done its part end in: -> ready.",
    );
  }
}

/** Seats that make themselves ready where nothing asks whether all are: only the time leads on, or an event. */
function checkReadyInVain(machine: Machine, messages: Messages): void {
  for (const state of machine.states) {
    if (!state.turn?.each) continue;
    const around = familyOf(machine, state);
    const actions = around.flatMap((each) => each.actions);
    const ready = actions.find((a) => ends(a.arrow).some(({ kind }) => kind === "ready"));
    const goesOn =
      around.some(({ whens }) => whens.length > 0) || actions.some(({ arrow }) => leadsOut(machine, arrow));
    if (!ready || goesOn) continue;
    const isTimed = around.some(({ timers }) => timers.some(({ arrow }) => arrow));
    const isHeard = around.some(({ listeners }) =>
      listeners.some(({ arrow, signal }) => arrow && machine.signals[signal]?.origin === "event"),
    );
    const until = isTimed ? "until the time is up" : isHeard ? "until the game tells of something" : "for ever";
    messages.warning(
      "endless-wait",
      state.turn,
      `When all are ready in "${state.name}", nothing goes on: it waits ${until}.`,
      "Say what comes then: when all ready -> STATE.",
    );
  }
}

function checkEndlessWaits(found: Findings, messages: Messages): void {
  const { machine, flow, accesses } = found;
  const told = new Set<number>();
  for (const point of flow.points.values()) {
    const chain = chainOf(flow.machine, point.leaf);
    const leaf = chain[0] as State;
    if (leaf.stub || leaf.kind === "final" || told.has(leaf.id)) continue;
    const whens = chain.flatMap((s) => s.whens.filter((w) => w.test.kind === "holds"));
    if (whens.length === 0) continue;
    const someone = flow.openings.turnAt(leaf.id) && flow.openings.actionsAt(leaf.id).length > 0;
    const others = chain.some(
      (s) =>
        s.timers.some((t) => t.arrow) ||
        s.actions.some((a) => a.by) ||
        s.listeners.some((l) => l.arrow && machine.signals[l.signal]?.origin !== "system"),
    );
    if (
      someone ||
      others ||
      chain.some((s) => s.whens.some((w) => w.test.kind === "done" || w.test.kind === "allReady"))
    )
      continue;
    const around = new Set(chain.map((s) => s.id));
    for (const peer of point.peers) for (const s of chainOf(flow.machine, peer)) around.add(s.id);
    const waits = whens.map((w) => (w.test.kind === "holds" ? readsOf(machine, w.test.test) : undefined));
    if (waits.some((r) => r?.more)) continue;
    const reads = new Set(waits.flatMap((r) => [...(r?.slots ?? [])]));
    const writers = accesses.all.some(
      (a) =>
        a.kind === "write" &&
        reads.has(slotOf(a.path)) &&
        [...accesses.statesOf(a.place)].some((id) => around.has(id) && movesOn(machine.states[id] as State)),
    );
    if (writers) continue;
    told.add(leaf.id);
    const [when] = whens;
    if (when?.test.kind !== "holds") continue;
    const test = machine.sources.written(when.test.test);
    messages.warning(
      "endless-wait",
      when.test.test,
      `"${leaf.name}" waits until ${test}, but nothing that happens there can make it true.`,
      "Let a timer, an event or an action here change what it asks; or lead on with else.",
    );
  }
}

/**
 * States that only an event of the game leads out of: when the game that should tell of it has gone, the match stands
 * still. A machine without any action is the game's own in every state, and means it.
 */
function checkEventWaits(found: Findings, messages: Messages): void {
  const { machine, flow } = found;
  if (machine.actions.length === 0) return;
  const told = new Set<number>();
  for (const { leaf: id, peers } of flow.points.values()) {
    const chain = chainOf(flow.machine, id);
    const leaf = chain[0] as State;
    if (told.has(id) || leaf.stub || leaf.kind === "final" || peers.size > 0) continue;
    const goesOnOtherwise =
      (flow.openings.turnAt(id) && flow.openings.actionsAt(id).some((a) => !a.by)) ||
      chain.some((s) => s.timers.length > 0 || s.actions.some((a) => a.by && leadsOut(machine, a.arrow)));
    if (goesOnOtherwise) continue;
    const events = chain.flatMap((s) => s.listeners).filter((l) => machine.signals[l.signal]?.origin === "event");
    const [first] = events;
    if (!first) continue;
    told.add(id);
    const names = [...new Set(events.map((l) => machine.signals[l.signal]?.name))];
    messages.warning(
      "no-time-limit",
      leaf.nameSpan,
      `"${leaf.name}" waits for ${names.join(" or ")} alone: if the game does not tell of it, the match stands ` +
        `still for ever.`,
      "Set a limit beside it: after 30s -> STATE.",
    );
  }
}

/** Something can happen in a state while it is at rest, so that data may change. */
function movesOn(state: State): boolean {
  return state.timers.length > 0 || state.listeners.length > 0 || state.actions.length > 0;
}

// ---- rolls at every entry ----------------------------------------------------------------------

/** A state whose `enter` rolls, and which a seat can leave and enter again without any cost. */
function checkRerolls(found: Findings, messages: Messages): void {
  const { machine } = found;
  const free = new Map<number, number[]>();
  const add = (from: number, to: number): void => {
    free.set(from, [...(free.get(from) ?? []), to]);
  };
  for (const state of machine.states) {
    for (const action of state.actions) {
      if (changes(machine, action.block) || action.arrow.kind !== "to" || action.arrow.target.kind !== "state")
        continue;
      for (let leaf = state.id; leaf <= state.last; leaf++)
        if (found.flow.entered.has(leaf)) add(leaf, action.arrow.target.state);
    }
    for (const when of state.whens)
      if (
        when.test.kind === "entered" &&
        !changes(machine, when.block) &&
        when.arrow.kind === "to" &&
        when.arrow.target.kind === "state"
      )
        add(state.id, when.arrow.target.state);
  }
  for (const state of machine.states) {
    const roll = state.enters.map(({ block }) => block && rollIn(machine, block)).find(Boolean);
    if (!roll) continue;
    const seen = new Set<number>();
    const work = leavesIn(machine, state.id);
    let again = false;
    while (work.length > 0 && !again) {
      const at = work.pop() as number;
      if (seen.has(at)) continue;
      seen.add(at);
      for (const to of free.get(at) ?? []) {
        const entered = entersAnew(machine, at, to);
        if (entered.has(state.id)) again = true;
        else if (![...entered].some((id) => machine.states[id]?.enters.some(({ block }) => changes(machine, block))))
          work.push(...leavesIn(machine, to));
      }
    }
    if (again)
      messages.warning(
        "roll-again-for-nothing",
        roll,
        `Whoever is in "${state.name}" can leave it and come back without any cost, and this roll is made anew ` +
          `each time.`,
        "Roll where it cannot be repeated: in the state before, or in the action that pays for it.",
      );
  }
}

function entersAnew(machine: Machine, from: number, to: number): Set<number> {
  const entered = new Set<number>();
  for (let id = to; id > 0; id = machine.states[id]?.parent ?? -1) {
    if (id !== to && isInside(machine, from, id)) break;
    entered.add(id);
  }
  for (let id = machine.states[to]?.start ?? -1; id >= 0; id = machine.states[id]?.start ?? -1) entered.add(id);
  return entered;
}

/** True when a block does more than tell: it writes, rolls, raises or eliminates. */
function changes(machine: Machine, block: Block | undefined): boolean {
  return (
    block?.statements.some((s): boolean => {
      switch (s.kind) {
        case "note":
        case "let":
          return false;
        case "call":
          return changes(machine, machine.effects[s.effect]?.body);
        case "if":
          return s.branches.some((b) => changes(machine, b.body)) || changes(machine, s.otherwise);
        case "for":
          return changes(machine, s.body);
        default:
          return true;
      }
    }) ?? false
  );
}

/** Effects call each other no deeper than texts may nest. */
const MAX_DEPTH = 60;

/**
 * The first roll in a block or in an effect it calls; for those the call. What is rolled only while something holds
 * that the block itself changes, as a pile that is shuffled when its last card was taken, is not rolled each time.
 */
function rollIn(machine: Machine, block: Block): Span | undefined {
  const written = slotsWritten(machine, (visitor) => visitBlock(block, visitor));
  const hangs = (test: Expr): boolean => [...readsOf(machine, test).slots].some((slot) => written.has(slot));
  const rollsIn = (part: Block | undefined, depth: number): Span | undefined => {
    let found: Span | undefined;
    if (depth > MAX_DEPTH) return undefined;
    const visitor: Visitor = {
      expr: (e) => {
        if (e.kind === "roll" || e.kind === "chance" || e.kind === "pick" || e.kind === "shuffle") found ??= e;
      },
      statement: (s) => {
        if (s.kind === "call" && rollsIn(machine.effects[s.effect]?.body, depth + 1)) found ??= s;
        const hanging = s.kind === "if" ? s.branches.findIndex(({ test }) => hangs(test)) : -1;
        if (s.kind !== "if" || hanging < 0) return;
        for (const { test, body } of s.branches.slice(0, hanging)) {
          visitExpr(test, visitor);
          visitBlock(body, visitor);
        }
        visitExpr(s.branches[hanging]?.test, visitor);
        return false;
      },
    };
    visitBlock(part, visitor);
    return found;
  };
  return rollsIn(block, 0);
}
