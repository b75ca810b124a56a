/**
 * Draws a machine's diagram, to zoom and move about in. The layout is worked out in a worker: typing never waits for
 * it.
 */

import {
  type Diagram as Graph,
  focusDiagram,
  foldDiagram,
  type LayoutNode,
  layoutGraph,
  type Missed,
  placesOf,
  type Shape,
  shapesOf,
} from "@zany/core";
import type { ElkNode } from "elkjs/lib/elk-api.js";
import ELK from "elkjs/lib/elk-api.js";
import workerUrl from "elkjs/lib/elk-worker.min.js?url";
import { Maximize, ZoomIn, ZoomOut } from "lucide-react";
import {
  type KeyboardEvent,
  type PointerEvent,
  type ReactNode,
  type RefObject,
  useEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import { useAddress } from "./address.js";
import { IconButton } from "./basics.js";
import { SavePicture } from "./save-picture.js";
import { COLOURS, element } from "./shapes.js";

let elk: InstanceType<typeof ELK> | undefined;

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
  /** The state that somebody looks at. */
  readonly lit?: string | undefined;
  /** States and endings that nothing came to. */
  readonly missed?: Missed | undefined;
  /** Goes to what was clicked; without it, a click folds. */
  readonly onPick?: ((id: string) => void) | undefined;
}

/** Below this scale labels cannot be read, and names are drawn larger. */
const FAR = 0.62;

/**
 * A diagram to zoom and to move about in. Its labels can be read at first, even where the whole does not fit; the
 * active state, or the first, is kept in sight. A state can be folded, or seen with its neighbours alone.
 */
export function Diagram({ graph, active = NONE, lit, missed, onPick }: DiagramProps): ReactNode {
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const [only, setOnly] = useState<string>();
  const [zoomText, setZoom] = useAddress("zoom");
  const frame = useRef<HTMLElement>(null);
  const size = useSize(frame);
  const shape = useMemo(
    () => JSON.stringify(foldDiagram(only === undefined ? graph : focusDiagram(graph, only), folded)),
    [graph, folded, only],
  );
  const drawn = useDrawn(shape, size);
  const drag = useDrag(frame);
  const whole = drawn ? sizeOf(drawn.laid) : undefined;
  const fit = whole ? fitOf(whole, size) : 1;
  const zoom = Number(zoomText) / 100 || undefined;
  const scale = zoom === undefined ? Math.max(1, fit) : Math.min(MOST, Math.max(LEAST, zoom));
  useInSight(frame, drawn, scale, active.at(-1) ?? (only === undefined ? drawn?.graph.nodes[0]?.id : only));
  const change = (to: number): void => setZoom(String(Math.round(Math.min(MOST, Math.max(LEAST, to)) * 100)));
  const fold = (id: string): void =>
    setFolded((before) => {
      const now = new Set(before);
      if (!now.delete(id)) now.add(id);
      return now;
    });
  const onKey = (event: KeyboardEvent): void => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "+" || event.key === "=") change(scale * STEP);
    else if (event.key === "-") change(scale / STEP);
    else if (event.key === "0") change(fit);
    else if (event.key === "1") change(1);
  };
  const click = ({ node, foldable }: Shape): void => {
    if (node === undefined || drag.moved.current) return;
    if (onPick) onPick(node);
    else if (foldable) fold(node);
  };
  const where = active.length > 0 ? `; the match is in ${active.join(", ")}` : "";
  const looked = lit !== undefined && graph.nodes.some((n) => n.id === lit) ? lit : undefined;
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
            aria-label={`Diagram of ${graph.machine}${where}`}
            viewBox={`0 0 ${whole.width} ${whole.height}`}
            width={whole.width * scale}
            height={whole.height * scale}
            className="m-auto block select-none"
            style={{ marginTop: Math.max(0, (size.height - whole.height * scale) / 2) }}
          >
            <g fontFamily="var(--font-sans)" fontSize="12">
              {shapesOf(drawn.graph, drawn.laid, COLOURS, {
                active: new Set(active),
                lit: looked,
                ...(missed && { missed }),
                namesTimes: scale < FAR ? 1 / scale : undefined,
              }).map((s, i) => element(s, i, click, onPick !== undefined))}
            </g>
          </svg>
        ) : (
          <p className="p-4 text-soft">Drawing ...</p>
        )}
      </section>
      {only === undefined && looked === undefined ? null : (
        <Looked
          id={looked ?? only ?? ""}
          graph={graph}
          folded={folded}
          only={only}
          onFold={fold}
          onOnly={(id) => setOnly(id)}
        />
      )}
      <div
        className={
          "absolute right-2 bottom-2 flex items-center rounded border border-line bg-panel text-soft shadow-sm"
        }
      >
        <IconButton size={15} words="Zoom out (-)" onClick={() => change(scale / STEP)} Icon={ZoomOut} />
        <span className="w-11 text-center text-xs tabular-nums">{Math.round(scale * 100)}%</span>
        <IconButton size={15} words="Zoom in (+)" onClick={() => change(scale * STEP)} Icon={ZoomIn} />
        <IconButton size={15} words="See the whole (0)" onClick={() => change(fit)} Icon={Maximize} />
        {drawn ? <SavePicture name={graph.machine} graph={drawn.graph} laid={drawn.laid} /> : null}
      </div>
    </div>
  );
}

const NONE: readonly string[] = [];

/** The state that is looked at, and what can be done with it. */
function Looked({
  id,
  graph,
  folded,
  only,
  onFold,
  onOnly,
}: {
  id: string;
  graph: Graph;
  folded: ReadonlySet<string>;
  only: string | undefined;
  onFold: (id: string) => void;
  onOnly: (id: string | undefined) => void;
}): ReactNode {
  const look = "rounded px-2 py-0.5 text-sea hover:bg-sunken";
  return (
    <div
      className={
        "absolute top-2 left-2 flex items-center gap-1 rounded " +
        "border border-line bg-panel px-2 py-0.5 text-xs shadow-sm"
      }
    >
      <span className="font-semibold">{id}</span>
      {graph.nodes.some((n) => n.parent === id) ? (
        <button type="button" className={look} onClick={() => onFold(id)}>
          {folded.has(id) ? "Unfold" : "Fold"}
        </button>
      ) : null}
      {only === id ? null : (
        <button type="button" className={look} onClick={() => onOnly(id)}>
          Only with its neighbours
        </button>
      )}
      {only === undefined ? null : (
        <button type="button" className={look} onClick={() => onOnly(undefined)}>
          The whole again
        </button>
      )}
    </div>
  );
}

function sizeOf({ width, height }: LayoutNode): Size {
  return { width: Math.ceil(width ?? 1), height: Math.ceil(height ?? 1) };
}

/** Brings a state into sight when it is another one, or when the picture is another. */
function useInSight(
  frame: RefObject<HTMLElement | null>,
  drawn: Drawn | undefined,
  scale: number,
  id: string | undefined,
): void {
  const factor = useRef(scale);
  factor.current = scale;
  useEffect(() => {
    const place = drawn && id !== undefined ? placesOf(drawn.laid).get(id) : undefined;
    const node = drawn && id !== undefined ? nodeOf(drawn.laid, id) : undefined;
    if (!frame.current || !place || !node) return;
    const { clientWidth, clientHeight } = frame.current;
    frame.current.scrollTo(
      (place.x + (node.width ?? 0) / 2) * factor.current - clientWidth / 2,
      (place.y + Math.min(node.height ?? 0, clientHeight / factor.current) / 2) * factor.current - clientHeight / 2,
    );
  }, [frame, drawn, id]);
}

function nodeOf(within: LayoutNode, id: string): LayoutNode | undefined {
  for (const child of within.children ?? []) {
    const found = child.id === id ? child : nodeOf(child, id);
    if (found) return found;
  }
  return undefined;
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

/** Layouts by the shape they are of, both ways: the same shape is not laid out again. */
const KNOWN = new Map<string, readonly Drawn[]>();
const MOST_KNOWN = 50;

function remember(shape: string, way: Drawn): void {
  KNOWN.set(shape, [...(KNOWN.get(shape) ?? []), way]);
  for (const oldest of KNOWN.keys()) if (KNOWN.size > MOST_KNOWN) KNOWN.delete(oldest);
}

/**
 * The diagram laid out downwards or to the right, whichever is seen larger in its panel; the first that is ready at
 * first.
 */
function useDrawn(shape: string, panel: Size): Drawn | undefined {
  const [laidOut, setLaidOut] = useState<{ readonly shape: string; readonly ways: readonly Drawn[] }>();
  useEffect(() => {
    const known = KNOWN.get(shape);
    if (known) return setLaidOut({ shape, ways: known });
    let wanted = true;
    const graph = JSON.parse(shape) as Graph;
    elk ??= new ELK({ workerUrl });
    for (const direction of ["DOWN", "RIGHT"] as const)
      elk
        .layout(layoutGraph(graph, direction) as ElkNode)
        .then((laid) => {
          const way: Drawn = { graph, laid: laid as LayoutNode };
          remember(shape, way);
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
