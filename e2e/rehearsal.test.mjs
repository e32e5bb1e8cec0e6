// What administrators do at a door over time, each checked at the gate by a
// browser that has never signed in.
import assert from "node:assert/strict";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { fillSignIn, signIn, startBrowser, startHouse } from "./house.mjs";

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
const data = (name) => ["--data", join(folder, name)];

async function apply(page) {
  await page.getByRole("button", { name: "Apply now" }).click();
  await page.getByText("Applied.", { exact: true }).waitFor();
}

test("a password for a launch ends by itself", async () => {
  let house = await startHouse(...data("launch"));
  const admin = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/society/door`);
  await admin.getByRole("link", { name: "A password", exact: true }).click();
  await admin.getByLabel("Name (who will use it)").fill("Launch night");
  await admin.getByRole("textbox", { name: /^Password/ }).fill("copper stairs at dusk");
  await admin.locator("input[name=until]").fill("2026-11-28T23:00");
  await admin.locator("form[action$='/door/pass']").getByRole("button", { name: "See what this does" }).click();
  await apply(admin);
  const enter = async (page) => {
    await page.goto(house.site("society", "/visit"));
    await page.getByLabel("Password").fill("copper stairs at dusk");
    await page.getByRole("button", { name: "Open this page" }).click();
    await page.getByRole("heading", { name: "Getting here" }).waitFor();
  };
  const visitor = await fresh();
  await enter(visitor);
  await house.stop();

  house = await startHouse("--clock", "2026-11-28T22:59:59+01:00", ...data("launch"));
  const late = await fresh();
  await enter(late);
  await house.stop();

  house = await startHouse("--clock", "2026-11-28T23:00:00+01:00", ...data("launch"));
  const after = await fresh();
  await after.goto(house.site("society", "/visit"));
  await after.getByRole("heading", { name: "This page is not for you" }).waitFor();
  assert.equal((await house.ask("society", "/visit")).status, 403);
  await house.stop();
});

test("crews cannot see each other until show night", async () => {
  let house = await startHouse(...data("crews"));
  const crew = async () => {
    const page = await fresh();
    await page.goto(house.site("variable-stars", "/notes"));
    await page.getByRole("link", { name: "Sign in" }).click();
    await fillSignIn(page, "katya-cifuentes@cerroalcor.example");
    await page.getByRole("heading", { name: "Course notes" }).waitFor();
    return async (path) => (await page.goto(house.site("variable-stars", path))).status();
  };
  const groups = (await (await fresh()).goto(house.site("variable-stars", "/how-to-join"))).status();
  assert.equal(groups, 200);
  let status = await crew();
  const before = [await status("/crew/antlia"), await status("/crew/corvus"), await status("/crew/lacerta")];
  assert.equal(before.filter((s) => s === 200).length, 1, `one crew's own section opens: ${before}`);
  assert.equal(before.filter((s) => s === 403).length, 2);
  await house.stop();
  house = await startHouse("--clock", "2026-12-12T20:00:00+01:00", ...data("crews"));
  status = await crew();
  assert.deepEqual([await status("/crew/antlia"), await status("/crew/corvus"), await status("/crew/lacerta")], [200, 200, 200]);
  assert.equal((await house.ask("variable-stars", "/crew/antlia")).status, 401, "a stranger still meets the door");
  await house.stop();
});

test("maintenance with an exempt page, past which an office network walks", async () => {
  const house = await startHouse();
  const admin = await fresh(), visitor = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/society/holding`);
  await admin.getByLabel("Yes, between the dates below").check();
  await admin.getByLabel("Kind of holding page").selectOption("maintenance");
  await admin.locator("input[name=until]").fill("2026-11-24T20:00");
  await admin.getByLabel("Privacy").check();
  await admin.getByRole("button", { name: "See what this does" }).click();
  await admin.locator(".tray").waitFor();
  await apply(admin);
  await admin.goto(`${house.console}/sites/society/holding/words`);
  await admin.getByLabel("Heading").fill("Painting the stairs");
  await admin.getByRole("button", { name: "Save" }).click();
  await admin.getByText("The holding page says that from now on.").waitFor();

  const answer = await visitor.goto(house.site("society", "/visit"));
  assert.equal(answer.status(), 503);
  assert.equal(answer.headers()["retry-after"], "7200");
  assert.equal(answer.headers()["x-robots-tag"], undefined);
  await visitor.getByRole("heading", { name: "Painting the stairs" }).waitFor();
  assert.match(await visitor.locator(".countdown").innerText(), /0\s*days\s+\d\s*hours/);
  assert.equal((await visitor.goto(house.site("society", "/privacy"))).status(), 200);

  await admin.goto(house.site("society", "/visit"));
  await admin.getByText("I work on this site").click();
  await admin.getByRole("link", { name: "Sign in" }).click();
  await admin.getByRole("button", { name: /^Go on to / }).click();
  await admin.getByText(/You get the site because you are on the team/).waitFor();
  await admin.getByRole("link", { name: "See it as a stranger" }).click();
  await admin.getByRole("heading", { name: "Painting the stairs" }).waitFor();
  await admin.getByRole("link", { name: "Back to what you see" }).click();
  await admin.getByRole("heading", { name: "Getting here" }).waitFor();

  await admin.goto(`${house.console}/sites/society/holding/past?add=network`);
  await admin.getByRole("button", { name: /Add your own address now/ }).click();
  await admin.getByText("one address.").waitFor();
  await admin.getByRole("button", { name: "See what this does" }).last().click({ trial: true });
  await admin.locator("form[action$='door/add']").getByRole("button", { name: "See what this does" }).click();
  await admin.locator(".tray").waitFor();
  await apply(admin);
  assert.equal((await visitor.goto(house.site("society", "/visit"))).status(), 200, "whoever comes from the office walks past it");
  await house.stop();
});

test("two administrators in conflict: the second is shown what the first changed", async () => {
  const house = await startHouse();
  const ines = await fresh(), pilar = await fresh();
  await signIn(ines, house);
  await signIn(pilar, house, "pilar@cerroalcor.example");
  for (const [page, start] of [[ines, "A domain"], [pilar, "Members"]]) {
    await page.goto(`${house.console}/sites/society/door`);
    await page.getByRole("button", { name: start }).click();
    await page.locator(".tray").waitFor();
  }
  await apply(ines);
  await pilar.getByRole("button", { name: "Apply now" }).click();
  await pilar.getByText("Somebody else changed the same door meanwhile").waitFor();
  assert.match(JSON.stringify((await house.ask("society", "/visit")).headers), /Velada/, "the first change stands");
  const visitor = await fresh();
  await visitor.goto(house.site("society", "/visit"));
  await visitor.getByRole("link", { name: "Sign in" }).click();
  await fillSignIn(visitor, "bram@cerroalcor.example");
  await visitor.getByRole("heading", { name: "Getting here" }).waitFor();
  await pilar.getByRole("link", { name: "All that they do" }).click();
  await pilar.getByRole("heading", { name: "What these changes do" }).waitFor();
  await pilar.getByRole("link", { name: "Bram de Wit" }).waitFor();
  await apply(pilar);
  await visitor.reload();
  await visitor.getByRole("heading", { name: "Cerro Alcor Society, for its members" }).waitFor();
  await visitor.getByRole("link", { name: "Become a member" }).waitFor();
  await house.stop();
});

test("an administrator who would shut herself out is stopped", async () => {
  const house = await startHouse();
  const pilar = await fresh();
  await signIn(pilar, house, "pilar@cerroalcor.example");
  await pilar.goto(`${house.console}/sites/society/team`);
  await pilar.getByRole("button", { name: "Remove from the team: Pilar Quintero" }).click();
  await pilar.getByText(/it takes something from myself/).first().waitFor();
  await pilar.getByRole("button", { name: "Apply now" }).click();
  await pilar.getByText("Nothing was applied").waitFor();
  assert.equal((await pilar.goto(`${house.console}/sites/society/door`)).status(), 200);
  await pilar.getByRole("checkbox", { name: /^Yes, I am sure/ }).first().check();
  await pilar.getByRole("button", { name: "Apply now" }).click();
  await pilar.getByText("nothing that you have to do with").waitFor();
  await pilar.goto(`${house.console}/sites`);
  await pilar.getByRole("link", { name: "Founders Fund Dossier" }).waitFor();
  assert.equal(await pilar.getByRole("link", { name: "Cerro Alcor Society" }).count(), 0);
  await house.stop();
});

test("nobody gives a role that can do more than their own", async () => {
  const house = await startHouse();
  const page = await fresh();
  await signIn(page, house, "pilar@cerroalcor.example");
  await page.goto(`${house.console}/sites/society/team?entry=new`);
  assert.ok(!(await page.locator("select[name=role]").innerText()).includes("owner"), "an admin is not offered to make owners");
  await page.getByLabel("Find a person of the house").fill("bram");
  await page.getByRole("button", { name: "Bram de Wit" }).click();
  await page.locator("input[name=until]").fill("2026-12-01T00:00");
  await page.getByRole("button", { name: "See what this does" }).click();
  await apply(page);
  assert.match(await page.locator(".way").filter({ hasText: "Bram de Wit" }).innerText(), /Previewer[^]*until 1 Dec 2026/);
  await house.stop();
});

test("a link is handed out, followed without signing in, and taken back", async () => {
  const house = await startHouse();
  const admin = await fresh(), visitor = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/society/door?page=/members`);
  await admin.getByText("Add a way in").click();
  await admin.getByRole("link", { name: /^Link/ }).click();
  await admin.getByLabel("Name (who will use it)").fill("The printer");
  await admin.locator("form[action$='/passes/link']").getByRole("button", { name: "See what this does" }).click();
  await apply(admin);
  const link = (await admin.locator("#link-url").textContent()).trim();
  await visitor.goto(link);
  await visitor.waitForURL(house.site("society", "/members"));
  assert.equal((await visitor.goto(house.site("society", "/members/minutes"))).status(), 200);
  await admin.goto(`${house.console}/sites/society/passes`);
  await admin.getByText("followed 1 time").waitFor();
  await admin.getByRole("button", { name: "Set the end to now: the link “The printer”" }).click();
  await admin.locator(".tray").waitFor();
  await apply(admin);
  assert.equal((await visitor.reload()).status(), 401);
  assert.equal((await visitor.goto(link)).status(), 404);
  await house.stop();
});

test("a page opens in a frame as somebody else gets it", async () => {
  const house = await startHouse();
  const admin = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/variable-stars/door?page=/crew/antlia`);
  await admin.getByRole("link", { name: "See the page as they get it" }).click();
  const frame = admin.frameLocator("iframe");
  await frame.getByRole("heading", { name: /^Variable Stars on Thursdays, for people/ }).waitFor();
  await admin.goto(`${house.console}/sites/variable-stars/walk?as=group:corvus`);
  await frame.getByRole("link", { name: "Course notes" }).first().press("Enter"); // the frame is scaled: a click misses
  await frame.getByRole("heading", { name: "Course notes" }).waitFor();
  await admin.getByText("The answer’s headers").click();
  await admin.getByText("private, no-store").waitFor();
  const left = (await admin.context().cookies()).map((c) => `${c.name} on ${c.domain}`).sort();
  assert.deepEqual(left, ["velada_console on velada.localhost", "velada_known on velada.localhost"], "looking leaves no cookie");
  await admin.goto(`${house.console}/sites`);
  await admin.getByText("Inés Ortuño").first().waitFor();
  await house.stop();
});
