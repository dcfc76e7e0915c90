// npm test: sets everything up, then types, lint, boundaries, unit, API and end-to-end tests, on a database and ports of its own.

import { spawn } from "node:child_process";
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

/** Runs a command to its end. Its output comes at once, or, where something else runs beside it, in one piece at the end. */
function finished(command, args, { env, aside = false }) {
  return new Promise((done) => {
    const child = spawn(command, args, {
      cwd: ROOT,
      stdio: ["ignore", aside ? "pipe" : "inherit", aside ? "pipe" : "inherit"],
      env: { ...process.env, ...ENV, ...env },
    });
    const said = [];
    for (const stream of [child.stdout, child.stderr]) stream?.on("data", (part) => said.push(part));
    const end = (how) => {
      process.stdout.write(Buffer.concat(said));
      done(how);
    };
    child.on("error", (error) => end(error.message));
    child.on("close", (code, signal) => end(code ?? signal));
  });
}

async function check(name, command, args, options = {}) {
  if (!wanted(name)) return;
  say(`${name} …`);
  if ((await finished(command, args, options)) === 0) passed++;
  else {
    failed++;
    wrong.push(name);
    say(`${name} failed`);
  }
}

/** Runs a test runner that leaves a JSON report, and adds up its tests; a runner that breaks counts as one failure. */
async function suite(name, command, args, report, count, options = {}) {
  if (!wanted(name)) return;
  say(`${name} …`);
  fs.rmSync(report, { force: true });
  const how = await finished(command, args, options);
  const found = fs.existsSync(report) ? count(JSON.parse(fs.readFileSync(report, "utf8"))) : { passed: 0, failed: 1 };
  if (how !== 0 && found.failed === 0) found.failed = 1;
  if (found.failed > 0) wrong.push(...(found.names?.length ? found.names.map((n) => `${name}: ${n}`) : [`${name}: the runner ended with ${how}`]));
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

const OUT = path.join(ROOT, ".test");
const vitest = (folder, report) => ["run", "--root", folder, "--reporter=default", "--reporter=json", `--outputFile.json=${path.join(OUT, report)}`];

/** What needs no server: types, lint, boundaries, units. */
async function checks() {
  const aside = { aside: true };
  await check("types of core", bin("tsc"), ["-p", "core"], aside);
  await check("types of studio", bin("tsc"), ["-p", "studio"], aside);
  await check("types of the worklet", bin("tsc"), ["-p", "studio/engine/worklet"], aside);
  await check("types of demo, bench and e2e", bin("tsc"), ["-p", "tsconfig.json"], aside);
  await check("lint", bin("biome"), ["ci", "--error-on-warnings", "."], aside);
  await check("boundaries", bin("depcruise"), ["--config", ".dependency-cruiser.cjs", "core/src", "studio", "demo", "bench", "e2e"], aside);
  await suite("unit", bin("vitest"), vitest("core", "unit.json"), path.join(OUT, "unit.json"), vitestCount, aside);
  await suite("unit of studio", bin("vitest"), vitest("studio", "studio.json"), path.join(OUT, "studio.json"), vitestCount, aside);
}

/** A server with a database of its own, and the tests of its API on it. Returns where both are. */
async function served() {
  const postgres = await startPostgres(".test", (end) => stops.push(end));
  migrate(postgres.url);
  const server = await startServer({ databaseUrl: postgres.url, port: await freePort(), quiet: true });
  stops.push(server.stop);
  const env = { WET_THREAD_URL: server.url, DATABASE_URL: postgres.url };
  await suite("api", bin("vitest"), vitest("e2e/api", "api.json"), path.join(OUT, "api.json"), vitestCount, { env });
  return env;
}

try {
  ensureNode();
  ensureModules();
  if (wanted("e2e")) ensureChromium();
  if (wanted("e2e") || wanted("api")) ensureTestTools();
  fs.mkdirSync(OUT, { recursive: true });
  const driven = wanted("api") || wanted("e2e");
  // First by itself: the types of the studio take in what the build writes.
  if (driven) await ensureBuild();
  // Side by side: the API's tests wait for processes of their own most of the time. Scenes have the machine to themselves: they listen.
  const both = await Promise.allSettled([driven ? served() : null, checks()]);
  for (const { reason } of both) if (reason) throw reason;
  const env = both[0].value;
  // Two at a time, then those that are to have the machine to themselves.
  for (const part of ["side by side", "alone"]) {
    const report = path.join(OUT, `e2e ${part}.json`);
    const args = [
      "test",
      "--config",
      "e2e/playwright.config.ts",
      `--project=${part}`,
      "--pass-with-no-tests",
      ...(process.env.SPEC ? [process.env.SPEC] : []),
    ];
    await suite("e2e", bin("playwright"), args, report, playwrightCount, { env: { ...env, PLAYWRIGHT_JSON_OUTPUT_NAME: report } });
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
