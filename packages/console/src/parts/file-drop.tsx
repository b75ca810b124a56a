/** A place to drop a file of text on, or to choose one with. */

import { FileUp } from "lucide-react";
import { type DragEvent, type ReactNode, useState } from "react";

export function FileDrop({
  words,
  accept,
  largest,
  onFile,
}: {
  words: string;
  /** The kinds of files that are offered, as `accept` of an input lists them. */
  accept: string;
  /** The largest file that is read, in bytes. */
  largest: number;
  onFile: (text: string, name: string) => void;
}): ReactNode {
  const [over, setOver] = useState(false);
  const [wrong, setWrong] = useState<string>();
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    if (file.size > largest)
      return setWrong(
        `"${file.name}" has ${file.size.toLocaleString("en-GB")} bytes; at most ${largest / 1e6} MB fit.`,
      );
    try {
      const text = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(await file.arrayBuffer());
      setWrong(undefined);
      onFile(text, file.name);
    } catch {
      setWrong(`"${file.name}" is no UTF-8 text.`);
    }
  };
  const drop = (event: DragEvent): void => {
    event.preventDefault();
    setOver(false);
    void take(event.dataTransfer.files[0]);
  };
  return (
    <label
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
      className={
        "flex cursor-pointer items-center gap-2 rounded border border-dashed px-3 py-2 focus-within:outline-2 " +
        `focus-within:outline-sail ${over ? "border-sea bg-sea-wash" : "border-line text-soft hover:text-ink"}`
      }
    >
      <FileUp size={16} aria-hidden className="shrink-0" />
      <span>{wrong ?? words}</span>
      <input
        type="file"
        accept={accept}
        className="sr-only"
        onChange={(event) => {
          void take(event.target.files?.[0]);
          // The same file, changed since, can be chosen again.
          event.target.value = "";
        }}
      />
    </label>
  );
}
