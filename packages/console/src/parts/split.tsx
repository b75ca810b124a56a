/**
 * Two panels side by side, or one above the other, with a border between them that can be moved. Where it was left is
 * remembered.
 */

import type { ReactNode } from "react";
import { Group, Panel, Separator, useDefaultLayout } from "react-resizable-panels";

const BORDER = "bg-line hover:bg-sea focus-visible:bg-sea data-[separator=active]:bg-sea";

/**
 * @param name under which the border is remembered
 * @param at where it is at first, in percent
 * @param across the border lies across: the left panel is above
 */
export function Split({
  name,
  at = 50,
  across = false,
  left,
  right,
}: {
  name: string;
  at?: number;
  across?: boolean;
  left: ReactNode;
  right: ReactNode;
}): ReactNode {
  const layout = useDefaultLayout({ id: `zany.split.${name}${across ? ".across" : ""}`, storage: localStorage });
  return (
    <Group orientation={across ? "vertical" : "horizontal"} className="min-h-0 flex-1" {...layout}>
      <Panel id="left" defaultSize={`${at}%`} minSize="20%">
        <div className="flex h-full min-h-0 flex-col">{left}</div>
      </Panel>
      <Separator aria-label="Border between the panels" className={`${across ? "h-1.5" : "w-1.5"} ${BORDER}`} />
      <Panel id="right" defaultSize={`${100 - at}%`} minSize="20%">
        {right}
      </Panel>
    </Group>
  );
}
