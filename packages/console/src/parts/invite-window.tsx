/** The window in which somebody is invited to a seat. */

import { useQuery } from "@tanstack/react-query";
import { Link2 } from "lucide-react";
import { type FormEvent, type ReactNode, useState } from "react";
import { ownKey } from "../identity.js";
import { client } from "../service.js";
import { Button, ErrorText } from "./basics.js";
import { Copied } from "./copied.js";
import { Modal } from "./modal.js";
import type { InviteMoves } from "./moves.js";

const FIELD = "min-w-0 flex-1 rounded border border-line bg-cloth px-2 py-1.5";

export default function InviteWindow({
  seat,
  invites,
  onClose,
}: {
  seat: string;
  invites: InviteMoves;
  onClose: () => void;
}): ReactNode {
  const known = useQuery({
    queryKey: ["played with", ownKey()],
    queryFn: () => client.playedWith(),
    enabled: ownKey() !== undefined,
    retry: false,
  });
  const [handle, setHandle] = useState("");
  const [link, setLink] = useState<string>();
  const [problem, setProblem] = useState<unknown>(null);
  const invite = (event: FormEvent): void => {
    event.preventDefault();
    invites.person(seat, handle.trim()).then(onClose, setProblem);
  };
  return (
    <Modal title={`Invite to ${seat}`} look="top-1/3 w-[min(30rem,94vw)] p-5" onClose={onClose}>
      <form onSubmit={invite} className="mt-3 flex items-center gap-2">
        <label className="flex min-w-0 flex-1 items-center gap-2">
          <span className="text-soft">Handle</span>
          <input value={handle} onChange={(e) => setHandle(e.target.value)} placeholder="mira" className={FIELD} />
        </label>
        <Button type="submit" look="main" disabled={handle.trim() === ""}>
          Invite
        </Button>
      </form>
      {known.data && known.data.items.length > 0 ? (
        <div className="mt-3">
          <h3 className="text-soft">Played with before</h3>
          <ul className="mt-1 flex max-h-32 flex-wrap gap-1.5 overflow-auto">
            {known.data.items.map((person) => (
              <li key={person.handle}>
                <Button onClick={() => setHandle(person.handle)} aria-label={`Choose ${person.name}`}>
                  {person.name} <span className="text-soft">{person.handle}</span>
                </Button>
              </li>
            ))}
          </ul>
        </div>
      ) : null}
      <div className="mt-4 border-t border-line pt-4">
        {link === undefined ? (
          <Button onClick={() => invites.link(seat).then(setLink, setProblem)}>
            <span className="flex items-center gap-1.5">
              <Link2 size={15} aria-hidden /> Make a link instead
            </span>
          </Button>
        ) : (
          <Copied text={link} words="Whoever opens it first takes the seat; they need no account." />
        )}
      </div>
      <div className="mt-3 empty:hidden">
        <ErrorText error={problem} />
      </div>
    </Modal>
  );
}
