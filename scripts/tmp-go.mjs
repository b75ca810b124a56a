export default async (page, address) => {
  await page.goto(`${address}/logbooks`);
  await page.getByRole("link", { name: /kite-duel-01|KiteDuel/ }).first().click();
  await page.getByRole("tab", { name: "Watch" }).click();
  await page.getByLabel("An expression to watch").fill("kites[north].lift - kites[south].lift");
  await page.getByRole("button", { name: "Watch", exact: true }).click();
  await page.getByLabel("An expression to watch").fill("kites[north].brced");
  await page.getByRole("button", { name: "Watch", exact: true }).click();
  await page.waitForTimeout(300);
  const eye = page.getByRole("button", { name: /^Watch kites.north.lift|^Watch .*lift/ }).first();
  await eye.click({ force: true });
  await page.keyboard.press("ArrowRight"); await page.keyboard.press("ArrowRight");
  await page.waitForTimeout(500);
  await page.screenshot({ path: "/tmp/e/watch.png" });
};
