/** Machines as cards: what each is, whether it is right, when it was last played. */

import type { ListedMachine } from "@zany/client";
import { BookCheck, BookX, CircleCheck, Clock, FlaskConical, LoaderCircle, Swords, TriangleAlert } from "lucide-react";
import { type ComponentType, type ReactNode, useState } from "react";
import { counted, SearchField, To, When } from "./basics.js";

/** From how many machines on a search is offered. */
const SEARCHED = 4;

/** @param machines all versions, by name, the newest of each first */
export function MachineCards({ machines }: { machines: readonly ListedMachine[] }): ReactNode {
  const [wanted, setWanted] = useState("");
  const names = byName(machines);
  const shown = names.filter((versions) =>
    versions.some((v) =>
      `${v.name}@${v.version} ${v.words} ${v.report?.description ?? ""}`
        .toLowerCase()
        .includes(wanted.trim().toLowerCase()),
    ),
  );
  return (
    <>
      {names.length >= SEARCHED ? (
        <SearchField
          words="Search machines"
          hint="Search by name, version or words"
          value={wanted}
          onChange={setWanted}
          look="mb-3 w-full bg-panel"
        />
      ) : null}
      {shown.length === 0 ? <p className="text-soft">No machine has this in its name or in its words.</p> : null}
      <ul className="grid grid-cols-1 gap-3 xl:grid-cols-2">
        {shown.map(([newest, ...older]) => (
          <Card key={newest.name} machine={newest} older={older} />
        ))}
      </ul>
    </>
  );
}

function Card({ machine, older }: { machine: ListedMachine; older: readonly ListedMachine[] }): ReactNode {
  const { name, version, report, created, played, words } = machine;
  return (
    <li className="rounded-lg border border-line bg-panel p-4">
      <div className="flex items-baseline gap-2">
        <h2 className="text-base font-semibold">
          <To href={`/machines/${name}`}>{name}</To>
        </h2>
        <span className="text-soft">version {version}</span>
        {words === "" ? null : (
          <span className="min-w-0 truncate" title={words}>
            {words}
          </span>
        )}
        {older.length > 0 ? (
          <span className="ml-auto shrink-0 text-soft">
            before:{" "}
            {older.map((v) => (
              <To
                key={v.hash}
                title={v.words || undefined}
                href={`/machines/${name}@${v.version}`}
                look="text-sea underline"
              >
                {v.version}
              </To>
            ))}
          </span>
        ) : null}
      </div>
      <p className="mt-1 text-soft first-letter:uppercase">
        {report?.description || (report ? "Without a description: a comment behind its name gives one." : "\u00a0")}
      </p>
      <ul className="mt-3 flex flex-wrap gap-x-4 gap-y-1">
        <State machine={machine} />
        <Fact Icon={Clock} words="stored">
          <When at={created} />
        </Fact>
        {played === null ? null : (
          <Fact Icon={Swords} words="played">
            <When at={played} />
          </Fact>
        )}
      </ul>
    </li>
  );
}

/** Messages, tests and kept matches of the newest version. */
function State({ machine: { report, kept } }: { machine: ListedMachine }): ReactNode {
  if (!report)
    return (
      <Fact Icon={LoaderCircle} tone="text-soft">
        being looked at
      </Fact>
    );
  const { warnings, tests } = report;
  const all = tests.passed + tests.failed;
  const matches = kept ? kept.verified + kept.diverged + kept.damaged : 0;
  return (
    <>
      {warnings === 0 ? (
        <Fact Icon={CircleCheck} tone="text-good">
          no problems
        </Fact>
      ) : (
        <Fact Icon={TriangleAlert} tone="text-sail">
          {counted(warnings, "warning")}
        </Fact>
      )}
      {all === 0 ? null : tests.failed === 0 ? (
        <Fact Icon={FlaskConical} tone="text-good">
          {all} {all === 1 ? "test passes" : "tests pass"}
        </Fact>
      ) : (
        <Fact Icon={FlaskConical} tone="text-bad">
          {tests.failed} of {all} {all === 1 ? "test fails" : "tests fail"}
        </Fact>
      )}
      {kept && matches > 0 ? (
        kept.verified === matches ? (
          <Fact Icon={BookCheck} tone="text-good">
            {matches === 1 ? "the kept match verifies" : `all ${matches} kept matches verify`}
          </Fact>
        ) : (
          <Fact Icon={BookX} tone="text-bad">
            <To href="/logbooks" look="text-bad underline">
              {matches - kept.verified} of {matches} kept {matches === 1 ? "match diverges" : "matches diverge"}
            </To>
          </Fact>
        )
      ) : null}
    </>
  );
}

function Fact({
  Icon,
  tone = "text-soft",
  words,
  children,
}: {
  Icon: ComponentType<{ size: number; "aria-hidden": true; className: string }>;
  tone?: string;
  words?: string;
  children: ReactNode;
}): ReactNode {
  return (
    <li className={`flex items-center gap-1.5 ${tone}`}>
      <Icon size={15} aria-hidden className="shrink-0" />
      <span>
        {words} {children}
      </span>
    </li>
  );
}

function byName(machines: readonly ListedMachine[]): [ListedMachine, ...ListedMachine[]][] {
  const names = new Map<string, [ListedMachine, ...ListedMachine[]]>();
  for (const machine of machines) {
    const known = names.get(machine.name);
    if (known) known.push(machine);
    else names.set(machine.name, [machine]);
  }
  return [...names.values()];
}
