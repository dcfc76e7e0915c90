// npm run bench [-- core hits made stretched derived codecs media many beside large play record takes long] [-- --json]: measures what the budgets of docs/performance.md name, on a database and ports of its own.
import { spawnSync } from "node:child_process";
import fs from "node:fs";
import path from "node:path";
import { startPostgres } from "./lib/postgres.mjs";
import { startServer } from "./lib/server.mjs";
import { ENV, ensureBuild, ensureChromium, ensureFfmpeg, ensureModules, migrate, TSX } from "./lib/setup.mjs";
import { freePort, ROOT } from "./lib/shell.mjs";

const args = process.argv.slice(2);
const parts = args.filter((a) => !a.startsWith("-"));
const wanted = (part) => parts.length === 0 || parts.includes(part);
const stops = [];
let status = 1;
try {
  ensureModules();
  let env = {};
  if (wanted("codecs")) ensureFfmpeg();
  const page = ["derived", "large", "play", "record", "takes", "long"].some(wanted);
  if (page) ensureChromium();
  if (page || ["media", "many", "beside", "stretched"].some(wanted)) {
    await ensureBuild();
    // Its recordings are long: nothing of an earlier run, and nothing of this one, stays on the disk.
    const folder = path.join(ROOT, ".bench");
    fs.rmSync(folder, { recursive: true, force: true });
    stops.push(() => fs.rmSync(folder, { recursive: true, force: true }));
    const postgres = await startPostgres(".bench");
    stops.push(() => postgres.stop());
    migrate(postgres.url);
    const server = await startServer({ databaseUrl: postgres.url, port: await freePort(), quiet: true });
    stops.push(server.stop);
    env = { WET_THREAD_URL: server.url, DATABASE_URL: postgres.url };
  }
  status = spawnSync("node", [...TSX, "bench/run.ts", ...args], { cwd: ROOT, stdio: "inherit", env: { ...process.env, ...ENV, ...env } }).status ?? 1;
} finally {
  for (const stop of stops.reverse()) await stop();
}
process.exit(status);
