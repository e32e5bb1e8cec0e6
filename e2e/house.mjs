// Starts a demo house for a browser test, and Chromium to visit it with.
import assert from "node:assert/strict";
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { request } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "playwright-core";

const password = "lantern over the hill";

// evening is when the demo house was written down, and where its clock stands in tests.
export const evening = "2026-11-24T18:00:00+01:00";

// clock is where that of the house stands that was started last: browsers have the same.
let clock = evening;

// startHouse runs the demo on a free port; extra are further flags.
export async function startHouse(...extra) {
  const at = extra.indexOf("--clock");
  clock = at < 0 ? evening : extra[at + 1];
  if (at < 0) extra = ["--clock", clock, ...extra];
  const child = spawn(process.env.VELADA ?? "bin/velada", ["demo", "--listen", "127.0.0.1:0", ...extra], { stdio: ["ignore", "pipe", "inherit"] });
  const printed = await new Promise((resolve, reject) => {
    let text = "";
    child.stdout.on("data", (chunk) => {
      text += chunk;
      if (text.includes("Ctrl-C")) resolve(text);
    });
    child.on("exit", (code) => reject(new Error(`velada ended with code ${code}:\n${text}`)));
  });
  const [, scheme, base, port] = /Console {2}(https?):\/\/velada\.([a-z.]+):(\d+)/.exec(printed);
  return {
    console: `${scheme}://velada.${base}:${port}`,
    port,
    site: (address, path = "") => `${scheme}://${address}.${base}:${port}${path}`,
    printed,
    // ask asks a site for a path without a browser, and keeps everything it answers.
    ask: (address, path) => new Promise((resolve, reject) => {
      request({ host: "127.0.0.1", port, path, headers: { host: `${address}.localhost:${port}` } }, (answer) => {
        let body = "";
        answer.on("data", (chunk) => { body += chunk; });
        answer.on("end", () => {
          delete answer.headers.date;
          resolve({ status: answer.statusCode, headers: answer.headers, body });
        });
      }).on("error", reject).end();
    }),
    stop: () => new Promise((resolve) => {
      child.removeAllListeners("exit");
      child.on("exit", resolve);
      child.kill("SIGINT");
    }),
  };
}

// startEmpty runs a real house on an empty folder; code is what its first visitor is asked for.
export async function startEmpty() {
  const folder = mkdtempSync(join(tmpdir(), "velada-e2e-"));
  const child = spawn(process.env.VELADA ?? "bin/velada", ["serve", "--data", folder, "--listen", "127.0.0.1:0", "--clock", (clock = evening)], { stdio: ["ignore", "pipe", "inherit"] });
  const said = /\n {2}(\w+( \w+){3})\n/;
  const printed = await new Promise((resolve) => {
    let text = "";
    child.stdout.on("data", (chunk) => {
      text += chunk;
      if (said.test(text)) resolve(text);
    });
  });
  const origin = /Console {2}(\S+)/.exec(printed)[1];
  return {
    console: origin,
    site: (address, path = "") => `http://${address}.localhost:${new URL(origin).port}${path}`,
    code: said.exec(printed)[1],
    stop: async () => {
      child.kill("SIGINT");
      await new Promise((resolve) => child.on("exit", resolve));
      rmSync(folder, { recursive: true });
    },
  };
}

// startBrowser starts Chromium; more are further flags.
export async function startBrowser(...more) {
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync", ...more],
  });
  const troubles = [];
  return {
    // close ends the browser, and fails where a page that a test saw had an error.
    close: async () => {
      await browser.close();
      assert.deepEqual(troubles, [], "errors in the browser's console");
    },
    // newContext opens a browser of its own. What a test means to happen, as a script that
    // must not run, is said in expected.
    newContext: async ({ expected = [], ...options } = {}) => {
      const context = await browser.newContext(options);
      await context.clock.setFixedTime(clock);
      context.setDefaultTimeout(Number(process.env.PATIENCE ?? 20000));
      const trouble = (text) => { if (!expected.some((e) => e.test(text))) troubles.push(text); };
      context.on("weberror", (e) => trouble(`${e.page()?.url()}: ${e.error().message}`));
      context.on("console", (m) => {
        if (m.type() === "error" && !asked(m) && !ofClock(m)) trouble(`${m.location().url}: ${m.text()}`);
      });
      context.on("response", (r) => {
        if (r.status() >= 400 && !isAsked(r.request())) trouble(`${r.request().method()} ${r.url()}: ${r.status()}`);
      });
      return context;
    },
  };
}

// Chromium writes every answer of 400 and above into its console, also to pages and forms
// that a test asked for; those that nobody asked for are found by their requests.
// A house that was stopped answers nothing, and what was on its way to a page that is left is cut off.
const asked = (message) => /^(Failed to load resource: (the server responded with a status|net::ERR_(CONNECTION_REFUSED|CONNECTION_RESET|EMPTY_RESPONSE))|htmx: htmx:error: Failed to fetch)/.test(message.text());

// A frame in which nothing runs refuses the script, too, that sets a browser's clock.
export const ofClock = (message) => /Blocked script execution in .* because the document's frame is sandboxed/.test(message.text());

function isAsked(request) {
  if (request.resourceType() === "fetch" || request.resourceType() === "xhr") return true;
  return request.isNavigationRequest() && request.frame().parentFrame() === null;
}

// signIn signs somebody of the demo house in on the console.
export async function signIn(page, house, address = "ines@cerroalcor.example") {
  await page.goto(`${house.console}/sign-in`);
  await fillSignIn(page, address);
}

// goOn goes to a page of a site as whoever is signed in on the console: by a press, the first time.
export async function goOn(page, house, site, path = "/") {
  await page.goto(house.site(site, `/velada/sign-in?path=${path}`));
  const press = page.getByRole("button", { name: /^Go on to / });
  if (await press.isVisible()) await press.click();
  await page.waitForURL((url) => url.pathname === path);
}

// fillSignIn fills in the sign-in page that is open.
export async function fillSignIn(page, address) {
  await page.getByLabel(/e-mail address/).fill(address);
  await page.getByLabel("Your password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
}
