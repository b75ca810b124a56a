/**
 * A game's own log judged by the machine that is open: the log, the mapping that says what its rows mean, and what each
 * match in it comes to. Judged anew whenever the machine, the mapping or the log changes.
 */

import { type Compilation, type JudgedMatch, type JudgeResult, mapBeside } from "@zany/core";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { useLocation } from "wouter";
import { client } from "../service.js";
import { Button, counted, ErrorText, Scrolling } from "./basics.js";
import { Editor, type EditorHandle } from "./editor.js";
import type { Helper } from "./editor-help.js";
import { FileDrop } from "./file-drop.js";
import type { Editing, Files } from "./files.js";
import { MAIN, MAIN_NAME } from "./files.js";
import { save } from "./save.js";
import { useInPage } from "./searching.js";

/** The largest log that is read into the page, and the largest mapping, in bytes. */
const LARGEST_LOG = 64_000_000;
const LARGEST_MAP = 1_000_000;
/** Typing that pauses this long is judged, in milliseconds. */
const PAUSE = 400;
/** The name of the mapping beside the machine. */
const MAP = "map";
/** So many matches are listed. */
const LISTED = 200;

interface Log {
  readonly name: string;
  readonly text: string;
}

/** What was opened last, by the machine's name: a tab that is looked at again shows it still. */
const opened = new Map<
  string,
  { readonly log: Log | undefined; readonly map: string | undefined; readonly of: string }
>();
let times = 0;
/** Logs may be large: of more machines than this none is kept. */
const MOST_OPENED = 3;

interface LogProps {
  readonly compilation: Compilation;
  /** The machine's texts as they are judged by. */
  readonly files: Files;
  readonly editing: Editing;
  /** The texts are a stored version, which can replay what is judged. */
  readonly stored: boolean;
}

export function LogSide({ compilation, files, editing, stored }: LogProps): ReactNode {
  const { name } = compilation.machine;
  const [{ log, map, of }, setOpened] = useState(() => opened.get(name) ?? { log: undefined, map: undefined, of: "" });
  const change = (more: { readonly log?: Log; readonly map?: string }): void => {
    const now = { log, map, ...more, of: String(++times) };
    if (opened.size >= MOST_OPENED && !opened.has(name)) opened.clear();
    opened.set(name, now);
    setOpened(now);
  };
  const judging = useInPage("judge", files, of);
  const { result, run, running, problem } = judging;
  const isDue = log !== undefined && compilation.ok && !result;
  useEffect(() => {
    if (!isDue) return undefined;
    const machineFile = `${name}.zany`;
    const wish = { kind: "judge", log: log.text, machineFile, ...(map !== undefined && { map }) } as const;
    const timer = setTimeout(() => run(wish), PAUSE);
    return () => clearTimeout(timer);
  }, [isDue, log, map, name, run]);
  // What was told before stays in sight while it is judged anew.
  const last = useRef<JudgeResult>(undefined);
  if (result) last.current = result;
  const told = result ?? last.current;
  const proposed = map === undefined ? told?.map : undefined;
  const mapping = map ?? proposed ?? "";
  const editor = useRef<EditorHandle>(null);
  const messages = useMemo(() => result?.messages ?? [], [result]);
  const helper: Helper = {
    ask: (own = mapping) => ({ ...editing.asked(), file: MAP, beside: mapBeside({ name: MAP, text: own }) }),
    show: (span) => (span.file === MAP ? editor.current?.goTo(span.from) : editing.show(span)),
    list: () => {},
    rename: () => {},
  };
  return (
    <div className="flex h-full flex-col gap-2">
      <div className="grid grid-cols-2 gap-2">
        <FileDrop
          words={
            log ? `${log.name}, ${counted(log.text.split("\n").length - 1, "line")}` : "The log that the game wrote"
          }
          accept=".log,.jsonl,.ndjson,.csv,.json,.txt,text/plain"
          largest={LARGEST_LOG}
          onFile={(text, file) => change({ log: { name: file, text } })}
        />
        <FileDrop
          words={map === undefined ? "A mapping, if there is one" : "Another mapping"}
          accept=".map,text/plain"
          largest={LARGEST_MAP}
          onFile={(text) => change({ map: text })}
        />
      </div>
      {log || map !== undefined ? (
        <>
          <section aria-label="What its rows mean" className="flex h-2/5 min-h-32 flex-col border border-line">
            <div className="flex items-center gap-2 border-b border-line bg-sunken px-2 py-1">
              <span className="mr-auto text-soft">
                {proposed === undefined ? "What its rows mean" : "Proposed from the names in the log: read and mend it"}
              </span>
              <Button onClick={() => save(new Blob([mapping]), `${name}.map`)}>Save mapping</Button>
            </div>
            <div className="min-h-0 flex-1">
              <Editor
                kind="mapping"
                text={mapping}
                messages={messages}
                onChange={(text) => {
                  if (text !== mapping) change({ map: text });
                }}
                wrap={false}
                helper={helper}
                handle={editor}
              />
            </div>
          </section>
          <p role="status" className="text-soft">
            {standing(running || (isDue && problem === undefined), compilation.ok, log, told)}
          </p>
          <ErrorText error={problem} />
          {messages.length > 0 ? (
            <ul aria-label="What is wrong with the mapping" className="max-h-40 overflow-auto">
              {messages.map((m) => (
                <li key={`${m.name} ${m.from}`}>
                  <button
                    type="button"
                    onClick={() => editor.current?.goTo(m.from)}
                    className="flex w-full gap-3 py-0.5 text-left hover:bg-sunken"
                  >
                    <span className="w-16 shrink-0 text-bad">line {lineAt(mapping, m.from)}</span>
                    <span>
                      {m.words} <span className="text-soft">{m.help}</span>
                    </span>
                  </button>
                </li>
              ))}
            </ul>
          ) : null}
          <Scrolling label="What the log comes to">
            {told?.unreadable ? (
              <p className="text-bad">
                Line {told.unreadable.line} cannot be read: {told.unreadable.words}
              </p>
            ) : null}
            <ul aria-label="Matches" className={running ? "space-y-2 opacity-60" : "space-y-2"}>
              {told?.matches
                .toSorted((a, b) => Number(!a.finding) - Number(!b.finding))
                .slice(0, LISTED)
                .map((match) => (
                  <li key={match.match} className="rounded border border-line px-3 py-2">
                    <Match
                      of={match}
                      log={log?.name ?? ""}
                      stored={stored}
                      onMap={(place) => editor.current?.goTo(offsetOf(mapping, place))}
                      onMachine={(place) => editing.show(spanOf(files, place))}
                    />
                  </li>
                ))}
            </ul>
            {told && told.matches.length > LISTED ? (
              <p className="mt-2 text-soft">{told.matches.length - LISTED} more are not listed.</p>
            ) : null}
          </Scrolling>
        </>
      ) : (
        <p className="p-4 text-soft">
          Any game can be judged by its machine, also one of another engine: open the log that it writes. A mapping says
          what the rows of the log mean; a first one is proposed from the names that stand in it.
        </p>
      )}
    </div>
  );
}

function standing(working: boolean, ok: boolean, log: Log | undefined, told: JudgeResult | undefined): string {
  if (!ok) return "The machine has errors: mend them first.";
  if (!log) return "Open the log that the mapping is about.";
  if (working) return "Judging ...";
  if (!told || told.messages.length > 0 || told.unreadable) return "Not judged.";
  const good = told.matches.filter(({ finding }) => !finding).length;
  const bad = told.matches.length - good;
  return `${counted(good, "match", "matches")} explained, ${bad} not`;
}

function Match({
  of: { match, finding, rows, steps, skipped, ways, ending, unfinished, notCovered, logbook },
  log,
  stored,
  onMap,
  onMachine,
}: {
  of: JudgedMatch;
  log: string;
  stored: boolean;
  onMap: (place: string) => void;
  onMachine: (place: string) => void;
}): ReactNode {
  const [, navigate] = useLocation();
  const title = match === "" ? log : `${log} ${match}`;
  const open = useMutation({
    mutationFn: () => client.addLogbook(logbook ?? "", title.slice(0, 80)),
    onSuccess: ({ id }) => navigate(`/logbooks/${id}`),
  });
  const { source, mapped } = finding ?? {};
  return (
    <>
      <p>
        {match === "" ? null : <b>{match} </b>}
        {finding ? (
          <>
            <span className="font-medium text-bad">
              row {finding.row}
              {finding.inside === undefined ? "" : ` ${finding.inside}`}
            </span>
            {finding.did === "" ? null : <b>: {finding.did}</b>}
          </>
        ) : (
          <>
            <span className="font-medium text-good">explained</span>: {counted(rows, "row")}, {counted(steps, "step")}
            {ending === undefined ? "" : ` to ${ending}`}
            {skipped > 0 ? `, ${skipped} skipped` : ""}
            {ways > 1 ? `, ${ways} ways explain it` : ""}
            {unfinished ? `, not judged behind row ${unfinished.row}: ${unfinished.state} is not written yet` : ""}
          </>
        )}
      </p>
      {finding ? (
        <>
          <p>{finding.words}</p>
          {finding.why.map((words) => (
            <p key={words} className="text-soft">
              {words}
            </p>
          ))}
          <pre className="mt-1 overflow-auto rounded bg-sunken px-2 py-1 text-xs">{finding.text}</pre>
        </>
      ) : null}
      {notCovered.length > 0 ? (
        <p className="text-xs text-soft">The log was not compared with: {notCovered.join(", ")}</p>
      ) : null}
      <ErrorText error={open.error} />
      <p className="mt-1 flex flex-wrap gap-1.5">
        {source === undefined ? null : <Button onClick={() => onMachine(source)}>Line in the machine</Button>}
        {mapped === undefined ? null : <Button onClick={() => onMap(mapped)}>Line in the mapping</Button>}
        {logbook === undefined ? null : (
          <>
            <Button onClick={() => save(new Blob([logbook]), "match.jsonl")}>Save as logbook</Button>
            <Button
              disabled={!stored || open.isPending}
              title={stored ? undefined : "Store this version first"}
              onClick={() => open.mutate()}
            >
              Open in the replay
            </Button>
          </>
        )}
      </p>
    </>
  );
}

// ---- places ------------------------------------------------------------------------------------------

function lineAt(text: string, offset: number): number {
  return text.slice(0, offset).split("\n").length;
}

/** The offset of a place that is told as `file:line:column`. */
function offsetOf(text: string, place: string): number {
  const [column = 1, line = 1] = place.split(":").reverse().map(Number);
  const before = text.split("\n").slice(0, line - 1);
  return before.reduce((sum, one) => sum + one.length + 1, 0) + column - 1;
}

function spanOf(files: Files, place: string): { readonly file: string; readonly from: number; readonly to: number } {
  const file = place.split(":").slice(0, -2).join(":");
  const from = offsetOf(files[file === MAIN_NAME ? MAIN : file] ?? "", place);
  return { file, from, to: from };
}
