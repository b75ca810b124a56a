/**
 * Webhooks: addresses of other programs that are told what people are told. For the admin, and for a game's own
 * server.
 */

import { useQueryClient } from "@tanstack/react-query";
import { type HookInfo, ServiceProblem } from "@zany/client";
import { type FormEvent, type ReactNode, useState } from "react";
import { client } from "../service.js";
import { Button, ErrorText, Hint, Table, When } from "./basics.js";
import { Copied } from "./copied.js";
import { usePages } from "./paged.js";

const FIELD = "min-w-0 flex-1 rounded border border-line bg-cloth px-2 py-1.5";

export function Webhooks(): ReactNode {
  // The admin's key is kept nowhere: it is typed when it is needed.
  const [key, setKey] = useState<string>();
  const { items, error, more } = usePages(["hooks", key], (after) => client.hooks(key, after));
  const closed = error instanceof ServiceProblem && (error.status === 401 || error.status === 403);
  return (
    <section aria-labelledby="webhooks">
      <h2 id="webhooks" className="mb-2 text-base font-semibold">
        Webhooks
      </h2>
      <p className="mb-3 max-w-2xl text-soft">
        An address that is told what people are told, also while they are away: the admin's of everybody, a game's own
        server's of its matches. Each message is signed and comes at least once.
      </p>
      {closed ? <AdminKey wrong={key !== undefined} onKey={setKey} /> : <ErrorText error={error} />}
      {items ? <Hooks hooks={items} hookKey={key} /> : null}
      {more}
    </section>
  );
}

function AdminKey({ wrong, onKey }: { wrong: boolean; onKey: (key: string) => void }): ReactNode {
  const [typed, setTyped] = useState("");
  const enter = (event: FormEvent): void => {
    event.preventDefault();
    onKey(typed.trim());
  };
  return (
    <form onSubmit={enter} className="flex max-w-2xl flex-wrap items-center gap-2">
      <label className="flex min-w-0 flex-1 items-center gap-2">
        <span className="text-soft">The admin's key</span>
        <input
          type="password"
          autoComplete="off"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          className={FIELD}
        />
      </label>
      <Button type="submit" disabled={typed.trim() === ""}>
        Show them
      </Button>
      {wrong ? <span className="text-bad">This key does not open them.</span> : null}
    </form>
  );
}

function Hooks({ hooks, hookKey }: { hooks: readonly HookInfo[]; hookKey: string | undefined }): ReactNode {
  const queries = useQueryClient();
  const again = (): void => void queries.invalidateQueries({ queryKey: ["hooks"] });
  const [url, setUrl] = useState("");
  const [secret, setSecret] = useState<string>();
  const [shown, setShown] = useState<string>();
  const [problem, setProblem] = useState<unknown>(null);
  const add = (event: FormEvent): void => {
    event.preventDefault();
    client.addHook(url.trim(), hookKey).then((added) => {
      setSecret(added.secret);
      setUrl("");
      setProblem(null);
      again();
    }, setProblem);
  };
  return (
    <>
      {hooks.length === 0 ? <Hint>There is none.</Hint> : null}
      {hooks.length > 0 ? (
        <Table heads={["Address", "Made", "Waiting", "Given up", "End it"]}>
          {hooks.map((hook) => (
            <tr key={hook.id}>
              <td className="font-mono text-xs break-all">{hook.url}</td>
              <td className="text-soft">
                <When at={hook.created} />
              </td>
              <td className="tabular-nums">{hook.waiting}</td>
              <td className="tabular-nums">
                {hook.dead === 0 ? (
                  0
                ) : (
                  <Button onClick={() => setShown(shown === hook.id ? undefined : hook.id)}>{hook.dead}, show</Button>
                )}
              </td>
              <td>
                <Button onClick={() => client.removeHook(hook.id, hookKey).then(again, setProblem)}>Remove</Button>
              </td>
            </tr>
          ))}
        </Table>
      ) : null}
      {shown === undefined ? null : <Dead hook={shown} hookKey={hookKey} />}
      <form onSubmit={add} className="mt-3 flex max-w-2xl items-center gap-2">
        <label className="flex min-w-0 flex-1 items-center gap-2">
          <span className="text-soft">One more</span>
          <input
            type="url"
            value={url}
            placeholder="https://fair.example/turns"
            onChange={(e) => setUrl(e.target.value)}
            className={FIELD}
          />
        </label>
        <Button type="submit" disabled={url.trim() === ""}>
          Add
        </Button>
      </form>
      {secret === undefined ? null : (
        <div className="mt-3">
          <Copied text={secret} words="Its messages are signed with this secret; it is shown this once." />
        </div>
      )}
      <div className="mt-3 empty:hidden">
        <ErrorText error={problem} />
      </div>
    </>
  );
}

/** The messages that were given up. */
function Dead({ hook, hookKey }: { hook: string; hookKey: string | undefined }): ReactNode {
  const { items, error, more } = usePages(["hooks", hook, hookKey], (after) =>
    client.deadDeliveries(hook, hookKey, after),
  );
  return (
    <div className="mt-3">
      <ErrorText error={error} />
      {items ? (
        <Table heads={["Given up", "For", "Match", "Attempts", "Why"]}>
          {items.map(({ delivery, kind, person, match, attempts, failed }) => (
            <tr key={delivery}>
              <td>{kind}</td>
              <td>{person}</td>
              <td className="font-mono">{match}</td>
              <td className="tabular-nums">{attempts}</td>
              <td className="text-bad">{failed}</td>
            </tr>
          ))}
        </Table>
      ) : null}
      {more}
    </div>
  );
}
