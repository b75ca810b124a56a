/** A short fault run; `npm run bench -- faults` has a long one. */

import { expect, test } from "vitest";
import { faultRun } from "./faults.js";

test("over kills, cuts, delays, doubled requests and a moved clock nothing acknowledged is lost, doubled or told otherwise", async () => {
  const counts = await faultRun({ kills: 5, matches: 4, seed: 11 });
  expect(counts.acknowledged).toBeGreaterThanOrEqual(5 * 4 * 2);
  expect(counts.cut).toBeGreaterThan(0);
  expect(counts).toMatchObject({ lost: 0, doubled: 0, unverified: 0, differing: 0, noticesTwice: 0, undelivered: 0 });
});
