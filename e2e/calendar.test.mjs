// The calendar: an end is dragged, and moved by keys alone; what that does is shown first, and
// applied. What it shows can be read as a list too.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { signIn, startBrowser, startHouse } from "./house.mjs";

let house, browser, page;
before(async () => {
  house = await startHouse();
  browser = await startBrowser();
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 }, timezoneId: "Europe/Madrid" })).newPage();
  await signIn(page, house);
});
after(async () => {
  await browser?.close();
  await house?.stop();
});

const end = (name) => page.getByRole("slider", { name: new RegExp(`^End of ${name}`) });

test("an end is dragged to another day", async () => {
  await page.goto(`${house.console}/sites/variable-stars/calendar`);
  const box = await end("Guest list").boundingBox();
  const day = (await page.locator(".cal-lanes").boundingBox()).width / 42;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 + 3 * day, box.y + 4, { steps: 6 });
  await page.getByText(/ends Mon,? 21 Dec 2026/).waitFor();
  await page.mouse.up();
  await page.getByRole("heading", { name: /Changes not applied yet/ }).waitFor();
  await page.goto(`${house.console}/sites/variable-stars/rehearsal`);
  await page.getByText(/until 21 Dec 2026 23:00/).first().waitFor();
});

test("an end is moved by arrow keys, and applied", async () => {
  await page.goto(`${house.console}/sites/new-dome/calendar?span=term`);
  await end("Password “Builders”").focus();
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("Enter");
  await page.getByRole("heading", { name: /Changes not applied yet/ }).waitFor();
  assert.match(await end("Password “Builders”").getAttribute("aria-label"), /4 Mar 2027 19:00/);
  await page.keyboard.press("Control+Enter");
  await page.getByText("Applied.", { exact: true }).waitFor();
  await page.goto(`${house.console}/sites/new-dome/passes`);
  await page.getByText("until 4 Mar 2027 19:00").waitFor();
});

test("Escape puts an end back, and a click leads to the thing", async () => {
  await page.goto(`${house.console}/calendar`);
  const grip = end("Password “Fundación Ribera”");
  const at = await grip.evaluate((g) => g.parentElement.getAttribute("x"));
  await grip.focus();
  await page.keyboard.press("ArrowRight");
  assert.notEqual(await grip.evaluate((g) => g.parentElement.getAttribute("x")), at);
  await page.keyboard.press("Escape");
  assert.equal(parseFloat(await grip.evaluate((g) => g.parentElement.getAttribute("x"))), parseFloat(at));
  await page.getByRole("link", { name: "As a list" }).click();
  await page.getByRole("link", { name: "Password “Fundación Ribera”" }).click();
  await page.waitForURL(/\/sites\/dossier\/passes\?pass=ribera/);
});
