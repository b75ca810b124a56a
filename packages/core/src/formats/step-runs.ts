/** The steps of a match as one reads them: what is done several times in a row is told once. */

/** Steps in a row that are alike. */
export interface StepRun {
  readonly words: string;
  readonly times: number;
}

/** @param steps a match's steps, in words */
export function stepRuns(steps: readonly string[]): readonly StepRun[] {
  const runs: { words: string; times: number }[] = [];
  for (const words of steps) {
    const last = runs.at(-1);
    if (last?.words === words) last.times++;
    else runs.push({ words, times: 1 });
  }
  return runs;
}
