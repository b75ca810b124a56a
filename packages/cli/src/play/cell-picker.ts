/** Picks a cell on a board drawn in the terminal: arrow keys and Enter, or typed as `x,y`. */

import type { Ask } from "./asking.js";
import { say } from "../terminal.js";

interface Cell {
  readonly x: number;
  readonly y: number;
}

/** Draws the board with the cell that Enter would take. */
type Draw = (at: Cell) => readonly string[];

const STEPS: Readonly<Record<string, readonly [number, number]>> = {
  left: [-1, 0],
  right: [1, 0],
  up: [0, -1],
  down: [0, 1],
};
const PROMPT = "  arrow keys and Enter, or type x,y: ";

/**
 * Asks for a cell.
 *
 * @param first where the mark stands at first
 * @param size width and height of the board
 * @returns the cell as `cell(x, y)`, or whatever else was typed; undefined when there are no more lines
 */
export async function pickCell(
  first: Cell,
  size: { readonly width: number; readonly height: number },
  draw: Draw,
  ask: Ask,
): Promise<string | undefined> {
  let at = first;
  let drawn = 0;
  const show = (): void => {
    if (drawn > 0) process.stdout.write(`\u001b[${drawn}A\r\u001b[J`);
    const lines = draw(at);
    drawn = lines.length;
    for (const line of lines) say(line);
  };
  const hear = (_text: string, key: { readonly name?: string }): void => {
    const by = STEPS[key.name ?? ""];
    if (!by) return;
    at = {
      x: Math.min(size.width - 1, Math.max(0, at.x + by[0])),
      y: Math.min(size.height - 1, Math.max(0, at.y + by[1])),
    };
    show();
    process.stdout.write(PROMPT);
  };
  show();
  process.stdin.on("keypress", hear);
  try {
    const typed = await ask(PROMPT);
    const cell = typed === "" ? [at.x, at.y] : /^(\d+), ?(\d+)$/.exec(typed ?? "")?.slice(1);
    return cell ? `cell(${cell.join(", ")})` : typed;
  } finally {
    process.stdin.off("keypress", hear);
  }
}
