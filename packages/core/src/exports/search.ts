/** Bots, players at random, simulation. `@zany/core/search`. */

export { type ComparedShare, type ComparedTallies, compareTallies } from "../search/compare.js";
export { makeBot, playersInWords, policyNames, RANDOM_BOT, WARY_BOT, wrongBot } from "../search/bot.js";
export type { Player } from "../search/player.js";
export { RandomGame } from "../search/random-game.js";
export { RandomPlayer } from "../search/random-player.js";
export { type RolledPlace, neverCounted, rolledIn } from "../search/rolled.js";
export { BadSimulation, GAME_PLAYERS, type GamePlayer, type SimulateOptions, simulate } from "../search/simulate.js";
export { BadSweep, gridOf } from "../search/sweep.js";
export {
  addTallies,
  ENDLESS,
  FAULTY,
  histogramOf,
  intervalOf,
  meanOf,
  type Share,
  STUCK,
  type Tally,
  tallyCsv,
} from "../search/tally.js";
