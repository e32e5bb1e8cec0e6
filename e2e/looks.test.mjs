// What visitors see: every look at three widths, by day and in the evening, and what pages hold besides text.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { after, before, test } from "node:test";
import { HtmlValidate } from "html-validate";
import { goOn, signIn, startBrowser, startHouse } from "./house.mjs";

const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");
const looks = ["plain", "broadside", "noticeboard", "vitrine", "logbook", "handbill"];
const validate = new HtmlValidate({
  extends: ["html-validate:recommended"],
  // How it is written: void elements as Prettier leaves them, blanks, and names that the console has too.
  rules: { "doctype-style": "off", "valid-id": ["error", { relaxed: true }], "void-style": "off", "no-trailing-whitespace": "off", "attribute-boolean-style": "off", "long-title": "off", "no-inline-style": "off", "attribute-empty-style": "off", "no-raw-characters": "off", "prefer-native-element": "off", "valid-autocomplete": "off", "tel-non-breaking": "off" },
});
let house, browser, admin;

before(async () => {
  house = await startHouse();
  browser = await startBrowser();
  admin = await (await browser.newContext()).newPage();
  await signIn(admin, house);
});

after(async () => {
  await browser.close();
  await house.stop();
});

const long = Array.from({ length: 6 }, (_, i) => `## Part ${i + 1}\n\n${"A sentence that goes on for a while. ".repeat(18)}\n\n### Within ${i + 1}\n\nMore.`).join("\n\n");
const everything = `# Everything that a page can hold

The first words of it, which stand larger on a front page.

![The hill](/hill.svg "The hill, with a caption")

::: columns
One column.

---

Another, with a[^1] footnote and \`code\`.
:::

::: cards
- ![The telescope](/telescope/reflector.svg) [The telescope](/telescope) made over two winters
- [The books](/library) some nine hundred
:::

::: gallery Pictures
![The hill](/hill.svg "First")
![The map](/visit/map.svg "Second")
![The books](/library/shelves.svg)
:::

::: notice Please note
Red lamps only.
:::

::: button
[Come along](/visit)
:::

::: fold What opens
And what it shows.
:::

::: dates Soon
- 2026-12-11 19:30 – 23:00 The hexagon
- 2026-11-01 Something past
:::

::: files /visit
:::

::: contact Write
:::

| Night | Theme |
|---|---|
| 27 November | Pleiades |

> Words that somebody said.
>
> — Somebody

\`\`\`
code that is wider than a telephone, since nobody broke its line anywhere, and it goes on
\`\`\`

Averyveryverylongwordthatnobodywouldwritebutthatmustnotmakethepagewiderthanthewindow_itself_is_ever.

[^1]: The note.

${long}`;

async function post(path, fields) {
  const status = await admin.evaluate(async ([to, body]) => (await fetch(to, { method: "POST", body: new URLSearchParams(body), redirect: "manual" })).type, [path, fields]);
  assert.equal(status, "opaqueredirect", path);
}

async function wear(fields) {
  await admin.goto(`${house.console}/sites/society/settings/look`);
  await post("/sites/society/settings/look", { no_colour: fields.colour ? "" : "yes", ...fields });
  await post("/sites/society/publish", { when: "now", note: "" });
}

test("every look holds everything, at three widths, by day and in the evening", async () => {
  await admin.goto(`${house.console}/sites/society/pages?path=/history`);
  await admin.getByLabel("What the page says, in Markdown").fill(everything);
  await admin.locator("#saved").filter({ hasText: /^Saved/ }).waitFor();
  await admin.frameLocator("#rendering").getByText("Red lamps only.").waitFor();
  for (const look of looks) {
    await wear({ look, colour: look === "noticeboard" ? "#ffd400" : "", picture: "/hill.svg", picture_text: "A hill", tagline: "Looking up" });
    for (const scheme of ["light", "dark"]) {
      const context = await browser.newContext({ colorScheme: scheme, bypassCSP: true });
      const page = await context.newPage();
      for (const path of ["/", "/history", "/members", "/nowhere"]) {
        await page.setViewportSize({ width: 1280, height: 800 });
        const answer = await page.goto(house.site("society", path));
        if (scheme === "light") {
          const report = await validate.validateString(await answer.text());
          assert.deepEqual(report.results.flatMap((r) => r.messages.map((m) => `${m.line}: ${m.ruleId}: ${m.message}`)), [], `${look} ${path}`);
        }
        for (const width of [1280, 768, 360]) {
          await page.setViewportSize({ width, height: 800 });
          const wide = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
          assert.ok(wide <= 0, `${look} ${path} is ${wide} px wider than ${width}`);
          if (width === 768 || width === 360 && ["/members", "/nowhere"].includes(path)) continue;
          await page.evaluate(axe);
          const { violations } = await page.evaluate(() => globalThis.axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"], resultTypes: ["violations"] }));
          assert.deepEqual(violations.map((v) => `${v.id}: ${v.nodes[0].html} ${v.nodes[0].failureSummary}`), [], `${look} ${path} ${scheme} ${width}`);
        }
      }
      await context.close();
    }
  }
});

test("a first page is light without its pictures", async () => {
  for (const look of looks) {
    await wear({ look });
    const context = await browser.newContext({ extraHTTPHeaders: { "Accept-Encoding": "gzip" } });
    const page = await context.newPage();
    const client = await context.newCDPSession(page);
    await client.send("Network.enable");
    const kinds = {}, sizes = {};
    client.on("Network.responseReceived", (e) => { kinds[e.requestId] = `${e.response.mimeType} ${e.response.url}`; });
    client.on("Network.loadingFinished", (e) => { sizes[e.requestId] = e.encodedDataLength; });
    await page.goto(house.site("society", "/"));
    await page.waitForTimeout(500);
    const without = Object.entries(sizes).filter(([id]) => kinds[id] && !kinds[id].startsWith("image/"));
    const sum = without.reduce((all, [, size]) => all + size, 0);
    const most = look === "plain" ? 95_000 : 60_000; // plain has the type that it always had
    assert.ok(sum > 5000 && sum < most, `${look}: ${sum} bytes: ${without.map(([id, size]) => `${kinds[id]} ${size}`).join(", ")}`);
    await context.close();
  }
});

test("a menu of forty pages in three levels is reached on a telephone and by keyboard", async () => {
  await admin.goto(`${house.console}/sites/august/pages?new=yes`);
  for (let i = 1; i <= 4; i++) {
    await post("/sites/august/pages", { title: `Chapter ${i}`, path: `/chapter-${i}`, in_menu: "yes" });
    for (let k = 1; k <= 4; k++) {
      await post("/sites/august/pages", { title: `Section ${i}.${k}`, path: `/chapter-${i}/${k}`, in_menu: "yes" });
      for (let n = 1; n <= 2; n++) await post("/sites/august/pages", { title: `Paragraph ${i}.${k}.${n}`, path: `/chapter-${i}/${k}/${n}`, in_menu: "yes" });
    }
  }
  await admin.goto(`${house.console}/sites/august/look`);
  const address = await admin.locator("iframe").first().getAttribute("src");
  const page = await (await browser.newContext({ viewport: { width: 360, height: 720 } })).newPage();
  await page.goto(address);
  await page.getByRole("button", { name: "Menu" }).click();
  const menu = page.getByRole("navigation", { name: "Pages" });
  await menu.getByText("Pages below Chapter 3").locator("..").click();
  await menu.getByRole("link", { name: "Paragraph 3.2.1" }).waitFor();
  await page.keyboard.press("Escape");
  await menu.getByRole("link", { name: "Paragraph 3.2.1" }).waitFor({ state: "hidden" });
  await page.setViewportSize({ width: 1280, height: 800 });
  await menu.getByText("Pages below Chapter 1").locator("..").focus();
  await page.keyboard.press("Enter");
  await page.keyboard.press("Tab");
  await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
  await page.waitForURL(/chapter-1\/1\/1$/);
});

test("a picture of a gallery opens large, and leads to the next, without a script", async () => {
  const page = await (await browser.newContext({ javaScriptEnabled: true })).newPage();
  await page.goto(house.site("society", "/history"));
  await page.locator(".v-thumb").first().click();
  await page.getByText("1 of 3").waitFor();
  await page.locator(".v-large:popover-open").getByRole("button", { name: "Next picture" }).click();
  await page.getByText("2 of 3").waitFor();
  await page.keyboard.press("Escape");
  await page.getByText("2 of 3").waitFor({ state: "hidden" });
});

test("a look is tried before it is saved, and said where its colour does not read", async () => {
  await admin.goto(`${house.console}/sites/society/settings/look`);
  await admin.locator(".look-thumb", { hasText: "Vitrine" }).getByRole("radio").check();
  await admin.getByText("Tried out, not saved yet.").waitFor();
  await admin.frameLocator("#tried iframe >> nth=0").locator("body.look-vitrine").waitFor();
  await admin.locator("input[name=colour]").fill("#222233");
  await admin.getByText("instead of #222233").first().waitFor();
  await admin.getByRole("button", { name: "Save in the draft" }).click();
  await admin.getByText("Saved in the draft").waitFor();
  await admin.getByText(/changes to Vitrine|to Vitrine\./).waitFor();
  assert.ok(!(await house.ask("society", "/")).body.includes("look-vitrine"), "nothing is live yet");
});

test("an insert of the bar stands in the text, and is shown beside it in the look", async () => {
  await admin.goto(`${house.console}/sites/society/pages?path=/courses`);
  await admin.locator("summary.tool", { hasText: "Insert" }).click();
  await admin.getByRole("button", { name: /^Notice/ }).click();
  await admin.keyboard.type("Bring a hat.");
  await admin.locator("#saved").filter({ hasText: /^Saved/ }).waitFor();
  await admin.frameLocator("#rendering").locator(".v-notice").getByText("Bring a hat.").waitFor();
});

test("a reader follows a page, and has a feed of their own", async () => {
  const page = await (await browser.newContext()).newPage();
  await signIn(page, house, "pilar@cerroalcor.example");
  await goOn(page, house, "society", "/members/minutes");
  await page.getByRole("link", { name: "News of this page" }).click();
  await page.getByRole("button", { name: "Follow “Minutes” by mail" }).click();
  await page.getByText("You follow “Minutes”.").waitFor();
  await page.getByRole("button", { name: "Make an address" }).click();
  const address = await page.locator("code.secret").innerText();
  const own = await house.ask("society", `${new URL(address).pathname}?path=/members`);
  assert.match(own.body, /<title>Minutes<\/title>/);
  await page.goto(house.site("society", "/velada/news"));
  await page.getByRole("button", { name: "Turn off this address" }).click();
  assert.equal((await house.ask("society", new URL(address).pathname)).status, 404);
});
