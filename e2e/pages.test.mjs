// Pages and editions: what the team writes, and what visitors see of it when.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync, mkdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { goOn, ofClock, signIn, startBrowser, startHouse } from "./house.mjs";

let house, browser, folder;

before(async () => {
  house = await startHouse();
  browser = await startBrowser();
  folder = mkdtempSync(join(tmpdir(), "velada-e2e-"));
});

after(async () => {
  await browser.close();
  await house.stop();
  rmSync(folder, { recursive: true });
});

async function editor(address) {
  const page = await (await browser.newContext()).newPage();
  await signIn(page, house, address);
  return page;
}
const write = (page, site, path) => page.goto(`${house.console}/sites/${site}/pages?path=${path}`);
const body = (page) => page.getByLabel("What the page says, in Markdown");
const saved = (page) =>
  page
    .locator("#saved")
    .filter({ hasText: /^Saved/ })
    .waitFor();

test("a page is saved as one types, and visitors see it with the next edition", async () => {
  const ines = await editor("ines@cerroalcor.example");
  await write(ines, "society", "/visit");
  await body(ines).fill("# Getting here\n\nThe gate is open from **dusk**.");
  await saved(ines);
  await ines.frameLocator("#rendering").locator("main").getByText("dusk").waitFor();
  assert.ok(!(await house.ask("society", "/visit")).body.includes("<strong>dusk"), "nothing is live yet");
  await ines.getByRole("link", { name: "1 change since" }).waitFor();
  await ines.getByRole("link", { name: "Publish edition 32" }).waitFor();
  await ines.reload();
  assert.match(await body(ines).inputValue(), /dusk/);
  await ines.getByRole("link", { name: "Publish edition 32" }).click();
  assert.match(await ines.locator(".diff-read").first().innerHTML(), /<strong><ins>dusk/);
  await ines.getByLabel("Note").fill("The way up");
  await ines.getByRole("button", { name: "Publish edition 32" }).click();
  await ines.getByText("Edition 32 is live.").waitFor();
  assert.ok((await house.ask("society", "/visit")).body.includes("<strong>dusk</strong>"));
  await ines
    .locator(".way")
    .filter({ hasText: "Edition 31" })
    .getByRole("link", { name: "What going back would change" })
    .click();
  await ines.getByRole("button", { name: "Publish edition 31 again" }).click();
  await ines.getByText("Edition 31 is live again.").waitFor();
  await ines.getByRole("link", { name: "Publish edition 33" }).waitFor();
  assert.ok(!(await house.ask("society", "/visit")).body.includes("<strong>dusk"));
});

test("a link to a page is chosen by searching, and a picture dropped in is a change that is not live", async () => {
  const ines = await editor("ines@cerroalcor.example");
  await write(ines, "society", "/history");
  const before = await body(ines).inputValue();
  await ines.locator("summary.tool", { hasText: "Link" }).click();
  await ines.getByLabel("Find a page of this site").fill("getting");
  await ines.locator("#links-found").getByText("Getting here").waitFor();
  await ines.getByLabel("Find a page of this site").press("Enter");
  assert.doesNotMatch(await ines.locator("#saved").innerText(), /Not saved/, "looking for a page changes nothing");
  await body(ines).press("Control+End");
  await ines.locator("#links-found").getByText("Getting here").click();
  await saved(ines);
  assert.equal(await body(ines).inputValue(), `${before}[Getting here](/visit)`);
  await ines.setInputFiles("[data-add-file]", {
    name: "Dome at dusk.svg",
    mimeType: "image/svg+xml",
    buffer: Buffer.from(
      "<svg xmlns='http://www.w3.org/2000/svg' width='90' height='60'><rect width='90' height='60'/></svg>",
    ),
  });
  await ines.frameLocator("#rendering").locator("img[src*='dome-at-dusk']").waitFor();
  await ines.getByLabel("What does this picture show?").fill("A dome at dusk");
  await ines.locator("#describe").getByRole("button", { name: "Save" }).click();
  await ines.waitForFunction(() =>
    document.querySelector("#page-body").value.includes("![A dome at dusk](/history/dome-at-dusk.svg)"),
  );
  await saved(ines);
  await ines.getByRole("link", { name: /\d+ changes? since/ }).waitFor();
  await ines.goto(`${house.console}/sites/society/publish`);
  await ines.getByRole("heading", { name: "Pictures that anybody can open from then on" }).waitFor();
  assert.ok(
    await ines
      .locator(".new-pictures img")
      .first()
      .evaluate((img) => img.complete && img.naturalWidth > 0),
    "it is shown",
  );
  await write(ines, "society", "/history");
  await body(ines).fill(before);
  await saved(ines);
  await ines.getByText("Pictures and files").click();
  await ines.locator("li").filter({ hasText: "dome-at-dusk" }).getByRole("button", { name: "Remove" }).click();
  await ines.locator("li").filter({ hasText: "dome-at-dusk" }).waitFor({ state: "detached" });
});

test("an accidental deletion is caught in the difference", async () => {
  const ines = await editor("ines@cerroalcor.example");
  await write(ines, "society", "/privacy");
  await ines.getByText("Page settings").click();
  await ines.getByRole("button", { name: "Delete from the draft" }).click();
  await ines.getByText("is deleted from the draft").waitFor();
  await ines.goto(`${house.console}/sites/society/publish`);
  const gone = ines.locator(".difference").filter({ hasText: "deleted" });
  assert.match(await gone.innerText(), /Privacy/);
  assert.equal((await house.ask("society", "/privacy")).status, 200, "visitors still have it");
});

test("two editors on one page are told of each other, and nothing is overwritten", async () => {
  const ines = await editor("ines@cerroalcor.example"),
    jonas = await editor("jonas@cerroalcor.example");
  await write(ines, "society", "/open-nights");
  await write(jonas, "society", "/open-nights");
  await ines.getByText("Here now: Jonas Lindqvist on “Open nights”").waitFor();
  const text = await body(ines).inputValue();
  await body(ines).fill(text.replace("Red lamps only.", "Red lamps only, please."));
  await saved(ines);
  await jonas.getByText("Inés Ortuño saved this page too").waitFor();
  await body(jonas).fill(`${text}\n\nBring a chair.`);
  await jonas.getByText("with what others changed").waitFor();
  assert.match(await body(jonas).inputValue(), /please[^]*Bring a chair/);
  await body(ines).fill(text.replace("Wear more than you think.", "Wear everything."));
  await ines.getByText("with what others changed").waitFor();
  await body(jonas).fill(text.replace("Wear more than you think.", "Wear a hat."));
  await jonas.getByRole("heading", { name: "Inés Ortuño changed the same lines meanwhile" }).waitFor();
  assert.match(await jonas.locator(".diff").innerText(), /Wear/);
  // whoever leaves the two of them comes back to what they wrote, here and in any other browser
  const here = jonas.url();
  await jonas.getByRole("link", { name: "Overview" }).first().click();
  await jonas.getByRole("heading", { name: "Who can view" }).waitFor();
  await jonas.goto(here);
  await jonas.getByText("What you typed here last time could not be saved.").waitFor();
  await jonas.locator("#unsaved button").first().click();
  assert.match(await body(jonas).inputValue(), /Wear a hat/);
  await jonas.getByRole("heading", { name: "Inés Ortuño changed the same lines meanwhile" }).waitFor();
  await jonas.goto(here);
  await jonas.getByText("Page history").click();
  await jonas.getByRole("link", { name: "Compare it with the page" }).first().click();
  await jonas.getByRole("heading", { name: "Inés Ortuño changed the same lines meanwhile" }).waitFor();
  assert.match(await body(jonas).inputValue(), /Wear a hat/);
  await body(jonas).fill("# Open nights\n\nWear everything, and a hat.");
  await jonas.getByRole("button", { name: "Save" }).click();
  await jonas.getByText(/Saved .* by Jonas Lindqvist/).waitFor();
  await jonas.getByText("Page history").click();
  await jonas.getByRole("button", { name: "Restore" }).first().waitFor();
});

test("who may write a section alone reads and changes just that", async () => {
  const crew = await editor("katya-cifuentes@cerroalcor.example");
  await write(crew, "variable-stars", "/crew/antlia");
  assert.deepEqual(await crew.locator(".plan li a span").allTextContents(), ["Crew Antlia"]);
  await body(crew).fill("# Crew Antlia\n\nOur curve.");
  await saved(crew);
  assert.equal(await crew.getByRole("link", { name: /Publish edition/ }).count(), 0);
  await crew.goto(`${house.console}/sites/variable-stars/publish`);
  await crew.getByLabel("Note for those who can").fill("Our section is ready");
  await crew.getByRole("button", { name: "Ask for it to be published" }).click();
  const aiko = await editor("aiko@cerroalcor.example");
  await aiko.goto(`${house.console}/sites/variable-stars/publish`);
  await aiko.getByText("Our section is ready").waitFor();
  await aiko.getByRole("button", { name: "Publish edition 8" }).click();
  await aiko.getByText("Edition 8 is live.").waitFor();
});

test("what was typed last stays with its page when another one is chosen at once", async () => {
  const ines = await editor("ines@cerroalcor.example");
  const errors = [];
  ines.on("pageerror", (e) => errors.push(e.message));
  ines.on("console", (m) => {
    if (m.type() === "error" && !ofClock(m)) errors.push(m.text());
  });
  await write(ines, "society", "/visit");
  const page = (title) => ines.getByRole("navigation", { name: "Draft" }).getByRole("link", { name: title });
  const shown = (title) =>
    ines.getByRole("navigation", { name: "Draft" }).locator("[aria-current]", { hasText: title }).waitFor();
  for (const round of [1, 2, 3]) {
    // listeners that piled up would save thrice
    let saves = 0;
    const count = (r) => {
      if (r.method() === "POST" && /\/pages\/[^/]+$/.test(new URL(r.url()).pathname)) saves += 1;
    };
    ines.on("request", count);
    await body(ines).fill(`# Getting here\n\nHurried ${round}.`);
    await page("History").click();
    await shown("History");
    await ines.locator("#rendering").waitFor();
    await ines.waitForTimeout(1500);
    ines.off("request", count);
    assert.equal(saves, 1, `round ${round}`);
    assert.ok(!(await body(ines).inputValue()).includes("Hurried"), "another page has its text");
    assert.ok(
      !(await ines.frameLocator("#rendering").locator("main").innerText()).includes("Hurried"),
      "another page's view has it",
    );
    await page("Getting here").click();
    await shown("Getting here");
    assert.match(await body(ines).inputValue(), new RegExp(`Hurried ${round}`));
  }
  await ines.locator('a[href="/sites"]').first().click();
  await ines.waitForURL(/\/sites$/);
  assert.deepEqual(errors, []);
});

test("a renamed page and a renamed site answer at their old addresses", async () => {
  const ines = await editor("ines@cerroalcor.example");
  await write(ines, "society", "/visit");
  await ines.getByText("Page settings").click();
  await ines.getByLabel("Path").fill("/the-forty");
  await ines.getByRole("button", { name: "Save" }).click();
  await ines.getByText("Saved in the draft").waitFor();
  await ines.goto(`${house.console}/sites/society/publish`);
  await ines.getByRole("button", { name: /Publish edition/ }).click();
  await ines.getByText(/Edition \d+ is live\./).waitFor();
  const old = await house.ask("society", "/visit");
  assert.equal(old.status, 308);
  assert.equal(old.headers.location, "/the-forty");
  await ines.goto(`${house.console}/sites/society/settings/address`);
  await ines.locator("input[name=address]").fill("dossier");
  await ines.getByText("Another site has this address.").waitFor();
  await ines.locator("input[name=address]").fill("hill");
  await ines.getByText(/is free/).waitFor();
  await ines.getByRole("button", { name: "Change the address" }).click();
  await ines.getByText(/The old address leads there, page by page/).waitFor();
  const moved = await house.ask("society", "/the-forty?a=1");
  assert.equal(moved.status, 308);
  assert.match(moved.headers.location, /^http:\/\/hill\.localhost:\d+\/the-forty\?a=1$/);
  assert.equal((await house.ask("hill", "/the-forty")).status, 200);
  await ines.getByLabel("Short name").fill("night");
  await ines.getByLabel("leads to").selectOption("/open-nights");
  await ines
    .locator("form", { has: ines.getByLabel("Short name") })
    .getByRole("button", { name: "Save" })
    .click();
  await ines.getByText("/go/night").first().waitFor();
  assert.equal((await house.ask("hill", "/go/night")).headers.location, "/open-nights");
});

test("a site comes in as an archive, is published, goes out and is the same", async () => {
  mkdirSync(join(folder, "in/pics"), { recursive: true });
  writeFileSync(
    join(folder, "in/index.md"),
    "---\ntitle: Summer camp\nmenu: true\n---\n# Summer camp\n\n![Tent](/pics/tent.svg)\n",
  );
  writeFileSync(
    join(folder, "in/poster.html"),
    "<!doctype html><html><head><title>Poster</title><style>h1{color:rgb(200,0,0)}</style></head><body><h1>Camp</h1><script>document.title = 'ran'</script></body></html>",
  );
  writeFileSync(join(folder, "in/pics/tent.svg"), "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>");
  execFileSync("python3", [
    "-c",
    "import shutil,sys;shutil.make_archive(sys.argv[1],'zip',sys.argv[2])",
    join(folder, "camp"),
    join(folder, "in"),
  ]);
  const ines = await editor("ines@cerroalcor.example");
  await ines.goto(`${house.console}/new-site`);
  await ines.getByLabel("Name", { exact: true }).fill("Summer camp");
  await ines.getByRole("button", { name: "Import a site from a ZIP" }).click();
  await ines.getByText("The site is made. Choose the ZIP that its pages come from.").waitFor();
  assert.equal((await house.ask("summer-camp", "/")).status, 404);
  await ines.getByLabel("A ZIP file").setInputFiles(join(folder, "camp.zip"));
  await ines.getByRole("button", { name: "Import" }).click();
  await ines.getByText("2 pages and 1 file are in the draft now.").waitFor();
  await ines.goto(`${house.console}/sites/summer-camp/publish`);
  await ines.locator("input[name=address]").fill("camp");
  await ines.getByText(/camp\.localhost:\d+ is free/).waitFor();
  await ines.getByRole("button", { name: "Publish edition 1" }).click();
  await ines.getByRole("heading", { name: "Summer camp is live" }).waitFor();
  assert.equal((await house.ask("camp", "/")).status, 403, "the door stays closed until somebody opens it");
  await ines.goto(`${house.console}/sites/camp/door`);
  await ines.getByRole("button", { name: "Anyone" }).click();
  await ines.getByRole("button", { name: "Apply now" }).click();
  await ines.getByText("Applied.", { exact: true }).waitFor();
  const visitor = await (await browser.newContext({ expected: [/Blocked script execution/] })).newPage();
  await visitor.goto(house.site("camp", "/poster"));
  assert.equal(await visitor.title(), "Poster", "no script of theirs runs");
  assert.equal(await visitor.locator("h1").evaluate((h) => getComputedStyle(h).color), "rgb(200, 0, 0)");
  await ines.goto(`${house.console}/sites/camp/editions`);
  const [download] = await Promise.all([
    ines.waitForEvent("download"),
    ines.getByRole("link", { name: "Download as a ZIP" }).click(),
  ]);
  await download.saveAs(join(folder, "out.zip"));
  execFileSync("python3", [
    "-c",
    "import shutil,sys;shutil.unpack_archive(sys.argv[1],sys.argv[2])",
    join(folder, "out.zip"),
    join(folder, "out"),
  ]);
  for (const name of ["index.md", "poster.html", "pics/tent.svg"])
    assert.equal(readFileSync(join(folder, "out", name), "utf8"), readFileSync(join(folder, "in", name), "utf8"));
});

test("a site of HTML that others made answers by its links, and its own search works where a steward allows scripts", async () => {
  const root = join(folder, "theirs");
  mkdirSync(join(root, "guide"), { recursive: true });
  writeFileSync(
    join(root, "index.html"),
    "<!doctype html><title>Manual</title><h1>Manual</h1><a href='guide/index.html'>Guide</a> <form action='search.html'><label>Find <input name='q'></label></form>",
  );
  writeFileSync(
    join(root, "guide/index.html"),
    "<!doctype html><title>Guide</title><h1>Guide</h1><a href='step.html#two'>Step</a>",
  );
  writeFileSync(
    join(root, "guide/step.html"),
    "<!doctype html><title>Step</title><h1>Step</h1><p id='two'>Two</p><a href='../'>Up</a>",
  );
  writeFileSync(
    join(root, "search.html"),
    "<!doctype html><title>Search</title><h1>Search</h1><p id='found'></p><script src='search.js'></script>",
  );
  // as generators do: a worker of the page looks the words up, and one that would stay is tried
  writeFileSync(
    join(root, "search.js"),
    "localStorage.setItem('q', new URLSearchParams(location.search).get('q')); const w = new Worker('lookup.mjs', { type: 'module' }); w.onmessage = (m) => { document.getElementById('found').textContent = m.data; }; w.postMessage(localStorage.getItem('q')); navigator.serviceWorker.register('stay.js').then(() => { document.title = 'it stays'; }, () => { document.title = 'nothing stays'; });",
  );
  writeFileSync(
    join(root, "lookup.mjs"),
    "onmessage = async (m) => { const words = await (await fetch('words.json')).json(); postMessage(words[m.data]); };",
  );
  writeFileSync(join(root, "stay.js"), "self.addEventListener('fetch', () => {});");
  writeFileSync(join(root, "words.json"), '{"two": "Found in Step"}');
  const zip = join(folder, "theirs.zip");
  execFileSync("python3", [
    "-c",
    "import shutil, sys; shutil.make_archive(sys.argv[1][:-4], 'zip', sys.argv[2])",
    zip,
    root,
  ]);
  const page = await (await browser.newContext()).newPage();
  await signIn(page, house);
  await page.goto(`${house.console}/sites/dossier/archives`);
  await page.locator("input[name=archive]").setInputFiles(zip);
  await page.getByRole("button", { name: "Import" }).click();
  await page.getByText(/4 pages and 4 files .* 1 page with scripts: they run where a steward lets them/).waitFor();
  await page.goto(`${house.console}/sites/dossier/settings/code`);
  await page.getByLabel(/may run scripts/).check();
  await page.getByRole("button", { name: "Save" }).click();
  await page.getByText("Saved.").waitFor();
  await page.goto(`${house.console}/sites/dossier/publish`);
  await page.getByRole("button", { name: /Publish edition/ }).click();
  await page.getByText(/Edition \d+ is live\./).waitFor();
  const visitor = await (
    await browser.newContext({ expected: [/stay\.js: 403/, /403\) was received when fetching the script/] })
  ).newPage();
  await signIn(visitor, house);
  await goOn(visitor, house, "dossier");
  await visitor.getByRole("link", { name: "Guide" }).click();
  assert.equal(new URL(visitor.url()).pathname, "/guide/");
  await visitor.getByRole("link", { name: "Step" }).click();
  assert.equal(new URL(visitor.url()).pathname + new URL(visitor.url()).hash, "/guide/step#two");
  await visitor.getByRole("link", { name: "Up" }).click();
  assert.equal(new URL(visitor.url()).pathname, "/");
  await visitor.getByLabel("Find").fill("two");
  await visitor.getByLabel("Find").press("Enter");
  await visitor.getByText("Found in Step").waitFor();
  await visitor.waitForFunction(() => document.title === "nothing stays");
});
