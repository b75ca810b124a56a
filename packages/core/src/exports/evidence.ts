/** Warnings with the matches that show them: what a whole check says of a machine. `@zany/core/evidence`. */

export { type Evidenced, type EvidenceOptions, withEvidence } from "../evidence/evidence.js";
