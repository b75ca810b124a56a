/** Looks at one machine in earnest, in a thread of its own: its messages, each held against matches. */

import { parentPort, workerData } from "node:worker_threads";
import { compile, type Texts, withEvidence } from "@zany/core";

const { name, texts } = workerData as { readonly name: string; readonly texts: Texts };
parentPort?.postMessage(withEvidence(compile(texts[""] ?? "", name, (path) => texts[path])).messages);
