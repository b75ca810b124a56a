/** Grids: cells, neighbours, distances. Cells touch along their sides; distance counts steps along them. */

import type { Expr } from "../../check/machine.js";
import type { GridType } from "../../check/types.js";
import { Box, CELL_STRIDE } from "../values/box.js";
import type { ExpressionCode } from "./compiler.js";

/** The closure for a property or question of a grid. */
export function gridCall(code: ExpressionCode, e: Expr & { kind: "gridProperty" | "gridCall" }): () => unknown {
  const { memory } = code;
  const { width, height } = e.of.type as GridType;
  if (e.kind === "gridProperty") {
    switch (e.property) {
      case "width":
        return () => width;
      case "height":
        return () => height;
      case "cells": {
        const cells: number[] = [];
        for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) cells.push(x + y * CELL_STRIDE);
        const list = new Box(0, cells);
        return () => list;
      }
    }
  }
  const [a, b] = e.args.map((arg) => code.compile(arg)) as [() => number, () => number];
  /** Cells that were gone through, as a list. */
  const paid = (cells: number[]): Box => {
    memory.charge(2 * cells.length, e);
    return new Box(0, cells);
  };
  const inside = (x: number, y: number): boolean => x >= 0 && y >= 0 && x < width && y < height;
  switch (e.method) {
    case "inside":
      return () => inside(a(), b());
    case "distance":
      return () => {
        const [from, to] = [a(), b()];
        return Math.abs(xOf(from) - xOf(to)) + Math.abs(yOf(from) - yOf(to));
      };
    case "neighbours":
      return () => new Box(0, neighbours(a(), inside));
    case "reach":
      return () => paid(within(a(), b(), inside));
    case "line":
      return () => {
        const [from, to] = [a(), b()];
        // A line may lead far beyond the grid: it is paid before it is drawn.
        memory.charge(6 * Math.max(Math.abs(xOf(from) - xOf(to)), Math.abs(yOf(from) - yOf(to))), e);
        return new Box(0, line(from, to));
      };
  }
}

function xOf(cell: number): number {
  return cell % CELL_STRIDE;
}

function yOf(cell: number): number {
  return Math.floor(cell / CELL_STRIDE);
}

/** The cells that share a side: above, right, below, left. */
function neighbours(cell: number, inside: (x: number, y: number) => boolean): number[] {
  const [x, y] = [xOf(cell), yOf(cell)];
  const around = [
    [x, y - 1],
    [x + 1, y],
    [x, y + 1],
    [x - 1, y],
  ] as const;
  return around.filter(([nx, ny]) => inside(nx, ny)).map(([nx, ny]) => nx + ny * CELL_STRIDE);
}

/** All cells at most `steps` away, without the cell itself, nearest first and then by rows. */
function within(cell: number, steps: number, inside: (x: number, y: number) => boolean): number[] {
  const [x, y] = [xOf(cell), yOf(cell)];
  const found: number[] = [];
  for (let far = 1; far <= steps; far++) {
    const before = found.length;
    for (let dy = -far; dy <= far; dy++) {
      const dx = far - Math.abs(dy);
      if (inside(x - dx, y + dy)) found.push(x - dx + (y + dy) * CELL_STRIDE);
      if (dx > 0 && inside(x + dx, y + dy)) found.push(x + dx + (y + dy) * CELL_STRIDE);
    }
    if (found.length === before) break;
  }
  return found;
}

/** The cells from one to the other, both included (Bresenham 1965). */
function line(from: number, to: number): number[] {
  let [x, y] = [xOf(from), yOf(from)];
  const [tx, ty] = [xOf(to), yOf(to)];
  const dx = Math.abs(tx - x);
  const dy = -Math.abs(ty - y);
  const cells: number[] = [];
  for (let error = dx + dy; ; ) {
    cells.push(x + y * CELL_STRIDE);
    if (x === tx && y === ty) return cells;
    const twice = 2 * error;
    if (twice >= dy) {
      error += dy;
      x += x < tx ? 1 : -1;
    }
    if (twice <= dx) {
      error += dx;
      y += y < ty ? 1 : -1;
    }
  }
}
