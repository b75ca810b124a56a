/** The command menu: what the page can do, and pages, machines and matches, by a few letters of their names. */

import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import {
  Bell,
  BookOpen,
  CirclePlus,
  CornerDownRight,
  DoorOpen,
  House,
  KeyRound,
  Sigma,
  Swords,
  UserRound,
  Workflow,
} from "lucide-react";
import type { ReactNode } from "react";
import { useLocation } from "wouter";
import { pageCommands } from "../commands.js";
import { useTold } from "../registry.js";
import { client } from "../service.js";
import { Modal } from "./modal.js";

const PAGES = [
  { words: "Home", href: "/", Icon: House },
  { words: "Machines", href: "/machines", Icon: Workflow },
  { words: "New machine", href: "/machines/new", Icon: CirclePlus },
  { words: "Matches", href: "/matches", Icon: Swords },
  { words: "Lobby", href: "/lobby", Icon: DoorOpen },
  { words: "My matches", href: "/mine", Icon: Swords },
  { words: "Tallies", href: "/tallies", Icon: Sigma },
  { words: "Notices", href: "/notices", Icon: Bell },
  { words: "Logbooks", href: "/logbooks", Icon: BookOpen },
  { words: "Who you are", href: "/me", Icon: UserRound },
  { words: "Keys of matches", href: "/keys", Icon: KeyRound },
] as const;

/** How many matches are offered: the last ones. */
const MATCHES = 20;

export default function CommandMenu({ onClose }: { onClose: () => void }): ReactNode {
  const [, go] = useLocation();
  const machines = useQuery({ queryKey: ["machines"], queryFn: () => client.machines() });
  const matches = useQuery({ queryKey: ["matches"], queryFn: () => client.matches() });
  const commands = useTold(pageCommands);
  const groups = [...new Set(commands.map((command) => command.group))];
  const pick = (href: string) => () => {
    onClose();
    go(href);
  };
  return (
    <Modal title="Go to" hidden onClose={onClose} look="top-24 w-[min(36rem,92vw)] overflow-hidden">
      <Command label="Go to">
        <Command.Input
          placeholder="Go to a page, a machine, a match"
          className="w-full border-b border-line bg-panel px-4 py-3 text-base outline-none! placeholder:text-soft"
        />
        <Command.List className="max-h-80 overflow-auto p-2">
          <Command.Empty className="px-3 py-6 text-center text-soft">Nothing has this name.</Command.Empty>
          {groups.map((group) => (
            <Group key={group} words={group}>
              {commands
                .filter((command) => command.group === group)
                .map(({ words, run }) => (
                  <Item
                    key={words}
                    value={`${group} ${words}`}
                    onPick={() => {
                      onClose();
                      // The menu gives the focus back first.
                      setTimeout(run);
                    }}
                    icon={<CornerDownRight size={16} aria-hidden />}
                  >
                    {words}
                  </Item>
                ))}
            </Group>
          ))}
          <Group words="Pages">
            {PAGES.map(({ words, href, Icon }) => (
              <Item key={href} value={`page ${words}`} onPick={pick(href)} icon={<Icon size={16} aria-hidden />}>
                {words}
              </Item>
            ))}
          </Group>
          <Group words="Machines">
            {(machines.data ?? []).map(({ name, version, report }, i, all) => (
              <Item
                key={`${name}@${version}`}
                value={`machine ${name}@${version}`}
                onPick={pick(`/machines/${all[i - 1]?.name === name ? `${name}@${version}` : name}`)}
                icon={<Workflow size={16} aria-hidden />}
              >
                <span>
                  {name}
                  <span className="text-soft">@{version}</span>
                </span>
                <span className="ml-3 truncate text-soft">{report?.description}</span>
              </Item>
            ))}
          </Group>
          <Group words="Matches">
            {(matches.data?.items ?? []).slice(0, MATCHES).map(({ id, machine, step }) => (
              <Item
                key={id}
                value={`match ${id} ${machine.name}`}
                onPick={pick(`/matches/${id}`)}
                icon={<Swords size={16} aria-hidden />}
              >
                <code>{id}</code>
                <span className="ml-3 text-soft">
                  {machine.name}, step {step}
                </span>
              </Item>
            ))}
          </Group>
        </Command.List>
      </Command>
    </Modal>
  );
}

function Group({ words, children }: { words: string; children: ReactNode }): ReactNode {
  return (
    <Command.Group
      heading={words}
      className={
        "[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-1 " +
        "[&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-soft"
      }
    >
      {children}
    </Command.Group>
  );
}

function Item({
  value,
  icon,
  onPick,
  children,
}: {
  value: string;
  icon: ReactNode;
  onPick: () => void;
  children: ReactNode;
}): ReactNode {
  return (
    <Command.Item
      value={value}
      onSelect={onPick}
      className={
        "flex cursor-pointer items-center gap-0 rounded px-3 py-1.5 " +
        "data-[selected=true]:bg-sea-wash data-[selected=true]:text-sea [&>svg]:mr-3 [&>svg]:shrink-0"
      }
    >
      {icon}
      {children}
    </Command.Item>
  );
}
