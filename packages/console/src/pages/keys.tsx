/** The keys of matches that this browser holds: of seats, of hosts, to watch. Shown, entered, passed on, forgotten. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ServiceProblem } from "@zany/client";
import { lazy, type FormEvent, type ReactNode, Suspense, useState } from "react";
import { Button, ErrorText, Hint, Page, Table, To } from "../parts/basics.js";
import { Confirm } from "../parts/confirm.js";
import { client, forgetKey, keepEntered, type KeptKey, keptKeys } from "../service.js";

const PassOn = lazy(() => import("../parts/pass-on.js"));

const FIELD = "rounded border border-line bg-cloth px-2 py-1.5 font-mono";

/** How many keys are shown at first, and how many more each time: each is tried at the service. */
const SHOWN = 25;

export default function KeysPage(): ReactNode {
  const [keys, setKeys] = useState(keptKeys);
  const [shown, setShown] = useState(SHOWN);
  const again = (): void => setKeys(keptKeys());
  return (
    <Page title="Keys of matches">
      <p className="mb-4 max-w-3xl text-soft">
        This browser holds them: for matches that were begun here, and for links that were opened here. Whoever has a
        seat's key plays that seat. Your own keys, one for each device, stand at{" "}
        <To href="/me" look="text-sea underline">
          who you are
        </To>
        .
      </p>
      {keys.length === 0 ? (
        <Hint>This browser holds no key of a match.</Hint>
      ) : (
        <Table heads={["Match", "Opens", "Now", "The key"]}>
          {keys.slice(0, shown).map((key) => (
            <Key key={`${key.match} ${key.opens} ${key.seat}`} kept={key} onChange={again} />
          ))}
        </Table>
      )}
      {keys.length > shown ? (
        <Button className="mt-3" onClick={() => setShown(shown + SHOWN)}>
          Show more
        </Button>
      ) : null}
      <Enter onKept={again} />
    </Page>
  );
}

const OPENS = { host: "the whole game, as its host", watcher: "what everybody may see" } as const;

function Key({ kept, onChange }: { kept: KeptKey; onChange: () => void }): ReactNode {
  const { match, opens, seat, key } = kept;
  const [asked, ask] = useState<"show" | "forget">();
  const [problem, setProblem] = useState<unknown>(null);
  const queries = useQueryClient();
  const queryKey = ["kept key", match, key];
  const { data, error } = useQuery({ queryKey, queryFn: () => client.match(match, key), retry: false });
  const [ended, setEnded] = useState(false);
  const endLinks = (): void =>
    void client.revokeWatchers(match, key).then(() => {
      setEnded(true);
      void queries.invalidateQueries({ queryKey: ["kept key", match] });
    }, setProblem);
  return (
    <tr>
      <td>
        <To href={`/matches/${match}`}>
          {data?.machine.name ?? "match"} <code>{match}</code>
        </To>
      </td>
      <td>{opens === "seat" ? `the seat ${seat}` : OPENS[opens]}</td>
      <td>
        {data ? <span className="text-soft">{standing(data)}</span> : null}
        {isRevoked(error) ? <span className="text-bad">opens nothing any more</span> : <ErrorText error={error} />}
      </td>
      <td>
        <span className="flex flex-wrap gap-1.5">
          <Button onClick={() => ask("show")}>Show</Button>
          <Button onClick={() => ask("forget")}>Forget</Button>
          {opens === "host" && data ? <Button onClick={endLinks}>End all links to watch</Button> : null}
        </span>
        {ended ? <p className="mt-1 text-soft">No link to watch opens this match any more.</p> : null}
        <ErrorText error={problem} />
        {asked === "show" ? (
          <Suspense>
            <PassOn
              title="A key of a match"
              text={key}
              words="For another program or browser of yours: whoever has it can do what you can do with it here."
              onClose={() => ask(undefined)}
            />
          </Suspense>
        ) : null}
        {asked === "forget" ? (
          <Confirm
            title="Forget this key?"
            words="It is taken out of this browser. It still opens what it opens, for whoever has it elsewhere."
            yes="Forget it"
            onYes={async () => {
              forgetKey(kept);
              onChange();
            }}
            onClose={() => ask(undefined)}
          />
        ) : null}
      </td>
    </tr>
  );
}

/** Whether the service no longer knows a key. */
function isRevoked(error: unknown): boolean {
  return error instanceof ServiceProblem && error.status === 401;
}

function standing({ view, cancelled, suspended }: Awaited<ReturnType<typeof client.match>>): string {
  if (cancelled !== null) return "cancelled";
  if (view.outcome) return `over: ${view.outcome.ending}`;
  return suspended === null ? `step ${view.step}, on turn: ${view.turn.join(", ") || "nobody"}` : "suspended";
}

/** Takes a key in that came another way, from a terminal or another browser. */
function Enter({ onKept }: { onKept: () => void }): ReactNode {
  const [match, setMatch] = useState("");
  const [key, setKey] = useState("");
  const [problem, setProblem] = useState<unknown>(null);
  const enter = (event: FormEvent): void => {
    event.preventDefault();
    keepEntered(match.trim(), key.trim()).then(() => {
      setMatch("");
      setKey("");
      setProblem(null);
      onKept();
    }, setProblem);
  };
  return (
    <form onSubmit={enter} className="mt-6 flex flex-wrap items-end gap-2">
      <label>
        <span className="block text-soft">A key from elsewhere, of the match</span>
        <input required value={match} onChange={(e) => setMatch(e.target.value)} className={FIELD} />
      </label>
      <label>
        <span className="block text-soft">Its key</span>
        <input
          required
          type="password"
          autoComplete="off"
          value={key}
          onChange={(e) => setKey(e.target.value)}
          className={FIELD}
        />
      </label>
      <Button type="submit">Keep it here</Button>
      <ErrorText error={problem} />
    </form>
  );
}
