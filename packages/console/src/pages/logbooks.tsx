/** All stored logbooks; each can be verified against the newest rules, or opened step by step. */

import { useMutation, useQuery } from "@tanstack/react-query";
import type { LogbookInfo, VerifiedLogbook } from "@zany/client";
import { type ReactNode, useState } from "react";
import { Link } from "wouter";
import { Button, Ended, Head, Page, Quiet, Trouble } from "../parts/basics.js";
import { client } from "../service.js";

export function LogbooksPage(): ReactNode {
  const { data, error } = useQuery({ queryKey: ["logbooks"], queryFn: () => client.logbooks() });
  const [verdicts, setVerdicts] = useState<Readonly<Record<string, VerifiedLogbook>>>({});
  const verify = useMutation({
    mutationFn: async (logbooks: readonly LogbookInfo[]) => {
      for (const { id } of logbooks) {
        const verified = await client.verifyLogbook(id);
        setVerdicts((before) => ({ ...before, [id]: verified }));
      }
    },
  });
  const known = Object.values(verdicts);
  const bad = known.filter((v) => v.verdict.kind !== "verified").length;
  return (
    <Page
      title="Logbooks"
      aside={
        <Button look="main" disabled={!data || data.length === 0 || verify.isPending} onClick={() => data && verify.mutate(data)}>
          {verify.isPending ? "Verifying ..." : "Verify all with the newest rules"}
        </Button>
      }
    >
      <Trouble error={error ?? verify.error} />
      {known.length > 0 ? (
        <p role="status" className="mb-3">
          {known.length - bad} verified, <span className={bad > 0 ? "text-bad" : ""}>{bad} not</span>
        </p>
      ) : null}
      {data && data.length === 0 ? <Quiet>No logbook is stored here yet. Upload one with: zany upload FILE.jsonl</Quiet> : null}
      {data && data.length > 0 ? (
        <table className="w-full rounded border border-line bg-panel">
          <Head names={["Logbook", "Machine", "Steps", "Ended", "Verified"]} />
          <tbody>
            {data.map((logbook) => (
              <tr key={logbook.id} className="border-b border-line last:border-0">
                <td className="px-3 py-1.5">
                  <Link href={`/logbooks/${logbook.id}`} className="text-sea underline-offset-2 hover:underline">
                    {logbook.name.replace(/\.jsonl$/, "")}
                  </Link>
                </td>
                <td className="px-3 py-1.5">
                  {logbook.machine} <code className="text-soft">{logbook.hash.slice(0, 8)}</code>
                </td>
                <td className="px-3 py-1.5 tabular-nums">{logbook.steps}</td>
                <td className="px-3 py-1.5">{logbook.outcome ? <Ended outcome={logbook.outcome} /> : <span className="text-soft">not over</span>}</td>
                <td className="px-3 py-1.5">
                  <VerdictText verified={verdicts[logbook.id]} id={logbook.id} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
    </Page>
  );
}

function VerdictText({ verified, id }: { verified: VerifiedLogbook | undefined; id: string }): ReactNode {
  if (!verified) return null;
  const { verdict } = verified;
  if (verdict.kind === "verified") return <span className="text-good">verified</span>;
  if (verdict.kind === "diverged") {
    return (
      <Link href={`/logbooks/${id}`} className="text-bad underline-offset-2 hover:underline">
        diverged at step {verdict.step}
      </Link>
    );
  }
  return (
    <span className="text-bad" title={verdict.words}>
      {verdict.kind}
    </span>
  );
}
