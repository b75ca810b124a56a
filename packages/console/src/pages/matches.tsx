/** All matches, the newest first, and a way to begin one. */

import { useMutation, useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { type FormEvent, type ReactNode, useState } from "react";
import { useLocation } from "wouter";
import { Button, Ended, Page, Quiet, Table, To, Trouble, When } from "../parts/basics.js";
import { client, keepKeys } from "../service.js";

export function MatchesPage(): ReactNode {
  const { data, error } = useQuery({ queryKey: ["matches"], queryFn: () => client.matches(), refetchInterval: 5_000 });
  return (
    <Page title="Matches" aside={<BeginMatch />}>
      <Trouble error={error} />
      {data && data.length === 0 ? <Quiet>No match has been begun here yet.</Quiet> : null}
      {data && data.length > 0 ? (
        <Table heads={["Match", "Machine", "Step", "Stands", "Last step"]}>
            {data.map((match) => (
              <tr key={match.id}>
                <td className="font-mono">
                  <To href={`/matches/${match.id}`}>
                    {match.id}
                  </To>
                </td>
                <td>
                  {match.name}
                  <span className="text-soft">@{match.number}</span>
                </td>
                <td className="tabular-nums">{match.step}</td>
                <td>{match.outcome ? <Ended outcome={match.outcome} /> : match.suspended === null ? "running" : <span className="text-bad">suspended</span>}</td>
                <td className="text-soft">
                  <When at={match.updated} />
                </td>
              </tr>
            ))}
          </Table>
      ) : null}
    </Page>
  );
}

function BeginMatch(): ReactNode {
  const [open, setOpen] = useState(false);
  const [machine, setMachine] = useState("");
  const [seed, setSeed] = useState("");
  const [, navigate] = useLocation();
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines(), enabled: open });
  const chosen = machine || machines.data?.[0]?.hash || "";
  const begin = useMutation({
    mutationFn: () => client.beginMatch({ machine: chosen, ...(seed !== "" && { seed }) }),
    onSuccess: (match) => {
      keepKeys(match.id, match.keys);
      navigate(`/matches/${match.id}`);
    },
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    begin.mutate();
  };
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button look="main">Begin a match</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-black/40" />
        <Dialog.Content aria-describedby={undefined} className="fixed top-1/3 left-1/2 w-96 -translate-x-1/2 -translate-y-1/3 rounded-lg border border-line bg-panel p-5 shadow-xl">
          <Dialog.Title className="mb-3 text-lg font-semibold">Begin a match</Dialog.Title>
          <form onSubmit={submit} className="space-y-3">
            <label className="block">
              <span className="text-soft">Machine</span>
              <select value={chosen} onChange={(e) => setMachine(e.target.value)} className="mt-1 w-full rounded border border-line bg-cloth px-2 py-1.5">
                {machines.data?.map((m) => (
                  <option key={m.hash} value={m.hash}>
                    {m.name}@{m.number}
                  </option>
                ))}
              </select>
            </label>
            <label className="block">
              <span className="text-soft">Seed of the dice (left empty: a new one)</span>
              <input value={seed} onChange={(e) => setSeed(e.target.value)} className="mt-1 w-full rounded border border-line bg-cloth px-2 py-1.5" />
            </label>
            <p className="text-soft">All seats are yours to play in this browser.</p>
            <Trouble error={begin.error ?? machines.error} />
            <div className="flex justify-end gap-2">
              <Dialog.Close asChild>
                <Button>Not now</Button>
              </Dialog.Close>
              <Button type="submit" look="main" disabled={chosen === "" || begin.isPending}>
                Begin
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
