/** The table of a machine: every state against every action, event, signal, condition and timer, a line for each. */

import { type Machine, type Table, type TableCell, type TableRow, tableOf } from "@zany/core";
import { type ReactNode, useMemo, useState } from "react";
import { counted, SearchField } from "./basics.js";

const TONES: Readonly<Record<TableCell["kind"], string>> = {
  leads: "text-ink",
  happens: "text-soft",
  refused: "text-soft",
  unheard: "text-soft",
  undecided: "text-sail font-semibold",
};

/** How groups of columns are called, and in which order they stand. */
const GROUPS: readonly (readonly [string, readonly Table["columns"][number]["kind"][]])[] = [
  ["actions", ["action"]],
  ["events", ["event", "system"]],
  ["signals", ["signal"]],
  ["by itself", ["condition", "timer"]],
];

/** Columns that hold what begins with a word of the language. */
const NAMES: Readonly<Record<string, string>> = { condition: "when", timer: "after" };

interface Column {
  readonly index: number;
  readonly name: string;
  readonly group: string;
  /** The first of its group. */
  readonly first: boolean;
}

interface MachineTableProps {
  readonly machine: Machine;
  /** Goes to a place of the text. */
  readonly onPick: (position: number) => void;
}

export function MachineTable({ machine, onPick }: MachineTableProps): ReactNode {
  const table = useMemo(() => tableOf(machine), [machine]);
  const [wanted, setWanted] = useState("");
  const { columns, rows } = useMemo(() => filtered(table, wanted.trim().toLowerCase()), [table, wanted]);
  const undecided = table.rows.reduce((n, row) => n + row.cells.flat().filter((c) => c.kind === "undecided").length, 0);
  const groups = GROUPS.flatMap(([name]) => {
    const of = columns.filter((c) => c.group === name);
    return of.length > 0 ? [{ name, count: of.length }] : [];
  });
  return (
    <div className="flex h-full min-h-0 flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-xs text-soft">
        <SearchField
          words="Filter by state or input"
          hint="state or input"
          value={wanted}
          onChange={setWanted}
          look="w-44 bg-cloth"
        />
        <span>
          {counted(rows.length, "state")}, {counted(columns.length, "input")}
        </span>
        {undecided > 0 ? <span className="text-sail">{undecided} undecided: ?</span> : null}
      </div>
      <section
        aria-label="Table"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: without it, the keyboard could not scroll a large table
        tabIndex={0}
        className="relative isolate min-h-0 flex-1 overflow-auto rounded border border-line"
      >
        <table className="w-full border-separate border-spacing-0 text-left text-xs">
          <thead className="sticky top-0 z-20 bg-sunken">
            <tr className="text-soft">
              <td className="sticky left-0 bg-sunken" />
              {groups.map(({ name, count }) => (
                <th key={name} colSpan={count} className="border-l border-line px-1 pt-1 font-normal">
                  {name}
                </th>
              ))}
            </tr>
            <tr>
              <th className="sticky left-0 border-b border-line bg-sunken px-2 py-1">State</th>
              {columns.map((c) => (
                <th
                  key={c.index}
                  title={c.name}
                  className={`max-w-20 truncate ${c.first ? "border-l" : ""} border-b border-line p-1 font-medium`}
                >
                  {c.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <Row key={row.state} row={row} columns={columns} onPick={onPick} />
            ))}
          </tbody>
        </table>
      </section>
    </div>
  );
}

/** What a filter leaves: states with such a name, or else inputs with such a name and the states that have them. */
function filtered(table: Table, wanted: string): { columns: readonly Column[]; rows: readonly TableRow[] } {
  const all = GROUPS.flatMap(([group, kinds]) =>
    table.columns.flatMap(({ kind, name }, index) =>
      kinds.includes(kind) ? [{ index, name: NAMES[kind] ?? name, group }] : [],
    ),
  ).map((c, i, list): Column => ({ ...c, first: list[i - 1]?.group !== c.group }));
  if (wanted === "") return { columns: all, rows: table.rows };
  const has = (name: string): boolean => name.toLowerCase().includes(wanted);
  const rows = table.rows.filter((row) => has(row.state) || row.within.some(has));
  if (rows.length > 0) return { columns: all, rows };
  const columns = all.filter((c) => has(c.name)).map((c, i, list) => ({ ...c, first: list[i - 1]?.group !== c.group }));
  return { columns, rows: columns.length > 0 ? table.rows : [] };
}

function Row({
  row,
  columns,
  onPick,
}: {
  row: TableRow;
  columns: readonly Column[];
  onPick: (position: number) => void;
}): ReactNode {
  const whole = [
    row.state,
    ...row.within.toReversed().map((name) => `in ${name}`),
    ...(row.turn === undefined ? [] : [`turn of ${row.turn}`]),
    ...row.chances,
  ].join("\n");
  return (
    <tr className="group">
      <th
        className={
          "sticky left-0 z-10 max-w-36 border-b border-line bg-panel px-2 py-1 font-medium group-hover:bg-sunken"
        }
      >
        <button
          type="button"
          title={whole}
          onClick={() => onPick(row.at)}
          className="block max-w-full truncate hover:underline"
        >
          {row.state}
        </button>
      </th>
      {columns.map((c) => (
        <td
          key={c.index}
          className={`max-w-18 border-b border-line px-1 py-1 group-hover:bg-sunken ${c.first ? "border-l" : ""}`}
        >
          <Cells cells={row.cells[c.index] ?? []} onPick={onPick} />
        </td>
      ))}
    </tr>
  );
}

/** One line: where it leads and how many conditions it has; all of it on hover. */
function Cells({ cells, onPick }: { cells: readonly TableCell[]; onPick: (position: number) => void }): ReactNode {
  const [first, ...more] = cells;
  if (!first) return null;
  const words = first.kind === "undecided" ? "?" : first.at === undefined ? "\u00b7" : first.short || "\u2713";
  const whole = cells.map(inWords).join("\n\n");
  if (first.at === undefined)
    return (
      <span title={whole} className={TONES[first.kind]}>
        {words}
        <span className="sr-only"> {first.words}</span>
      </span>
    );
  const conditions = first.conditions.length;
  const { at } = first;
  return (
    <button
      type="button"
      title={whole}
      onClick={() => onPick(at)}
      className={
        "block max-w-full truncate hover:underline " +
        `${TONES[first.kind]} ${first.from === undefined ? "" : "italic"}`
      }
    >
      {words}
      {conditions > 0 ? <sup className="ml-0.5 text-soft">{conditions}</sup> : null}
      {more.length > 0 ? <span className="ml-1 text-soft">+{more.length}</span> : null}
    </button>
  );
}

function inWords({ words, conditions, from }: TableCell): string {
  return [...words.split("; "), ...conditions, ...(from === undefined ? [] : [`from ${from}`])].join("\n");
}
