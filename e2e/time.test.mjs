// What time does: a rehearsal that Velada applies by itself, sightlines at
// another instant, promises, and undoing from the ledger.
import assert from "node:assert/strict";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { signIn, startBrowser, startHouse } from "./house.mjs";

let folder, browser;

before(async () => {
  folder = mkdtempSync(join(tmpdir(), "velada-e2e-"));
  browser = await startBrowser();
});

after(async () => {
  await browser.close();
  rmSync(folder, { recursive: true });
});

const fresh = async () => (await browser.newContext()).newPage();

test("a rehearsal is applied by itself when the clock has moved on, also after a restart", async () => {
  let house = await startHouse("--data", folder);
  const admin = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/society/door`);
  await admin.getByRole("button", { name: "Only the team" }).click();
  await admin.getByText("Apply later").click();
  await admin.locator("input[name=due]").fill("2026-11-25T07:00");
  await admin.getByRole("button", { name: "Apply then" }).click();
  await admin.getByText("Velada applies it by itself on 25 Nov 2026 07:00").first().waitFor();
  assert.equal((await house.ask("society", "/")).status, 200);
  await house.stop();

  house = await startHouse("--clock", "2026-11-25T06:59:00+01:00", "--data", folder);
  assert.equal((await house.ask("society", "/")).status, 200, "a minute early nothing has changed");
  await house.stop();

  house = await startHouse("--clock", "2026-11-25T07:00:00+01:00", "--data", folder);
  const visitor = await fresh();
  for (let tries = 0; tries < 50 && (await house.ask("society", "/")).status === 200; tries++) await new Promise((r) => setTimeout(r, 100));
  assert.equal((await visitor.goto(house.site("society"))).status(), 403);

  const again = await fresh();
  await signIn(again, house);
  await again.goto(`${house.console}/sites/society/ledger`);
  await again.getByRole("button", { name: "See what undoing it does" }).click();
  await again.getByRole("button", { name: "Apply now" }).click();
  await again.getByText("Applied.", { exact: true }).waitFor();
  assert.equal((await visitor.reload()).status(), 200, "undone");
  await house.stop();
});

test("sightlines show the crews apart until show night, and lead to the why", async () => {
  const house = await startHouse();
  const admin = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/variable-stars/sightlines`);
  // reads a window of the matrix by the keyboard: so many rows down and columns right
  const read = async (rows, columns) => {
    await admin.locator(".matrix").focus();
    for (const [key, times] of [["PageUp", 3], ["ArrowLeft", 20], ["ArrowDown", rows], ["ArrowRight", columns]]) {
      for (let n = 0; n < times; n++) await admin.keyboard.press(key);
    }
    return admin.locator("#sight-read").textContent();
  };
  const column = async (name) => (await admin.locator(".heads a").evaluateAll((all) => all.map((a) => a.dataset.name))).indexOf(name);
  const row = async (name) => (await admin.locator(".rows a span").allTextContents()).indexOf(name);
  assert.equal(await read(await row("Crew Antlia"), await column("Crew Corvus")), "Crew Corvus, Crew Antlia: turned away");
  await admin.getByRole("link", { name: /^12 Dec 2026 20:00/ }).click();
  await admin.getByText("Sightlines at").waitFor();
  assert.equal(await read(await row("Crew Antlia"), await column("Crew Corvus")), "Crew Corvus, Crew Antlia: opens");
  assert.equal(await read(await row("Crew Lacerta"), await column("“Show night panel”")), "“Show night panel”, Crew Lacerta: opens");
  const saved = admin.waitForEvent("download");
  await admin.getByRole("link", { name: "As a picture (PNG)" }).click();
  assert.equal((await saved).suggestedFilename(), "variable-stars-sightlines.png");
  await admin.locator(".matrix").focus();
  await admin.keyboard.press("Enter");
  await admin.getByText("The door of /crew/lacerta opens by the password “Show night panel”.").waitFor();
  assert.match(admin.url(), /at=2026-12-12T19%3A00%3A00Z/);
  const csv = await (await admin.request.get(`http://127.0.0.1:${new URL(house.console).port}/sites/variable-stars/sightlines.csv`, { headers: { host: new URL(house.console).host, cookie: (await admin.context().cookies()).map((c) => `${c.name}=${c.value}`).join("; ") } })).text();
  assert.match(csv, /^Page,Path,Strangers,/);
  assert.match(csv, /Crew Antlia,\/crew\/antlia,opens after a step/);
  await house.stop();
});

test("a change that breaks a promise needs one more deliberate step", async () => {
  const house = await startHouse();
  const admin = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/society?promise=new`);
  await admin.getByLabel("Which page").selectOption("/visit");
  await admin.getByLabel("What must hold").selectOption("open");
  await admin.getByRole("button", { name: "Save" }).click();
  await admin.getByText("A stranger must be able to open /visit, now and later.").last().waitFor();
  await admin.goto(`${house.console}/sites/society/door`);
  await admin.getByRole("button", { name: "Only the team" }).click();
  await admin.getByText(/it breaks the promise/).first().waitFor();
  await admin.getByRole("button", { name: "Apply now" }).click();
  await admin.getByText("Nothing was applied").waitFor();
  assert.equal((await house.ask("society", "/visit")).status, 200);
  await admin.locator("input[name=meant][form=apply-now]").check();
  await admin.getByRole("button", { name: "Apply now" }).click();
  await admin.getByText("Applied.", { exact: true }).waitFor();
  assert.equal((await house.ask("society", "/visit")).status, 403);
  await admin.goto(`${house.console}/sites/society`);
  await admin.getByText(/^A promise is broken/).waitFor();
  await house.stop();
});
