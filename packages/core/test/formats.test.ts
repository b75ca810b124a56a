/**
 * Diagrams, tables, outlines, boards and typed values of every machine: whole, well formed, and true to the machine.
 */

import type { ElkNode } from "elkjs/lib/elk-api.js";
import ELK from "elkjs/lib/elk.bundled.js";
import {
  BadGiven,
  begin,
  boardOf,
  compile,
  type Diagram,
  diagramOf,
  dotOf,
  foldDiagram,
  givenFrom,
  type LayoutNode,
  layoutGraph,
  limitsOf,
  type OutlineItem,
  outlineOf,
  svgOf,
  tableCsv,
  tableOf,
  valueFrom,
  view,
} from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { type Box, distance } from "../src/formats/labels.js";
import { geometryOf, labelsOf } from "../src/formats/layout.js";
import { EXAMPLES, example, runnableOf } from "./examples.js";
import { Chance } from "./generated-machines.js";

const laidOut = async (diagram: Diagram, direction: "DOWN" | "RIGHT" = "DOWN"): Promise<LayoutNode> =>
  (await new ELK().layout(layoutGraph(diagram, direction) as ElkNode)) as LayoutNode;

/** What is wrong with where the labels of a drawing stand. */
function misplaced(diagram: Diagram, laid: LayoutNode): string[] {
  const { boxes, arrows } = geometryOf(diagram, laid);
  const labels = labelsOf(diagram, laid);
  const wrong: string[] = [];
  const over = (a: Box, b: Box): boolean =>
    a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
  for (const arrow of arrows) {
    const label = labels.get(arrow.id);
    if (!label) continue;
    if (boxes.some((box) => over(label, box))) wrong.push(`${arrow.id} lies on a state`);
    for (const [id, other] of labels) if (id > arrow.id && over(label, other)) wrong.push(`${arrow.id} lies on ${id}`);
    const own = distance(label, arrow.points);
    for (const other of arrows) {
      const far = distance(label, other.points);
      if (far <= 0) wrong.push(`${arrow.id} lies on the arrow ${other.id}`);
      else if (other !== arrow && far <= own) wrong.push(`${arrow.id} is nearer to ${other.id}`);
    }
  }
  return wrong;
}

/** A machine of some states that lead to each other at random. */
function tangled(states: number, seed: number): string {
  const chance = new Chance(seed);
  const state = (i: number): string => {
    const actions = Array.from({ length: 1 + chance.below(2) }, (_, k) => {
      const to = chance.one(4) ? chance.below(states) : (i + 1) % states;
      return `action ${chance.of(["go", "climb", "haulTheRope", "wave"])}${i}x${k} -> ${to === i ? "Over" : `S${to}`}`;
    });
    return `state S${i} { turn of p\n${actions.join("\n")}\n}`;
  };
  return `machine Tangled\nseats p\nstart S0\n${Array.from({ length: states }, (_, i) => state(i)).join("\n")}
ending Over { draws all }\n`;
}

/** The lines of a CSV as RFC 4180 has them. */
function readCsv(text: string): string[][] {
  const rows: string[][] = [[""]];
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const c = text[i] as string;
    const row = rows.at(-1) ?? [];
    if (quoted && c === '"' && text[i + 1] === '"') row.push(`${row.pop()}${text[i++]}`);
    else if (c === '"') quoted = !quoted;
    else if (!quoted && c === ",") row.push("");
    else if (!quoted && c === "\r" && text[i + 1] === "\n") {
      rows.push([""]);
      i++;
    } else row.push(`${row.pop()}${c}`);
  }
  expect(quoted).toBe(false);
  expect(rows.pop()).toEqual([""]);
  return rows;
}

/** Goes through XML tag by tag; every one must be closed, and every value quoted. */
function readXml(text: string): string[] {
  const open: string[] = [];
  const names: string[] = [];
  const rest = text.replace(
    /<(\/?)([a-z]+)((?: [\w:-]+="[^"<]*")*)(\/?)>/g,
    (_all, close, name, _attributes, empty) => {
      if (close) expect(open.pop()).toBe(name);
      else if (!empty) open.push(name);
      if (!close) names.push(name);
      return "";
    },
  );
  expect(open).toEqual([]);
  expect(rest).not.toMatch(/[<>]/);
  expect(rest.replace(/&(amp|lt|gt|quot);/g, "")).not.toContain("&");
  return names;
}

const within = (a: { from: number; to: number }, b: { from: number; to: number }): boolean =>
  a.from >= b.from && a.to <= b.to;

/** Every node lies inside its parent, and beside its siblings. */
function checkLayout({ children = [], width = 0, height = 0 }: LayoutNode): void {
  for (const [i, a] of children.entries()) {
    const [x, y] = [a.x ?? -1, a.y ?? -1];
    expect(x >= 0 && y >= 0 && x + (a.width ?? 0) <= width + 0.5 && y + (a.height ?? 0) <= height + 0.5, a.id).toBe(
      true,
    );
    for (const b of children.slice(i + 1)) {
      const apart =
        x + (a.width ?? 0) <= (b.x ?? 0) + 0.5 ||
        (b.x ?? 0) + (b.width ?? 0) <= x + 0.5 ||
        y + (a.height ?? 0) <= (b.y ?? 0) + 0.5 ||
        (b.y ?? 0) + (b.height ?? 0) <= y + 0.5;
      expect(apart, `${a.id} and ${b.id}`).toBe(true);
    }
    checkLayout(a);
  }
}

describe.each([
  ...EXAMPLES.map((name) => [name, example(name).machine] as const),
  ...[5, 15, 40].flatMap((states) =>
    [1, 2].map((seed) => [`${states} states, ${seed}`, compile(tangled(states, seed)).machine] as const),
  ),
])("the labels of %s", (_, machine) => {
  test.each(["DOWN", "RIGHT"] as const)("stand beside their own arrows, over nothing else: %s", async (direction) => {
    const diagram = diagramOf(machine);
    expect(misplaced(diagram, await laidOut(diagram, direction))).toEqual([]);
  });
});

describe.each(EXAMPLES)("%s", (name) => {
  const { machine } = example(name);
  const diagram = diagramOf(machine);

  test("its diagram has every state and ending, and every arrow joins two of them", () => {
    const ids = new Set(diagram.nodes.map((n) => n.id));
    expect(ids.size).toBe(diagram.nodes.length);
    for (const place of [...machine.states.slice(1), ...machine.endings]) expect(ids).toContain(place.name);
    for (const node of diagram.nodes) if (node.parent !== undefined) expect(ids).toContain(node.parent);
    for (const { from, to } of diagram.edges) expect([...ids]).toEqual(expect.arrayContaining([from, to]));
    const labels = diagram.edges.flatMap((e) => e.labels).join(" ");
    for (const action of machine.actions)
      if (action.arrow.kind === "to") expect(labels, action.name).toContain(action.name);
  });

  test("folding leaves what is outside, and counts what is inside", () => {
    const outer = machine.states.filter((s) => s.id > 0 && s.children.length > 0).map((s) => s.name);
    const folded = foldDiagram(diagram, new Set(outer));
    expect(folded.nodes.some((n) => n.parent !== undefined)).toBe(false);
    const hidden = folded.nodes.reduce((sum, n) => sum + (n.folded ?? 0), 0);
    expect(folded.nodes.length + hidden).toBe(diagram.nodes.length);
    expect(foldDiagram(diagram, new Set())).toEqual(diagram);
    const shown = new Set(folded.nodes.map((n) => n.id));
    for (const edge of folded.edges) expect(shown.has(edge.from) && shown.has(edge.to)).toBe(true);
  });

  test("its picture is well formed, holds every name, and nothing lies on anything else", async () => {
    const laid = await laidOut(diagram);
    checkLayout(laid);
    const svg = svgOf(diagram, laid);
    expect(readXml(svg).length).toBeGreaterThan(diagram.nodes.length + diagram.edges.length);
    for (const node of diagram.nodes) expect(svg).toContain(`>${node.name}<`);
  });

  test("its DOT has balanced brackets and quotes, and no name that is not quoted", () => {
    const dot = dotOf(diagram);
    const bare = dot.replace(/"(?:[^"\\]|\\.)*"/g, "Q");
    expect(bare).not.toContain('"');
    for (const [open, close] of ["{}", "[]"].map((pair) => [...pair] as [string, string]))
      expect(bare.split(open).length).toBe(bare.split(close).length);
    expect(bare.match(/Q -> Q/g)?.length).toBe(diagram.edges.length + dot.split("start of").length / 2 - 0.5);
  });

  test("its outline names every place once, each within the one around it and in the order of the text", () => {
    const outline = outlineOf(machine);
    const names: string[] = [];
    const walk = (items: readonly OutlineItem[], around?: OutlineItem): void => {
      for (const item of items) {
        expect(within(item.nameSpan, item.span), item.name).toBe(true);
        if (around) expect(within(item.span, around.span), `${item.name} in ${around.name}`).toBe(true);
        if (["state", "overlay", "final", "ending"].includes(item.kind)) names.push(item.name);
        walk(item.children, item);
      }
    };
    walk(outline);
    expect(names.sort()).toEqual([...machine.states.slice(1), ...machine.endings].map((p) => p.name).sort());
    for (const kind of ["state", "ending", "test"] as const) {
      const starts = outline.filter((item) => item.kind === kind).map((item) => item.span.from);
      expect(starts).toEqual([...starts].sort((a, b) => a - b));
    }
  });

  test("its table has a row for every state one can stand in and a column for every action, as CSV too", () => {
    const table = tableOf(machine);
    const leaves = machine.states.filter((s) => s.id > 0 && s.children.length === 0);
    expect(table.rows.map((r) => r.state).sort()).toEqual(leaves.map((s) => s.name).sort());
    for (const row of table.rows) expect(row.cells.length).toBe(table.columns.length);
    for (const state of leaves)
      for (const action of state.actions) {
        const row = table.rows.find((r) => r.state === state.name);
        const cells = row?.cells[table.columns.findIndex((c) => c.kind === "action" && c.name === action.name)];
        expect(
          cells?.some((c) => c.kind === "leads" || c.kind === "happens"),
          `${state.name} ${action.name}`,
        ).toBe(true);
      }
    const csv = readCsv(tableCsv(table));
    expect(csv.length).toBe(table.rows.length + 1);
    for (const line of csv) expect(line.length).toBe(table.columns.length + 3);
  });
});

describe("what a picture must bear", () => {
  const odd: Diagram = diagramOf(
    runnableOf(`machine Odd
seats a, b
data { n: int 0..9 = 0 }
start S
state S {
  turn of a
  action ask needs n < 3 and n > -1 -> choose { when n < 2 -> S2 else -> E("<b>&amp;\\"") }
}
state S2 { turn of filter(s in seats where s != b)  action back -> S }
ending E(why: text) { wins a  loses others }
`).machine,
  );

  test("signs that mean something in XML and DOT stand there as themselves", async () => {
    const laid = await laidOut(odd);
    const svg = svgOf(odd, laid);
    readXml(svg);
    expect(svg).toContain("n &lt; 2");
    expect(dotOf(odd)).toContain("n < 2");
  });
});

describe("a board", () => {
  test("has a cell for every cell of the grid, and who stands there", () => {
    for (const name of EXAMPLES) {
      const runnable = example(name);
      const { taken } = begin(runnable, { seed: "board" });
      const seen = taken && view(runnable, taken.situation, null);
      for (const field of seen?.data ?? []) {
        const board = seen && boardOf(seen, field);
        expect(board !== undefined, `${name} ${field.name}`).toBe(field.type.startsWith("grid"));
        if (!board) continue;
        const type = runnable.machine.data.find((f) => f.name === field.name)?.type;
        expect(type?.kind === "grid" && [board.length, board[0]?.length]).toEqual(
          type?.kind === "grid" && [type.height, type.width],
        );
        for (const [y, row] of board.entries())
          for (const [x, cell] of row.entries()) expect([cell.x, cell.y]).toEqual([x, y]);
      }
    }
  });
});

describe("values as people type them", () => {
  test("JSON is what it says, anything else is a text", () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        expect(valueFrom(JSON.stringify(value))).toEqual(JSON.parse(JSON.stringify(value)));
      }),
    );
    fc.assert(
      fc.property(fc.stringMatching(/^[a-z]{1,9}$/), (word) => {
        expect(valueFrom(word)).toBe(["true", "false", "null"].includes(word) ? JSON.parse(word) : word);
      }),
    );
  });

  test("paths, a state and its arguments", () => {
    expect(givenFrom(["kites.north.lift=3", "crew[2].name=Rosa", "state=Volley", 'state.pattern="wall"'])).toEqual({
      data: [
        { path: "/data/kites/north/lift", value: 3 },
        { path: "/data/crew/2/name", value: "Rosa" },
      ],
      state: { name: "Volley", args: { pattern: "wall" } },
    });
    expect(givenFrom([])).toEqual({});
    for (const wrong of ["lift", "=3", ""]) expect(() => givenFrom([wrong])).toThrow(BadGiven);
    expect(() => givenFrom(["state.pattern=wall"])).toThrow(/state=NAME/);
  });
});

test("what a machine allows: seats, deadlines, the longest texts in anything, also in lists that hold their own kind", () => {
  const { machine } = runnableOf(`machine Post
seats 2..4 clerk
type Letter { words: text max 40  under: list of Letter  marks: map of text max 8 to text max 60 }
data { pile: list of Letter  names per seat: text max 12  wait1: int = 2h }
on Left(s) -> Shut
start Sort
state Sort {
  data { memo: text }
  turn of clerk1
  action write(line: text max 30) { pile.push(Letter(words: line))  memo = line } -> stay
  action sign(name: text max 12) { names[me] = name } -> stay
  after 1d -> Shut
  after wait1 when pile.size > 3 -> Shut
}
ending Shut { draws all }
`);
  expect(limitsOf(machine)).toMatchObject({
    seats: { least: 2, most: 4 },
    deadlines: [
      { timer: "Sort.after1", delay: 86_400_000, repeats: false },
      { timer: "Sort.after2", delay: null, repeats: false },
    ],
    texts: [
      { of: "pile", most: 60 },
      { of: "names", most: 12 },
      { of: "write(line)", most: 30 },
      { of: "sign(name)", most: 12 },
    ],
  });
});
