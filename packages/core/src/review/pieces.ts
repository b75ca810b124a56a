/**
 * Two versions of a machine, piece by piece: declarations, states, and what stands in states. A piece that differs
 * can be taken from either version by itself, so that it can be tried which of them makes the difference.
 */

import { parse, parsePart } from "../language/parser/parser.js";
import { Messages } from "../language/message.js";
import { rulesText } from "../language/rules.js";
import { type SourceFile, Sources, type Span } from "../language/source.js";
import type { FileNode, ItemNode, StateNode, TopNode } from "../language/syntax.js";

/** The texts of a machine: its own file by the empty path, the included ones by theirs. */
export type Texts = Readonly<Record<string, string>>;

/** A piece in which two versions differ. */
export interface PieceChange {
  /** Such as `state Turn: action mend`, `data lap`, `law "..."`. */
  readonly name: string;
  readonly what: "changed" | "added" | "removed" | "renamed";
  /** For what was renamed, as far as can be guessed: what it was called. */
  readonly was?: string;
  /** The file it stands in; empty for the machine's own. */
  readonly file: string;
  /** Lines, counted from 1, in the old version and in the new. */
  readonly oldLine?: number;
  readonly newLine?: number;
  /** What it said, and what it says; empty where it was not there, or is not. */
  readonly oldText: string;
  readonly newText: string;
  /** What is done to the old text to get it. */
  readonly edit: Span & { readonly text: string };
}

/** A piece of one version. */
interface Piece extends Span {
  /** What it is known by among its neighbours: `action mend`; several `when`s have the same. */
  readonly key: string;
  /** What it says, without layout and comments. */
  readonly meaning: string;
  readonly text: string;
  readonly line: number;
  /** For a state: what is before its items, and what they are. */
  readonly inside?: {
    readonly head: string;
    readonly items: readonly Piece[];
    readonly end: number;
    readonly start: number;
  };
}

/** The pieces in which a new version differs from an old one, in the order of the old text. */
export function changesOf(old: Texts, now: Texts): PieceChange[] {
  const changes: PieceChange[] = [];
  for (const file of new Set([...Object.keys(old), ...Object.keys(now)])) {
    const before = piecesOf(file, old[file] ?? "");
    const after = piecesOf(file, now[file] ?? "");
    compareHeads(file, old[file] ?? "", before, now[file] ?? "", after, changes);
    compare(file, "", before, after, (old[file] ?? "").length, changes);
  }
  return named(changes);
}

/** The old texts with some of the changes made. */
export function withChanges(old: Texts, changes: readonly PieceChange[]): Record<string, string> {
  const texts: Record<string, string> = { ...old };
  const later = [...changes].sort((a, b) => b.edit.from - a.edit.from || b.edit.to - a.edit.to);
  for (const { file, edit } of later) {
    const text = texts[file] ?? "";
    texts[file] = text.slice(0, edit.from) + edit.text + text.slice(edit.to);
  }
  return texts;
}

// ---- pieces of one text -----------------------------------------------------------------------------

function piecesOf(path: string, text: string): Piece[] {
  const sources = new Sources();
  const file = sources.add(path || "machine.zany", text);
  const node: FileNode = path === "" ? parse(file, new Messages()) : parsePart(file, new Messages());
  return node.items.flatMap((item) => topPieces(file, item));
}

/** Tests and policies change no match, so they are no pieces. */
function topPieces(file: SourceFile, item: TopNode): Piece[] {
  if (item.kind === "test" || item.kind === "policy") return [];
  return itemPieces(file, item);
}

function itemPieces(file: SourceFile, item: TopNode | ItemNode): Piece[] {
  // Each datum is a piece of its own.
  if (item.kind === "data") return item.fields.map((field) => piece(file, field, `data ${field.name.text}`));
  if (item.kind !== "state" && item.kind !== "overlay") return [piece(file, item, keyOf(item))];
  return [{ ...piece(file, item, `${item.kind} ${item.name.text}`), inside: insideOf(file, item) }];
}

function insideOf(file: SourceFile, state: StateNode): NonNullable<Piece["inside"]> {
  const items = state.items.flatMap((item) => itemPieces(file, item));
  const first = state.items[0]?.from ?? state.to;
  const head = meaningOf(file.text.slice(state.from - file.base, first - file.base));
  return { head, items, start: state.from - file.base, end: state.to - file.base - 1 };
}

function piece(file: SourceFile, { from, to }: Span, key: string): Piece {
  const text = file.text.slice(from - file.base, to - file.base);
  const line = file.text.slice(0, from - file.base).split("\n").length;
  return { key, meaning: meaningOf(text), text, line, from: from - file.base, to: to - file.base };
}

function keyOf(item: TopNode): string {
  if (item.kind === "law") return `law "${item.words}"`;
  if (item.kind === "on") return `on ${item.signal.text}`;
  const name = "name" in item ? (item.name as { readonly text: string }).text : undefined;
  return name === undefined ? item.kind : `${item.kind} ${name}`;
}

/** What a piece of text says: its tokens that carry meaning. */
function meaningOf(text: string): string {
  return rulesText([new Sources().add("piece", text)]);
}

// ---- two texts ---------------------------------------------------------------------------------------

/** What stands before the first piece: the machine's name and its seats. */
function compareHeads(
  file: string,
  old: string,
  before: readonly Piece[],
  now: string,
  after: readonly Piece[],
  changes: PieceChange[],
): void {
  const ends = [before[0]?.from ?? old.length, after[0]?.from ?? now.length] as const;
  const [was, is] = [old.slice(0, ends[0]), now.slice(0, ends[1])];
  // A block of data begins before its first datum; the word belongs to it.
  const cut = (text: string): string => text.replace(/\bdata\s*\{\s*$/, "");
  if (meaningOf(cut(was)) === meaningOf(cut(is))) return;
  const edit = { from: 0, to: cut(was).length, text: cut(is) };
  const texts = { oldText: cut(was), newText: cut(is) };
  changes.push({ name: "machine and seats", what: "changed", file, oldLine: 1, newLine: 1, ...texts, edit });
}

function compare(
  file: string,
  around: string,
  before: readonly Piece[],
  after: readonly Piece[],
  end: number,
  changes: PieceChange[],
): void {
  const pairs = paired(before, after);
  let at = before[0]?.from ?? end;
  for (const [old, now] of pairs) {
    const name = around + (now ?? old)?.key;
    const lines = { ...(old && { oldLine: old.line }), ...(now && { newLine: now.line }) };
    const told = { name, file, ...lines, oldText: old?.text ?? "", newText: now?.text ?? "" };
    if (old && now) {
      if (old.inside && now.inside) compareStates(file, name, old, now, changes);
      else if (old.meaning !== now.meaning)
        changes.push({ ...told, what: "changed", edit: { from: old.from, to: old.to, text: now.text } });
    } else if (old) changes.push({ ...told, what: "removed", edit: { from: old.from, to: old.to, text: "" } });
    else if (now) {
      const text = now.key.startsWith("data ") && around === "" ? `\ndata { ${now.text} }\n` : `\n${now.text}\n`;
      changes.push({ ...told, what: "added", edit: { from: at, to: at, text } });
    }
    if (old) at = old.to;
  }
}

function compareStates(file: string, name: string, old: Piece, now: Piece, changes: PieceChange[]): void {
  const [was, is] = [old.inside, now.inside];
  if (!was || !is) return;
  if (was.head !== is.head) {
    const edit = { from: old.from, to: old.to, text: now.text };
    const told = { name, file, oldLine: old.line, newLine: now.line, oldText: old.text, newText: now.text };
    changes.push({ ...told, what: "changed", edit });
    return;
  }
  compare(file, `${name}: `, was.items, is.items, was.end, changes);
}

/**
 * Pieces that stand for each other, and those without a counterpart, in the order of the new text. Those that say the
 * same are paired first; of the others those with the same key, in their order.
 */
function paired(
  before: readonly Piece[],
  after: readonly Piece[],
): (readonly [Piece | undefined, Piece | undefined])[] {
  const partner = new Map<Piece, Piece>();
  const taken = new Set<Piece>();
  const pair = (fits: (old: Piece, now: Piece) => boolean): void => {
    for (const now of after) {
      if (partner.has(now)) continue;
      const old = before.find((each) => !taken.has(each) && each.key === now.key && fits(each, now));
      if (!old) continue;
      partner.set(now, old);
      taken.add(old);
    }
  };
  pair((old, now) => old.meaning === now.meaning);
  // Of several with one key the order counts: where it is another, they are compared in their order.
  for (const key of new Set(after.map((each) => each.key))) {
    const group = after.filter((each) => each.key === key);
    const places = group.flatMap((each) => (partner.has(each) ? [before.indexOf(partner.get(each) as Piece)] : []));
    if (places.every((place, i) => i === 0 || place > (places[i - 1] as number))) continue;
    for (const each of group) {
      taken.delete(partner.get(each) as Piece);
      partner.delete(each);
    }
  }
  pair(() => true);
  const pairs: (readonly [Piece | undefined, Piece | undefined])[] = [];
  let next = 0;
  const flushUpTo = (limit: number): void => {
    for (; next < limit; next++) if (!taken.has(before[next] as Piece)) pairs.push([before[next], undefined]);
  };
  for (const now of after) {
    const old = partner.get(now);
    if (old) flushUpTo(before.indexOf(old) + 1);
    pairs.push([old, now]);
  }
  flushUpTo(before.length);
  return pairs;
}

/**
 * Takes what was removed and stands elsewhere under another name for renamed: what it says is the same but for the
 * name.
 */
function named(changes: readonly PieceChange[]): PieceChange[] {
  const renamed = new Map<PieceChange, PieceChange>();
  for (const now of changes) {
    if (now.what !== "added") continue;
    const was = changes.find((old) => old.what === "removed" && !renamed.has(old) && isRenamed(old, now));
    if (was) renamed.set(was, now);
  }
  const added = new Set(renamed.values());
  return changes.flatMap((change): PieceChange[] => {
    if (added.has(change)) return [];
    const now = renamed.get(change);
    if (!now) return [change];
    const { oldLine, oldText, edit, name } = change;
    const told = { ...now, ...(oldLine !== undefined && { oldLine }), oldText, was: name };
    return [{ ...told, what: "renamed", edit: { from: edit.from, to: edit.to, text: now.newText } }];
  });
}

function isRenamed(old: PieceChange, now: PieceChange): boolean {
  const [was, is] = [lastWord(old.name), lastWord(now.name)];
  if (old.file !== now.file || old.name.slice(0, -was.length) !== now.name.slice(0, -is.length)) return false;
  if (!/^\w+$/.test(was) || !/^\w+$/.test(is)) return false;
  return meaningOf(old.oldText.replace(new RegExp(`\\b${was}\\b`, "g"), is)) === meaningOf(now.newText);
}

function lastWord(name: string): string {
  return name.split(" ").at(-1) ?? "";
}
