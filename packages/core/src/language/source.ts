/**
 * Source files and positions in them.
 *
 * A position is one number that is unique over all files of a machine: each file gets a range of
 * its own, so a syntax tree carries plain numbers and still knows which file they point into.
 * (The idea is that of the file set in Go's scanner packages.)
 */

/** One text file. Positions `base` to `base + text.length` belong to it. */
export interface SourceFile {
  readonly name: string;
  readonly text: string;
  readonly base: number;
}

/** A position as people and editors name it. Line and column count from 1; columns are UTF-16 units. */
export interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

/** A stretch of source, from its first position up to, not including, `to`. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

/** All files that make one machine. */
export class Sources {
  readonly files: SourceFile[] = [];
  private readonly lineStarts: number[][] = [];

  /** Adds a file and gives it its range of positions. */
  add(name: string, text: string): SourceFile {
    const last = this.files.at(-1);
    const base = last ? last.base + last.text.length + 1 : 0;
    const file = { name, text, base };
    this.files.push(file);
    this.lineStarts.push(startsOfLines(text));
    return file;
  }

  /** The file, line and column of a position. */
  place(position: number): Place {
    const { index, offset, line } = this.locate(position);
    const start = this.lineStarts[index]?.[line] ?? 0;
    return { file: this.files[index]?.name ?? "", line: line + 1, column: offset - start + 1 };
  }

  /** The position of a place; undefined when there is no such line. */
  position({ file, line, column }: Place): number | undefined {
    const index = this.files.findIndex((f) => f.name === file);
    const start = this.lineStarts[index]?.[line - 1];
    return start === undefined ? undefined : (this.files[index]?.base ?? 0) + start + column - 1;
  }

  /** The text between two positions of one file. */
  text(span: Span): string {
    const file = this.files[this.fileIndex(span.from)];
    return file ? file.text.slice(span.from - file.base, span.to - file.base) : "";
  }

  /** The same on one line, as messages quote it. */
  written(span: Span): string {
    return this.text(span).replace(/\s+/g, " ");
  }

  /** The whole line that holds a position, without its line end. */
  lineText(position: number): string {
    const { index, line } = this.locate(position);
    const starts = this.lineStarts[index] ?? [0];
    const text = this.files[index]?.text ?? "";
    const end = starts[line + 1] ?? text.length + 1;
    return text.slice(starts[line], end - 1).replace(/\r$/, "");
  }

  private fileIndex(position: number): number {
    let index = this.files.length - 1;
    while (index > 0 && (this.files[index]?.base ?? 0) > position) index--;
    return Math.max(index, 0);
  }

  private locate(position: number): { index: number; offset: number; line: number } {
    const index = this.fileIndex(position);
    const offset = position - (this.files[index]?.base ?? 0);
    const starts = this.lineStarts[index] ?? [0];
    let low = 0;
    let high = starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((starts[middle] ?? 0) <= offset) low = middle;
      else high = middle - 1;
    }
    return { index, offset, line: low };
  }
}

function startsOfLines(text: string): number[] {
  const starts = [0];
  for (let at = text.indexOf("\n"); at >= 0; at = text.indexOf("\n", at + 1)) starts.push(at + 1);
  return starts;
}
