/** Turns requests away whose method an address does not take. */

import type { Request } from "express";
import { Problem } from "../problems.js";
import { OPERATIONS } from "./operations.js";

/** An address as a pattern, with the methods it takes. */
interface Address {
  readonly pattern: RegExp;
  readonly methods: readonly string[];
}

/** The addresses by their first part and how many parts they have: few are left to be compared. */
const ADDRESSES = groupedAddresses();

function groupedAddresses(): ReadonlyMap<string, readonly Address[]> {
  const methods = new Map<string, string[]>();
  for (const { path, method } of OPERATIONS)
    methods.set(path, [...(methods.get(path) ?? []), method.toUpperCase(), ...(method === "get" ? ["HEAD"] : [])]);
  const grouped = new Map<string, Address[]>();
  for (const [path, taken] of methods) {
    const pattern = new RegExp(`^${path.replace(/\{\w+\}/g, "[^/]+")}$`);
    grouped.set(groupOf(path), [...(grouped.get(groupOf(path)) ?? []), { pattern, methods: taken }]);
  }
  return grouped;
}

function groupOf(path: string): string {
  const parts = path.split("/");
  return `${parts[2]} ${parts.length}`;
}

/** What is wrong with the method of a request, if anything: 405 with the methods that are taken there. */
export function otherMethod({ originalUrl, method }: Request): Problem | undefined {
  const path = (originalUrl.split("?", 1)[0] ?? "").replace(/\/$/, "");
  const known = (ADDRESSES.get(groupOf(path)) ?? []).filter(({ pattern }) => pattern.test(path));
  if (known.length === 0 || known.some(({ methods }) => methods.includes(method))) return undefined;
  const allow = known.flatMap(({ methods }) => methods).join(", ");
  return new Problem(405, "methodNotAllowed", `${path} takes ${allow}, not ${method}.`, {}, { Allow: allow });
}
