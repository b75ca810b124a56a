/** One machine: its text with live messages, and beside it the diagram drawn from it. */

import { useMutation, useQuery } from "@tanstack/react-query";
import {
  applyFixes,
  type Compilation,
  type CoverageResult,
  coveredLines,
  diagramOf,
  type FileSpan,
  format,
  missedIn,
  stateAt,
  type TestResult,
} from "@zany/core";
import { WrapText } from "lucide-react";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { useLocation, useSearch } from "wouter";
import { useAddress } from "../parts/address.js";
import { Button, ErrorText, IconButton, Loading } from "../parts/basics.js";
import { BeginMatch } from "../parts/begin-match.js";
import { useCompiled } from "../parts/compiling.js";
import { useMessages } from "../parts/checking.js";
import { CoverageSide } from "../parts/coverage-side.js";
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
import { ExploreSide } from "../parts/explore-side.js";
import { Found, Rename } from "../parts/found.js";
import { LogSide } from "../parts/log-side.js";
import { MatchWindow, type ShownMatch } from "../parts/match-window.js";
import { MessageList } from "../parts/message-list.js";
import { Outline } from "../parts/outline.js";
import { type Searching, useEvidence, useSearching } from "../parts/searching.js";
import { SimulateSide } from "../parts/simulate-side.js";
import { Split } from "../parts/split.js";
import { StoreVersion } from "../parts/store-version.js";
import { MachineTable } from "../parts/table.js";
import { Tests } from "../parts/tests.js";
import { Try } from "../parts/try.js";
import { type PageCommand, pageCommands } from "../commands.js";
import { type KeyHelp, pageKeys } from "../keys.js";
import { useTell } from "../registry.js";
import { begin, client } from "../service.js";
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
      words={data?.words ?? ""}
      hash={data?.hash}
    />
  );
}

function Workbench({
  stored,
  label,
  words,
  hash,
}: {
  stored: Files;
  label: string;
  words: string;
  hash: string | undefined;
}): ReactNode {
  const editor = useRef<EditorHandle>(null);
  const editing = useFiles(stored, editor);
  const { files, open, text } = editing;
  const { files: settled, compilation } = useCompiled(files);
  const { messages: suspected, complete, tests } = useMessages(compilation, settled[MAIN] ?? "", MAIN_NAME, settled);
  const messages = useEvidence(settled, complete && compilation.ok) ?? suspected;
  const asStored = hash !== undefined && isSame(settled, stored) ? hash : undefined;
  const coverage = useSearching("coverage", settled, asStored);
  const { result: counted } = coverage;
  const covered = useMemo(
    () => counted && coveredLines(compilation.sources, counted.items, nameOf(open)),
    [counted, compilation, open],
  );
  const [match, setMatch] = useState<ShownMatch>();
  const shown = useMemo(() => messagesIn(compilation, messages, open), [compilation, messages, open]);
  const [found, setFound] = useState<{ readonly title: string; readonly spans: readonly FileSpan[] }>();
  const [renaming, setRenaming] = useState<number>();
  const [wanted, setWanted] = useAddress("state");
  const [cursor, setCursor] = useState<number>();
  const [trying, setTrying] = useAddress("try");
  const [wrap, setWrap] = useState(() => localStorage.getItem(WRAP_KEY) === "yes");
  const [active, setActive] = useState<readonly string[]>(NOWHERE);
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
  const showState = (name: string): void => {
    const { states, endings } = compilation.machine;
    const place = [...states, ...endings].find((one) => one.name === name);
    if (place) showPosition(place.from);
  };
  // The state the cursor is in is lit; an address that names one is opened there.
  const lit = cursor === undefined ? wanted : (stateAt(compilation.machine, baseOf(compilation, open) + cursor) ?? "");
  useEffect(() => {
    if (lit !== wanted) setWanted(lit);
  }, [lit, wanted, setWanted]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, at first
  useEffect(() => {
    if (wanted !== "") showState(wanted);
  }, []);
  const onTry = (): void => setTrying(trying === "" ? "yes" : "");
  const go = useRef(showPosition);
  go.current = showPosition;
  const { machine } = compilation;
  const commands = useMemo((): PageCommand[] => {
    const to = (group: string, words: string, from: number) => ({ group, words, run: () => go.current(from) });
    return [
      ...machine.states.slice(1).map((s) => to("States", s.name, s.from)),
      ...machine.endings.map((e) => to("Endings", e.name, e.from)),
      ...machine.actions.map((a) => to("Actions", a.name, a.from)),
    ];
  }, [machine]);
  useTell(pageCommands, commands);
  useTell(pageKeys, KEYS);
  const addTest = (test: string): void => editing.replace([[MAIN_NAME, `${(files[MAIN] ?? "").trimEnd()}\n\n${test}`]]);
  const whole = (
    <Whole
      compilation={compilation}
      tests={tests}
      lit={lit}
      files={settled}
      editing={editing}
      stored={asStored}
      coverage={coverage}
      onMatch={setMatch}
      active={trying === "" ? NOWHERE : active}
      onPick={showPosition}
      onState={showState}
    />
  );
  const trial = <Try compilation={compilation} files={settled} onStates={setActive} onTest={addTest} />;
  return (
    <div className="flex h-full flex-col">
      <Toolbar
        editing={editing}
        compilation={compilation}
        stored={stored}
        label={label}
        words={words}
        hash={hash}
        wrap={wrap}
        onWrap={() => {
          localStorage.setItem(WRAP_KEY, wrap ? "no" : "yes");
          setWrap(!wrap);
        }}
        trying={trying !== ""}
        onTry={onTry}
      />
      <Split
        name={trying === "" ? "machine" : "machine and trial"}
        at={trying === "" ? 50 : 40}
        left={
          <>
            <FileTabs paths={Object.keys(files)} open={open} onOpen={editing.setOpen} />
            <div className="min-h-0 flex-1">
              <Editor
                key={open}
                text={text}
                messages={shown}
                onChange={editing.setText}
                onCursor={setCursor}
                covered={covered}
                wrap={wrap}
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
              onMatch={setMatch}
            />
            {match ? (
              <MatchWindow
                {...match}
                stored={hash !== undefined && isSame(files, stored)}
                onTest={addTest}
                onClose={() => setMatch(undefined)}
              />
            ) : null}
            {renaming === undefined ? null : (
              <Rename onClose={() => setRenaming(undefined)} onName={(name) => editing.rename(renaming, name)} />
            )}
          </>
        }
        right={
          trying === "" ? (
            whole
          ) : (
            <Split name="trial" across={isNarrow()} at={isNarrow() ? 36 : 50} left={whole} right={trial} />
          )
        }
      />
    </div>
  );
}

const KEYS: readonly KeyHelp[] = [
  { keys: "F12", words: "in the text: to where it is declared" },
  { keys: "Shift F12", words: "in the text: all its places" },
  { keys: "F2", words: "in the text: rename it everywhere" },
  { keys: "Ctrl Space", words: "in the text: what can stand here" },
  { keys: "+ - 0 1", words: "in the diagram: larger, smaller, the whole, its own size" },
];

const WRAP_KEY = "zany wrap";
const NOWHERE: readonly string[] = [];

/** Three columns need a wide window; in others the trial stands under the diagram. */
function isNarrow(): boolean {
  return window.innerWidth < 1500;
}

/** What can be done with the whole machine: format, store, try, begin a match. */
function Toolbar({
  editing,
  compilation,
  stored,
  label,
  words,
  hash,
  wrap,
  onWrap,
  trying,
  onTry,
}: {
  editing: Editing;
  compilation: Compilation;
  stored: Files;
  label: string;
  words: string;
  hash: string | undefined;
  wrap: boolean;
  onWrap: () => void;
  trying: boolean;
  onTry: () => void;
}): ReactNode {
  const [, navigate] = useLocation();
  const [storing, setStoring] = useState(false);
  const changed = hash === undefined || !isSame(editing.files, stored);
  const play = useMutation({
    mutationFn: () => begin({ machine: hash ?? "" }),
    onSuccess: (match) => navigate(`/matches/${match}`),
  });
  return (
    <>
      <div className="flex flex-wrap items-center gap-2 border-b border-line px-4 py-2">
        <h1 className="text-base font-semibold">{label}</h1>
        <span className="max-w-80 truncate text-soft" title={words}>
          {changed ? "not stored yet" : words || `stored as ${hash?.slice(0, 8)}`}
        </span>
        <span className="ml-auto hidden text-xs text-soft xl:inline">Esc, then Tab, leaves the editor</span>
        <span className="ml-auto flex flex-wrap items-center gap-2 xl:ml-0">
          <IconButton words={wrap ? "Do not wrap long lines" : "Wrap long lines"} Icon={WrapText} onClick={onWrap} />
          <Button onClick={() => editing.setText(format(editing.text))}>Format</Button>
          <Button disabled={!changed || !compilation.ok} onClick={() => setStoring(true)}>
            Store version
          </Button>
          <Button aria-pressed={trying} onClick={onTry} className="aria-pressed:bg-sea-wash aria-pressed:text-sea">
            Try
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
        </span>
      </div>
      <ErrorText error={play.error} />
      {storing ? (
        <StoreVersion
          before={hash === undefined ? undefined : stored}
          files={editing.files}
          parts={compilation.parts}
          onClose={() => setStoring(false)}
        />
      ) : null}
    </>
  );
}

/** Whether files are as they are stored. */
function isSame(files: Files, stored: Files): boolean {
  return Object.entries(files).every(([path, now]) => now === stored[path]);
}

const SIDES = ["Diagram", "Table", "Outline", "Tests", "Coverage", "Explore", "Simulate", "Log"] as const;

/** The machine seen as a whole: its diagram, its table, its outline, its tests. Which of them is in the address. */
function Whole({
  compilation,
  files,
  tests,
  lit,
  active,
  onPick,
  onState,
  onMatch,
  coverage,
  stored,
  editing,
}: {
  compilation: Compilation;
  editing: Editing;
  /** The version by its hash, when the texts are just those that are stored. */
  stored: string | undefined;
  coverage: Searching<CoverageResult>;
  tests: readonly TestResult[] | undefined;
  lit: string;
  active: readonly string[];
  onPick: (position: number) => void;
  onState: (name: string) => void;
  files: Files;
  onMatch: (match: ShownMatch) => void;
}): ReactNode {
  const [shown, show] = useAddress("side");
  const side = SIDES.find((name) => name.toLowerCase() === shown) ?? "Diagram";
  const failed = tests?.filter((test) => !test.ok).length ?? 0;
  const graph = useMemo(() => diagramOf(compilation.machine), [compilation]);
  const missed = useMemo(() => coverage.result && missedIn(coverage.result.items), [coverage.result]);
  return (
    <div className="flex h-full min-h-0 flex-col bg-panel">
      <div role="tablist" aria-label="Seeing the whole" className="flex overflow-x-auto border-b border-line bg-sunken">
        {SIDES.map((name) => (
          <Tab key={name} name={name} chosen={name === side} onChoose={() => show(name.toLowerCase())}>
            {name === "Tests" && tests && tests.length > 0 ? (
              <span className={`ml-0.5 rounded px-1 text-xs ${failed > 0 ? "bg-bad-wash text-bad" : "text-soft"}`}>
                {failed > 0 ? `${failed} failing` : tests.length}
              </span>
            ) : null}
          </Tab>
        ))}
      </div>
      <div className="min-h-0 flex-1 p-2">
        {side === "Diagram" ? (
          <div className="flex h-full flex-col">
            <div className="min-h-0 flex-1">
              <Diagram graph={graph} active={active} lit={lit} missed={missed} onPick={onState} />
            </div>
            {missed ? (
              <p className="text-xs text-soft">Dotted: not come to by what was counted under Coverage.</p>
            ) : null}
          </div>
        ) : null}
        {side === "Table" ? <MachineTable machine={compilation.machine} onPick={onPick} /> : null}
        {side === "Outline" ? <Outline machine={compilation.machine} onPick={onPick} /> : null}
        {side === "Tests" ? <Tests tests={tests} onPick={onPick} /> : null}
        {side === "Coverage" ? (
          <CoverageSide searching={coverage} ok={compilation.ok} onPick={onPick} onMatch={onMatch} />
        ) : null}
        {side === "Explore" ? (
          <ExploreSide files={files} stored={stored} ok={compilation.ok} onPick={onPick} onMatch={onMatch} />
        ) : null}
        {side === "Log" ? (
          <LogSide compilation={compilation} files={files} editing={editing} stored={stored !== undefined} />
        ) : null}
        {side === "Simulate" ? (
          <SimulateSide files={files} stored={stored} compilation={compilation} onMatch={onMatch} />
        ) : null}
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
      className={`whitespace-nowrap px-3 py-1.5 ${chosen ? "bg-panel font-medium" : "text-soft"}`}
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
