/** A window over the page. Esc and a click beside it close it; the focus stays in it, and comes back. */

import { Dialog } from "radix-ui";
import { type ReactNode, useRef } from "react";

export function Modal({
  title,
  hidden = false,
  look,
  onClose,
  children,
}: {
  title: string;
  /** The title is told, not shown. */
  hidden?: boolean;
  /** Where it stands and how large it is. */
  look: string;
  onClose: () => void;
  children: ReactNode;
}): ReactNode {
  // What had the focus as it opened: Radix knows it only of windows with a button of their own.
  const before = useRef(document.activeElement);
  const giveBack = (event: Event): void => {
    const { current } = before;
    if (!(current instanceof HTMLElement && current.isConnected)) return;
    event.preventDefault();
    // What the window chose may have put the focus elsewhere already.
    if (document.activeElement === document.body) current.focus();
  };
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
          className={`fixed left-1/2 z-50 -translate-x-1/2 rounded-lg border border-line bg-panel shadow-xl ${look}`}
        >
          <Dialog.Title className={hidden ? "sr-only" : "text-lg font-semibold"}>{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
