/** One machine: its text with live messages, and beside it the diagram drawn from it. */

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { applyFixes, type Compilation, compile, diagramOf, type FileSpan, format, type TestResult } from "@zany/core";
import { type ReactNode, useDeferredValue, useMemo, useRef, useState } from "react";
import { useLocation, useSearch } from "wouter";
import { Button, ErrorText, Loading } from "../parts/basics.js";
import { BeginMatch } from "../parts/begin-match.js";
import { useMessages } from "../parts/checking.js";
import { Diagram } from "../parts/diagram.js";
import { Editor, type EditorHandle } from "../parts/editor.js";
import type { Helper } from "../parts/editor-help.js";
import {
  baseOf,
  type Editing,
  type Files,
  MAIN,
  MAIN_NAME,
  messagesIn,
  nameOf,
  pathAt,
  useFiles,
} from "../parts/files.js";
import { Found, Rename } from "../parts/found.js";
import { MessageList } from "../parts/message-list.js";
import { Split } from "../parts/split.js";
import { MachineTable } from "../parts/table.js";
import { Tests } from "../parts/tests.js";
import { client, keepKeys } from "../service.js";
import { takeDraft, templateText } from "../templates.js";

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
  const template = new URLSearchParams(useSearch()).get("template") ?? "";
  const { data, error } = useQuery({
    queryKey: ["machine", reference],
    queryFn: () => client.machine(reference),
    enabled: !fresh,
  });
  // What a new machine begins with stays as it is while it is written.
  const starter = useQuery({
    queryKey: ["starter", template],
    queryFn: async () => takeDraft() ?? (await templateText(template)) ?? STARTER,
    enabled: fresh,
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
    refetchOnReconnect: false,
  });
  if (error) {
    return (
      <div className="p-6">
        <ErrorText error={error} />
      </div>
    );
  }
  if (fresh ? starter.data === undefined : !data) return <Loading />;
  return (
    <Workbench
      key={data?.hash ?? `new ${template}`}
      stored={data ? { [MAIN]: data.text, ...data.parts } : { [MAIN]: starter.data ?? STARTER }}
      label={data ? `${data.name}@${data.version}` : "New machine"}
      hash={data?.hash}
    />
  );
}

function Workbench({ stored, label, hash }: { stored: Files; label: string; hash: string | undefined }): ReactNode {
  const editor = useRef<EditorHandle>(null);
  const editing = useFiles(stored, editor);
  const { files, open, text } = editing;
  const settled = useDeferredValue(files);
  const compilation = useMemo(
    () =>
      compile(settled[MAIN] ?? "", MAIN_NAME, (path) => (Object.hasOwn(settled, path) ? settled[path] : undefined), {
        errorsOnly: true,
      }),
    [settled],
  );
  const { messages, complete, tests } = useMessages(compilation, settled[MAIN] ?? "", MAIN_NAME, settled);
  const shown = useMemo(() => messagesIn(compilation, messages, open), [compilation, messages, open]);
  const [found, setFound] = useState<{ readonly title: string; readonly spans: readonly FileSpan[] }>();
  const [renaming, setRenaming] = useState<number>();
  const helper: Helper = {
    ask: editing.asked,
    show: editing.show,
    list: (title, spans) => setFound({ title, spans }),
    rename: setRenaming,
  };
  const showPosition = (position: number): void => {
    const path = pathAt(compilation, position);
    editing.show({ file: nameOf(path), from: position - baseOf(compilation, path), to: 0 });
  };
  return (
    <div className="flex h-full flex-col">
      <Toolbar editing={editing} compilation={compilation} stored={stored} label={label} hash={hash} />
      <Split
        name="machine"
        left={
          <>
            <FileTabs paths={Object.keys(files)} open={open} onOpen={editing.setOpen} />
            <div className="min-h-0 flex-1">
              <Editor
                key={open}
                text={text}
                messages={shown}
                onChange={editing.setText}
                helper={helper}
                handle={editor}
              />
            </div>
            {found ? (
              <Found {...found} files={files} onPick={editing.show} onClose={() => setFound(undefined)} />
            ) : null}
            <MessageList
              compilation={compilation}
              messages={messages}
              complete={complete}
              onPick={showPosition}
              onFix={(message) => editing.replace(applyFixes(compilation.sources, [message]).texts)}
            />
            {renaming === undefined ? null : (
              <Rename onClose={() => setRenaming(undefined)} onName={(name) => editing.rename(renaming, name)} />
            )}
          </>
        }
        right={<Whole compilation={compilation} tests={tests} onPick={showPosition} />}
      />
    </div>
  );
}

/** What can be done with the whole machine: format, store, begin a match. */
function Toolbar({
  editing,
  compilation,
  stored,
  label,
  hash,
}: {
  editing: Editing;
  compilation: Compilation;
  stored: Files;
  label: string;
  hash: string | undefined;
}): ReactNode {
  const [, navigate] = useLocation();
  const queries = useQueryClient();
  const changed = Object.entries(editing.files).some(([path, now]) => now !== stored[path]) || hash === undefined;
  const save = useMutation({
    mutationFn: () => client.addMachine(editing.files[MAIN] ?? "", compilation.parts),
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
    <>
      <div className="flex items-center gap-3 border-b border-line px-4 py-2">
        <h1 className="text-base font-semibold">{label}</h1>
        <span className="text-soft">{changed ? "not stored yet" : `stored as ${hash?.slice(0, 8)}`}</span>
        <span className="ml-auto hidden text-xs text-soft lg:inline">Esc, then Tab, leaves the editor</span>
        <Button onClick={() => editing.setText(format(editing.text))}>Format</Button>
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
    </>
  );
}

const SIDES = ["Diagram", "Table", "Tests"] as const;

/** The machine seen as a whole: its diagram, every state against every action, its tests. Which of them is in the address. */
function Whole({
  compilation,
  tests,
  onPick,
}: {
  compilation: Compilation;
  tests: readonly TestResult[] | undefined;
  onPick: (position: number) => void;
}): ReactNode {
  const [at, go] = useLocation();
  const search = new URLSearchParams(useSearch());
  const side = SIDES.find((name) => name.toLowerCase() === search.get("side")) ?? "Diagram";
  const show = (name: string): void => {
    search.set("side", name.toLowerCase());
    go(`${at}?${search.toString()}`, { replace: true });
  };
  const failed = tests?.filter((test) => !test.ok).length ?? 0;
  const graph = useMemo(() => diagramOf(compilation.machine), [compilation]);
  return (
    <div className="flex h-full min-h-0 flex-col bg-panel">
      <div role="tablist" aria-label="Seeing the whole" className="flex border-b border-line bg-sunken">
        {SIDES.map((name) => (
          <Tab key={name} name={name} chosen={name === side} onChoose={() => show(name)}>
            {name === "Tests" && tests && tests.length > 0 ? (
              <span className={`ml-0.5 rounded px-1 text-xs ${failed > 0 ? "bg-bad-wash text-bad" : "text-soft"}`}>
                {failed > 0 ? `${failed} failing` : tests.length}
              </span>
            ) : null}
          </Tab>
        ))}
      </div>
      <div className="min-h-0 flex-1 p-2">
        {side === "Diagram" ? <Diagram graph={graph} readable /> : null}
        {side === "Table" ? <MachineTable machine={compilation.machine} /> : null}
        {side === "Tests" ? <Tests tests={tests} onPick={onPick} /> : null}
      </div>
    </div>
  );
}

function Tab({
  name,
  chosen,
  onChoose,
  children,
}: {
  name: string;
  chosen: boolean;
  onChoose: () => void;
  children?: ReactNode;
}): ReactNode {
  return (
    <button
      type="button"
      role="tab"
      aria-selected={chosen}
      onClick={onChoose}
      className={`px-4 py-1.5 ${chosen ? "bg-panel font-medium" : "text-soft"}`}
    >
      {name} {children}
    </button>
  );
}

/** One tab for each file, when there are several. */
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
        <Tab key={path} name={nameOf(path)} chosen={path === open} onChoose={() => onOpen(path)} />
      ))}
    </div>
  );
}
