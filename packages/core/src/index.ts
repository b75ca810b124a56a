/** Zany Compass, the core: language, checker, engine, logbook, search. Runs in Node and in browsers. */

export * from "./exports/language.js";
export * from "./exports/coverage.js";
export * from "./exports/long-work.js";
export * from "./exports/editing.js";
export * from "./exports/engine.js";
export * from "./exports/logbook.js";
export * from "./exports/search.js";
export * from "./exports/formats.js";
export * from "./exports/local.js";
export * from "./exports/review.js";
export * from "./exports/maps.js";
export * from "./exports/evidence.js";
export * from "./exports/explore.js";
