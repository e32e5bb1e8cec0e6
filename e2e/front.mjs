// A server in front of a house that ends https, as operators have one, with a certificate for tests.
import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { request } from "node:http";
import { createServer } from "node:https";
import { connect } from "node:net";
import { join } from "node:path";

// startFront answers by https at a port, and hands all of it on to another.
export async function startFront(at, to) {
  const module = execFileSync("go", ["list", "-m", "-f", "{{.Dir}}", "github.com/letsencrypt/pebble/v2"]).toString().trim();
  const keys = join(module, "test", "certs", "localhost");
  const server = createServer({ cert: readFileSync(join(keys, "cert.pem")), key: readFileSync(join(keys, "key.pem")), maxHeaderSize: 1 << 20 });
  server.on("request", (asked, answer) => {
    const on = request({ host: "127.0.0.1", port: to, path: asked.url, method: asked.method, headers: { ...asked.headers, "x-forwarded-for": "127.0.0.1" }, maxHeaderSize: 1 << 20 }, (said) => {
      answer.writeHead(said.statusCode, said.headers);
      said.pipe(answer);
    });
    on.on("error", () => answer.destroy());
    asked.pipe(on);
  });
  server.on("upgrade", (asked, socket, head) => {
    const on = connect(to, "127.0.0.1", () => {
      on.write(`${asked.method} ${asked.url} HTTP/1.1\r\n${Object.entries(asked.headers).map(([name, value]) => `${name}: ${value}`).join("\r\n")}\r\n\r\n`);
      on.write(head);
      on.pipe(socket).pipe(on);
    });
    for (const end of [on, socket]) end.on("error", () => { on.destroy(); socket.destroy(); });
  });
  await new Promise((resolve) => { server.listen(at, "127.0.0.1", resolve); });
  return { stop: () => new Promise((resolve) => { server.closeAllConnections(); server.close(resolve); }) };
}
