/** The window in which a match that is suspended is let go on: as it is, or on another version of its machine. */

import { useQuery } from "@tanstack/react-query";
import { type SeenMatch, ServiceProblem } from "@zany/client";
import { type ReactNode, useState } from "react";
import { client } from "../service.js";
import { Button, ErrorText, To } from "./basics.js";
import { Modal } from "./modal.js";

export default function ResumeWindow({
  match: { id, machine, suspended, view },
  ownerKey,
  onClose,
}: {
  match: SeenMatch;
  ownerKey: string;
  onClose: () => void;
}): ReactNode {
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const [chosen, setChosen] = useState(machine.hash);
  const [problem, setProblem] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const resume = (anyway: boolean): void => {
    setBusy(true);
    client
      .resume(id, ownerKey, chosen === machine.hash ? undefined : chosen, anyway)
      .then(onClose, (error: unknown) => {
        setProblem(error);
        setBusy(false);
      });
  };
  const otherwise = problem instanceof ServiceProblem && problem.code === "diverges";
  return (
    <Modal title="Resume this match?" look="top-1/4 w-[min(34rem,94vw)] p-5" onClose={onClose}>
      <p className="mt-2">
        It stopped after step {view.step}: {suspended} Its steps are in{" "}
        <To href={`/matches/${id}/replay`}>its replay</To>.
      </p>
      <label className="mt-3 flex items-center gap-2">
        <span className="text-soft">On</span>
        <select
          value={chosen}
          onChange={(e) => {
            setChosen(e.target.value);
            setProblem(null);
          }}
          className="rounded border border-line bg-cloth px-2 py-1.5"
        >
          {machines.data
            ?.filter(({ name }) => name === machine.name)
            .map(({ hash, name, version, words }) => (
              <option key={hash} value={hash}>
                {name}@{version}
                {hash === machine.hash ? ", as it is" : words === "" ? "" : `: ${words}`}
              </option>
            ))}
        </select>
      </label>
      <p className="mt-2 text-soft">On another version all that was played is played again.</p>
      <div className="mt-3 empty:hidden">
        <ErrorText error={problem} />
      </div>
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Leave it as it is</Button>
        {otherwise ? (
          <Button disabled={busy} onClick={() => resume(true)} className="border-bad! text-bad">
            Go on with that
          </Button>
        ) : (
          <Button look="main" disabled={busy} onClick={() => resume(false)}>
            Resume
          </Button>
        )}
      </div>
    </Modal>
  );
}
