/** The commands that talk to a service as somebody: matches, the lobby, people and their keys. */

import type { Command } from "commander";
import { Option } from "commander";
import {
  add,
  bot,
  collect,
  example,
  finish,
  gamePlayer,
  given,
  json,
  keyOption,
  mixed,
  below,
  service,
  wholeNumber,
  work,
} from "./program.js";

export function addRemoteCommands(): void {
  addMachineCommands();
  addMatchCommands();
  addLobbyCommands();
  addPersonCommands();
  addJobCommands();
}

/** A command below another, with the options that all of them have. */
function remote(parent: Command, spec: string, description: string): Command {
  return below(parent, spec, description).addOption(service()).addOption(json());
}

function addMatchCommands(): void {
  const match = add("match", "begin, watch and play matches of a service");
  const addMatch = (spec: string, description: string): Command => remote(match, spec, description);

  example(
    addMatch("new", "begin a match and print a key for each seat")
      .argument("<machine>", "a machine's name, Name@2, or hash")
      .option("--seed <text>", "where the dice come from")
      .addOption(given())
      .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
      .option("--open <seat>", "a seat left open for somebody to take; may be repeated", collect, [])
      .option(
        "--person <seat=handle>",
        "a person who is invited; your own handle takes the seat; may be repeated",
        collect,
        [],
      )
      .option("--link <seat>", "a seat for whoever opens its link; may be repeated", collect, [])
      .option("--external <seat=name>", "a seat you hold for a player of your own game; may be repeated", collect, [])
      .option("--least <number>", "nobody can act before so many seats are held", wholeNumber)
      .addOption(bot())
      .option("--manual-clock", "time passes only by: zany match wait")
      .option("--host-key", "ask for the host's key too, for events, time and bots; all seats see that you have it")
      .addOption(keyOption()),
    "zany match new KiteDuel",
    "zany match new KiteDuel --bot south=careful",
  ).action(async (machine, options) => finish((await work()).matchNew(machine, options)));

  example(
    addMatch("list", "list matches, the last played first")
      .option("--machine <name>", "of this machine only")
      .addOption(
        new Option("--status <status>", "of this status only").choices([
          "running",
          "suspended",
          "finished",
          "cancelled",
        ]),
      )
      .addOption(keyOption()),
    "zany match list --status suspended",
  ).action(async (options) => finish((await work()).matchList(options)));

  example(
    addMatch("mine", "list the matches you sit in or are invited to")
      .addOption(
        new Option("--filter <which>", "which of them").choices(["my-turn", "invitations", "others-turn", "finished"]),
      )
      .addOption(keyOption()),
    "zany match mine --filter my-turn",
  ).action(async (options) => finish((await work()).matchMine(options)));

  example(
    addMatch("invite", "keep an open seat for a person, or make a link to it")
      .argument("<match>", "the match")
      .argument("<seat>", "the seat")
      .argument("[handle]", "whom; without, a link is made for whoever opens it")
      .addOption(keyOption()),
    "zany match invite wp4czdr2jj south mira",
  ).action(async (id, seat, handle, options) => finish((await work()).matchInvite(id, seat, handle, options)));

  example(
    addMatch("decline", "decline an invitation, or take one back")
      .argument("<match>", "the match")
      .argument("<seat>", "the seat")
      .addOption(keyOption()),
    "zany match decline wp4czdr2jj south",
  ).action(async (id, seat, options) => finish((await work()).matchDecline(id, seat, options)));

  example(
    addMatch("take", "take the seat of a link")
      .argument("<link>", "the link, as you got it")
      .option("--name <name>", "what you want to be called"),
    "zany match take 'http://127.0.0.1:4747/matches/wp4czdr2jj/seat#kGq2...'",
  ).action(async (link, options) => finish((await work()).matchTake(link, options)));

  example(
    addMatch("claim", "make a seat that you took without being anybody your own, for all your devices")
      .argument("<match>", "the match")
      .argument("<seat>", "the seat, whose key is kept on this computer")
      .addOption(keyOption()),
    "zany match claim wp4czdr2jj south",
  ).action(async (id, seat, options) => finish((await work()).matchClaim(id, seat, options)));

  example(
    addMatch("confirm", "confirm how a match ended")
      .argument("<match>", "the match")
      .argument("<seat>", "your seat")
      .addOption(keyOption()),
    "zany match confirm wp4czdr2jj south",
  ).action(async (id, seat, options) => finish((await work()).matchConfirm(id, seat, options)));

  example(
    addMatch("rematch", "ask for a rematch, or agree to the one that was asked for")
      .argument("<match>", "the match that is over")
      .argument("[seat]", "your seat; without, as the host")
      .option("--swap", "everybody moves on by one seat")
      .addOption(keyOption()),
    "zany match rematch wp4czdr2jj south --swap",
  ).action(async (id, seat, options) => finish((await work()).matchRematch(id, seat, options)));

  example(
    addMatch("watchers", "make a link for those who only look")
      .argument("<match>", "the match")
      .option("--revoke", "end all such links instead")
      .addOption(keyOption()),
    "zany match watchers wp4czdr2jj",
  ).action(async (id, options) => finish((await work()).matchWatchers(id, options)));

  example(
    addMatch("show", "show a match as a seat, or as a watcher")
      .argument("<match>", "the match")
      .option("--seat <seat>", "the seat to look from")
      .addOption(keyOption()),
    "zany match show wp4czdr2jj --seat north",
  ).action(async (id, options) => finish((await work()).matchShow(id, options)));

  example(
    addMatch("act", "take an action for a seat")
      .argument("<match>", "the match")
      .argument("<seat>", "the seat that acts")
      .argument("<action>", "the action")
      .argument("[arguments...]", "its arguments, as name=value")
      .option("--step <number>", "the step you believe to be current", wholeNumber)
      .addOption(keyOption()),
    "zany match act wp4czdr2jj north slash target=south",
  ).action(async (id, seat, action, args, options) => finish((await work()).matchAct(id, seat, action, args, options)));

  example(
    addMatch("event", "tell a match of an event of the game")
      .argument("<match>", "the match")
      .argument("<event>", "the event")
      .argument("[arguments...]", "its arguments, as name=value")
      .addOption(keyOption()),
    "zany match event wp4czdr2jj KitesLeft left=2",
  ).action(async (id, event, args, options) => finish((await work()).matchEvent(id, event, args, options)));

  example(
    addMatch("wait", "let time pass on a manual clock")
      .argument("<match>", "the match")
      .argument("[time]", "how long, such as 2s or 10m; without, to the next timer")
      .addOption(keyOption()),
    "zany match wait wp4czdr2jj 10s",
  ).action(async (id, time, options) => finish((await work()).matchWait(id, time, options)));

  example(
    addMatch("join", "take an open seat")
      .argument("<match>", "the match")
      .argument("<seat>", "the seat")
      .addOption(keyOption()),
    "zany match join wp4czdr2jj south",
  ).action(async (id, seat, options) => finish((await work()).matchJoin(id, seat, options)));

  example(
    addMatch("leave", "leave a seat for good")
      .argument("<match>", "the match")
      .argument("<seat>", "the seat")
      .addOption(keyOption()),
    "zany match leave wp4czdr2jj south",
  ).action(async (id, seat, options) => finish((await work()).matchLeave(id, seat, options)));

  example(
    addMatch("bot", "let a bot play a seat, or give it back")
      .argument("<match>", "the match")
      .argument("<seat>", "the seat")
      .argument("[policy]", "a policy of the machine, or random, or wary; without, a person plays again")
      .addOption(keyOption()),
    "zany match bot wp4czdr2jj south careful",
  ).action(async (id, seat, policy, options) => finish((await work()).matchBot(id, seat, policy, options)));

  example(
    addMatch("resume", "let a suspended match go on")
      .argument("<match>", "the match")
      .option("--machine <machine>", "on this version, on which its inputs are replayed: Name@2, or a hash")
      .option("--anyway", "go on although they diverge there")
      .addOption(keyOption()),
    "zany match resume wp4czdr2jj --machine KiteDuel@3",
  ).action(async (id, options) => finish((await work()).matchResume(id, options)));

  example(
    addMatch("cancel", "end a match for good, without a result")
      .argument("<match>", "the match")
      .addOption(keyOption()),
    "zany match cancel wp4czdr2jj",
  ).action(async (id, options) => finish((await work()).matchCancel(id, options)));

  example(
    addMatch("watch", "follow a match as it is played")
      .argument("<match>", "the match")
      .option("--seat <seat>", "the seat to look from")
      .addOption(keyOption()),
    "zany match watch wp4czdr2jj",
  ).action(async (id, options) => finish((await work()).matchWatch(id, options)));

  example(
    addMatch("why", "tell why a step of a match did what it did")
      .argument("<match>", "the match")
      .option("--step <number>", "this step; without, the last", wholeNumber)
      .option("--of <datum>", "only what led to changes of this datum, such as kites.north.lift")
      .addOption(keyOption()),
    "zany match why wp4czdr2jj --step 3",
  ).action(async (id, options) => finish((await work()).matchWhy(id, options)));

  example(
    addMatch("logbook", "download a match's logbook")
      .argument("<match>", "the match")
      .option("--out <file>", "write it to this file instead of printing it")
      .option("--seat <seat>", "the seat to look from")
      .addOption(keyOption()),
    "zany match logbook wp4czdr2jj --out duel.jsonl",
  ).action(async (id, options) => finish((await work()).matchLogbook(id, options)));
}

function addLobbyCommands(): void {
  const lobby = add("lobby", "seats that anybody may take");
  example(
    remote(lobby, "list", "list them, those that wait longest first")
      .option("--machine <name>", "of this machine only")
      .addOption(keyOption()),
    "zany lobby list",
  ).action(async (options) => finish((await work()).lobbyList(options)));

  example(
    remote(lobby, "play", "play whoever is there: take a fitting seat, or begin a match and wait in it")
      .argument("<machine>", "a machine's name, Name@2, or hash")
      .option("--seats <number>", "how many seats, where the machine leaves it open", wholeNumber)
      .option("--least <number>", "nobody can act before so many are there", wholeNumber)
      .addOption(given())
      .addOption(keyOption()),
    "zany lobby play KiteDuel",
  ).action(async (machine, options) => finish((await work()).lobbyPlay(machine, options)));
}

function addMachineCommands(): void {
  example(
    add("machines", "list the machines of a service").addOption(service()).addOption(keyOption()).addOption(json()),
    "zany machines",
  ).action(async (options) => finish((await work()).machines(options)));
}

function addJobCommands(): void {
  const job = add("job", "long work that a service does: logbooks verified, machines explored, simulated, covered");
  example(
    remote(job, "new", "begin one; it goes on when the service was stopped")
      .argument("<kind>", "verify, explore, simulate or coverage")
      .argument(
        "[machine]",
        "a machine's name, Name@2, or hash; without, each logbook is verified on the newest of its own",
      )
      .option("--logbook <id>", "verify this one, not all; may be repeated", collect, [])
      .option("--situations <number>", "explore: the most that are visited", wholeNumber)
      .option("--goal <condition>", "explore: the shortest way to this")
      .option("--matches <number>", "simulate, coverage: how many matches", wholeNumber)
      .option("--seed <text>", "simulate: where the dice come from")
      .addOption(mixed())
      .addOption(gamePlayer())
      .option("--of <expression>", "simulate: count this too; may be repeated", collect, [])
      .option("--vary <path=values>", "simulate: starting data that are varied; may be repeated", collect, [])
      .option("--rolls", "simulate: count what each roll of the rules came to")
      .option("--steps <number>", "coverage: how many steps of a search", wholeNumber)
      .option("--look <number>", "coverage: how many steps to look for matches that cover what is missing", wholeNumber)
      .option("--kept", "coverage: the kept logbooks of the machine's name count too")
      .addOption(keyOption()),
    "zany job new verify KiteDuel@2",
    "zany job new explore KiteDuel --situations 1000000",
  ).action(async (kind, machine, options) => finish((await work()).jobNew(kind, machine, options)));

  example(
    remote(job, "list", "list jobs, the last first")
      .option("--machine <name>", "of this machine only")
      .addOption(keyOption()),
    "zany job list",
  ).action(async (options) => finish((await work()).jobList(options)));

  example(
    remote(job, "show", "follow one to its end, and show what it came to")
      .argument("<id>", "its id")
      .addOption(keyOption()),
    "zany job show wp4czdr2jj",
  ).action(async (id, options) => finish((await work()).jobShow(id, options)));

  example(
    remote(job, "cancel", "cancel one").argument("<id>", "its id").addOption(keyOption()),
    "zany job cancel wp4czdr2jj",
  ).action(async (id, options) => finish((await work()).jobCancel(id, options)));
}

function addPersonCommands(): void {
  example(
    add("tallies", "add up finished matches: wins, lengths, best scores")
      .option("--machine <name>", "of this machine only")
      .option("--version <number>", "of this version of it only", wholeNumber)
      .option("--person <handle>", "of this person only")
      .addOption(
        new Option("--by <what...>", "what is told apart beside the machine")
          .choices(["version", "seat", "person"])
          .default([], "nothing"),
      )
      .addOption(service())
      .addOption(keyOption())
      .addOption(json()),
    "zany tallies --machine KiteDuel --by seat",
  ).action(async (options) => finish((await work()).tallies(options)));

  const person = add("person", "who you are in a service, and your keys there");
  example(
    remote(person, "new", "become a person, or make one as the admin")
      .argument("<name>", "the name that everybody sees")
      .option("--handle <handle>", "what others invite you by; without, one is made")
      .option("--host", "a game's own server, which speaks for the matches it begins")
      .addOption(keyOption()),
    "zany person new Mira --handle mira",
  ).action(async (name, options) => finish((await work()).personNew(name, options)));

  example(
    remote(person, "show", "show who you are, and your keys")
      .argument("[handle]", "somebody else, of whom only the name is told")
      .addOption(keyOption()),
    "zany person show",
  ).action(async (handle, options) => finish((await work()).personShow(handle, options)));

  example(
    remote(person, "list", "list everybody, as the admin; or those you have played with")
      .option("--played-with", "those you have played with, the last first")
      .addOption(keyOption()),
    "zany person list --played-with",
  ).action(async (options) => finish((await work()).personList(options)));

  example(
    remote(
      person,
      "keep",
      "be somebody on this computer whose key you have: yours of another device, or a new one",
    ).argument("<key>", "the key"),
    "zany person keep kGq2...",
  ).action(async (key, options) => finish((await work()).personKeep(key, options)));

  example(
    remote(person, "rename", "change the name that everybody sees")
      .argument("<name>", "the name")
      .addOption(keyOption()),
    "zany person rename 'Mira of the mole'",
  ).action(async (name, options) => finish((await work()).personRename(name, options)));

  example(
    remote(person, "key", "make a key for one more device")
      .argument("<device>", "what you call it")
      .option("--of <handle>", "for somebody who lost theirs, as the admin")
      .addOption(keyOption()),
    "zany person key phone",
  ).action(async (device, options) => finish((await work()).personKey(device, options)));

  example(
    remote(person, "revoke", "end one of your keys")
      .argument("[id]", "the key's id in: zany person show")
      .option("--of <handle>", "all keys of this person instead, as the admin")
      .addOption(keyOption()),
    "zany person revoke 3f2a9c01d4e5b677",
  ).action(async (id, options) => finish((await work()).personRevoke(id, options)));

  example(
    remote(person, "notices", "follow all your matches: whose turn it is, invitations, endings").addOption(keyOption()),
    "zany person notices",
  ).action(async (options) => finish((await work()).personNotices(options)));

  const hook = add("hook", "webhooks: addresses that are told what people are told; for the admin and hosts");
  example(
    remote(hook, "new", "make one; its secret is told this once").argument("<url>", "where to").addOption(keyOption()),
    "zany hook new https://game.example/told --key $ADMIN",
  ).action(async (url, options) => finish((await work()).hookNew(url, options)));

  example(remote(hook, "list", "list yours, and what was given up").addOption(keyOption()), "zany hook list").action(
    async (options) => finish((await work()).hookList(options)),
  );

  example(
    remote(hook, "end", "end one, with what waits for it").argument("<id>", "its id").addOption(keyOption()),
    "zany hook end wp4czdr2jj",
  ).action(async (id, options) => finish((await work()).hookEnd(id, options)));

  example(
    add("keys", "list the keys that are kept for you on this computer, and where").addOption(json()),
    "zany keys",
  ).action(async (options) => finish((await work()).keys(options)));
}
