/** What is looked at on a page stands in its address, so that it can be shared. */

import { useCallback } from "react";
import { useLocation, useSearch } from "wouter";

/** One name of the address's query; changing it is no step back for the browser. @returns "" where it is not there */
export function useAddress(name: string): [string, (value: string) => void] {
  const [at, go] = useLocation();
  const value = new URLSearchParams(useSearch()).get(name) ?? "";
  const set = useCallback(
    (to: string) => {
      // As it is now, which may be later than what was drawn.
      const query = new URLSearchParams(window.location.search);
      if (to === "") query.delete(name);
      else query.set(name, to);
      const text = query.toString();
      go(text === "" ? at : `${at}?${text}`, { replace: true });
    },
    [at, go, name],
  );
  return [value, set];
}
