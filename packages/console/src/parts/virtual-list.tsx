/** A list of which only what is in sight is drawn, however long it is. */

import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef } from "react";

interface VirtualListProps {
  readonly label: string;
  readonly count: number;
  /** What a row is high, about, in pixels. */
  readonly height: number;
  readonly row: (index: number) => ReactNode;
  /** The row that is kept in sight. */
  readonly at: number;
  readonly className?: string;
  /** Tells of new rows to those who do not see them. */
  readonly live?: boolean;
}

export function VirtualList({
  label,
  count,
  height,
  row,
  at,
  className = "",
  live = false,
}: VirtualListProps): ReactNode {
  const frame = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count,
    getScrollElement: () => frame.current,
    estimateSize: () => height,
    overscan: 12,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is another row, or one more, that brings it into sight
  useEffect(() => {
    if (at >= 0 && at < count) rows.scrollToIndex(at, { align: "auto" });
  }, [at, count]);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: without it, the keyboard could not scroll here
    <section ref={frame} aria-label={label} tabIndex={0} className={`min-h-0 overflow-auto ${className}`}>
      <ol
        aria-label={label}
        aria-live={live ? "polite" : undefined}
        className="relative w-full"
        style={{ height: rows.getTotalSize() }}
      >
        {rows.getVirtualItems().map(({ index, start, key }) => (
          <li
            key={key}
            ref={rows.measureElement}
            data-index={index}
            aria-setsize={count}
            aria-posinset={index + 1}
            className="absolute top-0 left-0 w-full"
            style={{ transform: `translateY(${start}px)` }}
          >
            {row(index)}
          </li>
        ))}
      </ol>
    </section>
  );
}
