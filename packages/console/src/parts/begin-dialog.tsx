/** The window that begins a match of a stored machine. */

import { useMutation, useQuery } from "@tanstack/react-query";
import type { NewMatch, StoredMachine } from "@zany/client";
import { Runnable } from "@zany/core";
import { type ReactNode, useMemo, useState } from "react";
import { useLocation } from "wouter";
import { compileStored } from "../compiled.js";
import { begin, client } from "../service.js";
import { ErrorText } from "./basics.js";
import { BeginForm, FIELD } from "./begin-form.js";
import { Modal } from "./modal.js";

/** @param machine hash of the version that is chosen first */
export default function BeginDialog({
  machine: preset,
  onClose,
}: {
  machine: string | undefined;
  onClose: () => void;
}): ReactNode {
  const [chosen, setChosen] = useState(preset ?? "");
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const hash = chosen || machines.data?.[0]?.hash || "";
  const stored = useQuery({
    queryKey: ["machine", hash],
    queryFn: () => client.machine(hash),
    enabled: hash !== "",
  });
  return (
    <Modal
      title="Begin a match"
      look="top-1/2 max-h-[92vh] w-[30rem] max-w-[95vw] -translate-y-1/2 overflow-auto p-5"
      onClose={onClose}
    >
      <label className="mt-3 block">
        <span className="text-soft">Machine</span>
        <select value={hash} onChange={(e) => setChosen(e.target.value)} className={FIELD}>
          {machines.data?.map((m) => (
            <option key={m.hash} value={m.hash}>
              {m.name}@{m.version}
            </option>
          ))}
        </select>
      </label>
      <ErrorText error={machines.error ?? stored.error} />
      {stored.data ? <Wishes key={hash} stored={stored.data} onClose={onClose} /> : null}
    </Modal>
  );
}

/** Begins a match of a stored version, as it is wished. */
function Wishes({ stored, onClose }: { stored: StoredMachine; onClose: () => void }): ReactNode {
  const runnable = useMemo(() => new Runnable(compileStored(stored).machine, false), [stored]);
  const [, navigate] = useLocation();
  const beginning = useMutation({
    mutationFn: (wish: NewMatch) => begin(wish),
    onSuccess: (match) => navigate(`/matches/${match}`),
  });
  return (
    <BeginForm
      runnable={runnable}
      hosted
      busy={beginning.isPending}
      problem={beginning.error}
      onClose={onClose}
      onBegin={(wish) => beginning.mutate({ machine: stored.hash, ...wish })}
    />
  );
}
