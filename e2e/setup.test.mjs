// A real house on an empty folder: only who knows the code can make it.
import assert from "node:assert/strict";
import { spawnSync } from "node:child_process";
import { after, before, test } from "node:test";
import { startBrowser, startEmpty } from "./house.mjs";

let house, browser;

before(async () => {
  house = await startEmpty();
  browser = await startBrowser();
});

after(async () => {
  await browser.close();
  await house.stop();
});

test("the first visitor needs the code, keeps what they typed, and becomes the steward", async () => {
  const page = await (await browser.newContext()).newPage();
  await page.goto(house.console);
  await page.waitForURL(`${house.console}/set-up`);
  await page.getByLabel("Set-up code").fill("just guessing here now");
  await page.getByLabel("Name of the house").fill("Casa Prueba");
  await page.getByLabel("Your name").fill("Elvira Sanz");
  await page.getByLabel("Your e-mail address").fill("elvira@casa.example");
  await page.getByLabel("Password").fill("velvet harbor nine tulips");
  await page.getByRole("button", { name: "Make the house" }).click();
  await page.getByRole("alert").getByText("not the code").waitFor();
  assert.equal(await page.getByLabel("Your name").inputValue(), "Elvira Sanz");
  await page.getByLabel("Set-up code").fill(house.code);
  await page.getByRole("button", { name: "Make the house" }).click();
  await page.waitForURL(`${house.console}/new-site`);
  await page.getByRole("heading", { name: "Who is your site for?" }).waitFor();
});

test("the code works once", async () => {
  const page = await (await browser.newContext()).newPage();
  await page.goto(`${house.console}/set-up`);
  await page.waitForURL(`${house.console}/sign-in`);
});

test("a port in use is one clear line and a failure", () => {
  const port = new URL(house.console).port;
  const second = spawnSync(process.env.VELADA ?? "bin/velada", ["demo", "--listen", `127.0.0.1:${port}`], { encoding: "utf8" });
  assert.notEqual(second.status, 0);
  assert.match(second.stderr, /^velada: cannot listen on 127\.0\.0\.1:\d+: .*in use\n$/);
});
