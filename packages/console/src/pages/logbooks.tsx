/** All stored logbooks; each can be verified against the newest rules, or opened step by step. */

import { useMutation, useQuery } from "@tanstack/react-query";
import type { LogbookInfo, VerifiedLogbook } from "@zany/client";
import { type ReactNode, useState } from "react";
import { Button, Ended, Page, Hint, Table, To, ErrorText } from "../parts/basics.js";
import { client } from "../service.js";

/** What came of verifying a logbook, or why it could not be asked for. */
type Verified = VerifiedLogbook | { readonly error: unknown };

export default function LogbooksPage(): ReactNode {
  const { data, error } = useQuery({ queryKey: ["logbooks"], queryFn: () => client.logbooks() });
  const [verdicts, setVerdicts] = useState<Readonly<Record<string, Verified>>>({});
  const verify = useMutation({
    mutationFn: async (logbooks: readonly LogbookInfo[]) => {
      for (const { id } of logbooks) {
        // One that cannot be asked for says so in its row; the others go on.
        const verified = await client.verifyLogbook(id).catch((error: unknown) => ({ error }));
        setVerdicts((before) => ({ ...before, [id]: verified }));
      }
    },
  });
  const known = Object.values(verdicts);
  const unasked = known.filter((v) => "error" in v).length;
  const good = known.filter((v) => !("error" in v) && v.verdict.kind === "verified").length;
  const bad = known.length - good - unasked;
  return (
    <Page
      title="Logbooks"
      aside={
        <Button
          look="main"
          disabled={!data || data.length === 0 || verify.isPending}
          onClick={() => data && verify.mutate(data)}
        >
          {verify.isPending ? "Verifying ..." : "Verify all with the newest rules"}
        </Button>
      }
    >
      <ErrorText error={error} />
      {known.length > 0 ? (
        <p role="status" className="mb-3">
          {good} verified, <span className={bad > 0 ? "text-bad" : ""}>{bad} not</span>
          {unasked > 0 ? `, ${unasked} without an answer` : ""}
        </p>
      ) : null}
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

function VerdictText({ verified, id }: { verified: Verified | undefined; id: string }): ReactNode {
  if (!verified) return null;
  if ("error" in verified) return <ErrorText error={verified.error} />;
  const { verdict } = verified;
  if (verdict.kind === "verified") return <span className="text-good">verified</span>;
  if (verdict.kind === "diverged") {
    return (
      <To href={`/logbooks/${id}`} look="text-bad">
        diverged at step {verdict.step}
      </To>
    );
  }
  return (
    <span className="text-bad" title={verdict.words}>
      {verdict.kind}
    </span>
  );
}
