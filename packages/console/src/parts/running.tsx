/** The head of something that takes a while: what is asked, a button that runs it, and how far it came. */

import type { ReactNode } from "react";
import { Button, ErrorText, When } from "./basics.js";
import type { Searching } from "./searching.js";

export function Running({
  searching: { running, progress, problem, doneAt, cancel },
  onRun,
  label,
  disabled,
  children,
}: {
  searching: Searching<unknown>;
  onRun: () => void;
  label: string;
  disabled: boolean;
  children: ReactNode;
}): ReactNode {
  return (
    <>
      <form
        className="flex flex-wrap items-end gap-3 border-b border-line px-3 py-2"
        onSubmit={(event) => {
          event.preventDefault();
          onRun();
        }}
      >
        {children}
        {/* Each a button of its own: one that became the other while it is clicked would run at once. */}
        {running ? (
          <Button key="stop" onClick={cancel}>
            Stop
          </Button>
        ) : (
          <Button key="run" type="submit" look="main" disabled={disabled}>
            {label}
          </Button>
        )}
      </form>
      {running ? (
        <div role="status" className="px-3 py-2 text-soft">
          {progress?.share === undefined ? null : (
            <div className="mb-1 h-1.5 rounded bg-sunken">
              <div className="h-full rounded bg-sea" style={{ width: `${progress.share * 100}%` }} />
            </div>
          )}
          {progress?.words ?? "Begins ..."}
        </div>
      ) : null}
      {problem === undefined ? null : <ErrorText error={problem} />}
      {doneAt === undefined || running ? null : (
        <p className="px-3 pt-1 text-xs text-soft">
          Kept with this version by the service, <When at={doneAt} />
        </p>
      )}
    </>
  );
}

/** A choice among numbers, beside the button that runs. */
export function Choice({
  label,
  value,
  values,
  onChange,
}: {
  label: string;
  value: number;
  values: readonly number[];
  onChange: (value: number) => void;
}): ReactNode {
  return (
    <label className="text-sm">
      <span className="block text-soft">{label}</span>
      <select
        value={value}
        onChange={(event) => onChange(Number(event.target.value))}
        className="rounded border border-line bg-panel px-2 py-1"
      >
        {values.map((n) => (
          <option key={n} value={n}>
            {n === 0 ? "none" : n.toLocaleString("en-GB")}
          </option>
        ))}
      </select>
    </label>
  );
}

/** Something that is typed for the next run; several are divided by semicolons. */
export function Wished({
  label,
  example,
  value,
  onChange,
}: {
  label: string;
  example: string;
  value: string;
  onChange: (value: string) => void;
}): ReactNode {
  return (
    <label className="text-sm">
      <span className="block text-soft">{label}</span>
      <input
        value={value}
        placeholder={example}
        spellCheck={false}
        onChange={(event) => onChange(event.target.value)}
        className="w-56 rounded border border-line bg-panel px-2 py-1"
      />
    </label>
  );
}
