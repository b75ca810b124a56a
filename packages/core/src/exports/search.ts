/** Bots, players at random, simulation. `@zany/core/search`. */

export { makeBot, policyNames, RANDOM_BOT, wrongBot } from "../search/bot.js";
export type { Player } from "../search/player.js";
export { RandomGame } from "../search/random-game.js";
export { RandomPlayer } from "../search/random-player.js";
export {
  addTallies,
  BadSimulation,
  ENDLESS,
  FAULTY,
  STUCK,
  type SimulateOptions,
  simulate,
  type Tally,
} from "../search/simulate.js";
