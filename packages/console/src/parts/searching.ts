/**
 * Long work on the machine that is open: as a job of the service for a version that is stored there, where it is kept
 * with the version; for a text that is being written, in a worker beside the page.
 */

import type { NewJob } from "@zany/client";
import type { JobWish, Wish, WorkProgress, WorkResults } from "@zany/core";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { SearchAnswer, SearchRequest } from "../search-worker.js";
import { MAIN, MAIN_NAME, type Files } from "./files.js";
import { useJob } from "./jobs.js";

/** What was found of the texts that are open, by text and kind: a tab that is looked at again shows it still. */
const kept = new Map<string, unknown>();
/** For a page that stays open all day. */
const MOST_KEPT = 30;

export interface Searching<R, W extends Wish = JobWish> {
  readonly running: boolean;
  readonly progress: WorkProgress | undefined;
  readonly result: R | undefined;
  readonly problem: string | undefined;
  /** When the service has done it, which keeps what it came to with the version; undefined for work of the page. */
  readonly doneAt: string | undefined;
  /** The service does it, which has the kept matches. */
  readonly byService: boolean;
  run(wish: W): void;
  cancel(): void;
}

/** @param stored the version by its hash, when the texts are just those that are stored */
export function useSearching<K extends JobWish["kind"]>(
  kind: K,
  files: Files,
  stored: string | undefined,
): Searching<WorkResults[K]> {
  const inPage = useInPage(kind, files);
  const job = useJob(kind, stored);
  const { info, result, running, error, start, cancel } = job;
  const run = useCallback(
    (wish: JobWish): void => {
      if (stored !== undefined) start(jobOf(wish, stored));
    },
    [start, stored],
  );
  if (!job.isOffered) return inPage;
  const { share, words, soFar } = info ?? {};
  return {
    running,
    progress:
      running && words ? { words, ...(typeof share === "number" && { share }), ...(soFar && { soFar }) } : undefined,
    result: result && result.kind !== "verify" && !running ? (result.found as WorkResults[K]) : undefined,
    problem: running ? undefined : error instanceof Error ? error.message : (error as string | undefined),
    doneAt: info?.state === "done" ? (info.ended ?? undefined) : undefined,
    byService: true,
    run,
    cancel,
  };
}

/** A wish as a job; what was left empty is not asked for. */
function jobOf(wish: JobWish, machine: string): NewJob {
  if (wish.kind !== "explore") return { ...wish, machine };
  const { goal = "", ...rest } = wish;
  return { ...rest, machine, ...(goal.trim() !== "" && { goal }) };
}

/** The same in a worker beside the page. @param of what it is done with beside the texts, by a name of its own */
export function useInPage<K extends Wish["kind"]>(
  kind: K,
  files: Files,
  of = "",
): Searching<WorkResults[K], Wish & { readonly kind: K }> {
  const worker = useRef<Worker>(undefined);
  const [running, setRunning] = useState(false);
  const [progress, setProgress] = useState<WorkProgress>();
  const [problem, setProblem] = useState<string>();
  const [, redraw] = useState(0);
  const key = useMemo(() => `${kind} ${of} ${JSON.stringify(files)}`, [kind, of, files]);
  const cancel = useCallback((): void => {
    worker.current?.terminate();
    worker.current = undefined;
    setRunning(false);
    setProgress(undefined);
  }, []);
  useEffect(() => cancel, [cancel]);
  const run = useCallback(
    (wish: Wish): void => {
      cancel();
      setProblem(undefined);
      setRunning(true);
      const started = new Worker(new URL("../search-worker.ts", import.meta.url), { type: "module" });
      worker.current = started;
      const end = (words?: string): void => {
        // One that was stopped may have answered already: that is no end of the one that works now.
        if (worker.current !== started) return;
        setProblem(words);
        cancel();
        redraw((n) => n + 1);
      };
      started.onmessage = ({ data }: MessageEvent<SearchAnswer>) => {
        if ("progress" in data) setProgress(data.progress);
        else if ("problem" in data) end(data.problem);
        else {
          if (kept.size >= MOST_KEPT) kept.clear();
          kept.set(key, data.result);
          end();
        }
      };
      started.onerror = () => end("The search stopped: this machine is more than the page can hold.");
      started.postMessage({ wish, text: files[MAIN] ?? "", name: MAIN_NAME, parts: files } satisfies SearchRequest);
    },
    [cancel, files, key],
  );
  const result = kept.get(key) as WorkResults[K] | undefined;
  return { running, progress, result, problem, doneAt: undefined, byService: false, run, cancel };
}

/** Typing that pauses this long is looked at in earnest, in milliseconds. */
const PAUSE = 1_500;

/** The messages of a text with the matches that show them, once it was left alone for a while. */
export function useEvidence(files: Files, isRight: boolean): WorkResults["evidence"] | undefined {
  const { result, run, cancel } = useInPage("evidence", files);
  useEffect(() => {
    if (!isRight || result) return undefined;
    const timer = setTimeout(() => run({ kind: "evidence" }), PAUSE);
    return () => {
      clearTimeout(timer);
      cancel();
    };
  }, [isRight, result, run, cancel]);
  return result;
}
