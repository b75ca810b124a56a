/** What goes over the wire, described once: the service answers with it, client and console read it. */

import type {
  ActionOption,
  Arguments,
  CoverageResult,
  Deadline,
  EventOption,
  ExploreResult,
  Given,
  Outcome,
  Severity,
  SimulateResult,
  StepLine,
  TraceJson,
  Verdict,
  View,
  WorkProgress,
} from "@zany/core";

// ---- machines ----------------------------------------------------------------------------------

/** A stored version of a machine, as everything that mentions it names it. */
export interface MachineVersion {
  readonly name: string;
  /** 1 for the first version of its name, and so on. */
  readonly version: number;
  /** SHA-256 of its texts. */
  readonly hash: string;
  /** SHA-256 of what its texts mean: the same for versions that differ in layout, comments, tests or policies alone. */
  readonly rules: string;
}

export interface MachineInfo extends MachineVersion {
  /** What its author says of this version, in a line; may be empty. */
  readonly words: string;
  /** RFC 3339, UTC. */
  readonly created: string;
}

/** What is known of a machine without reading it. It is found out in the background, after a version was stored. */
export interface MachineReport {
  /** What its author says of it, in one line; may be empty. */
  readonly description: string;
  readonly warnings: number;
  readonly hints: number;
  readonly tests: { readonly passed: number; readonly failed: number };
  readonly seats: { readonly least: number; readonly most: number };
  readonly states: number;
}

/** How the stored logbooks of a machine's name go on a version of it. */
export interface KeptMatches {
  readonly verified: number;
  readonly diverged: number;
  /** Not as they were written, or of another machine. */
  readonly damaged: number;
  /** Not looked at yet. */
  readonly waiting: number;
}

/** A version in the list of machines. */
export interface ListedMachine extends MachineInfo {
  /** Null while it is being found out. */
  readonly report: MachineReport | null;
  /** For the newest version of a name; null for the others. */
  readonly kept: KeptMatches | null;
  /** When a match of it was last played; RFC 3339, UTC. */
  readonly played: string | null;
}

export interface StoredMachine extends MachineInfo {
  readonly text: string;
  /** The texts of the included files, by their paths from the folder of the machine's file. */
  readonly parts: Parts;
}

/** The texts of included files, by their paths. */
export type Parts = Readonly<Record<string, string>>;

export interface NewMachine {
  readonly text: string;
  readonly parts?: Parts;
  /** A line about this version; at most 200 characters. */
  readonly words?: string;
}

/** A machine that was just stored, with what the compiler says of it. */
export interface AddedMachine extends StoredMachine {
  readonly messages: readonly MessageInfo[];
}

/** A message of the compiler with its place. */
export interface MessageInfo {
  readonly name: string;
  readonly severity: Severity;
  readonly words: string;
  readonly help?: string;
  readonly file: string;
  readonly line: number;
  readonly column: number;
  readonly endLine: number;
  readonly endColumn: number;
  readonly related?: { readonly words: string; readonly line: number };
}

// ---- matches -----------------------------------------------------------------------------------

/** Whether time goes on by itself, or only by `wait`. */
export type ClockKind = "real" | "manual";

/** The policies of bots, by the seats they play. */
export type Bots = Readonly<Record<string, string>>;

/** What holds a seat: a person, whoever came by its link, the host, a bot, or nobody. */
export type HolderKind = "person" | "link" | "host" | "bot" | "open";

/** Who sits in a seat, as everybody may know it. */
export interface SeatHolder {
  readonly seat: string;
  readonly holder: HolderKind;
  /** The display name of a person, or of whoever came by a link; null for others. */
  readonly name: string | null;
  /** What came of an invitation that was not accepted; null for a seat that nobody is invited to. */
  readonly invitation: "waiting" | "declined" | "withdrawn" | null;
  /** The policy that plays it now; null for people. */
  readonly bot: string | null;
  /** Whether whoever held it has left, and it waits: its match cannot go on without it. */
  readonly left: boolean;
}

/** Every match has exactly one: one with an outcome is finished, also when it was suspended before. */
export type MatchStatus = "running" | "suspended" | "finished" | "cancelled";

export interface MatchInfo {
  readonly id: string;
  readonly machine: MachineVersion;
  readonly step: number;
  /** The seats on turn; none for a match that does not go on. */
  readonly turn: readonly string[];
  readonly outcome: Outcome | null;
  /** The next timer that would do something, with what it would do; null on a manual clock. */
  readonly due: Deadline | null;
  /** Why it does not go on although it is not over. */
  readonly suspended: string | null;
  /** When it was cancelled for good; RFC 3339, UTC. */
  readonly cancelled: string | null;
  readonly created: string;
  readonly updated: string;
}

/** A match as one seat, the host or a watcher sees it. */
export interface SeenMatch {
  readonly id: string;
  readonly machine: MachineVersion;
  /** Whose eyes it is seen with; null for the host and for watchers. */
  readonly seat: string | null;
  /** The seats that the holder of the key acts for. */
  readonly own: readonly string[];
  /** Whether the holder of the key invites to it, and may cancel it. */
  readonly owner: boolean;
  /** Who sits where. */
  readonly seats: readonly SeatHolder[];
  /** Whether somebody speaks for its game: tells it of events, lets time pass, puts bots into seats. */
  readonly hosted: boolean;
  /** Before so many seats are held by somebody, nobody can act. */
  readonly least: number;
  /** The seats that have confirmed how it ended; bots do so at once. */
  readonly confirmed: readonly string[];
  /** The rematch that somebody has asked for. */
  readonly rematch: string | null;
  /** The match it is the rematch of. */
  readonly rematchOf: string | null;
  readonly view: View;
  readonly options: readonly ActionOption[];
  readonly suspended: string | null;
  readonly cancelled: string | null;
  /** Whoever began it, the admin, or time: nobody did anything for too long. */
  readonly cancelledBy: "host" | "admin" | "time" | null;
  readonly clock: ClockKind;
  readonly bots: Bots;
  /** The policies that bots can play by. */
  readonly policies: readonly string[];
  /** The events the game can tell of; only for the holder of the host's key. */
  readonly events: readonly EventOption[];
}

export interface NewMatch {
  /** A machine by hash, by `Name@2`, or the newest by `Name`. */
  readonly machine: string;
  readonly seed?: string;
  readonly seats?: number;
  /** Seats that are left open for somebody to take. */
  readonly open?: readonly string[];
  /** People who are invited, by seat: their handles. One's own handle takes the seat at once. */
  readonly people?: Readonly<Record<string, string>>;
  /** Seats that whoever opens their link takes. */
  readonly links?: readonly string[];
  /** How a game's own server calls those who sit in seats that it holds. */
  readonly external?: Readonly<Record<string, string>>;
  /** Before so many seats are held by somebody, nobody can act. */
  readonly least?: number;
  /** For a person who wants to speak for the game, which everybody sees; others get the host's key anyway. */
  readonly hostKey?: boolean;
  readonly bots?: Bots;
  readonly clock?: ClockKind;
  /** A name of one's own for this request, so that sending it twice begins one match. */
  readonly request?: string;
  /** Starting data and a starting state in place of the machine's own. */
  readonly given?: Given;
}

export interface BegunMatch extends SeenMatch {
  /** The key of each seat that is taken and nobody is named for; told this once. */
  readonly keys: Readonly<Record<string, string>>;
  /** The link of each seat that was asked for: an address below the service's, with a secret behind `#`. */
  readonly links: Readonly<Record<string, string>>;
  /**
   * The key of the host: it tells of events, lets time pass on a manual clock, and puts bots into seats. A person gets
   * one when they ask for it; a game's own server is the host with its own key.
   */
  readonly hostKey?: string;
}

/** A match that was begun by somebody who speaks for its game with the key they got. */
export type HostedMatch = BegunMatch & { readonly hostKey: string };

/**
 * A match with the key of the seat that was just taken; told this once. A person's own key opens it, so they get
 * none.
 */
export interface JoinedMatch extends SeenMatch {
  readonly key?: string;
}

/** What a seat asks to do. */
export interface ActionRequest {
  /** For whom, when the key is of several seats. */
  readonly seat?: string;
  readonly action: string;
  readonly args?: Arguments;
  /**
   * The step one believes to be current. It is refused as `stale` when what the seat may see has changed since. Left
   * out, it counts in whatever step it meets.
   */
  readonly step?: number;
  /** A name of one's own for this request, so that sending it twice does no harm. */
  readonly request?: string;
}

/** What the game tells a match. */
export interface EventRequest {
  readonly event: string;
  readonly args?: Arguments;
  readonly request?: string;
}

/** A match that was told of an event. */
export interface ToldMatch extends SeenMatch {
  /** The states that acted on the event, outer first; none when it was heard by nobody. */
  readonly heardBy: readonly string[];
}

/** An action with the arguments chosen so far. */
export interface OptionRequest {
  readonly seat?: string;
  readonly action: string;
  readonly args?: Arguments;
}

/** How long to wait on a manual clock, in milliseconds; without, until the next timer. */
export interface WaitRequest {
  readonly by?: number;
  readonly request?: string;
}

/** Why a step of a match did what it did, as docs/trace.md has it. */
export interface TracedStep {
  readonly machine: MachineVersion;
  readonly trace: TraceJson;
}

/** Another version of the machine on which a suspended match goes on; without, the one it has. */
export interface ResumeRequest {
  readonly machine?: string;
  /** Goes on although its steps diverge on that version; without, that is refused as `diverges`, with how. */
  readonly anyway?: boolean;
}

/** The policy that shall play a seat; null gives it back to people. */
export interface BotRequest {
  readonly policy: string | null;
  readonly request?: string;
}

/** Taking a seat, or leaving it. */
export interface SeatRequest {
  readonly request?: string;
}

/** Whom to invite to an open seat: a person by their handle, or whoever opens its link. */
export type InvitationRequest = { readonly person: string } | { readonly link: true };

/** Asking for a rematch, or agreeing to one. */
export interface RematchRequest {
  /** For the seat of which key, when it is of several. */
  readonly seat?: string;
  /** Whether everybody moves on by one seat; for whoever asks first. */
  readonly swap?: boolean;
  readonly request?: string;
}

/** A rematch that one sits in now. */
export interface Rematched {
  readonly match: string;
  /** One's own seat there; null for the host. */
  readonly seat: string | null;
  /** The key of that seat, for whoever has no key of a person; told this once. */
  readonly key?: string;
  /** For the host: the keys of the seats that it holds, and of the host there; told this once. */
  readonly keys?: Readonly<Record<string, string>>;
  readonly hostKey?: string;
  /** Whether all who are asked have agreed. */
  readonly agreed: boolean;
}

/** Finished matches added up. */
export interface TalliedMatches {
  readonly machine: string;
  /** Null when versions are added up. */
  readonly version: number | null;
  /** Null when seats are added up. */
  readonly seat: string | null;
  /** Null when people are added up, and for seats that no person held. */
  readonly person: PersonInfo | null;
  readonly matches: number;
  readonly wins: number;
  readonly losses: number;
  readonly draws: number;
  /** The mean number of steps. */
  readonly steps: number;
  /** The mean time from beginning to ending by the matches' own clocks, in milliseconds. */
  readonly lasted: number;
  /** The best score; null where there are no scores. */
  readonly best: number | null;
}

/** What an invitation by link is answered with. */
export interface NewLink {
  readonly seat: string;
  /** An address below the service's; the secret behind `#` works once. */
  readonly link: string;
}

/** The secret of a link, and what whoever opens it wants to be called. */
export interface LinkRequest {
  readonly secret: string;
  readonly name?: string;
  readonly request?: string;
}

/** Stands for a key in the address of a stream, for a while. */
export interface Ticket {
  readonly ticket: string;
  /** In milliseconds since 1970 UTC. */
  readonly expires: number;
}

/** A key for watchers: it opens the public view, to look only. */
export interface WatcherKey {
  readonly key: string;
  readonly link: string;
}

// ---- people ------------------------------------------------------------------------------------

/** Somebody as others see them. */
export interface PersonInfo {
  /** What they are invited by. */
  readonly handle: string;
  readonly name: string;
}

/** Somebody in the admin's list. */
export interface ListedPerson extends PersonInfo {
  readonly kind: "person" | "guest" | "host";
}

/** Oneself. */
export interface Me extends PersonInfo {
  readonly kind: "person" | "guest" | "host";
  readonly keys: readonly KeyInfo[];
}

/** One of one's own keys: of a device. */
export interface KeyInfo {
  readonly id: string;
  /** What its holder calls it. */
  readonly name: string;
  readonly created: string;
  /** Whether it is the one that came with the request. */
  readonly current: boolean;
}

export interface NewPerson {
  readonly name: string;
  /** Without, one is made. */
  readonly handle?: string;
  /** What the first key is called. */
  readonly device?: string;
  /** A game's own server, which may begin matches and speaks for them. Only the admin makes one. */
  readonly host?: boolean;
}

/** A person who was just made. */
export interface AddedPerson extends PersonInfo {
  readonly kind: Me["kind"];
  /** Their first key; told this once. */
  readonly key: string;
}

/** A key for one more device; told this once. */
export interface AddedKey extends Omit<KeyInfo, "current"> {
  readonly key: string;
}

/** What the list of one's own matches is narrowed by. */
export type MineFilter = "my-turn" | "invitations" | "others-turn" | "finished";

/** A match that one sits in, or is invited to. */
export interface MyMatch extends MatchInfo {
  /** One's own seats. */
  readonly own: readonly string[];
  /** The seats one is invited to. */
  readonly invited: readonly string[];
  readonly seats: readonly Pick<SeatHolder, "seat" | "name">[];
}

/** A page of a list; `next` leads to the one behind it. */
export interface Page<T> {
  readonly items: readonly T[];
  readonly next: string | null;
}

/** Seats that anybody may take. */
export interface LobbyEntry {
  readonly match: string;
  readonly machine: MachineVersion;
  readonly free: readonly string[];
  readonly seats: readonly Pick<SeatHolder, "seat" | "name">[];
  readonly created: string;
}

/** Playing whoever is there: takes a fitting open seat, or begins a match that waits for somebody. */
export interface PlayRequest {
  /** A machine by hash, by `Name@2`, or the newest by `Name`. */
  readonly machine: string;
  /** How many seats; without, as many as the machine has. */
  readonly seats?: number;
  /** Before so many are there, nobody can act. */
  readonly least?: number;
  readonly given?: Given;
}

/** The match that one plays in now. */
export interface Played {
  readonly match: string;
  readonly seat: string;
  /** Whether it was begun for this. */
  readonly begun: boolean;
}

/** What a person is told of a match. */
export type NoticeKind =
  | "your-turn"
  | "others-turn"
  | "invited"
  | "withdrawn"
  | "over"
  | "left"
  | "cancelled"
  | "suspended"
  | "resumed";

/** A webhook: an address that is told what people are told. */
export interface HookInfo {
  readonly id: string;
  readonly url: string;
  readonly created: string;
  /** How many messages wait for it, and how many were given up. */
  readonly waiting: number;
  readonly dead: number;
}

/** A webhook that was just made, with the secret that its messages are signed with; told this once. */
export interface AddedHook extends HookInfo {
  readonly secret: string;
}

/** What is sent to a webhook. */
export interface HookMessage {
  /** The same when it is sent again. */
  readonly delivery: number;
  readonly kind: NoticeKind;
  /** Who is told, by their handle. */
  readonly person: string;
  readonly match: string;
  readonly step: number;
  /** Where the match is opened. */
  readonly address: string;
  /** RFC 3339, UTC. */
  readonly at: string;
}

/** A message that was given up. */
export interface DeadDelivery extends Omit<HookMessage, "address"> {
  readonly attempts: number;
  /** Why it was not taken when it was sent last. */
  readonly failed: string;
}

export interface Notice {
  /** Rises from notice to notice. */
  readonly id: number;
  readonly kind: NoticeKind;
  readonly match: string;
  readonly step: number;
  /** The client that caused it, as it calls itself; null when it does not, or nobody did. */
  readonly client: string | null;
  /** RFC 3339, UTC. */
  readonly at: string;
}

/** A step as the stream of a match carries it: its line in the logbook, as a seat may see it. */
export interface StreamedStep extends StepLine {
  /** The client that caused it, as it calls itself; without, it does not, or nobody did. */
  readonly client?: string;
}

/** What the stream of a match carries: steps, and after them what is to be seen. */
export interface StreamEvents {
  readonly step: StreamedStep;
  readonly now: SeenMatch;
}

// ---- limits ------------------------------------------------------------------------------------

/** What a service allows at most. What a machine allows stands in the machine. */
export interface ServiceLimits {
  /** Requests of one client in a minute; and of those, what is made: machines, logbooks, matches, seats, people. */
  readonly requests: number;
  readonly makings: number;
  /** Matches of one person that go on at once; `address` of all guests that come from one. */
  readonly openMatches: {
    readonly person: number;
    readonly guest: number;
    readonly host: number;
    readonly address: number;
  };
  /** Streams that are open at once with one key, and with none. */
  readonly streams: { readonly withKey: number; readonly without: number };
  /** Inputs of one match that wait. */
  readonly waitingInputs: number;
  readonly seats: number;
  /** A machine's text, in characters, and the body of a request, in bytes. */
  readonly machineText: number;
  readonly body: number;
  /** How long a match is kept that nobody plays and no deadline ends, in milliseconds. */
  readonly idle: number;
  /** How long a finished match is kept; null for ever. */
  readonly finished: number | null;
}

// ---- logbooks ----------------------------------------------------------------------------------

export interface LogbookInfo {
  readonly id: string;
  readonly name: string;
  /** What it was played on, by its header; that version need not be stored here. */
  readonly machine: Pick<MachineVersion, "name" | "hash">;
  readonly steps: number;
  readonly outcome: Outcome | null;
  readonly created: string;
}

export interface VerifyRequest {
  /** A stored version; without, the newest of the name that the logbook tells. */
  readonly machine?: string;
}

export interface VerifiedLogbook {
  readonly machine: MachineVersion;
  readonly verdict: Verdict;
}

// ---- jobs --------------------------------------------------------------------------------------

/** Long work that the service does: logbooks are verified; a machine is explored, simulated, covered. */
export type JobKind = "verify" | "explore" | "simulate" | "coverage";

/** A job that is asked for. What is of another kind is refused. */
export interface NewJob {
  readonly kind: JobKind;
  /** A stored version. To verify it may be left out: each logbook is verified on the newest of its machine's name. */
  readonly machine?: string;
  /** To verify: stored logbooks by their ids; all when left out, or all of the machine's name. */
  readonly logbooks?: readonly string[];
  /** To explore: the most situations that are visited, 200,000 when left out. */
  readonly situations?: number;
  /** To explore: a condition, the shortest way to which is looked for. */
  readonly goal?: string;
  /** To simulate: how many matches, 1,000 when left out. For coverage: how many at random, none when left out. */
  readonly matches?: number;
  /** To simulate: what the dice follow from, "1" when left out. */
  readonly seed?: string;
  /** To simulate: bots by seats, or mixtures such as `careful:3,wary:1`; those that are left out play `wary`. */
  readonly bots?: Readonly<Record<string, string>>;
  /** To simulate: who tells of the game's events; `random` when left out. */
  readonly game?: "random" | "silent";
  /** To simulate: expressions that are counted too. */
  readonly of?: readonly string[];
  /** To simulate: starting data that are varied, such as `kites.north.lift=5..15`. */
  readonly vary?: readonly string[];
  /** To simulate: whether it is counted what each roll of the rules came to. */
  readonly rolls?: boolean;
  /** For coverage: how many steps of a search, none when left out. */
  readonly steps?: number;
  /** For coverage: how many steps are taken to look for matches that cover what nothing does, none when left out. */
  readonly look?: number;
  /** For coverage: whether the kept logbooks of the machine's name count too. */
  readonly kept?: boolean;
}

export interface JobInfo {
  readonly id: string;
  /** What was asked for, with what was left out filled in. */
  readonly wish: Omit<NewJob, "machine" | "logbooks">;
  /** To verify: how many logbooks. */
  readonly logbooks?: number;
  /** The version it is about; null when each logbook has its own, or it is not stored any more. */
  readonly machine: Pick<MachineVersion, "name" | "version" | "hash"> | null;
  readonly state: "waiting" | "running" | "done" | "failed" | "cancelled";
  /** How far it came, from 0 to 1; null where that is not known. */
  readonly share: number | null;
  readonly words: string;
  /** Why it came to nothing; null for one that did not. */
  readonly problem: string | null;
  readonly created: string;
  readonly ended: string | null;
  /** What a simulation has counted so far, while it goes on. */
  readonly soFar?: WorkProgress["soFar"];
}

/** What came of verifying a logbook in a job, or why it could not be verified. */
export interface VerifiedInJob {
  readonly logbook: string;
  readonly verified?: VerifiedLogbook;
  readonly problem?: string;
}

/** What a job came to. Of verifying, so far. */
export type JobResult =
  | { readonly kind: "verify"; readonly logbooks: readonly VerifiedInJob[] }
  | { readonly kind: "explore"; readonly found: ExploreResult }
  | { readonly kind: "simulate"; readonly found: SimulateResult }
  | { readonly kind: "coverage"; readonly found: CoverageResult };
