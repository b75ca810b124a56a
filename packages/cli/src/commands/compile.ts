/** `zany compile`: a machine as the file that the engine takes without the checker. */

import { compiledText, renderMessage, Runnable } from "@zany/core";
import { compileFile, writeText } from "../files.js";
import { complain, say } from "../terminal.js";

export async function compile(file: string, options: { readonly out?: string }): Promise<number> {
  const { machine, messages, sources, ok } = compileFile(file, { errorsOnly: true });
  for (const message of messages) complain(`${renderMessage(sources, message)}\n`);
  if (!ok) {
    complain(`zany: "${file}" does not compile, so nothing was written.`);
    return 1;
  }
  const text = compiledText(new Runnable(machine, false));
  if (options.out === undefined) say(text);
  else {
    writeText(options.out, `${text}\n`);
    say(`${options.out}: ${machine.name}, ${Math.ceil(text.length / 1000)} kB, for @zany/core/engine`);
  }
  return 0;
}
