/** What stands in a machine, to find by name and go to. */

import { type Machine, type OutlineItem, outlineOf } from "@zany/core";
import { type ReactNode, useMemo, useState } from "react";
import { SearchField } from "./basics.js";
import { Limits } from "./limits.js";

interface Named {
  readonly item: OutlineItem;
  readonly depth: number;
}

export function Outline({ machine, onPick }: { machine: Machine; onPick: (position: number) => void }): ReactNode {
  const [wanted, setWanted] = useState("");
  const all = useMemo(() => flat(outlineOf(machine)), [machine]);
  const text = wanted.trim().toLowerCase();
  const shown = text === "" ? all : all.filter(({ item }) => item.name.toLowerCase().includes(text));
  return (
    <div className="flex h-full min-h-0 flex-col gap-2">
      <SearchField
        words="Find a name"
        hint="a name; Enter goes there"
        value={wanted}
        onChange={setWanted}
        onEnter={() => shown[0] && onPick(shown[0].item.nameSpan.from)}
        look="w-60 bg-cloth"
      />
      <Limits machine={machine} />
      <ul aria-label="Outline" className="min-h-0 flex-1 overflow-auto">
        {shown.map(({ item, depth }) => (
          <li key={`${item.kind} ${item.span.from}`} style={{ paddingLeft: text === "" ? depth * 16 : 0 }}>
            <button
              type="button"
              title={item.doc}
              onClick={() => onPick(item.nameSpan.from)}
              className="flex w-full items-baseline gap-2 rounded px-2 py-0.5 text-left hover:bg-sunken"
            >
              <span className="w-16 shrink-0 text-xs text-soft">{item.kind}</span>
              <span className="font-medium">{item.name}</span>
              <span className="truncate text-xs text-soft">{item.detail}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function flat(items: readonly OutlineItem[], depth = 0): Named[] {
  return items.flatMap((item) => [{ item, depth }, ...flat(item.children, depth + 1)]);
}
