// People who edit: invited, accepted, ended, handed over; and the ways to sign
// in. Mail is read in the outbox, as a steward reads it.
import assert from "node:assert/strict";
import { createHmac } from "node:crypto";
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

const status = async (page, address) => (await page.goto(address)).status();
const fresh = async () => (await browser.newContext()).newPage();
const data = (name) => ["--data", join(folder, name)];

// letter opens the latest letter to an address in the outbox and gives where its
// button leads.
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

async function invite(admin, house, site, { to, role = "viewer", ...more }) {
  await admin.goto(`${house.console}/sites/${site}/team?invite=new`);
  await admin.getByLabel("E-mail addresses").fill(to);
  await admin.locator("select[name=role]").selectOption(role);
  if (more.until) await admin.locator("input[name=until]").fill(more.until);
  if (more.reason) await admin.getByLabel("Why they are here").selectOption(more.reason);
  if (more.word) await admin.getByLabel("A message of your own").fill(more.word);
  await admin.getByRole("button", { name: "Send the invitations" }).click();
  await admin.getByText(/^1 invitation lies in the Outbox/).waitFor();
}

async function acceptAsNew(page, link, name) {
  await page.goto(link);
  await page.getByLabel("Your name").fill(name);
  await page.getByLabel("Password").fill("walnut ferry indigo moss");
  await page.getByRole("button", { name: "Make the account" }).click();
  await page.getByRole("button", { name: "Accept" }).click();
  await page.getByText("You are on the team.").waitFor();
}

test("invited, accepted in another browser, edits, is refused to publish", async () => {
  const house = await startHouse();
  const [admin, steward, guest] = await Promise.all([fresh(), fresh(), fresh()]);
  await signIn(admin, house, "pilar@cerroalcor.example");
  await signIn(steward, house);
  await admin.goto(`${house.console}/sites/society/team?invite=new`);
  assert.equal(await admin.locator("select[name=role]").inputValue(), "viewer", "the least power comes first");
  await invite(admin, house, "society", {
    to: "Nadia Sorel <nadia@press.example>",
    role: "editor",
    reason: "volunteer",
    word: "For the August pages",
  });
  await admin.getByText("Waiting since just now").waitFor();
  const link = await letter(steward, house, "nadia@press.example", "See the invitation");
  await steward.locator(".paper").getByText("For the August pages").waitFor();
  const [file] = await Promise.all([
    steward.waitForEvent("download"),
    steward.getByRole("link", { name: "Download (.eml)" }).click(),
  ]);
  assert.match(file.suggestedFilename(), /\.eml$/);

  await acceptAsNew(guest, link, "Nadia Sorel");
  await guest.goto(`${house.console}/sites/society/pages?path=/visit`);
  await guest.getByLabel("What the page says, in Markdown").fill("# Getting here\n\nThe bus stops at the gate.");
  await guest
    .locator("#saved")
    .getByText(/^Saved/)
    .waitFor();
  await guest.goto(`${house.console}/sites/society/publish`);
  await guest.getByText("You can write here, not publish").waitFor();
  assert.equal(await guest.getByRole("button", { name: /^Publish/ }).count(), 0);
  assert.equal(
    await guest.evaluate(async () => (await fetch("/sites/society/publish", { method: "POST" })).status),
    403,
  );
  assert.equal(await status(guest, link), 410, "an invitation works once");
  // from outside she finds nobody of the house but who has to do with the site
  await guest.goto(`${house.console}/sites/society/people?q=katya`);
  assert.doesNotMatch(await guest.content(), /Cifuentes/);
  await admin.goto(`${house.console}/notices`);
  await admin
    .getByText("Nadia Sorel accepted to be editor of Cerro Alcor Society.")
    .or(admin.getByText(/accepted to be editor/))
    .first()
    .waitFor();

  // taken off the team while editing: it ends at once
  await guest.goto(`${house.console}/sites/society/pages?path=/visit`);
  await guest.getByLabel("What the page says, in Markdown").waitFor();
  await admin.goto(`${house.console}/sites/society`);
  await admin.getByText("Here now: Nadia Sorel on “Getting here”").waitFor();
  await admin.goto(`${house.console}/sites/society/team`);
  await admin.getByRole("button", { name: "Remove from the team: Nadia Sorel" }).click();
  await admin.getByRole("button", { name: "Apply now" }).click();
  await guest.getByText("You are not on the team any more").waitFor();
  assert.equal(await status(guest, `${house.console}/sites/society/pages`), 404);
  await house.stop();
});

test("an invitation is bound to its address", async () => {
  const house = await startHouse();
  const [admin, steward, other] = await Promise.all([fresh(), fresh(), fresh()]);
  await signIn(admin, house, "pilar@cerroalcor.example");
  await signIn(steward, house);
  await invite(admin, house, "society", { to: "bram@cerroalcor.example", role: "viewer" });
  const link = await letter(steward, house, "bram@cerroalcor.example", "See the invitation");
  await signIn(other, house, "tobias@lens.example");
  await other
    .getByRole("heading", { name: /^Sites/ })
    .first()
    .waitFor();
  await other.goto(link);
  await other.getByText("You are signed in under another address").waitFor();
  assert.equal(await other.getByRole("button", { name: "Accept" }).count(), 0);
  await other.getByRole("button", { name: "Continue as bram@cerroalcor.example" }).click();
  await other.getByRole("link", { name: "Sign in to accept" }).click();
  await other.getByLabel("Your password").fill("lantern over the hill");
  await other.getByRole("button", { name: "Sign in" }).click();
  await other.getByRole("button", { name: "Accept" }).click();
  await other.getByText("You are on the team.").waitFor();
  await invite(admin, house, "society", { to: "zoe@press.example" });
  await admin.getByRole("button", { name: "Withdraw: zoe@press.example" }).click();
  await admin.getByText("The invitation is withdrawn").waitFor();
  assert.equal(await status(other, await letter(steward, house, "zoe@press.example", "See the invitation")), 410);
  await house.stop();
});

test("a freelancer ends at midnight by the clock", async () => {
  let house = await startHouse(...data("freelancer"));
  const [admin, steward] = await Promise.all([fresh(), fresh()]);
  await signIn(admin, house, "pilar@cerroalcor.example");
  await signIn(steward, house);
  await invite(admin, house, "society", {
    to: "rui@studio.example",
    role: "editor",
    reason: "freelancer",
    until: "2026-11-30T00:00",
  });
  const path = new URL(await letter(steward, house, "rui@studio.example", "See the invitation")).pathname;
  const freelancer = await fresh();
  await acceptAsNew(freelancer, house.console + path, "Rui Esteves");
  const tries = async (clock) => {
    await house.stop();
    house = await startHouse("--clock", clock, ...data("freelancer"));
    const page = await fresh();
    await page.goto(`${house.console}/sign-in?then=/sites/society/pages?new=yes`);
    await page.getByLabel("Your e-mail address").fill("rui@studio.example");
    await page.getByLabel("Your password").fill("walnut ferry indigo moss");
    await page.getByRole("button", { name: "Sign in" }).click();
    await page.waitForLoadState();
    return status(page, `${house.console}/sites/society/pages?new=yes`);
  };
  assert.equal(await tries("2026-11-29T23:59:00+01:00"), 200);
  assert.equal(await tries("2026-11-30T00:00:00+01:00"), 404);
  await house.stop();
});

test("an owner hands over and leaves", async () => {
  const house = await startHouse();
  const [owner, receiver] = await Promise.all([fresh(), fresh()]);
  await signIn(owner, house);
  await owner.goto(`${house.console}/sites/society/team/hand-over`);
  await owner.getByRole("button", { name: "Leave the team" }).click();
  await owner.getByText("The site would have no owner.").waitFor();
  await owner.getByLabel("To whom").fill("Pilar Quintero");
  await owner.getByLabel("And you").selectOption("leave");
  await owner.getByRole("button", { name: "Ask them" }).click();
  await owner.getByText("asked to take the site over").waitFor();
  await signIn(receiver, house, "pilar@cerroalcor.example");
  await receiver.goto(`${house.console}/account`);
  await receiver.getByText("wants to hand a site over to you").waitFor();
  await receiver.getByRole("button", { name: "Accept" }).click();
  await receiver.getByText("You are on the team.").waitFor();
  await receiver.goto(`${house.console}/sites/society/team`);
  const team = await receiver.locator(".way").allInnerTexts();
  assert.ok(
    team.some((t) => t.includes("Owner") && t.includes("Pilar Quintero")),
    team.join("|"),
  );
  assert.ok(!team.some((t) => t.includes("Inés Ortuño")), "who handed over has left");
  await house.stop();
});

test("the provider opens a site for its domain; a forged or unverified address does not", async () => {
  const house = await startHouse();
  const through = async (name) => {
    const page = await fresh();
    await page.goto(house.site("variable-stars", "/notes"));
    await page.getByRole("link", { name: "Sign in" }).click();
    await page.getByRole("link", { name: /Sign in through/ }).click();
    await page.getByRole("link", { name }).click();
    return page;
  };
  const nadia = await through(/Nadia Sorel/);
  await nadia.getByRole("button", { name: /^Go on to .* as Nadia Sorel$/ }).click();
  await nadia.getByText("Signed in as Nadia Sorel").waitFor();
  assert.equal(new URL(nadia.url()).pathname, "/notes");
  await (await through(/Somebody as Salma/)).getByText(/has not verified that the address .* is yours/).waitFor();
  await (await through(/Somebody as Tobias/)).getByText("it is trusted for cerroalcor.example alone").waitFor();
  await (await through(/The desk/)).getByText(/does not say whether it has verified/).waitFor();
  await nadia.goto(`${house.console}/account`);
  await nadia.locator("details.me summary").click();
  await nadia.getByRole("button", { name: "Sign out", exact: true }).click();
  await nadia.getByText("may still know you in this browser").waitFor();
  await nadia.getByRole("link", { name: "Sign out there too" }).click();
  await nadia.getByRole("heading", { name: "Sign in" }).waitFor();
  assert.equal(await nadia.getByText("may still know you").count(), 0, "it is said once");

  const steward = await fresh();
  await signIn(steward, house);
  const tried = async () => {
    await steward.goto(`${house.console}/settings/sign-in`);
    await steward.getByRole("button", { name: /^Try / }).click();
    await steward.getByRole("link", { name: /The desk/ }).click();
    return steward.locator(".tried").innerText();
  };
  const before = await tried();
  assert.match(before, /Nobody would be let in: .* does not say whether/);
  assert.match(before, /"desk@cerroalcor.example"/);
  await steward.getByText("Change it").click();
  await steward
    .getByLabel("Where it does not say")
    .first()
    .selectOption({ label: "The address counts as verified: nobody there can choose it for themselves" });
  await steward.locator("[id^=provider-]").getByRole("button", { name: "Save" }).click();
  await steward.getByText("It holds from now on.").waitFor();
  assert.match(await tried(), /would be let in as/);
  const desk = await through(/The desk/);
  await desk.getByRole("button", { name: /^Go on to .* as The desk$/ }).click();
  await desk.getByText("Signed in as The desk").waitFor();
  await house.stop();
});

test("mail is sent, tried again and given up, and that is said where one looks", async () => {
  const house = await startHouse();
  const page = await fresh();
  await signIn(page, house);
  const [, port, arrived] = /server 127\.0\.0\.1, port (\d+), encryption none\)\n\s+(\S+) to see/.exec(house.printed);
  await page.goto(`${house.console}/settings/mail`);
  await page.getByLabel("Server", { exact: true }).fill("127.0.0.1");
  await page.getByLabel("Port").fill(port);
  await page.getByLabel("Encryption").selectOption("none");
  await page.getByLabel("Sender").fill("Cerro Alcor <house@cerroalcor.example>");
  await page.getByLabel("Messages a minute at most").fill("6000");
  // what is tried is what stands in the form, which stays as it is, and nothing is saved by that
  const test = page.getByRole("button", { name: "Send a test message to myself" }),
    came = page.locator("#mail-tried");
  await page.locator("form[action$='/settings/mail'] [name=password]").fill("typed and kept");
  await test.click();
  await came
    .getByText(/^127\.0\.0\.1 took a message to ines@cerroalcor\.example: 250 .* Nothing was saved by this\.$/)
    .waitFor();
  await page.getByLabel("Port").fill("1");
  await test.click();
  await came.getByText(/^No message was sent\. .*refused.* Nothing was saved by this\.$/).waitFor();
  await page.getByLabel("Port").fill("many");
  await test.click();
  await came.getByText("A port is a number from 1 to 65535.").waitFor();
  assert.equal(await page.locator("form[action$='/settings/mail'] [name=password]").inputValue(), "typed and kept");
  await page.locator("form[action$='/settings/mail'] [name=password]").fill("");
  await page.getByLabel("Port").fill(port);
  assert.equal(await page.getByRole("button", { name: "Remove the mail server" }).count(), 0);
  await page.locator("form[action$='/settings/mail']").getByRole("button", { name: "Save" }).click();
  await page.getByText("It holds from now on.").waitFor();
  await page.goto(`${house.console}/sites/society/hand-out?page=/`);
  const mail = page.locator("form", { has: page.locator("[name=subject]") });
  await mail.locator("[name=to]").fill("somebody@press.example");
  await mail.locator("[name=subject]").fill("Look");
  await mail.getByRole("button", { name: "Send by mail" }).click();
  await page.getByText(/^1 letter is handed to the mail server now/).waitFor();
  await page.goto(`${house.console}/outbox`);
  await page.getByRole("link", { name: "Look" }).first().click();
  await page
    .locator("#state")
    .getByText(/^The mail server took it, .* The last answer: 250 /)
    .waitFor();
  const eml = await page.getByRole("link", { name: "Download (.eml)" }).getAttribute("href");
  const kept = await page.evaluate(async (at) => (await fetch(at)).text(), eml);
  await page.goto(`${house.console}/sites/society/team?invite=1`);
  await page
    .getByLabel(/address/i)
    .first()
    .fill("nobody@press.example, later@press.example");
  await page.getByRole("button", { name: "Send the invitations" }).click();
  await page.locator(".notice").getByText("2 invitations").waitFor();
  await page.waitForTimeout(500);
  await page.goto(`${house.console}/sites/society/team`);
  const says = async (who) => page.locator("#waiting li", { hasText: who }).innerText();
  assert.match(
    await says("nobody@"),
    /could not be delivered, given up after 1 try\. The last answer: 550 5\.1\.1 nobody of that name here/,
  );
  assert.match(await says("later@"), /not delivered yet after 1 try\. It is tried again .* 451 4\.7\.1 greylisted/);
  await page.goto(`${house.console}/notices`);
  await page.getByText("The invitation to nobody@press.example could not be delivered: 550").waitFor();
  await page.goto(`${house.console}/outbox?state=waiting`);
  await page.getByRole("button", { name: "Send all that wait (1)" }).click();
  await page.waitForTimeout(300);
  await page.goto(`${house.console}/outbox`);
  await page.locator(".mail-list a", { hasText: "to later@press.example" }).click();
  await page.getByRole("button", { name: "Send it now" }).click();
  await page
    .locator("#state")
    .getByText(/^The mail server took it/)
    .waitFor();
  const reader = await fresh();
  await reader.goto(arrived);
  const raw = await reader.locator("pre", { hasText: "Subject: Look" }).first().textContent();
  assert.equal(raw.replaceAll("\r\n", "\n"), kept.replaceAll("\r\n", "\n"), "what arrived is what the outbox shows");
  assert.equal(await reader.locator("details").count(), 3);
  await house.stop();
});

test("a passkey lets in, and counts for both steps", async () => {
  const house = await startHouse();
  const page = await fresh();
  const devtools = await page.context().newCDPSession(page);
  await devtools.send("WebAuthn.enable");
  await devtools.send("WebAuthn.addVirtualAuthenticator", {
    options: {
      protocol: "ctap2",
      transport: "internal",
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  });
  await signIn(page, house, "jonas@cerroalcor.example");
  await page.goto(`${house.console}/account`);
  await page.getByRole("button", { name: "Make a passkey on this device" }).click();
  await page.getByText("The passkey is kept.").waitFor();
  const steward = await fresh();
  await signIn(steward, house);
  await steward.goto(`${house.console}/settings/sign-in`);
  await steward.getByLabel("may edit pages", { exact: true }).check();
  await steward.locator("form[action$=second-step]").getByRole("button", { name: "Save" }).click();
  await steward.getByText("It holds from now on.").waitFor();
  await page.goto(`${house.console}/sites`);
  await page.getByText("The house asks for two-step sign-in of everyone who may edit pages").waitFor();
  await page.getByRole("button", { name: "Cancel" }).click();
  await page.getByRole("button", { name: "Use a passkey" }).click();
  await page.getByRole("heading", { name: "Sites" }).waitFor();
  await house.stop();
});

// code is a code by time (RFC 6238) of a secret in base32.
function code(secret, at = Date.now()) {
  const bits = [...secret]
    .map((c) => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".indexOf(c).toString(2).padStart(5, "0"))
    .join("");
  const key = Buffer.from(bits.match(/.{8}/g).map((b) => Number.parseInt(b, 2)));
  const step = Buffer.alloc(8);
  step.writeBigUInt64BE(BigInt(Math.floor(at / 30000)));
  const mac = createHmac("sha1", key).update(step).digest();
  const start = mac[19] & 15;
  return String((mac.readUInt32BE(start) & 0x7fffffff) % 1e6).padStart(6, "0");
}

test("a second step is called for, set up, and stood in for by a recovery code", async () => {
  const house = await startHouse();
  const page = await fresh();
  await signIn(page, house);
  await page.goto(`${house.console}/settings/sign-in`);
  await page.getByLabel("is a steward", { exact: true }).check();
  await page.locator("form[action$=second-step]").getByRole("button", { name: "Save" }).click();
  await page.getByRole("heading", { name: "Two-step sign-in" }).waitFor();
  const secret = await page.locator(".secret").innerText();
  await page.getByLabel("The code").fill("000000");
  await page.getByRole("button", { name: "Continue" }).click();
  await page.getByText("This is not the code of now").waitFor();
  const used = code(secret);
  await page.getByLabel("The code").fill(used);
  await page.getByRole("button", { name: "Continue" }).click();
  await page.getByRole("heading", { name: "Save these codes" }).waitFor();
  const recovery = await page.locator("#codes code").allInnerTexts();
  assert.equal(recovery.length, 10);
  const again = await fresh();
  for (const [entered, lets] of [
    [used, false],
    [recovery[0], true],
  ]) {
    // a code works once
    await again.goto(`${house.console}/sign-in`);
    await fillSignIn(again, "ines@cerroalcor.example");
    await again.getByLabel("The code").fill(entered);
    await again.getByRole("button", { name: "Continue" }).click();
    if (lets) await again.getByRole("heading", { name: "Sites" }).waitFor();
    else await again.getByText("a code works once").waitFor();
  }
  await house.stop();
});

test("a link by mail signs in, a new password signs out elsewhere", async () => {
  const house = await startHouse();
  const [steward, page] = await Promise.all([fresh(), fresh()]);
  await signIn(steward, house);
  await page.goto(`${house.console}/forgot`);
  await page.getByLabel("Your e-mail address").fill("mateo@cerroalcor.example");
  await page.getByRole("button", { name: "Send the link" }).click();
  await page.getByText("Check your mail").waitFor();
  const link = await letter(steward, house, "mateo@cerroalcor.example", "Sign in");
  await page.goto(link);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.goto(`${house.console}/account`);
  await page.getByText("by a link by mail").waitFor();
  assert.equal(await status(page, link), 410, "it works once");
  const elsewhere = await fresh();
  await elsewhere.goto(`${house.console}/forgot?kind=reset`);
  await elsewhere.getByLabel("Your e-mail address").fill("mateo@cerroalcor.example");
  await elsewhere.getByRole("button", { name: "Send the link" }).click();
  await elsewhere.getByText("Check your mail").waitFor();
  await elsewhere.goto(await letter(steward, house, "mateo@cerroalcor.example", "Set a new password"));
  await elsewhere.getByLabel("Your new password").fill("walnut ferry indigo moss");
  await elsewhere.getByRole("button", { name: "Set it and sign in" }).click();
  await elsewhere
    .getByRole("heading", { name: /^Sites/ })
    .first()
    .waitFor();
  await page.goto(`${house.console}/account`);
  await page.getByRole("heading", { name: "Sign in" }).waitFor();
  await house.stop();
});

test("a list is searched as one types, keeps its place, and all that it finds is chosen", async () => {
  const house = await startHouse();
  const page = await fresh();
  await signIn(page, house);
  await page.goto(`${house.console}/people`);
  const people = () => page.locator("#found tbody tr").count();
  assert.equal(await people(), 50);
  const search = page.getByLabel("Find", { exact: true });
  await search.pressSequentially("katya");
  await page.locator("#found").getByText("3 people").waitFor();
  assert.equal(await people(), 3);
  assert.match(page.url(), /find=katya/);
  assert.equal(await search.evaluate((field) => field === document.activeElement), true);
  await page.getByLabel("In which order").selectOption("by name");
  await page.waitForURL(/sort=name/);
  assert.deepEqual(await page.locator("#found tbody a").allTextContents(), [
    "Katya Abascal",
    "Katya Cifuentes",
    "Katya Haddad",
  ]);
  await page.getByRole("link", { name: "Katya Haddad" }).click();
  await page.getByRole("heading", { name: "Katya Haddad" }).waitFor();
  await page.goBack();
  await page.locator("#found").getByText("3 people").waitFor();
  assert.equal(await search.inputValue(), "katya");
  await page.getByLabel("Katya Haddad", { exact: true }).check();
  await page.getByLabel("Add to the group").fill("Crew Antlia");
  await page.getByRole("button", { name: "See what this does" }).click();
  await page.getByText("Katya Haddad joins the group Crew Antlia.").waitFor();
  await page.getByRole("button", { name: "Apply now" }).click();
  await page.locator("#found").getByText("3 people").waitFor();
  await search.fill("");
  await page.locator("#found").getByText("1 to 50 of").waitFor();
  await page.getByLabel(/not just those ticked/).check();
  await page.getByLabel("Add to the group").fill("Crew Antlia");
  await page.getByRole("button", { name: "See what this does" }).click();
  await page.getByText(/and \d+ more join the group Crew Antlia/).waitFor();
  await page.context().close();
  await house.stop();
});
