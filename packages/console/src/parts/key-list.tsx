/** The keys of this page, and those of every page. */

import type { ReactNode } from "react";
import { EVERYWHERE, type KeyHelp, pageKeys } from "../keys.js";
import { useTold } from "../registry.js";
import { Button } from "./basics.js";
import { Modal } from "./modal.js";

export default function KeyList({ onClose }: { onClose: () => void }): ReactNode {
  const page = useTold(pageKeys);
  return (
    <Modal
      title="Keys"
      onClose={onClose}
      look="top-1/2 max-h-[85vh] w-[min(32rem,92vw)] -translate-y-1/2 overflow-auto p-5"
    >
      {page.length > 0 ? <Keys title="On this page" keys={page} /> : null}
      <Keys title="Everywhere" keys={EVERYWHERE} />
      <div className="mt-5 text-right">
        <Button onClick={onClose}>Close</Button>
      </div>
    </Modal>
  );
}

function Keys({ title, keys }: { title: string; keys: readonly KeyHelp[] }): ReactNode {
  return (
    <section className="mt-4">
      <h3 className="mb-1 font-medium text-soft">{title}</h3>
      <dl className="grid grid-cols-[9rem_1fr] gap-y-1">
        {keys.map(({ keys: key, words }) => (
          <div key={key} className="contents">
            <dt>
              <kbd className="rounded border border-line bg-sunken px-1.5 font-mono text-xs">{key}</kbd>
            </dt>
            <dd>{words}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
