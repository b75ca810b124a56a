/**
 * What an editor asks about a machine's text: what stands here, where it is declared and used, what could be
 * written, what a call takes. Positions are offsets in UTF-16 units from the beginning of the file asked about.
 * The console's editor and the language server both ask here.
 */

import { BUILT_IN_CALLS, BUILT_INS, isTaken } from "../check/builtins.js";
import { CURSOR, type Declaration, type Mention } from "../check/names.js";
import { describe, type Type } from "../check/types.js";
import { type Beside, type Compilation, type CompileOptions, compile, type FindPart } from "../compile.js";
import { Messages } from "../language/message.js";
import { scan, type Token } from "../language/scanner.js";
import { Sources, type Span } from "../language/source.js";
import { isReserved, WORDS, wordsOf } from "../language/words.js";
import { type Completion, expectedAt } from "./expected.js";

/** A stretch of one of the machine's files. */
export interface FileSpan extends Span {
  readonly file: string;
}

/** A machine as an editor holds it: the root file, whatever it includes, and which of them is asked about. */
export interface Asked {
  readonly text: string;
  readonly name: string;
  readonly findPart?: FindPart;
  /** The file asked about, by its name in the compilation; the root file when not given. */
  readonly file?: string;
  /** A text beside the machine, such as a mapping of a game's log, in which something may be asked as well. */
  readonly beside?: Beside;
}

export interface Hover extends Span {
  /** What it is, in Markdown: how it is declared, then its doc comment. */
  readonly markdown: string;
}

export interface Completions {
  /** The part of the word before the cursor that a choice replaces. */
  readonly from: number;
  readonly items: readonly Completion[];
}

export interface Signature {
  /** The call as it is declared, such as `strike(source: seat, target: seat, force: int)`. */
  readonly label: string;
  readonly parameters: readonly string[];
  /** The parameter at the cursor, counted from 0. */
  readonly active: number;
}

/**
 * The compilation of what is asked about, without the warnings that take reasoning: names and types are all that is
 * asked for here.
 */
export function compiled(asked: Asked): Compilation {
  return compile(asked.text, asked.name, asked.findPart, quickly(asked.beside));
}

function quickly(beside: Beside | undefined): CompileOptions {
  return { errorsOnly: true, ...(beside && { beside }) };
}

function baseOf({ sources }: Compilation, file: string | undefined): number {
  return (file === undefined ? sources.files[0] : sources.files.find((f) => f.name === file))?.base ?? 0;
}

function mentionAt(compilation: Compilation, position: number): Mention | undefined {
  // A later mention is the more particular one, such as a field behind its record.
  return compilation.machine.names.mentions.findLast((m) => m.from <= position && position <= m.to);
}

function fileSpan({ sources }: Compilation, span: Span): FileSpan {
  const file = sources.files.findLast((f) => f.base <= span.from);
  const base = file?.base ?? 0;
  return { file: file?.name ?? "", from: span.from - base, to: span.to - base };
}

function declarationOf(compilation: Compilation, key: string): Declaration | undefined {
  return compilation.machine.names.declarations.find((d) => d.key === key);
}

// ---- jumping and listing -----------------------------------------------------------------------

/** Where the name at an offset is declared; several places for actions of one name. */
export function definitions(compilation: Compilation, offset: number, file?: string): FileSpan[] {
  const mention = mentionAt(compilation, baseOf(compilation, file) + offset);
  return mention
    ? compilation.machine.names.declarations
        .filter((d) => d.key === mention.key)
        .map((d) => fileSpan(compilation, d.span))
    : [];
}

/** Every place where the name at an offset stands, its declaration among them, in the order of the text. */
export function references(compilation: Compilation, offset: number, file?: string): FileSpan[] {
  const mention = mentionAt(compilation, baseOf(compilation, file) + offset);
  return mention ? spansOf(compilation, mention.key).map((m) => fileSpan(compilation, m)) : [];
}

function spansOf({ machine }: Compilation, key: string): Mention[] {
  const seen = new Set<number>();
  return machine.names.mentions
    .filter((m) => m.key === key && !seen.has(m.from) && seen.add(m.from))
    .sort((a, b) => a.from - b.from);
}

/** What the name at an offset is. */
export function hover(compilation: Compilation, offset: number, file?: string): Hover | undefined {
  const base = baseOf(compilation, file);
  const mention = mentionAt(compilation, base + offset);
  if (!mention) return undefined;
  const { from, to } = mention;
  const declared = declarationOf(compilation, mention.key);
  if (!declared)
    return mention.key.startsWith("system ")
      ? {
          from: from - base,
          to: to - base,
          markdown: `\`\`\`zany\nsignal ${mention.key.slice(7)}(seat: seat)\n\`\`\`\n\nA signal of the system.`,
        }
      : undefined;
  const signature = signatureOf(compilation, declared.name);
  const head =
    signature && /function|effect|signal|event|state|ending/.test(declared.kind)
      ? signature.label
      : declared.detail === ""
        ? declared.name
        : `${declared.name}: ${declared.detail}`;
  const doc = docAbove(compilation, declared.span);
  return {
    from: from - base,
    to: to - base,
    markdown:
      `\`\`\`zany\n${head}\n\`\`\`\n` +
      `\n${[`${declared.kind.replace(/^a/, "A")}.`, doc].filter(Boolean).join("\n\n")}`,
  };
}

/** The doc comment above a declaration: the lines that begin with three slashes. */
function docAbove({ sources }: Compilation, span: Span): string {
  const { file, line } = sources.place(span.from);
  const lines = sources.files.find((f) => f.name === file)?.text.split("\n") ?? [];
  const doc: string[] = [];
  for (let at = line - 2; at >= 0 && /^\s*\/\/\//.test(lines[at] ?? ""); at--)
    doc.unshift((lines[at] ?? "").replace(/^\s*\/\/\/ ?/, ""));
  return doc.join("\n");
}

// ---- renaming ----------------------------------------------------------------------------------

/**
 * The edits that rename what stands at an offset, everywhere.
 *
 * @returns why it cannot be renamed so: it is no name, the new one is none, or it would come to mean something else
 */
export function rename(
  asked: Asked,
  offset: number,
  name: string,
): { readonly edits: readonly FileSpan[] } | { readonly refused: string } {
  const before = compiled(asked);
  const mention = mentionAt(before, baseOf(before, asked.file) + offset);
  const declared = mention && declarationOf(before, mention.key);
  if (!mention || !declared)
    return {
      refused: mention ? "It is built in and cannot be renamed." : "There is no name here that could be changed.",
    };
  if (!/^[A-Za-z_][A-Za-z0-9_]*$/.test(name))
    return { refused: `"${name}" is no name: letters, digits and _, not beginning with a digit.` };
  if (isReserved(name)) return { refused: `"${name}" is a word of the language.` };
  if (isTaken(name)) return { refused: `"${name}" is built into the language.` };
  if (declared.kind === "a seat" && before.sources.text(declared.span) !== declared.name)
    return { refused: "Numbered seats take their name from the line that declares them." };
  const spans = spansOf(before, mention.key);
  const texts = new Map(before.sources.files.map((f) => [f.name, f.text]));
  for (const { name: file, text, base } of before.sources.files) {
    const own = spans.filter((s) => s.from >= base && s.to <= base + text.length);
    texts.set(
      file,
      own.reduceRight((now, s) => now.slice(0, s.from - base) + name + now.slice(s.to - base), text),
    );
  }
  const [root] = before.sources.files;
  const parts = Object.keys(before.parts);
  const { beside } = asked;
  const after = compile(
    texts.get(root?.name ?? "") ?? "",
    asked.name,
    (path) => {
      const at = parts.indexOf(path);
      return at < 0 ? undefined : texts.get(before.sources.files[at + 1]?.name ?? "");
    },
    beside ? quickly({ ...beside, text: texts.get(beside.name) ?? "" }) : {},
  );
  const clash = after.messages.find(
    (m) => m.severity === "error" && !before.messages.some((b) => b.name === m.name && b.words === m.words),
  );
  if (clash) return { refused: `It would be an error: ${clash.words}` };
  if (!sameMeaning(before, after))
    return { refused: `"${name}" means something else somewhere, and would come to mean this.` };
  return { edits: spans.map((s) => fileSpan(before, s)) };
}

/**
 * True when every name still stands for the declaration it stood for: the same mentions, in the same order, of the same
 * declarations.
 */
function sameMeaning(before: Compilation, after: Compilation): boolean {
  const numbered = ({ machine }: Compilation): number[] => {
    const numbers = new Map<string, number>();
    return [...machine.names.mentions]
      .sort((a, b) => a.from - b.from)
      .map((m) => {
        const number = numbers.get(m.key) ?? numbers.size;
        numbers.set(m.key, number);
        return number;
      });
  };
  const one = numbered(before);
  const other = numbered(after);
  return one.length === other.length && one.every((n, i) => n === other[i]);
}

// ---- completion --------------------------------------------------------------------------------

/**
 * What could be written at an offset: the names that are open there, or the words of the language that begin something
 * there.
 */
export function completions(asked: Asked, offset: number): Completions {
  const text = textOf(asked);
  const before = /[A-Za-z_][A-Za-z0-9_]*$/.exec(text.slice(0, offset))?.[0] ?? "";
  const from = offset - before.length;
  const after = /^[A-Za-z0-9_]*/.exec(text.slice(offset))?.[0].length ?? 0;
  if (insideText(text, offset)) return { from, items: [] };
  // Half a statement is not read; as the whole of one it may be: a datum that is set, or a call.
  let compilation: Compilation | undefined;
  for (const rest of ["", " = 0", "()"]) {
    compilation = withText(asked, `${text.slice(0, from)}${CURSOR}${rest}${text.slice(offset + after)}`);
    if (compilation.machine.names.wanted) break;
  }
  const { wanted, declarations = [] } = compilation?.machine.names ?? {};
  const beside = asked.beside?.name === asked.file ? asked.beside : undefined;
  const lead =
    /^\s*$/.test(text.slice(text.lastIndexOf("\n", from - 1) + 1, from)) || /[{}]\s*$/.test(text.slice(0, from));
  const items: Completion[] = [];
  const add = (...more: readonly Completion[]): void => {
    for (const item of more) if (!items.some((known) => known.name === item.name)) items.push(item);
  };
  const arrow = /->\s*$/.test(text.slice(0, from));
  const tokens = tokensOf(text.slice(0, from)).filter((t) => !["comment", "doc", "end"].includes(t.kind));
  const lineStart = text.lastIndexOf("\n", from - 1) + 1;
  const expected = compilation && !beside ? expectedAt(compilation.machine, tokens, lineStart) : undefined;
  // Where a line begins that only some words begin, a name would be read as one that they are left out before.
  if (wanted && !(lead && expected?.alone)) {
    const kind = kindOf(wanted.kind);
    for (const name of wanted.names) {
      if (name === CURSOR) continue;
      const declared = declarations.find((d) => d.name === name);
      items.push({
        name,
        kind: BUILT_IN_CALLS.has(name) ? "function" : kind,
        detail: declared?.detail || declared?.kind.replace(/^an? /, "") || BUILT_INS.get(name)?.words || "",
      });
    }
  }
  add(...(expected?.items ?? []));
  const described = (word: string): Completion => ({ name: word, kind: "word", detail: WORDS.get(word)?.words ?? "" });
  if (beside) add(...(arrow ? beside.words.arrow : lead ? beside.words.line : []).map(described));
  else if (arrow) add(...wordsOf("arrow").map(described));
  else if (lead && !expected?.alone) {
    const words = insideBlock(text, from)
      ? wordsOf("statement")
      : depthAt(text, from) > 0
        ? wordsOf("item")
        : [...wordsOf("top", "item"), "private", "hidden"];
    add(...words.map(described));
  }
  const near = before.toLowerCase();
  return {
    from,
    items: items
      .filter((i) => i.name.toLowerCase().startsWith(near))
      .sort((a, b) => Number(a.kind === "word") - Number(b.kind === "word") || (a.name < b.name ? -1 : 1)),
  };
}

function withText(asked: Asked, text: string): Compilation {
  const { beside } = asked;
  if (beside && asked.file === beside.name) return compiled({ ...asked, beside: { ...beside, text } });
  const root = asked.file === undefined || asked.file === asked.name;
  if (root) return compile(text, asked.name, asked.findPart, { errorsOnly: true });
  const folder = asked.name.includes("/") ? asked.name.slice(0, asked.name.lastIndexOf("/") + 1) : "";
  return compile(
    asked.text,
    asked.name,
    (path) => (`${folder}${path}` === asked.file ? text : asked.findPart?.(path)),
    { errorsOnly: true },
  );
}

function textOf(asked: Asked): string {
  if (asked.beside && asked.file === asked.beside.name) return asked.beside.text;
  if (asked.file === undefined || asked.file === asked.name) return asked.text;
  const folder = asked.name.includes("/") ? asked.name.slice(0, asked.name.lastIndexOf("/") + 1) : "";
  return asked.findPart?.(asked.file.slice(folder.length)) ?? "";
}

function kindOf(wanted: string): Completion["kind"] {
  if (/state|overlay|ending|final/.test(wanted)) return "state";
  if (/field|operation|data of/.test(wanted)) return "field";
  if (/signal/.test(wanted)) return "signal";
  if (/type/.test(wanted)) return "type";
  return /function|effect|change|action/.test(wanted) ? "function" : "value";
}

function tokensOf(text: string): Token[] {
  return scan(new Sources().add("", text), new Messages(), 0, text.length, true);
}

/** True inside a comment, or in a text in quotes outside its braces. */
function insideText(text: string, offset: number): boolean {
  const token = tokensOf(text).find((t) => t.from < offset && offset <= t.to && t.kind !== "end");
  if (!token) return false;
  if (token.kind === "comment" || token.kind === "doc") return true;
  if (token.kind !== "text" || offset === token.to) return false;
  const inside = text.slice(token.from, offset).replaceAll("{{", "");
  return inside.lastIndexOf("{") <= inside.lastIndexOf("}");
}

function depthAt(text: string, offset: number): number {
  let depth = 0;
  for (const t of tokensOf(text.slice(0, offset)))
    if (t.kind === "mark") depth += t.text === "{" ? 1 : t.text === "}" ? -1 : 0;
  return depth;
}

/** True inside the braces of effects: those that a state's or declaration's body does not open. */
function insideBlock(text: string, offset: number): boolean {
  const open: boolean[] = [];
  let words: string[] = [];
  for (const t of tokensOf(text.slice(0, offset))) {
    if (t.kind === "word") words.push(t.text);
    if (t.kind !== "mark") continue;
    if (t.text === "{") {
      open.push(
        words.some((w) =>
          ["enter", "exit", "action", "effect", "on", "when", "after", "if", "for", "else"].includes(w),
        ) && !words.includes("choose"),
      );
      words = [];
    } else if (t.text === "}") {
      open.pop();
      words = [];
    }
  }
  return open.at(-1) ?? false;
}

// ---- calls -------------------------------------------------------------------------------------

/** The call around an offset, and which of its parameters stands there. */
export function signatureHelp(compilation: Compilation, offset: number, file?: string): Signature | undefined {
  const source = compilation.sources.files.find((f) => f.name === file) ?? compilation.sources.files[0];
  const tokens = tokensOf(source?.text.slice(0, offset) ?? "");
  let depth = 0;
  let active = 0;
  for (let i = tokens.length - 1; i >= 0; i--) {
    const token = tokens[i] as Token;
    if (token.kind !== "mark") continue;
    if (token.text === ")" || token.text === "]" || token.text === "}") depth++;
    else if (token.text === "[" || token.text === "{") depth--;
    else if (token.text === "," && depth === 0) active++;
    else if (token.text === "(") {
      if (depth === 0) {
        const name = tokens[i - 1];
        const signature = name?.kind === "word" ? signatureOf(compilation, name.text) : undefined;
        return signature && { ...signature, active: Math.min(active, Math.max(0, signature.parameters.length - 1)) };
      }
      depth--;
    }
    if (depth < 0) return undefined;
  }
  return undefined;
}

/** How something that takes arguments is called. */
function signatureOf({ machine }: Compilation, name: string): Omit<Signature, "active"> | undefined {
  const built = BUILT_IN_CALLS.get(name);
  if (built) return { label: `${name}(${built.takes.join(", ")})`, parameters: built.takes };
  const of = (
    parameters: readonly { readonly name: string; readonly type: Type }[],
    behind = "",
  ): Omit<Signature, "active"> => {
    const words = parameters.map((p) => `${p.name}: ${describe(p.type)}`);
    return { label: `${name}(${words.join(", ")})${behind}`, parameters: words };
  };
  const called = machine.functions.find((f) => f.name === name);
  if (called) return of(called.parameters, `: ${describe(called.type)}`);
  const effect = machine.effects.find((e) => e.name === name);
  if (effect) return of(effect.parameters);
  const signal = machine.signals.find((s) => s.name === name);
  if (signal) return of(signal.parameters);
  const state = machine.states.find((s) => s.id > 0 && s.name === name);
  if (state) return of(state.parameters);
  const ending = machine.endings.find((e) => e.name === name);
  if (ending) return of(ending.parameters);
  const record = machine.types.find((t) => t.kind === "record" && t.name === name);
  if (record?.kind === "record") return of(record.fields);
  const action = machine.actions.find((a) => a.name === name);
  return action && of(action.parameters);
}
