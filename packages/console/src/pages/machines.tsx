/** All machines of the service. */

import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "wouter";
import { ErrorText, Hint, Loading, Page } from "../parts/basics.js";
import { MachineCards } from "../parts/machine-cards.js";
import { client } from "../service.js";

export default function MachinesPage(): ReactNode {
  const { data, error } = useQuery({
    queryKey: ["machines"],
    queryFn: () => client.machines(),
    refetchInterval: 5_000,
  });
  return (
    <Page
      title="Machines"
      aside={
        <Link href="/machines/new" className="rounded bg-sea px-3 py-1.5 font-medium text-panel hover:opacity-90">
          New machine
        </Link>
      }
    >
      <ErrorText error={error} />
      {!data && !error ? <Loading /> : null}
      {data && data.length === 0 ? (
        <Hint>No machine is stored here yet. Write one, or upload a file with: zany upload FILE</Hint>
      ) : null}
      {data && data.length > 0 ? <MachineCards machines={data} /> : null}
    </Page>
  );
}
