// Has Lighthouse judge pages of the demo's public site, as on a phone with a slow line (make lighthouse).
import { launch } from "chrome-launcher";
import lighthouse from "lighthouse";
import { startHouse } from "../../e2e/house.mjs";

const house = await startHouse();
const chrome = await launch({
  chromePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  chromeFlags: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});
let failed = false;
for (const path of process.argv.length > 2 ? process.argv.slice(2) : ["/", "/visit"]) {
  const { lhr } = await lighthouse(house.site("society", path), { port: chrome.port, output: "json", logLevel: "error" });
  const scores = Object.values(lhr.categories).map((c) => `${c.title} ${c.score}`);
  const [shift, paint, bytes] = ["cumulative-layout-shift", "largest-contentful-paint", "total-byte-weight"].map((id) => lhr.audits[id]?.displayValue ?? "?");
  console.log(`${path}: ${scores.join(", ")}; layout shift ${shift}, largest paint ${paint}, ${bytes}`);
  if (lhr.categories.performance.score < 0.95 || lhr.audits["cumulative-layout-shift"].numericValue >= 0.05) failed = true;
  for (const a of Object.values(lhr.audits)) if (a.score !== null && a.score < 0.9 && a.scoreDisplayMode !== "informative") console.log(`  ${a.id}: ${a.displayValue ?? a.score}`);
}
await chrome.kill();
await house.stop();
process.exit(failed ? 1 : 0);
