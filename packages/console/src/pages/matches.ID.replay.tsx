/** A hosted match, replayed. */

import type { ReactNode } from "react";
import { Replay } from "../parts/replay.js";

export default function MatchReplayPage({ id }: { readonly id: string }): ReactNode {
  return <Replay source="match" id={id} />;
}
