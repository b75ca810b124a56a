/** What can be done on the page that is shown, for the command menu. */

import { Registry } from "./registry.js";

export interface PageCommand {
  /** What it is: "state", "action" or what the menu's group is called. */
  readonly group: string;
  readonly words: string;
  run(): void;
}

export const pageCommands = new Registry<PageCommand>();
