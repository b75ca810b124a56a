/** Two tallies compared: which shares differ by more than chance would have it. */

import { intervalOf, meanOf, type Share, type Tally } from "./tally.js";

/** Something that both tallies count, as shares of their matches. */
export interface ComparedShare {
  readonly what: "win" | "loss" | "draw" | "ending";
  /** The seat, or the ending. */
  readonly name: string;
  readonly first: Share;
  readonly second: Share;
  /** The second share less the first, and between what that is with 95% certainty (Newcombe, 1998, method 10). */
  readonly difference: Share;
  /** How likely so large a difference is where there is none, as one of all that are compared (Holm, 1979). */
  readonly chance: number;
}

export interface ComparedTallies {
  readonly shares: readonly ComparedShare[];
  /** The mean number of steps of both, the second less the first, and how likely that is by chance (Welch, 1947). */
  readonly length: {
    readonly first: number;
    readonly second: number;
    readonly difference: number;
    readonly chance: number;
  };
}

export function compareTallies(first: Tally, second: Tally): ComparedTallies {
  const seats = [...new Set([...Object.keys(first.results), ...Object.keys(second.results)])];
  const endings = [...new Set([...Object.keys(first.endings), ...Object.keys(second.endings)])];
  const counted = [
    ...seats.flatMap((name) =>
      (["win", "loss", "draw"] as const).map((what) => ({
        what,
        name,
        counts: [first.results[name]?.[what] ?? 0, second.results[name]?.[what] ?? 0] as const,
      })),
    ),
    ...endings.map((name) => ({
      what: "ending" as const,
      name,
      counts: [first.endings[name] ?? 0, second.endings[name] ?? 0] as const,
    })),
  ].filter(({ counts: [one, two] }) => one + two > 0);
  const chances = holm(counted.map(({ counts: [one, two] }) => chanceOf(one, first.matches, two, second.matches)));
  return {
    shares: counted.map(({ what, name, counts: [one, two] }, i) => {
      const [before, after] = [intervalOf(one, first.matches), intervalOf(two, second.matches)];
      return { what, name, first: before, second: after, difference: between(before, after), chance: chances[i] ?? 1 };
    }),
    length: lengths(first, second),
  };
}

function between(first: Share, second: Share): Share {
  const share = second.share - first.share;
  const down = Math.hypot(second.share - second.low, first.high - first.share);
  const up = Math.hypot(second.high - second.share, first.share - first.low);
  return { share, low: share - down, high: share + up };
}

/** Two-sided, by the normal distribution around the share of both together. */
function chanceOf(one: number, all: number, two: number, others: number): number {
  const pooled = (one + two) / Math.max(1, all + others);
  const spread = Math.sqrt(pooled * (1 - pooled) * (1 / Math.max(1, all) + 1 / Math.max(1, others)));
  return spread === 0 ? 1 : beyond((two / others - one / all) / spread);
}

function lengths(first: Tally, second: Tally): ComparedTallies["length"] {
  const [one, two] = [meanOf(first.lengths), meanOf(second.lengths)];
  const spread = Math.sqrt(
    one.spread ** 2 / Math.max(1, first.matches) + two.spread ** 2 / Math.max(1, second.matches),
  );
  const difference = two.mean - one.mean;
  return { first: one.mean, second: two.mean, difference, chance: spread === 0 ? 1 : beyond(difference / spread) };
}

/** Each chance as it is when the least of several is looked at first. */
function holm(chances: readonly number[]): number[] {
  const order = chances.map((_, i) => i).sort((a, b) => (chances[a] as number) - (chances[b] as number));
  const adjusted = chances.slice();
  let most = 0;
  for (const [rank, i] of order.entries()) {
    most = Math.max(most, Math.min(1, (chances[i] as number) * (chances.length - rank)));
    adjusted[i] = most;
  }
  return adjusted;
}

/** How likely a normal value is so far from the middle, to either side (Abramowitz and Stegun, 26.2.17; to 1e-7). */
function beyond(z: number): number {
  const x = Math.abs(z);
  const t = 1 / (1 + 0.2316419 * x);
  const sum = t * (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
  return Math.min(1, 2 * (Math.exp((-x * x) / 2) / Math.sqrt(2 * Math.PI)) * sum);
}
