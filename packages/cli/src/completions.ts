/** Completion scripts for shells, made from the commands and options that there are. */

import type { Command } from "commander";

export const SHELLS = ["bash", "zsh", "fish"] as const;

/** A command as it is typed behind `zany`, its options, and what it says of itself. */
interface Known {
  readonly words: string;
  readonly options: readonly { readonly long: string; readonly help: string }[];
  readonly help: string;
}

/** The script for a shell. */
export function completionScript(program: Command, shell: (typeof SHELLS)[number]): string {
  const known = commandsOf(program);
  switch (shell) {
    case "bash":
      return bash(known);
    case "zsh":
      return `#compdef zany\nautoload -U +X bashcompinit && bashcompinit\n${bash(known)}`;
    case "fish":
      return fish(known);
  }
}

function commandsOf(command: Command, before = ""): Known[] {
  return command
    .createHelp()
    .visibleCommands(command)
    .flatMap((inner) => {
      const words = `${before}${inner.name()}`;
      const options = inner.options.filter((o) => !o.hidden).map((o) => ({ long: o.long ?? "", help: o.description }));
      return [{ words, options, help: inner.description() }, ...commandsOf(inner, `${words} `)];
    });
}

/** Names of commands first, then options behind a dash, else files. */
function bash(known: readonly Known[]): string {
  const top = known.filter(({ words }) => !words.includes(" ")).map(({ words }) => words);
  const cases = known.map(({ words, options }) => {
    const inner = known.filter((k) => k.words.startsWith(`${words} `)).map((k) => k.words.split(" ")[1]);
    const all = [...inner, ...options.map((o) => o.long), "--help"];
    return `    "${words}") words="${all.join(" ")}" ;;`;
  });
  return `_zany() {
  local word="\${COMP_WORDS[COMP_CWORD]}" command="\${COMP_WORDS[1]}" words=""
  COMPREPLY=()
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W "${top.join(" ")} --help --version" -- "$word"))
    return
  fi
  if [ "$command" = match ] && [ "$COMP_CWORD" -gt 2 ]; then command="match \${COMP_WORDS[2]}"; fi
  case "$command" in
${cases.join("\n")}
  esac
  COMPREPLY=($(compgen -W "$words" -- "$word") $(compgen -f -- "$word"))
}
complete -o filenames -F _zany zany
`;
}

function fish(known: readonly Known[]): string {
  const quoted = (text: string): string => `'${text.replaceAll("\\", "\\\\").replaceAll("'", "\\'")}'`;
  return known
    .flatMap(({ words, options, help }) => {
      const [first = "", second] = words.split(" ");
      const is = second === undefined ? "__fish_use_subcommand" : `__fish_seen_subcommand_from ${first}`;
      const seen = `__fish_seen_subcommand_from ${second ?? first}`;
      return [
        `complete -c zany -n ${quoted(is)} -a ${second ?? first} -d ${quoted(help)}`,
        ...options.map((o) => `complete -c zany -n ${quoted(seen)} -l ${o.long.slice(2)} -d ${quoted(o.help)}`),
      ];
    })
    .map((line) => `${line}\n`)
    .join("");
}
