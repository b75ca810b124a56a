/** Jobs of the service as the page sees them: the last of a kind, followed while it goes on; what it came to. */

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { JobInfo, JobKind, JobResult, NewJob } from "@zany/client";
import { useCallback, useEffect, useState } from "react";
import { client } from "../service.js";

export interface Job {
  /** The last of its kind that goes on, came to something, or was begun here; undefined when there is none. */
  readonly info: JobInfo | undefined;
  /** What it came to; of one that verifies, so far. */
  readonly result: JobResult | undefined;
  readonly running: boolean;
  /** Why it could not be begun, or came to nothing. */
  readonly error: unknown;
  /** Whether the service does such work for whoever looks. */
  readonly isOffered: boolean;
  start(job: NewJob): void;
  cancel(): void;
}

/** Among so many jobs one is looked for that goes on or came to something. */
const LOOKED_AT = 20;
/** How often what came so far is asked for again, in milliseconds. */
const SO_FAR_EVERY = 2_000;

/** @param machine only jobs of this version; null for those of any, undefined for no jobs at all */
export function useJob(kind: JobKind, machine: string | null | undefined): Job {
  const queries = useQueryClient();
  const latest = useQuery({
    queryKey: ["jobs", kind, machine],
    queryFn: async () => {
      const { items } = await client.jobs({ kind, ...(machine && { machine }), limit: LOOKED_AT });
      // What others wished wrongly, or gave up, hides nothing that came to something.
      return items.find(({ state }) => state !== "failed" && state !== "cancelled") ?? null;
    },
    enabled: machine !== undefined,
    retry: false,
  });
  const [followed, setFollowed] = useState<JobInfo>();
  const known = latest.data ?? undefined;
  const info = followed && followed.id === known?.id ? followed : known;
  const id = info?.id;
  const running = info !== undefined && info.ended === null;
  useEffect(() => {
    if (id === undefined || !running) return undefined;
    const leaving = new AbortController();
    const follow = async (): Promise<void> => {
      for await (const now of client.followJob(id, { signal: leaving.signal })) setFollowed(now);
    };
    follow().catch(() => {});
    return () => leaving.abort();
  }, [id, running]);
  const result = useQuery({
    queryKey: ["job result", id, info?.state],
    queryFn: () => client.jobResult(id ?? ""),
    enabled: info?.state === "done" || (kind === "verify" && id !== undefined),
    refetchInterval: running ? SO_FAR_EVERY : false,
    placeholderData: (before) => (kind === "verify" ? before : undefined),
  });
  const begin = useMutation({
    mutationFn: (job: NewJob) => client.addJob(job),
    onSuccess: (job) => queries.setQueryData(["jobs", kind, machine], job),
  });
  const stop = useMutation({
    mutationFn: () => client.cancelJob(id ?? ""),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["jobs", kind, machine] }),
  });
  const { mutate: start } = begin;
  const { mutate: end } = stop;
  return {
    info,
    result: result.data,
    running: running || begin.isPending,
    error: begin.error ?? info?.problem ?? undefined,
    isOffered: machine !== undefined && !latest.isError,
    start: useCallback((job) => start(job), [start]),
    cancel: useCallback(() => end(), [end]),
  };
}
