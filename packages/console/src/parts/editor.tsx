/** The text of a machine, or of a mapping, in an editor that shows the compiler's messages where they belong. */

import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { bracketMatching, HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { lintGutter, lintKeymap, setDiagnostics } from "@codemirror/lint";
import { Compartment, EditorState } from "@codemirror/state";
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { colourOf, type CoveredLine, mapColourOf, type Message, type WordColour } from "@zany/core";
import { coverGutter } from "./cover-gutter.js";
import { help, type Helper } from "./editor-help.js";
import { type ReactNode, type Ref, useEffect, useImperativeHandle, useLayoutEffect, useRef } from "react";

/** What a page can ask of an editor. */
export interface EditorHandle {
  /** Puts the cursor at an offset, and the keyboard into the editor. */
  goTo(offset: number): void;
}

interface EditorProps {
  /** What is written here. */
  readonly kind?: "machine" | "mapping";
  readonly text: string;
  /** What the compiler says of this text; offsets count from its beginning. */
  readonly messages: readonly Message[];
  readonly onChange: (text: string) => void;
  /** Is told where the cursor is. */
  readonly onCursor?: (offset: number) => void;
  /** How often what stands in each line was come to, by number from 1; undefined while that is not known. */
  readonly covered?: ReadonlyMap<number, CoveredLine> | undefined;
  /** Long lines are continued on the next. */
  readonly wrap: boolean;
  readonly helper: Helper;
  readonly handle?: Ref<EditorHandle>;
}

/** How each colour of a word is drawn. */
const DRAWN: Readonly<Record<WordColour, string>> = {
  declaration: "keyword",
  control: "controlKeyword",
  operator: "controlKeyword",
  value: "atom",
  type: "controlKeyword",
  function: "controlKeyword",
};

/** Colours only: what a text means is the compiler's business. */
const coloursBy = (colourOfWord: typeof colourOf) =>
  StreamLanguage.define({
    token(stream) {
      if (stream.eatSpace()) return null;
      if (stream.match("//")) {
        stream.skipToEnd();
        return "comment";
      }
      // Texts may stand in the values of a text.
      if (stream.match(/^"(?:\{\{|\{(?:[^"{}]|"[^"]*")*\}|[^"\\]|\\.)*"?/)) return "string";
      if (stream.match(/^[0-9][0-9_.]*[a-z]*/)) return "number";
      if (stream.match(/^->/)) return "operator";
      const word = stream.match(/^[A-Za-z_]\w*/) as RegExpMatchArray | null;
      if (word) {
        const colour = colourOfWord(word[0], stream.string.slice(0, stream.start), stream.string.slice(stream.pos));
        if (colour) return DRAWN[colour];
        return /^[A-Z]/.test(word[0]) ? "typeName" : null;
      }
      stream.next();
      return null;
    },
  });

/** How each kind of text is coloured, and what it is called for those who do not see it. */
const WRITTEN = {
  machine: { colours: coloursBy(colourOf), label: "The machine's text" },
  mapping: { colours: coloursBy(mapColourOf), label: "The mapping" },
} as const;

const look = HighlightStyle.define([
  { tag: tags.comment, color: "var(--soft)", fontStyle: "italic" },
  { tag: tags.string, color: "var(--good)" },
  { tag: tags.number, color: "var(--sail)" },
  { tag: tags.keyword, color: "var(--sea)", fontWeight: "600" },
  { tag: tags.controlKeyword, color: "var(--sea)" },
  { tag: tags.atom, color: "var(--sea)" },
  { tag: tags.operator, color: "var(--sail)", fontWeight: "600" },
  { tag: tags.typeName, fontWeight: "600" },
]);

const paint = EditorView.theme({
  "&": { backgroundColor: "var(--panel)", color: "var(--ink)" },
  ".cm-content": { fontFamily: "var(--font-mono)", caretColor: "var(--sail)" },
  ".cm-gutters": { backgroundColor: "var(--panel)", color: "var(--soft)", borderRight: "1px solid var(--line)" },
  ".cm-activeLine": { backgroundColor: "color-mix(in srgb, var(--sea-wash) 45%, transparent)" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground": { backgroundColor: "var(--sea-wash) !important" },
  ".zany-covered, .zany-missed": { display: "block", paddingLeft: "6px", textAlign: "right", fontSize: "11px" },
  ".zany-missed": { color: "var(--sail)" },
  ".cm-cursor": { borderLeftColor: "var(--sail)" },
  ".zany-hover": { padding: "6px 10px", maxWidth: "44rem" },
  ".zany-hover code": { fontFamily: "var(--font-mono)", whiteSpace: "pre-wrap" },
  ".zany-hover p": { margin: "4px 0 0", color: "var(--soft)" },
  ".cm-diagnosticAction": {
    backgroundColor: "var(--sea)",
    color: "var(--panel)",
    borderRadius: "4px",
    padding: "1px 8px",
  },
  ".cm-tooltip-autocomplete ul li[aria-selected]": { backgroundColor: "var(--sea-wash)", color: "var(--ink)" },
  ".cm-tooltip": { backgroundColor: "var(--panel)", border: "1px solid var(--line)", color: "var(--ink)" },
});

export function Editor({
  kind = "machine",
  text,
  messages,
  onChange,
  onCursor,
  covered,
  wrap,
  helper,
  handle,
}: EditorProps): ReactNode {
  const host = useRef<HTMLDivElement>(null);
  const editor = useRef<EditorView>(null);
  const change = useRef(onChange);
  change.current = onChange;
  const cursor = useRef(onCursor);
  cursor.current = onCursor;
  const wrapping = useRef(new Compartment());
  const covering = useRef(new Compartment());
  const first = useRef({ text, ...WRITTEN[kind] });
  const helping = useRef(helper);
  helping.current = helper;

  useLayoutEffect(() => {
    if (!host.current) return;
    const view = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: first.current.text,
        extensions: [
          covering.current.of([]),
          lineNumbers(),
          history(),
          drawSelection(),
          highlightActiveLine(),
          bracketMatching(),
          first.current.colours,
          syntaxHighlighting(look),
          paint,
          lintGutter(),
          help(() => helping.current),
          keymap.of([...defaultKeymap, ...historyKeymap, ...lintKeymap, indentWithTab]),
          EditorView.contentAttributes.of({ "aria-label": first.current.label, tabindex: "0" }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) change.current(update.state.doc.toString());
            if (update.selectionSet) cursor.current?.(update.state.selection.main.head);
          }),
          wrapping.current.of([]),
        ],
      }),
    });
    editor.current = view;
    return () => view.destroy();
  }, []);

  // Before the next key is heard: a text that came later would undo what was typed in between.
  useLayoutEffect(() => {
    const view = editor.current;
    if (view && view.state.doc.toString() !== text)
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
  }, [text]);

  useEffect(() => {
    editor.current?.dispatch({ effects: wrapping.current.reconfigure(wrap ? EditorView.lineWrapping : []) });
  }, [wrap]);

  useEffect(() => {
    editor.current?.dispatch({ effects: covering.current.reconfigure(coverGutter(covered)) });
  }, [covered]);

  useEffect(() => {
    const view = editor.current;
    if (view) view.dispatch(setDiagnostics(view.state, diagnostics(messages, view.state.doc.length)));
  }, [messages]);

  useImperativeHandle(handle, () => ({
    goTo(offset) {
      const view = editor.current;
      if (!view) return;
      view.dispatch({
        selection: { anchor: Math.min(offset, view.state.doc.length) },
        effects: EditorView.scrollIntoView(Math.min(offset, view.state.doc.length), { y: "center" }),
      });
      view.focus();
    },
  }));

  return <div ref={host} className="h-full overflow-hidden" />;
}

function diagnostics(messages: readonly Message[], length: number) {
  return messages.map((m) => ({
    from: Math.min(m.from, length),
    to: Math.min(Math.max(m.to, m.from), length),
    severity: m.severity,
    source: m.name,
    actions: m.fix
      ? [
          {
            name: m.fix.title,
            apply: (view: EditorView) =>
              view.dispatch({
                changes: (m.fix?.edits ?? []).map(({ from, to, text }) => ({ from, to, insert: text })),
              }),
          },
        ]
      : [],
    message: m.help ? `${m.words}\n${m.help}` : m.words,
  }));
}
