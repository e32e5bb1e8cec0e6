// The first hour: somebody who has never seen Velada publishes a class site from an empty
// house, with the right people and nobody else; once by mouse, once by keyboard alone.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { startBrowser, startEmpty } from "./house.mjs";

let browser;

before(async () => { browser = await startBrowser(); });
after(async () => { await browser.close(); });

const password = "velvet harbor nine tulips";
const byMouse = {
  press: (page, target) => target.click(),
  choose: (page, target) => target.click({ force: true }), // its card is pressed
  write: (page, target, text) => target.fill(text),
};

// reach goes to something by the Tab key, as whoever uses no mouse does.
async function reach(page, target) {
  await target.waitFor();
  for (let presses = 0; presses < 150; presses++) {
    if (await target.evaluate((el) => document.activeElement === el)) return;
    await page.keyboard.press("Tab");
  }
  assert.fail(`${target} is not reached by the Tab key`);
}

const byKeyboard = {
  press: async (page, target) => {
    await reach(page, target);
    await page.keyboard.press("Enter");
  },
  // the arrow keys walk through radio buttons
  choose: async (page, target) => {
    await reach(page, page.getByRole("radio", { checked: true }).or(page.getByRole("radio").first()).first());
    for (let presses = 0; presses < 10 && !await target.isChecked(); presses++) await page.keyboard.press("ArrowDown");
    assert.ok(await target.isChecked());
  },
  write: async (page, target, text) => {
    await reach(page, target);
    await page.keyboard.press("Control+A");
    await page.keyboard.insertText(text);
  },
};

async function story({ press, choose, write }) {
  const house = await startEmpty();
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  const button = (name) => page.getByRole("button", { name, exact: true });
  const link = (name) => page.getByRole("link", { name, exact: true });

  await page.goto(house.console);
  await write(page, page.getByLabel("Set-up code"), house.code);
  await write(page, page.getByLabel("Name of the house"), "Escuela del Valle");
  await write(page, page.getByLabel("Your name"), "Elvira Sanz");
  await write(page, page.getByLabel("Your e-mail address"), "elvira@valle.example");
  await write(page, page.getByLabel("Password"), password);
  await press(page, button("Make the house"));

  // an empty house asks whom the site is for
  await page.getByRole("heading", { name: "Who is your site for?" }).waitFor();
  await choose(page, page.getByRole("radio", { name: /^A class or course/ }));
  await write(page, page.getByLabel("Name", { exact: true }), "Night sky class");
  await press(page, button("Make the site"));
  await page.getByRole("heading", { name: "Next steps" }).waitFor();
  const stranger = await (await browser.newContext()).newPage();
  assert.equal((await stranger.goto(house.site("night-sky-class"))).status(), 404, "nothing is seen before it is published");

  await press(page, link("Write the first page"));
  await write(page, page.getByLabel("What the page says, in Markdown"), "# Night sky\n\nWe meet on Thursdays at nine.");
  await page.locator("#saved").filter({ hasText: /^Saved/ }).waitFor();
  await press(page, link("Overview"));

  await press(page, link("Bring in your class list"));
  await write(page, page.getByLabel("or paste it here"), "name;address\nNoor Haddad;noor@valle.example\nEmil Sol;emil@valle.example");
  await press(page, button("Preview the import"));
  await page.getByRole("heading", { name: "What it would change" }).waitFor();
  await press(page, button("Import"));
  await page.getByText("Noor Haddad", { exact: true }).first().waitFor();
  await press(page, button("Make a sheet"));
  const code = await page.locator(".slip-sheet li").filter({ hasText: "Noor Haddad" }).locator("code").innerText();

  await press(page, link("Sites"));
  await press(page, link("Night sky class"));
  await press(page, link("Publish"));
  await page.getByText("gets 1 of 4 pages").waitFor();
  await press(page, button("Publish edition 1"));
  await page.getByRole("heading", { name: "Night sky class is live" }).waitFor();
  await page.getByRole("img", { name: /QR/ }).waitFor();
  await button("Copy the address").waitFor();
  await press(page, link("Walk in as a stranger"));
  await page.locator(".walk").getByText("A page that asks them to sign in").waitFor();

  assert.equal((await stranger.goto(house.site("night-sky-class"))).status(), 401, "strangers stay outside");
  assert.equal((await stranger.goto(house.site("night-sky-class", "/notes"))).status(), 401);
  assert.equal((await stranger.goto(house.site("night-sky-class", "/how-to-join"))).status(), 200);
  const learner = await (await browser.newContext()).newPage();
  await learner.goto(house.site("night-sky-class"));
  await learner.getByRole("link", { name: "Sign in" }).first().click();
  await learner.getByLabel("Your e-mail address").fill("noor@valle.example");
  await learner.getByLabel("Your password").fill(code);
  await learner.getByRole("button", { name: "Sign in" }).click();
  await learner.getByLabel("Your new password").fill("walnut ferry indigo moss");
  await learner.getByRole("button", { name: "Save and continue" }).click();
  await learner.getByText("We meet on Thursdays at nine.").waitFor();
  await house.stop();
}

test("a class site from an empty house, by mouse", () => story(byMouse));
test("a class site from an empty house, by keyboard alone", () => story(byKeyboard));
