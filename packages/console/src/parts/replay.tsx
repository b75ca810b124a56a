/**
 * A logbook step by step, forwards and backwards, replayed here in the browser on any stored version of its machine.
 */

import { useQuery } from "@tanstack/react-query";
import type { StoredMachine } from "@zany/client";
import {
  beginOptions,
  type Diagram as Graph,
  diagramOf,
  differenceInWords,
  type Header,
  inputFrom,
  inputInWords,
  type Logbook,
  readLogbook,
  Replayer,
  Runnable,
  traceBegin,
  traceStep,
  turnOf,
  view,
} from "@zany/core";
import {
  type Dispatch,
  lazy,
  type ReactNode,
  type SetStateAction,
  Suspense,
  useCallback,
  useEffect,
  useMemo,
  useState,
} from "react";
import { type KeyHelp, pageKeys } from "../keys.js";
import { useTell } from "../registry.js";
import { useAddress } from "./address.js";
import { Button, Ended, ErrorText, Hint, Loading, Scrolling } from "./basics.js";
import { BothWays } from "./both-ways.js";
import { WatchingContext } from "./data.js";
import { Diagram } from "./diagram.js";
import { type Shown, StepCard, StepData } from "./replay-step.js";
import { marksOf } from "./replay-marks.js";
import { Scrubber } from "./scrubber.js";
import { VirtualList } from "./virtual-list.js";
import { WatchSide } from "./watch-side.js";
import { useWatching } from "./watching.js";
import { WhyPanel } from "./why-panel.js";
import { compileStored } from "../compiled.js";
import { client } from "../service.js";

const TestWindow = lazy(() => import("./test-window.js"));
const VaryWindow = lazy(() => import("./vary-window.js"));

interface Replay {
  readonly stored: StoredMachine;
  readonly runnable: Runnable;
  readonly header: Header;
  readonly steps: readonly Shown[];
  readonly logbook: Logbook;
  readonly graph: Graph;
  /** Index of the first step that differs, or -1. */
  readonly diverged: number;
}

export function Replay({ source, id }: { source: "logbook" | "match"; id: string }): ReactNode {
  const [version, setVersion] = useState("");
  const text = useQuery({
    queryKey: ["logbook text", source, id],
    queryFn: () => (source === "match" ? client.matchLogbook(id) : client.logbook(id)),
  });
  const logbook = useMemo(() => {
    try {
      return text.data === undefined ? undefined : readLogbook(text.data);
    } catch {
      return undefined;
    }
  }, [text.data]);
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const versions = machines.data?.filter((m) => m.name === logbook?.header.machine.name) ?? [];
  const chosen = version || versions[0]?.hash || "";
  const machine = useQuery({
    queryKey: ["machine", chosen],
    queryFn: () => client.machine(chosen),
    enabled: chosen !== "",
  });
  const replay = useReplayed(logbook, machine.data);
  // Where it diverges, the version that it was played on says how it went there, when it is stored.
  const playedOn = versions.find(({ hash }) => hash === logbook?.header.machine.hash);
  const isApart = playedOn !== undefined && playedOn.hash !== chosen && (replay?.diverged ?? -1) >= 0;
  const old = useQuery({
    queryKey: ["machine", playedOn?.hash],
    queryFn: () => client.machine(playedOn?.hash ?? ""),
    enabled: isApart,
  });
  const played = useReplayed(isApart ? logbook : undefined, old.data);

  const error = text.error ?? machines.error ?? machine.error;
  if (error) {
    return (
      <div className="p-6">
        <ErrorText error={error} />
      </div>
    );
  }
  if (text.data !== undefined && !logbook)
    return <Hint>This is not a logbook that can be shown. A match can be replayed when it is over.</Hint>;
  if (logbook && machines.data && versions.length === 0)
    return (
      <Hint>
        No version of {logbook.header.machine.name} is stored here, so it cannot be replayed. Upload its machine first.
      </Hint>
    );
  if (!replay) return <Loading />;
  return (
    <Player
      key={`${id} ${chosen}`}
      replay={replay}
      played={isApart ? played : undefined}
      chooser={
        <label className="flex items-center gap-2 text-soft">
          on version
          <select
            value={chosen}
            onChange={(e) => setVersion(e.target.value)}
            className="rounded border border-line bg-panel px-2 py-1 text-ink"
          >
            {versions.map((v) => (
              <option key={v.hash} value={v.hash}>
                {v.version}
                {v.hash === replay.header.machine.hash ? " (played on)" : ""}
              </option>
            ))}
          </select>
        </label>
      }
    />
  );
}

/** How long steps are replayed in one go, in milliseconds: between, the page answers. */
const PORTION = 12;

/** A logbook replayed on a machine; undefined until that is done. */
function useReplayed(logbook: Logbook | undefined, stored: StoredMachine | undefined): Replay | undefined {
  const [replay, setReplay] = useState<Replay>();
  useEffect(() => {
    setReplay(undefined);
    if (!logbook || !stored) return;
    const portions = replayed(logbook, stored);
    let timer: ReturnType<typeof setTimeout>;
    const go = (): void => {
      const until = performance.now() + PORTION;
      let { done, value } = portions.next();
      while (!done && performance.now() < until) ({ done, value } = portions.next());
      if (value) setReplay(value);
      else timer = setTimeout(go);
    };
    timer = setTimeout(go);
    return () => clearTimeout(timer);
  }, [logbook, stored]);
  return replay;
}

/** Replays step by step; at the end it gives what that came to. */
function* replayed(logbook: Logbook, stored: StoredMachine): Generator<undefined, Replay> {
  const { machine } = compileStored(stored);
  const runnable = new Runnable(machine);
  const replayer = new Replayer(runnable, logbook.header);
  const steps: Shown[] = [];
  let diverged = -1;
  for (const [i, line] of logbook.steps.entries()) {
    yield undefined;
    const { differences } = replayer.next(line);
    if (differences.length > 0 && diverged < 0) diverged = i;
    const { situation } = replayer;
    steps.push({
      line,
      differences,
      turn: situation ? turnOf(runnable, situation) : [],
      ...(situation && { situation }),
    });
  }
  return { stored, runnable, header: logbook.header, steps, logbook, graph: diagramOf(machine), diverged };
}

/** @param played the same on the version it was played on, where that is another and goes otherwise */
function Player({
  replay,
  played,
  chooser,
}: {
  replay: Replay;
  played: Replay | undefined;
  chooser: ReactNode;
}): ReactNode {
  const { stored, runnable, steps, diverged, header, logbook, graph } = replay;
  const watching = useWatching(header.machine.name);
  const situations = useMemo(() => steps.map(({ situation }) => situation), [steps]);
  const last = steps.length - 1;
  const [stepText, setStepText] = useAddress("step");
  const [at, setAt] = useState(() => stepIn(stepText, last) ?? (diverged >= 0 ? diverged : 0));
  // Scrubbing does not write every step that is passed into the address.
  useEffect(() => {
    const timer = setTimeout(() => setStepText(String(at)), PAUSE);
    return () => clearTimeout(timer);
  }, [at, setStepText]);
  const go = useCallback((to: number): void => setAt(Math.max(0, Math.min(last, to))), [last]);
  const [side, setSide] = useAddress("side");
  const marks = useMemo(() => marksOf(steps, diverged, logbook.refused), [steps, diverged, logbook]);

  const [playing, setPlaying] = useState(false);
  useStepKeys(
    last,
    setAt,
    () => setSide(side === "why" ? "" : "why"),
    () => setPlaying((now) => !now),
  );
  useTell(pageKeys, KEYS);
  const shown = steps[at] as Shown;
  const [now, before] = [shown, steps[at - 1]].map((step) =>
    step?.situation ? view(runnable, step.situation, null) : undefined,
  );
  const over = now?.outcome;
  const isWatching = side === "watch";
  const views = useMemo(
    () => (isWatching ? situations.map((situation) => situation && view(runnable, situation, null)) : []),
    [isWatching, situations, runnable],
  );
  return (
    <WatchingContext value={watching}>
      <div className="flex h-full flex-col">
        <div className="flex flex-wrap items-center gap-3 border-b border-line px-4 py-2">
          <h1 className="text-base font-semibold">{header.machine.name}</h1>
          <span className="text-soft">
            seed <code>{header.seed}</code>
          </span>
          {chooser}
          <ForStep replay={replay} at={at} />
          <span className="ml-auto">
            {logbook.closing?.result ? (
              <Ended outcome={logbook.closing.result} />
            ) : (
              <span className="text-soft">not over</span>
            )}
          </span>
        </div>
        <Scrubber at={at} last={last} marks={marks} playing={playing} onPlay={setPlaying} onGo={go} />
        {diverged >= 0 ? (
          <DivergenceBar step={diverged} at={at} line={steps[diverged] as Shown} onGo={() => go(diverged)} />
        ) : null}
        <div className="grid min-h-0 flex-1 grid-cols-[15rem_minmax(0,1.2fr)_minmax(0,1fr)]">
          <StepList steps={steps} at={at} diverged={diverged} onPick={go} />
          <Scrolling label="The step and its data">
            <StepCard
              shown={shown}
              before={before}
              refused={logbook.refused.filter(({ after }) => after === shown.line.step)}
              bothWays={played !== undefined}
            />
            {played && at >= diverged ? <Ways of={[played, replay]} at={at} /> : null}
            {now ? (
              <StepData view={now} line={shown.line} />
            ) : (
              <p className="mt-3 text-soft">
                The match does not begin on this version; only what was recorded is known.
              </p>
            )}
          </Scrolling>
          <div className="flex min-h-0 flex-col border-l border-line bg-panel">
            <div role="tablist" aria-label="Beside the step" className="flex gap-1 border-b border-line bg-sunken">
              {SIDES.map(([name, words]) => (
                <button
                  key={name}
                  type="button"
                  role="tab"
                  aria-selected={name === (side || "diagram")}
                  onClick={() => setSide(name)}
                  className={`px-4 py-1.5 ${name === (side || "diagram") ? "bg-panel font-medium" : "text-soft"}`}
                >
                  {words}
                </button>
              ))}
            </div>
            {side === "why" ? (
              <Why replay={replay} at={at} />
            ) : side === "watch" ? (
              <WatchSide stored={stored} watching={watching} situations={situations} views={views} at={at} onGo={go} />
            ) : (
              <div className="min-h-0 flex-1 p-2">
                <Diagram graph={graph} active={over ? [over.ending] : (now?.states ?? shown.line.states)} />
              </div>
            )}
          </div>
        </div>
      </div>
    </WatchingContext>
  );
}

/** A step both ways, where both versions come to it. */
function Ways({ of, at }: { of: readonly [Replay, Replay]; at: number }): ReactNode {
  const [played, here] = of.map(({ stored, runnable, steps }) => {
    const situation = steps[at]?.situation;
    return situation && { version: String(stored.version), runnable, situation };
  });
  return played && here ? <BothWays played={played} here={here} /> : null;
}

/** What can be made of the match up to a step. */
function ForStep({ replay: { stored, runnable, logbook }, at }: { replay: Replay; at: number }): ReactNode {
  const [open, setOpen] = useState<"test" | "vary">();
  const close = (): void => setOpen(undefined);
  const shared = { stored, logbook, step: at, onClose: close };
  return (
    <>
      <Button disabled={at === 0} onClick={() => setOpen("test")}>
        Make a test
      </Button>
      <Button disabled={at === 0} onClick={() => setOpen("vary")}>
        Go on otherwise
      </Button>
      <Suspense>
        {open === "test" ? <TestWindow {...shared} /> : null}
        {open === "vary" ? <VaryWindow runnable={runnable} {...shared} /> : null}
      </Suspense>
    </>
  );
}

/** What can stand beside a step. */
const SIDES = [
  ["diagram", "Diagram"],
  ["why", "Why"],
  ["watch", "Watch"],
] as const;

/** A step taken again, with all it asked and did. */
function Why({ replay: { runnable, steps, header }, at }: { replay: Replay; at: number }): ReactNode {
  const trace = useMemo(() => {
    const { line } = steps[at] as Shown;
    if (at === 0) return traceBegin(runnable, beginOptions(header, line.input));
    const before = steps[at - 1]?.situation;
    return before && traceStep(runnable, before, inputFrom(line)).at(-1);
  }, [runnable, steps, header, at]);
  return (
    <div className="min-h-0 flex-1">
      <WhyPanel runnable={runnable} trace={trace} about={steps[at]?.differences[0]?.path} />
    </div>
  );
}

/** When a step has been looked at for so long, the address names it, in milliseconds. */
const PAUSE = 400;

function stepIn(text: string, last: number): number | undefined {
  const step = Number(text);
  return text !== "" && Number.isInteger(step) && step >= 0 && step <= last ? step : undefined;
}

/** The keys that go through the steps, wherever the focus is. */
const KEYS: readonly KeyHelp[] = [
  { keys: "\u2190 \u2192", words: "one step back, one step on" },
  { keys: "PgUp PgDn", words: "ten steps back, ten steps on" },
  { keys: "Home End", words: "the first step, the last step" },
  { keys: "W", words: "why, or the diagram" },
  { keys: "Space", words: "play, or stop" },
];

function useStepKeys(
  last: number,
  setAt: Dispatch<SetStateAction<number>>,
  onWhy: () => void,
  onPlay: () => void,
): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (
        event.target instanceof HTMLSelectElement ||
        event.target instanceof HTMLInputElement ||
        event.ctrlKey ||
        event.altKey ||
        event.metaKey
      )
        return;
      const moves: Readonly<Record<string, (now: number) => number>> = {
        ArrowLeft: (n) => n - 1,
        ArrowRight: (n) => n + 1,
        PageUp: (n) => n - 10,
        PageDown: (n) => n + 10,
        Home: () => 0,
        End: () => last,
      };
      const move = moves[event.key];
      const pressed = event.target instanceof HTMLButtonElement && event.key === " ";
      const other = event.key === "w" ? onWhy : event.key === " " && !pressed ? onPlay : undefined;
      if (other) {
        event.preventDefault();
        other();
        return;
      }
      if (!move) return;
      event.preventDefault();
      setAt((now) => Math.max(0, Math.min(last, move(now))));
    };
    // Before the slider's own keys, so that a key means the same wherever the focus is.
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [last, setAt, onWhy, onPlay]);
}

function DivergenceBar({
  step,
  at,
  line,
  onGo,
}: {
  step: number;
  at: number;
  line: Shown;
  onGo: () => void;
}): ReactNode {
  return (
    <div role="alert" className="flex items-center gap-3 border-b border-bad bg-bad-wash px-4 py-1.5 text-bad">
      <span>
        Diverges at step {step}, {inputInWords(line.line.input)}:{" "}
        {line.differences.slice(0, 3).map(differenceInWords).join("; ")}
      </span>
      {at === step ? null : (
        <Button className="ml-auto" onClick={onGo}>
          Go there
        </Button>
      )}
    </div>
  );
}

function StepList({
  steps,
  at,
  diverged,
  onPick,
}: {
  steps: readonly Shown[];
  at: number;
  diverged: number;
  onPick: (at: number) => void;
}): ReactNode {
  const row = (i: number): ReactNode => {
    const { line } = steps[i] as Shown;
    return (
      <button
        type="button"
        aria-current={i === at ? "step" : undefined}
        onClick={() => onPick(i)}
        className={
          `flex w-full gap-2 px-3 py-0.5 text-left ${i === at ? "bg-sea-wash font-medium" : "hover:bg-sunken"} ` +
          `${diverged >= 0 && i > diverged ? "text-soft italic" : ""} ${i === diverged ? "text-bad" : ""}`
        }
      >
        <span className="w-8 shrink-0 text-right tabular-nums text-soft">{line.step}</span>
        <span className="truncate">{inputInWords(line.input)}</span>
      </button>
    );
  };
  return (
    <VirtualList
      label="Steps"
      count={steps.length}
      height={25}
      at={at}
      row={row}
      className="border-r border-line py-1"
    />
  );
}
