/** A match played in the page from the text as it is, stored or not, without the service. */

import type { SeenMatch } from "@zany/client";
import {
  type Compilation,
  diceFrom,
  events,
  type Input,
  inputInWords,
  options,
  policyNames,
  Runnable,
  Trial,
  view,
} from "@zany/core";
import { FilePlus2, Play, Save, Settings2, Undo2 } from "lucide-react";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { ErrorText, IconButton } from "./basics.js";
import { BeginForm, type Wish } from "./begin-form.js";
import { type Files, MAIN, MAIN_NAME } from "./files.js";
import { MatchView } from "./match-view.js";
import { Modal } from "./modal.js";
import type { Moves } from "./moves.js";
import { save } from "./save.js";
import { Story } from "./story.js";

/** A trial as it stands: it changes by itself, so each look at it counts. */
interface Shown {
  readonly trial: Trial;
  readonly look: number;
}

interface TryProps {
  readonly compilation: Compilation;
  readonly files: Files;
  /** Is told of the states that the match is in. */
  readonly onStates: (states: readonly string[]) => void;
  /** Puts a test into the text. */
  readonly onTest: (text: string) => void;
}

export function Try({ compilation, files, onStates, onTest }: TryProps): ReactNode {
  const { shown, problem, begin, change, forget } = useTrial(compilation, files);
  const trial = shown?.trial;
  const [dice, setDice] = useState("");
  const [asking, setAsking] = useState(false);
  // A wish that does not fit is told in the window it was made in, and forgotten with it.
  const close = (): void => {
    setAsking(false);
    forget();
  };
  const states = trial ? statesOf(trial) : NONE;
  const statesText = states.join("\n");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the same states in another list are no news
  useEffect(() => onStates(states), [statesText]);
  if (!trial)
    return (
      <div className="p-4">
        {problem === undefined ? (
          <p className="text-soft">A match can be tried here as soon as the machine has no errors.</p>
        ) : (
          <ErrorText error={problem} />
        )}
      </div>
    );
  const seen = seenBy(trial);
  const any = seen[Object.keys(seen)[0] ?? ""] as SeenMatch;
  return (
    <section aria-label="Try" className="flex h-full min-h-0 flex-col">
      <div className="flex flex-wrap items-center gap-1 border-b border-line bg-sunken px-2 py-1">
        <IconButton words="Begin anew" Icon={Play} size={16} onClick={() => begin({})} />
        <IconButton words="Begin with ..." Icon={Settings2} size={16} onClick={() => setAsking(true)} />
        <IconButton words="Undo" Icon={Undo2} size={16} onClick={() => change((of) => void of.undo())} />
        <IconButton
          words="Keep as a test"
          Icon={FilePlus2}
          size={16}
          onClick={() => onTest(trial.asTest(`tried at step ${trial.match.situation.step}`))}
        />
        <IconButton
          words="Save the logbook"
          Icon={Save}
          size={16}
          onClick={() => save(new Blob([trial.asLogbook()]), `${any.view.machine}.log.jsonl`)}
        />
        <label className="ml-auto flex items-center gap-1 text-xs text-soft">
          next dice
          <input
            value={dice}
            onChange={(e) => setDice(e.target.value)}
            placeholder="by chance"
            title="Numbers, yes or no, _ for one left to chance; for the next action"
            className="w-24 rounded border border-line bg-cloth px-2 py-0.5 text-ink"
          />
        </label>
      </div>
      {trial.departure ? (
        <p role="alert" className="border-b border-sail bg-sail-wash px-3 py-1">
          Goes differently now at step {trial.departure.step}, {inputInWords(trial.departure.input)}:{" "}
          {trial.departure.words}.
        </p>
      ) : null}
      <ErrorText error={asking ? undefined : problem} />
      <div className="min-h-0 flex-[3]">
        <MatchView
          alone
          match={any}
          seen={seen}
          hosted={any}
          moves={movesOf(trial, change, dice, setDice)}
          lines={trial.lines()}
          graph={undefined}
        />
      </div>
      <div className="min-h-16 flex-1 border-t border-line">
        <Story lines={[...trial.lines()]} />
      </div>
      {asking ? (
        <Modal
          title="Begin with ..."
          look="top-1/2 max-h-[92vh] w-[30rem] -translate-y-1/2 overflow-auto p-5"
          onClose={close}
        >
          <BeginForm
            runnable={trial.source.runnable}
            hosted={false}
            busy={false}
            problem={problem}
            onBegin={(wish) => begin(wish) && setAsking(false)}
            onClose={close}
          />
        </Modal>
      ) : null}
    </section>
  );
}

const NONE: readonly string[] = [];

function statesOf({ match: { runnable, situation } }: Trial): readonly string[] {
  const { outcome, states } = view(runnable, situation, null);
  return outcome ? [outcome.ending] : states;
}

/** The trial of the text as it is. When the text changes and has no errors, its inputs are played again. */
function useTrial(
  compilation: Compilation,
  files: Files,
): {
  readonly shown: Shown | undefined;
  readonly problem: unknown;
  begin(wish: Wish): boolean;
  change(by: (trial: Trial) => void): void;
  /** Forgets the problem: the trial goes on as it was. */
  forget(): void;
} {
  const [shown, setShown] = useState<Shown>();
  const [problem, setProblem] = useState<unknown>();
  const of = useRef<{ readonly compilation: Compilation; readonly wish: Wish }>(undefined);
  const source = useMemo(
    () =>
      compilation.ok
        ? {
            runnable: new Runnable(compilation.machine, false),
            text: files[MAIN] ?? "",
            name: MAIN_NAME,
            findPart: (path: string) => (Object.hasOwn(files, path) ? files[path] : undefined),
          }
        : undefined,
    [compilation, files],
  );
  const attempt = (make: () => Trial): boolean => {
    try {
      const trial = make();
      setProblem(undefined);
      setShown((now) => ({ trial, look: (now?.look ?? 0) + 1 }));
      return true;
    } catch (error) {
      setProblem(error);
      return false;
    }
  };
  const begin = (wish: Wish): boolean => {
    if (!source) return false;
    const { bots, clock: _clock, seed = crypto.randomUUID().slice(0, 8), open: _open, ...how } = wish;
    const asked = { seed, now: Date.now(), ...how } as ConstructorParameters<typeof Trial>[1];
    of.current = { compilation, wish };
    return attempt(() => new Trial(source, asked, bots));
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is the text that plays it again
  useEffect(() => {
    if (!source || of.current?.compilation === compilation) return;
    if (!shown) return void begin({});
    of.current = { compilation, wish: of.current?.wish ?? {} };
    attempt(() => shown.trial.on(source));
  }, [source]);
  return {
    shown,
    problem,
    begin,
    forget: () => setProblem(undefined),
    change(by) {
      if (!shown) return;
      by(shown.trial);
      setShown({ trial: shown.trial, look: shown.look + 1 });
    },
  };
}

/** The match as each seat sees it, in the form in which the service would tell it. */
function seenBy({ match, source: { runnable } }: Trial): Readonly<Record<string, SeenMatch>> {
  const { situation } = match;
  const { seats } = view(runnable, situation, null);
  const names = seats.map(({ seat }) => seat);
  const bots = Object.fromEntries(
    seats.flatMap(({ seat }) => {
      const policy = match.botOf(seat);
      return policy === undefined ? [] : [[seat, policy]];
    }),
  );
  return Object.fromEntries(
    seats.map(({ seat }): [string, SeenMatch] => [
      seat,
      {
        id: "",
        machine: { name: runnable.machine.name, version: 0, hash: "", rules: "" },
        seat,
        own: names,
        owner: true,
        seats: seats.map(({ seat: one, status }) => ({
          seat: one,
          holder: status === "open" ? "open" : "host",
          left: false,
          name: null,
          invitation: null,
          bot: bots[one] ?? null,
        })),
        hosted: true,
        least: 0,
        confirmed: [],
        rematch: null,
        rematchOf: null,
        view: view(runnable, situation, seat),
        options: options(runnable, situation, seat),
        suspended: null,
        cancelled: null,
        cancelledBy: null,
        clock: "manual",
        bots,
        policies: policyNames(runnable),
        events: events(runnable, situation),
      },
    ]),
  );
}

function movesOf(
  trial: Trial,
  change: (by: (trial: Trial) => void) => void,
  dice: string,
  setDice: (text: string) => void,
): Moves {
  const { match, source } = trial;
  /** @throws Error with the words of a refusal or a fault */
  const take = (input: Input): void => {
    const { refusal, fault } = trial.take(input);
    change(() => {});
    if (refusal || fault) throw new Error(refusal?.words ?? fault?.words);
  };
  const seats = view(source.runnable, match.situation, null).seats.map((s) => s.seat);
  return {
    own: seats.filter((seat) => match.botOf(seat) === undefined),
    async act(seat, action, args, step) {
      const rolls = diceFrom(dice);
      take({ kind: "action", seat, action, args, step, ...(rolls.length > 0 && { dice: rolls }) });
      setDice("");
    },
    choose: async (seat, action, args) => options(source.runnable, match.situation, seat, { action, args })[0],
    host: {
      event: async (event, args) => take({ kind: "event", event, args }),
      wait: async (by) => {
        const due = match.ownStep()?.input.time;
        const time = by === undefined ? due : match.situation.now + by;
        if (time !== undefined) take({ kind: "time", time });
      },
    },
    join: async (seat) => take({ kind: "join", seat }),
    decides: () => true,
    leave: async (seat) => take({ kind: "leave", seat }),
    setBot: async (seat, policy) => change(() => trial.setBot(seat, policy)),
  };
}
