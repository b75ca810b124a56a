/** Going through the steps of a match: buttons, a slider with marks, and playing at a pace. */

import { Pause, Play } from "lucide-react";
import { Slider } from "radix-ui";
import { type ReactNode, useEffect, useState } from "react";
import { Button } from "./basics.js";

/** Something that stands above the slider at a step. */
export interface Mark {
  readonly step: number;
  readonly look: string;
  readonly words: string;
}

/** How long each step is shown while it plays, by the words for it, in milliseconds. */
const PACES: Readonly<Record<string, number>> = { slowly: 1_200, quickly: 400, fast: 100 };
/** With more marks than this they would be a smear. */
const MOST_MARKS = 300;

export function Scrubber({
  at,
  last,
  marks,
  playing,
  onPlay,
  onGo,
}: {
  at: number;
  last: number;
  marks: readonly Mark[];
  playing: boolean;
  onPlay: (playing: boolean) => void;
  onGo: (step: number) => void;
}): ReactNode {
  const [pace, setPace] = useState("quickly");
  useEffect(() => {
    if (!playing) return;
    if (at >= last) {
      onPlay(false);
      return;
    }
    const timer = setTimeout(() => onGo(at + 1), PACES[pace] ?? 400);
    return () => clearTimeout(timer);
  }, [playing, pace, at, last, onPlay, onGo]);
  const place = (step: number): string => `${last === 0 ? 0 : (step / last) * 100}%`;
  return (
    <div className="flex items-center gap-3 border-b border-line px-4 py-2">
      <Button aria-label="First step" disabled={at === 0} onClick={() => onGo(0)}>
        {"\u21e4"}
      </Button>
      <Button aria-label="Step back" disabled={at === 0} onClick={() => onGo(at - 1)}>
        {"\u2190"}
      </Button>
      <Button aria-label="Step forward" disabled={at === last} onClick={() => onGo(at + 1)}>
        {"\u2192"}
      </Button>
      <Button aria-label="Last step" disabled={at === last} onClick={() => onGo(last)}>
        {"\u21e5"}
      </Button>
      <Button
        aria-label={playing ? "Stop playing" : "Play"}
        onClick={() => {
          if (at === last) onGo(0);
          onPlay(!playing);
        }}
      >
        {playing ? <Pause size={15} aria-hidden /> : <Play size={15} aria-hidden />}
      </Button>
      <select
        aria-label="Pace"
        value={pace}
        onChange={(e) => setPace(e.target.value)}
        className="rounded border border-line bg-panel px-1 py-0.5"
      >
        {Object.keys(PACES).map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      <div className="relative min-w-0 flex-1">
        {marks.slice(0, MOST_MARKS).map(({ step, look, words }) => (
          <span
            key={`${step} ${words}`}
            className={`absolute -top-2.5 h-2.5 w-0.5 ${look}`}
            style={{ left: place(step) }}
            title={`${words} at step ${step}`}
          />
        ))}
        <Slider.Root
          min={0}
          max={last}
          value={[at]}
          onValueChange={([to]) => onGo(to ?? 0)}
          className="relative flex h-5 w-full touch-none items-center select-none"
        >
          <Slider.Track className="relative h-1.5 grow rounded-full bg-line">
            <Slider.Range className="absolute h-full rounded-full bg-sea" />
          </Slider.Track>
          <Slider.Thumb aria-label="Step" className="block h-4 w-4 rounded-full border-2 border-sea bg-panel" />
        </Slider.Root>
      </div>
      <span className="w-24 text-right tabular-nums">
        step {at} <span className="text-soft">of {last}</span>
      </span>
    </div>
  );
}
