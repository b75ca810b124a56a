/** The work behind the commands; loaded when one of them runs. */

export { check } from "./check.js";
export { diagram } from "./diagram.js";
export { explain } from "./explain.js";
export { format } from "./format.js";
export { lsp } from "./lsp.js";
export { outline } from "./outline.js";
export { play } from "./play.js";
export {
  matchAct,
  matchBot,
  matchJoin,
  matchLeave,
  matchList,
  matchLogbook,
  matchNew,
  matchEvent,
  matchShow,
  matchWait,
  matchWatch,
  upload,
} from "./remote.js";
export { replay } from "./replay.js";
export { simulate } from "./simulate.js";
export { serve } from "./serve.js";
export { table } from "./table.js";
export { test } from "./test.js";
export { verify } from "./verify.js";
