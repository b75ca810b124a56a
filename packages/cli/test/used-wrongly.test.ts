/** Every command used wrongly: exit code 2 (1 for a machine that does not compile), and words that say what to do. */

import { spawnSync } from "node:child_process";
import { mkdirSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "vitest";
import { newFolder, ROOT, ZANY } from "../../service/test/running.js";

const folder = newFolder();
const DUEL = "examples/kite-duel.zany";
const LOG = "examples/logbooks/kite-duel-01.jsonl";
const NOBODY = "http://127.0.0.1:9";

/** Files that are wrong in one way each. */
const file = (name: string, text: string): string => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};
const STUMP = file("stump.zany", "machine Stump\n");
const NO_LOG = file("letter.jsonl", "Dear harbour master,\n");
const OLD_LOG = file("old.jsonl", '{"zany":"logbook","format":1,"machine":"KiteDuel"}\n');
const OUTSIDE = file(
  "outside.zany",
  'machine Out\ninclude "elsewhere.zany"\nseats a\nstart S\nstate S { turn of a action end -> E }\nending E { draws all }\n',
);
symlinkSync("/etc/passwd", join(folder, "elsewhere.zany"));
const DAMAGED = join(folder, "damaged");
mkdirSync(DAMAGED);
writeFileSync(join(DAMAGED, "zany.db"), "this is no database\n");

const WRONG: readonly (readonly [readonly string[], number, string | RegExp])[] = [
  // commands and options
  [["chekc"], 2, /unknown command 'chekc'\n\(Did you mean check\?\)/],
  [["check"], 2, "zany: missing required argument 'file'\nWhat it takes: zany check --help\n"],
  [["check", "--fxi", DUEL], 2, /unknown option '--fxi'\n\(Did you mean --fix\?\)/],
  [["match", "shwo"], 2, /\(Did you mean show\?\)/],
  [["match"], 2, /^Usage: zany match/],
  [
    ["match", "act", "m1", "north"],
    2,
    "zany: missing required argument 'action'\nWhat it takes: zany match act --help\n",
  ],
  [["lsp", "--tcp"], 2, /unknown option '--tcp'/],
  // files
  [
    ["check", OUTSIDE],
    2,
    `zany: "${OUTSIDE}" includes "elsewhere.zany", which is not in its folder. Allow the other one: zany --include FOLDER ...\n`,
  ],
  ...["check", "outline", "table", "diagram", "format", "test", "play", "simulate", "upload"].map(
    (command) =>
      [
        [command, "none.zany"],
        2,
        'zany: Cannot read "none.zany": there is no such file.\n',
      ] as const satisfies readonly [readonly string[], number, string],
  ),
  [["outline", "examples"], 2, 'zany: Cannot read "examples": it is a folder.\n'],
  [["check", "scripts"], 2, 'zany: There is no machine in "scripts": none of its files ends in .zany.\n'],
  [["play", "-"], 2, "zany: A match is played at the keyboard: the machine has to be in a file.\n"],
  [["format", "-", DUEL], 2, "zany: Standard input is formatted alone, and printed.\n"],
  [["completions", "tcsh"], 2, /bash, zsh, fish/],
  [["test", DUEL, "--junit", "/no/where.xml"], 2, 'zany: Cannot write "/no/where.xml": there is no such folder.\n'],
  [["replay", "none.jsonl"], 2, 'zany: Cannot read "none.jsonl": there is no such file.\n'],
  [["verify", "none.jsonl", "--machine", DUEL], 2, 'zany: Cannot read "none.jsonl": there is no such file.\n'],
  [["verify", LOG, "--machine", "none.zany"], 2, 'zany: Cannot read "none.zany": there is no such file.\n'],
  [["diagram", DUEL, "--out", "/no/where.svg"], 2, 'zany: Cannot write "/no/where.svg": there is no such folder.\n'],
  [["play", DUEL, "--save", "/no/where.jsonl"], 2, 'zany: Cannot write "/no/where.jsonl": there is no such folder.\n'],
  // machines that do not compile
  ...["play", "simulate", "test"].map(
    (command) =>
      [[command, STUMP], 1, /error no-seats at .*stump\.zany:1:9/] as const satisfies readonly [
        readonly string[],
        number,
        RegExp,
      ],
  ),
  [["verify", LOG, "--machine", STUMP], 1, /error no-seats/],
  [["dump", "--code", STUMP], 1, /error no-seats/],
  // what is not there
  [["explain", "overlap"], 2, 'zany: There is no message "overlap". Did you mean endings-overlap?\n'],
  [["table", DUEL, "--state", "Nope"], 2, /There is no state "Nope"/],
  [["diagram", DUEL, "--fold", "Turn"], 2, 'zany: "Turn" has no inner states to fold.\n'],
  [["test", DUEL, "--only", "sea serpents"], 2, 'zany: No test has "sea serpents" in its words.\n'],
  [["dump", DUEL], 2, "zany: Say what to show, one of --tokens, --tree, --machine and --code.\n"],
  [["dump", "--tree", "--code", DUEL], 2, /one of --tokens/],
  [["replay", LOG, "--step", "900"], 2, /has no step 900; its last is \d+\.$/m],
  [["replay", LOG, "--step", "two"], 2, /It is a whole number/],
  [["replay", NO_LOG], 2, /this is not a Zany logbook/],
  [["replay", OLD_LOG], 2, /0\.1\.0/],
  [["verify", LOG], 2, /which machine they are verified on: --machine FILE/],
  // playing
  [["play", DUEL, "--seats", "3"], 2, "zany: This machine has 2 seats, not 3.\n"],
  [["play", DUEL, "--seats", "two"], 2, /It is a whole number/],
  [["play", DUEL, "--open", "west"], 2, 'zany: This match has no seat "west". There are north, south.\n'],
  [["play", DUEL, "--bot", "south"], 2, 'zany: "south" is not of the form seat=policy.\n'],
  [["play", DUEL, "--bot", "west=careful"], 2, 'zany: This match has no seat "west". There are north, south.\n'],
  [["play", DUEL, "--bot", "south=bold"], 2, 'zany: There is no policy "bold". There are careful, random, wary.\n'],
  [["play", DUEL, "--watch", "kits"], 2, /^zany: There is no "kits" to watch; the match has .*kites/],
  [["play", DUEL, "--watch", "Turn.wind"], 2, /^zany: There is no "Turn\.wind" to watch/],
  ...["play", "simulate"].flatMap((command) =>
    (
      [
        ["kites", 'zany: "kites" is not of the form path=value.\n'],
        ["kits.north.lift=3", /there is no "kits" in the machine's data\. Did you mean "kites"\?/],
        ["kites.north.lift=high", /expected int 0\.\.40, but got "high"/],
        ["kites.north.lift=41", /0\.\.40/],
        ["state=Trun", /there is no state "Trun" to begin in/],
      ] as const
    ).map(
      ([given, words]) =>
        [[command, DUEL, "--given", given], 2, words] as const satisfies readonly [
          readonly string[],
          number,
          string | RegExp,
        ],
    ),
  ),
  // simulating
  [["simulate", DUEL, "--matches", "0"], 2, /It is at least 1/],
  [["simulate", DUEL, "--matches", "many"], 2, /It is a whole number/],
  [["simulate", DUEL, "--cores", "0"], 2, /It is at least 1/],
  [["simulate", DUEL, "--bot", "north=bold"], 2, 'zany: There is no policy "bold". There are careful, random, wary.\n'],
  // the service
  [["serve", "--port", "99999"], 2, /It is at most 65535; 0 takes a free one/],
  [["serve", "--port", "x"], 2, /It is a whole number/],
  [
    ["serve", "--host", "192.0.2.1", "--port", "0", "--data", join(folder, "a")],
    2,
    /others can reach the service, so it needs an admin's key first. Make one with: zany admin/,
  ],
  [["serve", "--proxy", "--port", "0", "--data", join(folder, "b")], 2, /needs an admin's key first/],
  [["match", "take", "http://127.0.0.1:1/matches/m1"], 2, /This is no link to a seat/],
  [["match", "mine", "--service", NOBODY], 2, /You are nobody at .* yet. Become somebody with: zany person new/],
  [["serve", "--log-level", "loud"], 2, /Allowed choices are trace, debug, info, warn, error, silent/],
  [
    ["serve", "--port", "0", "--data", "README.md"],
    2,
    'zany: The data folder "README.md" is a file. Choose another folder with --data.\n',
  ],
  [["serve", "--port", "0", "--data", "README.md/x"], 2, /lies inside a file\. Choose another folder with --data\./],
  [
    ["serve", "--port", "0", "--data", DAMAGED],
    2,
    /holds a zany\.db that is no database of this program, or a damaged one/,
  ],
  ...[
    ["match", "list"],
    ["match", "show", "m1"],
    ["match", "new", "KiteDuel"],
    ["match", "watch", "m1"],
    ["match", "logbook", "m1"],
    ["upload", DUEL],
  ].map(
    (command) =>
      [
        [...command, "--service", NOBODY],
        2,
        `zany: No service answers at ${NOBODY}. Start one with: zany serve\n`,
      ] as const satisfies readonly [readonly string[], number, string],
  ),
  [["match", "list", "--service", "the harbour"], 2, /It is an address such as http:\/\/127\.0\.0\.1:4747/],
];

describe("used wrongly", () => {
  test.each(WRONG.map(([args, code, words]) => [args.join(" ").replaceAll(folder, "."), args, code, words] as const))(
    "zany %s",
    (_typed, args, code, words) => {
      const { status, stdout, stderr } = spawnSync(process.execPath, [ZANY, ...args], {
        cwd: ROOT,
        encoding: "utf8",
        input: "",
        timeout: 60_000,
        env: { ...process.env, XDG_STATE_HOME: folder },
      });
      const said = code === 2 ? stderr : stdout + stderr;
      expect(status, said).toBe(code);
      if (typeof words === "string") expect(said).toBe(words);
      else expect(said).toMatch(words);
      if (code === 2) expect(stdout).toBe("");
      expect(said).not.toMatch(/\bat .*\.[cm]?js:\d|undefined|\[object|node:internal/);
    },
  );
});
