/** The texts of a machine's files while they are edited, and where in them something stands. */

import { type Asked, type Compilation, type FileSpan, type Message, movedBy, rename } from "@zany/core";
import { type RefObject, useState } from "react";
import type { EditorHandle } from "./editor.js";

/** The texts of a machine's files by their paths. */
export type Files = Readonly<Record<string, string>>;

/** The path under which the machine's own file is kept here. */
export const MAIN = "";

/** The name of the machine's own file, in messages and tabs. */
export const MAIN_NAME = "machine";

/** The name under which messages speak of a file. */
export const nameOf = (path: string): string => (path === MAIN ? MAIN_NAME : path);

/** The path of a file that is spoken of by its name; the machine's own has no folder, so a part's name is its path. */
export const pathOfName = (name: string): string => (name === MAIN_NAME ? MAIN : name);

export function pathAt({ sources }: Compilation, position: number): string {
  return pathOfName(sources.place(position).file);
}

export function baseOf({ sources }: Compilation, path: string): number {
  return sources.files.find((file) => file.name === nameOf(path))?.base ?? 0;
}

/** The messages of one file, with offsets in it. */
export function messagesIn(compilation: Compilation, messages: readonly Message[], path: string): Message[] {
  const base = baseOf(compilation, path);
  return messages.filter((m) => pathAt(compilation, m.from) === path).map((m) => movedBy(m, -base));
}

/** The files being edited, which of them is open, and what is done to them. */
export interface Editing {
  readonly files: Files;
  readonly open: string;
  readonly text: string;
  setOpen(path: string): void;
  setText(text: string): void;
  /** Takes over changed texts, by the names of their files. */
  replace(texts: Iterable<readonly [name: string, text: string]>): void;
  /** What an editor asks about is asked of these texts. @param own what stands in the open file now */
  asked(own?: string): Asked;
  /** Opens the file that something stands in and goes there. */
  show(span: FileSpan): void;
  /** Renames what stands at a position of the open file; gives the reason when it cannot be. */
  rename(position: number, name: string): string | undefined;
}

export function useFiles(stored: Files, editor: RefObject<EditorHandle | null>): Editing {
  const [files, setFiles] = useState(stored);
  const [open, setOpen] = useState(MAIN);
  const asked = (own?: string): Asked => {
    const now: Files = own === undefined ? files : { ...files, [open]: own };
    return {
      text: now[MAIN] ?? "",
      name: MAIN_NAME,
      findPart: (path) => (Object.hasOwn(now, path) ? now[path] : undefined),
      file: nameOf(open),
    };
  };
  return {
    files,
    open,
    text: files[open] ?? "",
    setOpen,
    setText: (now) => setFiles((before) => ({ ...before, [open]: now })),
    replace: (texts) =>
      setFiles((before) => ({
        ...before,
        ...Object.fromEntries([...texts].map(([name, now]) => [pathOfName(name), now])),
      })),
    asked,
    show: ({ file, from }) => {
      const path = pathOfName(file);
      const go = (): void => editor.current?.goTo(from);
      if (path === open) go();
      else {
        setOpen(path);
        // The other file's editor exists after the next render.
        setTimeout(go);
      }
    },
    rename: (position, name) => {
      const result = rename(asked(), position, name);
      if ("refused" in result) return result.refused;
      setFiles((before) => {
        const now: Record<string, string> = { ...before };
        for (const { file, from, to } of [...result.edits].reverse()) {
          const path = pathOfName(file);
          const text = now[path] ?? "";
          now[path] = text.slice(0, from) + name + text.slice(to);
        }
        return now;
      });
      return undefined;
    },
  };
}
