/** A window with a text to be passed on. */

import type { ReactNode } from "react";
import { Copied } from "./copied.js";
import { Modal } from "./modal.js";

export default function PassOn({
  title,
  text,
  words,
  onClose,
}: {
  title: string;
  text: string;
  words: string;
  onClose: () => void;
}): ReactNode {
  return (
    <Modal title={title} look="top-1/3 w-[min(30rem,94vw)] p-5" onClose={onClose}>
      <div className="mt-3">
        <Copied text={text} words={words} />
      </div>
    </Modal>
  );
}
