/** What one was told of one's matches; and, for the admin and for hosts, the webhooks that are told the same. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { Notice, NoticeKind } from "@zany/client";
import { type ReactNode, useEffect } from "react";
import { ErrorText, Hint, Page, Table, To, When } from "../parts/basics.js";
import { usePages } from "../parts/paged.js";
import { Webhooks } from "../parts/webhooks.js";
import { WhoAmI } from "../parts/whoami.js";
import { useOwnKey } from "../identity.js";
import { client } from "../service.js";

const WORDS: Readonly<Record<NoticeKind, string>> = {
  "your-turn": "your turn",
  "others-turn": "another's turn",
  invited: "you are invited",
  withdrawn: "your invitation was taken back",
  over: "it is over",
  left: "somebody left a seat, and it waits: put a bot there, or cancel the match",
  cancelled: "it was cancelled",
  suspended: "it is suspended",
  resumed: "it goes on",
};

export default function NoticesPage(): ReactNode {
  const key = useOwnKey();
  return (
    <Page title="Notices">
      {key === undefined ? <WhoAmI why="What happens in your matches is told to you by who you are." /> : <Told />}
      <div className="mt-8">
        <Webhooks />
      </div>
    </Page>
  );
}

function Told(): ReactNode {
  const key = useOwnKey();
  const { items, error, more } = usePages(["notices", key], (after) => client.notices(undefined, after));
  const queries = useQueryClient();
  // What comes while the page is open stands there at once.
  useEffect(() => {
    const abort = new AbortController();
    const listen = async (): Promise<void> => {
      for await (const update of client.followMine({ signal: abort.signal }))
        if (update.kind === "notice") await queries.invalidateQueries({ queryKey: ["notices"] });
    };
    listen().catch(() => {});
    return () => abort.abort();
  }, [queries]);
  return (
    <>
      <ErrorText error={error} />
      {items?.length === 0 ? <Hint>You were told of nothing yet.</Hint> : null}
      {items && items.length > 0 ? (
        <Table heads={["Match", "What", "Step", "When"]}>
          {items.map((notice) => (
            <tr key={notice.id}>
              <td>
                <MatchLink match={notice.match} />
              </td>
              <td className={notice.kind === "your-turn" ? "font-medium text-sail" : ""}>{wordsOf(notice)}</td>
              <td className="tabular-nums">{notice.step}</td>
              <td className="text-soft">
                <When at={notice.at} />
              </td>
            </tr>
          ))}
        </Table>
      ) : null}
      {more}
    </>
  );
}

function wordsOf({ kind, client: by }: Notice): string {
  return by === client.name ? `${WORDS[kind]} (you did it here)` : WORDS[kind];
}

/** A match by its machine's name where it can be looked at, else by its id. */
function MatchLink({ match }: { match: string }): ReactNode {
  const { data } = useQuery({
    queryKey: ["match named", match],
    queryFn: async () => (await client.match(match)).machine.name,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  return <To href={`/matches/${match}`}>{data ? `${data} ${match}` : match}</To>;
}
