/**
 * All stored logbooks: verified against any version by a job of the service, those that diverge put together by the
 * reason, or opened.
 */

import { useQuery } from "@tanstack/react-query";
import type { LogbookInfo, VerifiedInJob } from "@zany/client";
import { type DivergedGroup, groupsOf, HOW_DIVERGED } from "@zany/core";
import { type ReactNode, useMemo, useState } from "react";
import { Button, counted, Ended, ErrorText, Hint, Page, Table, To, When } from "../parts/basics.js";
import { useJob } from "../parts/jobs.js";
import { save } from "../parts/save.js";
import { client } from "../service.js";

type Verdicts = ReadonlyMap<string, VerifiedInJob>;

export default function LogbooksPage(): ReactNode {
  const { data, error } = useQuery({ queryKey: ["logbooks"], queryFn: () => client.logbooks() });
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const [version, setVersion] = useState("");
  const [sought, setSought] = useState("");
  const job = useJob("verify", null);
  const { info, result, running } = job;
  const verdicts = useMemo(
    (): Verdicts => new Map(result?.kind === "verify" ? result.logbooks.map((one) => [one.logbook, one] as const) : []),
    [result],
  );
  const chosen = machines.data?.find(({ hash }) => hash === version);
  const words = sought.trim().toLowerCase();
  const asked = data?.filter(
    ({ name, machine }) =>
      (chosen === undefined || machine.name === chosen.name) && `${name} ${machine.name}`.toLowerCase().includes(words),
  );
  const groups = useMemo(() => groupsIn(data ?? [], verdicts), [data, verdicts]);
  return (
    <Page
      title="Logbooks"
      aside={
        <span className="flex flex-wrap items-center gap-2">
          <input
            aria-label="Only those whose name has"
            placeholder="only those named ..."
            value={sought}
            onChange={(e) => setSought(e.target.value)}
            className="w-40 rounded border border-line bg-panel px-2 py-1.5"
          />
          <select
            aria-label="On which version"
            value={version}
            onChange={(e) => setVersion(e.target.value)}
            className="min-w-0 max-w-full rounded border border-line bg-panel px-2 py-1.5"
          >
            <option value="">each on the newest of its machine</option>
            {machines.data?.map(({ hash, name, version: number }) => (
              <option key={hash} value={hash}>
                {name}@{number}
              </option>
            ))}
          </select>
          {running ? (
            <Button key="stop" onClick={job.cancel}>
              Stop
            </Button>
          ) : (
            <Button
              key="verify"
              look="main"
              disabled={!asked || asked.length === 0}
              onClick={() =>
                job.start({
                  kind: "verify",
                  logbooks: asked?.map(({ id }) => id) ?? [],
                  ...(chosen && { machine: chosen.hash }),
                })
              }
            >
              {asked && data && asked.length < data.length ? `Verify these ${asked.length}` : "Verify all"}
            </Button>
          )}
        </span>
      }
    >
      <ErrorText error={error ?? job.error} />
      {running ? (
        <div className="mb-3 text-soft">
          <div className="mb-1 h-1.5 rounded bg-sunken">
            <div className="h-full rounded bg-sea" style={{ width: `${(info?.share ?? 0) * 100}%` }} />
          </div>
          {info?.words || "Waits for its turn ..."}
        </div>
      ) : null}
      {verdicts.size > 0 ? (
        <div className="mb-3 flex items-center gap-3">
          <Sums verdicts={verdicts} />
          {running || !info ? null : (
            <span className="text-soft">
              on {info.machine ? `${info.machine.name}@${info.machine.version}` : "the newest of each machine"},{" "}
              {info.state === "cancelled" ? "stopped " : ""}
              <When at={info.ended ?? info.created} />
            </span>
          )}
          {running ? null : (
            <Button className="ml-auto" onClick={() => saveReport(data ?? [], verdicts, groups)}>
              Save the report
            </Button>
          )}
        </div>
      ) : null}
      {groups.length > 0 ? <Groups groups={groups} logbooks={data ?? []} /> : null}
      {data && data.length === 0 ? (
        <Hint>No logbook is stored here yet. Upload one with: zany upload FILE.jsonl</Hint>
      ) : null}
      {asked && asked.length > 0 ? (
        <Table heads={["Logbook", "Machine", "Steps", "Ended", "Verified"]}>
          {asked.map((logbook) => (
            <tr key={logbook.id}>
              <td>
                <To href={`/logbooks/${logbook.id}`}>{logbook.name.replace(/\.jsonl$/, "")}</To>
              </td>
              <td>
                {logbook.machine.name} <code className="text-soft">{logbook.machine.hash.slice(0, 8)}</code>
              </td>
              <td className="tabular-nums">{logbook.steps}</td>
              <td>
                {logbook.outcome ? <Ended outcome={logbook.outcome} /> : <span className="text-soft">not over</span>}
              </td>
              <td>
                <VerdictText of={verdicts.get(logbook.id)} id={logbook.id} />
              </td>
            </tr>
          ))}
        </Table>
      ) : null}
    </Page>
  );
}

function Sums({ verdicts }: { verdicts: Verdicts }): ReactNode {
  const all = [...verdicts.values()];
  const unasked = all.filter(({ verified }) => verified === undefined).length;
  const good = all.filter(({ verified }) => verified?.verdict.kind === "verified").length;
  const bad = all.length - good - unasked;
  return (
    <p role="status">
      {good} verified, <span className={bad > 0 ? "text-bad" : ""}>{bad} not</span>
      {unasked > 0 ? `, ${unasked} without an answer` : ""}
    </p>
  );
}

/** Matches that diverge for the same reason, the largest group first. */
function Groups({
  groups,
  logbooks,
}: {
  groups: readonly DivergedGroup[];
  logbooks: readonly LogbookInfo[];
}): ReactNode {
  const nameOf = (id: string): string =>
    logbooks.find((logbook) => logbook.id === id)?.name.replace(/\.jsonl$/, "") ?? id;
  return (
    <ul aria-label="Reasons" className="mb-4 space-y-2">
      {groups.map(({ how, rule, path, source, matches, example }) => (
        <li key={`${how} ${rule} ${path}`} className="rounded-lg border border-line bg-panel px-4 py-2">
          <p>
            {counted(matches.length, "match", "matches")}: {HOW_DIVERGED[how]}
            {rule === "" ? null : (
              <>
                {" "}
                because of <span className="font-medium">{rule}</span>{" "}
                <span className="text-soft">{source === "" ? "" : `line ${source.split(":").at(-2)}`}</span>
              </>
            )}
            {path.startsWith("/") ? <code className="ml-2 text-soft">{path}</code> : null}
          </p>
          <p className="text-soft">
            Soonest in{" "}
            <To href={`/logbooks/${example.name}?side=why&step=${example.verdict.step}`}>
              {nameOf(example.name)}, step {example.verdict.step}
            </To>
          </p>
        </li>
      ))}
    </ul>
  );
}

function groupsIn(logbooks: readonly LogbookInfo[], verdicts: Verdicts): DivergedGroup[] {
  return groupsOf(
    logbooks.flatMap(({ id, outcome }) => {
      const verified = verdicts.get(id)?.verified;
      if (!verified) return [];
      return [{ name: id, verdict: verified.verdict, seats: outcome?.results.map(({ seat }) => seat) ?? [] }];
    }),
  );
}

/** What came of it, as JSON, for whoever keeps it. */
function saveReport(logbooks: readonly LogbookInfo[], verdicts: Verdicts, groups: readonly DivergedGroup[]): void {
  const told = logbooks.flatMap(({ id, name }) => {
    const one = verdicts.get(id);
    return one ? [{ id, name, ...one.verified, ...(one.problem !== undefined && { problem: one.problem }) }] : [];
  });
  const text = JSON.stringify({ logbooks: told, groups }, null, 1);
  save(new Blob([text], { type: "application/json" }), "verified.json");
}

function VerdictText({ of, id }: { of: VerifiedInJob | undefined; id: string }): ReactNode {
  if (!of) return null;
  if (!of.verified) return <ErrorText error={of.problem} />;
  const { verdict } = of.verified;
  if (verdict.kind === "verified") return <span className="text-good">verified</span>;
  if (verdict.kind === "diverged") {
    return (
      <>
        <To href={`/logbooks/${id}?side=why&step=${verdict.step}`} look="text-bad">
          diverged at step {verdict.step}
        </To>{" "}
        <span className="text-xs text-soft">{verdict.responsible.rule}</span>
      </>
    );
  }
  return (
    <span className="text-bad" title={verdict.words}>
      {verdict.kind}
    </span>
  );
}
