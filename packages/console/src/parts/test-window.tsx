/**
 * The window in which a match up to a step becomes a test: shortened to the moves that matter, to be put into the
 * text.
 */

import type { StoredMachine } from "@zany/client";
import { BadQuestion, type Logbook, type MadeTest, testFrom } from "@zany/core";
import { type FormEvent, type ReactNode, useState } from "react";
import { Button, ErrorText } from "./basics.js";
import { Copied } from "./copied.js";
import { Modal } from "./modal.js";

const FIELD = "mt-1 w-full rounded border border-line bg-cloth px-2 py-1.5";

export default function TestWindow({
  stored,
  logbook,
  step,
  onClose,
}: {
  stored: StoredMachine;
  logbook: Logbook;
  step: number;
  onClose: () => void;
}): ReactNode {
  const [words, setWords] = useState(`step ${step} of a match`);
  const [expect, setExpect] = useState("");
  const [made, setMade] = useState<MadeTest>();
  const [problem, setProblem] = useState<unknown>(null);
  const make = (event: FormEvent): void => {
    event.preventDefault();
    try {
      const wish = { step, words, ...(expect.trim() !== "" && { expect: expect.trim() }) };
      setMade(testFrom(stored.text, (path) => stored.parts[path], logbook, wish));
      setProblem(null);
    } catch (error) {
      if (!(error instanceof BadQuestion)) throw error;
      setMade(undefined);
      setProblem(error);
    }
  };
  return (
    <Modal
      title={`A test of step ${step}`}
      look="top-[8%] max-h-[84vh] w-[min(46rem,94vw)] overflow-auto p-5"
      onClose={onClose}
    >
      <form onSubmit={make} className="mt-3 space-y-3">
        <label className="block">
          <span className="text-soft">What it is called</span>
          <input required value={words} onChange={(e) => setWords(e.target.value)} className={FIELD} />
        </label>
        <label className="block">
          <span className="text-soft">
            What it expects at the end; left empty: what the step changed, or why it failed
          </span>
          <input
            value={expect}
            placeholder="kites[north].lift > 0"
            onChange={(e) => setExpect(e.target.value)}
            className={`${FIELD} font-mono`}
          />
        </label>
        <Button type="submit" look="main">
          Make the test
        </Button>
      </form>
      <div className="mt-3 empty:hidden">
        <ErrorText error={problem} />
      </div>
      {made ? (
        <div className="mt-4 space-y-3">
          <p>
            {made.moves.kept} of {made.moves.had} moves are enough. It{" "}
            <span className={made.passes ? "text-good" : "text-bad"}>{made.passes ? "passes" : "fails"}</span> on this
            version.
          </p>
          <pre className="max-h-72 overflow-auto rounded border border-line bg-cloth p-3 text-xs">{made.text}</pre>
          <Copied text={made.text} words="Put it behind the machine's text." />
        </div>
      ) : null}
    </Modal>
  );
}
