/** Ways to begin: a template, a file that is dropped. */

import { FileUp } from "lucide-react";
import { type DragEvent, type ReactNode, useState } from "react";
import { useLocation } from "wouter";
import { keepDraft, TEMPLATES } from "../templates.js";
import { To } from "./basics.js";

/** The largest file that is read, in bytes: what a machine may have. */
const LARGEST = 4_000_000;

export function Templates(): ReactNode {
  return (
    <ul className="grid grid-cols-1 gap-2 sm:grid-cols-2">
      {TEMPLATES.map(({ name, words }) => (
        <li key={name} className="rounded border border-line bg-panel px-3 py-2">
          <To href={`/machines/new?template=${name}`}>{name.replaceAll("-", " ")}</To>
          <p className="text-soft">{words}</p>
        </li>
      ))}
    </ul>
  );
}

/** Takes a machine's file, by mouse or from a list of files, to the page of a new machine. */
export function FileDrop(): ReactNode {
  const [, go] = useLocation();
  const [over, setOver] = useState(false);
  const [wrong, setWrong] = useState<string>();
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    if (file.size > LARGEST) return setWrong(`"${file.name}" is larger than a machine can be.`);
    try {
      keepDraft(new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(await file.arrayBuffer()));
      go("/machines/new");
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
      className={`flex cursor-pointer items-center gap-2 rounded border border-dashed px-3 py-2 focus-within:outline-2 focus-within:outline-sail ${over ? "border-sea bg-sea-wash" : "border-line text-soft hover:text-ink"}`}
    >
      <FileUp size={16} aria-hidden />
      <span>{wrong ?? "Drop a .zany file here, or choose one"}</span>
      <input
        type="file"
        accept=".zany,text/plain"
        className="sr-only"
        onChange={(event) => void take(event.target.files?.[0])}
      />
    </label>
  );
}
