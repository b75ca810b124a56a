/** Lines typed in a local match: exactly those that tests are made of, read by the language itself. */

import { compile, type FindPart } from "../compile.js";
import { Fault } from "../engine/values/fault.js";
import { type InputLine, LineInputs } from "../engine/matches/line-inputs.js";
import { Runnable } from "../engine/matches/runnable.js";
import type { Input, Situation } from "../engine/situation/situation.js";

/** What a line says: something that is done, or why it is no such line. */
export type Typed =
  | { readonly kind: "input"; readonly input: Input }
  | { readonly kind: "wrong"; readonly words: string; readonly help?: string };

const STEPS: ReadonlySet<string> = new Set(["act", "event", "wait", "joins", "leaves"]);

/** Reads lines for one machine. */
export class TypedLines {
  /**
   * @param text the machine's own text, which compiles
   * @param name the file's name
   * @param findPart finds the files that it includes
   */
  constructor(
    private readonly text: string,
    private readonly name: string,
    private readonly findPart: FindPart,
  ) {}

  /**
   * Reads one line, such as `ann slash(ben) dice 6`, `event Thrown(2)`, `wait 5s` or `ann leaves`.
   *
   * @param situation where the match stands: what the line names is worked out in it
   */
  read(line: string, situation: Situation): Typed {
    const start = this.text.length + BEFORE.length;
    const { machine, messages, ok } = compile(`${this.text}${BEFORE}${line}${BEHIND}`, this.name, this.findPart, {
      errorsOnly: true,
    });
    const mistake = messages.find((m) => m.severity === "error" && m.to >= start);
    if (mistake) return { kind: "wrong", words: mistake.words, ...(mistake.help && { help: mistake.help }) };
    const test = machine.tests.at(-1);
    const [said, ...more] = test?.lines ?? [];
    if (!ok || test?.words !== WORDS || !said || more.length > 0 || test.to < start + line.length)
      return { kind: "wrong", words: "This is more than one step.", help: "Type one step at a time." };
    if (!STEPS.has(said.kind))
      return {
        kind: "wrong",
        words: `"${line.trim().split(/\s/)[0]}" is no step of a match.`,
        help: "Type an action with its arguments, as in a test: slash(ben).",
      };
    if ("refused" in said && said.refused !== undefined)
      return { kind: "wrong", words: 'What is refused is only said in tests: leave "refused" out.' };
    try {
      const engine = Runnable.engine(new Runnable(machine, false));
      engine.memory.load(situation);
      return { kind: "input", input: new LineInputs(engine).of(said as InputLine, situation.now) };
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      return { kind: "wrong", words: error.message };
    }
  }
}

const WORDS = "a typed line";
const BEFORE = `\ntest "${WORDS}" {\n`;
const BEHIND = "\n}\n";
