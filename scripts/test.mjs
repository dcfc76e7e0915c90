// npm test: sets everything up, then types, lint, boundaries, unit, API and end-to-end tests, on a database and ports of its own.

import { spawnSync } from "node:child_process";
import fs from "node:fs";
import path from "node:path";
import { startPostgres } from "./lib/postgres.mjs";
import { startServer } from "./lib/server.mjs";
import { ENV, ensureBuild, ensureChromium, ensureModules, ensureNode, ensureTestTools, migrate } from "./lib/setup.mjs";
import { freePort, Halt, ROOT, say } from "./lib/shell.mjs";

let [passed, failed] = [0, 0];
/** What failed, with the beginning of why: said again at the end, where a long run is looked at first. */
const wrong = [];
const stops = [];
const bin = (name) => path.join(ROOT, "node_modules", ".bin", name);
const only = process.argv.slice(2).filter((a) => !a.startsWith("-"));
const wanted = (name) => only.length === 0 || only.includes(name);

function check(name, command, args, options = {}) {
  if (!wanted(name)) return;
  say(`${name} …`);
  const done = spawnSync(command, args, { cwd: ROOT, stdio: "inherit", env: { ...process.env, ...ENV }, ...options });
  if (done.status === 0) passed++;
  else {
    failed++;
    wrong.push(name);
    say(`${name} failed`);
  }
}

/** Runs a test runner that leaves a JSON report, and adds up its tests; a runner that breaks counts as one failure. */
function suite(name, command, args, report, count, options = {}) {
  if (!wanted(name)) return;
  say(`${name} …`);
  fs.rmSync(report, { force: true });
  const done = spawnSync(command, args, { cwd: ROOT, stdio: "inherit", ...options, env: { ...process.env, ...ENV, ...options.env } });
  const found = fs.existsSync(report) ? count(JSON.parse(fs.readFileSync(report, "utf8"))) : { passed: 0, failed: 1 };
  if (done.status !== 0 && found.failed === 0) found.failed = 1;
  if (found.failed > 0)
    wrong.push(...(found.names?.length ? found.names.map((n) => `${name}: ${n}`) : [`${name}: the runner ended with ${done.status ?? done.signal}`]));
  passed += found.passed;
  failed += found.failed;
}

const MOST_WHY = 1500;
const briefly = (title, why) => `${title}\n${String(why ?? "").slice(0, MOST_WHY)}`;
const vitestCount = (r) => ({
  passed: r.numPassedTests,
  failed: r.numFailedTests,
  names: r.testResults.flatMap((file) => {
    const bad = file.assertionResults.filter((t) => t.status === "failed").map((t) => briefly(t.fullName, t.failureMessages[0]));
    return bad.length === 0 && file.status === "failed" ? [briefly(file.name, file.message)] : bad;
  }),
});
const specsOf = (suite) => [...(suite.specs ?? []), ...(suite.suites ?? []).flatMap(specsOf)];
const playwrightCount = (r) => ({
  passed: r.stats.expected + r.stats.flaky,
  failed: r.stats.unexpected,
  names: r.suites
    .flatMap(specsOf)
    .filter((s) => !s.ok)
    .map((s) => briefly(s.title, s.tests[0]?.results[0]?.error?.message)),
});

try {
  ensureNode();
  ensureModules();
  if (wanted("e2e")) ensureChromium();
  if (wanted("e2e") || wanted("api")) ensureTestTools();
  const out = path.join(ROOT, ".test");
  fs.mkdirSync(out, { recursive: true });
  check("types of core", bin("tsc"), ["-p", "core"]);
  check("types of studio", bin("tsc"), ["-p", "studio"]);
  check("types of the worklet", bin("tsc"), ["-p", "studio/engine/worklet"]);
  check("types of demo, bench and e2e", bin("tsc"), ["-p", "tsconfig.json"]);
  check("lint", bin("biome"), ["ci", "--error-on-warnings", "."]);
  check("boundaries", bin("depcruise"), ["--config", ".dependency-cruiser.cjs", "core/src", "studio", "demo", "bench", "e2e"]);
  const vitest = (folder, report) => [
    "run",
    "--root",
    folder,
    "--reporter=default",
    "--reporter=json",
    `--outputFile.json=${path.join(out, report)}`,
  ];
  suite("unit", bin("vitest"), vitest("core", "unit.json"), path.join(out, "unit.json"), vitestCount);
  suite("unit of studio", bin("vitest"), vitest("studio", "studio.json"), path.join(out, "studio.json"), vitestCount);
  if (wanted("api") || wanted("e2e")) {
    await ensureBuild();
    const postgres = await startPostgres(".test", (end) => stops.push(end));
    migrate(postgres.url);
    const server = await startServer({ databaseUrl: postgres.url, port: await freePort(), quiet: true });
    stops.push(server.stop);
    const env = { WET_THREAD_URL: server.url, DATABASE_URL: postgres.url };
    suite("api", bin("vitest"), vitest("e2e/api", "api.json"), path.join(out, "api.json"), vitestCount, { env });
    suite(
      "e2e",
      bin("playwright"),
      ["test", "--config", "e2e/playwright.config.ts", ...(process.env.SPEC ? [process.env.SPEC] : [])],
      path.join(out, "e2e.json"),
      playwrightCount,
      {
        env: { ...env, PLAYWRIGHT_JSON_OUTPUT_NAME: path.join(out, "e2e.json") },
      },
    );
  }
} catch (error) {
  console.error(error instanceof Halt ? `wet thread: ${error.message}` : error);
  wrong.push(error.message);
  failed++;
} finally {
  for (const stop of stops.reverse()) await stop();
}
for (const what of wrong) say(`failed: ${what}`);
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed === 0 && passed > 0 ? 0 : 1);
