/** A logbook that was uploaded, replayed. */

import type { ReactNode } from "react";
import { Replay } from "../parts/replay.js";

export default function LogbookPage({ id }: { readonly id: string }): ReactNode {
  return <Replay source="logbook" id={id} />;
}
