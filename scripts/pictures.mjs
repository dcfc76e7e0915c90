// npm run pictures: makes the pictures of docs/screenshots anew, from the demo, on a database and ports of its own.
import { spawnSync } from "node:child_process";
import fs from "node:fs";
import path from "node:path";
import { startPostgres } from "./lib/postgres.mjs";
import { startServer } from "./lib/server.mjs";
import { ENV, ensureBuild, ensureChromium, ensureModules, migrate, TSX } from "./lib/setup.mjs";
import { freePort, ROOT } from "./lib/shell.mjs";

const stops = [];
let status = 1;
try {
  ensureModules();
  ensureChromium();
  await ensureBuild();
  const folder = path.join(ROOT, ".pictures");
  fs.rmSync(folder, { recursive: true, force: true });
  stops.push(() => fs.rmSync(folder, { recursive: true, force: true }));
  const postgres = await startPostgres(".pictures");
  stops.push(() => postgres.stop());
  migrate(postgres.url);
  const server = await startServer({ databaseUrl: postgres.url, port: await freePort(), quiet: true });
  stops.push(server.stop);
  const run = (file, ...args) =>
    spawnSync("node", [...TSX, file, ...args], { cwd: ROOT, stdio: "inherit", env: { ...process.env, ...ENV, WET_THREAD_URL: server.url } }).status ??
    1;
  status = run("demo/first.ts", server.url) || run("scripts/pictures/take.ts", server.url, ...process.argv.slice(2));
} finally {
  for (const stop of stops.reverse()) await stop();
}
process.exit(status);
