// What an organisation sets for all its sites, and what a careful person looks after.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { signIn, startBrowser, startHouse } from "./house.mjs";

let house, browser;
before(async () => {
  house = await startHouse();
  browser = await startBrowser();
});
after(async () => {
  await browser?.close();
  await house?.stop();
});

async function at(address) {
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 }, timezoneId: "Europe/Madrid" })).newPage();
  await signIn(page, house, address);
  return page;
}

test("a rule is seen first, shuts a site, and leaves it out where its owner asks", async () => {
  const ines = await at();
  await ines.goto(`${house.console}/house-rules`);
  await ines.getByRole("link", { name: /Everyone signs in/ }).click();
  await ines.getByLabel(/only on these/).check();
  await ines.getByLabel("Cerro Alcor Society").check();
  await ines.locator("input[name=reason]").fill("Until the roster is new.");
  await ines.getByRole("button", { name: "See what this does" }).click();
  await ines.getByText(/8 pages say that anyone may view it/).waitFor();
  assert.equal((await house.ask("society", "/")).status, 200);
  await ines.getByRole("checkbox", { name: /Yes, I am sure/ }).check();
  await ines.getByRole("button", { name: "Apply now" }).click();
  await ines.getByText("Applied.", { exact: true }).waitFor();
  assert.equal((await house.ask("society", "/")).status, 401);

  const pilar = await at("pilar@cerroalcor.example");
  await pilar.goto(`${house.console}/sites/society/door`);
  await pilar.getByText(/House rule “Everyone signs in”, set by Inés Ortuño/).waitFor();
  await pilar.getByRole("link", { name: "Ask for an exception" }).first().click();
  await pilar.getByLabel("Why this site needs it").fill("The open nights are for everybody.");
  await pilar.getByRole("button", { name: "Ask the stewards" }).click();
  await pilar.getByText("The stewards are asked.").waitFor();

  await ines.goto(`${house.console}/house-rules`);
  const asked = ines.locator(".asking", { hasText: "The open nights are for everybody." });
  await asked.getByText(/8 pages open to strangers/).waitFor();
  await asked.getByRole("button", { name: "See what granting it does" }).click();
  await ines.getByRole("button", { name: "Apply now" }).click();
  await ines.getByText("The exception is made.").waitFor();
  assert.equal((await house.ask("society", "/")).status, 200);
});

test("a finding is mended by a rehearsal, and another is left as it is", async () => {
  const ines = await at();
  await ines.goto(`${house.console}/rounds`);
  await ines.getByRole("button", { name: "Let the group Council in" }).click();
  await ines.getByRole("heading", { name: /Changes not applied yet/ }).waitFor();
  await ines.getByRole("button", { name: "Apply now" }).click();
  await ines.getByText("Applied.", { exact: true }).waitFor();
  await ines.goto(`${house.console}/rounds`);
  assert.equal(await ines.getByText("A promise is broken").count(), 0);
  await ines.getByRole("link", { name: "There is one steward only" }).click();
  await ines.getByText("Leave as it is…").click();
  await ines.getByLabel("Why").fill("Pilar joins in January.");
  await ines.getByRole("button", { name: "Leave as it is", exact: true }).click();
  await ines.getByText("Left as it is, until it changes.").waitFor();
  await ines.getByText(/Pilar joins in January/).waitFor();
  assert.equal(await ines.getByRole("link", { name: "There is one steward only" }).count(), 0);
});
