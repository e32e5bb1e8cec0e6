// Has Lighthouse judge each look, on the demo's public site: its front page and a long page, as on a phone with a
// slow line (make lighthouse). Names of looks as arguments judge those alone.
import { launch } from "chrome-launcher";
import lighthouse from "lighthouse";
import { signIn, startBrowser, startHouse } from "../../e2e/house.mjs";

const least = 0.97;
const looks = process.argv.length > 2 ? process.argv.slice(2) : ["plain", "broadside", "noticeboard", "vitrine", "logbook", "handbill"];
const house = await startHouse("--clock", "2026-11-24T18:00:00+01:00");
const browser = await startBrowser();
const admin = await (await browser.newContext()).newPage();
await signIn(admin, house);

const post = (path, fields) => admin.evaluate(async ([to, body]) => { await fetch(to, { method: "POST", body: new URLSearchParams(body), redirect: "manual" }); }, [path, fields]);
const long = Array.from({ length: 8 }, (_, i) => `## Night ${i + 1}\n\n${"What was seen on it, by whom, and what was in the thermos. ".repeat(14)}`).join("\n\n");
await admin.goto(`${house.console}/sites/society/pages?path=/history`);
await admin.getByLabel("What the page says, in Markdown").fill(`# History\n\nIt began with eleven people.\n\n![The telescope](/telescope/reflector.svg "Oak, from a wine press.")\n\n${long}`);
await admin.locator("#saved").filter({ hasText: /^Saved/ }).waitFor();

const chrome = await launch({
  chromePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  chromeFlags: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});
let failed = false;
for (const look of looks) {
  await admin.goto(`${house.console}/sites/society/settings/look`);
  await post("/sites/society/settings/look", { look, no_colour: "yes", picture: look === "vitrine" ? "/hill.svg" : "", picture_text: "A hill at night", tagline: "Looking up since 1974", logo: "/logo.svg" });
  await post("/sites/society/publish", { when: "now" });
  await post("/sites/society/settings", { description: "A telescope of 40 cm on a dark hill, for whoever wants to look through it." });
  for (const path of ["/", "/history"]) {
    const { lhr } = await lighthouse(house.site("society", path), { port: chrome.port, output: "json", logLevel: "error" });
    const scores = Object.values(lhr.categories).map((c) => `${c.title} ${c.score}`);
    const [shift, paint, bytes] = ["cumulative-layout-shift", "largest-contentful-paint", "total-byte-weight"].map((id) => lhr.audits[id]?.displayValue ?? "?");
    console.log(`${look} ${path}: ${scores.join(", ")}; layout shift ${shift}, largest paint ${paint}, ${bytes}`);
    const low = Object.values(lhr.categories).filter((c) => c.score < least);
    if (low.length || lhr.audits["cumulative-layout-shift"].numericValue >= 0.05) failed = true;
    for (const c of low) for (const { id } of c.auditRefs) {
      const a = lhr.audits[id];
      if (a.score !== null && a.score < 0.9 && a.scoreDisplayMode !== "informative") console.log(`  ${a.id}: ${a.displayValue ?? a.score} ${a.title}`);
    }
  }
}
await chrome.kill();
await browser.close();
await house.stop();
process.exit(failed ? 1 : 0);
