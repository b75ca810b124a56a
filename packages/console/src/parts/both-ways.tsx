/** A step both ways, side by side: as it was played, and as it goes on another version of the machine. */

import { pathInWords, type Runnable, type Situation, situationsApart, valueInWords } from "@zany/core";
import type { ReactNode } from "react";
import { Table } from "./basics.js";

/** How a match stands on a version. */
export interface Way {
  /** The number of the version. */
  readonly version: string;
  readonly runnable: Runnable;
  readonly situation: Situation;
}

export function BothWays({ played, here }: { played: Way; here: Way }): ReactNode {
  const apart = situationsApart(played, here);
  const [one, other] = [played, here].map(({ situation }) => standing(situation));
  return (
    <section aria-label="Both ways" className="mt-3">
      <Table heads={["what", `as played, on version ${played.version}`, `on version ${here.version}`]}>
        <tr className={one === other ? undefined : "bg-bad-wash"}>
          <td>states</td>
          <td>{one}</td>
          <td>{other}</td>
        </tr>
        {apart.map(({ path, before, after }) => (
          <tr key={path} className="bg-bad-wash">
            <td className="font-mono text-xs">{pathInWords(path)}</td>
            <td>{valueInWords(before)}</td>
            <td>{valueInWords(after)}</td>
          </tr>
        ))}
      </Table>
      {apart.length === 0 && one === other ? <p className="mt-1 text-soft">Both stand at the same here.</p> : null}
    </section>
  );
}

function standing({ outcome, configuration }: Situation): string {
  return outcome ? `ended in ${outcome.ending}` : configuration.activeStates.join(" \u203A ");
}
