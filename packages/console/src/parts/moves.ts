/** What can be asked of a match, wherever it is played: by the service, or in the page. */

import type { ActionOption, Arguments } from "@zany/core";

export interface Moves {
  /** The seats whose actions are taken here. */
  readonly own: readonly string[];
  /** Takes an action at a step. Resolves when it was taken, or when another came in between. */
  act(seat: string, action: string, args: Arguments, step: number): Promise<void>;
  /** An action with the values of its next argument. */
  choose(seat: string, action: string, args: Arguments): Promise<ActionOption | undefined>;
  /** The host's part; undefined for those who only play. */
  readonly host?: HostMoves | undefined;
  /** Takes an open seat. */
  join(seat: string): Promise<void>;
  /** Whether it is decided here who plays a seat. */
  decides(seat: string): boolean;
  leave(seat: string): Promise<void>;
  /** Undefined for who does not invite to the match. */
  readonly invites?: InviteMoves | undefined;
  /** Lets a policy play a seat, or with null a person. */
  setBot(seat: string, policy: string | null): Promise<void>;
}

/** Filling seats that nobody sits in. */
export interface InviteMoves {
  /** Keeps a seat for a person, by their handle. */
  person(seat: string, handle: string): Promise<void>;
  /** Makes a link to a seat; gives its address. */
  link(seat: string): Promise<string>;
  /** Takes an invitation back. */
  withdraw(seat: string): Promise<void>;
}

export interface HostMoves {
  event(event: string, args: Arguments): Promise<void>;
  /** Lets time pass by some milliseconds, or until the next timer. */
  wait(by?: number): Promise<void>;
}
