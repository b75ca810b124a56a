/** From text to a machine: the one door to the language and the checker. */

import { type Checked, check } from "./check/check.js";
import type { Machine } from "./check/machine.js";
import { constantFault } from "./engine/code/constants.js";
import { type Message, Messages } from "./language/message.js";
import { applyAccepts } from "./check/accept.js";
import { dropConsequences } from "./check/consequences.js";
import { parse, parsePart } from "./language/parser/parser.js";
import { type SourceFile, Sources } from "./language/source.js";
import type { AcceptNode, FileNode, TopNode } from "./language/syntax.js";

export interface Compilation {
  /** The typed machine; it may be run only when `ok`. */
  readonly machine: Machine;
  readonly messages: readonly Message[];
  readonly sources: Sources;
  /** The texts of the included files, by their paths from the machine's own folder. */
  readonly parts: Readonly<Record<string, string>>;
  /** True when no message is an error. */
  readonly ok: boolean;
  /** True when the machine is more than the checker reasons about, so that only part of the warnings was looked for. */
  readonly givenUp: boolean;
  /** What the texts accept. */
  readonly accepts: readonly AcceptNode[];
}

/**
 * Finds the text of an included file.
 *
 * @param path the file's path from the folder of the machine's own file, with "/" between its parts
 * @returns undefined when there is no such file
 */
export type FindPart = (path: string) => string | undefined;

export interface CompileOptions {
  /** For running a machine that has been checked before: only errors are looked for. False when not given. */
  readonly errorsOnly?: boolean;
  /**
   * What the reasoning assumes: that laws hold (when not given); nothing, for they are claims that may be wrong; or
   * only those that it shows to hold by induction.
   */
  readonly laws?: "believed" | "doubted" | "shown";
  /** A text beside the machine that is checked with the machine's names; its messages come with the others. */
  readonly beside?: Beside;
}

/** A text of another kind that speaks of a machine. */
export interface Beside {
  readonly name: string;
  readonly text: string;
  /** Reads and checks the text, and says what is wrong with it to `checked.tables.messages`. */
  check(file: SourceFile, checked: Checked): void;
  /** The words that can begin one of its lines, and those that can stand behind an arrow. */
  readonly words: { readonly line: readonly string[]; readonly arrow: readonly string[] };
}

/** The most text that is compiled, in UTF-16 units over all files, and the most files. */
const MAX_TEXT = 2_000_000;
const MAX_FILES = 100;

/**
 * Compiles the text of a machine.
 *
 * @param text the whole file
 * @param name the file's name, for messages
 * @param findPart finds what the file includes; without it, nothing is found
 * @param options what is left out
 * @returns the typed machine and all messages in text order; never throws for a bad text
 */
export function compile(
  text: string,
  name = "machine.zany",
  findPart: FindPart = () => undefined,
  options: CompileOptions = {},
): Compilation {
  const sources = new Sources();
  const messages = new Messages();
  const tooLong = text.length > MAX_TEXT;
  const root = sources.add(name, tooLong ? "" : text);
  if (tooLong)
    messages.error(
      "too-large",
      { from: 0, to: 1 },
      `This text is longer than ${MAX_TEXT} characters.`,
      "Split the machine.",
    );
  const file = parse(root, tooLong ? new Messages() : messages);
  const parts: Record<string, string> = Object.create(null) as Record<string, string>;
  const accepts: AcceptNode[] = [...file.accepts];
  const lost: string[] = [];
  const items = includedItems(file, sources, messages, findPart, parts, accepts, lost);
  const { beside } = options;
  // Without its first line the text is no machine: what else seems wrong follows from that.
  const machine = check(
    { ...file, items: [...items, ...file.items], lost: [...file.lost, ...lost] },
    sources,
    file.name.text === "" ? new Messages() : messages,
    options.errorsOnly || file.name.text === "" ? "none" : (options.laws ?? "believed"),
    beside && ((checked) => beside.check(sources.add(beside.name, beside.text), checked)),
  );
  if (!messages.failed) testConstants(machine, messages);
  dropConsequences(messages, sources);
  if (!options.errorsOnly && !messages.failed) applyAccepts(accepts, sources, messages);
  return {
    machine,
    messages: messages.sorted(),
    sources,
    parts,
    ok: !messages.failed,
    givenUp: messages.givenUp,
    accepts,
  };
}

/** What runs a machine works out its constants first: one that cannot be worked out is told here. */
function testConstants(machine: Machine, messages: Messages): void {
  const fault = constantFault(machine);
  if (!fault) return;
  if (fault.code === "tooManyEffects")
    messages.error(
      "bad-constant",
      fault.at,
      "The constants up to here take more work than a whole step may.",
      "Make them smaller, or fill data with them in an enter.",
    );
  else messages.error("bad-constant", fault.at, `This constant cannot be worked out: ${fault.message}`);
}

/**
 * What the included files declare, in the order in which they are included; each file counts once, however often it is
 * included.
 */
function includedItems(
  file: FileNode,
  sources: Sources,
  messages: Messages,
  findPart: FindPart,
  parts: Record<string, string>,
  accepts: AcceptNode[],
  lost: string[],
): TopNode[] {
  const items: TopNode[] = [];
  const folder = folderOf(sources.files[0]?.name ?? "");
  let size = sources.files[0]?.text.length ?? 0;
  const include = (includes: FileNode["includes"], from: string): void => {
    for (const wanted of includes) {
      const path = joinPath(from, wanted.path);
      if (path !== undefined && path in parts) continue;
      const text = path === undefined ? undefined : findPart(path);
      if (path === undefined || text === undefined) {
        messages.error(
          "unknown-file",
          wanted,
          `There is no file "${wanted.path}" to include.`,
          "Its path is meant from the folder of the file that includes it.",
        );
        continue;
      }
      size += text.length;
      if (size > MAX_TEXT || sources.files.length >= MAX_FILES) {
        messages.error(
          "too-large",
          wanted,
          `With this file the machine is more than ${MAX_TEXT} characters or ${MAX_FILES} files.`,
          "Include less.",
        );
        return;
      }
      parts[path] = text;
      const part = parsePart(sources.add(joinPath(folder, path) ?? path, text), messages);
      include(part.includes, folderOf(path));
      items.push(...part.items);
      accepts.push(...part.accepts);
      lost.push(...part.lost);
    }
  };
  include(file.includes, "");
  return items;
}

function folderOf(path: string): string {
  return path.includes("/") ? path.slice(0, path.lastIndexOf("/")) : "";
}

/** A path below a folder without "." and ".." inside it; undefined for one that is not relative. */
function joinPath(folder: string, path: string): string | undefined {
  if (path === "" || path.startsWith("/") || path.includes("\\") || path.includes("\0")) return undefined;
  const joined: string[] = folder === "" ? [] : folder.split("/");
  for (const part of path.split("/")) {
    if (part === "" || part === ".") continue;
    if (part === ".." && joined.length > 0 && joined.at(-1) !== "..") joined.pop();
    else joined.push(part);
  }
  return joined.join("/");
}
