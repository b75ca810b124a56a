/** The compilation of files while they are edited: at once for most, beside the page for long ones. */

import { type Compilation, compile, fromPortable } from "@zany/core";
import { useDeferredValue, useEffect, useMemo, useState } from "react";
import type { CompileAnswer, CompileRequest } from "../compile-worker.js";
import { type Files, MAIN, MAIN_NAME } from "./files.js";

/** From so many characters on a text is compiled beside the page, when typing pauses so long, in milliseconds. */
const LONG = 20_000;
const PAUSE = 100;

/** Files, perhaps a moment behind what is typed, with what they compile to. */
export interface Compiled {
  readonly files: Files;
  readonly compilation: Compilation;
}

export function useCompiled(files: Files): Compiled {
  const deferred = useDeferredValue(files);
  const long = (files[MAIN] ?? "").length > LONG;
  const [beside, setBeside] = useState<Compiled>();
  useEffect(() => {
    if (!long) return setBeside(undefined);
    let wanted = true;
    const timer = setTimeout(
      () =>
        void compiledBeside(files).then((compilation) => {
          if (wanted) setBeside({ files, compilation });
        }),
      PAUSE,
    );
    return () => {
      wanted = false;
      clearTimeout(timer);
    };
  }, [files, long]);
  // Until the first answer has come, a long text is compiled here too: the page has to show something.
  const here = beside === undefined ? deferred : undefined;
  const direct = useMemo(() => here && { files: here, compilation: compiledHere(here) }, [here]);
  return beside ?? (direct as Compiled);
}

function compiledHere(files: Files): Compilation {
  return compile(files[MAIN] ?? "", MAIN_NAME, (path) => (Object.hasOwn(files, path) ? files[path] : undefined), {
    errorsOnly: true,
  });
}

let worker: Worker | undefined;
let last = 0;

function compiledBeside(files: Files): Promise<Compilation> {
  worker ??= new Worker(new URL("../compile-worker.ts", import.meta.url), { type: "module" });
  const of = worker;
  const number = ++last;
  return new Promise((resolve) => {
    const onMessage = ({ data }: MessageEvent<CompileAnswer>): void => {
      if (data.number !== number) return;
      of.removeEventListener("message", onMessage);
      const { machine: portable, number: _, ...rest } = data;
      const machine = fromPortable(portable);
      resolve({ ...rest, machine, sources: machine.sources });
    };
    of.addEventListener("message", onMessage);
    of.postMessage({ number, text: files[MAIN] ?? "", name: MAIN_NAME, parts: files } satisfies CompileRequest);
  });
}
