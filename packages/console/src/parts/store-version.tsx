/** Stores a version of a machine: shows what changed in its texts, and asks for a line of words. */

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { diffLines } from "diff";
import { type FormEvent, type ReactNode, useMemo, useState } from "react";
import { useLocation } from "wouter";
import { client } from "../service.js";
import { Button, ErrorText } from "./basics.js";
import { type Files, MAIN, nameOf } from "./files.js";
import { Modal } from "./modal.js";

/** Unchanged lines that are shown around a change. */
const AROUND = 2;
const MOST_WORDS = 200;

interface StoreVersionProps {
  /** As they are stored; undefined for a machine that is not. */
  readonly before: Files | undefined;
  readonly files: Files;
  readonly parts: Files;
  readonly onClose: () => void;
}

export function StoreVersion({ before, files, parts, onClose }: StoreVersionProps): ReactNode {
  const [words, setWords] = useState("");
  const [, navigate] = useLocation();
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: () => client.addMachine(files[MAIN] ?? "", parts, words),
    onSuccess: async (machine) => {
      await queries.invalidateQueries();
      navigate(`/machines/${machine.name}@${machine.version}`);
    },
  });
  return (
    <Modal
      title="Store this version"
      look="top-1/2 flex max-h-[90vh] w-[46rem] max-w-[95vw] -translate-y-1/2 flex-col p-5"
      onClose={onClose}
    >
      <form
        className="flex min-h-0 flex-col gap-3"
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        <label className="mt-2 block">
          <span className="text-soft">What is new in it, in a line</span>
          <input
            value={words}
            maxLength={MOST_WORDS}
            onChange={(e) => setWords(e.target.value)}
            className="mt-1 w-full rounded border border-line bg-cloth px-2 py-1.5"
          />
        </label>
        {before ? <Changes before={before} files={files} /> : null}
        <ErrorText error={save.error} />
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" look="main" disabled={save.isPending}>
            Store
          </Button>
        </div>
      </form>
    </Modal>
  );
}

type Line = { readonly sign: "+" | "-" | " " | "\u2026"; readonly text: string };

const LOOKS: Readonly<Record<Line["sign"], string>> = {
  "+": "bg-sea-wash",
  "-": "bg-bad-wash",
  " ": "",
  "\u2026": "text-soft",
};

/** The lines that were added and taken away, file by file. */
function Changes({ before, files }: { before: Files; files: Files }): ReactNode {
  const changed = useMemo(
    () =>
      Object.keys(files)
        .filter((path) => files[path] !== before[path])
        .map((path) => ({ path, lines: linesOf(before[path] ?? "", files[path] ?? "") })),
    [before, files],
  );
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: without it, the keyboard could not scroll here
    <section aria-label="What changed" tabIndex={0} className="min-h-0 overflow-auto rounded border border-line">
      {changed.map(({ path, lines }) => (
        <div key={path}>
          {changed.length > 1 ? <h3 className="bg-sunken px-2 font-semibold">{nameOf(path)}</h3> : null}
          <pre className="w-max min-w-full font-mono text-xs">
            {lines.map(({ sign, text }, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: they do not move
              <span key={i} className={`block px-2 ${LOOKS[sign]}`}>
                {sign} {text}
              </span>
            ))}
          </pre>
        </div>
      ))}
    </section>
  );
}

function linesOf(before: string, now: string): readonly Line[] {
  const parts = diffLines(before, now);
  return parts.flatMap(({ value, added, removed }, i): Line[] => {
    const lines = value.replace(/\n$/, "").split("\n");
    const sign = added ? "+" : removed ? "-" : " ";
    const all = lines.map((text): Line => ({ sign, text }));
    if (sign !== " " || lines.length <= 2 * AROUND + 1) return all;
    const skipped: Line = { sign: "\u2026", text: "" };
    const head = i === 0 ? [] : all.slice(0, AROUND);
    const tail = i === parts.length - 1 ? [] : all.slice(-AROUND);
    return [...head, skipped, ...tail];
  });
}
