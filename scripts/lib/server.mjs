import path from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { ENV, NEXT } from "./setup.mjs";
import { Halt, ROOT, start } from "./shell.mjs";

/** How an address that is listened at is written in a URL; of all of them, this computer's own. */
export const urlHost = (host) => (host === "0.0.0.0" || host === "::" ? "127.0.0.1" : host.includes(":") ? `[${host}]` : host);

const WEB = path.join(import.meta.dirname, "web.mjs");

/** Starts the web server and waits until it answers. */
export async function startServer({ databaseUrl, port, host = "127.0.0.1", dev = false, quiet = false, env = {}, begun = () => {} }) {
  const server = start("node", dev ? [NEXT, "dev", "-p", String(port), "-H", host] : [WEB, String(port), host], {
    cwd: path.join(ROOT, "studio"),
    env: { ...process.env, ...ENV, NODE_ENV: dev ? "development" : "production", DATABASE_URL: databaseUrl, ...env },
    stdio: ["ignore", quiet ? "ignore" : dev ? "inherit" : "ignore", "inherit"],
  });
  begun(server.stop);
  const url = `http://${urlHost(host)}:${port}`;
  const until = Date.now() + 120_000;
  let gone = false;
  void server.exit.then(() => {
    gone = true;
  });
  while (Date.now() < until && !gone) {
    const answer = await fetch(`${url}/api/health`).catch(() => null);
    if (answer?.ok || answer?.status === 401) return { ...server, url };
    await wait(200);
  }
  await server.stop();
  throw new Halt(gone ? "The web server ended before it answered; its last words are above." : "The web server did not answer within two minutes.");
}
