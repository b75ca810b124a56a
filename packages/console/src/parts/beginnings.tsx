/** Ways to begin: a template, a file that is dropped. */

import type { ReactNode } from "react";
import { useLocation } from "wouter";
import { keepDraft, TEMPLATES } from "../templates.js";
import { To } from "./basics.js";
import { FileDrop } from "./file-drop.js";

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

/** Takes a machine's file to the page of a new machine. */
export function MachineDrop(): ReactNode {
  const [, go] = useLocation();
  return (
    <FileDrop
      words="Drop a .zany file here, or choose one"
      accept=".zany,text/plain"
      largest={LARGEST}
      onFile={(text) => {
        keepDraft(text);
        go("/machines/new");
      }}
    />
  );
}
