// Takes the pictures in docs/screenshots anew from the demo house, its clock
// standing still (make shots).
import { fillSignIn, signIn, startBrowser, startHouse } from "./house.mjs";

const house = await startHouse("--clock", "2026-11-24T18:00:00+01:00", "--listen", "127.0.0.1:8080");
const browser = await startBrowser();
const page = async () => (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
const shoot = (from, name) => from.screenshot({ path: `docs/screenshots/${name}.png` });

const admin = await page();
await signIn(admin, house);
await admin.getByText("Each window is a page").waitFor();
await shoot(admin, "sites");

await admin.goto(`${house.console}/sites/variable-stars/door?add=people`);
await admin.getByRole("textbox", { name: "People" }).fill("Edda Galindo; Nadia Sorel <nadia@lens.example>");
await admin.getByLabel("Until").fill("2026-12-18T23:00");
await admin.getByRole("button", { name: "Rehearse this" }).click();
await admin.locator(".tray").waitFor();
await shoot(admin, "door");

await admin.goto(`${house.console}/sites/variable-stars/rehearsal`);
await admin.getByText("What this rehearsal would do").waitFor();
await shoot(admin, "rehearsal");
await admin.getByRole("button", { name: "Discard" }).click();
await admin.getByText("The rehearsal is dropped").waitFor();
await admin.goto(`${house.console}/sites/dossier`);
await shoot(admin, "standing");

await admin.goto(`${house.console}/sites/variable-stars/sightlines`);
await admin.getByRole("link", { name: /^12 Dec 2026 20:00/ }).click();
await admin.getByText("Seen at Saturday 12 Dec 2026, 20:00").waitFor();
await shoot(admin, "sightlines");

await admin.goto(`${house.console}/sites/variable-stars/walk?page=/crew/antlia&as=group:corvus`);
await admin.frameLocator("iframe").getByRole("heading", { level: 1 }).waitFor();
await shoot(admin, "walk-in-as");

await admin.goto(`${house.console}/sites/new-dome/holding`);
await admin.frameLocator("iframe").getByRole("heading", { level: 1 }).waitFor();
await shoot(admin, "holding-page");

await admin.goto(`${house.console}/sites/variable-stars/team`);
await shoot(admin, "team");

await admin.goto(`${house.console}/sites/variable-stars/pages?path=/notes/week-2`);
await shoot(admin, "pages");
await admin.goto(`${house.console}/sites/variable-stars/publish`);
await shoot(admin, "difference");
await admin.getByLabel(/A note for those/).fill("The third week, and a reminder");
await admin.getByRole("button", { name: "Publish edition 8" }).click();
await admin.getByText("Edition 8 is live.").waitFor();
await shoot(admin, "editions");

await admin.goto(`${house.console}/sites/society/listing`);
await admin.getByLabel("A short name").fill("night");
await admin.getByLabel("leads to").selectOption("/open-nights");
await admin.getByRole("button", { name: "Keep it" }).click();
await admin.getByText("/go/night").first().waitFor();
await shoot(admin, "addresses");

const visitor = await page();
await visitor.goto(house.site("dossier", "/budget"));
await shoot(visitor, "door-page");

const reader = await page();
await reader.goto(house.site("variable-stars", "/notes/week-2"));
await reader.getByRole("link", { name: "Sign in" }).click();
await fillSignIn(reader, "tobias@lens.example");
await reader.getByRole("heading", { name: "Week 2: Algol" }).waitFor();
await shoot(reader, "site-page");

await browser.close();
await house.stop();
