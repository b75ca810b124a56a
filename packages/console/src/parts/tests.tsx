/** The tests of a machine, run as it is typed: which pass, and of one that fails the story up to the line that does. */

import type { TestResult } from "@zany/core";
import { CircleCheck, CircleX } from "lucide-react";
import type { ReactNode } from "react";
import { Scrolling } from "./basics.js";

export function Tests({
  tests,
  onPick,
}: {
  /** Undefined while they run. */
  tests: readonly TestResult[] | undefined;
  /** Goes to a place of the text. */
  onPick: (position: number) => void;
}): ReactNode {
  if (!tests) return <p className="p-4 text-soft">Running ...</p>;
  if (tests.length === 0)
    return (
      <p className="p-4 text-soft">
        No tests yet. A test is a short match with what is expected of it:{" "}
        <code>{'test "the first wins" { first score  expect ending Won }'}</code>
      </p>
    );
  return (
    <Scrolling label="Tests">
      <ul className="space-y-2">
        {tests.map((test) => (
          <Result key={test.position} test={test} onPick={onPick} />
        ))}
      </ul>
    </Scrolling>
  );
}

function Result({ test, onPick }: { test: TestResult; onPick: (position: number) => void }): ReactNode {
  const { words, ok, failure, story, position } = test;
  return (
    <li className={`rounded border px-3 py-2 ${ok ? "border-line" : "border-bad bg-bad-wash"}`}>
      <button
        type="button"
        onClick={() => onPick(failure?.position ?? position)}
        className="flex w-full items-center gap-2 text-left hover:underline"
      >
        {ok ? (
          <CircleCheck size={16} aria-label="passes" className="shrink-0 text-good" />
        ) : (
          <CircleX size={16} aria-label="fails" className="shrink-0 text-bad" />
        )}
        <span className="font-medium">{words}</span>
      </button>
      {failure ? (
        <div className="mt-2 pl-6">
          <ol className="text-soft">
            {story.map((line, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: lines of a story can be alike
              <li key={i}>{line}</li>
            ))}
          </ol>
          <p className="mt-1">
            expected <code>{failure.expected}</code>, but <span className="text-bad">{failure.actual}</span>
          </p>
        </div>
      ) : null}
    </li>
  );
}
