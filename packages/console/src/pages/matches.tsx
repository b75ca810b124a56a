/** All matches, the newest first, and a way to begin one. */

import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Ended, Page, Hint, Table, To, ErrorText, When } from "../parts/basics.js";
import { BeginMatch } from "../parts/begin-match.js";
import { client } from "../service.js";

export default function MatchesPage(): ReactNode {
  const { data, error } = useQuery({ queryKey: ["matches"], queryFn: () => client.matches(), refetchInterval: 5_000 });
  return (
    <Page title="Matches" aside={<BeginMatch />}>
      <ErrorText error={error} />
      {data && data.length === 0 ? <Hint>No match has been begun here yet.</Hint> : null}
      {data && data.length > 0 ? (
        <Table heads={["Match", "Machine", "Step", "Status", "Last step"]}>
          {data.map((match) => (
            <tr key={match.id}>
              <td className="font-mono">
                <To href={`/matches/${match.id}`}>{match.id}</To>
              </td>
              <td>
                {match.machine.name}
                <span className="text-soft">@{match.machine.version}</span>
              </td>
              <td className="tabular-nums">{match.step}</td>
              <td>
                {match.outcome ? (
                  <Ended outcome={match.outcome} />
                ) : match.cancelled !== null ? (
                  <span className="text-soft">cancelled</span>
                ) : match.suspended === null ? (
                  "running"
                ) : (
                  <span className="text-bad">suspended</span>
                )}
              </td>
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
