// npm start: sets everything up, opens the demo's database, serves, and stops what it started.

import { startPostgres } from "./lib/postgres.mjs";
import { startServer } from "./lib/server.mjs";
import { buildWorklet, ENV, ensureBuild, ensureModules, ensureNode, migrate, TSX } from "./lib/setup.mjs";
import { freePort, Halt, run, say } from "./lib/shell.mjs";

const dev = process.argv.includes("--dev");
const demoOnly = process.argv.includes("--demo-only");
const host = process.env.HOST ?? "127.0.0.1";
const stops = [];
let stopping = false;
async function stop(code) {
  if (stopping) return;
  stopping = true;
  for (const one of stops.reverse()) await one();
  process.exit(code);
}
process.on("SIGINT", () => void stop(0));
process.on("SIGTERM", () => void stop(0));

try {
  if (!/^(127\.|localhost$|::1$)/.test(host) && !process.env.WET_THREAD_PASSPHRASE)
    throw new Halt(`HOST=${host} opens this server to the network. Set WET_THREAD_PASSPHRASE first; people sign in with it. Nothing was started.`);
  ensureNode();
  ensureModules();
  const postgres = await startPostgres(".data");
  stops.push(() => postgres.stop());
  migrate(postgres.url);
  if (dev) await buildWorklet();
  else await ensureBuild();
  const port = await freePort(Number(process.env.PORT ?? 4310));
  const server = await startServer({ databaseUrl: postgres.url, port, host, dev });
  stops.push(server.stop);
  run("node", [...TSX, "demo/create.ts", server.url], { env: { ...process.env, ...ENV, DATABASE_URL: postgres.url } });
  if (demoOnly) await stop(0);
  say(`open ${server.url}  (Ctrl+C stops it)`);
  await server.exit;
  await stop(1);
} catch (error) {
  console.error(error instanceof Halt ? `wet thread: ${error.message}` : error);
  await stop(1);
}
