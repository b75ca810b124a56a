/** Messages about a machine's text: what they are, and how they read in a terminal. */

import type { Sources, Span } from "./source.js";

/**
 * `error`: the machine does not run. `warning`: it runs, but something is very likely wrong. `hint`: it may well be
 * meant so.
 */
export type Severity = "error" | "warning" | "hint";

/** A change of the text that fixes what a message tells of. */
export interface Fix {
  /** What it does, such as `Write "lift"`. */
  readonly title: string;
  readonly edits: readonly (Span & { readonly text: string })[];
}

/** A match that shows what a message tells of. */
export interface Evidence {
  /** Its steps in words, the last of them the one that shows it. */
  readonly steps: readonly string[];
  /** How it begins, where that was chosen: `2 seats`, `guest open`. */
  readonly begun?: string;
  /** The logbook; of a step at fault, up to the step before. */
  readonly logbook: string;
  /** A test of it, to be put behind the machine's text. */
  readonly test: string;
  /** Of a secret that shows: the match that looks the same until then. */
  readonly twin?: Evidence;
}

/** One thing to say about a place in the text. */
export interface Message extends Span {
  /** The stable name of this kind of message, such as `unknown-name`. */
  readonly name: string;
  readonly severity: Severity;
  /** What is wrong, in one sentence. */
  readonly words: string;
  /** What to do about it. */
  readonly help?: string;
  /** Another place that belongs to the story. */
  readonly related?: Span & { readonly words: string };
  /** The fix, when it is certain. */
  readonly fix?: Fix;
  /** There is a match that shows it: in so many steps. */
  readonly shown?: number;
  /** The match itself, where it was asked for. */
  readonly evidence?: Evidence;
}

/** A message as it is for a text that begins so much later, in UTF-16 units; evidence stays as it is. */
export function movedBy(message: Message, by: number): Message {
  const moved = <S extends Span>(span: S): S => ({ ...span, from: span.from + by, to: span.to + by });
  const { related, fix } = message;
  return {
    ...moved(message),
    ...(related && { related: moved(related) }),
    ...(fix && { fix: { ...fix, edits: fix.edits.map(moved) } }),
  };
}

/** What a message may carry besides its words. */
interface Extras {
  readonly help?: string | undefined;
  readonly related?: Message["related"] | undefined;
  readonly fix?: Fix | undefined;
}

/** Collects messages; a second message of the same kind at the same place is dropped. */
export class Messages {
  readonly list: Message[] = [];
  /** Set when the machine is more than the checker reasons about: some warnings were not looked for. */
  givenUp = false;
  private readonly seen = new Set<string>();

  add(message: Message): void {
    const key = `${message.name} ${message.from}`;
    if (this.seen.has(key)) return;
    this.seen.add(key);
    this.list.push(message);
  }

  /** @returns the message, unless there is one already */
  error(
    name: string,
    at: Span,
    words: string,
    help?: string,
    related?: Message["related"],
    fix?: Fix,
  ): Message | undefined {
    return this.say("error", name, at, words, { help, related, fix });
  }

  warning(name: string, at: Span, words: string, help?: string, related?: Message["related"], fix?: Fix): void {
    this.say("warning", name, at, words, { help, related, fix });
  }

  hint(name: string, at: Span, words: string, help?: string, related?: Message["related"]): void {
    this.say("hint", name, at, words, { help, related });
  }

  private say(severity: Severity, name: string, at: Span, words: string, { help, related, fix }: Extras) {
    const message: Message = {
      name,
      severity,
      from: at.from,
      to: at.to,
      words,
      ...(help && { help }),
      ...(related && { related }),
      ...(fix && { fix }),
    };
    this.add(message);
    return this.list.at(-1) === message ? message : undefined;
  }

  /** Puts a message in the place of another, if that is still there. */
  replace(message: Message, by: Message): void {
    const index = this.list.indexOf(message);
    if (index >= 0) this.list[index] = by;
  }

  /** Takes messages out; true when there were any. */
  remove(which: (message: Message) => boolean): boolean {
    const kept = this.list.filter((m) => !which(m));
    const removed = kept.length < this.list.length;
    this.list.splice(0, this.list.length, ...kept);
    return removed;
  }

  get failed(): boolean {
    return this.list.some((m) => m.severity === "error");
  }

  /** The messages in the order of the text. */
  sorted(): Message[] {
    return [...this.list].sort((a, b) => a.from - b.from || (a.name < b.name ? -1 : 1));
  }
}

/** A message as a few lines of text: headline, excerpt with the place underlined, words and help. */
export function renderMessage(sources: Sources, message: Message): string {
  const place = sources.place(message.from);
  const lines = [`${message.severity} ${message.name} at ${place.file}:${place.line}:${place.column}`];
  lines.push(...excerpt(sources, message));
  lines.push(`  ${message.words}`);
  if (message.help) lines.push(`  ${message.help}`);
  if (message.related) {
    const other = sources.place(message.related.from);
    lines.push(`  ${message.related.words} (line ${other.line})`);
  }
  return lines.join("\n");
}

function excerpt(sources: Sources, span: Span): string[] {
  const place = sources.place(span.from);
  const text = sources.lineText(span.from);
  const width = Math.max(1, Math.min(span.to - span.from, text.length - place.column + 1));
  const gutter = String(place.line);
  const lead = text.slice(0, place.column - 1).replace(/[^\t]/g, " ");
  return [`  ${gutter} | ${text}`, `  ${" ".repeat(gutter.length)} | ${lead}${"~".repeat(width)}`];
}
