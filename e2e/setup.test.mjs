// A real house on an empty folder: only who knows the code can make it.
import assert from "node:assert/strict";
import { spawn, spawnSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { startBrowser } from "./house.mjs";

const velada = process.env.VELADA ?? "bin/velada";
let folder, child, browser, origin, code;

before(async () => {
  folder = mkdtempSync(join(tmpdir(), "velada-e2e-"));
  child = spawn(velada, ["serve", "--data", folder, "--listen", "127.0.0.1:0"], { stdio: ["ignore", "pipe", "inherit"] });
  const printed = await new Promise((resolve) => {
    let text = "";
    child.stdout.on("data", (chunk) => {
      text += chunk;
      if (/\n {2}\w+( \w+){3}\n/.test(text)) resolve(text);
    });
  });
  origin = /Console {2}(\S+)/.exec(printed)[1];
  code = /\n {2}(\w+( \w+){3})\n/.exec(printed)[1];
  browser = await startBrowser();
});

after(async () => {
  await browser.close();
  child.kill("SIGINT");
  await new Promise((resolve) => child.on("exit", resolve));
  rmSync(folder, { recursive: true });
});

test("the first visitor needs the code, keeps what they typed, and becomes the steward", async () => {
  const page = await (await browser.newContext()).newPage();
  await page.goto(origin);
  await page.waitForURL(`${origin}/set-up`);
  await page.getByLabel("Set-up code").fill("just guessing here now");
  await page.getByLabel("What is the house called").fill("Casa Prueba");
  await page.getByLabel("Your name").fill("Elvira Sanz");
  await page.getByLabel("Your address").fill("elvira@casa.example");
  await page.getByLabel("A password").fill("velvet harbor nine tulips");
  await page.getByRole("button", { name: "Make the house" }).click();
  await page.getByRole("alert").getByText("not the code").waitFor();
  assert.equal(await page.getByLabel("Your name").inputValue(), "Elvira Sanz");
  await page.getByLabel("Set-up code").fill(code);
  await page.getByRole("button", { name: "Make the house" }).click();
  await page.waitForURL(`${origin}/sites`);
  await page.getByText("Elvira Sanz").waitFor();
  await page.getByText("There is no site yet.").waitFor();
});

test("the code works once", async () => {
  const page = await (await browser.newContext()).newPage();
  await page.goto(`${origin}/set-up`);
  await page.waitForURL(`${origin}/sign-in`);
});

test("a port in use is one clear line and a failure", () => {
  const port = new URL(origin).port;
  const second = spawnSync(velada, ["demo", "--listen", `127.0.0.1:${port}`], { encoding: "utf8" });
  assert.notEqual(second.status, 0);
  assert.match(second.stderr, /^velada: cannot listen on 127\.0\.0\.1:\d+: .*in use\n$/);
});
