// How the console feels in the hand: finding, typing, dates, focus, and what is in sight.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { signIn, startBrowser, startHouse } from "./house.mjs";

let house, browser;

before(async () => {
  house = await startHouse();
  browser = await startBrowser();
});

after(async () => {
  await browser.close();
  await house.stop();
});

async function open(path, { as = "ines@cerroalcor.example", width = 1280, height = 800, ...options } = {}) {
  const page = await (await browser.newContext({ viewport: { width, height }, timezoneId: "Europe/Madrid", ...options })).newPage();
  await signIn(page, house, as);
  await page.goto(house.console + path);
  return page;
}
const inSight = async (locator) => {
  const box = await locator.boundingBox();
  return box && box.y >= 0 && box.y + box.height <= locator.page().viewportSize().height;
};

test("a site, page or person is found from anywhere, by arrows and Enter", async () => {
  const page = await open("/sites/variable-stars/door");
  do await page.keyboard.press("/"); // keys count once the view's script has begun
  while (await page.evaluate(() => document.activeElement.id !== "find"));
  await page.keyboard.type("algol");
  await page.locator("#hits [role=option]").first().waitFor();
  await page.keyboard.press("ArrowDown");
  assert.match(await page.locator("#hits [aria-selected=true]").innerText(), /Week 2: Algol/);
  await page.keyboard.press("Enter");
  await page.waitForURL(/variable-stars\/pages|variable-stars\/door\?page/);
  await page.keyboard.press("Escape");
  // inside a site its own pages come before those of the house
  await page.goto(`${house.console}/sites/society/door`);
  await page.locator("#find").fill("privacy");
  await page.locator("#hits [role=option]").nth(1).waitFor();
  assert.match(await page.locator("#hits [role=option]").first().getAttribute("href"), /\/sites\/society\//);
  await page.locator("#find").press("Escape");
  assert.equal(await page.locator("#hits [role=option]").count(), 0);
  assert.equal(await page.locator("#find").inputValue(), "");
});

test("what was typed is there after another tab, another form and a file that is too large", async () => {
  const page = await open("/sites/society/door?pass=start");
  await page.getByLabel("Name (who will use it)").fill("The choir");
  await page.getByRole("link", { name: "Team", exact: true }).click();
  await page.getByRole("heading", { name: "Who works on this site" }).waitFor();
  await page.goto(`${house.console}/sites/society/door?pass=start`);
  assert.equal(await page.getByLabel("Name (who will use it)").inputValue(), "The choir");

  await page.goto(`${house.console}/sites/society/pages?path=/courses`);
  const body = page.getByLabel("What the page says, in Markdown");
  const before = await body.inputValue();
  await body.fill(`${before}\n\nA course on comets.`);
  await page.getByText("Page settings").click();
  await page.locator("form[action$='/place']").getByRole("button", { name: "Save" }).click();
  await page.getByText("Saved in the draft.").first().waitFor();
  assert.match(await body.inputValue(), /A course on comets\./);

  await page.goto(`${house.console}/sites/society/holding/words`);
  await page.getByLabel("Heading").fill("Painting the stairs");
  await page.setInputFiles("input[name=picture]", { name: "large.png", mimeType: "image/png", buffer: Buffer.concat([Buffer.from("\x89PNG\r\n\x1a\n", "latin1"), Buffer.alloc(3 << 20)]) });
  await page.getByRole("button", { name: "Save" }).click();
  await page.getByText(/at most 2 MB/).first().waitFor();
  assert.equal(await page.getByLabel("Heading").inputValue(), "Painting the stairs");
});

test("a new password stays to be copied until it is hidden", async () => {
  const page = await open("/sites/dossier/door?pass=start");
  await page.getByLabel("Name (who will use it)").fill("Jury");
  await page.locator("form[action$='/door/pass']").getByRole("button", { name: "See what this does" }).click();
  const shown = page.locator(".handout output");
  const password = await shown.innerText();
  await page.getByRole("link", { name: "Overview" }).click();
  await page.getByRole("link", { name: "Door", exact: true }).click();
  assert.equal(await shown.innerText(), password);
  await page.getByRole("button", { name: "I have it: hide the password" }).click();
  await shown.waitFor({ state: "detached" });
  await page.reload();
  assert.equal(await shown.count(), 0);
});

test("dates are picked, written one way, and their zone is named where it is another one", async () => {
  const page = await open("/sites/society/door?add=domain");
  await page.getByRole("button", { name: "Pick a date: Until" }).click();
  const month = page.getByRole("dialog", { name: /Pick a date/ });
  await month.getByRole("button", { name: "Next month" }).click();
  await month.getByRole("button", { name: "18 Dec 2026" }).click();
  await month.getByLabel("Time").fill("23:00");
  await month.getByRole("button", { name: "Done" }).click();
  assert.equal(await page.locator("input[name=until]").inputValue(), "18 Dec 2026 23:00");
  await page.locator("textarea[name=list], input[name=list]").first().fill("lens.example");
  await page.locator("form[action$='/door/add']").getByRole("button", { name: "See what this does" }).click();
  await page.locator(".way").getByText("until 18 Dec 2026 23:00").waitFor();
  assert.equal(await page.locator(".zone-note").count(), 0);
  const away = await open("/sites/dossier/door", { timezoneId: "America/Lima" });
  await away.getByText("All times are those of Europe/Madrid").waitFor();
  await page.getByRole("button", { name: "Discard" }).click();
  await page.getByText("The changes are discarded.").waitFor();
});

// The days on which clocks change, months end and years begin: the picker stands at the house's, whatever the device's.
test("dates are picked from the month in which the house is", async () => {
  for (const [at, month, next] of [
    ["2027-01-31T12:00:00+01:00", "Jan 2027", "Feb 2027"],
    ["2028-02-29T12:00:00+01:00", "Feb 2028", "Mar 2028"],
    ["2027-03-28T01:30:00Z", "Mar 2027", "Apr 2027"],
    ["2027-06-30T23:59:00+02:00", "Jun 2027", "Jul 2027"],
    ["2027-10-25T02:30:00+02:00", "Oct 2027", "Nov 2027"],
    ["2026-12-31T23:59:30+01:00", "Dec 2026", "Jan 2027"],
    ["2027-01-01T00:00:00+01:00", "Jan 2027", "Feb 2027"],
  ]) {
    const there = await startHouse("--clock", at);
    const context = await browser.newContext({ timezoneId: "America/Lima" });
    await context.clock.setFixedTime("2030-08-08T08:08:08Z");
    const page = await context.newPage();
    await signIn(page, there);
    await page.goto(`${there.console}/sites/society/door?add=domain`);
    await page.getByRole("button", { name: "Pick a date: Until" }).click();
    const shown = page.getByRole("dialog", { name: /Pick a date/ });
    await shown.getByText(month, { exact: true }).waitFor();
    await shown.getByRole("button", { name: "Next month" }).click();
    await shown.getByRole("button", { name: `28 ${next}` }).click();
    assert.match(await page.locator("input[name=until]").inputValue(), new RegExp(`^28 ${next} `));
    await page.locator("textarea[name=list], input[name=list]").first().fill("lens.example");
    await page.locator("form[action$='/door/add']").getByRole("button", { name: "See what this does" }).click();
    await page.locator(".way").getByText(`until 28 ${next}`).waitFor();
    await context.close();
    await there.stop();
  }
});

test("focus stays where it was, and the tray covers nothing", async () => {
  for (const [width, height] of [[1280, 800], [360, 740]]) {
    const page = await open("/sites/society/door", { width, height });
    await page.getByRole("button", { name: "Members", exact: true }).focus();
    await page.keyboard.press("Enter");
    await page.locator(".tray").waitFor();
    assert.equal(await page.evaluate(() => document.activeElement.textContent.trim()), "Members");
    await page.evaluate(() => scrollTo(0, document.body.scrollHeight));
    await page.waitForFunction(() => {
      const tray = document.querySelector(".tray").getBoundingClientRect();
      return [...document.querySelectorAll("#main main *, #main aside *")].every((el) => el.getBoundingClientRect().bottom <= tray.top + 1);
    });
    await page.getByRole("button", { name: "Discard" }).click();
    await page.getByText("The changes are discarded.").waitFor();
  }
});

test("the main button is in the first screenful, below a band that leaves room", async () => {
  const views = [
    ["/sites/society/door", "Only the team"], ["/sites/new-dome/holding", "See what this does"], ["/sites/new-dome/holding/words", "Save"], ["/groups/antlia/roster", "Preview the import"],
    ["/sites/variable-stars/publish", "Publish edition 8"], ["/sites/august/publish", "Publish edition 1"], ["/sites/society/pages?new=yes", "Make the page"], ["/sites/society/team?invite=new", "Send the invitations"],
    ["/new-site", "Make the site"], ["/people?new=yes", "See what this does"],
  ];
  for (const [width, height, most] of [[1280, 800, 140], [360, 740, 120]]) {
    const page = await open("/sites", { width, height });
    for (const [path, name] of views) {
      await page.goto(house.console + path);
      const button = page.locator("#main").getByRole("button", { name }).first();
      await button.waitFor();
      assert.ok(await inSight(button), `${path} at ${width}: ${name}`);
      const band = await page.evaluate(() => [".band", ".tabs"].reduce((sum, part) => sum + (document.querySelector(part)?.offsetHeight ?? 0), 0));
      assert.ok(band <= most, `${path} at ${width}: the band is ${band} px`);
    }
  }
});

test("a link that signs in is masked in the outbox, and looking at it is told", async () => {
  const asks = await (await browser.newContext()).newPage();
  await asks.goto(`${house.console}/forgot`);
  await asks.getByLabel("Your e-mail address").fill("pilar@cerroalcor.example");
  await asks.getByRole("button", { name: "Send the link" }).click();
  await asks.getByText("Check your mail").waitFor();
  const page = await open("/outbox?find=pilar");
  await page.locator(".mail-list a").first().click();
  await page.getByRole("button", { name: "Show the link" }).waitFor();
  assert.doesNotMatch(await page.content(), /\/by-mail\/[\w-]{20}/);
  await page.getByRole("button", { name: "Show the link" }).click();
  await page.getByText("The link is shown this once.").first().waitFor();
  assert.match(await page.content(), /\/by-mail\/[\w-]{20}/);
  await page.goto(`${house.console}/ledger`);
  await page.getByText(/Inés Ortuño looked at the link in the message/).waitFor();
  const pilar = await open("/notices", { as: "pilar@cerroalcor.example" });
  await pilar.getByText(/looked at the link/).first().waitFor();
});

test("after a link was followed in place, the page is what a reload gives", async () => {
  const page = await open("/sites/variable-stars");
  const seen = () => page.evaluate(() => [document.title, document.querySelector("#main").textContent.replaceAll(/\s+/g, " "), document.querySelector(".tabs").textContent].join("|"));
  for (const name of ["Door", "Sightlines", "Team", "Members", "Ledger", "Settings", "Overview"]) {
    await page.getByRole("link", { name, exact: true }).first().click();
    await page.locator(".tabs [aria-current]", { hasText: name }).waitFor();
    const swapped = await seen();
    await page.reload();
    assert.equal(await seen(), swapped, name);
  }
});

test("a small bar writes Markdown, and a picture lands where the cursor is", async () => {
  const page = await open("/sites/society/pages?path=/library");
  const body = page.getByLabel("What the page says, in Markdown");
  await body.fill("One two three");
  await body.evaluate((area) => area.setSelectionRange(4, 7));
  await page.getByRole("button", { name: "Bold" }).click();
  assert.equal(await body.inputValue(), "One **two** three");
  await page.getByRole("button", { name: "List" }).click();
  assert.equal(await body.inputValue(), "- One **two** three");
  await page.getByRole("button", { name: "List" }).click();
  await page.locator("summary.tool", { hasText: "Insert" }).click();
  await page.getByRole("button", { name: /^Table/ }).click();
  assert.match(await body.inputValue(), /^One \*\*two\*\* three\n\n\| What \| When \|\n\| --- \| --- \|/);
  await body.fill("One **two** three");
  await body.evaluate((area) => area.setSelectionRange(3, 3));
  await page.setInputFiles("[data-add-file]", { name: "star.svg", mimeType: "image/svg+xml", buffer: Buffer.from("<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>") });
  await page.waitForFunction(() => /^One!\[\]\(.*\) \*\*two\*\* three$/.test(document.querySelector("textarea[name=body]").value));
  await page.locator("#saved").filter({ hasText: /^Saved/ }).waitFor();
});

test("previews have the true widths of a phone, a tablet and a wide screen", async () => {
  const page = await open("/sites/society/look?page=/");
  for (const [name, width] of [["Phone", 360], ["Tablet", 768], ["Wide", 1280]]) {
    await page.locator(".see-bar").getByRole("link", { name, exact: true }).click();
    await page.locator(".see-bar [aria-current], .see-bar .on", { hasText: name }).waitFor();
    const frame = await (await page.locator(".frame iframe").elementHandle()).contentFrame();
    await frame.waitForSelector("body");
    await page.waitForFunction((want) => document.querySelector(".frame iframe").offsetWidth === want, width);
  }
});

test("without a sign-in corner, a member still comes to their page", async () => {
  const page = await open("/sites/society/members/settings");
  await page.getByLabel("Sign-in corner").selectOption({ label: "strangers see none" });
  await page.locator("form[action$='/members/like']").getByRole("button", { name: "Save" }).click();
  await page.getByText("Saved. It holds from now on.").waitFor();
  const member = await (await browser.newContext()).newPage();
  await member.goto(house.site("society", "/members"));
  await member.getByRole("link", { name: "Sign in" }).first().click();
  await member.getByLabel("Your e-mail address").fill("edda-galindo@post.example");
  await member.getByLabel("Your password").fill("lantern over the hill");
  await member.getByRole("button", { name: "Sign in" }).click();
  await member.getByRole("link", { name: "Your page" }).click();
  await member.getByRole("heading", { name: "Your page" }).waitFor();
});

test("unpublishing and letting search engines in are seen before they are done", async () => {
  const page = await open("/sites/society/settings");
  await page.getByRole("button", { name: "See what keeping them away does" }).click();
  await page.getByText(/Search engines are kept away from 8 more pages/).waitFor();
  await page.getByRole("link", { name: "Cancel" }).click();
  await page.goto(`${house.console}/sites/society/editions`);
  await page.getByRole("link", { name: "See what unpublishing does" }).click();
  await page.getByText("This breaks a promise").waitFor();
  assert.equal((await house.ask("society", "/")).status, 200);
  await page.getByRole("checkbox", { name: "Yes, I am sure: it breaks 1 promise" }).check();
  await page.getByRole("button", { name: "Unpublish", exact: true }).click();
  await page.getByText("The site is unpublished.").first().waitFor();
  assert.notEqual((await house.ask("society", "/")).status, 200);
  await page.getByRole("link", { name: "See what publishing edition 31 again does" }).click();
  await page.getByRole("button", { name: "Publish it again" }).click();
  await page.getByText("The site is published again.").waitFor();
  assert.equal((await house.ask("society", "/")).status, 200);
});
