/** `zany check`: the messages of machines. */

import { type Compilation, renderMessage } from "@zany/core";
import { compileFile } from "../files.js";
import { count, say, sayJson, style } from "../terminal.js";

export async function check(files: readonly string[], options: { readonly json?: boolean }): Promise<number> {
  const compilations = files.map((file) => ({ file, compilation: compileFile(file) }));
  const found = compilations.some(({ compilation }) => compilation.messages.length > 0);
  if (options.json) {
    sayJson(compilations.map(({ file, compilation }) => ({ file, machine: compilation.machine.name, ok: compilation.ok, messages: asJson(compilation) })));
    return found ? 1 : 0;
  }
  for (const { file, compilation } of compilations) {
    for (const message of compilation.messages) {
      const [headline, ...rest] = renderMessage(compilation.sources, message).split("\n");
      say(style(message.severity === "error" ? "red" : "yellow", headline ?? ""));
      say(`${rest.join("\n")}\n`);
    }
    say(summary(file, compilation));
  }
  return found ? 1 : 0;
}

function summary(file: string, { machine, messages }: Compilation): string {
  if (messages.length > 0) {
    const errors = messages.filter((m) => m.severity === "error").length;
    const warnings = messages.length - errors;
    return `${file}: ${[errors > 0 ? count(errors, "error") : "", warnings > 0 ? count(warnings, "warning") : ""].filter(Boolean).join(", ")}`;
  }
  const states = machine.states.filter((s) => s.id > 0).length;
  return `${file}: ${machine.name} is well. ${count(states, "state")}, ${count(machine.actions.length, "action")}, ${count(machine.endings.length, "ending")}, ${count(machine.tests.length, "test")}.`;
}

function asJson({ messages, sources }: Compilation): unknown[] {
  return messages.map(({ from, to, ...message }) => {
    const start = sources.place(from);
    const end = sources.place(to);
    return { ...message, line: start.line, column: start.column, endLine: end.line, endColumn: end.column, related: message.related && { words: message.related.words, ...sources.place(message.related.from) } };
  });
}
