// Takes the pictures in docs/screenshots anew from the demo house, its clock
// standing still (make shots).
import { fillSignIn, goOn, signIn, startBrowser, startHouse } from "./house.mjs";

const house = await startHouse("--clock", "2026-11-24T18:00:00+01:00", "--listen", "127.0.0.1:8080");
const browser = await startBrowser();
const page = async () => (await browser.newContext({ viewport: { width: 1280, height: 800 }, timezoneId: "Europe/Madrid" })).newPage();
const shoot = (from, name) => from.screenshot({ path: `docs/screenshots/${name}.png`, caret: "initial" });

// several views beside each other in one picture
async function beside(name, width, ...views) {
  const pictures = [];
  for (const view of views) pictures.push(`data:image/png;base64,${(await view.screenshot({ caret: "initial" })).toString("base64")}`);
  const both = await page();
  await both.setContent(`<body style="margin:0;display:flex;gap:${(1280 - width * views.length) / (views.length - 1)}px;background:#6d7c88">${pictures.map((p) => `<img src="${p}" width="${width}">`).join("")}</body>`);
  await shoot(both, name);
}
const narrow = async (width) => (await browser.newContext({ viewport: { width, height: 800 }, timezoneId: "Europe/Madrid" })).newPage();

const admin = await page();
await signIn(admin, house);
await admin.getByRole("heading", { name: "Sites", exact: true }).waitFor();
await shoot(admin, "sites");
await admin.goto(`${house.console}/rounds`);
await shoot(admin, "rounds");
await admin.goto(`${house.console}/calendar`);
await shoot(admin, "calendar");
await admin.goto(`${house.console}/house-rules`);
await shoot(admin, "house-rules");
await admin.goto(`${house.console}/new-site`);
await admin.getByRole("radio", { name: /^A class or course/ }).click({ force: true });
await admin.getByLabel("Name", { exact: true }).fill("Night walks class");
await admin.getByText("free", { exact: false }).first().waitFor();
await admin.getByRole("button", { name: "Make the site" }).click();
await admin.getByRole("heading", { name: "Next steps" }).waitFor();
await admin.goto(`${house.console}/sites/night-walks-class/publish`);
await admin.waitForTimeout(900); // the frames draw
await shoot(admin, "first-publication");

await admin.goto(`${house.console}/sites/variable-stars/door?add=people`);
await admin.getByRole("textbox", { name: "People" }).fill("Edda Galindo; Nadia Sorel <nadia@lens.example>");
await admin.locator("input[name=until]").fill("18 Dec 2026 23:00");
await admin.locator("form[action$='/door/add']").getByRole("button", { name: "See what this does" }).click();
await admin.locator(".tray").waitFor();
await shoot(admin, "door");

await admin.goto(`${house.console}/sites/variable-stars/rehearsal`);
await admin.getByText("What these changes do").waitFor();
await admin.goto(`${house.console}/sites/variable-stars/traffic`);
await admin.locator(".replayed b, .replayed small").first().waitFor();
await shoot(admin, "traffic");
await admin.goto(`${house.console}/sites/variable-stars/door`);
for (const way of ["Anyone signed in at", "Everyone in Variable Stars class"]) {
  await admin.locator(".way", { hasText: way }).getByRole("button", { name: /^Remove/ }).click();
  await admin.locator(".way.gone", { hasText: way }).waitFor();
}
await admin.locator(".tray").getByText("shut out").waitFor();
const [does, replayed] = [await narrow(632), await narrow(632)];
for (const view of [does, replayed]) await signIn(view, house);
await does.goto(`${house.console}/sites/variable-stars/rehearsal`);
await does.getByText("What these changes do").waitFor();
await replayed.goto(`${house.console}/sites/variable-stars/traffic/replay`);
await replayed.getByText("were decided again").waitFor();
await beside("rehearsal-and-replay", 632, does, replayed);
await admin.goto(`${house.console}/sites/variable-stars/rehearsal`);
await admin.getByRole("button", { name: "Discard" }).click();
await admin.getByText("The changes are discarded").waitFor();
await admin.goto(`${house.console}/sites/variable-stars`);
await shoot(admin, "overview");

await admin.goto(`${house.console}/sites/variable-stars/sightlines`);
await admin.getByRole("link", { name: /^12 Dec 2026 20:00/ }).click();
await admin.getByRole("heading", { name: /^Sightlines at/ }).waitFor();
await shoot(admin, "sightlines");

await admin.goto(`${house.console}/sites/variable-stars/walk?page=/crew/antlia&as=group:corvus`);
await admin.frameLocator("iframe").getByRole("heading", { level: 1 }).waitFor();
await shoot(admin, "walk-in-as");

await admin.goto(`${house.console}/sites/new-dome/holding`);
await admin.frameLocator("iframe").getByRole("heading", { level: 1 }).waitFor();
await shoot(admin, "holding-page");

const [editor, difference] = [await narrow(632), await narrow(632)];
for (const view of [editor, difference]) await signIn(view, house);
await editor.goto(`${house.console}/sites/variable-stars/pages?path=/notes/week-2`);
await difference.goto(`${house.console}/sites/variable-stars/publish`);
await beside("pages-and-difference", 632, editor, difference);
await admin.goto(`${house.console}/sites/variable-stars/publish`);
await admin.getByLabel("Note").fill("The third week, and a reminder");
await admin.getByRole("button", { name: "Publish edition 8" }).click();
await admin.getByText("Edition 8 is live.").waitFor();

const [results, domains] = [await narrow(632), await narrow(632)];
for (const view of [results, domains]) await signIn(view, house);
await results.goto(`${house.console}/sites/variable-stars/settings`);
await domains.goto(`${house.console}/sites/society/settings/address`);
await domains.getByText("It leads elsewhere: to old-host.example.").waitFor();
await domains.evaluate(() => document.querySelector("#domains").scrollIntoView());
await beside("settings", 632, results, domains);


await admin.goto(`${house.console}/sites/society/team?invite=new`);
await admin.getByLabel("E-mail addresses").fill("Nadia Sorel <nadia@press.example>");
await admin.locator("select[name=role]").selectOption("editor");
await admin.locator("input[name=until]").fill("18 Dec 2026 23:00");
await admin.getByLabel("Why they are here").selectOption("freelancer");
await admin.getByLabel("A message of your own").fill("For the August pages. The press kit is under /press.");
await admin.getByRole("button", { name: "Send the invitations" }).click();
await admin.getByText(/^1 invitation lies in the Outbox/).waitFor();
const team = await narrow(632);
await signIn(team, house);
await team.getByRole("heading", { name: "Sites", exact: true }).waitFor();
await team.goto(`${house.console}/sites/society/team`);
await team.waitForTimeout(500);
await admin.goto(`${house.console}/outbox`);
await admin.locator(".mail-list a").first().click();
await admin.locator(".paper").waitFor();
const [ledger, outbox] = [await narrow(632), await narrow(632)];
for (const view of [ledger, outbox]) await signIn(view, house);
await ledger.goto(`${house.console}/ledger`);
await ledger.getByText(/sealed/).waitFor();
await outbox.goto(admin.url());
await outbox.locator(".paper").waitFor();
await beside("ledger-and-outbox", 632, ledger, outbox);

const [coming, slips] = [await narrow(632), await narrow(632)];
for (const view of [coming, slips]) await signIn(view, house);
await coming.goto(`${house.console}/groups/variable-stars/roster`);
await coming.getByLabel("or paste it here").fill("name;crew;address\nKatya Cifuentes;Crew Corvus;katya-cifuentes@cerroalcor.example\nNoor Haddad;Crew Antlia;noor@aula.cerroalcor.example\nEmil Sol;Crew Hydra;emil@aula.cerroalcor.example\nA broken line;Crew Hydra;nowhere\n");
await coming.getByRole("button", { name: "Preview the import" }).click();
await coming.getByText("What it would change").waitFor();
await slips.goto(`${house.console}/groups/junior/roster`);
await slips.getByLabel("or paste it here").fill(["Noor Haddad", "Emil Sol", "Iris Vega", "Vera Luz"].map((name) => `${name};${name.split(" ")[0].toLowerCase()}@aula.cerroalcor.example`).join("\n"));
await slips.getByRole("button", { name: "Preview the import" }).click();
await slips.getByRole("checkbox", { name: /whoever is no longer listed/ }).uncheck();
await slips.getByRole("button", { name: "Update the preview" }).click();
await slips.waitForURL(/said=yes/);
await slips.getByRole("button", { name: "Import" }).click();
await slips.getByRole("button", { name: "Make a sheet" }).click();
await slips.locator(".slip-sheet").waitFor();
await beside("team-and-roster", 632, team, coming);
const [members, person] = [await narrow(632), await narrow(632)];
for (const view of [members, person]) await signIn(view, house);
await members.goto(`${house.console}/sites/society/members`);
await person.goto(`${house.console}/people/odile-kovacs`);
await beside("members-and-people", 632, members, person);

// Each look as a visitor gets it, wide; one of them on a telephone, by day and in the evening; and choosing one.
const fronts = [];
const wide = async (scheme = "light", size = { width: 1280, height: 800 }) => (await browser.newContext({ viewport: size, colorScheme: scheme, timezoneId: "Europe/Madrid" })).newPage();
for (const site of ["society", "variable-stars", "new-dome", "instrument-log"]) {
  const view = await wide();
  await signIn(view, house);
  await view.getByRole("heading", { name: "Sites", exact: true }).waitFor();
  if (site === "society") await view.goto(house.site(site));
  else await goOn(view, house, site);
  await view.locator("h1").first().waitFor();
  fronts.push(view);
}
const party = await wide();
await signIn(party, house);
await party.getByRole("heading", { name: "Sites", exact: true }).waitFor();
await party.goto(`${house.console}/sites/august/settings/look`);
await party.waitForTimeout(1500);
await shoot(party, "look-chooser");
await party.goto(await party.locator("#tried iframe").first().getAttribute("src"));
fronts.push(party);
const phones = [];
for (const scheme of ["light", "dark"]) {
  const view = await wide(scheme, { width: 390, height: 500 });
  await view.goto(house.site("society", "/visit"));
  phones.push(view);
}
await fronts[0].waitForTimeout(600);
const drawn = [];
for (const view of [...fronts, ...phones]) {
  await view.reload(); // with the type that came the first time
  await view.waitForTimeout(300);
  drawn.push(`data:image/png;base64,${(await view.screenshot({ caret: "initial" })).toString("base64")}`);
}
const all = await wide("light", { width: 1280, height: 552 });
await all.setContent(`<body style="margin:0;padding:8px;box-sizing:border-box;background:#6d7c88;display:grid;grid-template-columns:repeat(3,1fr);gap:8px">${drawn.slice(0, 5).map((d) => `<img style="width:100%;display:block" src="${d}">`).join("")}<div style="display:flex;gap:8px;justify-content:center">${drawn.slice(5).map((d) => `<img style="height:258px" src="${d}">`).join("")}</div></body>`);
await shoot(all, "looks");

await browser.close();
await house.stop();
