/** A plot in the page's own colours; where it goes by steps, one can be picked. */

import { type Plot as Plotted, plotShapes } from "@zany/core";
import type { ReactNode } from "react";
import { COLOURS, element } from "./shapes.js";

const SIZE = { width: 560, height: 190 };

export function Plot({ plot, label }: { plot: Plotted; label: string }): ReactNode {
  return (
    <svg
      role="img"
      aria-label={label}
      viewBox={`0 0 ${SIZE.width} ${SIZE.height}`}
      className="block w-full"
      fontFamily="var(--font-sans)"
      fontSize="12"
    >
      {plotShapes(plot, COLOURS, SIZE).map((shape, i) => element(shape, i))}
    </svg>
  );
}
