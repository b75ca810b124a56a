/** A seat of a match: what it has, how it stands, who plays it. */

import type { SeenMatch } from "@zany/client";
import { Bot, Crown, Flag, Hourglass, LogOut, MailQuestionMark, Minus, UserRound, X } from "lucide-react";
import { type ComponentType, type ReactNode, useContext, useState } from "react";
import { ErrorText } from "./basics.js";
import { Confirm } from "./confirm.js";
import { SeatData } from "./data.js";
import { Invite } from "./invite.js";
import type { Moves } from "./moves.js";
import { lookOf } from "./owners.js";
import { PICK_LOOK, PickingContext } from "./picking.js";

interface SeatCardProps {
  readonly seat: string;
  readonly match: SeenMatch;
  readonly moves: Moves;
  readonly changed: ReadonlySet<string>;
}

type Icon = ComponentType<{ size: number; "aria-hidden": true; className?: string }>;

interface Standing {
  readonly words: string;
  readonly look: string;
  readonly Icon?: Icon;
}

const RESULTS: Readonly<Record<string, Standing>> = {
  win: { words: "win", look: "text-good", Icon: Crown },
  loss: { words: "loss", look: "text-bad", Icon: X },
  draw: { words: "draw", look: "text-sail", Icon: Minus },
};

function standingOf(seat: string, { view, seats }: SeenMatch): Standing {
  const result = view.outcome?.results.find((r) => r.seat === seat)?.result;
  if (result !== undefined) return RESULTS[result] ?? { words: result, look: "text-soft" };
  const status = view.seats.find((s) => s.seat === seat)?.status;
  const waiting = seats.some((s) => s.seat === seat && s.invitation === "waiting");
  if (status === "open" && waiting) return { words: "invited", look: "text-soft", Icon: MailQuestionMark };
  if (seats.some((s) => s.seat === seat && s.left)) return { words: "left", look: "text-bad", Icon: LogOut };
  if (status !== "in") return { words: status ?? "", look: "text-soft", Icon: status === "out" ? LogOut : UserRound };
  return view.turn.includes(seat)
    ? { words: "on turn", look: "text-sail font-semibold", Icon: Flag }
    : { words: "waits", look: "text-soft", Icon: Hourglass };
}

export function SeatCard({ seat, match, moves, changed }: SeatCardProps): ReactNode {
  const { view } = match;
  const { words, look, Icon } = standingOf(seat, match);
  const { text, sign } = lookOf(view.seats, seat);
  const onTurn = !view.outcome && view.turn.includes(seat);
  return (
    <section
      aria-label={seat}
      className={`min-w-0 rounded-lg border bg-panel ${onTurn ? "border-sail ring-1 ring-sail" : "border-line"}`}
    >
      <h2 className={`flex items-center gap-1.5 rounded-t-lg px-2.5 py-1.5 ${onTurn ? "bg-sail-wash" : "bg-sunken"}`}>
        <span aria-hidden="true" className={text}>
          {sign}
        </span>
        <Name seat={seat} />
        {nameOf(seat, match)}
        {moves.own.includes(seat) && moves.own.length < view.seats.length ? (
          <span className="rounded bg-sea-wash px-1 text-xs text-sea" title="You play this seat">
            you
          </span>
        ) : null}
        <span className={`ml-auto flex items-center gap-1 text-xs whitespace-nowrap ${look}`}>
          {Icon ? <Icon size={13} aria-hidden className="shrink-0" /> : null}
          {words}
        </span>
      </h2>
      <div className="p-1.5 empty:hidden">
        <SeatData view={view} seat={seat} changed={changed} />
      </div>
      {view.outcome ? null : <Sitting seat={seat} match={match} moves={moves} />}
    </section>
  );
}

const INVITATIONS = { waiting: "waits", declined: "declined", withdrawn: "withdrawn" } as const;

/** Who sits in a seat, when they have a name. */
function nameOf(seat: string, { seats }: SeenMatch): ReactNode {
  const sits = seats.find((s) => s.seat === seat);
  if (!sits || sits.name === null || sits.invitation !== null) return null;
  return (
    <span className="truncate text-soft" title={sits.name}>
      {sits.name}
    </span>
  );
}

/** A seat's name, which can be pointed at while an argument waits for a seat. */
function Name({ seat }: { seat: string }): ReactNode {
  const picking = useContext(PickingContext);
  const option = picking?.target === "seat" ? picking.values.find((v) => v.value === seat) : undefined;
  if (!picking || !option) return <span className="truncate font-semibold">{seat}</span>;
  return (
    <button
      type="button"
      disabled={!option.open}
      title={option.reason}
      aria-label={`Choose ${seat}`}
      onClick={() => picking.onPick(option.value)}
      className={`truncate rounded px-1 font-semibold ${option.open ? PICK_LOOK : "text-soft"}`}
    >
      {seat}
    </button>
  );
}

/** Who sits here: a person, a bot, or nobody yet; and the way to change that. */
function Sitting({ seat, match, moves }: Omit<SeatCardProps, "changed">): ReactNode {
  const [problem, setProblem] = useState<unknown>(null);
  const [leaving, setLeaving] = useState(false);
  const attempt = (wish: Promise<unknown>): void => void wish.then(() => setProblem(null), setProblem);
  const status = match.view.seats.find((s) => s.seat === seat)?.status;
  const sits = match.seats.find((s) => s.seat === seat);
  const bot = match.bots[seat];
  if (status === "open" || (sits?.holder === "open" && !moves.decides(seat)))
    return (
      <Row>
        {sits?.invitation ? (
          <span>
            {sits.holder === "link" ? "link" : "invitation"} {INVITATIONS[sits.invitation]}
            {sits.name === null ? "" : `: ${sits.name}`}
          </span>
        ) : (
          <button
            type="button"
            className="rounded border border-sea px-2 py-0.5 text-sea"
            onClick={() => attempt(moves.join(seat))}
          >
            Take the seat
          </button>
        )}
        {moves.invites ? <Invite seat={seat} invites={moves.invites} waiting={sits?.invitation === "waiting"} /> : null}
        <ErrorText error={problem} />
      </Row>
    );
  if (status !== "in") return null;
  // Who plays on for somebody who left is decided by whoever began the match.
  const left = sits?.left ?? false;
  if (left ? !match.owner : !moves.decides(seat))
    return bot === undefined ? null : (
      <Row>
        <Bot size={13} aria-hidden /> bot {bot}
      </Row>
    );
  return (
    <Row>
      {bot === undefined ? <UserRound size={13} aria-hidden /> : <Bot size={13} aria-hidden />}
      <select
        aria-label={`Who plays ${seat}`}
        value={bot ?? ""}
        onChange={(e) => attempt(moves.setBot(seat, e.target.value || null))}
        className="min-w-0 rounded border border-line bg-cloth px-1 py-0.5 text-ink"
      >
        <option value="">{left ? "nobody" : "a person"}</option>
        {match.policies.map((policy) => (
          <option key={policy} value={policy}>
            bot {policy}
          </option>
        ))}
      </select>
      {left ? null : (
        <button type="button" className="ml-auto hover:text-bad" onClick={() => setLeaving(true)}>
          Leave
        </button>
      )}
      {leaving ? (
        <Confirm
          title={`${seat} leaves?`}
          words="Whoever has left does not come back; the machine says how the match goes on."
          yes="Leave for good"
          onYes={() => moves.leave(seat)}
          onClose={() => setLeaving(false)}
        />
      ) : null}
      <ErrorText error={problem} />
    </Row>
  );
}

function Row({ children }: { children: ReactNode }): ReactNode {
  return (
    <div className="flex flex-wrap items-center gap-1.5 border-t border-line px-2.5 py-1 text-xs text-soft">
      {children}
    </div>
  );
}
