/** How often what stands in a line was come to, in the editor's margin. */

import type { Extension } from "@codemirror/state";
import { gutter, GutterMarker } from "@codemirror/view";
import type { CoveredLine } from "@zany/core";

/** A count; in the colour of a warning where something in the line was never come to. */
class Count extends GutterMarker {
  constructor(
    private readonly count: number,
    private readonly missed: readonly string[],
  ) {
    super();
  }

  override eq(other: Count): boolean {
    return other.count === this.count && other.missed.join() === this.missed.join();
  }

  override toDOM(): Node {
    const mark = document.createElement("span");
    mark.textContent = `${this.count}${this.missed.length > 0 ? " !" : ""}`;
    mark.className = this.missed.length > 0 ? "zany-missed" : "zany-covered";
    mark.title = this.missed.length > 0 ? `Not covered: ${this.missed.join(", ")}` : `Come to ${this.count} times`;
    return mark;
  }
}

/** @param lines what is known of lines, by their numbers from 1; nothing is shown without */
export function coverGutter(lines: ReadonlyMap<number, CoveredLine> | undefined): Extension {
  if (!lines) return [];
  return gutter({
    class: "cm-covered",
    lineMarker(view, block) {
      const line = lines.get(view.state.doc.lineAt(block.from).number);
      return line ? new Count(line.count, line.missed.map(wordsOf)) : null;
    },
    initialSpacer: () => new Count(1000, [""]),
  });
}

function wordsOf({ item: { name, way } }: CoveredLine["missed"][number]): string {
  return way === undefined ? name : `${name} ${way ? "holds" : "does not hold"}`;
}
