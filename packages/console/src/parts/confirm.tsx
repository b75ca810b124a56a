/** Asks before something that cannot be undone; the window is loaded when it is asked. */

import { lazy, type ReactNode, Suspense } from "react";
import type { Question } from "./confirm-window.js";

const ConfirmWindow = lazy(() => import("./confirm-window.js"));

export function Confirm(question: Question): ReactNode {
  return (
    <Suspense>
      <ConfirmWindow {...question} />
    </Suspense>
  );
}
