/** The page of examples, docs/http-examples.md: what was asked and answered, with what differs each time taken out. */

export interface Exchange {
  readonly id: string;
  readonly method: string;
  /** With its query. */
  readonly path: string;
  readonly body: unknown;
  readonly status: number;
  readonly type: string;
  readonly answer: unknown;
}

/** The longest text that is shown whole. */
const LONG = 160;

/**
 * An answer as it is shown: of lists the first entry; keys, ids, digests and times as the same ones each time; long
 * texts cut.
 */
export function shown(value: unknown, name = ""): unknown {
  if (Array.isArray(value)) return value.slice(0, 1).map((part) => shown(part, name));
  if (typeof value === "object" && value !== null)
    return Object.fromEntries(Object.entries(value).map(([key, part]) => [key, shown(part, key)]));
  if (typeof value === "number" && value > 1e12) return 1782000000000;
  if (typeof value !== "string") return value;
  const text = value
    .replace(/\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z/g, "2026-06-20T10:00:00.000Z")
    .replace(/\b[0-9a-f]{64}\b/g, "9f0c".repeat(16))
    .replace(/#[A-Za-z0-9_-]{32}/g, "#SECRET")
    .replace(/^[A-Za-z0-9_-]{32}$/, "KEY")
    .replace(/\b[0-9a-f]{16}\b/g, "9f0c9f0c9f0c9f0c")
    .replace(/(?<=\/(?:matches|logbooks|hooks|keys|jobs)\/)[2-9a-z]{10}\b/g, "ry4eru9wzp")
    .replace(/\b[2-9a-z]{10}\b(?=$|[/"#?])/g, (id) => (/\d/.test(id) ? "ry4eru9wzp" : id));
  return text.length > LONG ? `${text.slice(0, LONG)} ...` : text;
}

/** What of an exchange is the same each time: its members and the kinds of their values. */
export function shapeOf(value: unknown): unknown {
  if (Array.isArray(value)) return ["list"];
  if (typeof value !== "object" || value === null) return value === null ? "any" : typeof value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, part]) => part !== null)
      .map(([key, part]) => [key, shapeOf(part)]),
  );
}

/** The page: each operation with one exchange for every status it was answered with. */
export function examplesPage(exchanges: readonly Exchange[], words: ReadonlyMap<string, string>): string {
  const pieces = [
    "# The service over HTTP, by example",
    "Every operation with what it was asked and how it answered, for each kind of answer. Made by the tests from a service that " +
      "runs; they also see that it still answers so. Of lists the first entry is shown. Keys stand as `KEY`, secrets as `SECRET`. " +
      "How it all hangs together: [http.md](http.md).",
  ];
  let last = "";
  for (const { id, method, path, body, status, type, answer } of exchanges) {
    if (id !== last) pieces.push(`## ${id}`, words.get(id) ?? "");
    last = id;
    const asked = `${method} ${path}${typeof body === "string" ? `\n\n${body}` : body === undefined ? "" : `\n\n${JSON.stringify(body, undefined, 2)}`}`;
    const answered = `${status}${type === "" ? "" : ` ${type}`}${answer === undefined ? "" : `\n\n${typeof answer === "string" ? answer : JSON.stringify(answer, undefined, 2)}`}`;
    pieces.push(`\`\`\`http\n${asked}\n\`\`\``, `\`\`\`http\n${answered}\n\`\`\``);
  }
  return `${pieces.join("\n\n")}\n`;
}
