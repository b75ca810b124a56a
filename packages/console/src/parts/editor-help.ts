/**
 * What the editor offers besides text: completion, hover, calls, jumping and renaming. All of it is asked of the core,
 * as the language server does.
 */

import { autocompletion, type CompletionContext, completionKeymap } from "@codemirror/autocomplete";
import { type EditorState, type Extension, StateField } from "@codemirror/state";
import { type EditorView, hoverTooltip, keymap, showTooltip, type Tooltip } from "@codemirror/view";
import {
  type Asked,
  compiled,
  completions,
  definitions,
  type FileSpan,
  hover,
  references,
  signatureHelp,
} from "@zany/core";

/** What a page does for its editor. */
export interface Helper {
  /** The machine as it is now, and which of its files is edited. @param own what stands in the editor now */
  ask(own?: string): Asked;
  /** Shows a place, which may be in another file. */
  show(span: FileSpan): void;
  /** Lists places. */
  list(title: string, spans: readonly FileSpan[]): void;
  /** Asks for a new name for what stands at an offset. */
  rename(offset: number): void;
}

const KINDS = {
  value: "variable",
  field: "property",
  state: "class",
  signal: "namespace",
  type: "type",
  word: "keyword",
  function: "function",
} as const;

/** Everything the core knows about the text, in the editor. `F12` jumps, `Shift-F12` lists, `F2` renames. */
export function help(helper: () => Helper): Extension {
  return [
    autocompletion({ override: [(context) => complete(helper(), context)], icons: false }),
    hoverTooltip((_view, position) => hoverAt(helper(), position)),
    callField(helper),
    keymap.of([
      ...completionKeymap,
      { key: "F12", run: (view) => jump(helper(), view) },
      { key: "Shift-F12", run: (view) => list(helper(), view) },
      {
        key: "F2",
        run: (view) => {
          helper().rename(view.state.selection.main.head);
          return true;
        },
      },
    ]),
  ];
}

/** The text in the editor is newer than what the page last heard. */
function askedNow(helper: Helper, state: EditorState): Asked {
  return helper.ask(state.doc.toString());
}

function complete(helper: Helper, context: CompletionContext) {
  const word = context.matchBefore(/[A-Za-z_]\w*$/);
  const led = context.matchBefore(/(?:->|\.|\b(?:raise|on|in|of|start|when)) *$/);
  if (!context.explicit && !word && !led) return null;
  const { from, items } = completions(askedNow(helper, context.state), context.pos);
  if (items.length === 0) return null;
  return {
    from,
    options: items.map((item) => ({
      label: item.name,
      detail: item.detail,
      type: KINDS[item.kind],
      boost: item.kind === "word" ? -1 : 0,
    })),
    validFor: /^\w*$/,
  };
}

function hoverAt(helper: Helper, position: number): Tooltip | null {
  const asked = helper.ask();
  const found = hover(compiled(asked), position, asked.file);
  if (!found) return null;
  return { pos: found.from, end: found.to, above: true, create: () => ({ dom: paragraphs(found.markdown) }) };
}

/** The little Markdown that hovers hold: one block of code, then paragraphs. */
function paragraphs(markdown: string): HTMLElement {
  const box = document.createElement("div");
  box.className = "zany-hover";
  for (const part of markdown.split("\n\n")) {
    const code = /^```zany\n([\s\S]*)\n```$/.exec(part);
    const element = document.createElement(code ? "code" : "p");
    element.textContent = code ? (code[1] ?? "") : part;
    box.append(element);
  }
  return box;
}

/** The call around the cursor, above it, while somebody writes its arguments. */
function callField(helper: () => Helper): Extension {
  const at = (state: EditorState): Tooltip | null => {
    const { head } = state.selection.main;
    const line = state.doc.lineAt(head);
    // Most positions are in no call, and are answered without compiling.
    if (!state.doc.sliceString(line.from, head).includes("(")) return null;
    const asked = askedNow(helper(), state);
    const found = signatureHelp(compiled(asked), head, asked.file);
    if (!found) return null;
    return {
      pos: head,
      above: true,
      create: () => {
        const box = document.createElement("div");
        box.className = "zany-hover";
        const code = document.createElement("code");
        const [name = ""] = found.label.split("(");
        code.append(`${name}(`);
        for (const [i, parameter] of found.parameters.entries()) {
          if (i > 0) code.append(", ");
          const part = document.createElement(i === found.active ? "b" : "span");
          part.textContent = parameter;
          code.append(part);
        }
        code.append(")");
        box.append(code);
        return { dom: box };
      },
    };
  };
  return StateField.define<Tooltip | null>({
    create: () => null,
    update: (before, transaction) =>
      transaction.docChanged ? at(transaction.state) : transaction.selection ? null : before,
    provide: (field) => showTooltip.from(field),
  });
}

function jump(helper: Helper, view: EditorView): boolean {
  const asked = askedNow(helper, view.state);
  const [first] = definitions(compiled(asked), view.state.selection.main.head, asked.file);
  if (first) helper.show(first);
  return true;
}

function list(helper: Helper, view: EditorView): boolean {
  const asked = askedNow(helper, view.state);
  const { head } = view.state.selection.main;
  const word = view.state.wordAt(head);
  const spans = references(compiled(asked), head, asked.file);
  helper.list(word ? view.state.doc.sliceString(word.from, word.to) : "", spans);
  return true;
}
