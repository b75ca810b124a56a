/** The window that asks before something that cannot be undone. */

import { type ReactNode, useState } from "react";
import { Button, ErrorText } from "./basics.js";
import { Modal } from "./modal.js";

export interface Question {
  /** The question. */
  readonly title: string;
  /** What will be so afterwards. */
  readonly words: string;
  /** What the button says that does it. */
  readonly yes: string;
  readonly onYes: () => Promise<unknown>;
  readonly onClose: () => void;
}

export default function ConfirmWindow({ title, words, yes, onYes, onClose }: Question): ReactNode {
  const [problem, setProblem] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const go = (): void => {
    setBusy(true);
    onYes().then(onClose, (error: unknown) => {
      setProblem(error);
      setBusy(false);
    });
  };
  return (
    <Modal title={title} look="top-1/3 w-[min(28rem,92vw)] p-5" onClose={onClose}>
      <p className="mt-2">{words}</p>
      <ErrorText error={problem} />
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button disabled={busy} onClick={go} className="border-bad! text-bad">
          {yes}
        </Button>
      </div>
    </Modal>
  );
}
