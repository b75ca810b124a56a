/** The button that begins a match; what it opens is loaded then. */

import { lazy, type ReactNode, Suspense, useState } from "react";
import { Button } from "./basics.js";

const BeginDialog = lazy(() => import("./begin-dialog.js"));

/** @param machine hash of the version that is chosen first */
export function BeginMatch({
  machine,
  label = "Begin a match",
  look = "main",
}: {
  machine?: string;
  label?: string;
  look?: "main" | "plain";
}): ReactNode {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button look={look} onClick={() => setOpen(true)}>
        {label}
      </Button>
      {open ? (
        <Suspense>
          <BeginDialog machine={machine} onClose={() => setOpen(false)} />
        </Suspense>
      ) : null}
    </>
  );
}
