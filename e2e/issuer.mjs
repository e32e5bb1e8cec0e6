// Starts an issuer of certificates that others wrote, for browser tests.
import { execFileSync, spawn } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";

// freePort returns a port at which nothing listens.
export const freePort = () => new Promise((resolve) => {
  const server = createServer().listen(0, "127.0.0.1", () => {
    const { port } = server.address();
    server.close(() => resolve(port));
  });
});

// startIssuer runs it for a house that answers at two ports, with name servers at a third.
export async function startIssuer(http, https, names) {
  const [at, managing] = [await freePort(), await freePort()];
  const module = execFileSync("go", ["list", "-m", "-f", "{{.Dir}}", "github.com/letsencrypt/pebble/v2"]).toString().trim();
  const certs = join(module, "test", "certs");
  const config = join(mkdtempSync(join(tmpdir(), "velada-issuer-")), "config.json");
  writeFileSync(config, JSON.stringify({
    pebble: {
      listenAddress: `127.0.0.1:${at}`, managementListenAddress: `127.0.0.1:${managing}`, httpPort: http, tlsPort: https,
      certificate: join(certs, "localhost", "cert.pem"), privateKey: join(certs, "localhost", "key.pem"), retryAfter: { authz: 1, order: 1 },
      profiles: { default: { description: "for tests", validityPeriod: 7776000 } },
    },
  }));
  const child = spawn("bin/pebble", ["-config", config, "-dnsserver", `127.0.0.1:${names}`], { env: { ...process.env, PEBBLE_VA_NOSLEEP: "1", PEBBLE_WFE_NONCEREJECT: "0" }, stdio: ["ignore", "pipe", "inherit"] });
  await new Promise((resolve) => {
    let text = "";
    child.stdout.on("data", (chunk) => {
      text += chunk;
      if (text.includes("ACME directory available")) resolve();
    });
  });
  return { flags: ["--acme", "--acme-directory", `https://localhost:${at}/dir`, "--acme-root", join(certs, "pebble.minica.pem")], stop: () => child.kill() };
}
