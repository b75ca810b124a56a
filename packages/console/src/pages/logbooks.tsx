/** All stored logbooks: verified against any version, those that diverge put together by the reason, or opened. */

import { useMutation, useQuery } from "@tanstack/react-query";
import type { LogbookInfo, VerifiedLogbook } from "@zany/client";
import { type DivergedGroup, groupsOf, HOW_DIVERGED } from "@zany/core";
import { type ReactNode, useMemo, useRef, useState } from "react";
import { Button, counted, Ended, Page, Hint, Table, To, ErrorText } from "../parts/basics.js";
import { save } from "../parts/save.js";
import { client } from "../service.js";

/** What came of verifying a logbook, or why it could not be asked for. */
type Verified = VerifiedLogbook | { readonly error: unknown };

export default function LogbooksPage(): ReactNode {
  const { data, error } = useQuery({ queryKey: ["logbooks"], queryFn: () => client.logbooks() });
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const [version, setVersion] = useState("");
  const [verdicts, setVerdicts] = useState<Readonly<Record<string, Verified>>>({});
  const stopped = useRef(false);
  const chosen = machines.data?.find(({ hash }) => hash === version);
  const asked = data?.filter(({ machine }) => chosen === undefined || machine.name === chosen.name);
  const verify = useMutation({
    mutationFn: async (logbooks: readonly LogbookInfo[]) => {
      stopped.current = false;
      setVerdicts({});
      for (const { id } of logbooks) {
        if (stopped.current) return;
        // One that cannot be asked for says so in its row; the others go on.
        const verified = await client.verifyLogbook(id, chosen?.hash).catch((error: unknown) => ({ error }));
        setVerdicts((before) => ({ ...before, [id]: verified }));
      }
    },
  });
  const known = Object.values(verdicts);
  const unasked = known.filter((v) => "error" in v).length;
  const good = known.filter((v) => !("error" in v) && v.verdict.kind === "verified").length;
  const bad = known.length - good - unasked;
  const groups = useMemo(() => groupsIn(data ?? [], verdicts), [data, verdicts]);
  return (
    <Page
      title="Logbooks"
      aside={
        <span className="flex flex-wrap items-center gap-2">
          <select
            aria-label="On which version"
            value={version}
            onChange={(e) => setVersion(e.target.value)}
            className="rounded border border-line bg-panel px-2 py-1.5"
          >
            <option value="">each on the newest of its machine</option>
            {machines.data?.map(({ hash, name, version: number }) => (
              <option key={hash} value={hash}>
                {name}@{number}
              </option>
            ))}
          </select>
          {verify.isPending ? <Button onClick={() => (stopped.current = true)}>Stop</Button> : null}
          <Button
            look="main"
            disabled={!asked || asked.length === 0 || verify.isPending}
            onClick={() => asked && verify.mutate(asked)}
          >
            {verify.isPending ? `Verifying, ${known.length} of ${asked?.length ?? 0}` : "Verify all"}
          </Button>
        </span>
      }
    >
      <ErrorText error={error} />
      {known.length > 0 ? (
        <div className="mb-3 flex items-center gap-3">
          <p role="status">
            {good} verified, <span className={bad > 0 ? "text-bad" : ""}>{bad} not</span>
            {unasked > 0 ? `, ${unasked} without an answer` : ""}
          </p>
          {verify.isPending ? null : (
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
      {data && data.length > 0 ? (
        <Table heads={["Logbook", "Machine", "Steps", "Ended", "Verified"]}>
          {data.map((logbook) => (
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
                <VerdictText verified={verdicts[logbook.id]} id={logbook.id} />
              </td>
            </tr>
          ))}
        </Table>
      ) : null}
    </Page>
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

function groupsIn(logbooks: readonly LogbookInfo[], verdicts: Readonly<Record<string, Verified>>): DivergedGroup[] {
  return groupsOf(
    logbooks.flatMap(({ id, outcome }) => {
      const verified = verdicts[id];
      if (!verified || "error" in verified) return [];
      return [{ name: id, verdict: verified.verdict, seats: outcome?.results.map(({ seat }) => seat) ?? [] }];
    }),
  );
}

/** What came of it, as JSON, for whoever keeps it. */
function saveReport(
  logbooks: readonly LogbookInfo[],
  verdicts: Readonly<Record<string, Verified>>,
  groups: readonly DivergedGroup[],
): void {
  const told = logbooks.flatMap(({ id, name }) => {
    const verified = verdicts[id];
    return verified && !("error" in verified) ? [{ id, name, ...verified }] : [];
  });
  const text = JSON.stringify({ logbooks: told, groups }, null, 1);
  save(new Blob([text], { type: "application/json" }), "verified.json");
}

function VerdictText({ verified, id }: { verified: Verified | undefined; id: string }): ReactNode {
  if (!verified) return null;
  if ("error" in verified) return <ErrorText error={verified.error} />;
  const { verdict } = verified;
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
