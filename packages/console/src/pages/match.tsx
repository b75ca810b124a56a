/** A match as it is played: every seat this browser holds a key for side by side, the live diagram, what happened. */

import { useQuery } from "@tanstack/react-query";
import { type SeenMatch, ServiceProblem } from "@zany/client";
import { type ActionOption, diagramOf, inputInWords, noteInWords, type StepLine } from "@zany/core";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { Link } from "wouter";
import { Ended, Quiet, Trouble } from "../parts/basics.js";
import { SeatData, SharedData } from "../parts/data.js";
import { Diagram } from "../parts/diagram.js";
import { client, compileStored, keysOf } from "../service.js";

export default function MatchPage({ id }: { id: string }): ReactNode {
  const keys = useMemo(() => keysOf(id), [id]);
  const seats = Object.keys(keys);
  const [seen, setSeen] = useState<Readonly<Record<string, SeenMatch>>>({});
  const [lines, setLines] = useState<readonly StepLine[]>([]);
  const [away, setAway] = useState(false);
  const first = useQuery({ queryKey: ["match", id], queryFn: () => client.match(id), staleTime: 0 });
  const info = useQuery({ queryKey: ["match machine", id], queryFn: () => client.machine(first.data?.machine ?? ""), enabled: first.data !== undefined });

  useEffect(() => {
    const abort = new AbortController();
    setSeen({});
    setLines([]);
    const follow = async (seat: string, key: string | undefined): Promise<void> => {
      for await (const event of client.follow(id, { ...(key !== undefined && { key }), after: -1, signal: abort.signal })) {
        setAway(event.kind === "away");
        if (event.kind === "now") setSeen((before) => ({ ...before, [seat]: event.match }));
        else if (event.kind === "step") setLines((before) => (before.some((l) => l.step === event.line.step) ? before : [...before, event.line].sort((a, b) => a.step - b.step)));
      }
    };
    const wanted = Object.entries(keysOf(id));
    const streams = wanted.length > 0 ? wanted.map(([seat, key]) => follow(seat, key)) : [follow("", undefined)];
    for (const stream of streams) stream.catch(() => setAway(!abort.signal.aborted));
    return () => abort.abort();
  }, [id]);

  const graph = useMemo(() => (info.data ? diagramOf(compileStored(info.data).machine) : undefined), [info.data]);
  if (first.error) {
    return (
      <div className="p-6">
        <Trouble error={first.error} />
      </div>
    );
  }
  const any = Object.values(seen)[0] ?? first.data;
  if (!any) return <Quiet>One moment ...</Quiet>;
  const { view } = any;
  const here = view.outcome ? [view.outcome.ending] : view.states;
  const names = seats.length > 0 ? seats : view.seats.map((s) => s.seat);
  const changed = new Set(lines.at(-1)?.changes.map((c) => c.path) ?? []);
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-center gap-3 border-b border-line px-4 py-2">
        <h1 className="text-base font-semibold">{view.machine}</h1>
        <span className="font-mono text-soft">{id}</span>
        <span className="text-soft">step {view.step}</span>
        <span role="status" className="rounded bg-sunken px-2 py-0.5">
          {view.outcome ? <Ended outcome={view.outcome} /> : view.states.join(" \u203a ")}
        </span>
        {away ? <span className="rounded bg-bad-wash px-2 py-0.5 text-bad">connection lost, trying again</span> : null}
        {any.suspended === null ? null : <span className="rounded bg-bad-wash px-2 py-0.5 text-bad">suspended: {any.suspended}</span>}
        <span className="ml-auto flex gap-4">
          {view.outcome ? (
            <Link href={`/matches/${id}/replay`} className="text-sea underline-offset-2 hover:underline">
              Replay
            </Link>
          ) : null}
          <a href={`/api/matches/${id}/logbook`} download className="text-sea underline-offset-2 hover:underline">
            Logbook
          </a>
        </span>
      </div>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.45fr)_minmax(0,1fr)]">
        <div className="flex min-h-0 flex-col overflow-auto">
          <div className="grid gap-3 p-3" style={{ gridTemplateColumns: `repeat(${Math.min(3, names.length)}, minmax(0, 1fr))` }}>
            {names.map((seat) => (
              <SeatPanel key={seat} seat={seat} match={seen[seat] ?? any} matchKey={keys[seat]} id={id} changed={changed} />
            ))}
          </div>
          <div className="border-t border-line px-4 py-2">
            <SharedData view={view} changed={changed} />
          </div>
        </div>
        <div className="flex min-h-0 flex-col border-l border-line bg-panel">
          <section aria-label="Diagram" className="min-h-0 flex-[1.4] p-2">
            {graph ? <Diagram graph={graph} active={here} /> : null}
          </section>
          <Story lines={lines} />
        </div>
      </div>
    </div>
  );
}

function SeatPanel({ seat, match, matchKey, id, changed }: { seat: string; match: SeenMatch; matchKey: string | undefined; id: string; changed: ReadonlySet<string> }): ReactNode {
  const { view } = match;
  const onTurn = view.turn.includes(seat);
  const status = view.seats.find((s) => s.seat === seat)?.status;
  const result = view.outcome?.results.find((r) => r.seat === seat)?.result;
  const options = match.seat === seat ? match.options : [];
  return (
    <section aria-label={seat} className={`rounded-lg border bg-panel ${onTurn ? "border-sail ring-1 ring-sail" : "border-line"}`}>
      <h2 className={`flex items-center gap-2 rounded-t-lg px-3 py-2 font-semibold ${onTurn ? "bg-sail-wash" : "bg-sunken"}`}>
        {seat}
        <span className="ml-auto text-xs font-normal text-soft">{result ?? (onTurn ? "on turn" : status === "out" ? "out" : status === "open" ? "open" : view.turn.length > 0 ? `waits for ${view.turn.join(", ")}` : "")}</span>
      </h2>
      <div className="p-2">
        <SeatData view={view} seat={seat} changed={changed} />
      </div>
      {matchKey !== undefined && options.length > 0 ? <Actions id={id} seat={seat} matchKey={matchKey} step={view.step} options={options} /> : null}
    </section>
  );
}

/** The actions of a seat: open ones as buttons, closed ones with their reason. */
function Actions({ id, seat, matchKey, step, options }: { id: string; seat: string; matchKey: string; step: number; options: readonly ActionOption[] }): ReactNode {
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<unknown>(null);
  const [choosing, setChoosing] = useState<{ option: ActionOption; args: Readonly<Record<string, unknown>> } | null>(null);
  const before = useRef(step);
  if (before.current !== step) {
    before.current = step;
    if (problem !== null) setProblem(null);
    if (choosing !== null) setChoosing(null);
  }

  const act = async (action: string, args: Readonly<Record<string, unknown>>): Promise<void> => {
    setBusy(true);
    setProblem(null);
    try {
      await client.act(id, matchKey, action, args, step, crypto.randomUUID());
    } catch (error) {
      // A step that came in between is news, not a problem: the new view is on its way.
      if (!(error instanceof ServiceProblem && error.code === "stale")) setProblem(error);
    } finally {
      setBusy(false);
    }
  };

  const choose = async (option: ActionOption, args: Readonly<Record<string, unknown>>): Promise<void> => {
    const next = option.parameters.find((p) => !Object.hasOwn(args, p.name));
    if (!next) return act(option.action, args);
    const current = Object.keys(args).length === 0 ? option : await client.choose(id, matchKey, option.action, args).catch(setProblem);
    if (!current) return;
    const open = current.parameters[0]?.values?.filter((v) => v.open);
    if (open?.length === 1 && current.parameters[0]) return choose(option, { ...args, [current.parameters[0].name]: open[0]?.value });
    setChoosing({ option: { ...option, parameters: [...option.parameters.filter((p) => Object.hasOwn(args, p.name)), ...current.parameters] }, args });
  };

  return (
    <div className="border-t border-line p-2">
      <ul className="space-y-1" aria-label={`Actions of ${seat}`}>
        {options.map((option) => (
          <li key={option.action} className="flex items-baseline gap-2">
            <button
              type="button"
              disabled={!option.open || busy}
              title={option.doc}
              onClick={() => void choose(option, {})}
              className="min-w-24 shrink-0 rounded border border-sea bg-sea-wash px-2 py-1 text-left font-medium text-sea hover:bg-sea hover:text-panel disabled:cursor-not-allowed disabled:border-line disabled:bg-transparent disabled:text-soft"
            >
              {option.action}
            </button>
            <span className="min-w-0 truncate text-xs text-soft" title={option.open ? option.doc : option.reason}>
              {option.open ? (option.doc ?? "") : option.reason}
            </span>
          </li>
        ))}
      </ul>
      {choosing ? <Chooser key={Object.keys(choosing.args).length} choosing={choosing} onChoose={(args) => void choose(choosing.option, args)} onClose={() => setChoosing(null)} /> : null}
      <div className="mt-2">
        <Trouble error={problem} />
      </div>
    </div>
  );
}

function Chooser({ choosing, onChoose, onClose }: { choosing: { option: ActionOption; args: Readonly<Record<string, unknown>> }; onChoose: (args: Readonly<Record<string, unknown>>) => void; onClose: () => void }): ReactNode {
  const { option, args } = choosing;
  const parameter = option.parameters.find((p) => !Object.hasOwn(args, p.name));
  const [typed, setTyped] = useState("");
  if (!parameter) return null;
  return (
    <fieldset className="mt-2 rounded border border-line p-2">
      <legend className="px-1 text-soft">
        {option.action}: {parameter.name}
      </legend>
      <div className="flex flex-wrap gap-1">
        {parameter.values?.map((v) => (
          <button
            key={v.label}
            type="button"
            disabled={!v.open}
            title={v.reason}
            onClick={() => onChoose({ ...args, [parameter.name]: v.value })}
            className="rounded border border-sea px-2 py-1 text-sea hover:bg-sea hover:text-panel disabled:border-line disabled:text-soft disabled:hover:bg-transparent"
          >
            {v.label}
          </button>
        ))}
        {parameter.values ? null : (
          <form
            onSubmit={(event) => {
              event.preventDefault();
              onChoose({ ...args, [parameter.name]: parameter.range ? Number(typed) : typed });
            }}
          >
            <input aria-label={parameter.name} value={typed} onChange={(e) => setTyped(e.target.value)} type={parameter.range ? "number" : "text"} min={parameter.range?.low} max={parameter.range?.high} maxLength={parameter.textMax} className="rounded border border-line bg-cloth px-2 py-1" />
          </form>
        )}
        <button type="button" onClick={onClose} className="ml-auto px-2 py-1 text-soft">
          Back
        </button>
      </div>
      {parameter.values
        ?.filter((v) => !v.open)
        .map((v) => (
          <p key={v.label} className="mt-1 text-xs text-soft">
            {v.label}: {v.reason}
          </p>
        ))}
    </fieldset>
  );
}

/** What happened, the newest at the end and in sight. */
function Story({ lines }: { lines: readonly StepLine[] }): ReactNode {
  const end = useRef<HTMLLIElement>(null);
  const count = lines.length;
  useEffect(() => {
    if (count > 0) end.current?.scrollIntoView({ block: "nearest" });
  }, [count]);
  return (
    <section aria-label="What happened" className="min-h-0 flex-1 overflow-auto border-t border-line">
      <ol className="px-3 py-2" aria-live="polite">
        {lines.map((line, i) => (
          <li key={line.step} ref={i === lines.length - 1 ? end : undefined} className="flex gap-2 py-0.5">
            <span className="w-8 shrink-0 text-right tabular-nums text-soft">{line.step}</span>
            <span className="min-w-0">
              <span className="font-medium">{inputInWords(line.input)}</span>
              {line.draws.length > 0 ? <span className="text-soft"> dice {line.draws.map((d) => String(d.value)).join(", ")}</span> : null}
              {line.notes.map((note) => (
                <span key={noteInWords(note)} className="block">
                  {noteInWords(note)}
                </span>
              ))}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}
