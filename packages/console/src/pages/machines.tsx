/** All machines of the service, each with its versions. */

import { useQuery } from "@tanstack/react-query";
import type { MachineInfo } from "@zany/client";
import type { ReactNode } from "react";
import { Link } from "wouter";
import { Page, Hint, Table, To, ErrorText, When } from "../parts/basics.js";
import { client } from "../service.js";

export default function MachinesPage(): ReactNode {
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
      <ErrorText error={error} />
      {data && data.length === 0 ? (
        <Hint>No machine is stored here yet. Write one, or upload a file with: zany upload FILE</Hint>
      ) : null}
      {data && data.length > 0 ? (
        <Table heads={["Machine", "Newest version", "Stored", "Older versions"]}>
          {byName(data).map(([name, versions]) => {
            const [newest, ...older] = versions as [MachineInfo, ...MachineInfo[]];
            return (
              <tr key={name}>
                <td className="font-medium">
                  <To href={`/machines/${name}`}>{name}</To>
                </td>
                <td>
                  {newest.version} <code className="ml-1 text-soft">{newest.hash.slice(0, 8)}</code>
                </td>
                <td className="text-soft">
                  <When at={newest.created} />
                </td>
                <td>
                  {older.map((v) => (
                    <To key={v.hash} href={`/machines/${name}@${v.version}`}>
                      {v.version}
                    </To>
                  ))}
                </td>
              </tr>
            );
          })}
        </Table>
      ) : null}
    </Page>
  );
}

function byName(machines: readonly MachineInfo[]): [string, MachineInfo[]][] {
  const names = new Map<string, MachineInfo[]>();
  for (const machine of machines) names.set(machine.name, [...(names.get(machine.name) ?? []), machine]);
  return [...names];
}
