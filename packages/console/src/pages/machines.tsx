/** All machines of the service, each with its versions. */

import { useQuery } from "@tanstack/react-query";
import type { MachineInfo } from "@zany/client";
import type { ReactNode } from "react";
import { Link } from "wouter";
import { Head, Page, Quiet, Trouble, When } from "../parts/basics.js";
import { client } from "../service.js";

export function MachinesPage(): ReactNode {
  const { data, error } = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  return (
    <Page
      title="Machines"
      aside={
        <Link href="/machines/new" className="rounded bg-sea px-3 py-1.5 font-medium text-panel hover:opacity-90">
          New machine
        </Link>
      }
    >
      <Trouble error={error} />
      {data && data.length === 0 ? <Quiet>No machine is stored here yet. Write one, or upload a file with: zany upload FILE</Quiet> : null}
      {data && data.length > 0 ? (
        <table className="w-full rounded border border-line bg-panel">
          <Head names={["Machine", "Newest version", "Stored", "Older versions"]} />
          <tbody>
            {byName(data).map(([name, versions]) => {
              const [newest, ...older] = versions as [MachineInfo, ...MachineInfo[]];
              return (
                <tr key={name} className="border-b border-line last:border-0">
                  <td className="px-3 py-2 font-medium">
                    <Link href={`/machines/${name}`} className="text-sea underline-offset-2 hover:underline">
                      {name}
                    </Link>
                  </td>
                  <td className="px-3 py-2">
                    {newest.number} <code className="ml-1 text-soft">{newest.hash.slice(0, 8)}</code>
                  </td>
                  <td className="px-3 py-2 text-soft">
                    <When at={newest.created} />
                  </td>
                  <td className="px-3 py-2">
                    {older.map((v) => (
                      <Link key={v.hash} href={`/machines/${name}@${v.number}`} className="mr-3 text-sea underline-offset-2 hover:underline">
                        {v.number}
                      </Link>
                    ))}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      ) : null}
    </Page>
  );
}

function byName(machines: readonly MachineInfo[]): [string, MachineInfo[]][] {
  const names = new Map<string, MachineInfo[]>();
  for (const machine of machines) names.set(machine.name, [...(names.get(machine.name) ?? []), machine]);
  return [...names];
}
