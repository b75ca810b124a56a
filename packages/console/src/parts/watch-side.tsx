/**
 * Watched data and expressions of one's own over the steps of a match: charts, and from which step on they had which
 * value.
 */

import {
  BadQuestion,
  type Json,
  ownMeasures,
  plotOfValues,
  type Situation,
  valueInWords,
  valuesFrom,
  valuesOf,
  type View,
} from "@zany/core";
import type { StoredMachine } from "@zany/client";
import { X } from "lucide-react";
import { type ReactNode, useMemo, useState } from "react";
import { Button, Scrolling } from "./basics.js";
import { valueAt, type Watching } from "./data.js";
import { Plot } from "./plot.js";
import { useWatching } from "./watching.js";

/** How many values of one are listed. */
const MOST_VALUES = 40;

export function WatchSide({
  stored,
  watching,
  situations,
  views,
  at,
  onGo,
}: {
  stored: StoredMachine;
  watching: Watching;
  situations: readonly (Situation | undefined)[];
  /** What is seen after each step. */
  views: readonly (View | undefined)[];
  at: number;
  onGo: (step: number) => void;
}): ReactNode {
  const own = useWatching(`${stored.name} expressions`);
  const [text, setText] = useState("");
  const [problem, setProblem] = useState("");
  const asked = useMemo(() => valuesOfOwn(stored, own.paths, situations), [stored, own.paths, situations]);
  const add = (): void => {
    const words = text.trim();
    if (words === "" || own.paths.includes(words)) return;
    try {
      ownMeasures(stored.text, [words], findPartOf(stored));
      own.toggle(words);
      setText("");
      setProblem("");
    } catch (error) {
      if (!(error instanceof BadQuestion)) throw error;
      setProblem(error.message);
    }
  };
  return (
    <Scrolling label="Watched over the steps">
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          add();
        }}
      >
        <input
          aria-label="An expression to watch"
          placeholder="an expression, such as lap > 3"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="min-w-0 flex-1 rounded border border-line bg-panel px-2 py-1"
        />
        <Button type="submit">Watch</Button>
      </form>
      {problem === "" ? null : (
        <p role="alert" className="mt-1 text-bad">
          {problem}
        </p>
      )}
      {watching.paths.length + own.paths.length === 0 ? (
        <p className="mt-3 text-soft">Watch an expression, or a datum: point at it on the left and press its eye.</p>
      ) : null}
      {watching.paths.map((path) => (
        <Course
          key={path}
          name={path.split("/").slice(2).join(".")}
          values={views.map((view) => valueAt(view, path))}
          at={at}
          onGo={onGo}
          onRemove={() => watching.toggle(path)}
        />
      ))}
      {own.paths.map((words) => (
        <Course
          key={words}
          name={words}
          values={asked.get(words) ?? []}
          at={at}
          onGo={onGo}
          onRemove={() => own.toggle(words)}
        />
      ))}
    </Scrolling>
  );
}

function findPartOf({ parts }: StoredMachine): (path: string) => string | undefined {
  return (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined);
}

/** What each expression comes to after each step; none for one that this version does not know. */
function valuesOfOwn(
  stored: StoredMachine,
  expressions: readonly string[],
  situations: readonly (Situation | undefined)[],
): ReadonlyMap<string, readonly (Json | undefined)[]> {
  return new Map(
    expressions.map((words) => {
      try {
        const { runnable, measures } = ownMeasures(stored.text, [words], findPartOf(stored));
        return [words, (runnable && valuesOf(runnable, measures, situations)[0]) ?? []];
      } catch (error) {
        if (!(error instanceof BadQuestion)) throw error;
        return [words, []];
      }
    }),
  );
}

function Course({
  name,
  values,
  at,
  onGo,
  onRemove,
}: {
  name: string;
  values: readonly (Json | undefined)[];
  at: number;
  onGo: (step: number) => void;
  onRemove: () => void;
}): ReactNode {
  const plot = plotOfValues("", values, at);
  const changes = valuesFrom(values);
  const last = changes.findLast(({ step }) => step <= at);
  const present = values[at];
  return (
    <section aria-label={name} className="mt-3 rounded border border-line p-2">
      <h3 className="flex items-baseline gap-2">
        <span className="font-medium">{name}</span>
        <span className="text-soft">{present === undefined ? "not there now" : valueInWords(present)}</span>
        <button
          type="button"
          aria-label={`Watch ${name} no longer`}
          onClick={onRemove}
          className="ml-auto text-soft hover:text-bad"
        >
          <X size={14} aria-hidden />
        </button>
      </h3>
      {plot ? <Plot plot={plot} label={`${name} over the steps`} /> : null}
      <p className="flex flex-wrap gap-x-2 text-xs">
        {changes.slice(0, MOST_VALUES).map(({ step, value }) => (
          <button
            key={step}
            type="button"
            onClick={() => onGo(step)}
            className={`hover:underline ${step === last?.step ? "font-medium text-sail" : "text-soft"}`}
          >
            {step}: {value === undefined ? "not there" : valueInWords(value)}
          </button>
        ))}
        {changes.length > MOST_VALUES ? (
          <span className="text-soft">and {changes.length - MOST_VALUES} more</span>
        ) : null}
      </p>
    </section>
  );
}
