/** `zany check`: the messages of machines. */

import {
  applyFixes,
  type Compilation,
  type Evidenced,
  isMap,
  type Message,
  renderMessage,
  type Severity,
  withEvidence,
} from "@zany/core";
import { compileFile, machinesIn, needFolder, readText, writeText } from "../files.js";
import { type Case, writeJunit } from "../junit.js";
import { mapFile } from "./maps.js";
import { showSteps } from "../show.js";
import { columns, count, say, sayJson, style, wrap } from "../terminal.js";

const STYLES = { error: "red", warning: "yellow", hint: "dim" } as const;

/** Fixes bring others to light a few times at most. */
const MAX_ROUNDS = 10;

export async function check(
  paths: readonly string[],
  options: {
    readonly json?: boolean;
    readonly junit?: string;
    readonly fix?: boolean;
    readonly hints?: "all" | "none";
    readonly strict?: boolean;
    readonly why?: boolean;
    readonly evidence: boolean;
  },
): Promise<number> {
  if (options.junit !== undefined) needFolder(options.junit);
  const files = machinesIn(paths);
  if (options.fix) for (const file of files) fixAll(file, options.json ?? false);
  const wanted = options.evidence ? { matches: options.why === true || options.json === true } : undefined;
  const compilations = files.map((file) => ({ file, compilation: checked(file, wanted) }));
  const counts = (message: Message): boolean => options.strict === true || message.severity !== "hint";
  const any = compilations.some(({ compilation }) => compilation.messages.some(counts));
  if (options.junit !== undefined)
    writeJunit(
      options.junit,
      "check",
      compilations.map(({ file, compilation }) => ({
        name: file,
        cases: casesOf(file, compilation, counts),
      })),
    );
  if (options.json) {
    sayJson(
      compilations.map(({ file, compilation }) => ({
        file,
        machine: compilation.name,
        ok: compilation.ok,
        givenUp: compilation.givenUp,
        ...(compilation.searched && { searched: searchedJson(compilation.searched) }),
        messages: asJson(compilation),
      })),
    );
    return any ? 1 : 0;
  }
  for (const { file, compilation } of compilations) {
    for (const message of compilation.messages) {
      if (!counts(message) && options.hints !== "all") continue;
      const [headline, ...rest] = renderMessage(compilation.sources, message).split("\n");
      const text = rest.flatMap(fitted).join("\n");
      say(style(STYLES[message.severity], headline ?? ""));
      say(message.severity === "hint" ? style("dim", text) : text);
      sayEvidence(message, options.why === true);
      say("");
    }
    say(summary(file, compilation));
  }
  return any ? 1 : 0;
}

/** What is said of a machine or of a map. */
interface Checked extends Pick<Compilation, "messages" | "sources" | "ok" | "givenUp">, Pick<Evidenced, "searched"> {
  readonly name: string;
  /** What it holds, such as `2 states, 1 action`. */
  readonly holds: string;
}

/** @param evidence how matches are looked for; undefined leaves that out */
function checked(file: string, evidence?: { readonly matches: boolean }): Checked {
  if (isMap(readText(file))) {
    const { map, messages, sources, ok } = mapFile(file);
    return { name: map?.name ?? "", holds: count(map?.rows.length ?? 0, "row"), messages, sources, ok, givenUp: false };
  }
  const compilation = compileFile(file, evidence === undefined ? {} : { laws: "doubted" });
  const { machine, sources, ok, givenUp } = compilation;
  const { messages, searched } = evidence
    ? withEvidence(compilation, { ...evidence, doubting: true })
    : { ...compilation, searched: undefined };
  const states = machine.states.filter((s) => s.id > 0).length;
  const holds = [
    count(states, "state"),
    count(machine.actions.length, "action"),
    count(machine.endings.length, "ending"),
    count(machine.tests.length, "test"),
  ].join(", ");
  return { name: machine.name, holds, messages, sources, ok, givenUp, ...(searched && { searched }) };
}

/** That a match shows it, or the match itself. */
function sayEvidence({ shown, evidence }: Message, why: boolean): void {
  if (shown === undefined) return;
  if (!why) say(style("dim", `  A match shows it, ${shown === 0 ? "at once" : `in ${count(shown, "step")}`}: --why.`));
  else if (!evidence) say(style("dim", "  A match comes there, but no times were found by which it goes so."));
  else {
    const { steps, begun } = evidence;
    const how = begun === undefined ? "" : `, begun with ${begun}`;
    say(steps.length === 0 ? `  It shows as soon as a match begins${how}.` : `  A match that shows it${how}:`);
    showSteps(steps, "    ");
    if (!evidence.twin || evidence.twin.steps.length === 0) return;
    say("  Its twin, which looks the same until then:");
    showSteps(evidence.twin.steps, "    ");
  }
}

/** Words broken to fit a terminal; elsewhere, and of the machine's own text, lines stay as they are. */
function fitted(line: string): string[] {
  return process.stdout.isTTY && !/^ *\d* \|/.test(line) ? wrap(line, columns(), "  ") : [line];
}

/** Each message is a case that failed; a machine without any is one that passed. */
function casesOf(file: string, { name, messages, sources }: Checked, counts: (m: Message) => boolean): Case[] {
  const found = messages.filter(counts);
  if (found.length === 0) return [{ name: `${name}: no problems found`, file }];
  return found.map((message) => {
    const place = sources.place(message.from);
    return {
      name: `${message.name} at ${place.line}:${place.column}`,
      file: place.file,
      line: place.line,
      failure: { headline: message.words, text: renderMessage(sources, message) },
    };
  });
}

/** Carries out fixes until there is none left; one may bring the next to light. */
function fixAll(file: string, quiet: boolean): void {
  for (let round = 0; round < MAX_ROUNDS; round++) {
    const { sources, messages } = checked(file);
    const { texts, messages: fixed } = applyFixes(sources, messages);
    if (fixed.length === 0) return;
    for (const [name, text] of texts) writeText(name, text);
    for (const message of fixed) {
      const { file: at, line } = sources.place(message.from);
      if (!quiet) say(style("green", `fixed ${message.name} at ${at}:${line}: ${message.fix?.title}`));
    }
  }
}

function searchedJson({ situations, steps, complete }: NonNullable<Evidenced["searched"]>): unknown {
  return { situations, steps, complete };
}

function summary(file: string, compilation: Checked): string {
  const left = compilation.givenUp
    ? " It is more than the checker reasons about: warnings that take reasoning were left out."
    : "";
  return `${found(file, compilation)}${left}`;
}

function found(file: string, { name, holds, messages }: Checked): string {
  const of = (severity: Severity): number => messages.filter((m) => m.severity === severity).length;
  const [errors, warnings, hints] = [of("error"), of("warning"), of("hint")];
  const left = hints > 0 ? ` ${count(hints, "hint")} (--hints=all).` : "";
  if (errors + warnings > 0) {
    const words = [errors > 0 ? count(errors, "error") : "", warnings > 0 ? count(warnings, "warning") : ""];
    return `${file}: ${words.filter(Boolean).join(", ")}${left && `.${left}`}`;
  }
  return `${file}: no problems found in ${name}: ${holds}.${left}`;
}

function asJson({ messages, sources }: Checked): unknown[] {
  return messages.map(({ from, to, fix, ...message }) => {
    const start = sources.place(from);
    const end = sources.place(to);
    return {
      ...message,
      ...start,
      endLine: end.line,
      endColumn: end.column,
      related: message.related && { words: message.related.words, ...sources.place(message.related.from) },
      fix: fix && {
        title: fix.title,
        edits: fix.edits.map((edit) => ({
          ...sources.place(edit.from),
          length: edit.to - edit.from,
          text: edit.text,
        })),
      },
    };
  });
}
