/** A link to a seat: whoever opens it takes the seat, without an account, on a phone too. */

import { useMutation } from "@tanstack/react-query";
import { type FormEvent, type ReactNode, useState } from "react";
import { useLocation } from "wouter";
import { Button, ErrorText, Page, To } from "../parts/basics.js";
import { client, keepKeys } from "../service.js";

export default function SeatPage({ id }: { id: string }): ReactNode {
  const [secret] = useState(() => window.location.hash.slice(1));
  const [request] = useState(() => crypto.randomUUID());
  const [name, setName] = useState("");
  const [, navigate] = useLocation();
  const take = useMutation({
    mutationFn: () => client.redeem(id, secret, name.trim() || undefined, request),
    onSuccess: (match) => {
      keepKeys(id, { [match.seat ?? ""]: match.key });
      navigate(`/matches/${id}`, { replace: true });
    },
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    take.mutate();
  };
  return (
    <Page title="A seat is kept for you">
      {secret === "" ? (
        <p>
          This link has lost its secret, the part behind <code>#</code>. Ask for it again, or{" "}
          <To href="/">go to the first page</To>.
        </p>
      ) : (
        <form onSubmit={submit} className="max-w-md space-y-3">
          <p>Whoever takes it first plays it; you need no account. The match is found in this browser from now on.</p>
          <label className="block">
            <span className="text-soft">What the others shall call you (may be left empty)</span>
            <input
              maxLength={60}
              value={name}
              onChange={(e) => setName(e.target.value)}
              className="mt-1 w-full rounded border border-line bg-cloth px-2 py-2 text-base"
            />
          </label>
          <Button type="submit" look="main" disabled={take.isPending} className="w-full py-2.5">
            Take the seat
          </Button>
          <ErrorText error={take.error} />
        </form>
      )}
    </Page>
  );
}
