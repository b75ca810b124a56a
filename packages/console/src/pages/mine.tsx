/** One's own matches: where it is one's turn, invitations, those of others' turn, and those that are over. */

import { useQueryClient } from "@tanstack/react-query";
import type { MineFilter, MyMatch } from "@zany/client";
import { type ReactNode, useState } from "react";
import { useLocation } from "wouter";
import { useAddress } from "../parts/address.js";
import { Button, Ended, ErrorText, Hint, Page, Table, To, When } from "../parts/basics.js";
import { timeLeft } from "../parts/match-status.js";
import { type Paged, usePages } from "../parts/paged.js";
import { WhoAmI } from "../parts/whoami.js";
import { ownKey, useOwnKey } from "../identity.js";
import { client } from "../service.js";

const FILTERS: readonly (readonly [MineFilter, string, string])[] = [
  ["my-turn", "My turn", "No match waits for you."],
  ["invitations", "Invitations", "Nobody has invited you."],
  ["others-turn", "Others' turn", "No match waits for others."],
  ["finished", "Finished", "None of your matches is over."],
];

/** Those that ask something of whoever looks: their tabs say how many there are. */
const ASKING: readonly MineFilter[] = ["my-turn", "invitations"];

export default function MinePage(): ReactNode {
  const [shown, show] = useAddress("show");
  const [filter, , nothing] = FILTERS.find(([name]) => name === shown) ?? FILTERS[0] ?? ["my-turn", "", ""];
  const key = useOwnKey();
  const { items, error, more } = useMine(filter, key);
  if (key === undefined)
    return (
      <Page title="My matches">
        <WhoAmI why="Your matches are found by who you are." />
      </Page>
    );
  return (
    <Page title="My matches">
      <div role="tablist" aria-label="Which matches" className="mb-4 flex flex-wrap gap-1 border-b border-line">
        {FILTERS.map(([name, words]) => (
          <button
            key={name}
            type="button"
            role="tab"
            aria-selected={name === filter}
            onClick={() => show(name)}
            className={`px-4 py-1.5 ${name === filter ? "border-b-2 border-sea font-medium" : "text-soft"}`}
          >
            {words} {ASKING.includes(name) ? <Count filter={name} ownKey={key} /> : null}
          </button>
        ))}
      </div>
      <ErrorText error={error} />
      {items?.length === 0 ? <Hint>{nothing}</Hint> : null}
      {items && items.length > 0 ? (
        <Table heads={["Machine", "Who plays", "Status", "Deadline", "Last step"]}>
          {items.map((match) => (
            <tr key={match.id}>
              <td>
                <To href={`/matches/${match.id}`}>{match.machine.name}</To>
                <span className="text-soft">@{match.machine.version}</span>
              </td>
              <td>{match.seats.map(({ seat, name }) => (name === null ? seat : `${name} (${seat})`)).join(", ")}</td>
              <td>
                <Status match={match} />
              </td>
              <td>
                <Due match={match} />
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

function useMine(filter: MineFilter, key: string | undefined): Paged<MyMatch> {
  const read = (after: string | undefined) => client.myMatches(undefined, filter, after);
  return usePages(["mine", filter, key], read, key !== undefined);
}

/** How many matches there are of a kind; none are not counted. */
function Count({ filter, ownKey: key }: { filter: MineFilter; ownKey: string }): ReactNode {
  const { items = [], more } = useMine(filter, key);
  if (items.length === 0) return null;
  return (
    <span className="ml-0.5 rounded bg-sail-wash px-1.5 text-xs font-medium text-sail tabular-nums">
      {items.length}
      {more ? "+" : ""}
    </span>
  );
}

/** How long there is until a timer does something, and what that is. */
function Due({ match: { due } }: { match: MyMatch }): ReactNode {
  if (!due) return <span className="text-soft">none</span>;
  return (
    <>
      <span className="tabular-nums">{timeLeft(Math.max(0, due.at - Date.now()))}</span>
      <span className="text-soft">, then {due.words}</span>
    </>
  );
}

function Status({ match }: { match: MyMatch }): ReactNode {
  const { own, invited, turn, outcome, cancelled } = match;
  if (outcome) return <Ended outcome={outcome} />;
  if (cancelled !== null) return <span className="text-soft">cancelled</span>;
  if (own.length === 0 && invited.length > 0) return <Answer match={match} />;
  const mine = own.filter((seat) => turn.includes(seat));
  return mine.length > 0 ? (
    <span className="font-medium text-sail">your turn</span>
  ) : (
    <span className="text-soft">waits for {turn.join(", ") || "time"}</span>
  );
}

/** Accepts an invitation, or declines it. */
function Answer({ match: { id, invited } }: { match: MyMatch }): ReactNode {
  const queries = useQueryClient();
  const [, navigate] = useLocation();
  const [problem, setProblem] = useState<unknown>(null);
  const [seat = ""] = invited;
  const again = (): void => void queries.invalidateQueries({ queryKey: ["mine"] });
  return (
    <span className="flex flex-wrap items-center gap-1.5">
      <Button
        look="main"
        onClick={() =>
          client.join(id, seat, ownKey(), crypto.randomUUID()).then(() => navigate(`/matches/${id}`), setProblem)
        }
      >
        Accept {seat}
      </Button>
      <Button onClick={() => client.withdraw(id, ownKey() ?? "", seat).then(again, setProblem)}>Decline</Button>
      <ErrorText error={problem} />
    </span>
  );
}
