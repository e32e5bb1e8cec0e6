// Starts a demo house for a browser test, and Chromium to visit it with.
import { spawn } from "node:child_process";
import { request } from "node:http";
import { chromium } from "playwright-core";

const password = "lantern over the hill";

// startHouse runs the demo on a free port; extra are further flags.
export async function startHouse(...extra) {
  const child = spawn(process.env.VELADA ?? "bin/velada", ["demo", "--listen", "127.0.0.1:0", ...extra], { stdio: ["ignore", "pipe", "inherit"] });
  const printed = await new Promise((resolve, reject) => {
    let text = "";
    child.stdout.on("data", (chunk) => {
      text += chunk;
      if (text.includes("Ctrl-C")) resolve(text);
    });
    child.on("exit", (code) => reject(new Error(`velada ended with code ${code}:\n${text}`)));
  });
  const port = /Console {2}http:\/\/velada\.localhost:(\d+)/.exec(printed)[1];
  return {
    console: `http://velada.localhost:${port}`,
    site: (address, path = "") => `http://${address}.localhost:${port}${path}`,
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

export async function startBrowser() {
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
  });
  return {
    close: () => browser.close(),
    newContext: async (options) => {
      const context = await browser.newContext(options);
      context.setDefaultTimeout(20000);
      return context;
    },
  };
}

// signIn signs somebody of the demo house in on the console.
export async function signIn(page, house, address = "ines@cerroalcor.example") {
  await page.goto(`${house.console}/sign-in`);
  await fillSignIn(page, address);
}

// fillSignIn fills in the sign-in page that is open.
export async function fillSignIn(page, address) {
  await page.getByLabel("Your address").fill(address);
  await page.getByLabel("Your password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
}
