/** Turns requests away that an address does not take: by their method, or by parameters it does not know. */

import type { Request } from "express";
import { Problem } from "../problems.js";
import { OPERATIONS } from "./operations.js";

/** What an address takes: the parameters of each method. */
type Methods = ReadonlyMap<string, readonly string[]>;

/** The addresses as a tree of their parts. */
interface Part {
  /** The parts that may follow, by name; those that stand for anything have the name "". */
  readonly next: Map<string, Part>;
  readonly methods: Map<string, readonly string[]>;
}

const ROOT = treeOfAddresses();

function treeOfAddresses(): Part {
  const root: Part = { next: new Map(), methods: new Map() };
  for (const { path, method, query } of OPERATIONS) {
    const parameters = Object.keys((query?.describe().keys as object | undefined) ?? {});
    let part = root;
    for (const name of path.slice(1).split("/")) {
      const called = name.startsWith("{") ? "" : name;
      const next: Part = part.next.get(called) ?? { next: new Map(), methods: new Map() };
      part.next.set(called, next);
      part = next;
    }
    part.methods.set(method.toUpperCase(), parameters);
    if (method === "get") part.methods.set("HEAD", parameters);
  }
  return root;
}

/** What the addresses take that a path may mean. */
function methodsOf(path: string): readonly Methods[] {
  let parts: readonly Part[] = [ROOT];
  for (const name of path.slice(1).split("/")) {
    if (name === "") return [];
    parts = parts.flatMap(({ next }) => [next.get(name) ?? [], next.get("") ?? []].flat());
  }
  return parts.map(({ methods }) => methods).filter(({ size }) => size > 0);
}

/** What is wrong with how an address is asked, if anything: 405 with the methods it takes, 400 for a parameter. */
export function askedWrongly({ originalUrl, method, query }: Request): Problem | undefined {
  const [asked = "", search] = originalUrl.split("?", 2);
  const path = asked.replace(/\/$/, "");
  const known = methodsOf(path);
  if (known.length === 0) return undefined;
  const parameters = known.find((methods) => methods.has(method))?.get(method);
  if (parameters === undefined) {
    const allow = known.flatMap((methods) => [...methods.keys()]).join(", ");
    return new Problem(405, "methodNotAllowed", `${path} takes ${allow}, not ${method}.`, {}, { Allow: allow });
  }
  if (search === undefined) return undefined;
  const unknown = Object.keys(query).filter((name) => !parameters.includes(name));
  if (unknown.length === 0) return undefined;
  const takes = parameters.length === 0 ? "no parameters" : parameters.join(", ");
  return new Problem(400, "badRequest", `${method} ${path} takes ${takes}, not ${unknown.join(", ")}.`, {
    errors: unknown.map((name) => ({ path: name, words: `"${name}" is not known here` })),
  });
}
