/** The keys of this page, and those of every page. */

import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { EVERYWHERE, type KeyHelp, usePageKeys } from "../keys.js";
import { Button } from "./basics.js";

export default function KeyList({ onClose }: { onClose: () => void }): ReactNode {
  const page = usePageKeys();
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[85vh] w-[min(32rem,92vw)] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-lg border border-line bg-panel p-5 shadow-xl"
        >
          <Dialog.Title className="text-lg font-semibold">Keys</Dialog.Title>
          {page.length > 0 ? <Keys title="On this page" keys={page} /> : null}
          <Keys title="Everywhere" keys={EVERYWHERE} />
          <div className="mt-5 text-right">
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
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
