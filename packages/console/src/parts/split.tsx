/** Two panels side by side, with a border between them that can be moved. Where it was left is remembered. */

import type { ReactNode } from "react";
import { Group, Panel, Separator, useDefaultLayout } from "react-resizable-panels";

/** @param name under which the border is remembered */
export function Split({ name, left, right }: { name: string; left: ReactNode; right: ReactNode }): ReactNode {
  const layout = useDefaultLayout({ id: `zany.split.${name}`, storage: localStorage });
  return (
    <Group orientation="horizontal" className="min-h-0 flex-1" {...layout}>
      <Panel id="left" defaultSize="50%" minSize="20%">
        <div className="flex h-full min-h-0 flex-col">{left}</div>
      </Panel>
      <Separator
        aria-label="Border between the panels"
        className="w-1.5 bg-line hover:bg-sea focus-visible:bg-sea data-[separator=active]:bg-sea"
      />
      <Panel id="right" defaultSize="50%" minSize="20%">
        {right}
      </Panel>
    </Group>
  );
}
