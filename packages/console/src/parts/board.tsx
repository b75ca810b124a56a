/** A grid, drawn: seats and pieces where they stand, cells in the colour of their owner. What waits is picked on it. */

import type { BoardCell, Json, View } from "@zany/core";
import { type KeyboardEvent, type ReactNode, useContext, useEffect, useRef } from "react";
import { lookOf } from "./owners.js";
import { PICK_LOOK, type Picking, PickingContext } from "./picking.js";

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
  changed,
}: {
  name: string;
  rows: readonly (readonly BoardCell[])[];
  view: View;
  /** JSON Pointers of what has just changed. */
  changed?: ReadonlySet<string> | undefined;
}): ReactNode {
  const context = useContext(PickingContext);
  const picking = context && context.target !== "seat" && hasAny(rows, context) ? context : null;
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
    <figure className="min-w-0">
      <figcaption className="pb-1 text-soft">
        {name}
        {picking ? <span className="ml-2 text-sea">pick a cell: click it, or arrow keys and Enter</span> : null}
      </figcaption>
      <div className="overflow-x-auto">
        <table ref={table} aria-label={name} className="border-collapse" onKeyDown={picking ? move : undefined}>
          <tbody>
            {rows.map((row, y) => (
              <tr key={row[0]?.y}>
                {row.map((cell) => (
                  <Cell
                    key={cell.x}
                    cell={cell}
                    view={view}
                    picking={picking}
                    changed={isChanged(changed, `/data/${name}/${y}/${cell.x}`)}
                  />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </figure>
  );
}

function isChanged(changed: ReadonlySet<string> | undefined, path: string): boolean {
  return changed?.has(path) === true || [...(changed ?? [])].some((c) => c.startsWith(`${path}/`));
}

function hasAny(rows: readonly (readonly BoardCell[])[], picking: Picking): boolean {
  return rows.some((row) => row.some((cell) => optionAt(cell, picking) !== undefined));
}

/** What a cell stands for among the values that can be picked: itself, or a piece on it. */
function optionAt(cell: BoardCell, { target, values }: Picking): Picking["values"][number] | undefined {
  if (target === "cell") return values.find((v) => v.label === `${cell.x},${cell.y}`);
  const here: readonly Json[] = cell.pieces.filter((p) => p.list === target).map((p) => p.index);
  const options = values.filter((v) => here.includes(v.value));
  return options.find((v) => v.open) ?? options[0];
}

function Cell({
  cell,
  view,
  picking,
  changed,
}: {
  cell: BoardCell;
  view: View;
  picking: Picking | null;
  changed: boolean;
}): ReactNode {
  const place = `${cell.x},${cell.y}`;
  const option = picking ? optionAt(cell, picking) : undefined;
  const words = [
    ...cell.seats,
    ...cell.pieces.map((p) => `${p.name} ${p.index}${p.owner === undefined ? "" : ` of ${p.owner}`}`),
    ...cell.marks,
    ...(cell.owner === undefined ? [] : [`of ${cell.owner}`]),
  ];
  const taken = cell.seats.length + cell.pieces.length > 0;
  const looks = taken
    ? "font-semibold"
    : cell.marks.length > 0 && cell.owner === undefined && cell.level === undefined
      ? "text-soft"
      : "";
  const title = [place, ...words, ...(option && !option.open ? [option.reason ?? "closed"] : [])].join(" ");
  const inside = <Inside cell={cell} view={view} />;
  return (
    <td
      title={title}
      className={
        "relative h-[clamp(2.25rem,4.2vh,3.5rem)] w-[clamp(3rem,4vw,4.5rem)] border border-line " +
        `p-0 text-center text-xs ${looks} ${changed ? "changed" : taken ? "bg-sunken" : "bg-panel"}`
      }
    >
      <Ground cell={cell} view={view} />
      {picking ? (
        <button
          type="button"
          aria-label={[place, ...words].join(" ")}
          aria-disabled={!option?.open}
          data-open={option?.open ? "" : undefined}
          tabIndex={option?.open ? 0 : -1}
          onClick={() => option?.open && picking.onPick(option.value)}
          className={`relative h-full w-full ${option?.open ? PICK_LOOK : ""}`}
        >
          {inside}
        </button>
      ) : (
        <span className="relative">{inside}</span>
      )}
    </td>
  );
}

/** How much of its owner's colour a cell takes, the least and the most: words on it stay readable. */
const LEAST_WASH = 0.06;
const MOST_WASH = 0.22;

/**
 * Who a cell belongs to, by colour, and how much of what its record counts down is left, by its strength and by a strip
 * along its foot.
 */
function Ground({ cell: { owner, level }, view }: { cell: BoardCell; view: View }): ReactNode {
  if (owner === undefined && level === undefined) return null;
  const wash = owner === undefined ? "bg-sail" : lookOf(view.seats, owner).wash;
  return (
    <>
      <span
        aria-hidden="true"
        className={`absolute inset-0 ${wash}`}
        style={{ opacity: LEAST_WASH + (MOST_WASH - LEAST_WASH) * (level ?? 1) }}
      />
      <span
        aria-hidden="true"
        className={`absolute bottom-0 left-0 h-1 ${wash}`}
        style={{ width: `${Math.round((level ?? 1) * 100)}%` }}
      />
    </>
  );
}

function Inside({ cell, view }: { cell: BoardCell; view: View }): ReactNode {
  if (cell.seats.length > 0)
    return cell.seats.map((seat) => (
      <span key={seat} className={`mr-0.5 ${lookOf(view.seats, seat).text}`}>
        {shortSeat(seat, view)}
      </span>
    ));
  if (cell.pieces.length === 0) return cell.marks.join(" ");
  return cell.pieces.map((piece) => (
    <span
      key={`${piece.list} ${piece.index}`}
      className={piece.owner === undefined ? "" : lookOf(view.seats, piece.owner).text}
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
