/** Games' own logs judged by a machine: mappings that say what their rows mean. `@zany/core/maps`. */

export { bookOf } from "../maps/book.js";
export { compileMap, isMap, machineFileOf, mapBeside, type MapCompilation, type MapText } from "../maps/compile.js";
export type { Finding, FindingKind } from "../maps/findings.js";
export { judge, type Judgement } from "../maps/judge.js";
export { type LogRow, rowsOf, UnreadableLog } from "../maps/rows.js";
export { sampleMap } from "../maps/sample.js";
export type { TypedMap } from "../maps/typed.js";
