/** A match's data: bars for bounded numbers, the rest in words. What has just changed is marked. */

import { boardOf, isCell, type Json, valueInWords, type View, type ViewField } from "@zany/core";
import { createContext, type ReactNode, useContext } from "react";
import { Board } from "./board.js";

/** Which data are watched, by JSON Pointer, and how to change that; without it nothing can be watched. */
export interface Watching {
  readonly paths: readonly string[];
  readonly toggle: (path: string) => void;
}

export const WatchingContext = createContext<Watching | null>(null);

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
          Object.entries(value).map(([part, v]) => (
            <Datum
              key={`${path}/${part}`}
              path={`${path}/${part}`}
              name={part}
              value={v}
              bounds={field.bounds?.[part]}
              changed={changed?.has(`${path}/${part}`)}
            />
          ))
        ) : (
          <Datum
            key={path}
            path={path}
            name={field.name}
            value={value}
            bounds={field.bounds?.[""]}
            changed={changed?.has(path)}
          />
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
        const name = field.state === undefined ? field.name : `${field.state}.${field.name}`;
        const path = pathOf(field);
        if (isRecord(field.value) && !isCell(field.value) && !field.type.startsWith("map")) {
          return Object.entries(field.value).map(([part, v]) => (
            <Datum
              key={`${path}/${part}`}
              wide
              path={`${path}/${part}`}
              name={`${name}.${part}`}
              value={v}
              bounds={field.bounds?.[part]}
              changed={changed?.has(`${path}/${part}`)}
            />
          ));
        }
        return (
          <Datum
            key={path}
            wide
            path={path}
            name={name}
            value={field.value}
            bounds={field.bounds?.[""]}
            changed={[...(changed ?? [])].some((p) => p === path || p.startsWith(`${path}/`))}
          />
        );
      })}
    </dl>
  );
}

function pathOf(field: ViewField): string {
  return field.state === undefined ? `/data/${field.name}` : `/local/${field.state}/${field.name}`;
}

function Datum({
  path,
  name,
  value,
  bounds,
  changed = false,
  wide = false,
}: {
  wide?: boolean;
  path: string;
  name: string;
  value: Json;
  bounds?: readonly [number, number] | undefined;
  changed?: boolean | undefined;
}): ReactNode {
  return (
    <div className={`group flex items-center gap-2 rounded px-1 ${changed ? "bg-sail-wash" : ""}`}>
      <dt className={`${wide ? "w-32" : "w-20"} shrink-0 truncate text-soft`} title={name}>
        {name}
      </dt>
      <dd className="flex min-w-0 flex-1 items-center gap-2">
        {typeof value === "number" && bounds && bounds[1] > bounds[0] && bounds[1] - bounds[0] <= 100_000 ? (
          <Bar value={value} low={bounds[0]} high={bounds[1]} label={name} />
        ) : (
          <Value value={value} />
        )}
        <WatchButton path={path} />
      </dd>
    </div>
  );
}

function WatchButton({ path }: { path: string }): ReactNode {
  const watching = useContext(WatchingContext);
  if (!watching) return null;
  const on = watching.paths.includes(path);
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={`Watch ${path.split("/").slice(2).join(".")}`}
      title={on ? "Watch no longer" : `Watch ${path}`}
      onClick={() => watching.toggle(path)}
      className={`ml-auto shrink-0 px-0.5 text-xs ${on ? "text-sail" : "text-line group-hover:text-soft focus:text-soft"}`}
    >
      {on ? "\u25c9" : "\u25cb"}
    </button>
  );
}

/** The value at a JSON Pointer in a view; undefined when it is not there, or not to be seen. */
export function valueAt(view: View, path: string): Json | undefined {
  const [root, ...parts] = path.slice(1).split("/");
  const [state, names] = root === "data" ? [undefined, parts] : [parts[0], parts.slice(1)];
  let value: Json | undefined = view.data.find((f) => f.state === state && f.name === names[0])?.value;
  for (const part of names.slice(1))
    value =
      value !== null && typeof value === "object" && Object.hasOwn(value, part)
        ? (value as { readonly [key: string]: Json })[part]
        : undefined;
  return value;
}

function Bar({ value, low, high, label }: { value: number; low: number; high: number; label: string }): ReactNode {
  const share = (value - low) / (high - low);
  return (
    <>
      <meter className="sr-only" aria-label={label} min={low} max={high} value={value} />
      <span
        aria-hidden="true"
        className="h-2 min-w-0 flex-1 overflow-hidden rounded-full bg-sunken ring-1 ring-line ring-inset"
      >
        <span
          className={`block h-full rounded-full ${share <= 0.2 ? "bg-sail" : "bg-sea"}`}
          style={{ width: `${Math.round(share * 100)}%` }}
        />
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
