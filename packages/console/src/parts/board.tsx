/** A grid, drawn: seats and pieces where they stand. A cell can be picked as an argument, by mouse and keyboard. */

import type { BoardCell, Json, ValueOption, View } from "@zany/core";
import { createContext, type KeyboardEvent, type ReactNode, useContext, useEffect, useRef } from "react";

/** An argument that waits for a cell: which cells are open, and what to do with the one that is picked. */
export interface Picking {
  readonly values: readonly ValueOption[];
  readonly onPick: (value: Json) => void;
}

export const PickingContext = createContext<Picking | null>(null);

const STEPS: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

export function Board({
  name,
  rows,
  view,
}: {
  name: string;
  rows: readonly (readonly BoardCell[])[];
  view: View;
}): ReactNode {
  const picking = useContext(PickingContext);
  const table = useRef<HTMLTableElement>(null);
  useEffect(() => {
    if (picking) table.current?.querySelector<HTMLButtonElement>("button[data-open]")?.focus();
  }, [picking]);

  const move = (event: KeyboardEvent): void => {
    const by = STEPS[event.key];
    const at = (event.target as HTMLElement).closest("td");
    if (!by || !at) return;
    event.preventDefault();
    const row = table.current?.rows[(at.parentElement as HTMLTableRowElement).rowIndex + by[1]];
    row?.cells[at.cellIndex + by[0]]?.querySelector("button")?.focus();
  };

  return (
    <div className="py-1">
      <dt className="px-1 pb-1 text-soft">
        {name}
        {picking ? <span className="ml-2 text-sea">pick a cell: click it, or arrow keys and Enter</span> : null}
      </dt>
      <dd className="overflow-x-auto">
        <table ref={table} aria-label={name} className="border-collapse" onKeyDown={picking ? move : undefined}>
          <tbody>
            {rows.map((row) => (
              <tr key={row[0]?.y}>
                {row.map((cell) => (
                  <Cell key={cell.x} cell={cell} view={view} picking={picking} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </dd>
    </div>
  );
}

function Cell({ cell, view, picking }: { cell: BoardCell; view: View; picking: Picking | null }): ReactNode {
  const place = `${cell.x},${cell.y}`;
  const option = picking?.values.find((v) => v.label === place);
  const words = [
    ...cell.seats,
    ...cell.pieces.map((p) => `${p.name} ${p.index}${p.owner === undefined ? "" : ` of ${p.owner}`}`),
    ...cell.marks,
  ];
  const taken = cell.seats.length + cell.pieces.length > 0;
  const looks = taken ? "bg-sail-wash font-semibold" : cell.marks.length > 0 ? "bg-sunken text-soft" : "bg-panel";
  const title = [place, ...words, ...(option && !option.open ? [option.reason ?? "closed"] : [])].join(" ");
  const inside = <Inside cell={cell} view={view} />;
  return (
    <td title={title} className={`h-9 w-12 border border-line p-0 text-center text-xs ${looks}`}>
      {picking ? (
        <button
          type="button"
          aria-label={[place, ...words].join(" ")}
          aria-disabled={!option?.open}
          data-open={option?.open ? "" : undefined}
          tabIndex={option?.open ? 0 : -1}
          onClick={() => option?.open && picking.onPick(option.value)}
          className={`h-full w-full ${option?.open ? "bg-sea-wash ring-1 ring-sea ring-inset hover:bg-sea hover:text-panel" : ""}`}
        >
          {inside}
        </button>
      ) : (
        inside
      )}
    </td>
  );
}

/** Owners in the order of the seats take these looks in turn. */
const OWNERS = ["text-sea", "text-bad", "text-good", "text-sail"];

function Inside({ cell, view }: { cell: BoardCell; view: View }): ReactNode {
  if (cell.seats.length > 0) return cell.seats.map((seat) => shortSeat(seat, view)).join(" ");
  if (cell.pieces.length === 0) return cell.marks.join(" ");
  return cell.pieces.map((piece) => (
    <span
      key={`${piece.list} ${piece.index}`}
      className={
        piece.owner === undefined
          ? ""
          : OWNERS[
              Math.max(
                0,
                view.seats.findIndex((s) => s.seat === piece.owner),
              ) % OWNERS.length
            ]
      }
    >
      {piece.name.slice(0, 4)} {piece.index}
    </span>
  ));
}

/** As much of a seat's name as tells it from the others. */
function shortSeat(seat: string, view: View): string {
  const digits = /\d+$/.exec(seat)?.[0] ?? "";
  for (let length = 1; length < seat.length; length++) {
    const short = seat.slice(0, length) + digits;
    if (
      !view.seats.some((s) => s.seat !== seat && s.seat.slice(0, length) + (/\d+$/.exec(s.seat)?.[0] ?? "") === short)
    )
      return short;
  }
  return seat;
}
