/** One machine: its text with live messages, and beside it the diagram drawn from it. */

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  type Asked,
  type Compilation,
  compile,
  diagramOf,
  type FileSpan,
  format,
  KINDS,
  applyFixes,
  type Message,
  rename,
} from "@zany/core";
import { type ReactNode, useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import { useLocation } from "wouter";
import { Button, Hint, ErrorText } from "../parts/basics.js";
import { BeginMatch } from "../parts/begin-match.js";
import { useMessages } from "../parts/checking.js";
import { Diagram } from "../parts/diagram.js";
import { Editor, type EditorHandle } from "../parts/editor.js";
import type { Helper } from "../parts/editor-help.js";
import { MachineTable } from "../parts/table.js";
import { client, keepKeys } from "../service.js";

const STARTER = `machine Untitled
seats first, second

on Left(s) -> Over(next(s))

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
  const { data, error } = useQuery({
    queryKey: ["machine", reference],
    queryFn: () => client.machine(reference),
    enabled: !fresh,
  });
  if (error) {
    return (
      <div className="p-6">
        <ErrorText error={error} />
      </div>
    );
  }
  if (!fresh && !data) return <Hint>Loading ...</Hint>;
  return (
    <Workbench
      key={data?.hash ?? "new"}
      stored={data ? { [MAIN]: data.text, ...data.parts } : NEW}
      label={data ? `${data.name}@${data.version}` : "New machine"}
      hash={data?.hash}
    />
  );
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
  const compilation = useMemo(
    () =>
      compile(settled[MAIN] ?? "", MAIN_NAME, (path) => (Object.hasOwn(settled, path) ? settled[path] : undefined), {
        errorsOnly: true,
      }),
    [settled],
  );
  const { messages, complete } = useMessages(compilation, settled[MAIN] ?? "", MAIN_NAME, settled);
  const shown = useMemo(() => messagesIn(compilation, messages, open), [compilation, messages, open]);
  const [found, setFound] = useState<{ readonly title: string; readonly spans: readonly FileSpan[] }>();
  const [side, setSide] = useState<"Diagram" | "Table">("Diagram");
  const [renaming, setRenaming] = useState<number>();
  const asked = (): Asked => ({
    text: files[MAIN] ?? "",
    name: MAIN_NAME,
    findPart: (path) => (Object.hasOwn(files, path) ? files[path] : undefined),
    file: open === MAIN ? MAIN_NAME : open,
  });
  const show = ({ file, from }: FileSpan): void => {
    const path = file === MAIN_NAME ? MAIN : file;
    const go = (): void => editor.current?.goTo(from);
    if (path === open) go();
    else {
      setOpen(path);
      // The other file's editor exists after the next render.
      setTimeout(go);
    }
  };
  const helper: Helper = { ask: asked, show, list: (title, spans) => setFound({ title, spans }), rename: setRenaming };
  const graph = useMemo(() => diagramOf(compilation.machine), [compilation]);
  const changed = Object.entries(files).some(([path, now]) => now !== stored[path]) || hash === undefined;

  const save = useMutation({
    mutationFn: () => client.addMachine(files[MAIN] ?? "", compilation.parts),
    onSuccess: async (machine) => {
      await queries.invalidateQueries();
      navigate(`/machines/${machine.name}@${machine.version}`);
    },
  });
  const play = useMutation({
    mutationFn: () => client.beginMatch({ machine: hash ?? "" }),
    onSuccess: (match) => {
      keepKeys(match.id, match.keys, match.hostKey);
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
        <Button
          look="main"
          disabled={changed || play.isPending}
          title={changed ? "Store it first" : undefined}
          onClick={() => play.mutate()}
        >
          Begin a match
        </Button>
      </div>
      <ErrorText error={save.error ?? play.error} />
      <div className="grid min-h-0 flex-1 grid-cols-2">
        <div className="flex min-h-0 flex-col border-r border-line">
          <FileTabs paths={Object.keys(files)} open={open} onOpen={setOpen} />
          <div className="min-h-0 flex-1">
            <Editor key={open} text={text} messages={shown} onChange={setText} helper={helper} handle={editor} />
          </div>
          {found ? <Found {...found} files={files} onPick={show} onClose={() => setFound(undefined)} /> : null}
          <Messages
            compilation={compilation}
            messages={messages}
            complete={complete}
            onPick={(position) => {
              const path = pathOf(compilation, position);
              show({ file: path === MAIN ? MAIN_NAME : path, from: position - baseOf(compilation, path), to: 0 });
            }}
            onFix={(message) => {
              const { texts } = applyFixes(compilation.sources, [message]);
              setFiles((before) => ({
                ...before,
                ...Object.fromEntries([...texts].map(([name, now]) => [name === MAIN_NAME ? MAIN : name, now])),
              }));
            }}
          />
          {renaming === undefined ? null : (
            <Rename
              onClose={() => setRenaming(undefined)}
              onName={(name) => {
                const result = rename(asked(), renaming, name);
                if ("refused" in result) return result.refused;
                setFiles((before) => {
                  const now: Record<string, string> = { ...before };
                  for (const { file, from, to } of [...result.edits].reverse()) {
                    const path = file === MAIN_NAME ? MAIN : file;
                    const text = now[path] ?? "";
                    now[path] = text.slice(0, from) + name + text.slice(to);
                  }
                  return now;
                });
                return undefined;
              }}
            />
          )}
        </div>
        <section aria-label={side} className="flex min-h-0 flex-col bg-panel">
          <div role="tablist" aria-label="Seeing the whole" className="flex border-b border-line bg-sunken">
            {(["Diagram", "Table"] as const).map((name) => (
              <button
                key={name}
                type="button"
                role="tab"
                aria-selected={name === side}
                onClick={() => setSide(name)}
                className={`px-4 py-1.5 ${name === side ? "bg-panel font-medium" : "text-soft"}`}
              >
                {name}
              </button>
            ))}
          </div>
          <div className="min-h-0 flex-1 p-2">
            {side === "Diagram" ? <Diagram graph={graph} /> : <MachineTable machine={compilation.machine} />}
          </div>
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
function messagesIn(compilation: Compilation, messages: readonly Message[], path: string): Message[] {
  const base = baseOf(compilation, path);
  return messages
    .filter((m) => pathOf(compilation, m.from) === path)
    .map((m) => ({
      ...m,
      from: m.from - base,
      to: m.to - base,
      ...(m.fix && {
        fix: { ...m.fix, edits: m.fix.edits.map((e) => ({ ...e, from: e.from - base, to: e.to - base })) },
      }),
    }));
}

/** Where a name stands: every line with it, to jump there. */
function Found({
  title,
  spans,
  files,
  onPick,
  onClose,
}: {
  title: string;
  spans: readonly FileSpan[];
  files: Files;
  onPick: (span: FileSpan) => void;
  onClose: () => void;
}): ReactNode {
  const lineOf = ({ file, from }: FileSpan): { number: number; text: string } => {
    const text = files[file === MAIN_NAME ? MAIN : file] ?? "";
    const start = text.lastIndexOf("\n", from - 1) + 1;
    const end = text.indexOf("\n", from);
    return { number: text.slice(0, start).split("\n").length, text: text.slice(start, end < 0 ? undefined : end) };
  };
  return (
    <section aria-label={`Places of ${title}`} className="max-h-52 overflow-auto border-t border-line">
      <div className="flex items-center px-4 py-1">
        <span className="font-medium">
          {spans.length === 0 ? "There is no name here" : `${title}: ${spans.length} places`}
        </span>
        <Button onClick={onClose} className="ml-auto">
          Close
        </Button>
      </div>
      {spans.map((span) => {
        const { number, text } = lineOf(span);
        return (
          <button
            key={`${span.file} ${span.from}`}
            type="button"
            onClick={() => onPick(span)}
            className="flex w-full gap-3 px-4 py-0.5 text-left hover:bg-sunken"
          >
            <span className="w-16 shrink-0 text-soft">{`${span.file === MAIN_NAME ? "" : span.file} line ${number}`}</span>
            <code className="truncate">{text.trim()}</code>
          </button>
        );
      })}
    </section>
  );
}

/** Asks for a new name, and says why it cannot be when it cannot. */
function Rename({ onName, onClose }: { onName: (name: string) => string | undefined; onClose: () => void }): ReactNode {
  const [name, setName] = useState("");
  const [refused, setRefused] = useState<string>();
  const field = useRef<HTMLInputElement>(null);
  // It was opened by a key, so the keyboard goes on here.
  useEffect(() => field.current?.focus(), []);
  return (
    <form
      className="flex items-center gap-3 border-t border-line px-4 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        const why = onName(name);
        if (why === undefined) onClose();
        else setRefused(why);
      }}
    >
      <label className="flex items-center gap-2">
        New name
        <input
          ref={field}
          value={name}
          onChange={(event) => setName(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && onClose()}
          className="rounded border border-line bg-panel px-2 py-1"
        />
      </label>
      <Button type="submit">Rename everywhere</Button>
      <Button onClick={onClose}>Leave it</Button>
      {refused === undefined ? null : <span className="text-bad">{refused}</span>}
    </form>
  );
}

function FileTabs({
  paths,
  open,
  onOpen,
}: {
  paths: readonly string[];
  open: string;
  onOpen: (path: string) => void;
}): ReactNode {
  if (paths.length < 2) return null;
  return (
    <div role="tablist" aria-label="Files" className="flex border-b border-line bg-sunken">
      {paths.map((path) => (
        <button
          key={path}
          type="button"
          role="tab"
          aria-selected={path === open}
          onClick={() => onOpen(path)}
          className={`px-4 py-1.5 ${path === open ? "bg-panel font-medium" : "text-soft"}`}
        >
          {path === MAIN ? MAIN_NAME : path}
        </button>
      ))}
    </div>
  );
}

interface MessagesProps {
  readonly compilation: Compilation;
  readonly messages: readonly Message[];
  /** False while only names and types have been looked at. */
  readonly complete: boolean;
  readonly onPick: (position: number) => void;
  readonly onFix: (message: Message) => void;
}

function Messages({ compilation, messages, complete, onPick, onFix }: MessagesProps): ReactNode {
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
        No problems found in {machine.name}: {machine.states.length - 1} states, {machine.actions.length} actions,{" "}
        {machine.endings.length} endings, {machine.tests.length} tests.
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
              <span className={`w-14 shrink-0 font-medium ${m.severity === "error" ? "text-bad" : "text-sail"}`}>
                {[pathOf(compilation, m.from), "line", sources.place(m.from).line].filter(Boolean).join(" ")}
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
          ["Earns it", kind.triggers],
          ["Mended", kind.fixed],
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
