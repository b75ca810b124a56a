/** From text to machine: the compiler, its messages and the pages about them, the formatter. `@zany/core/language`. */

export { descriptionOf } from "../language/description.js";
export { type Compilation, type CompileOptions, compile, type FindPart } from "../compile.js";
export { format } from "../language/format.js";
export { applyFixes } from "../language/fix.js";
export { type Evidence, type Fix, type Message, movedBy, renderMessage, type Severity } from "../language/message.js";
export { type Place, Sources } from "../language/source.js";
export { nearest } from "../language/suggest.js";
export { KINDS } from "../explain/kinds.js";
export { MISTAKES } from "../explain/mistakes.js";
export { pageOf } from "../explain/page.js";
