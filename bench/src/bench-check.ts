/**
 * What checking costs: lines a second, how the cost grows from 100 to 10,000 lines, and what a one-line edit
 * costs beside a whole check. Everything is measured in one run, each size several times, the median told.
 */

import { compile } from "@zany/core";

const SIZES = [100, 300, 1_000, 2_000, 5_000, 10_000];
const LINES_EACH = 28;

/** A fair of many stalls in a row, each a state with a turn, a judge and data of its own. */
export function fairOf(lines: number): string {
  const stalls = Math.max(1, Math.round((lines - 30) / LINES_EACH));
  const parts: string[] = [];
  for (let i = 0; i < stalls; i++) {
    const next = i + 1 < stalls ? `Stall${i + 1}` : "Dusk";
    parts.push(`
/// Stall ${i} of the fair.
state Stall${i} {
  data { shouts: int 0..9 = 0 }
  start Turn${i}

  state Turn${i} {
    turn of onTurn
    action shout(target: seat in inPlay where target != me else "that is you") {
      strike(target, roll(1..6) + shouts)
      shouts += 1
    } -> Judge${i}
    action rest needs nerve[me] < 20 else "rested" {
      nerve[me] += 3
    } -> Judge${i}
    action leave${i} -> ${next}
  }

  state Judge${i} {
    enter -> choose {
      when nerve[north] == 0 -> Won(south)
      when nerve[south] == 0 -> Won(north)
      else { onTurn = next(onTurn) } -> Turn${i}
    }
  }
}
`);
  }
  return `machine Fair
seats north, south

data {
  nerve per seat: int 0..30 = 30
  onTurn: seat = north
}

effect strike(target: seat, force: int) {
  nerve[target] -= max(0, force)
  note "{target} loses {force}"
}

on Left(s) -> Won(next(s))

start Stall0
${parts.join("")}
ending Dusk              { draws all }
ending Won(winner: seat) { wins winner  loses others }
`;
}

function median(times: number[]): number {
  return [...times].sort((a, b) => a - b)[Math.floor(times.length / 2)] ?? 0;
}

function time(work: () => void): number {
  const start = performance.now();
  work();
  return performance.now() - start;
}

const first = compile(fairOf(1_000));
if (first.messages.length > 0) throw new Error(first.messages.map((m) => `${m.name} ${m.words}`).join("\n"));
for (let i = 0; i < 4; i++) compile(fairOf(1_000));

const perLine: number[] = [];
for (const size of SIZES) {
  const text = fairOf(size);
  const lines = text.split("\n").length;
  const rounds = size > 2_000 ? 5 : 9;
  const whole: number[] = [];
  const errors: number[] = [];
  const edited: number[] = [];
  for (let i = 0; i < rounds; i++) {
    whole.push(time(() => compile(text)));
    errors.push(time(() => compile(text, undefined, undefined, { errorsOnly: true })));
    const edit = text.replace("shouts += 1", `shouts += ${2 + (i % 3)}`);
    edited.push(time(() => compile(edit)));
  }
  const ms = median(whole);
  perLine.push(ms / lines);
  console.log(
    `${String(lines).padStart(6)} lines: ${ms.toFixed(1).padStart(7)} ms, ` +
      `${Math.round((1000 * lines) / ms)} lines a second; ` +
      `after a one-line edit ${(median(edited) / ms).toFixed(2)} of that; ` +
      `names and types alone ${(median(errors) / ms).toFixed(2)} of it`,
  );
}
console.log(
  `cost a line, ${SIZES.at(-1)} against ${SIZES[0]} lines: ` +
    `${((perLine.at(-1) ?? 0) / (perLine[0] ?? 1)).toFixed(2)} (1 is linear)`,
);
