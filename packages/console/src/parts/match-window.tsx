/** The match that shows something: its steps, to be opened in the replay, kept as a test, or saved. */

import { type Evidence, readLogbook, type StepRun, stepRuns } from "@zany/core";
import type { ReactNode } from "react";
import { useMutation } from "@tanstack/react-query";
import { useLocation } from "wouter";
import { client } from "../service.js";
import { Button, counted, ErrorText } from "./basics.js";
import { Modal } from "./modal.js";
import { save } from "./save.js";

export interface ShownMatch {
  readonly title: string;
  readonly evidence: Evidence;
}

export function MatchWindow({
  title,
  evidence: { steps, begun, logbook, test, twin },
  stored,
  onTest,
  onClose,
}: ShownMatch & {
  /** The text is a stored version, which can replay it. */
  readonly stored: boolean;
  readonly onTest: (test: string) => void;
  readonly onClose: () => void;
}): ReactNode {
  const [, navigate] = useLocation();
  const open = useMutation({
    mutationFn: () => client.addLogbook(logbook, title.slice(0, 80)),
    onSuccess: ({ id }) => navigate(`/logbooks/${id}?step=${readLogbook(logbook).steps.length - 1}`),
  });
  return (
    <Modal
      title="A match that shows it"
      look="top-[10%] max-h-[80vh] w-[min(40rem,94vw)] flex flex-col p-5"
      onClose={onClose}
    >
      <p className="mt-1 text-soft">{title}</p>
      {begun === undefined ? null : <p className="mt-1">It begins with {begun}.</p>}
      <Steps label="Steps" steps={steps} />
      {twin ? (
        <>
          <p>Its twin, which looks the same until then:</p>
          <Steps label="Steps of its twin" steps={twin.steps} />
        </>
      ) : null}
      <ErrorText error={open.error} />
      <div className="flex flex-wrap items-center gap-2">
        <span className="mr-auto text-soft">{counted(steps.length, "step")}</span>
        <Button disabled={logbook === ""} onClick={() => save(new Blob([logbook]), "match.jsonl")}>
          Save logbook
        </Button>
        {twin ? <Button onClick={() => save(new Blob([twin.logbook]), "twin.jsonl")}>Save its twin</Button> : null}
        <Button
          disabled={test === ""}
          onClick={() => {
            onTest(test);
            onClose();
          }}
        >
          Add as a test
        </Button>
        <Button
          look="main"
          disabled={!stored || logbook === "" || open.isPending}
          title={stored ? undefined : "Store this version first"}
          onClick={() => open.mutate()}
        >
          Open in the replay
        </Button>
      </div>
    </Modal>
  );
}

function Steps({ label, steps }: { label: string; steps: readonly string[] }): ReactNode {
  return (
    <ol aria-label={label} className="my-3 min-h-0 flex-1 overflow-auto rounded bg-sunken px-3 py-2 font-mono text-sm">
      {steps.length === 0 ? <li>It is so at the very beginning.</li> : null}
      {numbered(steps).map(({ first, words, times }) => (
        <li key={first}>
          <span className="inline-block w-8 text-soft">{first}</span>
          {words}
          {times === 1 ? null : <span className="text-soft"> {times} times</span>}
        </li>
      ))}
    </ol>
  );
}

/** Steps that are repeated as one, with the number of the first. */
function numbered(steps: readonly string[]): readonly (StepRun & { readonly first: number })[] {
  let next = 1;
  return stepRuns(steps).map((run) => {
    const first = next;
    next += run.times;
    return { ...run, first };
  });
}
