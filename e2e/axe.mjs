// Goes through every view with axe, as it looks one way; a test file each does that, so
// that they run beside each other.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { after, before, test } from "node:test";
import { signIn, startBrowser, startHouse } from "./house.mjs";

const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");
let house, browser;

before(async () => {
  house = await startHouse();
  browser = await startBrowser();
});

after(async () => {
  await browser.close();
  await house.stop();
});

const consoleViews = ["/sites", "/sites/dossier?promise=new", "/sites/variable-stars/sightlines?fold=group", "/ledger", "/sites/society/door", "/sites/variable-stars/door?page=/crew/antlia", "/sites/society/door?pass=start", "/sites/society/door?add=people", "/sites/society/door?add=groups", "/sites/society/ledger", "/sites/society/walk?page=/members", "/sites/dossier/passes", "/sites/dossier/passes?link=new", "/sites/new-dome/holding", "/sites/new-dome/holding/past", "/sites/new-dome/holding/words", "/sites/society/rehearsal", "/sites/variable-stars/pages?path=/notes/week-2", "/sites/variable-stars/pages?new=yes", "/sites/variable-stars/publish", "/sites/variable-stars/editions", "/sites/variable-stars/look", "/sites/society/settings", "/sites/society/settings/result?page=/visit", "/sites/society/settings/address", "/sites/society/settings/look", "/sites/society/settings/pages", "/sites/society/settings/missing", "/sites/society/settings/code", "/sites/society/settings/elsewhere", "/sites/society/hand-out", "/sites/variable-stars/hand-out?as=cards", "/sites/society/members", "/sites/society/members/list", "/sites/society/members/letters", "/sites/society/members/comments", "/sites/society/members/settings", "/new-site", "/sites/instrument-log/door?page=table:/%23nights", "/sites/variable-stars/team?entry=new", "/sites/society/team/roles?role=new", "/sites/society/team/sections", "/sites/society/team/hand-over", "/sites/society", "/sites/society/archives", "/sites/society/unpublish", "/sites/august/publish", "/sites/society/published", "/find?q=a", "/help", "/settings", "/settings/sign-in", "/settings/mail", "/sites/dossier/sightlines?promise=council-dossier", "/sites/society/team?invite=new", "/account?second=new", "/people?new=yes", "/people/katya-cifuentes", "/groups/variable-stars?change=yes", "/groups/antlia/roster", "/new-group", "/sites/variable-stars/team/sections?sections=new", "/sites/variable-stars/members", "/join", "/notices", "/outbox", "/house-rules", "/house-rules/new?rule=sign-in-required", "/house-rules/rule/records", "/sites/new-dome/exception?rule=records", "/settings/stewards", "/rounds", "/traffic", "/sites/variable-stars/traffic", "/sites/variable-stars/traffic?span=1", "/sites/variable-stars/traffic/replay", "/sites/variable-stars/traffic/logs", "/calendar", "/calendar?span=term", "/calendar?as=list", "/calendar/exchange", "/sites/variable-stars/calendar", "/nowhere"];
const visitorViews = [["society", "/"], ["society", "/nowhere"], ["variable-stars", "/"], ["dossier", "/"], ["new-dome", "/"], ["august", "/"], ["society", "/members"], ["society", "/velada/join"], ["society", "/velada/search?q=dark"], ["society", "/open-nights"], ["society", "/visit"], ["variable-stars", "/how-to-join"]];

const everything = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"];

async function check(page, name, asked) {
  await page.evaluate(axe);
  const { violations } = await page.evaluate((runOnly) => globalThis.axe.run(document, { runOnly, resultTypes: ["violations"], selectors: false, elementRef: false }), asked);
  const serious = violations.filter((v) => ["serious", "critical"].includes(v.impact));
  assert.deepEqual(serious.map((v) => `${v.id}: ${v.nodes[0].html}`), [], name);
  const wide = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
  assert.ok(wide <= 0, `${name} is ${wide} px wider than the window`);
  const tab = await page.evaluate(() => document.querySelector(".tabs [aria-current]")?.getBoundingClientRect().toJSON());
  assert.ok(!tab || tab.left >= 0 && tab.right <= page.viewportSize().width, `${name}: the tab that one is on is out of sight`);
}

// nothingSerious looks at every view in a browser of some kind; asked are the rules of
// axe that may turn out otherwise there.
export function nothingSerious(name, options, asked = everything) {
  test(`nothing serious ${name}`, async () => {
    const context = await browser.newContext({ ...options, bypassCSP: true });
    const page = await context.newPage();
    await page.goto(`${house.console}/sign-in`);
    await check(page, "/sign-in", asked);
    await page.goto(`${house.console}/forgot`);
    await check(page, "/forgot", asked);
    for (const [site, path] of visitorViews) {
      await page.goto(house.site(site, path));
      await check(page, site + path, asked);
    }
    await signIn(page, house);
    for (const view of consoleViews) {
      await page.goto(house.console + view);
      await check(page, view, asked);
    }
    await page.goto(`${house.console}/groups/antlia/roster`);
    await page.getByLabel("or paste it here").fill("name,address\nNoor Haddad,noor@aula.cerroalcor.example\nBroken,broken");
    await page.getByRole("button", { name: "Preview the import" }).click();
    await page.getByText("What it would change").waitFor();
    await check(page, "a roster", asked);
    await page.goto(`${house.console}/groups/junior`);
    await page.getByRole("button", { name: /^A new slip for/ }).first().click();
    await page.locator(".slip-sheet").waitFor();
    await check(page, "slips", asked);
    await page.goto(`${house.console}/sign-in?site=society&path=/members`);
    await page.getByRole("button", { name: /^Go on to / }).waitFor();
    await check(page, "going on to a site", asked);
    await page.getByRole("button", { name: /^Go on to / }).click();
    await page.getByText("Comments").waitFor();
    await check(page, "comments", asked);
    await page.goto(`${house.console}/sites/society/door`);
    await page.getByRole("button", { name: "Only the team" }).click();
    await page.locator(".tray").waitFor();
    await check(page, "a rehearsal", asked);
    await page.goto(`${house.console}/sites/society/rehearsal`);
    await check(page, "a rehearsal in detail", asked);
    await page.getByRole("button", { name: "Discard" }).click();
    await page.getByText("The changes are discarded").waitFor();
    await context.close();
  });
}
