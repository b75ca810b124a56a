/** What leads where: the same is read out of edges as was put in, in few bytes. */

import fc from "fast-check";
import { expect, test } from "vitest";
import { type Edges, leadingTo } from "../src/explore/edges.js";
import { PackedEdges } from "../src/explore/packed-edges.js";
import { WeighedEdges } from "../src/explore/weighed-edges.js";

/** Of each situation where its moves lead, near and far; some lead to the same. */
const graphs = fc.integer({ min: 1, max: 30 }).chain((count) =>
  fc.array(fc.array(fc.oneof(fc.nat(count - 1), fc.constantFrom(127, 128, 16_500, 99_999_999)), { maxLength: 60 }), {
    minLength: count,
    maxLength: count,
  }),
);

function filled(edges: Edges, targets: readonly (readonly number[])[]): Edges {
  targets.forEach((each, source) => {
    edges.begin(source);
    edges.choose();
    for (const target of each) edges.add(target, 1, 1);
  });
  return edges;
}

test.each([
  ["packed", () => new PackedEdges()],
  ["weighed", () => new WeighedEdges()],
])("%s edges lead where they were said to lead, and back", (_, make) => {
  fc.assert(
    fc.property(graphs, (targets) => {
      const edges = filled(make(), targets);
      const count = targets.length;
      targets.forEach((each, source) => {
        const found: number[] = [];
        edges.each(source, (target) => void found.push(target));
        expect(new Set(found)).toEqual(new Set(each));
        expect(edges.hasAny(source)).toBe(each.length > 0);
        expect(edges.some(source, (target) => target === 128)).toBe(each.includes(128));
      });
      const reached = new Set([count - 1]);
      for (let more = -1; more !== reached.size; ) {
        more = reached.size;
        targets.forEach((each, source) => each.some((target) => reached.has(target)) && reached.add(source));
      }
      const given = new Uint8Array(count);
      given[count - 1] = 1;
      expect([...leadingTo(edges, given)]).toEqual(targets.map((_, source) => (reached.has(source) ? 1 : 0)));
    }),
  );
});

test("packed edges of many situations take two bytes each, and where those of each begin", () => {
  const count = 300_000;
  const edges = new PackedEdges();
  for (let source = 0; source < count; source++) {
    edges.begin(source);
    for (let i = 0; i < 4; i++) edges.add((source + 500 + i * 100) % count);
  }
  expect(edges.size).toBe(count * 4);
  expect(edges.bytes / count).toBeLessThan(4 * 2 * 1.25 + 4 * 1.25);
});
