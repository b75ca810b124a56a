/** Finished matches added up: wins, lengths, best scores. */

import type { ReactNode } from "react";
import { useAddress } from "../parts/address.js";
import { ErrorText, Hint, Page, Table } from "../parts/basics.js";
import { usePages } from "../parts/paged.js";
import { client } from "../service.js";

const BY = ["version", "seat", "person"] as const;

export default function TalliesPage(): ReactNode {
  const [chosen, choose] = useAddress("by");
  const by = BY.filter((what) => chosen.split("+").includes(what));
  const { items, error, more } = usePages(["tallies", chosen], (after) => client.tallies(by, {}, undefined, after));
  const toggle = (what: (typeof BY)[number]): void =>
    choose(BY.filter((one) => by.includes(one) !== (one === what)).join("+"));
  return (
    <Page
      title="Tallies"
      aside={
        <fieldset className="flex items-center gap-3">
          <legend className="sr-only">Told apart by</legend>
          {BY.map((what) => (
            <label key={what} className="flex items-center gap-1.5">
              <input type="checkbox" checked={by.includes(what)} onChange={() => toggle(what)} /> by {what}
            </label>
          ))}
        </fieldset>
      }
    >
      <ErrorText error={error} />
      {items?.length === 0 ? <Hint>No match has been finished yet.</Hint> : null}
      {items && items.length > 0 ? (
        <Table heads={["Machine", ...by.map((what) => what), "Matches", "Won", "Lost", "Drawn", "Steps", "Best score"]}>
          {items.map((tally) => (
            <tr key={`${tally.machine} ${tally.version} ${tally.seat} ${tally.person?.handle}`}>
              <td>{tally.machine}</td>
              {by.includes("version") ? <td className="tabular-nums">{tally.version}</td> : null}
              {by.includes("seat") ? <td>{tally.seat}</td> : null}
              {by.includes("person") ? (
                <td>{tally.person?.name ?? <span className="text-soft">nobody</span>}</td>
              ) : null}
              {[tally.matches, tally.wins, tally.losses, tally.draws].map((n, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: each is its column
                <td key={i} className="tabular-nums">
                  {n}
                </td>
              ))}
              <td className="tabular-nums">{tally.steps.toFixed(1)}</td>
              <td className="tabular-nums">{tally.best ?? ""}</td>
            </tr>
          ))}
        </Table>
      ) : null}
      {more}
    </Page>
  );
}
