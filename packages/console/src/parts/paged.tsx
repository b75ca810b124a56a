/**
 * A list that the service gives in pages: all that was asked for so far, looked at again now and then, and a way to
 * more.
 */

import { type InfiniteData, useInfiniteQuery } from "@tanstack/react-query";
import type { Page } from "@zany/client";
import type { ReactNode } from "react";
import { Button } from "./basics.js";

/** How often it is looked again, in milliseconds. */
const AGAIN = 5_000;

export interface Paged<T> {
  /** Undefined until the first page is there. */
  readonly items: readonly T[] | undefined;
  readonly error: unknown;
  /** A button for the next page; null at the end. */
  readonly more: ReactNode;
}

/**
 * @param name what the list is known by, for whoever changes it
 * @param read gives the page behind one, or the first
 */
export function usePages<T>(
  name: readonly unknown[],
  read: (after: string | undefined) => Promise<Page<T>>,
  enabled = true,
): Paged<T> {
  const { data, error, hasNextPage, isFetchingNextPage, fetchNextPage } = useInfiniteQuery<
    Page<T>,
    Error,
    InfiniteData<Page<T>>,
    readonly unknown[],
    string | undefined
  >({
    queryKey: name,
    queryFn: ({ pageParam }) => read(pageParam),
    initialPageParam: undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    refetchInterval: AGAIN,
    enabled,
    retry: false,
  });
  return {
    items: data?.pages.flatMap((page) => page.items),
    error,
    more: hasNextPage ? (
      <Button className="mt-3" disabled={isFetchingNextPage} onClick={() => void fetchNextPage()}>
        Show more
      </Button>
    ) : null,
  };
}
