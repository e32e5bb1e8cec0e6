// People who read: a class without mailboxes, teams apart until their day,
// members, and whoever asks to be let in. Clocks stand still.
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
const data = (name) => ["--data", join(folder, name)];
const status = async (page, address) => (await page.goto(address)).status();

async function letter(steward, house, to, action) {
  await steward.goto(`${house.console}/outbox?find=${encodeURIComponent(to)}`);
  await steward.locator(".mail-list a").first().click();
  await steward.locator(".paper").waitFor();
  const show = steward.getByRole("button", { name: "Show the link" }); // links that sign in are masked
  if (await show.count()) {
    await show.click();
    await show.waitFor({ state: "detached" });
  }
  return steward.locator(".paper").getByRole("link", { name: action }).getAttribute("href");
}

async function roster(keeper, house, group, text, gone = false) {
  await keeper.goto(`${house.console}/groups/${group}/roster`);
  await keeper.getByLabel("or paste it here").fill(text);
  await keeper.getByRole("button", { name: "Preview the import" }).click();
  await keeper.getByText("What it would change").waitFor();
  if (gone) {
    await keeper.getByRole("checkbox", { name: /whoever is no longer listed/ }).check();
    await keeper.getByRole("button", { name: "Update the preview" }).click();
    await keeper.waitForFunction(() => document.querySelectorAll(".figures dd")[3]?.innerText !== "0");
  }
  const figures = await keeper.locator(".figures dd").allInnerTexts();
  await keeper.getByRole("button", { name: "Import" }).click();
  await keeper.getByText("A roster came into").first().waitFor();
  return figures.join(" ");
}

// visit signs somebody in on a site, coming from one of its pages.
async function visit(page, house, site, path, address, password) {
  await page.goto(house.site(site, path));
  await page.getByRole("link", { name: "Sign in" }).first().click();
  await page.getByLabel("Your e-mail address").fill(address);
  await page.getByLabel("Your password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
}

test("a class from a table to learners reading, and next week's table", async () => {
  const house = await startHouse();
  const [keeper, learner] = await Promise.all([fresh(), fresh()]);
  await signIn(keeper, house, "aiko@cerroalcor.example"); // keeps the class, and is no steward
  await keeper.getByRole("link", { name: "People" }).click();
  await keeper.getByRole("link", { name: "Variable Stars class" }).click();
  const first = "name;crew;address\nNoor Haddad;Crew Antlia;noor@aula.cerroalcor.example\nEmil Sol;Crew Hydra;emil@aula.cerroalcor.example\nBroken;Crew Hydra;broken\n";
  await keeper.goto(`${house.console}/groups/variable-stars/roster`);
  await keeper.getByLabel("or paste it here").fill(first);
  await keeper.getByRole("button", { name: "Preview the import" }).click();
  await keeper.getByText("Line 4: Broken broken").waitFor();
  await keeper.getByText("New groups: Crew Hydra.").waitFor();
  assert.ok(!await keeper.getByRole("checkbox", { name: /whoever is no longer listed/ }).isChecked(), "nobody leaves unless it is ticked");
  await keeper.waitForFunction(() => [...document.querySelectorAll(".figures dd")].map((d) => d.innerText).join(" ") === "2 0 0 0 0 1");
  await keeper.getByRole("button", { name: "Import" }).click();
  await keeper.getByText("A roster came into").first().waitFor();

  await keeper.getByRole("button", { name: "Make a sheet" }).click();
  const slip = keeper.locator(".slip-sheet li").filter({ hasText: "Noor Haddad" });
  const code = await slip.locator("code").innerText();
  const [pdf] = await Promise.all([keeper.waitForEvent("download"), keeper.getByRole("link", { name: "As a PDF" }).click()]);
  assert.equal(pdf.suggestedFilename(), "sign-in-slips.pdf");

  await visit(learner, house, "variable-stars", "/notes", "noor@aula.cerroalcor.example", code.toUpperCase());
  await learner.getByLabel("Your new password").fill(code);
  await learner.getByRole("button", { name: "Save and continue" }).click();
  await learner.getByText("That is the code from the slip.").waitFor();
  await learner.getByLabel("Your new password").fill("walnut ferry indigo moss");
  await learner.getByRole("button", { name: "Save and continue" }).click();
  await learner.getByText("Signed in as Noor Haddad").waitFor();
  assert.equal(new URL(learner.url()).pathname, "/notes");
  assert.equal(await status(learner, house.site("variable-stars", "/crew/corvus")), 403);

  // next week: Emil is gone, Noor has moved, Ada is new
  const table = await keeper.evaluate(async () => (await fetch("/groups/variable-stars/out?as=csv")).text());
  assert.match(table, /Noor Haddad,noor@aula.cerroalcor.example,Crew Antlia/);
  await keeper.goto(`${house.console}/groups/crew-hydra`);
  await keeper.getByText("Emil Sol").first().waitFor();
  assert.equal(await roster(keeper, house, "crew-hydra", "name,address\nNoor Haddad,noor@aula.cerroalcor.example\nAda Neu,ada.neu@aula.cerroalcor.example\n", true), "1 1 0 1 0 0");
  await keeper.goto(`${house.console}/groups/crew-hydra`);
  assert.deepEqual(await keeper.locator(".entries tbody tr td:first-child").allInnerTexts(), ["Noor Haddad", "Ada Neu"]);
  await house.stop();
});

test("three teams cannot see each other until the day", async () => {
  let house = await startHouse(...data("teams"));
  const steward = await fresh();
  await signIn(steward, house);
  await steward.goto(`${house.console}/sites/august/team/sections?sections=new`);
  await steward.getByRole("combobox", { name: "Class" }).selectOption("variable-stars");
  await steward.locator("input[name=opens]").fill("2026-12-12T20:00");
  await steward.locator("select[name=opens_to]").selectOption("class");
  await steward.locator("form[action$='/team/sections']").getByRole("button", { name: "See what this does" }).click();
  await steward.getByText(/pages are in the draft/).waitFor();
  const meant = steward.getByLabel(/^Yes, I am sure/).first();
  if (await meant.count()) await meant.check();
  await steward.getByRole("button", { name: "Apply now" }).click();
  await steward.getByText("Applied.", { exact: true }).waitFor();
  await steward.goto(`${house.console}/sites/august/publish`);
  await steward.getByRole("button", { name: "Publish edition 1" }).click();
  await steward.getByRole("heading", { name: "August Star Party is live" }).waitFor();
  await steward.goto(`${house.console}/sites/august/team/sections`);
  assert.equal(await steward.getByText("nobody has edited yet").count(), 3);

  const sees = async (address, password = "lantern over the hill") => {
    const page = await fresh();
    await visit(page, house, "august", "/teams/crew-antlia", address, password);
    await page.waitForLoadState();
    const list = [];
    for (const crew of ["antlia", "corvus", "lacerta"]) list.push(await status(page, house.site("august", `/teams/crew-${crew}`)));
    return list.join(" ");
  };
  assert.equal(await sees("katya-cifuentes@cerroalcor.example"), "200 403 403");
  assert.equal(await sees("odile-kovacs@cerroalcor.example"), "403 200 403");
  const team = await fresh();
  await signIn(team, house, "katya-cifuentes@cerroalcor.example");
  await team.goto(`${house.console}/sites/august/pages?path=/teams/crew-antlia`);
  await team.getByLabel("What the page says, in Markdown").fill("# Crew Antlia\n\nOur light curve.");
  await team.locator("#saved").getByText(/^Saved/).waitFor();
  await steward.reload();
  await steward.getByText(/by Katya Cifuentes/).waitFor();
  await steward.getByText("1 page waits for publication").waitFor();
  await house.stop();
  house = await startHouse("--clock", "2026-12-12T20:00:00+01:00", ...data("teams"));
  assert.equal(await sees("katya-cifuentes@cerroalcor.example"), "200 200 200");
  await house.stop();
});

test("signs up, waits, is admitted, is blocked while inside", async () => {
  const house = await startHouse();
  const [usher, steward, reader] = await Promise.all([fresh(), fresh(), fresh()]);
  await Promise.all([signIn(usher, house, "seun@cerroalcor.example"), signIn(steward, house)]);
  await reader.goto(house.site("society", "/members"));
  await reader.getByRole("link", { name: "Become a member" }).click();
  await reader.getByLabel("Your name").fill("Zoe Lara");
  await reader.getByLabel("Your e-mail address").fill("zoe@post.example");
  await reader.getByLabel("What brings you to the observatory?").fill("The dark");
  await reader.getByRole("button", { name: "Become a member" }).click();
  await reader.getByText("Without it you cannot become a member.").waitFor();
  await reader.getByLabel("I have read this, and agree").check();
  await reader.getByRole("button", { name: "Become a member" }).click();
  await reader.getByText("Check your mail").waitFor();
  await reader.goto(await letter(steward, house, "zoe@post.example", "Go on"));
  await reader.getByLabel("Choose a password").fill("walnut ferry indigo moss");
  await reader.getByRole("button", { name: "Make the account" }).click();
  await reader.getByText("Your request is waiting").waitFor();

  await usher.goto(`${house.console}/notices`);
  await usher.getByRole("link", { name: "Zoe Lara asks to become a member of Cerro Alcor Society." }).click();
  await usher.getByText("The dark", { exact: true }).waitFor();
  await usher.locator("#waiting").getByLabel("Zoe Lara").check();
  await usher.locator("#waiting").getByLabel("A message to them").fill("See you on the hill");
  await usher.getByRole("button", { name: "Approve", exact: true }).click();
  await usher.getByText("Zoe Lara becomes a member.").waitFor();
  await usher.getByText("Members, Keys, Minutes, Rota").waitFor(); // what that opens to her
  await usher.getByRole("button", { name: "Approve 1 person" }).click();
  await usher.getByText("Applied to 1 person.").waitFor();
  await steward.goto(`${house.console}/outbox?find=zoe`);
  await steward.locator(".mail-list a").first().click();
  await steward.locator(".paper").getByText("See you on the hill").waitFor();

  await reader.reload();
  await reader.getByText("The red lamps are back").waitFor();
  await reader.getByLabel("Write a comment").fill("Thank you for having me.");
  await reader.getByRole("button", { name: "Send", exact: true }).click();
  await reader.getByText("waits to be approved").waitFor();
  await usher.goto(`${house.console}/sites/society/members/comments`);
  await usher.getByRole("button", { name: "Approve the comment of Zoe Lara" }).click();
  await reader.reload();
  assert.equal(await reader.getByText("waits to be approved").count(), 0);
  await reader.getByRole("link", { name: "Your page" }).click();
  await reader.getByLabel("About yourself").fill("New here.");
  await reader.getByLabel("my name").check();
  await reader.getByRole("button", { name: "Save" }).click();
  await reader.getByRole("link", { name: "The members of this site" }).click();
  await reader.getByText("Zoe Lara", { exact: true }).waitFor();

  await usher.goto(`${house.console}/sites/society/members/list?q=zoe`);
  await usher.locator("#approved").getByLabel("Zoe Lara").check();
  await usher.locator("#approved").getByRole("button", { name: "Block" }).click();
  await usher.getByRole("button", { name: "Block 1 person" }).click();
  await usher.getByText("Applied to 1 person.").waitFor();
  assert.equal(await status(reader, house.site("society", "/members")), 403);
  await house.stop();
});

test("a refused stranger asks and is let in", async () => {
  const house = await startHouse();
  const [steward, stranger] = await Promise.all([fresh(), fresh()]);
  await signIn(steward, house);
  await steward.goto(`${house.console}/sites/society/door`);
  await steward.getByRole("button", { name: "Only the team" }).click();
  await steward.locator(".tray").waitFor();
  const meant = steward.getByLabel(/^Yes, I am sure/).first();
  if (await meant.count()) await meant.check();
  await steward.getByRole("button", { name: "Apply now" }).click();
  await steward.getByText("Applied.", { exact: true }).waitFor();
  await stranger.goto(house.site("society", "/visit"));
  await stranger.getByLabel("Your e-mail address").fill("zoe@press.example");
  await stranger.getByLabel("A message to them").fill("For an article");
  await stranger.getByRole("button", { name: "Ask to be let in" }).click();
  await stranger.getByText("Check your mail").waitFor();
  await stranger.goto(await letter(steward, house, "zoe@press.example", "The address is mine"));
  await stranger.getByRole("button", { name: "The address is mine" }).click();
  await stranger.getByText("You have asked").waitFor();
  await steward.goto(`${house.console}/sites/society/members#asking`);
  const asking = steward.locator(".asking").filter({ hasText: "zoe@press.example" });
  await asking.getByText("For an article").waitFor();
  await asking.getByText(/opens .*\/visit/).first().waitFor();
  await asking.getByRole("button", { name: "Add them to the guest list" }).click();
  await steward.getByText(/^A message to them is written/).waitFor();
  await stranger.goto(`${house.console}/forgot?site=society&path=/visit`);
  await stranger.getByLabel("Your e-mail address").fill("zoe@press.example");
  await stranger.getByRole("button", { name: "Send the link" }).click();
  await stranger.getByText("Check your mail").waitFor();
  await stranger.goto(await letter(steward, house, "zoe@press.example", "Sign in"));
  await stranger.getByRole("button", { name: "Sign in" }).click();
  await stranger.getByRole("heading", { name: "Getting here" }).waitFor();
  assert.equal(await status(stranger, house.site("society", "/members")), 401, "what was not asked for stays shut");
  await house.stop();
});

test("a person leaves the house and every door closes", async () => {
  const house = await startHouse();
  const [steward, leaving] = await Promise.all([fresh(), fresh()]);
  await signIn(steward, house);
  await visit(leaving, house, "variable-stars", "/notes", "jamal-jansen@cerroalcor.example", "lantern over the hill");
  await leaving.getByText("Signed in as Jamal Jansen").waitFor();
  await steward.goto(`${house.console}/people/jamal-jansen`);
  await steward.getByText("Instrument Log").first().waitFor();
  await steward.locator("form[action$='/leave']").getByRole("button", { name: "See what this does" }).click();
  await steward.getByRole("heading", { name: "What this does" }).waitFor();
  await steward.getByRole("button", { name: "Apply now" }).click();
  await steward.getByText("Every door is closed to them").waitFor();
  await leaving.goto(house.site("variable-stars", "/notes"));
  assert.equal(await leaving.getByText("Signed in as").count(), 0);
  await visit(leaving, house, "variable-stars", "/notes", "jamal-jansen@cerroalcor.example", "lantern over the hill");
  await leaving.waitForLoadState();
  for (const [site, path] of [["variable-stars", "/notes"], ["instrument-log", "/"]]) {
    assert.notEqual(await status(leaving, house.site(site, path)), 200, site);
  }
  await house.stop();
});
