/**
 * How a local match is shown. In a terminal it is one screen, drawn anew in place: where it stands, the story so far,
 * what can be done. Anywhere else only what has changed is printed.
 */

import { type ActionOption, type LocalMatch, options, type Situation, view, viewChanges } from "@zany/core";
import { changeLines, dataLines, type Drawing, headLines, optionLines, outcomeLines } from "../show.js";
import { columns, printable, say, style, wrap } from "../terminal.js";

/** Shows a match to whoever sits at it. */
export interface Printer {
  /** Something happened, or has to be said. */
  tell(lines: readonly string[]): void;
  /** What was typed has been done. */
  done(line: string): void;
  /**
   * The match as it is now, to the seat that is asked, or to everyone.
   *
   * @param waiting what it waits for, when it is nobody's turn who sits here
   */
  show(seat: string | undefined, waiting: readonly string[]): void;
  /** Everything, whatever has been shown before. */
  showAll(seat: string | undefined): void;
  /** Leaves the terminal as it was, with the last of the match on it. */
  close(): void;
}

/** @param watched more lines to show at every step */
export function printer(match: LocalMatch, watched: () => readonly string[]): Printer {
  return process.stdin.isTTY === true && process.stdout.isTTY === true && process.env["TERM"] !== "dumb"
    ? new Screen(match, watched)
    : new Changes(match, watched);
}

function overlaysOf(match: LocalMatch): ReadonlySet<string> {
  return new Set(match.runnable.machine.states.filter((s) => s.kind === "overlay").map((s) => s.name));
}

// ---- off a terminal ------------------------------------------------------------------------------

class Changes implements Printer {
  private shown: Situation | undefined;
  private head = "";
  private offered = "";
  private waiting = "";
  private readonly overlays: ReadonlySet<string>;

  constructor(
    private readonly match: LocalMatch,
    private readonly watched: () => readonly string[],
  ) {
    this.overlays = overlaysOf(match);
  }

  tell(lines: readonly string[]): void {
    for (const line of lines) for (const part of wrap(line, columns(), "    ")) say(part);
  }

  done(): void {}

  show(seat: string | undefined, waiting: readonly string[]): void {
    if (!this.shown) {
      this.showAll(seat);
      this.sayWaiting(waiting);
      return;
    }
    const { runnable, situation } = this.match;
    const now = view(runnable, situation, seat ?? null);
    const changes = viewChanges(view(runnable, this.shown, seat ?? null), now);
    // What went with its state is told by the states.
    for (const line of changeLines(
      changes.filter((c) => c.after !== undefined),
      columns(),
    ))
      say(line);
    const head = headLines({ ...now, step: 0 }, this.drawing()).join("\n");
    if (head !== this.head) for (const line of headLines(now, this.drawing())) say(line);
    this.head = head;
    this.shown = situation;
    this.rest(seat);
    this.sayWaiting(waiting);
  }

  showAll(seat: string | undefined): void {
    const { situation } = this.match;
    const now = this.match.seenBy(seat ?? null);
    for (const line of [...headLines(now, this.drawing()), ...dataLines(now, this.drawing())]) say(line);
    this.head = headLines({ ...now, step: 0 }, this.drawing()).join("\n");
    this.shown = situation;
    this.offered = "";
    this.rest(seat);
  }

  close(): void {}

  private drawing(): Drawing {
    return { width: columns(), overlays: this.overlays };
  }

  private sayWaiting(words: readonly string[]): void {
    if (words.join() === this.waiting) return;
    this.waiting = words.join();
    for (const line of words) for (const part of wrap(style("dim", `  ${line}`), columns(), "    ")) say(part);
  }

  private rest(seat: string | undefined): void {
    const { runnable, situation } = this.match;
    for (const line of this.watched()) say(line);
    if (situation.outcome) {
      for (const line of outcomeLines(situation.outcome, this.drawing())) say(line);
      return;
    }
    const lines = seat === undefined ? [] : optionLines(options(runnable, situation, seat), this.drawing());
    const offered = `${seat}\n${lines.join("\n")}`;
    if (offered !== this.offered) for (const line of lines) say(line);
    this.offered = offered;
  }
}

// ---- in a terminal -------------------------------------------------------------------------------

const OTHER_SCREEN = "\u001b[?1049h";
const FIRST_SCREEN = "\u001b[?1049l";
const CLEAR = "\u001b[H\u001b[2J";
/** Lines of the story that are kept, and those that are shown whatever else wants room. */
const STORY = 200;
const LEAST_STORY = 3;

class Screen implements Printer {
  private story: string[] = [];
  private readonly overlays: ReadonlySet<string>;

  constructor(
    private readonly match: LocalMatch,
    private readonly watched: () => readonly string[],
  ) {
    this.overlays = overlaysOf(match);
    process.stdout.write(OTHER_SCREEN);
  }

  tell(lines: readonly string[]): void {
    this.story = [...this.story, ...lines].slice(-STORY);
  }

  done(line: string): void {
    this.tell([style("dim", line)]);
  }

  show(seat: string | undefined, waiting: readonly string[]): void {
    const height = process.stdout.rows ?? 24;
    const parts = this.parts(seat);
    const { head, data } = parts;
    const words = waiting.flatMap((line) => wrap(style("dim", `  ${line}`), columns(), "    "));
    const actions = [...parts.actions, ...words];
    // The story takes what is left; the data give way before what can be done does.
    const room = height - head.length - actions.length - 3;
    const fitting =
      data.length <= room - LEAST_STORY ? data : [...data.slice(0, Math.max(0, room - LEAST_STORY - 1)), MORE];
    const story = this.storyLines().slice(-Math.max(1, room - fitting.length));
    const lines = [...head, ...fitting, "", ...story, "", ...actions];
    process.stdout.write(CLEAR + printable(`${lines.slice(-(height - 1)).join("\n")}\n`));
  }

  showAll(seat: string | undefined): void {
    const { head, data } = this.parts(seat);
    process.stdout.write(CLEAR + printable(`${[...head, ...data].join("\n")}\n\n`));
  }

  close(): void {
    process.stdout.write(FIRST_SCREEN);
    const { head, data, actions } = this.parts(undefined);
    for (const line of [...head, ...data, ...this.storyLines().slice(-12), ...actions]) say(line);
  }

  private storyLines(): string[] {
    return this.story.flatMap((line) => wrap(line, columns(), "    "));
  }

  private parts(seat: string | undefined): { head: string[]; data: string[]; actions: string[] } {
    const { runnable, situation } = this.match;
    const changes = seat === undefined ? [] : this.match.changedSince(seat);
    const drawing: Drawing = {
      width: columns(),
      overlays: this.overlays,
      changed: new Map(changes.map((change) => [change.path, change])),
    };
    const now = this.match.seenBy(seat ?? null);
    const offered: readonly ActionOption[] = seat === undefined ? [] : options(runnable, situation, seat);
    return {
      head: headLines(now, drawing),
      data: [...dataLines(now, drawing), ...this.watched()],
      actions: situation.outcome ? outcomeLines(situation.outcome, drawing) : optionLines(offered, drawing),
    };
  }
}

const MORE = style("dim", "  ... look shows all");
