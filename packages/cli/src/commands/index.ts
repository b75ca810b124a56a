/** The work behind the commands; loaded when one of them runs. */

export * from "./check.js";
export * from "./compile.js";
export * from "./coverage.js";
export * from "./diagram.js";
export * from "./diff.js";
export * from "./doctor.js";
export * from "./dump.js";
export * from "./explain.js";
export * from "./explore.js";
export * from "./format.js";
export * from "./hooks.js";
export * from "./lsp.js";
export { map } from "./maps.js";
export { odds } from "./odds.js";
export * from "./outline.js";
export * from "./people.js";
export * from "./play.js";
export * from "./remote.js";
export * from "./replay.js";
export { simulate } from "./simulate.js";
export * from "./serve.js";
export * from "./table.js";
export * from "./tally.js";
export * from "./test.js";
export * from "./vary.js";
export * from "./verify.js";
export * from "./why.js";
