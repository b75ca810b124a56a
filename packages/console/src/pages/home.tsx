/**
 * What is going on: matches that wait for somebody, machines and whether they are right; with nothing yet, how to
 * begin.
 */

import { useQuery } from "@tanstack/react-query";
import type { MatchInfo } from "@zany/client";
import { CirclePause, Hourglass, Play } from "lucide-react";
import type { ReactNode } from "react";
import { MachineDrop, Templates } from "../parts/beginnings.js";
import { ErrorText, Loading, To, When } from "../parts/basics.js";
import { MachineCards } from "../parts/machine-cards.js";
import { client, keysOf } from "../service.js";

/** How often it is looked again, in milliseconds. */
const AGAIN = 5_000;
/** How many matches are shown: the last ones. */
const MATCHES = 12;

export default function HomePage(): ReactNode {
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines(), refetchInterval: AGAIN });
  const matches = useQuery({ queryKey: ["matches"], queryFn: () => client.matches(), refetchInterval: AGAIN });
  if (!machines.data) return machines.error ? <Failed error={machines.error} /> : <Loading lines={8} />;
  if (machines.data.length === 0) return <Nothing />;
  return (
    <div className="h-full overflow-auto">
      <div className="mx-auto grid max-w-[100rem] grid-cols-1 gap-6 p-6 lg:grid-cols-[minmax(0,1fr)_22rem]">
        <section aria-labelledby="machines">
          <div className="mb-3 flex items-baseline gap-4">
            <h1 id="machines" className="text-xl font-semibold">
              Machines
            </h1>
            <span className="ml-auto">
              <To href="/machines/new">New machine</To>
            </span>
          </div>
          <MachineCards machines={machines.data} />
        </section>
        <aside className="space-y-6">
          <GoingOn matches={matches.data?.items} />
          <section aria-labelledby="begin">
            <h2 id="begin" className="mb-2 text-base font-semibold">
              Begin with
            </h2>
            <MachineDrop />
            <div className="mt-2 [&_ul]:grid-cols-1">
              <Templates />
            </div>
          </section>
        </aside>
      </div>
    </div>
  );
}

function Failed({ error }: { error: unknown }): ReactNode {
  return (
    <div className="p-6">
      <ErrorText error={error} />
    </div>
  );
}

/** The first page of a service that holds nothing. */
function Nothing(): ReactNode {
  return (
    <div className="h-full overflow-auto">
      <div className="mx-auto max-w-3xl space-y-4 p-6">
        <h1 className="text-xl font-semibold">No machine is stored here yet</h1>
        <p>
          A machine is the turn flow of a game as a text: whose turn it is, what may be done, where it leads, who wins.
          Begin with one of these turn orders, or with a file of your own; <code>zany upload FILE</code> stores one from
          a terminal.
        </p>
        <Templates />
        <MachineDrop />
      </div>
    </div>
  );
}

/** Matches that are not over, those that wait for whoever sits here first. */
function GoingOn({ matches }: { matches: readonly MatchInfo[] | undefined }): ReactNode {
  const running = (matches ?? []).filter((m) => m.outcome === null && m.cancelled === null);
  const mine = (match: MatchInfo): boolean => match.turn.some((seat) => Object.hasOwn(keysOf(match.id), seat));
  const sorted = [...running.filter(mine), ...running.filter((match) => !mine(match))].slice(0, MATCHES);
  return (
    <section aria-labelledby="going-on">
      <div className="mb-2 flex items-baseline">
        <h2 id="going-on" className="text-base font-semibold">
          Matches going on
        </h2>
        <span className="ml-auto">
          <To href="/matches">All matches</To>
        </span>
      </div>
      {matches && sorted.length === 0 ? <p className="text-soft">None. Begin one from a machine.</p> : null}
      <ul className="space-y-1">
        {sorted.map((match) => (
          <Running key={match.id} match={match} mine={mine(match)} />
        ))}
      </ul>
    </section>
  );
}

function Running({ match, mine }: { match: MatchInfo; mine: boolean }): ReactNode {
  const { id, machine, step, turn, suspended, updated } = match;
  const [Icon, tone, words] =
    suspended !== null
      ? ([CirclePause, "text-bad", "suspended"] as const)
      : mine
        ? ([Play, "text-sail font-medium", "your turn"] as const)
        : ([Hourglass, "text-soft", turn.length > 0 ? `waits for ${turn.join(", ")}` : "waits for time"] as const);
  return (
    <li className={`rounded border px-3 py-2 ${mine ? "border-sail bg-sail-wash" : "border-line bg-panel"}`}>
      <div className="flex items-baseline gap-2">
        <To href={`/matches/${id}`}>{machine.name}</To>
        <span className="text-soft">step {step}</span>
        <span className="ml-auto text-soft">
          <When at={updated} />
        </span>
      </div>
      <p className={`flex items-center gap-1.5 ${tone}`}>
        <Icon size={15} aria-hidden className="shrink-0" />
        {words}
      </p>
    </li>
  );
}
