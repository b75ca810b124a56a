/** The messages about a machine, or the words that there are none. */

import { type Compilation, KINDS, type Message } from "@zany/core";
import { type ReactNode, useState } from "react";
import { Button, counted } from "./basics.js";
import { pathAt } from "./files.js";
import type { ShownMatch } from "./match-window.js";

const COLOURS = { error: "text-bad", warning: "text-sail", hint: "text-soft" } as const;

interface MessagesProps {
  readonly compilation: Compilation;
  readonly messages: readonly Message[];
  /** False while only names and types have been looked at. */
  readonly complete: boolean;
  readonly onPick: (position: number) => void;
  readonly onFix: (message: Message) => void;
  readonly onMatch: (match: ShownMatch) => void;
}

/** All messages about a machine, each with its page and its fix. */
export function MessageList({ compilation, messages, complete, onPick, onFix, onMatch }: MessagesProps): ReactNode {
  const { sources, machine } = compilation;
  const [explained, setExplained] = useState<string>();
  if (messages.length === 0 && !complete) {
    return (
      <p role="status" className="border-t border-line px-4 py-2 text-soft">
        Checking ...
      </p>
    );
  }
  if (messages.length === 0) {
    return (
      <p role="status" className="border-t border-line px-4 py-2 text-good">
        No problems found in {machine.name}: {counted(machine.states.length - 1, "state")},{" "}
        {counted(machine.actions.length, "action")}, {counted(machine.endings.length, "ending")},{" "}
        {counted(machine.tests.length, "test")}.
      </p>
    );
  }
  return (
    <>
      {explained === undefined ? null : <Explained name={explained} />}
      <ul aria-label="Messages" className="max-h-52 overflow-auto border-t border-line">
        {messages.map((m) => (
          <li key={`${m.name} ${m.from}`} className="flex items-start">
            <button
              type="button"
              onClick={() => onPick(m.from)}
              className="flex w-full gap-3 px-4 py-1.5 text-left hover:bg-sunken"
            >
              <span className={`w-14 shrink-0 font-medium ${COLOURS[m.severity]}`}>
                {[pathAt(compilation, m.from), "line", sources.place(m.from).line].filter(Boolean).join(" ")}
              </span>
              <span>
                {m.words} <span className="text-soft">{m.help}</span>
              </span>
            </button>
            <Button
              aria-expanded={explained === m.name}
              onClick={() => setExplained(explained === m.name ? undefined : m.name)}
              className="m-1 shrink-0"
            >
              Explain
            </Button>
            {m.evidence ? (
              <Button
                onClick={() => m.evidence && onMatch({ title: m.words, evidence: m.evidence })}
                className="m-1 shrink-0"
              >
                Show the match
              </Button>
            ) : null}
            {m.fix ? (
              <Button onClick={() => onFix(m)} className="m-1 shrink-0">
                {m.fix.title}
              </Button>
            ) : null}
          </li>
        ))}
      </ul>
    </>
  );
}

/** The page of a message: what it means, a file that triggers it, the same fixed. */
function Explained({ name }: { name: string }): ReactNode {
  const kind = KINDS.get(name);
  if (!kind) return null;
  return (
    <section aria-label={`About ${name}`} className="max-h-64 overflow-auto border-t border-line px-4 py-2">
      <p>
        <b>{name}</b> {kind.title} {kind.about}
      </p>
      <div className="grid grid-cols-2 gap-3">
        {[
          ["Triggers it", kind.triggers],
          ["Fixed", kind.fixed],
        ].map(([title, text]) => (
          <div key={title}>
            <p className="text-soft">{title}</p>
            <pre className="overflow-auto rounded bg-sunken p-2 text-xs">{text}</pre>
          </div>
        ))}
      </div>
    </section>
  );
}
