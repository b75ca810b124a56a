/** A text to be passed on, with a button that copies it. */

import { Check, Copy } from "lucide-react";
import { type ReactNode, useState } from "react";
import { Button } from "./basics.js";

export function Copied({ text, words }: { text: string; words: string }): ReactNode {
  const [copied, setCopied] = useState(false);
  return (
    <div>
      <p className="mb-1 text-soft">{words}</p>
      <div className="flex items-center gap-2">
        <input
          readOnly
          aria-label="To be passed on"
          value={text}
          onFocus={(e) => e.target.select()}
          className="min-w-0 flex-1 rounded border border-line bg-cloth px-2 py-1.5 font-mono text-xs"
        />
        <Button
          onClick={() =>
            navigator.clipboard.writeText(text).then(
              () => setCopied(true),
              () => {},
            )
          }
        >
          <span className="flex items-center gap-1.5">
            {copied ? <Check size={15} aria-hidden /> : <Copy size={15} aria-hidden />} {copied ? "Copied" : "Copy"}
          </span>
        </Button>
      </div>
    </div>
  );
}
