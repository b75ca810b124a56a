/** Where reading goes on after a mistake: at the next statement, item, branch, field or line of a test. */

import type { Token } from "../scanner.js";
import type { Cursor } from "./cursor.js";

/**
 * Skips to the next statement of the block.
 * @param begun the token that what is skipped began with
 */
export function skipStatement(cursor: Cursor, begun: Token): void {
  let depth = 0;
  let own = mayClose(cursor, begun);
  for (let first = true; ; first = false) {
    const { kind, text, leads } = cursor.token;
    if (kind === "end" || (depth === 0 && leads && !first)) return;
    if (depth === 0 && text === "}") {
      if (!own || leads) return;
      own = false;
    } else if (text === "{") depth++;
    else if (text === "}") depth--;
    cursor.take();
  }
}

/**
 * Whether a `}` on the line at hand may end what is skipped, of which the `{` is missing: nothing stands before it on
 * the line on which it began. At most one does; those behind it end what is around it.
 */
function mayClose(cursor: Cursor, begun: Token): boolean {
  return begun.leads && !cursor.written({ from: begun.from, to: cursor.token.from }).includes("\n");
}

/**
 * Skips to the next item on this level, over balanced braces.
 * @param begun the token that what is skipped began with
 */
export function skipItem(cursor: Cursor, begun: Token): void {
  let depth = 0;
  let own = mayClose(cursor, begun);
  let first = cursor.token === begun;
  for (;;) {
    const { kind, text, leads } = cursor.token;
    if (kind === "end") return;
    if (!first && depth === 0 && leads && kind === "word" && (cursor.begins("item") || cursor.begins("top"))) return;
    if (depth === 0 && text === "}") {
      const isBelow = leads && begun.leads && cursor.indent() === cursor.indent(begun);
      if (first || !(isBelow || (own && !leads))) return;
      own = false;
    } else if (text === "{") depth++;
    else if (text === "}") depth--;
    own &&= first || !leads;
    cursor.take();
    first = false;
  }
}

/** Skips to the next branch of a choice, or to its end. @param begun the token that what is skipped began with */
export function skipBranch(cursor: Cursor, begun: Token): void {
  let depth = 0;
  for (;;) {
    const { token } = cursor;
    const { kind, text, leads } = token;
    if (kind === "end" || (depth === 0 && text === "}")) return;
    if (depth === 0 && token !== begun) {
      // The else of a value has a value behind it.
      const isElse = text === "else" && (leads || cursor.nextIs("->") || cursor.nextIs("{"));
      if (text === "when" || isElse || (leads && (cursor.begins("item") || cursor.begins("top")))) return;
    }
    if (text === "{") depth++;
    if (text === "}") depth--;
    cursor.take();
  }
}

/**
 * Skips what is left of a field: to the end of its line and of the brackets opened in it, or to the next field on the
 * line.
 * @param begun the token that the field began with
 * @param taken how many tokens were taken before it
 */
export function skipField(cursor: Cursor, begun: Token, taken: number): void {
  let depth = cursor.opened(taken);
  for (;;) {
    const { text, kind, leads } = cursor.token;
    if (kind === "end" || (depth <= 0 && text === "}")) return;
    // A bracket that is not closed ends where the next field, or the end of them all, stands below.
    const isClosing = depth > 0 && (text === ")" || text === "]");
    if (leads && cursor.token !== begun && !isClosing && cursor.indent() <= cursor.indent(begun)) return;
    if (text === "(" || text === "[" || text === "{") depth++;
    if (text === ")" || text === "]" || text === "}") depth--;
    cursor.take();
    if (depth <= 0 && (cursor.token.leads || (cursor.isName() && cursor.nextIs(":")))) return;
  }
}

/** Skips to the next line of the test, over braces that are closed on the same line. */
export function skipLine(cursor: Cursor): void {
  let depth = 0;
  for (let first = true; ; first = false) {
    const { kind, text, leads } = cursor.token;
    if (kind === "end" || (leads && !first) || (text === "}" && depth === 0)) return;
    if (text === "{") depth++;
    else if (text === "}") depth--;
    cursor.take();
  }
}
