/** The table of a machine: every state against every action, signal, report and timer. */

import { type Machine, type TableCell, tableOf } from "@zany/core";
import { type ReactNode, useMemo } from "react";

const TONES: Readonly<Record<TableCell["kind"], string>> = {
  leads: "text-ink",
  happens: "text-ink",
  refused: "text-soft italic",
  unheard: "text-soft italic",
  undecided: "text-sail",
};

const SHORT: Partial<Record<TableCell["kind"], string>> = { refused: "\u00b7", unheard: "\u00b7" };

export function MachineTable({ machine }: { machine: Machine }): ReactNode {
  const { columns, rows } = useMemo(() => tableOf(machine), [machine]);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: without it, the keyboard could not scroll a large table
    <section aria-label="Table" tabIndex={0} className="h-full overflow-auto">
      <table className="border-separate border-spacing-0 text-left text-xs">
        <thead>
          <tr>
            <th className="sticky left-0 top-0 z-20 border-b border-r border-line bg-sunken px-2 py-1">State</th>
            {columns.map((c) => (
              <th
                key={`${c.kind} ${c.name}`}
                className="sticky top-0 z-10 border-b border-line bg-sunken px-2 py-1 font-medium"
              >
                {c.name}
                {c.kind === "action" || c.kind === "condition" || c.kind === "timer" ? null : (
                  <span className="block font-normal text-soft">{c.kind}</span>
                )}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.state}>
              <th className="sticky left-0 z-10 border-b border-r border-line bg-panel px-2 py-1 align-top font-medium">
                {row.state}
                <span className="block font-normal text-soft">
                  {[
                    row.within.length > 0 ? `in ${row.within.join(", in ")}` : "",
                    row.turn === undefined ? "" : `turn of ${row.turn}`,
                  ]
                    .filter(Boolean)
                    .join("; ")}
                </span>
                {row.chances.map((chance) => (
                  <span key={chance} className="block font-normal text-soft">
                    {chance}
                  </span>
                ))}
              </th>
              {row.cells.map((cells, i) => (
                <td
                  key={`${columns[i]?.kind} ${columns[i]?.name}`}
                  className="max-w-72 min-w-28 border-b border-line px-2 py-1 align-top"
                >
                  {cells.map((cell) => (
                    <Cell key={`${cell.from ?? ""} ${cell.words} ${cell.conditions.join()}`} cell={cell} />
                  ))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Cell({ cell }: { cell: TableCell }): ReactNode {
  return (
    <span className={`block ${TONES[cell.kind]}`} title={cell.words}>
      {(SHORT[cell.kind] ?? cell.words).split("; ").map((part) => (
        <span key={part} className="block">
          {part}
        </span>
      ))}
      {cell.conditions.map((condition) => (
        <span key={condition} className="block text-soft">
          {condition}
        </span>
      ))}
      {cell.from === undefined ? null : <span className="block text-soft italic">from {cell.from}</span>}
    </span>
  );
}
