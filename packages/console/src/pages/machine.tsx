/** One machine: its text with live messages, and beside it the diagram drawn from it. */

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type Compilation, compile, diagramOf, format, type Message } from "@zany/core";
import { type ReactNode, useDeferredValue, useMemo, useRef, useState } from "react";
import { useLocation } from "wouter";
import { Button, Quiet, Trouble } from "../parts/basics.js";
import { BeginMatch } from "../parts/begin-match.js";
import { Diagram } from "../parts/diagram.js";
import { Editor, type EditorHandle } from "../parts/editor.js";
import { client, keepKeys } from "../service.js";

const STARTER = `machine Untitled
seats first, second

data {
  onTurn: seat = first
}

start Turn

state Turn {
  turn of onTurn

  action pass { onTurn = next(me) } -> stay
  action giveUp -> Over(next(me))
}

ending Over(winner: seat) { wins winner  loses others }
`;

export default function MachinePage({ reference }: { reference: string }): ReactNode {
  const fresh = reference === "new";
  const { data, error } = useQuery({ queryKey: ["machine", reference], queryFn: () => client.machine(reference), enabled: !fresh });
  if (error) {
    return (
      <div className="p-6">
        <Trouble error={error} />
      </div>
    );
  }
  if (!fresh && !data) return <Quiet>One moment ...</Quiet>;
  return <Workbench key={data?.hash ?? "new"} stored={data ? { [MAIN]: data.text, ...data.parts } : NEW} label={data ? `${data.name}@${data.number}` : "New machine"} hash={data?.hash} />;
}

/** The texts of a machine's files by their paths. */
type Files = Readonly<Record<string, string>>;

/** The path under which the machine's own file is kept here. */
const MAIN = "";
const NEW: Files = { [MAIN]: STARTER };

function Workbench({ stored, label, hash }: { stored: Files; label: string; hash: string | undefined }): ReactNode {
  const [files, setFiles] = useState(stored);
  const [open, setOpen] = useState(MAIN);
  const text = files[open] ?? "";
  const setText = (now: string): void => setFiles((before) => ({ ...before, [open]: now }));
  const [, navigate] = useLocation();
  const queries = useQueryClient();
  const editor = useRef<EditorHandle>(null);
  const settled = useDeferredValue(files);
  const compilation = useMemo(() => compile(settled[MAIN] ?? "", MAIN_NAME, (path) => (Object.hasOwn(settled, path) ? settled[path] : undefined)), [settled]);
  const shown = useMemo(() => messagesIn(compilation, open), [compilation, open]);
  const graph = useMemo(() => diagramOf(compilation.machine), [compilation]);
  const changed = Object.entries(files).some(([path, now]) => now !== stored[path]) || hash === undefined;

  const save = useMutation({
    mutationFn: () => client.addMachine(files[MAIN] ?? "", compilation.parts),
    onSuccess: async (machine) => {
      await queries.invalidateQueries();
      navigate(`/machines/${machine.name}@${machine.number}`);
    },
  });
  const play = useMutation({
    mutationFn: () => client.beginMatch({ machine: hash ?? "" }),
    onSuccess: (match) => {
      keepKeys(match.id, match.keys, match.gameKey);
      navigate(`/matches/${match.id}`);
    },
  });

  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-3 border-b border-line px-4 py-2">
        <h1 className="text-base font-semibold">{label}</h1>
        <span className="text-soft">{changed ? "not stored yet" : `stored as ${hash?.slice(0, 8)}`}</span>
        <span className="ml-auto hidden text-xs text-soft lg:inline">Esc, then Tab, leaves the editor</span>
        <Button onClick={() => setText(format(text))}>Format</Button>
        <Button disabled={!changed || !compilation.ok || save.isPending} onClick={() => save.mutate()}>
          Store version
        </Button>
        {hash === undefined || changed ? null : <BeginMatch machine={hash} label="Begin with ..." look="plain" />}
        <Button look="main" disabled={changed || play.isPending} title={changed ? "Store it first" : undefined} onClick={() => play.mutate()}>
          Begin a match
        </Button>
      </div>
      <Trouble error={save.error ?? play.error} />
      <div className="grid min-h-0 flex-1 grid-cols-2">
        <div className="flex min-h-0 flex-col border-r border-line">
          <FileTabs paths={Object.keys(files)} open={open} onOpen={setOpen} />
          <div className="min-h-0 flex-1">
            <Editor key={open} text={text} messages={shown} onChange={setText} handle={editor} />
          </div>
          <Messages
            compilation={compilation}
            onPick={(position) => {
              const path = pathOf(compilation, position);
              const go = (): void => editor.current?.goTo(position - baseOf(compilation, path));
              if (path === open) return go();
              setOpen(path);
              // The other file's editor exists after the next render.
              setTimeout(go);
            }}
          />
        </div>
        <section aria-label="Diagram" className="min-h-0 bg-panel p-2">
          <Diagram graph={graph} />
        </section>
      </div>
    </div>
  );
}

/** The name of the machine's own file, in messages and tabs. */
const MAIN_NAME = "machine";

/** The machine's own file has no folder, so an included file's name is its path. */
function pathOf({ sources }: Compilation, position: number): string {
  const { file } = sources.place(position);
  return file === MAIN_NAME ? MAIN : file;
}

function baseOf({ sources }: Compilation, path: string): number {
  return sources.files.find((file) => file.name === (path === MAIN ? MAIN_NAME : path))?.base ?? 0;
}

/** The messages of one file, with offsets in it. */
function messagesIn(compilation: Compilation, path: string): Message[] {
  const base = baseOf(compilation, path);
  return compilation.messages.filter((m) => pathOf(compilation, m.from) === path).map((m) => ({ ...m, from: m.from - base, to: m.to - base }));
}

function FileTabs({ paths, open, onOpen }: { paths: readonly string[]; open: string; onOpen: (path: string) => void }): ReactNode {
  if (paths.length < 2) return null;
  return (
    <div role="tablist" aria-label="Files" className="flex border-b border-line bg-sunken">
      {paths.map((path) => (
        <button key={path} type="button" role="tab" aria-selected={path === open} onClick={() => onOpen(path)} className={`px-4 py-1.5 ${path === open ? "bg-panel font-medium" : "text-soft"}`}>
          {path === MAIN ? MAIN_NAME : path}
        </button>
      ))}
    </div>
  );
}

function Messages({ compilation, onPick }: { compilation: Compilation; onPick: (offset: number) => void }): ReactNode {
  const { messages, sources, machine } = compilation;
  if (messages.length === 0) {
    return (
      <p role="status" className="border-t border-line px-4 py-2 text-good">
        {machine.name} is well: {machine.states.length - 1} states, {machine.actions.length} actions, {machine.endings.length} endings, {machine.tests.length} tests.
      </p>
    );
  }
  return (
    <ul aria-label="Messages" className="max-h-52 overflow-auto border-t border-line">
      {messages.map((m) => (
        <li key={`${m.name} ${m.from}`}>
          <button type="button" onClick={() => onPick(m.from)} className="flex w-full gap-3 px-4 py-1.5 text-left hover:bg-sunken">
            <span className={`w-14 shrink-0 font-medium ${m.severity === "error" ? "text-bad" : "text-sail"}`}>{[pathOf(compilation, m.from), "line", sources.place(m.from).line].filter(Boolean).join(" ")}</span>
            <span>
              {m.words} <span className="text-soft">{m.help}</span>
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}
