/** A match's data: boards, tables of records, bars where a number has a measure, the rest in words. */

import { boardOf, isCell, type Json, valueInWords, type View, type ViewField } from "@zany/core";
import { Eye, EyeOff } from "lucide-react";
import { createContext, type ReactNode, useContext } from "react";
import { Board } from "./board.js";
import { lookOf } from "./owners.js";
import { PICK_LOOK, PickingContext } from "./picking.js";

/** Which data are watched, by JSON Pointer, and how to change that; without it nothing can be watched. */
export interface Watching {
  readonly paths: readonly string[];
  readonly toggle: (path: string) => void;
}

export const WatchingContext = createContext<Watching | null>(null);

/** JSON Pointers of what has just changed. */
type Changed = ReadonlySet<string>;
type JsonRecord = { readonly [key: string]: Json };

/** One number, text or list with its name. */
interface DatumProps {
  readonly path: string;
  readonly name: string;
  readonly value: Json;
  readonly bounds?: readonly [number, number] | undefined;
}

/** Data that belongs to one seat: what each of it holds, line by line. */
export function SeatData({ view, seat, changed }: { view: View; seat: string; changed: Changed }): ReactNode {
  const own = view.data.filter((f) => isPerSeat(f) && Object.hasOwn(f.value as object, seat));
  const data = own.flatMap((field): DatumProps[] => {
    const value = (field.value as JsonRecord)[seat] as Json;
    const path = `${pathOf(field)}/${seat}`;
    if (!isRecord(value)) return [{ path, name: field.name, value, bounds: measureOf(field, "") }];
    const only = own.length === 1;
    return Object.entries(value).map(([part, v]) => ({
      path: `${path}/${part}`,
      name: only ? part : `${field.name}.${part}`,
      value: v,
      bounds: measureOf(field, part),
    }));
  });
  if (data.length === 0) return null;
  return (
    <dl className="space-y-0.5">
      {data.map((datum) => (
        <Datum key={datum.path} {...datum} changed={isChanged(changed, datum.path)} />
      ))}
    </dl>
  );
}

/** Data that belongs to the whole match, or to an active state: boards first, then tables, then the rest. */
export function SharedData({ view, changed }: { view: View; changed: Changed }): ReactNode {
  const fields = view.data.filter((f) => !isPerSeat(f));
  const boards = fields.flatMap((field) => {
    const rows = boardOf(view, field);
    return rows ? [{ field, rows }] : [];
  });
  const others = fields.filter((f) => !boards.some(({ field }) => field === f));
  const tables = others.filter((f) => isTable(f.value));
  const rest = others.filter((f) => !isTable(f.value)).flatMap(dataOf);
  return (
    <div className="flex flex-wrap items-start gap-x-6 gap-y-3">
      {boards.map(({ field, rows }) => (
        <Board key={pathOf(field)} name={field.name} rows={rows} view={view} changed={changed} />
      ))}
      {tables.map((field) => (
        <Records key={pathOf(field)} field={field} view={view} changed={changed} />
      ))}
      {rest.length > 0 ? (
        <dl className="min-w-56 max-w-full flex-1 space-y-0.5">
          {rest.map((datum) => (
            <Datum key={datum.path} wide {...datum} changed={isChanged(changed, datum.path)} />
          ))}
        </dl>
      ) : null}
    </div>
  );
}

/** What can be pointed at in a view. */
export function inSightOf(view: View): ReadonlySet<string> {
  const shared = view.data.filter((f) => !isPerSeat(f));
  return new Set([
    "seat",
    ...(shared.some((f) => f.type.startsWith("grid")) ? ["cell"] : []),
    ...shared.filter((f) => isTable(f.value)).map((f) => f.name),
  ]);
}

function dataOf(field: ViewField): DatumProps[] {
  const name = nameOf(field);
  const path = pathOf(field);
  const { value } = field;
  if (!isRecord(value) || field.type.startsWith("map")) return [{ path, name, value, bounds: measureOf(field, "") }];
  return Object.entries(value).map(([part, v]) => ({
    path: `${path}/${part}`,
    name: `${name}.${part}`,
    value: v,
    bounds: measureOf(field, part),
  }));
}

/** Where the bar of a number begins and ends; undefined for one without a measure. */
function measureOf({ bounds, meters }: ViewField, path: string): readonly [number, number] | undefined {
  return meters?.includes(path) ? bounds?.[path] : undefined;
}

function isPerSeat({ type }: ViewField): boolean {
  return type.startsWith("per seat");
}

function isTable(value: Json): value is readonly JsonRecord[] {
  return Array.isArray(value) && value.some(isRecord);
}

/** A list of records: a row for each, a column for each field. A row can be pointed at when an argument numbers it. */
function Records({ field, view, changed }: { field: ViewField; view: View; changed: Changed }): ReactNode {
  const context = useContext(PickingContext);
  const picking = context?.target === field.name ? context : null;
  const rows = field.value as readonly JsonRecord[];
  const names = [...new Set(rows.flatMap((row) => (isRecord(row) ? Object.keys(row) : [])))];
  const seats = new Set(view.seats.map((s) => s.seat));
  const path = pathOf(field);
  return (
    <figure className="max-w-full min-w-0">
      <figcaption className="flex items-center gap-2 pb-1 text-soft">
        {nameOf(field)}
        {picking ? <span className="text-sea">point at a row</span> : null}
        <WatchButton path={path} />
      </figcaption>
      <div className="max-h-80 overflow-auto rounded border border-line">
        <table aria-label={nameOf(field)} className="text-left [&_td]:px-2 [&_td]:py-0.5 [&_th]:px-2 [&_th]:py-0.5">
          <thead className="sticky top-0 bg-sunken text-xs text-soft">
            <tr>
              <th className="text-right font-normal">#</th>
              {names.map((name) => (
                <th key={name} className="font-normal">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, i) => {
              const option = picking?.values.find((v) => v.value === i);
              return (
                // biome-ignore lint/suspicious/noArrayIndexKey: a row is its number
                <tr key={i} className="border-t border-line" title={option && !option.open ? option.reason : undefined}>
                  <td className="text-right tabular-nums text-soft">
                    {option && picking ? (
                      <button
                        type="button"
                        disabled={!option.open}
                        aria-label={`${field.name} ${i}`}
                        onClick={() => picking.onPick(option.value)}
                        className={`rounded px-1.5 ${option.open ? PICK_LOOK : ""}`}
                      >
                        {i}
                      </button>
                    ) : (
                      i
                    )}
                  </td>
                  {names.map((name) => {
                    const value = isRecord(row) ? row[name] : undefined;
                    const words = value === undefined ? "" : valueInWords(value);
                    return (
                      <td
                        key={name}
                        className={
                          `max-w-48 truncate ${isChanged(changed, `${path}/${i}/${name}`) ? "changed" : ""} ` +
                          `${seats.has(words) ? `font-medium ${lookOf(view.seats, words).text}` : ""}`
                        }
                        title={words}
                      >
                        <Cell value={value} words={words} bounds={measureOf(field, name)} label={`${name} ${i}`} />
                      </td>
                    );
                  })}
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </figure>
  );
}

function Cell({
  value,
  words,
  bounds,
  label,
}: {
  value: Json | undefined;
  words: string;
  bounds: readonly [number, number] | undefined;
  label: string;
}): ReactNode {
  return typeof value === "number" && bounds ? <Bar value={value} bounds={bounds} label={label} /> : words;
}

function nameOf({ state, name }: ViewField): string {
  return state === undefined ? name : `${state}.${name}`;
}

function pathOf({ state, name }: ViewField): string {
  return state === undefined ? `/data/${name}` : `/local/${state}/${name}`;
}

function isChanged(changed: Changed, path: string): boolean {
  return changed.has(path) || [...changed].some((c) => c.startsWith(`${path}/`));
}

function Datum({
  path,
  name,
  value,
  bounds,
  changed,
  wide = false,
}: DatumProps & { changed: boolean; wide?: boolean }): ReactNode {
  return (
    <div className={`group flex items-center gap-2 rounded px-1 ${changed ? "changed" : ""}`}>
      <dt className={`${wide ? "w-32" : "w-16"} shrink-0 truncate text-soft`} title={name}>
        {name}
      </dt>
      <dd className="flex min-w-0 flex-1 items-center gap-2">
        {typeof value === "number" && bounds ? (
          <Bar value={value} bounds={bounds} label={name} />
        ) : isTable(value) ? (
          <Chips values={value} />
        ) : (
          <span className={`truncate ${typeof value === "number" ? "tabular-nums" : ""}`} title={valueInWords(value)}>
            {valueInWords(value)}
          </span>
        )}
        <WatchButton path={path} />
      </dd>
    </div>
  );
}

/** What one seat has several of, each with the names of its fields on hover. */
function Chips({ values }: { values: readonly JsonRecord[] }): ReactNode {
  return (
    <ul className="flex min-w-0 flex-wrap gap-1">
      {values.map((value, i) => (
        <li
          // biome-ignore lint/suspicious/noArrayIndexKey: each is its place
          key={i}
          title={Object.entries(value)
            .map(([name, part]) => `${name} ${valueInWords(part)}`)
            .join("\n")}
          className="rounded border border-line bg-sunken px-1.5"
        >
          {valueInWords(value)}
        </li>
      ))}
    </ul>
  );
}

const SHOWN_WHEN_POINTED_AT = "opacity-0 group-hover:opacity-100 focus:opacity-100";

function WatchButton({ path }: { path: string }): ReactNode {
  const watching = useContext(WatchingContext);
  if (!watching) return null;
  const on = watching.paths.includes(path);
  const Icon = on ? EyeOff : Eye;
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={`Watch ${path.split("/").slice(2).join(".")}`}
      title={on ? "Watch no longer" : `Watch ${path}`}
      onClick={() => watching.toggle(path)}
      className={`ml-auto shrink-0 ${on ? "text-sail" : `text-soft ${SHOWN_WHEN_POINTED_AT}`}`}
    >
      <Icon size={13} aria-hidden />
    </button>
  );
}

/** The value at a JSON Pointer in a view; undefined when it is not there, or not to be seen. */
export function valueAt(view: View | undefined, path: string): Json | undefined {
  const [root, ...parts] = path.slice(1).split("/");
  const [state, names] = root === "data" ? [undefined, parts] : [parts[0], parts.slice(1)];
  let value: Json | undefined = view?.data.find((f) => f.state === state && f.name === names[0])?.value;
  for (const part of names.slice(1))
    value =
      value !== null && typeof value === "object" && Object.hasOwn(value, part)
        ? (value as JsonRecord)[part]
        : undefined;
  return value;
}

function Bar({
  value,
  bounds: [low, high],
  label,
}: {
  value: number;
  bounds: readonly [number, number];
  label: string;
}): ReactNode {
  const share = (value - low) / (high - low);
  return (
    <span className="flex min-w-0 flex-1 items-center gap-1.5">
      <meter className="sr-only" aria-label={label} min={low} max={high} value={value} />
      <span
        aria-hidden="true"
        className="h-2 min-w-8 flex-1 overflow-hidden rounded-full bg-sunken ring-1 ring-line ring-inset"
      >
        <span
          className={`block h-full rounded-full ${share <= 0.2 ? "bg-sail" : "bg-sea"}`}
          style={{ width: `${Math.round(share * 100)}%` }}
        />
      </span>
      <span className="shrink-0 text-right tabular-nums">
        {value}
        <span className="text-soft">/{high}</span>
      </span>
    </span>
  );
}

function isRecord(value: Json | undefined): value is JsonRecord {
  return value !== null && typeof value === "object" && !Array.isArray(value) && !isCell(value);
}
