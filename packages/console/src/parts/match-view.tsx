/**
 * A match as it is played, for one to eight seats: boards and tables in the middle, the seats around, the actions of
 * the seats one plays in front; beside it the diagram and the story.
 */

import type { SeenMatch } from "@zany/client";
import type { Diagram as Graph, StepLine, View } from "@zany/core";
import { lazy, type ReactNode, Suspense, useState } from "react";
import { Actions } from "./actions.js";
import { Loading, Scrolling } from "./basics.js";
import { inSightOf, SharedData, WatchingContext } from "./data.js";
import { GamePanel } from "./game-panel.js";
import type { Moves } from "./moves.js";
import { type Picking, PickingContext } from "./picking.js";
import { SeatCard } from "./seat-card.js";
import { Split } from "./split.js";
import { useWatching } from "./watching.js";

const MatchSide = lazy(() => import("./match-side.js"));

interface MatchViewProps {
  /** As everybody sees it, or as the seat does that is furthest. */
  readonly match: SeenMatch;
  /** As each seat sees it that is played here. */
  readonly seen: Readonly<Record<string, SeenMatch>>;
  /** As the host sees it, where the host's part is played here. */
  readonly hosted: SeenMatch | null;
  readonly moves: Moves;
  readonly lines: readonly StepLine[];
  readonly graph: Graph | undefined;
  /** Leaves the diagram and the story out: they are shown elsewhere. */
  readonly alone?: boolean;
}

export function MatchView({ match, seen, hosted, moves, lines, graph, alone = false }: MatchViewProps): ReactNode {
  const watching = useWatching(match.machine.name);
  const table = <Table match={match} seen={seen} hosted={hosted} moves={moves} lines={lines} />;
  return (
    <WatchingContext value={watching}>
      {alone || isPhone() ? (
        table
      ) : (
        <Split
          name="match"
          at={66}
          left={table}
          right={
            <Suspense fallback={<Loading />}>
              <MatchSide match={match} seen={seen} lines={lines} graph={graph} watching={watching} />
            </Suspense>
          }
        />
      )}
    </WatchingContext>
  );
}

/** On a phone there is room for the table alone. */
function isPhone(): boolean {
  return window.innerWidth < 600;
}

function Table({
  match,
  seen,
  hosted,
  moves,
  lines,
}: Pick<MatchViewProps, "match" | "seen" | "hosted" | "moves" | "lines">): ReactNode {
  const [picking, setPicking] = useState<Picking | null>(null);
  const { view } = match;
  const changed = new Set(view.step === 0 ? [] : lines.at(-1)?.changes.map((c) => c.path));
  const inSight = inSightOf(view);
  const [above, below] = around(view, moves.own);
  // Whoever can do something stands in front.
  const playing = moves.own
    .filter((seat) => (seen[seat]?.options.length ?? 0) > 0)
    .sort((a, b) => Number(isOpen(seen[b])) - Number(isOpen(seen[a])));
  return (
    <PickingContext value={picking}>
      <div className="flex h-full min-h-0 flex-col">
        <Scrolling label="The table">
          <Seats seats={above} match={match} seen={seen} moves={moves} changed={changed} />
          <div className="my-4">
            <SharedData view={view} changed={changed} />
          </div>
          <Seats seats={below} match={match} seen={seen} moves={moves} changed={changed} />
        </Scrolling>
        {hosted && moves.host ? <GamePanel match={hosted} host={moves.host} /> : null}
        {view.outcome || playing.length === 0 ? null : (
          <div
            className={
              "flex max-h-[45%] shrink-0 flex-wrap divide-x " +
              "divide-line overflow-auto border-t-2 border-sea bg-panel"
            }
          >
            {playing.map((seat) => {
              const own = seen[seat] as SeenMatch;
              return (
                <Actions
                  key={seat}
                  seat={seat}
                  step={own.view.step}
                  options={own.options}
                  moves={moves}
                  inSight={inSight}
                  onPicking={setPicking}
                />
              );
            })}
          </div>
        )}
      </div>
    </PickingContext>
  );
}

/**
 * Around a board, one's own seats are on the near side; where all are one's own, half of them. Without one, all
 * above.
 */
function around(view: View, own: readonly string[]): [above: readonly string[], below: readonly string[]] {
  const seats = view.seats.map((s) => s.seat);
  if (!view.data.some((f) => f.type.startsWith("grid"))) return [seats, []];
  const near =
    own.length > 0 && own.length < seats.length
      ? seats.filter((seat) => own.includes(seat))
      : seats.slice(Math.ceil(seats.length / 2));
  return [seats.filter((seat) => !near.includes(seat)), near];
}

function Seats({
  seats,
  match,
  seen,
  moves,
  changed,
}: Pick<MatchViewProps, "match" | "seen" | "moves"> & {
  seats: readonly string[];
  changed: ReadonlySet<string>;
}): ReactNode {
  return (
    <div className="flex flex-wrap gap-2">
      {seats.map((seat) => (
        <div key={seat} className="max-w-96 min-w-0 flex-[1_1_11rem]">
          <SeatCard seat={seat} match={seen[seat] ?? match} moves={moves} changed={changed} />
        </div>
      ))}
    </div>
  );
}

function isOpen(match: SeenMatch | undefined): boolean {
  return match?.options.some((option) => option.open) === true;
}
