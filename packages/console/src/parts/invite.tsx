/** Invites to a seat that nobody sits in: a person by their handle, or whoever opens a link. */

import { UserPlus } from "lucide-react";
import { lazy, type ReactNode, Suspense, useState } from "react";
import { ErrorText } from "./basics.js";
import type { InviteMoves } from "./moves.js";

const InviteWindow = lazy(() => import("./invite-window.js"));

export function Invite({
  seat,
  invites,
  waiting,
}: {
  seat: string;
  invites: InviteMoves;
  /** Somebody is invited already. */
  waiting: boolean;
}): ReactNode {
  const [asking, setAsking] = useState(false);
  const [problem, setProblem] = useState<unknown>(null);
  return (
    <>
      {waiting ? (
        <button type="button" className="hover:text-bad" onClick={() => invites.withdraw(seat).catch(setProblem)}>
          Withdraw
        </button>
      ) : null}
      <button type="button" className="ml-auto flex items-center gap-1 hover:text-ink" onClick={() => setAsking(true)}>
        <UserPlus size={13} aria-hidden /> Invite
      </button>
      <ErrorText error={problem} />
      {asking ? (
        <Suspense>
          <InviteWindow seat={seat} invites={invites} onClose={() => setAsking(false)} />
        </Suspense>
      ) : null}
    </>
  );
}
