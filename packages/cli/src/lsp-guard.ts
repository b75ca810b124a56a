/**
 * What comes from an editor, looked at before the protocol's library sees it: requests and notices about documents name
 * one, and the places they ask about are places. What is not so is answered in words and goes no further. What was
 * asked is answered before the end, whether the editor says so or closes its input.
 */

import {
  type DataCallback,
  type Disposable,
  ErrorCodes,
  type Message,
  StreamMessageReader,
  StreamMessageWriter,
} from "vscode-languageserver/node";

/** What is wrong with a member; undefined when it is as it should be. */
type Check = (value: unknown) => string | undefined;

const isObject = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === "object" && value !== null && !Array.isArray(value);
const isWhole = (value: unknown): boolean => Number.isInteger(value) && (value as number) >= 0;

const text: Check = (value) => (typeof value === "string" ? undefined : "is no text");

/** @param optional members that may be left out */
function members(checks: Readonly<Record<string, Check>>, optional: readonly string[] = []): Check {
  return (value) => {
    if (!isObject(value)) return "is no object";
    for (const [name, check] of Object.entries(checks)) {
      if (value[name] === undefined && optional.includes(name)) continue;
      const wrong = value[name] === undefined ? "is missing" : check(value[name]);
      if (wrong !== undefined) return /^"/.test(wrong) ? wrong : `"${name}" ${wrong}`;
    }
    return undefined;
  };
}

function each(check: Check): Check {
  return (value) => (Array.isArray(value) ? value.map(check).find((wrong) => wrong !== undefined) : "is no list");
}

const whole: Check = (value) => (isWhole(value) ? undefined : "is no whole number");
const PLACE = members({ line: whole, character: whole });
const RANGE = members({ start: PLACE, end: PLACE });
const DOCUMENT = members({ uri: text });

/** By method, what its parameters are; other methods about documents name the document. */
const PARAMETERS: Readonly<Record<string, Check>> = {
  "textDocument/didOpen": members({ textDocument: members({ uri: text, text }) }),
  "textDocument/didChange": members({
    textDocument: DOCUMENT,
    contentChanges: each(members({ text, range: RANGE }, ["range"])),
  }),
  "textDocument/rename": members({ textDocument: DOCUMENT, position: PLACE, newName: text }),
  "textDocument/codeAction": members({ textDocument: DOCUMENT, range: RANGE }),
  ...Object.fromEntries(
    ["completion", "hover", "definition", "references", "signatureHelp"].map((name) => [
      `textDocument/${name}`,
      members({ textDocument: DOCUMENT, position: PLACE }),
    ]),
  ),
};
const ANY_DOCUMENT = members({ textDocument: DOCUMENT });

/** Why a message is not passed on; undefined when it is. */
function wrongWith(method: string, parameters: unknown): string | undefined {
  const check = PARAMETERS[method] ?? (method.startsWith("textDocument/") ? ANY_DOCUMENT : undefined);
  const wrong = check ? check(parameters) : parameters === null ? "is no object" : undefined;
  return wrong === undefined
    ? undefined
    : `The parameters of ${method} are not right: ${wrong.replace(/^is/, "it is")}.`;
}

/** How long answers are waited for at the end, in milliseconds. */
const WAITS = 5_000;

/** What a request is known by; a notice has none. */
type Id = number | string;

/** Writes messages to standard output, and tells which requests were answered. */
export class AnswerWriter extends StreamMessageWriter {
  /** Is told of each answer that was written. */
  answered: (id: Id | null | undefined) => void = () => undefined;

  constructor() {
    super(process.stdout);
  }

  override async write(message: Message): Promise<void> {
    const { id, method } = message as Message & { id?: Id | null; method?: string };
    try {
      await super.write(message);
    } finally {
      if (method === undefined) this.answered(id);
    }
  }
}

/**
 * Reads messages from standard input, and passes on those that are well formed. Before the end, whatever was asked is
 * answered.
 */
export class GuardedReader extends StreamMessageReader {
  /** Requests that are still to be answered. */
  private readonly asked = new Set<Id>();
  /** What is done when they are. */
  private atEnd: (() => void)[] = [];

  constructor(private readonly writer: AnswerWriter) {
    super(process.stdin);
    writer.answered = (id) => {
      if (id !== null && id !== undefined) this.asked.delete(id);
      if (this.asked.size === 0) this.end();
    };
    // Where one message ends and the next begins cannot be known any more.
    this.onError(() => {
      process.stderr.write("zany lsp: what came is not the Language Server Protocol. Start it from an editor.\n");
      process.exit(2);
    });
  }

  override listen(callback: DataCallback): Disposable {
    return super.listen((message) => {
      const { id, method, params } = message as Message & { id?: Id; method?: unknown; params?: unknown };
      if (typeof method === "string" && (typeof id === "number" || typeof id === "string")) this.asked.add(id);
      const words = typeof method === "string" ? wrongWith(method, params) : undefined;
      if (method === "exit") this.whenAnswered(() => callback(message));
      else if (words === undefined) callback(message);
      // A notice has no answer; what it says of a document is not taken over.
      else if (id !== undefined)
        void this.writer.write({
          jsonrpc: "2.0",
          id,
          error: { code: ErrorCodes.InvalidParams, message: words },
        } as Message);
    });
  }

  protected override fireClose(): void {
    this.whenAnswered(() => super.fireClose());
  }

  private whenAnswered(done: () => void): void {
    this.atEnd.push(done);
    if (this.asked.size === 0) this.end();
    else setTimeout(() => this.end(), WAITS).unref();
  }

  private end(): void {
    const { atEnd } = this;
    this.atEnd = [];
    for (const done of atEnd) done();
  }
}
