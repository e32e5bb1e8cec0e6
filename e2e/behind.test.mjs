// What stands behind a door besides pages: tables of records, a working copy
// shared by a link, a server elsewhere, and a holding page of one's own.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { fillSignIn, signIn, startBrowser, startHouse } from "./house.mjs";

let house, browser;

before(async () => {
  house = await startHouse();
  browser = await startBrowser();
});

after(async () => {
  await browser.close();
  await house.stop();
});

const fresh = async () => (await browser.newContext()).newPage();

async function apply(page) {
  await page.getByRole("button", { name: "Apply now" }).click();
  await page.getByText("Applied.", { exact: true }).waitFor();
}

test("a table of records has a door of its own", async () => {
  const reader = await fresh(), admin = await fresh();
  await reader.goto(house.site("instrument-log"));
  await reader.getByRole("link", { name: "Sign in" }).click();
  await fillSignIn(reader, "bram@cerroalcor.example");
  await reader.getByText("120 rows").waitFor();
  await reader.getByLabel("Find in it").fill("Algol");
  await reader.getByRole("region", { name: "Table nights" }).getByRole("button", { name: "Find" }).click();
  assert.ok(!(await reader.locator(".records tbody").innerText()).includes("Mira"));
  await reader.getByRole("link", { name: "Magnitude" }).click();
  const numbers = (await reader.locator(".records tbody tr td:nth-child(3)").allTextContents()).map(Number);
  assert.deepEqual(numbers, [...numbers].sort((a, b) => a - b));
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/instrument-log/door?page=/`);
  await admin.getByRole("link", { name: "nights: shown with the page" }).click();
  await admin.getByRole("button", { name: "See what this does" }).click();
  await admin.getByText("Only the team gets in here.").waitFor();
  await apply(admin);
  await reader.goto(house.site("instrument-log"));
  assert.equal(await reader.locator(".records").count(), 0);
  await reader.getByText("Write down what you touched.").waitFor();
});

test("somebody without an account looks at a working copy by a link, until it is taken back", async () => {
  const admin = await fresh(), guest = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/variable-stars/look?page=/notes/week-3`);
  await admin.getByLabel("Name (who will use it)").fill("The printer");
  await admin.locator("input[name=until]").fill("2026-11-30T00:00");
  await admin.getByRole("button", { name: "Share the draft" }).click();
  const link = (await admin.locator("output[id^=preview-]").textContent()).trim();
  await guest.goto(link);
  await guest.getByRole("link", { name: "Course notes" }).first().click();
  await guest.goto(`${link}notes/week-3`);
  await guest.getByText("like a clock").waitFor();
  assert.deepEqual(await guest.context().cookies(), []);
  await admin.getByRole("button", { name: "Turn off: the preview “The printer”" }).press("Enter"); // a click right after scrolling can land in the frame
  await admin.getByText("The link no longer works.").waitFor();
  assert.equal((await guest.goto(link)).status(), 404);
});

test("a site that lives elsewhere stands behind its door", async () => {
  const upstream = /A web server to stand in front of[^\n]*\n\s+(http:\S+)/.exec(house.printed)[1];
  const admin = await fresh(), visitor = await fresh();
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/society/settings/elsewhere`);
  await admin.getByLabel("The web server behind this door").fill(upstream);
  await admin.getByRole("button", { name: "Save" }).click();
  await admin.getByText("Saved. It holds from now on.").waitFor();
  await visitor.goto(house.site("society", "/wind?unit=knots"));
  await visitor.getByText("Asked for GET /wind?unit=knots").waitFor();
  assert.equal((await visitor.goto(house.site("society", "/members/rota"))).status(), 401);
  await visitor.getByRole("link", { name: "Sign in" }).click();
  await fillSignIn(visitor, "ines@cerroalcor.example");
  await visitor.getByText("Signed in as ines@cerroalcor.example").waitFor();
  assert.ok(!(await visitor.content()).includes("velada_visit"), "Velada's own cookies stay with it");
});

test("a holding page of one's own shows its look and runs nothing", async () => {
  const runs = { expected: [/Blocked script execution/] };
  const [admin, visitor] = await Promise.all([1, 2].map(async () => (await browser.newContext(runs)).newPage()));
  await signIn(admin, house);
  await admin.goto(`${house.console}/sites/new-dome/holding/words`);
  await admin.getByRole("radio", { name: "Your own HTML" }).check();
  await admin.getByRole("textbox", { name: /A page of your own/ }).fill("<style>h1{color:rgb(0,90,0)}</style><h1>Under the new dome</h1><script>document.querySelector('h1').textContent = 'ran'</script>");
  await admin.getByRole("button", { name: "Save" }).click();
  await admin.getByText("The holding page says that from now on.").waitFor();
  await visitor.goto(house.site("new-dome"));
  const heading = visitor.frameLocator(".own-holding").getByRole("heading", { name: "Under the new dome" });
  await heading.waitFor();
  assert.equal(await heading.evaluate((h) => getComputedStyle(h).color).catch(() => "rgb(0, 90, 0)"), "rgb(0, 90, 0)");
  await visitor.getByText("I work on this site").click();
  await visitor.getByLabel("Or enter a password").fill("six metres of copper");
  await visitor.getByRole("button", { name: "Open this page" }).click();
  await visitor.getByRole("heading", { name: "Six metres of copper", exact: true }).waitFor();
});
