/** Who one is here: the name others see, and a key for each device. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { Me } from "@zany/client";
import { type FormEvent, type ReactNode, useState } from "react";
import { Button, ErrorText, Loading, Page, Table, To, When } from "../parts/basics.js";
import { Confirm } from "../parts/confirm.js";
import { Copied } from "../parts/copied.js";
import { WhoAmI } from "../parts/whoami.js";
import { keepOwnKey, useOwnKey } from "../identity.js";
import { client } from "../service.js";

const FIELD = "rounded border border-line bg-cloth px-2 py-1.5";

export default function MePage(): ReactNode {
  const key = useOwnKey();
  const { data, error } = useQuery({
    queryKey: ["me", key],
    queryFn: () => client.me(),
    enabled: key !== undefined,
    retry: false,
  });
  if (key === undefined)
    return (
      <Page title="Who you are">
        <WhoAmI
          why={"With a name you are invited to matches, find them again on every device, and play whoever is there."}
        />
      </Page>
    );
  if (!data && !error) return <Loading />;
  return (
    <Page title={data?.name ?? "Who you are"}>
      <ErrorText error={error} />
      {data ? <Myself me={data} /> : null}
      <p className="mt-6">
        <To href="/keys" look="text-sea underline">
          Keys of matches
        </To>{" "}
        <span className="text-soft">that came by a link or by beginning one</span>
      </p>
      <div className="mt-6">
        <Forget />
      </div>
    </Page>
  );
}

function Myself({ me }: { me: Me }): ReactNode {
  const queries = useQueryClient();
  const again = (): void => void queries.invalidateQueries({ queryKey: ["me"] });
  const [name, setName] = useState(me.name);
  const [device, setDevice] = useState("");
  const [made, setMade] = useState<string>();
  const [problem, setProblem] = useState<unknown>(null);
  const rename = (event: FormEvent): void => {
    event.preventDefault();
    client.rename(undefined, name.trim()).then(again, setProblem);
  };
  const add = (event: FormEvent): void => {
    event.preventDefault();
    client.addKey(undefined, device.trim()).then(({ key }) => {
      setMade(key);
      setDevice("");
      again();
    }, setProblem);
  };
  return (
    <div className="space-y-6">
      <p>
        Others invite you as <code className="rounded bg-sunken px-1.5 py-0.5">{me.handle}</code>.
      </p>
      <form onSubmit={rename} className="flex flex-wrap items-center gap-2">
        <label className="flex items-center gap-2">
          <span className="text-soft">The name that others see</span>
          <input required maxLength={60} value={name} onChange={(e) => setName(e.target.value)} className={FIELD} />
        </label>
        <Button type="submit" disabled={name.trim() === "" || name.trim() === me.name}>
          Change
        </Button>
      </form>
      <section aria-labelledby="keys">
        <h2 id="keys" className="mb-2 text-base font-semibold">
          Keys, one for each device
        </h2>
        <Table heads={["Device", "Made", "Here", "End it"]}>
          {me.keys.map((key) => (
            <tr key={key.id}>
              <td>{key.name || "no name"}</td>
              <td className="text-soft">
                <When at={key.created} />
              </td>
              <td className="text-sea">{key.current ? "this one" : ""}</td>
              <td>
                {key.current ? null : (
                  <Button onClick={() => client.revokeKey(undefined, key.id).then(again, setProblem)}>Revoke</Button>
                )}
              </td>
            </tr>
          ))}
        </Table>
        <form onSubmit={add} className="mt-3 flex flex-wrap items-center gap-2">
          <label className="flex items-center gap-2">
            <span className="text-soft">One more, for</span>
            <input value={device} placeholder="phone" onChange={(e) => setDevice(e.target.value)} className={FIELD} />
          </label>
          <Button type="submit" disabled={device.trim() === ""}>
            Make a key
          </Button>
        </form>
        {made === undefined ? null : (
          <div className="mt-3">
            <Copied text={made} words="Enter it on the other device; it is shown this once." />
          </div>
        )}
      </section>
      <ErrorText error={problem} />
    </div>
  );
}

/** Takes one's key out of this browser. */
function Forget(): ReactNode {
  const queries = useQueryClient();
  const [asking, setAsking] = useState(false);
  return (
    <>
      <Button onClick={() => setAsking(true)}>Leave this browser</Button>
      {asking ? (
        <Confirm
          title="Leave this browser?"
          words={
            "Your key is taken out of this browser. Without a " +
            "key on another device you do not come back as the same."
          }
          yes="Take it out"
          onYes={async () => {
            keepOwnKey(undefined);
            await queries.invalidateQueries();
          }}
          onClose={() => setAsking(false)}
        />
      ) : null}
    </>
  );
}
