// Who came: what visitors search for, what a rehearsal would have meant, and logs of another server.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { signIn, startBrowser, startHouse } from "./house.mjs";

let house, browser;
before(async () => {
  house = await startHouse();
  browser = await startBrowser();
});
after(async () => {
  await browser?.close();
  await house?.stop();
});

// A browser that says it is headless is taken for a robot.
const agent = "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0";

async function somebody() {
  return (await browser.newContext({ viewport: { width: 1280, height: 800 }, timezoneId: "Europe/Madrid", userAgent: agent })).newPage();
}

test("a visitor finds what opens to them, and what they missed is told", async () => {
  const visitor = await somebody();
  await visitor.goto(house.site("society", "/"));
  await visitor.getByRole("searchbox").fill("telescope");
  await visitor.keyboard.press("Enter");
  await visitor.locator("mark", { hasText: "telescope" }).first().waitFor();
  await visitor.locator(".found a").first().click();
  await visitor.waitForURL((url) => url.hostname.startsWith("society.") && !url.pathname.startsWith("/velada/"));
  await visitor.goto(house.site("society", "/velada/search?q=members' minutes"));
  await visitor.getByText(/Nothing that you can open here has/).waitFor();
  const ines = await somebody();
  await signIn(ines, house);
  await ines.waitForTimeout(1500); // counts are written every second
  await ines.goto(`${house.console}/sites/society/traffic?span=1`);
  await ines.getByRole("heading", { name: "Searched, and found nothing" }).waitFor();
  await ines.getByText("members' minutes", { exact: true }).first().waitFor();
});

test("a log of another server comes in, and again counts nothing", async () => {
  const ines = await somebody();
  await signIn(ines, house);
  await ines.goto(`${house.console}/sites/dossier/traffic`);
  await ines.getByRole("link", { name: "Logs of another server" }).click();
  const lines = [];
  for (let i = 0; i < 2000; i++) {
    const at = new Date(Date.UTC(2026, 7, 1 + (i % 20), 9, i % 60, i % 50));
    const stamp = `${String(at.getUTCDate()).padStart(2, "0")}/Aug/2026:09:${String(i % 60).padStart(2, "0")}:${String(i % 50).padStart(2, "0")} +0000`;
    lines.push(`203.0.113.${i % 200} - - [${stamp}] "GET ${["/", "/budget", "/logo.png"][i % 3]} HTTP/1.1" ${i % 7 ? 200 : 403} ${i} "-" "${agent}"`);
  }
  lines.splice(10, 0, "this is no line");
  const file = { name: "access.log.1", mimeType: "text/plain", buffer: Buffer.from(lines.join("\n")) };
  const counted = ines.locator(".log-figures div", { has: ines.getByText("counted", { exact: true }) }).locator("dt");
  await ines.getByLabel("Log files").setInputFiles(file);
  await ines.getByRole("button", { name: "Read them" }).click();
  await ines.getByRole("heading", { name: "Read last" }).waitFor();
  assert.match(await counted.innerText(), /^1,3\d\d$/);
  await ines.getByRole("row", { name: /access\.log\.1 11 there is no time/ }).waitFor();
  await ines.getByLabel("Log files").setInputFiles(file);
  await ines.getByRole("button", { name: "Read them" }).click();
  await ines.getByText("and nothing to count").waitFor();
  await ines.goto(`${house.console}/sites/dossier/traffic?from=1 Aug 2026&to=20 Aug 2026`);
  await ines.getByText("the other server refused").first().waitFor();
});

test("a rehearsal says whom of the last weeks it would have shut out", async () => {
  const ines = await somebody();
  await signIn(ines, house);
  await ines.goto(`${house.console}/sites/society/door`);
  await ines.getByRole("button", { name: /Remove/ }).first().click();
  await ines.locator(".tray .replayed").getByText(/of the last 28 days would be shut out/).waitFor();
  await ines.locator(".tray .replayed").getByRole("link", { name: "See which" }).click();
  await ines.getByText("Strangers").first().waitFor();
});
