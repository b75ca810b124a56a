/** From the text of a mapping to what judges a log: the mapping is read and checked with its machine's names. */

import { type Beside, compile, type FindPart } from "../compile.js";
import { firstWord } from "../language/format.js";
import { MAP_MOVES, MAP_PARTS } from "../language/words.js";
import type { Message } from "../language/message.js";
import { Messages } from "../language/message.js";
import { Sources } from "../language/source.js";
import { Runnable } from "../engine/matches/runnable.js";
import { checkMap } from "./check.js";
import { parseMap } from "./parse.js";
import type { TypedMap } from "./typed.js";

/** A mapping with the machine it was checked with. */
export interface MapCompilation {
  /** Set when nothing is wrong with either. */
  readonly map?: TypedMap;
  /** The machine with the places of what the mapping tells; it judges logs and nothing else. */
  readonly runnable?: Runnable;
  /** What is wrong with the mapping; with the machine, when it has errors. */
  readonly messages: readonly Message[];
  readonly sources: Sources;
  readonly ok: boolean;
}

export interface MapText {
  readonly text: string;
  readonly name: string;
}

/**
 * Compiles a mapping.
 *
 * @param machine the text of the machine it is for, and its name in messages
 * @param findPart finds what the machine includes
 * @returns the mapping, or what is wrong; never throws for a bad text
 */
export function compileMap(map: MapText, machine: MapText, findPart?: FindPart): MapCompilation {
  let typedMap: TypedMap | undefined;
  const compilation = compile(machine.text, machine.name, findPart, {
    errorsOnly: true,
    beside: mapBeside(map, (typed) => {
      typedMap = typed;
    }),
  });
  const { ok, messages, sources } = compilation;
  const base = sources.files.at(-1)?.base ?? 0;
  // Of a machine with mistakes nothing is said of its mapping: that would follow from them.
  const ofMachine = messages.filter(({ from }) => from < base);
  return {
    ...(ok && typedMap && { map: typedMap, runnable: new Runnable(compilation.machine, false) }),
    messages: ofMachine.length > 0 ? ofMachine : messages,
    sources,
    ok,
  };
}

/** A mapping as a text beside its machine, for what editors ask. @param done is given the checked mapping */
export function mapBeside({ name, text }: MapText, done?: (map: TypedMap) => void): Beside {
  return {
    name,
    text,
    check: (file, checked) => {
      const map = checkMap(parseMap(file, checked.tables.messages), checked);
      done?.(map);
    },
    words: { line: [...MAP_PARTS], arrow: MAP_MOVES },
  };
}

/** The machine's file that a mapping names, from the folder of the mapping; undefined when it names none. */
export function machineFileOf(text: string): string | undefined {
  return parseMap(new Sources().add("", text), new Messages()).map.file?.path;
}

/** Whether a text is a mapping and no machine: its first word says so. */
export function isMap(text: string): boolean {
  return firstWord(text) === "map";
}
