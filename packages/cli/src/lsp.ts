/**
 * The language server: the Language Server Protocol over standard input and output. It only translates;
 * every answer is worked out by the core, as in the console's editor.
 */

import { existsSync, readdirSync, readFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { Worker } from "node:worker_threads";
import { fileURLToPath, pathToFileURL } from "node:url";
import {
  type Asked,
  type Compilation,
  compile,
  compiled,
  completions,
  definitions,
  type FileSpan,
  format,
  hover,
  isMap,
  machineFileOf,
  mapBeside,
  type Message,
  outlineOf,
  type OutlineItem,
  references,
  rename,
  signatureHelp,
} from "@zany/core";
import {
  CodeActionKind,
  CompletionItemKind,
  createConnection,
  type Diagnostic,
  DiagnosticSeverity,
  type DocumentSymbol,
  type Location,
  ResponseError,
  SymbolKind,
  TextDocumentSyncKind,
  TextDocuments,
  type TextEdit,
} from "vscode-languageserver/node";
import { TextDocument } from "vscode-languageserver-textdocument";
import { includedFile } from "./files.js";
import { AnswerWriter, GuardedReader } from "./lsp-guard.js";

/** The bundle beside this one that looks at a machine in earnest. */
const WORKER: string = "evidence-worker.cjs";

const writer = new AnswerWriter();
const connection = createConnection(new GuardedReader(writer), writer);
const documents = new TextDocuments(TextDocument);

connection.onInitialize(() => ({
  serverInfo: { name: "zany" },
  capabilities: {
    textDocumentSync: TextDocumentSyncKind.Incremental,
    completionProvider: { triggerCharacters: [".", ">", " "] },
    hoverProvider: true,
    definitionProvider: true,
    referencesProvider: true,
    renameProvider: true,
    documentFormattingProvider: true,
    documentSymbolProvider: true,
    codeActionProvider: { codeActionKinds: [CodeActionKind.QuickFix] },
    signatureHelpProvider: { triggerCharacters: ["(", ","] },
  },
}));

// ---- files -------------------------------------------------------------------------------------

/** A file's text: as it is in the editor when it is open there, else as it is on the disk. */
const SEVERITIES = {
  error: DiagnosticSeverity.Error,
  warning: DiagnosticSeverity.Warning,
  hint: DiagnosticSeverity.Hint,
} as const;

function textOf(path: string): string | undefined {
  const open = documents.get(pathToFileURL(path).href);
  if (open) return open.getText();
  try {
    return readFileSync(path, "utf8");
  } catch {
    // It is not there, or a folder, or nobody may read it: for the editor there is no text.
    return undefined;
  }
}

/** The file of a document; what is in no file, such as one that was not saved yet, is named by its address. */
function pathOf(uri: string): string {
  try {
    return fileURLToPath(uri);
  } catch {
    return `/${uri}`;
  }
}

interface Question extends Asked {
  /** The folder of the root file; the machine's files are named from there. */
  readonly folder: string;
}

/** The machine that a file belongs to: the file itself, or one nearby that includes it. */
function askedAbout(uri: string): Question {
  const path = pathOf(uri);
  const own = textOf(path) ?? documents.get(uri)?.getText() ?? "";
  if (isMap(own)) return mapAsked(path, own);
  if (!/^\s*(?:\/\/[^\n]*\n\s*)*machine\b/.test(own)) {
    for (const folder of [dirname(path), dirname(dirname(path))]) {
      for (const name of existsSync(folder) ? readdirSync(folder).filter((f) => f.endsWith(".zany")) : []) {
        const root = join(folder, name);
        const part = relative(folder, path);
        const asked = questionAt(root, part);
        if (root !== path && compiled(asked).sources.files.some((f) => f.name === part)) return asked;
      }
    }
  }
  return { ...questionAt(path), text: own };
}

/** A mapping is asked about beside its machine: the one that it names. */
function mapAsked(path: string, text: string): Question {
  const machine = join(dirname(path), machineFileOf(text) ?? "");
  const asked = questionAt(machine);
  const name = relative(asked.folder, path);
  return { ...asked, file: name, beside: mapBeside({ name, text }) };
}

function questionAt(root: string, file?: string): Question {
  const folder = dirname(root);
  const name = root.slice(folder.length + 1);
  const findPart = (part: string): string | undefined => {
    const path = join(folder, part);
    // What is open in the editor need not be on the disk yet.
    const found = documents.get(pathToFileURL(path).href) ? { file: path } : includedFile(root, part);
    return found && "file" in found ? textOf(found.file) : undefined;
  };
  return { text: textOf(root) ?? "", name, folder, findPart, file: file ?? name };
}

const uriOf = (asked: Question, file: string): string => pathToFileURL(join(asked.folder, file)).href;

/** A span in a file of the machine as the protocol writes it. */
function locationOf(asked: Question, compilation: Compilation, span: FileSpan): Location {
  const text = compilation.sources.files.find((f) => f.name === span.file)?.text ?? "";
  const document = TextDocument.create("", "", 0, text);
  return {
    uri: uriOf(asked, span.file),
    range: { start: document.positionAt(span.from), end: document.positionAt(span.to) },
  };
}

function offsetOf(uri: string, position: { line: number; character: number }): number {
  return documents.get(uri)?.offsetAt(position) ?? 0;
}

// ---- messages ----------------------------------------------------------------------------------

const waiting = new Map<string, NodeJS.Timeout>();
/** Who looks at a document's machine in earnest. */
const looking = new Map<string, Worker>();
/** While somebody types only the last text counts; one that is left alone for longer is looked at in earnest. */
const SHORT = 120;
const LONG = 1_500;

function publish(uri: string): void {
  const document = documents.get(uri);
  if (!document) return;
  const asked = askedAbout(uri);
  const compilation = checked(asked);
  send(document, asked, compilation, compilation.messages);
  if (asked.beside || !compilation.ok) return;
  waiting.set(
    uri,
    setTimeout(() => lookInEarnest(document, asked, compilation), LONG),
  );
}

/** Tells what is left of the messages once they have been held against matches, as `zany check` does. */
function lookInEarnest(document: TextDocument, asked: Question, compilation: Compilation): void {
  const { uri, version } = document;
  const texts = { "": asked.text, ...compilation.parts };
  const worker = new Worker(join(__dirname, WORKER), { workerData: { name: asked.name, texts } });
  looking.set(uri, worker);
  worker.on("message", (messages: readonly Message[]) => {
    if (documents.get(uri)?.version === version) send(document, asked, compilation, messages);
  });
  // Then what was told stands.
  worker.on("error", () => {});
}

/** Lets go of what is worked out for a text that is not there any more. */
function forget(uri: string): void {
  clearTimeout(waiting.get(uri));
  void looking.get(uri)?.terminate();
  looking.delete(uri);
}

function send(document: TextDocument, asked: Question, compilation: Compilation, messages: readonly Message[]): void {
  const { uri } = document;
  const file = compilation.sources.files.find((f) => f.name === asked.file) ?? compilation.sources.files[0];
  const base = file?.base ?? 0;
  const mine = messages.filter((m) => m.from >= base && m.from <= base + (file?.text.length ?? 0));
  connection.sendDiagnostics({
    uri,
    version: document.version,
    diagnostics: mine.map((m) => diagnosticOf(asked, compilation, m, base, document)),
  });
}

/** All there is to say of what is asked about; of a map, no more than what is wrong with it. */
function checked(asked: Question): Compilation {
  return asked.beside ? compiled(asked) : compile(asked.text, asked.name, asked.findPart);
}

function diagnosticOf(
  asked: Question,
  compilation: Compilation,
  message: Message,
  base: number,
  document: TextDocument,
): Diagnostic {
  const range = {
    start: document.positionAt(message.from - base),
    end: document.positionAt(Math.max(message.to, message.from + 1) - base),
  };
  const { related, shown } = message;
  const match = shown === undefined ? [] : [`A match shows it: zany check --why ${asked.name}`];
  return {
    range,
    severity: SEVERITIES[message.severity],
    code: message.name,
    source: "zany",
    message: [message.words, ...(message.help ? [message.help] : []), ...match].join("\n"),
    ...(related && {
      relatedInformation: [
        { location: locationOf(asked, compilation, fileSpanOf(compilation, related)), message: related.words },
      ],
    }),
  };
}

function fileSpanOf({ sources }: Compilation, span: { from: number; to: number }): FileSpan {
  const file = sources.files.findLast((f) => f.base <= span.from);
  return { file: file?.name ?? "", from: span.from - (file?.base ?? 0), to: span.to - (file?.base ?? 0) };
}

documents.onDidChangeContent(({ document }) => {
  forget(document.uri);
  waiting.set(
    document.uri,
    setTimeout(() => publish(document.uri), SHORT),
  );
});
documents.onDidClose(({ document }) => {
  forget(document.uri);
  connection.sendDiagnostics({ uri: document.uri, diagnostics: [] });
});

// ---- questions ---------------------------------------------------------------------------------

const KINDS = {
  value: CompletionItemKind.Variable,
  field: CompletionItemKind.Field,
  state: CompletionItemKind.Class,
  signal: CompletionItemKind.Event,
  type: CompletionItemKind.Struct,
  word: CompletionItemKind.Keyword,
  function: CompletionItemKind.Function,
} as const;

connection.onCompletion(({ textDocument: { uri }, position }) => {
  const { items } = completions(askedAbout(uri), offsetOf(uri, position));
  return items.map((item) => ({ label: item.name, kind: KINDS[item.kind], detail: item.detail }));
});

connection.onHover(({ textDocument: { uri }, position }) => {
  const asked = askedAbout(uri);
  const found = hover(compiled(asked), offsetOf(uri, position), asked.file);
  const document = documents.get(uri);
  return found && document
    ? {
        contents: { kind: "markdown", value: found.markdown },
        range: { start: document.positionAt(found.from), end: document.positionAt(found.to) },
      }
    : null;
});

connection.onDefinition(({ textDocument: { uri }, position }) => {
  const asked = askedAbout(uri);
  const compilation = compiled(asked);
  return definitions(compilation, offsetOf(uri, position), asked.file).map((span) =>
    locationOf(asked, compilation, span),
  );
});

connection.onReferences(({ textDocument: { uri }, position }) => {
  const asked = askedAbout(uri);
  const compilation = compiled(asked);
  return references(compilation, offsetOf(uri, position), asked.file).map((span) =>
    locationOf(asked, compilation, span),
  );
});

connection.onRenameRequest(({ textDocument: { uri }, position, newName }) => {
  const asked = askedAbout(uri);
  const result = rename(asked, offsetOf(uri, position), newName);
  if ("refused" in result) return new ResponseError(-32803, result.refused);
  const compilation = compiled(asked);
  const changes: Record<string, TextEdit[]> = {};
  for (const span of result.edits) {
    const at = locationOf(asked, compilation, span);
    changes[at.uri] = [...(changes[at.uri] ?? []), { range: at.range, newText: newName }];
  }
  return { changes };
});

connection.onDocumentFormatting(({ textDocument: { uri } }) => {
  const document = documents.get(uri);
  if (!document) return [];
  const text = document.getText();
  const formatted = format(text);
  return formatted === text
    ? []
    : [{ range: { start: { line: 0, character: 0 }, end: document.positionAt(text.length) }, newText: formatted }];
});

const SYMBOLS: Readonly<Record<OutlineItem["kind"], SymbolKind>> = {
  state: SymbolKind.Class,
  overlay: SymbolKind.Class,
  final: SymbolKind.Class,
  ending: SymbolKind.Class,
  action: SymbolKind.Method,
  data: SymbolKind.Variable,
  signal: SymbolKind.Event,
  event: SymbolKind.Event,
  function: SymbolKind.Function,
  effect: SymbolKind.Function,
  constant: SymbolKind.Constant,
  type: SymbolKind.Struct,
  law: SymbolKind.Boolean,
  policy: SymbolKind.Object,
  test: SymbolKind.Method,
};

connection.onDocumentSymbol(({ textDocument: { uri } }): DocumentSymbol[] => {
  const document = documents.get(uri);
  const asked = askedAbout(uri);
  const { machine, sources } = compiled(asked);
  const file = sources.files.find((f) => f.name === asked.file) ?? sources.files[0];
  if (!document || !file) return [];
  const range = (span: { from: number; to: number }) => ({
    start: document.positionAt(span.from - file.base),
    end: document.positionAt(span.to - file.base),
  });
  const symbols = (items: readonly OutlineItem[]): DocumentSymbol[] =>
    items
      .filter((item) => item.nameSpan.from >= file.base && item.nameSpan.to <= file.base + file.text.length)
      .map((item) => ({
        name: item.name || "?",
        detail: item.detail,
        kind: SYMBOLS[item.kind],
        range: range(item.span),
        selectionRange: range(item.nameSpan),
        children: symbols(item.children),
      }));
  return symbols(outlineOf(machine));
});

connection.onCodeAction(({ textDocument: { uri }, range }) => {
  const document = documents.get(uri);
  if (!document) return [];
  const asked = askedAbout(uri);
  const compilation = checked(asked);
  const base = compilation.sources.files.find((f) => f.name === asked.file)?.base ?? 0;
  const from = document.offsetAt(range.start) + base;
  const to = document.offsetAt(range.end) + base;
  return compilation.messages
    .filter((m) => m.fix && m.from <= to && m.to >= from)
    .map((m) => ({
      title: m.fix?.title ?? "",
      kind: CodeActionKind.QuickFix,
      diagnostics: [diagnosticOf(asked, compilation, m, base, document)],
      edit: {
        changes: {
          [uri]: (m.fix?.edits ?? []).map((edit) => ({
            range: { start: document.positionAt(edit.from - base), end: document.positionAt(edit.to - base) },
            newText: edit.text,
          })),
        },
      },
    }));
});

connection.onSignatureHelp(({ textDocument: { uri }, position }) => {
  const asked = askedAbout(uri);
  const found = signatureHelp(compiled(asked), offsetOf(uri, position), asked.file);
  return found
    ? {
        signatures: [{ label: found.label, parameters: found.parameters.map((label) => ({ label })) }],
        activeSignature: 0,
        activeParameter: found.active,
      }
    : null;
});

documents.listen(connection);
connection.listen();
