/** All matches, the newest first, or those of one status and one machine; and a way to begin one. */

import { useQuery } from "@tanstack/react-query";
import type { MatchInfo, MatchStatus } from "@zany/client";
import type { ReactNode } from "react";
import { useAddress } from "../parts/address.js";
import { Ended, ErrorText, Hint, Page, Table, To, When } from "../parts/basics.js";
import { BeginMatch } from "../parts/begin-match.js";
import { usePages } from "../parts/paged.js";
import { client } from "../service.js";

const STATUSES: readonly MatchStatus[] = ["running", "suspended", "finished", "cancelled"];

export default function MatchesPage(): ReactNode {
  const [shown, show] = useAddress("status");
  const [machine, choose] = useAddress("machine");
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const status = STATUSES.find((one) => one === shown);
  const of = { ...(status !== undefined && { status }), ...(machine !== "" && { machine }) };
  const { items, error, more } = usePages(["matches of", of], (after) => client.matches(of, undefined, after));
  const names = new Set([...(machines.data ?? []).map(({ name }) => name), ...(machine === "" ? [] : [machine])]);
  const all = Object.keys(of).length === 0;
  return (
    <Page
      title="Matches"
      aside={
        <>
          <span className="mr-2 self-center">
            <To href="/tallies">Tallies</To>
          </span>
          <Choice words="Status" value={status ?? ""} any="any" options={STATUSES} onChoose={show} />
          <Choice words="Machine" value={machine} any="all" options={[...names].sort()} onChoose={choose} />
          <BeginMatch />
        </>
      }
    >
      <ErrorText error={error} />
      {items?.length === 0 ? (
        <Hint>{all ? "No match has been begun here yet." : "No match is like this. Look at others above."}</Hint>
      ) : null}
      {items && items.length > 0 ? (
        <Table heads={["Match", "Machine", "Step", "Status", "Last step"]}>
          {items.map((match) => (
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
                <Status match={match} />
              </td>
              <td className="text-soft">
                <When at={match.updated} />
              </td>
            </tr>
          ))}
        </Table>
      ) : null}
      {more}
    </Page>
  );
}

/** One of several, or any of them. */
function Choice({
  words,
  value,
  any,
  options,
  onChoose,
}: {
  words: string;
  value: string;
  any: string;
  options: readonly string[];
  onChoose: (value: string) => void;
}): ReactNode {
  return (
    <label className="flex items-center gap-2">
      <span className="text-soft">{words}</span>
      <select
        value={value}
        onChange={(e) => onChoose(e.target.value)}
        className="rounded border border-line bg-cloth px-2 py-1.5"
      >
        <option value="">{any}</option>
        {options.map((option) => (
          <option key={option}>{option}</option>
        ))}
      </select>
    </label>
  );
}

function Status({ match: { outcome, cancelled, suspended } }: { match: MatchInfo }): ReactNode {
  if (outcome) return <Ended outcome={outcome} />;
  if (cancelled !== null) return <span className="text-soft">cancelled</span>;
  if (suspended !== null) return <span className="text-bad">suspended: {suspended}</span>;
  return "running";
}
