/** Writes editors/zany.tmLanguage.json, the colours for editors. */

import { writeFileSync } from "node:fs";
import { textMateGrammar } from "@zany/core";

writeFileSync("editors/zany.tmLanguage.json", textMateGrammar());
