/** The window in which a match goes on otherwise from a step: another action, other dice, played on by policies. */

import type { StoredMachine } from "@zany/client";
import {
  BadQuestion,
  changeInWords,
  type Logbook,
  pathInWords,
  policyNames,
  type Runnable,
  type Variation,
  valueInWords,
  vary,
} from "@zany/core";
import { type FormEvent, type ReactNode, useState } from "react";
import { Button, counted, ErrorText, Table } from "./basics.js";
import { Modal } from "./modal.js";
import { save } from "./save.js";

const FIELD = "mt-1 w-full rounded border border-line bg-cloth px-2 py-1.5";

export default function VaryWindow({
  runnable,
  stored,
  logbook,
  step,
  onClose,
}: {
  runnable: Runnable;
  stored: StoredMachine;
  logbook: Logbook;
  step: number;
  onClose: () => void;
}): ReactNode {
  const [line, setLine] = useState("");
  const [dice, setDice] = useState("");
  const [policy, setPolicy] = useState("");
  const [varied, setVaried] = useState<Variation>();
  const [problem, setProblem] = useState<unknown>(null);
  const go = (event: FormEvent): void => {
    event.preventDefault();
    try {
      const rolls = dice.split(/[\s,]+/).filter((roll) => roll !== "");
      const bots = policy === "" ? {} : Object.fromEntries(logbook.header.seats.map((seat) => [seat, policy]));
      setVaried(
        vary(runnable, stored.text, (path) => stored.parts[path], logbook, {
          step,
          lines: line.trim() === "" ? [] : [line.trim()],
          dice: rolls.map((roll) => (roll === "true" || roll === "false" ? roll === "true" : Number(roll))),
          bots,
        }),
      );
      setProblem(null);
    } catch (error) {
      if (!(error instanceof BadQuestion)) throw error;
      setVaried(undefined);
      setProblem(error);
    }
  };
  return (
    <Modal
      title={`Otherwise from step ${step} on`}
      look="top-[8%] max-h-[84vh] w-[min(46rem,94vw)] overflow-auto p-5"
      onClose={onClose}
    >
      <form onSubmit={go} className="mt-3 grid grid-cols-[2fr_1fr_1fr] gap-3">
        <label>
          <span className="text-soft">What is done instead</span>
          <input
            value={line}
            placeholder="south brace"
            onChange={(e) => setLine(e.target.value)}
            className={`${FIELD} font-mono`}
          />
        </label>
        <label>
          <span className="text-soft">Its rolls</span>
          <input value={dice} placeholder="by chance" onChange={(e) => setDice(e.target.value)} className={FIELD} />
        </label>
        <label>
          <span className="text-soft">Played on by</span>
          <select value={policy} onChange={(e) => setPolicy(e.target.value)} className={FIELD}>
            <option value="">nobody</option>
            {policyNames(runnable).map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </label>
        <Button type="submit" look="main" className="justify-self-start" disabled={line.trim() === "" && policy === ""}>
          Play it
        </Button>
      </form>
      <div className="mt-3 empty:hidden">
        <ErrorText error={problem} />
      </div>
      {varied ? <Beside varied={varied} onSave={() => saveLogbook(varied, step)} /> : null}
    </Modal>
  );
}

/** The match as it was recorded and as it goes now, from the fork on. */
function Beside({ varied, onSave }: { varied: Variation; onSave: () => void }): ReactNode {
  const { recorded, varied: first, apart, endings, taken } = varied;
  const ended = (ending: string | undefined): string => ending ?? "not over";
  return (
    <div className="mt-4 space-y-3">
      <div className="grid grid-cols-2 gap-3">
        {[
          ["As recorded", recorded, endings.recorded] as const,
          [`Otherwise, ${counted(taken.length, "step")}`, first, endings.varied] as const,
        ].map(([title, changes, ending]) => (
          <section key={title} aria-label={title} className="rounded border border-line p-3">
            <h3 className="font-medium">
              {title}: <span className="text-soft">{ended(ending)}</span>
            </h3>
            {changes.map((change) => (
              <p key={change.path} className="font-mono text-xs">
                {changeInWords(change)}
              </p>
            ))}
          </section>
        ))}
      </div>
      {apart.length > 0 ? (
        <Table heads={["At the end", "As recorded", "Otherwise"]}>
          {apart.map(({ path, before, after }) => (
            <tr key={path}>
              <td className="font-mono text-xs">{pathInWords(path)}</td>
              <td>{valueInWords(before)}</td>
              <td>{valueInWords(after)}</td>
            </tr>
          ))}
        </Table>
      ) : (
        <p>Both stand at the same.</p>
      )}
      <Button onClick={onSave}>Save its logbook</Button>
    </div>
  );
}

function saveLogbook({ text }: Variation, step: number): void {
  save(new Blob([text], { type: "application/x-ndjson" }), `otherwise-from-${step}.jsonl`);
}
