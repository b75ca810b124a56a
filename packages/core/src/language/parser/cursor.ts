/** The parser's hold on the tokens: look ahead, take, expect, and report what is in the way. */

import { type Fix, Messages } from "../message.js";
import { scan, type Token } from "../scanner.js";
import type { SourceFile, Span } from "../source.js";
import { type Name, NAMELESS } from "../syntax.js";
import { isReserved, type WordRole, WORDS } from "../words.js";

/** Thrown to leave a broken construct; its message has been reported already. Never leaves the parser. */
export class SyntaxFailure extends Error {}

/** Signs that never stand twice in a row. */
const ONCE: ReadonlySet<string> = new Set(["{", ",", ":", "->", "..", "+=", "-="]);

/** How far ahead the end of a body is looked for whose beginning is missing, in tokens. */
const MOST_AHEAD = 2_000;

/** How deep constructs may nest; beyond it the text is refused in words rather than by a full stack. */
const MAX_DEPTH = 120;
/** How many tokens a file holds at most, and how many that begin a declaration or an item of a state. */
const MAX_TOKENS = 250_000;
const MAX_ITEMS = 10_000;
/** How many of a kind may follow each other in one construct: terms of a sum, members of a value, `else if`s. */
const MAX_IN_A_ROW = 500;

/** The roles of words that are taken for names by mistake. */
const MISNAMING: ReadonlySet<WordRole> = new Set(["item", "top", "statement", "arrow", "test"]);
/** Words that begin a clause, and are taken for names of data. */
const MISNAMED_CLAUSES: ReadonlySet<string> = new Set(["where", "needs"]);
/** What follows the name of a datum or parameter, and what follows other names on their line. */
const BEHIND_FIELD: ReadonlySet<string> = new Set([":", "per"]);
const BEHIND_NAME: ReadonlySet<string> = new Set(["(", "{", "is", "=", "in"]);
/** Words and signs by which a word is known to stand for a value, or to be written to. */
const BEFORE_VALUE: ReadonlySet<string> = new Set(
  "and or not implies mod in if when then else of where needs wins loses draws".split(" "),
);
/** Signs behind which words mean what they mean. */
const AROUND_WORDS: ReadonlySet<string> = new Set(["}", "->"]);
const WRITES: ReadonlySet<string> = new Set(["=", "+=", "-=", "[", "."]);

/** A state body that a line suggests has ended, though its brace has not come. */
interface Suspect {
  readonly name: string;
  readonly position: number;
}

/** A cursor over the tokens of one file. */
export class Cursor {
  private tokens: Token[] = [];
  private readonly docs = new Map<number, string>();
  private at = 0;
  /** How many levels the construct at hand is nested. */
  depth = 0;
  /** The first line that is set out no further than the body around it: where a lost brace would be. */
  suspect: Suspect | undefined;
  /** Words of the language that stand for something which was given one of them as its name. */
  private readonly misnamed = new Set<Token>();
  /** How many braces are opened more than closed. */
  private braces = 0;
  /** What stands before a colon. */
  private readonly typed = new Set<string>();
  /** Words in what could not be read: what is declared there is not unknown. */
  readonly lost = new Set<string>();

  constructor(
    readonly file: SourceFile,
    public messages: Messages,
    start?: number,
    stop?: number,
  ) {
    let items = 0;
    for (const token of scan(file, messages, start, stop)) {
      if (token.kind === "word" && isItem(token.text)) items++;
      if (items > MAX_ITEMS || this.tokens.length > MAX_TOKENS) {
        this.refuse(token);
        return;
      }
      if (token.kind === "doc") {
        const earlier = this.docs.get(this.tokens.length);
        const line = token.text.slice(3).trim();
        this.docs.set(this.tokens.length, earlier === undefined ? line : `${earlier}\n${line}`);
      } else if (token.kind !== "bad" && !this.isTwice(token)) {
        const { text, kind } = token;
        if (text === ":") this.typed.add(this.tokens.at(-1)?.text ?? "");
        if (kind === "mark") this.braces += text === "{" ? 1 : text === "}" ? -1 : 0;
        this.tokens.push(token);
      }
    }
  }

  /** Whether what stands before a token, and nowhere stands twice, is written again; that is told. */
  private isTwice(token: Token): boolean {
    const { text, kind, from, to } = token;
    const before = this.tokens.at(-1);
    if (!before || before.text !== text || before.kind !== kind || token.leads) return false;
    const isOnce = kind === "word" ? isReserved(text) && text !== "not" : ONCE.has(text) && kind === "mark";
    // Of a word that was given to something as its name the second may be the name.
    if (!isOnce || (kind === "word" && this.typed.has(text))) return false;
    // Between two commas a name may be missing.
    if (text === ",") this.lost.add(NAMELESS);
    this.messages.error("syntax", { from, to }, `"${text}" stands here twice.`, "Remove one.", undefined, {
      title: `Remove "${text}"`,
      edits: [{ from: before.to, to, text: "" }],
    });
    return true;
  }

  /** Reads nothing of a file that is too large to be looked at in a reasonable time, and says just that. */
  private refuse(at: Token): void {
    this.messages.error(
      "too-large",
      at,
      `A file holds at most ${MAX_TOKENS} words and signs, and at most ${MAX_ITEMS} states, actions and the like.`,
      "Split the machine; or write a list, and one rule for all that is in it.",
    );
    // What else would be said follows from nothing having been read.
    this.messages = new Messages();
    const { length } = this.file.text;
    this.tokens = [
      { ...at, kind: "end", text: "", value: 0, from: this.file.base + length, to: this.file.base + length },
    ];
  }

  get token(): Token {
    return this.tokens[this.at] as Token;
  }

  get nextToken(): Token {
    return this.tokens[Math.min(this.at + 1, this.tokens.length - 1)] as Token;
  }

  /** The token before the current one; at the very start the current one. */
  get lastToken(): Token {
    return this.tokens[Math.max(this.at - 1, 0)] as Token;
  }

  /** The doc comment right before the current token. */
  doc(): string | undefined {
    return this.docs.get(this.at);
  }

  take(): Token {
    const token = this.token;
    if (token.kind !== "end") this.at++;
    return token;
  }

  is(text: string): boolean {
    return this.token.text === text && this.token.kind !== "text";
  }

  nextIs(text: string): boolean {
    return this.nextToken.text === text && this.nextToken.kind !== "text";
  }

  accept(text: string): boolean {
    if (!this.is(text)) return false;
    this.take();
    return true;
  }

  /** Takes `text`, or reports that it is missing and leaves the construct. */
  expect(text: string, where: string, help?: string): Token {
    if (this.is(text)) return this.take();
    return this.expected(`"${text}" ${where}`, help);
  }

  /** The token some way ahead. */
  ahead(count: number): Token {
    return this.tokens[Math.min(this.at + count, this.tokens.length - 1)] as Token;
  }

  /** Reports something of another language; reading goes on as if the right thing stood there. */
  foreign(at: Span, words: string, help: string, fix?: Fix): void {
    this.messages.error("other-language", at, words, help, undefined, fix);
  }

  /** Takes something of another language, and reports what is written in its place; reading goes on behind it. */
  takeForeign(words: string, instead: string, help = `Write: ${instead.trim()}`): void {
    const { from, to } = this.take();
    const title = instead === "" ? `Remove "${this.written({ from, to })}"` : `Write "${instead.trim()}"`;
    this.foreign({ from, to }, words, help, { title, edits: [{ from, to, text: instead }] });
  }

  /** True when the current token can be a name. */
  isName(token: Token = this.token): boolean {
    return token.kind === "word" && (!isReserved(token.text) || this.misnamed.has(token));
  }

  /** True when the current token is a word of the language that stands for what was named so by mistake. */
  get isMisnamed(): boolean {
    return this.misnamed.has(this.token);
  }

  name(what: string): Name {
    if (this.isName()) {
      const token = this.take();
      return { text: token.text, from: token.from, to: token.to };
    }
    if (this.token.kind === "word" && (!this.endsLine || this.isDeclared())) {
      const words = `Expected ${what}, but "${this.token.text}" is a word of the language.`;
      const help = "Choose another name.";
      if (!this.isDeclared()) {
        this.lost.add(NAMELESS);
        return this.fail("reserved-word", words, help);
      }
      const token = this.take();
      this.messages.error("reserved-word", token, words, help);
      this.readAsName(token.text);
      return { text: token.text, from: token.from, to: token.to };
    }
    return this.nameless(what);
  }

  /** Reports that something has no name, so that what is unknown elsewhere may be it. @throws SyntaxFailure */
  nameless(what: string): never {
    this.lost.add(NAMELESS);
    return this.expected(what);
  }

  /** Whether the word at hand is given to something as its name: what follows shows it. */
  private isDeclared(): boolean {
    const { token, nextToken } = this;
    // An "if" begins a value, too.
    const isItem = token.text !== "if" && MISNAMING.has(WORDS.get(token.text)?.role ?? "value");
    if (BEHIND_FIELD.has(nextToken.text)) return isItem || MISNAMED_CLAUSES.has(token.text);
    return isItem && !token.leads && (BEHIND_NAME.has(nextToken.text) || this.isListed());
  }

  /** Whether the word at hand is one of several names on a line, such as members: `type Card is plain, turn`. */
  private isListed(): boolean {
    const { nextToken, lastToken } = this;
    const isNext = nextToken.text === "," || nextToken.leads || nextToken.kind === "end";
    return isNext && (lastToken.text === "," || lastToken.text === "is");
  }

  /** From here on a word is a name, wherever only a name can be meant: its one mistake has been told. */
  private readAsName(text: string): void {
    for (let i = this.at; i < this.tokens.length; i++) {
      const token = this.tokens[i] as Token;
      if (token.text !== text || token.kind !== "word") continue;
      const before = this.tokens[i - 1] as Token;
      const isLed = before.kind === "mark" ? !AROUND_WORDS.has(before.text) : BEFORE_VALUE.has(before.text);
      const isValue = !token.leads && isLed;
      const isWritten = WRITES.has((this.tokens[i + 1] ?? token).text);
      if (isValue || isWritten) this.misnamed.add(token);
    }
  }

  /**
   * True when the current word begins an item of a state, or of the file. Some do only with a name on the same line.
   */
  begins(role: "item" | "top"): boolean {
    const { kind, text } = this.token;
    const word = kind === "word" && !this.isMisnamed ? WORDS.get(text) : undefined;
    if (word?.role !== role) return false;
    if (word.reserved || text === "seats") return true;
    return this.nextToken.kind === "word" && !this.nextToken.leads;
  }

  found(token: Token = this.token): string {
    return token.kind === "end" ? "the end of the text" : token.kind === "text" ? "a text" : `"${token.text}"`;
  }

  fail(name: string, words: string, help?: string, fix?: Fix): never {
    const { from, to } = this.token;
    this.messages.error(name, { from, to: Math.max(to, from + 1) }, words, help, undefined, fix);
    throw new SyntaxFailure(words);
  }

  /**
   * Reports that something is missing: where something else stands, or where the line ends before it.
   * @throws SyntaxFailure
   */
  expected(what: string, help?: string): never {
    if (!this.endsLine) return this.fail("syntax", `Expected ${what}, but found ${this.found()}.`, help);
    const next = this.token.kind === "end" ? "the text ends here" : `the next line begins with ${this.found()}`;
    const words = `Expected ${what}, but ${next}.`;
    this.messages.error("syntax", this.lastToken, words, help);
    throw new SyntaxFailure(words);
  }

  /** Whether a "." and a name stand here; a word of the language on the next line begins something of its own. */
  get isMember(): boolean {
    const { kind, leads, text } = this.nextToken;
    return this.is(".") && kind === "word" && !(leads && isReserved(text));
  }

  /** Whether nothing that belongs to the item before follows: another one, or the end of a body. */
  get isBetween(): boolean {
    const { kind, text } = this.token;
    return kind === "end" || text === "}" || text === "accept" || this.begins("item") || this.begins("top");
  }

  /** Whether the token before the current one is the last of its line. */
  private get endsLine(): boolean {
    return this.at > 0 && (this.token.leads || this.token.kind === "end");
  }

  /**
   * Takes a `{`. Where it is missing and its `}` is there, that is told, and reading goes on behind it.
   * @param follows whether what stands in such braces follows
   * @returns where it is
   */
  open(where: string, follows: () => boolean, help?: string): Span {
    if (this.is("{") || !(follows() || this.isClosed())) return this.expect("{", where, help);
    const { from, to } = this.lastToken;
    this.messages.error("missing-brace", { from: to - 1, to }, 'A "{" is missing after this.', help, undefined, {
      title: 'Write "{"',
      edits: [{ from: to, to, text: " {" }],
    });
    return { from, to };
  }

  /**
   * Whether a `}` follows as if a `{` had stood here: on this line, in which none is open, or below what begins on the
   * next line and is set in.
   */
  isClosed(): boolean {
    // Where there is a "{" for each "}", none is missing, however the text is set in.
    if (this.braces >= 0) return false;
    if (!this.token.leads) return this.isClosedOnLine();
    const column = this.columnOfLine();
    for (let i = 0, depth = 0; i < MOST_AHEAD; i++) {
      const token = this.ahead(i);
      if (token.kind === "end") return false;
      if (depth === 0 && token.leads && this.indent(token) <= column)
        return i > 0 && token.text === "}" && this.indent(token) === column;
      if (token.text === "{") depth++;
      if (token.text === "}" && depth-- === 0) return false;
    }
    return false;
  }

  private isClosedOnLine(): boolean {
    let first = this.at;
    while (first > 0 && !(this.tokens[first] as Token).leads && this.at - first < MOST_AHEAD) first--;
    let depth = 0;
    for (let i = first; i - this.at < MOST_AHEAD && i < this.tokens.length; i++) {
      const { text, kind, leads } = this.tokens[i] as Token;
      if (kind === "end" || (leads && i > this.at)) return false;
      if (text === "{") depth++;
      if (text === "}" && --depth < 0) {
        if (i >= this.at) return true;
        depth = 0;
      }
    }
    return false;
  }

  /** The column at which the line of the last token begins. */
  private columnOfLine(): number {
    const { text, base } = this.file;
    const line = text.lastIndexOf("\n", this.lastToken.from - base) + 1;
    let at = line;
    while (text[at] === " " || text[at] === "\t") at++;
    return at - line + 1;
  }

  /** How many tokens were taken. */
  get taken(): number {
    return this.at;
  }

  /** How many parentheses and brackets were opened since then, and not closed. */
  opened(since: number): number {
    let depth = 0;
    for (let i = since; i < this.at; i++) {
      const { text } = this.tokens[i] as Token;
      if (text === "(" || text === "[") depth++;
      if (text === ")" || text === "]") depth = Math.max(0, depth - 1);
    }
    return depth;
  }

  /** What was taken since then could not be read. */
  lose(since: number): void {
    for (let i = since; i < this.at; i++) {
      const { kind, text } = this.tokens[i] as Token;
      if (kind === "word") this.lost.add(text);
    }
  }

  /** The text of a span, as it is written. */
  written({ from, to }: Span): string {
    return this.file.text.slice(from - this.file.base, to - this.file.base);
  }

  span(from: number): Span {
    return { from, to: Math.max(this.lastToken.to, from) };
  }

  /** The 1-based column of the current token, counted to compare how far lines are set in. */
  indent(token: Token = this.token): number {
    const offset = token.from - this.file.base;
    return offset - this.file.text.lastIndexOf("\n", offset - 1);
  }

  /** Runs `body` one level deeper; too deep is a message, not a full stack. */
  nested<T>(body: () => T): T {
    if (this.depth >= MAX_DEPTH)
      this.fail(
        "too-deep",
        `This is nested more than ${MAX_DEPTH} levels deep.`,
        "Take a part out into a function or an effect of its own.",
      );
    this.depth++;
    try {
      return body();
    } finally {
      this.depth--;
    }
  }

  /** Refuses the next of a kind when there are too many already: each nests around those before it. */
  oneMore(count: number, what: string): void {
    if (count >= MAX_IN_A_ROW)
      this.fail(
        "too-deep",
        `These are more than ${MAX_IN_A_ROW} ${what} in a row.`,
        "Take a part out into a function or an effect of its own, or go through a list.",
      );
  }

  /** Comma list up to `close`, which is taken too. */
  list<T>(close: string, what: string, item: () => T): T[] {
    const items: T[] = [];
    while (!this.is(close)) {
      items.push(item());
      if (this.accept(",")) continue;
      const { kind, leads } = this.token;
      if (this.is(close) || leads || !(kind === "word" || kind === "int" || kind === "num" || kind === "text")) break;
      this.missingComma();
    }
    this.expect(close, `to close ${what}`);
    return items;
  }

  /** Reports that a comma is missing here; what comes next is read as if there were one. */
  missingComma(): void {
    const end = this.lastToken.to;
    this.messages.error(
      "syntax",
      { from: end - 1, to: end },
      `A "," is missing after this, before ${this.found()}.`,
      "Commas stand between them.",
      undefined,
      { title: 'Write ","', edits: [{ from: end, to: end, text: "," }] },
    );
  }
}

/** True for a word that begins a declaration or an item of a state. */
function isItem(text: string): boolean {
  const role = WORDS.get(text)?.role;
  return role === "item" || role === "top";
}
