/** The lobby: seats that anybody may take, and playing whoever is there. */

import { useQuery } from "@tanstack/react-query";
import type { LobbyEntry } from "@zany/client";
import { type ReactNode, useState } from "react";
import { useLocation } from "wouter";
import { Button, ErrorText, Hint, Page, Table, To, When } from "../parts/basics.js";
import { usePages } from "../parts/paged.js";
import { WhoAmI } from "../parts/whoami.js";
import { ownKey, useOwnKey } from "../identity.js";
import { client } from "../service.js";

export default function LobbyPage(): ReactNode {
  const { items, error, more } = usePages(["lobby"], (after) => client.lobby(undefined, undefined, after));
  const [, navigate] = useLocation();
  const [problem, setProblem] = useState<unknown>(null);
  const known = useOwnKey() !== undefined;
  const take = ({ match }: LobbyEntry, seat: string): void => {
    client.join(match, seat, ownKey(), crypto.randomUUID()).then(() => navigate(`/matches/${match}`), setProblem);
  };
  if (!known)
    return (
      <Page title="Lobby">
        <WhoAmI why="To take a seat among others, say who you are." />
      </Page>
    );
  return (
    <Page title="Lobby" aside={<PlayAnyone onProblem={setProblem} />}>
      <ErrorText error={problem ?? error} />
      {items?.length === 0 ? <Hint>No seat is open. Play anyone, and wait for who comes.</Hint> : null}
      {items && items.length > 0 ? (
        <Table heads={["Machine", "Who is there", "Waits since", "Open seats"]}>
          {items.map((entry) => (
            <tr key={entry.match}>
              <td>
                <To href={`/matches/${entry.match}`}>{entry.machine.name}</To>
                <span className="text-soft">@{entry.machine.version}</span>
              </td>
              <td>
                {entry.seats
                  .filter(({ seat }) => !entry.free.includes(seat))
                  .map(({ seat, name }) => (name === null ? seat : `${name} (${seat})`))
                  .join(", ") || "nobody yet"}
              </td>
              <td className="text-soft">
                <When at={entry.created} />
              </td>
              <td>
                <span className="flex flex-wrap gap-1.5">
                  {entry.free.map((seat) => (
                    <Button
                      key={seat}
                      onClick={() => take(entry, seat)}
                      aria-label={`Take ${seat} in ${entry.machine.name}`}
                    >
                      {seat}
                    </Button>
                  ))}
                </span>
              </td>
            </tr>
          ))}
        </Table>
      ) : null}
      {more}
    </Page>
  );
}

/** Takes a fitting seat, or begins a match that waits for somebody. */
function PlayAnyone({ onProblem }: { onProblem: (problem: unknown) => void }): ReactNode {
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const [, navigate] = useLocation();
  const [chosen, setChosen] = useState("");
  const newest = (machines.data ?? []).filter((m, i, all) => all.findIndex((n) => n.name === m.name) === i);
  const name = chosen || newest[0]?.name || "";
  return (
    <>
      <select
        aria-label="The machine to play"
        value={name}
        onChange={(e) => setChosen(e.target.value)}
        className="rounded border border-line bg-cloth px-2 py-1.5"
      >
        {newest.map((m) => (
          <option key={m.hash} value={m.name}>
            {m.name}
          </option>
        ))}
      </select>
      <Button
        look="main"
        disabled={name === ""}
        onClick={() =>
          client.playAnyone({ machine: name }).then(({ match }) => navigate(`/matches/${match}`), onProblem)
        }
      >
        Play anyone
      </Button>
    </>
  );
}
