/** Data that somebody wants to keep an eye on: the value now, and what it was before. */

import { type Json, type StepLine, valueInWords, type View } from "@zany/core";
import type { ReactNode } from "react";
import { valueAt, type Watching } from "./data.js";

const SHOWN = 6;

export function Watched({
  watching,
  views,
  lines,
}: {
  watching: Watching;
  views: readonly View[];
  lines: readonly StepLine[];
}): ReactNode {
  if (watching.paths.length === 0) return null;
  return (
    <section aria-label="Watched" className="border-t border-line px-3 py-2">
      <dl className="space-y-0.5">
        {watching.paths.map((path) => {
          const value = views.map((view) => valueAt(view, path)).find((v) => v !== undefined);
          const before = lines
            .flatMap((line) =>
              line.changes.flatMap((change) =>
                change.path === path ? [{ step: line.step, value: change.value as Json }] : [],
              ),
            )
            .slice(-SHOWN);
          return (
            <div key={path} className="flex items-baseline gap-2">
              <dt className="text-soft">{path.split("/").slice(2).join(".")}</dt>
              <dd className="font-medium">{value === undefined ? "not there now" : valueInWords(value)}</dd>
              <dd className="truncate text-xs text-soft">
                {before.map((b) => `${valueInWords(b.value)} at step ${b.step}`).join(", ")}
              </dd>
              <dd className="ml-auto">
                <button
                  type="button"
                  aria-label={`Watch ${path} no longer`}
                  onClick={() => watching.toggle(path)}
                  className="text-soft hover:text-bad"
                >
                  {"\u00d7"}
                </button>
              </dd>
            </div>
          );
        })}
      </dl>
    </section>
  );
}
