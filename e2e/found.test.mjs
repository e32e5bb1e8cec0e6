// How a site is found: what search engines are told, a domain of its own, and what is handed out.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test } from "node:test";
import robotsParser from "robots-parser";
import { validateXML } from "xmllint-wasm";
import { signIn, startBrowser, startHouse } from "./house.mjs";
import { freePort, startIssuer } from "./issuer.mjs";

// listedBy crawls a site as a search engine does, and returns the paths of pages that it may list.
function listedBy(origin) {
  const folder = mkdtempSync(join(tmpdir(), "velada-crawl-"));
  try {
    execFileSync("wget", ["--mirror", "--save-headers", "--adjust-extension", "--default-page=index.html", "-nv", "-nH", "-P", folder, "--header", `Host: ${new URL(origin).host}`, `http://127.0.0.1:${new URL(origin).port}/`], { stdio: "ignore" });
  } catch {
    // wget says so where a page that it followed was refused
  }
  const listed = [];
  for (const file of readdirSync(folder, { recursive: true })) {
    if (!file.endsWith(".html")) continue;
    const text = readFileSync(join(folder, file), "utf8");
    if (/^HTTP\/1\.1 200/.test(text) && !/^X-Robots-Tag:.*noindex/im.test(text) && !/<meta name="robots" content="noindex/.test(text)) {
      listed.push(`/${file.replace(/(index)?\.html$/, "")}`.replace(/\?.*/, ""));
    }
  }
  return [...new Set(listed)].sort();
}

const paths = (sitemap) => [...sitemap.matchAll(/<loc>https?:\/\/[^/]+(\/.*?)<\/loc>/g)].map((m) => m[1]).sort();

test("search engines list just the pages that the sitemap names, and a page is kept from them and let in again", async () => {
  const house = await startHouse();
  const browser = await startBrowser();
  const page = await (await browser.newContext()).newPage();
  await signIn(page, house);

  // others' parsers read both files as they were meant
  const robots = await house.ask("society", "/robots.txt");
  const read = robotsParser(house.site("society", "/robots.txt"), robots.body);
  assert.deepEqual(read.getSitemaps(), [house.site("society", "/sitemap.xml")]);
  const schema = [{ fileName: "sitemap.xsd", contents: readFileSync("node_modules/sitemap/schema/sitemap.xsd", "utf8") }];
  const sitemap = async () => {
    const { body } = await house.ask("society", "/sitemap.xml");
    const judged = await validateXML({ xml: [{ fileName: "sitemap.xml", contents: body }], schema });
    assert.deepEqual([judged.valid, judged.errors], [true, []]);
    for (const path of paths(body)) assert.equal(read.isAllowed(house.site("society", path), "a-bot"), true);
    return paths(body);
  };
  const before = await sitemap();
  assert.ok(before.includes("/visit") && before.length > 5);
  assert.deepEqual(listedBy(house.site("society")), before);

  // what a page says of itself is what its result shows
  await page.goto(`${house.console}/sites/society/settings`);
  await page.getByRole("link", { name: "Getting here" }).click();
  await page.getByLabel("Title in results").fill("The way up the hill");
  await page.getByLabel("Description").fill("By bus and on foot.");
  await page.getByRole("button", { name: "Save" }).click();
  await page.getByText("The way up the hill · Cerro Alcor Society").waitFor();
  const visit = await house.ask("society", "/visit");
  assert.match(visit.body, /<title>The way up the hill · Cerro Alcor Society<\/title>/);

  // one's own lines are refused where they contradict, with what was typed
  await page.goto(`${house.console}/sites/society/settings#robots`);
  await page.getByLabel("Your own lines in robots.txt").fill("Disallow: /visit");
  await page.locator("form", { has: page.getByLabel("Your own lines in robots.txt") }).getByRole("button", { name: "Save" }).click();
  await page.getByText("Line 1: This keeps robots from reading /visit, which is listed.").waitFor();
  assert.equal(await page.getByLabel("Your own lines in robots.txt").inputValue(), "Disallow: /visit");
  await page.getByLabel("Your own lines in robots.txt").fill("User-agent: greedy-bot\nDisallow: /");
  await page.locator("form", { has: page.getByLabel("Your own lines in robots.txt") }).getByRole("button", { name: "Save" }).click();
  await page.getByText("Saved. It holds from now on.").waitFor();
  const own = robotsParser(house.site("society", "/robots.txt"), (await house.ask("society", "/robots.txt")).body);
  assert.deepEqual([own.isAllowed(house.site("society", "/visit"), "greedy-bot"), own.isAllowed(house.site("society", "/visit"), "a-bot")], [false, true]);

  // kept away, and let in again
  await page.goto(`${house.console}/sites/society/settings`);
  await page.getByRole("button", { name: "See what keeping them away does" }).click();
  await page.getByRole("button", { name: "Apply now" }).click();
  await page.getByText("This site keeps search engines away.").first().waitFor();
  assert.deepEqual([await sitemap().catch(() => []), listedBy(house.site("society"))], [[], []]);
  await page.getByRole("button", { name: "See what letting them in does" }).click();
  await page.getByRole("button", { name: "Apply now" }).click();
  await page.getByText("Anyone can open it, and nothing speaks against it.").first().waitFor();
  assert.deepEqual([await sitemap(), listedBy(house.site("society"))], [before, before]);
  await browser.close();
  await house.stop();
});

test("a domain is set up, wrong record first, answers by https, and is lost", async () => {
  const [http, https, names] = [await freePort(), await freePort(), await freePort()];
  const issuer = await startIssuer(http, https, names);
  const house = await startHouse("--https-listen", `127.0.0.1:${https}`, "--http-listen", `127.0.0.1:${http}`, "--names-port", names, ...issuer.flags);
  const browser = await startBrowser("--host-resolver-rules=MAP *.example 127.0.0.1");
  const context = await browser.newContext({ ignoreHTTPSErrors: true });
  const page = await context.newPage();
  const screen = /(http:\/\/\S+) to set records/.exec(house.printed)[1];
  const setRecords = async (change) => {
    const there = await context.newPage();
    await there.goto(screen);
    const box = there.getByLabel("Records");
    await box.fill(change(await box.inputValue()));
    await there.getByRole("button", { name: "Save the records" }).click();
    await there.getByText("Saved.").waitFor();
    await there.close();
  };
  await signIn(page, house);
  await page.goto(`${house.console}/sites/society/settings/address`);
  const card = page.locator(".domain-card");
  await card.getByText("It leads elsewhere: to old-host.example.").waitFor();
  const token = await card.getByText(/^velada-site=/).innerText();

  // half of it right: proven, and it leads elsewhere still
  await setRecords((zone) => `${zone}_velada.www.cerroalcor.example. 0 IN TXT "${token}"\n`);
  await card.getByText("proven, does not lead here yet").waitFor({ timeout: 60000 });
  await setRecords((zone) => zone.replace("www.cerroalcor.example.   60  IN  CNAME  old-host.example.", "www.cerroalcor.example. 0 IN CNAME society.localhost."));
  await card.getByText(/Browsers come by https\. The certificate is good until/).waitFor({ timeout: 90000 });
  await card.getByRole("button", { name: "Make it the main address: www.cerroalcor.example" }).click();
  await card.getByText("answers, the main address").waitFor();

  // the house's address leads there, page by page, with a certificate of the issuer's
  const visitor = await (await browser.newContext({ ignoreHTTPSErrors: true })).newPage();
  const answer = await visitor.goto(house.site("society", "/visit"));
  assert.equal(visitor.url(), `https://www.cerroalcor.example:${https}/visit`);
  assert.match((await answer.securityDetails()).issuer, /Pebble/);
  await visitor.getByRole("heading", { name: "Getting here" }).first().waitFor();

  // signing in from there comes back there
  await visitor.goto(`https://www.cerroalcor.example:${https}/members`);
  await visitor.getByRole("link", { name: "Sign in" }).first().click();
  await visitor.getByLabel(/e-mail address/).fill("ines@cerroalcor.example");
  await visitor.getByLabel("Your password").fill("lantern over the hill");
  await visitor.getByRole("button", { name: "Sign in" }).click();
  await visitor.getByRole("heading", { name: "Members" }).first().waitFor();
  assert.equal(visitor.url(), `https://www.cerroalcor.example:${https}/members`);

  // it is lost: told on the screen, and the house's address answers itself again
  await setRecords((zone) => zone.replace("CNAME society.localhost.", "CNAME old-host.example."));
  await page.waitForTimeout(5000); // the second name server is behind
  await page.getByRole("button", { name: "Look now: www.cerroalcor.example" }).click();
  await card.getByText(/Since .* it leads visitors elsewhere: to old-host\.example/).waitFor({ timeout: 60000 });
  await visitor.goto(house.site("society", "/visit"));
  assert.equal(visitor.url(), house.site("society", "/visit"));
  await browser.close();
  await house.stop();
  issuer.stop();
});

test("a page is handed out on paper and by words", async () => {
  const house = await startHouse();
  const browser = await startBrowser();
  const page = await (await browser.newContext()).newPage();
  await signIn(page, house);
  await page.goto(`${house.console}/sites/dossier/hand-out`);
  await page.getByLabel("Who it is for").fill("For the council");
  await page.locator("select[name=as]").selectOption("cards to cut out");
  await page.getByRole("button", { name: "Show" }).click();
  const cards = page.getByText("For the council", { exact: true });
  await cards.nth(7).waitFor();
  await page.emulateMedia({ media: "print" });
  assert.deepEqual([await cards.nth(0).isVisible(), await page.getByRole("heading", { name: "What to send" }).isVisible(), await page.locator("header.band, .tabs").first().isVisible()], [true, false, false]);
  await page.emulateMedia({ media: "screen" });
  const letter = page.locator("form", { has: page.getByRole("heading", { name: /jury/ }) });
  await letter.getByLabel("To", { exact: true }).fill("lucia@council.example");
  await letter.getByRole("button", { name: "Send by mail" }).click();
  await page.getByText(/1 letter lies in the Outbox/).waitFor();
  await browser.close();
  await house.stop();
});
