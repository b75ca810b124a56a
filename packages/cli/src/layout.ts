/** The layout of diagrams, as a bundle of its own. */

import ELK from "elkjs/lib/elk.bundled.js";

export default ELK;
