// The door from end to end: an administrator changes who may view a site, and
// a second browser that has never signed in meets the change at once.
import assert from "node:assert/strict";
import { after, before, describe, test } from "node:test";
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
const heading = (page) => page.getByRole("heading", { level: 1 }).textContent();

// apply applies the rehearsal in the tray and waits until it says so.
async function apply(page) {
  await page.getByRole("button", { name: "Apply now" }).click();
  await page.getByText("Applied.", { exact: true }).waitFor();
}

describe("a password for a public site", () => {
  let admin, visitor, password;

  test("a visitor reads the site while it is public", async () => {
    visitor = await fresh();
    const answer = await visitor.goto(house.site("society"));
    assert.equal(answer.status(), 200);
    assert.equal(await heading(visitor), "Clear nights, warm drinks");
  });

  test("the administrator rehearses a password and sees what it would do", async () => {
    admin = await fresh();
    await signIn(admin, house);
    await admin.getByRole("link", { name: "Cerro Alcor Society" }).click();
    await admin.getByRole("link", { name: "Door", exact: true }).click();
    await admin.getByRole("link", { name: "A password", exact: true }).click();
    await admin.getByLabel("Name (who will use it)").fill("Friends of the hill");
    await admin.locator("form[action$='/door/pass']").getByRole("button", { name: "See what this does" }).click();
    password = (await admin.locator("#new-password").textContent()).trim();
    assert.match(password, /^[a-z]+( [a-z]+){3}$/);
    assert.match(await admin.locator(".tray").innerText(), /−7\s+pages are no longer open to strangers/);
    assert.equal((await visitor.reload()).status(), 200, "nothing changes before it is applied");
  });

  test("once applied, the visitor already inside meets the door", async () => {
    await apply(admin);
    const answer = await visitor.reload();
    assert.equal(answer.status(), 401);
    assert.equal(answer.headers()["www-authenticate"], "Velada");
    assert.equal(answer.headers()["x-robots-tag"], "noindex");
    assert.equal(answer.headers()["cache-control"], "private, no-store");
    assert.equal((await heading(visitor)).trim(), "Cerro Alcor Society, for people who have the password");
  });

  test("a wrong password is told so, the right one opens the page asked for", async () => {
    await visitor.goto(house.site("society", "/visit"));
    await visitor.getByLabel("Password").fill("let me in");
    await visitor.getByRole("button", { name: "Open this page" }).click();
    await visitor.getByRole("alert").getByText("does not open this page").waitFor();
    await visitor.getByLabel("Password").fill(password);
    await visitor.getByRole("button", { name: "Open this page" }).click();
    await visitor.waitForURL(house.site("society", "/visit"));
    assert.equal(await heading(visitor), "Getting here");
  });

  test("revoking the pass locks its holder out at the next request", async () => {
    await admin.goto(`${house.console}/sites/society/passes`);
    await admin.getByRole("button", { name: "Turn off: the password “Friends of the hill”" }).click();
    assert.equal((await visitor.reload()).status(), 200);
    await apply(admin);
    assert.equal((await visitor.reload()).status(), 403);
    await admin.getByRole("button", { name: "Turn on: the password “Friends of the hill”" }).click();
    await apply(admin);
    assert.equal((await visitor.reload()).status(), 401, "whoever was locked out enters the password anew");
  });

  test("the ledger tells who did it", async () => {
    await admin.getByRole("link", { name: "Ledger" }).click();
    const first = await admin.locator("tbody tr", { hasText: "“Friends of the hill”" }).last().innerText();
    assert.match(first, /Inés Ortuño/);
  });
});

test("somebody at the domain signs in and comes back to the page they wanted", async () => {
  const visitor = await fresh();
  assert.equal((await visitor.goto(house.site("variable-stars", "/notes/week-1"))).status(), 401);
  await visitor.getByRole("link", { name: "Sign in" }).click();
  await fillSignIn(visitor, "pilar@cerroalcor.example");
  await visitor.waitForURL(house.site("variable-stars", "/notes/week-1"));
  assert.equal(await heading(visitor), "Week 1: Mira");
  const cookies = await visitor.context().cookies();
  for (const c of cookies) {
    assert.ok(c.httpOnly, `${c.name} is for the server alone`);
    assert.ok(["velada.localhost", "variable-stars.localhost"].includes(c.domain), `${c.name} stays on its host, not ${c.domain}`);
  }
  assert.deepEqual(cookies.filter((c) => c.domain === "variable-stars.localhost").map((c) => c.name), ["velada_visit"]);
  await visitor.getByRole("button", { name: "Sign out" }).click();
  assert.equal((await visitor.goto(house.site("variable-stars", "/notes/week-1"))).status(), 401);
});

test("an address from elsewhere is turned away, and one on the guest list is let in", async () => {
  const outside = await fresh();
  await outside.goto(house.site("variable-stars", "/notes"));
  await outside.getByRole("link", { name: "Sign in" }).click();
  await fillSignIn(outside, "edda-galindo@post.example");
  await outside.getByRole("heading", { name: "This page is not for you" }).waitFor();
  const visitor = await fresh();
  await visitor.goto(house.site("variable-stars", "/notes"));
  await visitor.getByRole("link", { name: "Sign in" }).click();
  await fillSignIn(visitor, "tobias@lens.example");
  await visitor.waitForURL(house.site("variable-stars", "/notes"));
  assert.equal(await heading(visitor), "Course notes");
});

test("a stranger gets the same answer from a hidden page as from none", async () => {
  const [hidden, none] = await Promise.all(["/marking", "/no-page"].map(async (path) => { // as long as each other
    const answer = await house.ask("variable-stars", path);
    return { ...answer, body: answer.body.replaceAll(encodeURIComponent(path), "PATH").replaceAll(path, "PATH") };
  }));
  assert.equal(hidden.status, 401);
  assert.deepEqual(hidden, none);
});

test("a site that was never published answers as an address nobody has", async () => {
  const [draft, none] = await Promise.all([house.ask("august", "/"), house.ask("nobody-has-this", "/")]);
  assert.equal(draft.status, 404);
  assert.deepEqual(draft, none);
});

test("whoever has nothing to do with a site is not shown that it is there", async () => {
  const page = await fresh();
  await signIn(page, house, "tobias@lens.example");
  await page.getByText("Sites that you can read").waitFor();
  assert.equal((await page.goto(`${house.console}/sites/dossier/door`)).status(), 404);
  assert.equal((await page.goto(`${house.console}/ledger`)).status(), 404);
});

test("walking in as somebody shows what they meet, and signs nobody out", async () => {
  const page = await fresh();
  await signIn(page, house);
  await page.goto(`${house.console}/sites/variable-stars/door?page=/crew/antlia`);
  await page.getByLabel(/A person, group, address/).fill("pilar");
  await page.getByRole("link", { name: "Pilar Quintero" }).click();
  await page.getByText("This page is not for them").waitFor();
  assert.match(await page.locator(".why").innerText(), /Pilar Quintero is signed in, and not on the team/);
  await page.getByRole("link", { name: "Password “Show night panel”" }).click();
  await page.getByText("begins on 12 December").or(page.getByText(/begins on \d+ \w+ \d+/)).first().waitFor();
  await page.goto(`${house.console}/sites`);
  await page.getByText("Inés Ortuño").waitFor();
});
