/** Works on a machine beside the page: one wish at a time. */

import { CannotWork, type Wish, work, type WorkProgress, type WorkResults } from "@zany/core";

export interface SearchRequest {
  readonly wish: Wish;
  readonly text: string;
  readonly name: string;
  readonly parts: Readonly<Record<string, string>>;
}

export type SearchAnswer =
  | { readonly progress: WorkProgress }
  | { readonly result: WorkResults[keyof WorkResults] }
  | { readonly problem: string };

self.onmessage = ({ data: { wish, text, name, parts } }: MessageEvent<SearchRequest>) => {
  const answer = (answer: SearchAnswer): void => self.postMessage(answer);
  const findPart = (path: string): string | undefined => (Object.hasOwn(parts, path) ? parts[path] : undefined);
  try {
    const say = (progress: WorkProgress): void => answer({ progress });
    answer({ result: work(wish, { text, name, findPart }, { generated: false, say }) });
  } catch (error) {
    if (!(error instanceof CannotWork)) throw error;
    answer({ problem: error.message });
  }
};
