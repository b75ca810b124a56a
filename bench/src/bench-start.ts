/** How long `zany` takes to start, beside an empty Node: whole processes, in pairs. */
import { spawnSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

const PAIRS = 25;
const empty = join(mkdtempSync(join(tmpdir(), "zany-bench-")), "empty.cjs");
writeFileSync(empty, "");

function milliseconds(args: readonly string[]): number {
  const from = process.hrtime.bigint();
  spawnSync(process.execPath, args, { stdio: "ignore" });
  return Number(process.hrtime.bigint() - from) / 1e6;
}

const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;

const DUEL = "examples/kite-duel.zany";
for (const args of [["--help"], ["check", "--no-evidence", DUEL], ["check", DUEL], ["test", DUEL], ["outline", DUEL]]) {
  const zany: number[] = [];
  const node: number[] = [];
  for (let i = 0; i < PAIRS; i++) {
    zany.push(milliseconds(["dist/cli/zany.cjs", ...args]));
    node.push(milliseconds([empty]));
  }
  const ratio = median(zany.map((z, i) => z / (node[i] as number)));
  const words = args.filter((word) => word !== DUEL).join(" ");
  console.log(
    `zany ${words.padEnd(19)} ${median(zany).toFixed(1)} ms, empty ` +
      `Node ${median(node).toFixed(1)} ms, ratio ${ratio.toFixed(2)}`,
  );
}
