// npm start: sets everything up, opens the demo's database, serves, and stops what it started.

import { randomUUID } from "node:crypto";
import { certificate, startFront } from "./lib/front.mjs";
import { processScript } from "./lib/plain.mjs";
import { startPostgres } from "./lib/postgres.mjs";
import { claim } from "./lib/running.mjs";
import { startServer, urlHost } from "./lib/server.mjs";
import { buildForDev, ENV, ensureBuild, ensureFfmpeg, ensureModules, ensureNode, migrate } from "./lib/setup.mjs";
import { freePort, Halt, say, start } from "./lib/shell.mjs";

const dev = process.argv.includes("--dev");
const demoOnly = process.argv.includes("--demo-only");
/** Where what is made is kept, from the project's own folder. */
const folder = process.env.WET_THREAD_DATA ?? ".data";
const host = process.env.HOST ?? "127.0.0.1";
/** A web server that is gone so soon after it was there will not stay up the next time either. */
const QUICK_MS = 10_000;
const stops = [];
let stopping = false;
async function stop(code) {
  if (stopping) return;
  stopping = true;
  for (const one of stops.reverse()) {
    try {
      await one();
    } catch (error) {
      console.error(error instanceof Halt ? `wet thread: ${error.message}` : error);
    }
  }
  process.exit(code);
}
for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => void stop(0));

/** The port that was asked for. Throws Halt for what is no port. */
function portAsked() {
  const text = process.env.PORT ?? "4310";
  const port = Number(text);
  if (!/^\d+$/.test(text) || port < 1 || port > 65_535)
    throw new Halt(`PORT=${text} is no port: give a number from 1 to 65535. Nothing was started.`);
  return port;
}

try {
  const open = !/^(127\.|localhost$|::1$)/.test(host);
  if (open && !process.env.WET_THREAD_PASSPHRASE)
    throw new Halt(`HOST=${host} opens this server to the network. Set WET_THREAD_PASSPHRASE first; people sign in with it. Nothing was started.`);
  const wished = portAsked();
  const tls = certificate();
  ensureNode();
  const running = await claim(folder);
  if (running.url) {
    say(`it runs already: open ${running.url}  (this start ends; the other goes on)`);
    process.exit(0);
  }
  stops.push(running.leave);
  ensureModules();
  ensureFfmpeg();
  const postgres = await startPostgres(folder, (end) => stops.push(end));
  stops.push(postgres.watch());
  const built = dev ? await buildForDev() : await ensureBuild();
  migrate(postgres.url);
  // Open to the network, over https, or with a passphrase (a proxy may stand before it), a front stands before the web server, which then
  // listens on loopback only: what a request says of where it came from counts only as the front tells it.
  const fronted = open || tls !== null || Boolean(process.env.WET_THREAD_PASSPHRASE);
  const port = await freePort(fronted ? 0 : wished, fronted ? "127.0.0.1" : host);
  // Whoever starts the server may make the demo on it.
  const token = randomUUID();
  const serve = () =>
    startServer({
      databaseUrl: postgres.url,
      port,
      host: fronted ? "127.0.0.1" : host,
      dev,
      begun: (end) => stops.push(end),
      env: { ...built, WET_THREAD_START_TOKEN: token, WET_THREAD_FRONTED: fronted ? "1" : "" },
    });
  let server = await serve();
  let { url } = server;
  if (fronted) {
    const outside = await freePort(wished, host);
    stops.push(
      await startFront({ host, port: outside, to: port, tls, proxies: (process.env.WET_THREAD_PROXY ?? "").split(",").map((p) => p.trim()) }),
    );
    url = `${tls ? "https" : "http"}://${urlHost(host)}:${outside}`;
  }
  running.serves(url, server.child.pid);
  const demo = start("node", [processScript("demo"), server.url], {
    env: { ...process.env, ...ENV, DATABASE_URL: postgres.url, WET_THREAD_TOKEN: token },
  });
  stops.push(demo.stop);
  if ((await demo.exit) !== 0 && !stopping) throw new Halt("The demo could not be made; its last words are above. The next start tries again.");
  if (demoOnly) await stop(0);
  say(`open ${url}  (Ctrl+C stops it)`);
  // A web server that ends by itself is started again, unless it can't stay up.
  for (let quick = 0; ; ) {
    const since = Date.now();
    await server.exit;
    if (stopping) break;
    quick = Date.now() - since < QUICK_MS ? quick + 1 : 0;
    if (quick === 3) throw new Halt("The web server ended three times as soon as it was there; its last words are above. What was saved is safe.");
    say("the web server ended by itself and is started again; what was saved is safe");
    server = await serve();
    running.serves(url, server.child.pid);
  }
} catch (error) {
  if (!stopping) console.error(error instanceof Halt ? `wet thread: ${error.message}` : error);
  await stop(1);
}
