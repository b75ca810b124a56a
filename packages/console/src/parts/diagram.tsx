/** Draws a machine's diagram, to zoom and move about in. The layout is worked out in a worker: typing never waits for it. */

import {
  type Diagram as Graph,
  foldDiagram,
  type LayoutNode,
  layoutGraph,
  type Palette,
  type Shape,
  shapesOf,
} from "@zany/core";
import type { ElkNode } from "elkjs/lib/elk-api.js";
import ELK from "elkjs/lib/elk-api.js";
import workerUrl from "elkjs/lib/elk-worker.min.js?url";
import { Maximize, ZoomIn, ZoomOut } from "lucide-react";
import {
  createElement,
  type KeyboardEvent,
  type PointerEvent,
  type ReactNode,
  type RefObject,
  useEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import { IconButton } from "./basics.js";

let elk: InstanceType<typeof ELK> | undefined;

/** The page's own colours, light or dark. */
const COLOURS: Palette = {
  ink: "var(--ink)",
  soft: "var(--soft)",
  line: "var(--line)",
  panel: "var(--panel)",
  cloth: "var(--cloth)",
  sunken: "var(--sunken)",
  sea: "var(--sea)",
  seaWash: "var(--sea-wash)",
  sail: "var(--sail)",
  sailWash: "var(--sail-wash)",
  good: "var(--good)",
  bad: "var(--bad)",
};

/** Steps of the zoom, and how far it goes. */
const STEP = 1.25;
const LEAST = 0.2;
const MOST = 3;
/** A diagram that is smaller than its panel is made no larger than this. */
const LARGEST_FIT = 1.25;
/** How far the pointer moves, in pixels, until it is no click any more. */
const DRAG = 4;

interface Size {
  readonly width: number;
  readonly height: number;
}

interface DiagramProps {
  readonly graph: Graph;
  /** Names of the active states; an ending when the match is over. */
  readonly active?: readonly string[];
  /** Its labels can be read at first, even where the whole does not fit; without it, the whole is seen at first. */
  readonly readable?: boolean;
}

/** A diagram to zoom and to move about in; a click on a state with inner states folds it, another unfolds it. */
export function Diagram({ graph, active = [], readable = false }: DiagramProps): ReactNode {
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const frame = useRef<HTMLElement>(null);
  const size = useSize(frame);
  const shape = useMemo(() => JSON.stringify(foldDiagram(graph, folded)), [graph, folded]);
  const drawn = useDrawn(shape, size);
  const [zoom, setZoom] = useState<number>();
  const drag = useDrag(frame);
  const whole = drawn
    ? { width: Math.ceil(drawn.laid.width ?? 1), height: Math.ceil(drawn.laid.height ?? 1) }
    : undefined;
  const fit = whole ? fitOf(whole, size) : 1;
  const scale = zoom ?? (readable ? Math.max(1, fit) : fit);
  // Where the whole does not fit, its first state is in sight at first.
  useEffect(() => {
    const first = drawn?.laid.children?.find((node) => node.id === drawn.graph.nodes[0]?.id);
    if (!frame.current || !first || zoom !== undefined) return;
    const { clientWidth, clientHeight } = frame.current;
    frame.current.scrollLeft = ((first.x ?? 0) + (first.width ?? 0) / 2) * scale - clientWidth / 2;
    frame.current.scrollTop =
      ((first.y ?? 0) + Math.min(first.height ?? 0, clientHeight) / 2) * scale - clientHeight / 2;
  }, [drawn, scale, zoom]);
  const change = (to: number | undefined): void => setZoom(to && Math.min(MOST, Math.max(LEAST, to)));
  const toggle = (id: string): void => {
    if (drag.moved.current) return;
    setFolded((before) => {
      const now = new Set(before);
      if (!now.delete(id)) now.add(id);
      return now;
    });
  };
  const onKey = (event: KeyboardEvent): void => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "+" || event.key === "=") change(scale * STEP);
    else if (event.key === "-") change(scale / STEP);
    else if (event.key === "0") change(fit);
    else if (event.key === "1") change(1);
  };
  return (
    <div className="relative h-full w-full">
      <section
        ref={frame}
        aria-label="Diagram"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: without it, the keyboard could not move a large diagram
        tabIndex={0}
        onKeyDown={onKey}
        {...drag.handlers}
        className="h-full w-full cursor-grab overflow-auto active:cursor-grabbing"
      >
        {drawn && whole ? (
          <svg
            role="img"
            aria-label={`Diagram of ${graph.machine}${active.length > 0 ? `; the match is in ${active.join(", ")}` : ""}`}
            viewBox={`0 0 ${whole.width} ${whole.height}`}
            width={whole.width * scale}
            height={whole.height * scale}
            className="m-auto block select-none"
            style={{ marginTop: Math.max(0, (size.height - whole.height * scale) / 2) }}
          >
            <g fontFamily="var(--font-sans)" fontSize="12">
              {shapesOf(drawn.graph, drawn.laid, COLOURS, new Set(active)).map((s, i) => element(s, i, toggle))}
            </g>
          </svg>
        ) : (
          <p className="p-4 text-soft">Drawing ...</p>
        )}
      </section>
      <div className="absolute right-2 bottom-2 flex items-center rounded border border-line bg-panel text-soft shadow-sm">
        <IconButton size={15} words="Zoom out (-)" onClick={() => change(scale / STEP)} Icon={ZoomOut} />
        <span className="w-11 text-center text-xs tabular-nums">{Math.round(scale * 100)}%</span>
        <IconButton size={15} words="Zoom in (+)" onClick={() => change(scale * STEP)} Icon={ZoomIn} />
        <IconButton size={15} words="See the whole (0)" onClick={() => change(fit)} Icon={Maximize} />
      </div>
    </div>
  );
}

/** The scale at which all of it is seen. */
function fitOf(whole: Size, panel: Size): number {
  return Math.min(LARGEST_FIT, panel.width / whole.width, panel.height / whole.height);
}

/** The inside of an element, as it changes. */
function useSize(of: RefObject<HTMLElement | null>): Size {
  const [size, setSize] = useState<Size>({ width: 1, height: 1 });
  useEffect(() => {
    const element = of.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setSize({ width: element.clientWidth, height: element.clientHeight }));
    observer.observe(element);
    return () => observer.disconnect();
  }, [of]);
  return size;
}

interface Drawn {
  readonly graph: Graph;
  readonly laid: LayoutNode;
}

/** The diagram laid out downwards or to the right, whichever is seen larger in its panel; the first that is ready at first. */
function useDrawn(shape: string, panel: Size): Drawn | undefined {
  const [laidOut, setLaidOut] = useState<{ readonly shape: string; readonly ways: readonly Drawn[] }>();
  useEffect(() => {
    let wanted = true;
    const graph = JSON.parse(shape) as Graph;
    elk ??= new ELK({ workerUrl });
    for (const direction of ["DOWN", "RIGHT"] as const)
      elk
        .layout(layoutGraph(graph, direction) as ElkNode)
        .then((laid) => {
          const way: Drawn = { graph, laid: laid as LayoutNode };
          if (wanted) setLaidOut((now) => ({ shape, ways: now?.shape === shape ? [...now.ways, way] : [way] }));
        })
        // What cannot be laid out one way is shown the other.
        .catch(() => {});
    return () => {
      wanted = false;
    };
  }, [shape]);
  const scale = ({ laid }: Drawn): number => fitOf({ width: laid.width ?? 1, height: laid.height ?? 1 }, panel);
  const [first, second] = laidOut?.ways ?? [];
  return first && second && scale(second) > scale(first) ? second : first;
}

/** Moves what scrolls by dragging it. */
function useDrag(frame: RefObject<HTMLElement | null>) {
  const from = useRef<{ x: number; y: number; left: number; top: number }>(undefined);
  const moved = useRef(false);
  return {
    /** True while and right after it was dragged: then it is no click. */
    moved,
    handlers: {
      onPointerDown(event: PointerEvent): void {
        moved.current = false;
        if (event.button !== 0 || !frame.current) return;
        const { scrollLeft: left, scrollTop: top } = frame.current;
        from.current = { x: event.clientX, y: event.clientY, left, top };
      },
      onPointerMove(event: PointerEvent): void {
        const start = from.current;
        if (!start || !frame.current) return;
        const [dx, dy] = [event.clientX - start.x, event.clientY - start.y];
        moved.current ||= Math.hypot(dx, dy) > DRAG;
        frame.current.scrollLeft = start.left - dx;
        frame.current.scrollTop = start.top - dy;
      },
      onPointerUp(): void {
        from.current = undefined;
      },
      onPointerLeave(): void {
        from.current = undefined;
      },
    },
  };
}

/** A shape as the element it names. */
function element(
  { element: name, attributes, text, children, fold }: Shape,
  key: number,
  toggle: (id: string) => void,
): ReactNode {
  const named = Object.fromEntries(
    Object.entries(attributes).map(([attribute, value]) => [
      attribute.replace(/-([a-z])/g, (_, c: string) => c.toUpperCase()),
      value,
    ]),
  );
  const click = fold === undefined ? {} : { onClick: () => toggle(fold), style: { cursor: "pointer" } };
  return createElement(
    name,
    { key, ...named, ...click },
    text,
    ...(children ?? []).map((child, i) => element(child, i, toggle)),
  );
}
