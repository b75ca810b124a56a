/**
 * Where names are declared and used: what an editor needs to jump, to list and to rename. Collected while the checker
 * resolves them.
 */

import type { Span } from "../language/source.js";
import type { Name } from "../language/syntax.js";

/** A name that is typed at a cursor: what could stand there is noted instead of looked up. Nobody would choose it. */
export const CURSOR = "zany__cursor";

export interface Declaration {
  /**
   * The same for a declaration and all its uses. Actions of one name are one, as policies, tests and hiding see them.
   */
  readonly key: string;
  readonly kind: string;
  readonly name: string;
  /** How it is typed or called, such as `int 0..40`. */
  readonly detail: string;
  readonly span: Span;
}

/** A place where a name stands. */
export interface Mention extends Span {
  readonly key: string;
}

/** What could stand at a cursor. */
export interface Wanted {
  readonly names: readonly string[];
  /** What kind of name is looked for: `value`, `field`, `state, overlay or ending`. */
  readonly kind: string;
}

export class NameIndex {
  readonly declarations: Declaration[] = [];
  readonly mentions: Mention[] = [];
  wanted: Wanted | undefined;

  declare(kind: string, name: Name, detail = "", key = keyAt(name)): void {
    this.declarations.push({ key, kind, name: name.text, detail, span: { from: name.from, to: name.to } });
    this.mentions.push({ key, from: name.from, to: name.to });
  }

  /** A use of what is declared somewhere; `declared` is the span of the name there, or a key. */
  use(at: Span, declared: Span | string): void {
    this.mentions.push({ key: typeof declared === "string" ? declared : keyAt(declared), from: at.from, to: at.to });
  }

  want(names: Iterable<string>, kind: string): void {
    this.wanted ??= { names: [...new Set(names)], kind };
  }
}

function keyAt(span: Span): string {
  return `@${span.from}`;
}

export function actionKey(name: string): string {
  return `action ${name}`;
}
