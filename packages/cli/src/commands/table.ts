/** `zany table`: every state against every action, signal, report and timer. */

import { type TableCell, tableCsv, tableOf } from "@zany/core";
import { compileFile, UsedWrongly } from "../files.js";
import { say, sayJson, sayText, style } from "../terminal.js";
import { understood } from "./understood.js";

export async function table(
  file: string,
  options: { readonly csv?: boolean; readonly json?: boolean; readonly state?: string },
): Promise<number> {
  const { machine, ...compilation } = compileFile(file, { errorsOnly: true });
  if (!understood({ machine, ...compilation }, file)) return 1;
  const found = tableOf(machine);
  const rows =
    options.state === undefined
      ? found.rows
      : found.rows.filter((r) => r.state === options.state || r.within.includes(options.state ?? ""));
  if (options.state !== undefined && rows.length === 0)
    throw new UsedWrongly(
      `There is no state "${options.state}" in which a match can stand, nor one around such a state.`,
    );
  if (options.json) sayJson({ columns: found.columns, rows });
  else if (options.csv) sayText(tableCsv({ columns: found.columns, rows }));
  else
    for (const row of rows) {
      const turn =
        row.turn === undefined ? (row.kind === "final" ? "final" : "the machine's own") : `turn of ${row.turn}`;
      say(`${style("bold", row.state)}${row.within.length > 0 ? `, in ${row.within.join(", in ")}` : ""}: ${turn}`);
      const width = Math.max(...found.columns.map((c) => c.name.length));
      for (const [i, column] of found.columns.entries()) {
        const cells = row.cells[i] ?? [];
        const named = column.kind === "condition" ? "when" : column.kind === "timer" ? "time" : column.name;
        const byItself = column.kind === "condition" || column.kind === "timer";
        // What is simply not there is told in one line below.
        for (const cell of cells)
          if (cell.kind !== "refused" && cell.kind !== "unheard")
            say(`  ${named.padEnd(width)}  ${byItself ? whenWords(cell) : inWords(cell)}`);
      }
      const gone = (kind: TableCell["kind"]): string =>
        found.columns
          .filter((_, i) => row.cells[i]?.some((c) => c.kind === kind))
          .map((c) => c.name)
          .join(", ");
      if (gone("refused")) say(style("dim", `  not open here: ${gone("refused")}`));
      if (gone("unheard")) say(style("dim", `  nobody hears: ${gone("unheard")}`));
      for (const chance of row.chances) say(style("dim", `  ${chance}`));
      say("");
    }
  return 0;
}

/** What happens by itself: first when, then what. */
function whenWords(cell: TableCell): string {
  const from = cell.from === undefined ? "" : style("dim", `  (from ${cell.from})`);
  return `${cell.conditions.join("; ").replace(/^when /, "")}: ${cell.words}${from}`;
}

function inWords(cell: TableCell): string {
  const from = cell.from === undefined ? "" : style("dim", `  (from ${cell.from})`);
  const conditions = cell.conditions.length > 0 ? style("dim", `  ${cell.conditions.join("; ")}`) : "";
  return `${cell.kind === "undecided" ? style("yellow", "undecided") : cell.words}${conditions}${from}`;
}
