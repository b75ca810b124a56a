/** One argument of an action or report: its values as buttons, closed ones with their reason, or a field to type in. */

import type { Json, ParameterOption } from "@zany/core";
import { type ReactNode, useState } from "react";

export function ParameterInput({
  parameter,
  onChoose,
}: {
  parameter: ParameterOption;
  onChoose: (value: Json) => void;
}): ReactNode {
  const [typed, setTyped] = useState("");
  const { values, range, textMax, name } = parameter;
  if (!values) {
    return (
      <form
        onSubmit={(event) => {
          event.preventDefault();
          onChoose(range ? Number(typed) : typed);
        }}
        className="flex gap-1"
      >
        <input
          aria-label={name}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          type={range ? "number" : "text"}
          min={range?.low}
          max={range?.high}
          maxLength={textMax}
          className="min-w-0 flex-1 rounded border border-line bg-cloth px-2 py-1"
        />
        <button type="submit" className="rounded border border-sea px-2 py-1 text-sea">
          Enter
        </button>
      </form>
    );
  }
  return (
    <>
      <div className="flex flex-wrap gap-1">
        {values.map((v) => (
          <button
            key={v.label}
            type="button"
            disabled={!v.open}
            title={v.reason}
            onClick={() => onChoose(v.value)}
            className="rounded border border-sea px-2 py-1 text-sea hover:bg-sea hover:text-panel disabled:border-line disabled:text-soft disabled:hover:bg-transparent"
          >
            {v.label}
          </button>
        ))}
      </div>
      {values
        .filter((v) => !v.open)
        .map((v) => (
          <p key={v.label} className="mt-1 text-xs text-soft">
            {v.label}: {v.reason}
          </p>
        ))}
    </>
  );
}
