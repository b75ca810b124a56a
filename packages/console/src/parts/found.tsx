/** Below the editor: where a name stands, and asking for another name. */

import type { FileSpan } from "@zany/core";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Button } from "./basics.js";
import { type Files, MAIN_NAME, pathOfName } from "./files.js";

/** Where a name stands: every line with it, to jump there. */
export function Found({
  title,
  spans,
  files,
  onPick,
  onClose,
}: {
  title: string;
  spans: readonly FileSpan[];
  files: Files;
  onPick: (span: FileSpan) => void;
  onClose: () => void;
}): ReactNode {
  const lineOf = ({ file, from }: FileSpan): { number: number; text: string } => {
    const text = files[pathOfName(file)] ?? "";
    const start = text.lastIndexOf("\n", from - 1) + 1;
    const end = text.indexOf("\n", from);
    return { number: text.slice(0, start).split("\n").length, text: text.slice(start, end < 0 ? undefined : end) };
  };
  return (
    <section aria-label={`Places of ${title}`} className="max-h-52 overflow-auto border-t border-line">
      <div className="flex items-center px-4 py-1">
        <span className="font-medium">
          {spans.length === 0 ? "There is no name here" : `${title}: ${spans.length} places`}
        </span>
        <Button onClick={onClose} className="ml-auto">
          Close
        </Button>
      </div>
      {spans.map((span) => {
        const { number, text } = lineOf(span);
        return (
          <button
            key={`${span.file} ${span.from}`}
            type="button"
            onClick={() => onPick(span)}
            className="flex w-full gap-3 px-4 py-0.5 text-left hover:bg-sunken"
          >
            <span className="w-16 shrink-0 text-soft">
              {`${span.file === MAIN_NAME ? "" : span.file} line ${number}`}
            </span>
            <code className="truncate">{text.trim()}</code>
          </button>
        );
      })}
    </section>
  );
}

/** Asks for a new name, and says why it cannot be when it cannot. */
export function Rename({
  onName,
  onClose,
}: {
  onName: (name: string) => string | undefined;
  onClose: () => void;
}): ReactNode {
  const [name, setName] = useState("");
  const [refused, setRefused] = useState<string>();
  const field = useRef<HTMLInputElement>(null);
  // It was opened by a key, so the keyboard goes on here.
  useEffect(() => field.current?.focus(), []);
  return (
    <form
      className="flex items-center gap-3 border-t border-line px-4 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        const why = onName(name);
        if (why === undefined) onClose();
        else setRefused(why);
      }}
    >
      <label className="flex items-center gap-2">
        New name
        <input
          ref={field}
          value={name}
          onChange={(event) => setName(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && onClose()}
          className="rounded border border-line bg-panel px-2 py-1"
        />
      </label>
      <Button type="submit">Rename everywhere</Button>
      <Button onClick={onClose}>Leave it</Button>
      {refused === undefined ? null : <span className="text-bad">{refused}</span>}
    </form>
  );
}
