/** Beside a match: the diagram with the active state in sight, the data one watches, the story. */

import type { SeenMatch } from "@zany/client";
import type { Diagram as Graph, StepLine } from "@zany/core";
import type { ReactNode } from "react";
import type { Watching } from "./data.js";
import { Diagram } from "./diagram.js";
import { Story } from "./story.js";
import { Watched } from "./watched.js";

export default function MatchSide({
  match: { view },
  seen,
  lines,
  graph,
  watching,
}: {
  match: SeenMatch;
  seen: Readonly<Record<string, SeenMatch>>;
  lines: readonly StepLine[];
  graph: Graph | undefined;
  watching: Watching;
}): ReactNode {
  const here = view.outcome ? [view.outcome.ending] : view.states;
  return (
    <div className="flex h-full min-h-0 flex-col bg-panel">
      <div className="min-h-0 flex-[1.2] p-2">{graph ? <Diagram graph={graph} active={here} /> : null}</div>
      <Watched watching={watching} views={Object.values(seen).map((m) => m.view)} lines={lines} />
      <div className="min-h-0 flex-1 border-t border-line">
        <Story lines={lines} />
      </div>
    </div>
  );
}
