/** Turns requests away that an address does not take: by their method, or by parameters it does not know. */

import type { Request } from "express";
import { Problem } from "../problems.js";
import { OPERATIONS } from "./operations.js";

/** An address as a pattern, with the parameters of each method it takes. */
interface Address {
  readonly pattern: RegExp;
  readonly methods: ReadonlyMap<string, readonly string[]>;
}

/** The addresses by their first part and how many parts they have: few are left to be compared. */
const ADDRESSES = groupedAddresses();

function groupedAddresses(): ReadonlyMap<string, readonly Address[]> {
  const paths = new Map<string, Map<string, readonly string[]>>();
  for (const { path, method, query } of OPERATIONS) {
    const parameters = Object.keys((query?.describe().keys as object | undefined) ?? {});
    const methods = paths.get(path) ?? new Map<string, readonly string[]>();
    methods.set(method.toUpperCase(), parameters);
    if (method === "get") methods.set("HEAD", parameters);
    paths.set(path, methods);
  }
  const grouped = new Map<string, Address[]>();
  for (const [path, methods] of paths) {
    const pattern = new RegExp(`^${path.replace(/\{\w+\}/g, "[^/]+")}$`);
    grouped.set(groupOf(path), [...(grouped.get(groupOf(path)) ?? []), { pattern, methods }]);
  }
  return grouped;
}

function groupOf(path: string): string {
  const parts = path.split("/");
  return `${parts[2]} ${parts.length}`;
}

/** What is wrong with how an address is asked, if anything: 405 with the methods it takes, 400 for a parameter. */
export function askedWrongly({ originalUrl, method, query }: Request): Problem | undefined {
  const [asked = "", search] = originalUrl.split("?", 2);
  const path = asked.replace(/\/$/, "");
  const known = (ADDRESSES.get(groupOf(path)) ?? []).filter(({ pattern }) => pattern.test(path));
  if (known.length === 0) return undefined;
  const parameters = known.find(({ methods }) => methods.has(method))?.methods.get(method);
  if (parameters === undefined) {
    const allow = known.flatMap(({ methods }) => [...methods.keys()]).join(", ");
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
