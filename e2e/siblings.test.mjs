// What a site with code, a server and workers of its own gets of its siblings below one base, by https,
// while a steward who may do everything visits it: nothing.
import assert from "node:assert/strict";
import { createServer } from "node:http";
import { after, before, test } from "node:test";
import { startFront } from "./front.mjs";
import { goOn, signIn, startBrowser, startHouse } from "./house.mjs";
import { freePort } from "./issuer.mjs";

let house, front, browser, theirs, victims;

// startServer is a web server behind a site: it notes what it is told, and how sockets are opened.
async function startServer(page) {
  const told = [];
  const server = createServer((asked, answer) => {
    told.push({ method: asked.method, url: asked.url, host: asked.headers.host, person: asked.headers["velada-person"] ?? "" });
    if (asked.url.endsWith(".js")) {
      answer.writeHead(200, { "content-type": "text/javascript", "service-worker-allowed": "/" });
      answer.end("self.addEventListener('install', () => self.skipWaiting()); self.addEventListener('activate', (e) => e.waitUntil(self.clients.claim())); self.addEventListener('fetch', (e) => e.respondWith(e.request.mode === 'navigate' ? new Response('taken over', { headers: { 'content-type': 'text/html' } }) : fetch(e.request)));");
      return;
    }
    answer.writeHead(200, { "content-type": "text/html" });
    answer.end(page);
  });
  server.on("upgrade", (asked, socket) => {
    told.push({ method: "SOCKET", url: asked.url, person: asked.headers["velada-person"] ?? "" });
    socket.destroy();
  });
  await new Promise((resolve) => { server.listen(0, "127.0.0.1", resolve); });
  return { told, url: `http://127.0.0.1:${server.address().port}`, stop: () => new Promise((resolve) => { server.closeAllConnections(); server.close(resolve); }) };
}

before(async () => {
  const [inside, outside] = [await freePort(), await freePort()];
  front = await startFront(outside, inside);
  house = await startHouse("--base", "house.example", "--https", "--listen", `127.0.0.1:${inside}`, "--https-port", outside);
  theirs = await startServer("<!doctype html><title>theirs</title><h1>A site with a server of its own</h1>");
  victims = await startServer("<!doctype html><title>victim</title><h1>A log</h1>");
  browser = await startBrowser("--host-resolver-rules=MAP *.house.example 127.0.0.1", "--ignore-certificate-errors");
});
after(async () => {
  await browser?.close();
  await Promise.all([house?.stop(), front?.stop(), theirs?.stop(), victims?.stop()]);
});

// A refused script, picture or frame is what these tests are about.
const refused = [/./];

async function steward() {
  const context = await browser.newContext({ ignoreHTTPSErrors: true, expected: refused });
  const page = await context.newPage();
  await signIn(page, house);
  return { context, page };
}

async function elsewhere(page, site, server) {
  await page.goto(`${house.console}/sites/${site}/settings/elsewhere`);
  await page.getByLabel(/The web server behind this door/).fill(server);
  await page.getByRole("button", { name: "Save" }).first().click();
  await page.getByText("Saved. It holds from now on.").waitFor();
}

test("a sibling learns nothing of a steward's sites, console and person", async () => {
  const { context, page } = await steward();
  await elsewhere(page, "society", theirs.url);
  await elsewhere(page, "instrument-log", victims.url);
  await goOn(page, house, "variable-stars", "/notes");
  await goOn(page, house, "instrument-log");
  assert.ok(victims.told.some((t) => t.person === "ines"), "the steward is not known where they pressed");

  await page.goto(house.site("society", "/"));
  await page.getByText("A site with a server of its own").waitFor();
  assert.ok(theirs.told.every((t) => t.person === ""), "a site learns who visits it without a press");
  victims.told.length = 0;

  // what loads, how it fails, and what a fetch tells is the same of what is there and of what is not
  const seen = await page.evaluate(async ({ pairs }) => {
    const load = (tag, url) => new Promise((resolve) => {
      const e = document.createElement(tag);
      e.onload = () => resolve("load");
      e.onerror = () => resolve("error");
      if (tag === "link") { e.rel = "stylesheet"; e.href = url; } else e.src = url;
      document.head.append(e);
    });
    const asked = async (url, options) => {
      try {
        const r = await fetch(url, { credentials: "include", ...options });
        return `${r.type} ${r.status} ${r.redirected}`;
      } catch (e) {
        return String(e);
      }
    };
    const results = [];
    for (const [there, missing] of pairs) {
      for (const how of [(u) => load("img", u), (u) => load("script", u), (u) => load("link", u), (u) => asked(u, { mode: "no-cors" }), (u) => asked(u, { mode: "no-cors", redirect: "manual" }), (u) => asked(u, { mode: "cors" })]) {
        results.push([there, await how(there), await how(missing)]);
      }
    }
    return results;
  }, { pairs: [
    [house.site("variable-stars", "/notes"), house.site("variable-stars", "/nowhere")],
    [`${house.console}/sites/variable-stars`, `${house.console}/sites/nowhere`],
    [`${house.console}/people/pilar`, `${house.console}/people/nobody`],
  ] });
  for (const [url, there, missing] of seen) {
    assert.equal(there, missing, `${url} is told from nothing`);
    assert.doesNotMatch(there, /^(load|opaque |cors )/, `${url} is read: ${there}`);
  }

  // nothing that may change something reaches a server behind another site, and no socket
  await page.evaluate(async ({ target, socket }) => {
    await fetch(target, { method: "POST", mode: "no-cors", credentials: "include", body: "x=1" }).catch(() => {});
    await new Promise((resolve) => {
      const s = new WebSocket(socket);
      s.onopen = s.onclose = s.onerror = resolve;
    });
  }, { target: house.site("instrument-log", "/delete"), socket: house.site("instrument-log", "/live").replace("https", "wss") });
  assert.deepEqual(victims.told, [], "a server behind is told something");

  // a window that was opened is not held
  const [opened] = await Promise.all([
    context.waitForEvent("page"),
    page.evaluate((url) => { window.held = window.open(url); }, house.site("variable-stars", "/notes")),
  ]);
  await opened.waitForLoadState();
  assert.equal(await page.evaluate(() => window.held.closed), true, "the opener still holds the window");
  await opened.close();

  // a worker is let in nowhere
  const worker = await page.evaluate(() => navigator.serviceWorker.register("/visit/sw.js").then(() => "registered", (e) => e.name));
  assert.notEqual(worker, "registered");

  // nobody is led on to the site without a press
  await page.goto(house.site("society", "/velada/sign-in?path=/"));
  await page.getByRole("button", { name: "Go on to Cerro Alcor Society as Inés" }).waitFor();
  assert.ok(theirs.told.every((t) => t.person === ""), "a site learns who visits it without a press");
  await page.getByRole("button", { name: /^Go on to / }).click();
  await page.waitForURL(house.site("society", "/"));
  assert.ok(theirs.told.some((t) => t.person === "ines"));
  await context.close();
});

test("code of a site reaches nothing through a look", async () => {
  const { context, page } = await steward();
  await elsewhere(page, "society", theirs.url);
  theirs.told.length = 0;
  await page.goto(`${house.console}/sites/society/walk?as=person:pilar&page=/visit`);
  const frame = page.frameLocator("iframe").first();
  await frame.getByText("A site with a server of its own").waitFor();
  const inside = page.frames().find((f) => /look-[0-9a-f]{32}\.house\.example/.test(f.url()));
  assert.ok(inside, "the look has no host of its own");
  assert.doesNotMatch(inside.url(), /velada\/look/, "its key stays in its address");
  const tried = await inside.evaluate(async () => {
    const attempt = async (name, what) => {
      try {
        return `${name}: ${await what()}`;
      } catch (e) {
        return `${name} refused: ${e.name}`;
      }
    };
    return [
      self.origin,
      await attempt("worker", async () => (await navigator.serviceWorker.register("/visit/sw.js")) && "registered"),
      await attempt("storage", () => { localStorage.x = 1; return "kept"; }),
      await attempt("cookie", () => document.cookie || "kept"),
      await attempt("entries", () => navigation.entries().length),
      await attempt("above", () => window.parent.document.title),
    ];
  });
  assert.equal(tried[0], "null");
  assert.deepEqual(tried.slice(1).filter((t) => !/refused/.test(t) && t !== "entries: 0"), []);
  assert.ok(theirs.told.every((t) => !/look/.test(t.host)), "the server behind learns where it is looked at");

  // its address alone opens nothing in another browser
  const stranger = await (await browser.newContext({ ignoreHTTPSErrors: true, expected: refused })).newPage();
  assert.equal((await stranger.goto(inside.url())).status(), 404);

  // a site of Velada's own is shown with its style and fonts
  await page.goto(`${house.console}/sites/variable-stars/walk?as=person:pilar&page=/notes`);
  await page.frameLocator("iframe").first().getByRole("heading", { level: 1 }).waitFor();
  const dressed = page.frames().find((f) => /look-[0-9a-f]{32}/.test(f.url()));
  assert.ok(await dressed.locator("body").evaluate((b) => getComputedStyle(b).fontFamily !== "Times New Roman" && [...document.styleSheets].length > 0), "a look has no style");
  assert.ok(await dressed.locator("main img").evaluateAll((all) => all.length > 0 && all.every((p) => p.naturalWidth > 0)), "a look has no pictures");
  await dressed.getByRole("link", { name: "How to join" }).first().press("Enter");
  await dressed.getByRole("heading", { name: "How to join" }).waitFor();
  await context.close();
});

test("a worker that was let in goes with the word for it", async () => {
  const { context, page } = await steward();
  await elsewhere(page, "society", theirs.url);
  const workers = async (on) => {
    await page.goto(`${house.console}/sites/society/settings/code`);
    await page.getByLabel("Workers may stay in visitors’ browsers").setChecked(on);
    await page.getByRole("button", { name: "Save" }).first().click();
    await page.getByText("Saved. It holds for every page from now on.").waitFor();
  };
  await workers(true);
  const reader = await (await browser.newContext({ ignoreHTTPSErrors: true, expected: refused })).newPage();
  const register = () => reader.evaluate(async () => {
    try {
      await navigator.serviceWorker.register("/sw.js");
      await navigator.serviceWorker.ready;
      return "registered";
    } catch (e) {
      return e.name;
    }
  });
  await reader.goto(house.site("society", "/"));
  assert.equal(await register(), "registered");
  await reader.goto(house.site("society", "/visit"));
  await reader.getByText("taken over").waitFor();
  await workers(false);
  await reader.evaluate(async () => { await (await navigator.serviceWorker.getRegistration())?.update().catch(() => {}); await fetch("/again").catch(() => {}); });
  await reader.waitForFunction(async () => (await navigator.serviceWorker.getRegistrations()).length === 0);
  await reader.goto(house.site("society", "/visit"));
  await reader.getByText("A site with a server of its own").waitFor();
  assert.notEqual(await register(), "registered");
  await context.close();
});

test("a site that fills the domain above with cookies shuts nobody out", async () => {
  const { context, page } = await steward();
  await elsewhere(page, "society", theirs.url);
  await goOn(page, house, "variable-stars", "/notes");
  await page.goto(house.site("society", "/"));
  const filled = await page.evaluate(() => {
    for (let i = 0; i < 60; i++) document.cookie = `filler${i}=${"x".repeat(3500)}; Domain=house.example; Path=/; Secure`;
    return document.cookie.length;
  });
  assert.ok(filled > 150000, `only ${filled} bytes are kept`);
  for (const [url, heading] of [[`${house.console}/sites`, "Sites"], [house.site("variable-stars", "/notes"), "Course notes"]]) {
    assert.equal((await page.goto(url)).status(), 200, url);
    await page.getByRole("heading", { name: heading, exact: true }).first().waitFor();
  }
  const left = (await context.cookies(house.site("variable-stars"))).filter((c) => c.name.startsWith("filler"));
  assert.ok(left.length < 10, `${left.length} of them stay`);
  await context.close();
});

test("the console stands below another domain than the sites", async () => {
  const [inside, outside] = [await freePort(), await freePort()];
  const before = await startFront(outside, inside);
  const apart = await startHouse("--base", "house.example", "--console-host", "velada.keys.example", "--https", "--listen", `127.0.0.1:${inside}`, "--https-port", outside);
  const far = await startBrowser("--host-resolver-rules=MAP *.example 127.0.0.1", "--ignore-certificate-errors");
  try {
    const context = await far.newContext({ ignoreHTTPSErrors: true, expected: refused });
    const page = await context.newPage();
    assert.equal(apart.console, `https://velada.keys.example:${outside}`);
    const site = (address, path = "") => `https://${address}.house.example:${outside}${path}`;
    await page.goto(site("velada"));
    assert.equal(new URL(page.url()).host, new URL(apart.console).host, "the console’s place below the base leads elsewhere");
    await signIn(page, apart);
    await page.getByRole("heading", { name: "Sites", exact: true }).waitFor();
    await goOn(page, { site }, "variable-stars", "/notes");
    await page.getByText("Signed in as").first().waitFor();
    await page.goto(`${apart.console}/sites/variable-stars/walk?as=person:pilar&page=/notes`);
    const frame = page.frameLocator("iframe").first();
    await frame.getByRole("heading", { name: "Course notes" }).waitFor();
    await frame.getByRole("link", { name: "How to join" }).first().press("Enter");
    await frame.getByRole("heading", { name: "How to join" }).waitFor();
    await context.close();
  } finally {
    await Promise.all([far.close(), apart.stop(), before.stop()]);
  }
});
