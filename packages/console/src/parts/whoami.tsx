/** Who sits at this browser: becoming somebody, or saying who one is by a key. */

import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, type ReactNode, useState } from "react";
import { keepOwnKey } from "../identity.js";
import { client } from "../service.js";
import { Button, ErrorText } from "./basics.js";

const FIELD = "mt-1 w-full rounded border border-line bg-cloth px-2 py-1.5";

/** @param why what it is needed for */
export function WhoAmI({ why }: { why: string }): ReactNode {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [handle, setHandle] = useState("");
  const [key, setKey] = useState("");
  const [problem, setProblem] = useState<unknown>(null);
  const be = (own: string): void => {
    keepOwnKey(own);
    void queries.invalidateQueries();
  };
  const become = (event: FormEvent): void => {
    event.preventDefault();
    client
      .addPerson({ name: name.trim(), ...(handle.trim() !== "" && { handle: handle.trim() }), device: "browser" })
      .then((added) => be(added.key), setProblem);
  };
  const enter = (event: FormEvent): void => {
    event.preventDefault();
    client.me(key.trim()).then(() => be(key.trim()), setProblem);
  };
  return (
    <div className="max-w-xl space-y-5">
      <p>{why}</p>
      <form onSubmit={become} className="space-y-2 rounded-lg border border-line bg-panel p-4">
        <h2 className="font-semibold">Become somebody here</h2>
        <label className="block">
          <span className="text-soft">The name that others see</span>
          <input required maxLength={60} value={name} onChange={(e) => setName(e.target.value)} className={FIELD} />
        </label>
        <label className="block">
          <span className="text-soft">What others invite you by, in small letters (left empty: one is made)</span>
          <input maxLength={40} value={handle} onChange={(e) => setHandle(e.target.value)} className={FIELD} />
        </label>
        <Button type="submit" look="main" disabled={name.trim() === ""}>
          Begin as {name.trim() || "somebody"}
        </Button>
      </form>
      <form onSubmit={enter} className="space-y-2 rounded-lg border border-line bg-panel p-4">
        <h2 className="font-semibold">You have a key already</h2>
        <label className="block">
          <span className="text-soft">Your key, made on another device</span>
          <input
            type="password"
            autoComplete="off"
            value={key}
            onChange={(e) => setKey(e.target.value)}
            className={FIELD}
          />
        </label>
        <Button type="submit" disabled={key.trim() === ""}>
          Enter
        </Button>
      </form>
      <ErrorText error={problem} />
    </div>
  );
}
