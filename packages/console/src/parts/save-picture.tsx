/** A diagram as a file: SVG, PNG, or DOT for other programs. */

import { type Diagram as Graph, dotOf, type LayoutNode, svgOf } from "@zany/core";
import { ImageDown } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { save } from "./save.js";

/** A PNG has so many pixels for each of the drawing's. */
const PIXELS = 2;

export function SavePicture({ name, graph, laid }: { name: string; graph: Graph; laid: LayoutNode }): ReactNode {
  const ways: readonly (readonly [string, () => Promise<Blob> | Blob])[] = [
    ["svg", () => new Blob([svgOf(graph, laid)], { type: "image/svg+xml" })],
    ["png", () => pngOf(svgOf(graph, laid))],
    ["dot", () => new Blob([dotOf(graph)], { type: "text/vnd.graphviz" })],
  ];
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label="Save the diagram"
        title="Save the diagram"
        className="rounded p-1.5 text-soft hover:bg-sunken hover:text-ink"
      >
        <ImageDown size={15} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          className="z-50 min-w-28 rounded border border-line bg-panel p-1 text-ink shadow-lg"
        >
          {ways.map(([kind, make]) => (
            <DropdownMenu.Item
              key={kind}
              onSelect={() => void Promise.resolve(make()).then((blob) => save(blob, `${name}.${kind}`))}
              className="cursor-pointer rounded px-3 py-1 outline-none data-[highlighted]:bg-sea-wash"
            >
              {kind.toUpperCase()}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

async function pngOf(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = image.width * PIXELS;
  canvas.height = image.height * PIXELS;
  const context = canvas.getContext("2d");
  context?.scale(PIXELS, PIXELS);
  context?.drawImage(image, 0, 0);
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error("The picture could not be drawn.")))),
  );
}
