/** Shapes that the core has worked out, as elements of the page. */

import type { Palette, Shape } from "@zany/core";
import { createElement, type ReactNode } from "react";

/** The page's own colours, light or dark. */
export const COLOURS: Palette = {
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

/** A shape as the element it names. @param click is told of states; @param all all of them, not only those that fold */
export function element(shape: Shape, key: number, click: (shape: Shape) => void = () => {}, all = false): ReactNode {
  const { element: name, attributes, text, children } = shape;
  const named = Object.fromEntries(
    Object.entries(attributes).map(([attribute, value]) => [
      attribute.replace(/-([a-z])/g, (_, c: string) => c.toUpperCase()),
      value,
    ]),
  );
  const clicks = shape.foldable || (all && shape.node !== undefined);
  const mouse = clicks ? { onClick: () => click(shape), style: { cursor: "pointer" } } : {};
  return createElement(
    name,
    { key, ...named, ...mouse },
    text,
    ...(children ?? []).map((child, i) => element(child, i, click, all)),
  );
}
