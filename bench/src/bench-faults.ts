/**
 * The long fault run: `npm run bench -- faults --kills 200`. Prints what was counted; from `lost` on all should be 0.
 */

import { faultRun } from "../../packages/service/test/faults.js";

async function main(): Promise<void> {
  const at = process.argv.indexOf("--kills");
  const kills = at < 0 ? 20 : Number(process.argv[at + 1]);
  if (!Number.isInteger(kills) || kills < 1) throw new Error("--kills is a whole number from 1 on.");
  const counts = await faultRun({
    kills,
    matches: 10,
    seed: kills,
    progress: (done) => {
      if (done % 20 === 0) console.error(`${done} kills`);
    },
  });
  console.log(
    Object.entries(counts)
      .map(([what, number]) => `${what.padEnd(13)} ${number}`)
      .join("\n"),
  );
}

void main();
