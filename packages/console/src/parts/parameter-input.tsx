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
  const { values, range, textMax, name } = parameter;
  if (!values)
    return range ? (
      <NumberInput name={name} low={range.low} high={range.high} onChoose={onChoose} />
    ) : (
      <TextInput name={name} textMax={textMax} onChoose={onChoose} />
    );
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
            className={
              "rounded border border-sea px-2 py-1 text-sea hover:bg-sea hover:text-panel " +
              "disabled:border-line disabled:text-soft disabled:hover:bg-transparent"
            }
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

/** Slides no further than this far; beyond, a pixel would be many numbers. */
const SLIDES = 500;
/** Bounds that are so far away are not told. */
const FAR = 1e9;
const ENTER = "rounded border border-sea px-2 py-1 text-sea hover:bg-sea hover:text-panel disabled:opacity-50";
const FIELD = "rounded border border-line bg-cloth px-2 py-1";

/** A number by slider and field. */
function NumberInput({
  name,
  low,
  high,
  onChoose,
}: {
  name: string;
  low: number;
  high: number;
  onChoose: (value: Json) => void;
}): ReactNode {
  const [typed, setTyped] = useState(String(Math.max(low, Math.min(high, 0))));
  const value = Number(typed);
  const fits = typed !== "" && Number.isInteger(value) && value >= low && value <= high;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (fits) onChoose(value);
      }}
      className="flex flex-wrap items-center gap-2"
    >
      {high - low <= SLIDES ? (
        <input
          type="range"
          aria-label={`${name}, by slider`}
          min={low}
          max={high}
          value={fits ? value : low}
          onChange={(e) => setTyped(e.target.value)}
          className="min-w-24 flex-1 accent-sea"
        />
      ) : null}
      <input
        aria-label={name}
        type="number"
        value={typed}
        min={low}
        max={high}
        onChange={(e) => setTyped(e.target.value)}
        className={`w-28 ${FIELD}`}
      />
      {low > -FAR && high < FAR ? (
        <span className="text-xs text-soft">
          {low} to {high}
        </span>
      ) : null}
      <button type="submit" disabled={!fits} className={ENTER}>
        Enter
      </button>
    </form>
  );
}

function TextInput({
  name,
  textMax,
  onChoose,
}: {
  name: string;
  textMax: number | undefined;
  onChoose: (value: Json) => void;
}): ReactNode {
  const [typed, setTyped] = useState("");
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onChoose(typed);
      }}
      className="flex gap-1"
    >
      <input
        aria-label={name}
        value={typed}
        maxLength={textMax}
        onChange={(e) => setTyped(e.target.value)}
        className={`min-w-0 flex-1 ${FIELD}`}
      />
      <button type="submit" className={ENTER}>
        Enter
      </button>
    </form>
  );
}
