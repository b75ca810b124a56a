/** A match's data: bars for bounded numbers, the rest in words. What has just changed is marked. */

import { type BoardCell, boardOf, isCell, type Json, valueInWords, type View, type ViewField } from "@zany/core";
import type { ReactNode } from "react";

interface DataProps {
  readonly view: View;
  /** Show per-seat data of this seat only. */
  readonly seat?: string;
  /** JSON Pointers of what has just changed. */
  readonly changed?: ReadonlySet<string>;
}

/** Data that belongs to one seat. */
export function SeatData({ view, seat = "", changed }: DataProps): ReactNode {
  const fields = view.data.filter((f) => f.type.startsWith("per seat") && Object.hasOwn(f.value as object, seat));
  return (
    <dl className="space-y-1">
      {fields.map((field) => {
        const value = (field.value as { readonly [seat: string]: Json })[seat] as Json;
        const path = `${pathOf(field)}/${seat}`;
        return isRecord(value) && !isCell(value) ? (
          Object.entries(value).map(([part, v]) => <Datum key={`${path}/${part}`} name={part} value={v} bounds={field.bounds?.[part]} changed={changed?.has(`${path}/${part}`)} />)
        ) : (
          <Datum key={path} name={field.name} value={value} bounds={field.bounds?.[""]} changed={changed?.has(path)} />
        );
      })}
    </dl>
  );
}

/** Data that belongs to the whole match, or to an active state. */
export function SharedData({ view, changed }: DataProps): ReactNode {
  const fields = view.data.filter((f) => !f.type.startsWith("per seat"));
  if (fields.length === 0) return null;
  return (
    <dl className="space-y-1">
      {fields.map((field) => {
        const board = boardOf(view, field);
        if (board) return <Board key={pathOf(field)} name={field.name} rows={board} view={view} />;
        return (
        <Datum key={pathOf(field)} name={field.state === undefined ? field.name : `${field.state}.${field.name}`} value={field.value} changed={[...(changed ?? [])].some((p) => p === pathOf(field) || p.startsWith(`${pathOf(field)}/`))} />
        );
      })}
    </dl>
  );
}

function pathOf(field: ViewField): string {
  return field.state === undefined ? `/data/${field.name}` : `/local/${field.state}/${field.name}`;
}

/** A grid, drawn: seats where they stand, everything else as small marks. */
function Board({ name, rows, view }: { name: string; rows: readonly (readonly BoardCell[])[]; view: View }): ReactNode {
  return (
    <div className="py-1">
      <dt className="px-1 pb-1 text-soft">{name}</dt>
      <dd>
        <table aria-label={name} className="border-collapse">
          <tbody>
            {rows.map((row) => (
              <tr key={row[0]?.y}>
                {row.map((cell) => (
                  <td key={cell.x} title={`${cell.x},${cell.y}${[...cell.seats, ...cell.marks].map((m) => ` ${m}`).join("")}`} className={`h-9 w-12 border border-line p-0 text-center text-xs ${cell.seats.length > 0 ? "bg-sail-wash font-semibold" : cell.marks.length > 0 ? "bg-sunken text-soft" : "bg-panel"}`}>
                    {cell.seats.length > 0 ? cell.seats.map((seat) => shortSeat(seat, view)).join(" ") : cell.marks.join(" ")}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </dd>
    </div>
  );
}

/** As much of a seat's name as tells it from the others. */
function shortSeat(seat: string, view: View): string {
  const digits = /\d+$/.exec(seat)?.[0] ?? "";
  for (let length = 1; length < seat.length; length++) {
    const short = seat.slice(0, length) + digits;
    if (!view.seats.some((s) => s.seat !== seat && s.seat.slice(0, length) + (/\d+$/.exec(s.seat)?.[0] ?? "") === short)) return short;
  }
  return seat;
}

function Datum({ name, value, bounds, changed = false }: { name: string; value: Json; bounds?: readonly [number, number] | undefined; changed?: boolean | undefined }): ReactNode {
  return (
    <div className={`flex items-center gap-2 rounded px-1 ${changed ? "bg-sail-wash" : ""}`}>
      <dt className="w-20 shrink-0 truncate text-soft" title={name}>
        {name}
      </dt>
      <dd className="flex min-w-0 flex-1 items-center gap-2">
        {typeof value === "number" && bounds && bounds[1] > bounds[0] && bounds[1] - bounds[0] <= 100_000 ? <Bar value={value} low={bounds[0]} high={bounds[1]} label={name} /> : <Value value={value} />}
      </dd>
    </div>
  );
}

function Bar({ value, low, high, label }: { value: number; low: number; high: number; label: string }): ReactNode {
  const share = (value - low) / (high - low);
  return (
    <>
      <meter className="sr-only" aria-label={label} min={low} max={high} value={value} />
      <span aria-hidden="true" className="h-2 min-w-0 flex-1 overflow-hidden rounded-full bg-sunken ring-1 ring-line ring-inset">
        <span className={`block h-full rounded-full ${share <= 0.2 ? "bg-sail" : "bg-sea"}`} style={{ width: `${Math.round(share * 100)}%` }} />
      </span>
      <span className="w-14 shrink-0 text-right tabular-nums">
        {value}
        <span className="text-soft">/{high}</span>
      </span>
    </>
  );
}

/** A value in words; a list of records as chips. */
function Value({ value }: { value: Json }): ReactNode {
  if (!Array.isArray(value) || !value.some((v) => isRecord(v) && !isCell(v))) {
    return (
      <span className="truncate" title={valueInWords(value)}>
        {valueInWords(value)}
      </span>
    );
  }
  const seen = new Map<string, number>();
  return (
    <span className="flex flex-wrap gap-1">
      {value.map((part) => {
        const words = valueInWords(part);
        const nth = (seen.get(words) ?? 0) + 1;
        seen.set(words, nth);
        return (
          <span key={`${words} ${nth}`} className="rounded border border-line bg-sunken px-1.5">
            {words}
          </span>
        );
      })}
    </span>
  );
}

function isRecord(value: Json): value is { readonly [key: string]: Json } {
  return value !== null && typeof value === "object" && !Array.isArray(value);
}
