/** Whether the service answers, as far as the last requests tell. */

import { ServiceProblem } from "@zany/client";
import { QueryCache, QueryClient } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";

/** How often a service that does not answer is asked again, in milliseconds. */
const AGAIN = 3_000;

let lost = false;
const listeners = new Set<() => void>();

function set(now: boolean): void {
  if (now === lost) return;
  lost = now;
  for (const listener of listeners) listener();
}

const isLost = (error: unknown): boolean => error instanceof ServiceProblem && error.code === "noService";

/** The requests of all pages. One that meets no service is asked again until there is one. */
export const queries = new QueryClient({
  queryCache: new QueryCache({
    onError: (error) => set(isLost(error)),
    onSuccess: () => set(false),
  }),
  defaultOptions: {
    queries: {
      retry: (count, error) => isLost(error) || count < 1,
      retryDelay: (_, error) => {
        set(isLost(error));
        return AGAIN;
      },
      staleTime: 5_000,
    },
  },
});

/** True while the service does not answer. */
export function useLost(): boolean {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => lost,
  );
}
