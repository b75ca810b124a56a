/**
 * Which situations lead round to each other: the strongly connected parts of a graph (Tarjan, 1972), each behind those
 * that it leads to.
 */

/**
 * @param count how many situations there are, by their numbers from 0
 * @param each tells where one leads; targets from `count` on are left out
 */
export function circlesOf(count: number, each: (id: number, edge: (target: number) => void) => void): number[][] {
  const index = new Int32Array(count).fill(-1);
  const low = new Int32Array(count);
  const inside = new Uint8Array(count);
  const stack: number[] = [];
  const found: number[][] = [];
  let next = 0;
  // What is gone into: a situation, where it leads, and how far that was looked at. No recursion: it can be deep.
  const open: { readonly id: number; readonly targets: number[]; at: number }[] = [];
  const enter = (id: number): void => {
    index[id] = low[id] = next++;
    inside[id] = 1;
    stack.push(id);
    const targets: number[] = [];
    each(id, (target) => {
      if (target < count) targets.push(target);
    });
    open.push({ id, targets, at: 0 });
  };
  for (let root = 0; root < count; root++) {
    if (index[root] !== -1) continue;
    enter(root);
    for (let top = open.at(-1); top; top = open.at(-1)) {
      const { id, targets } = top;
      const target = targets[top.at++];
      if (target === undefined) {
        open.pop();
        const above = open.at(-1);
        if (above) low[above.id] = Math.min(low[above.id] as number, low[id] as number);
        if (low[id] === index[id]) found.push(closed(id));
      } else if (index[target] === -1) enter(target);
      else if (inside[target] === 1) low[id] = Math.min(low[id] as number, index[target] as number);
    }
  }
  return found;

  function closed(root: number): number[] {
    const part: number[] = [];
    for (;;) {
      const id = stack.pop() as number;
      inside[id] = 0;
      part.push(id);
      if (id === root) return part;
    }
  }
}
