/** Which data somebody wants to keep an eye on. */

import { useCallback, useMemo, useState } from "react";
import type { Watching } from "./data.js";

/** The watched data of a machine, kept in this browser. */
export function useWatching(machine: string): Watching {
  const [all, setAll] = useState(kept);
  const toggle = useCallback(
    (path: string) =>
      setAll((before) => {
        const paths = before[machine] ?? [];
        const after = {
          ...before,
          [machine]: paths.includes(path) ? paths.filter((p) => p !== path) : [...paths, path],
        };
        localStorage.setItem(KEY, JSON.stringify(after));
        return after;
      }),
    [machine],
  );
  return useMemo(() => ({ paths: all[machine] ?? [], toggle }), [all, machine, toggle]);
}

const KEY = "zany.watched";

function kept(): Readonly<Record<string, readonly string[]>> {
  try {
    return JSON.parse(localStorage.getItem(KEY) ?? "{}") as Record<string, string[]>;
  } catch {
    return {};
  }
}
