import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import fs from "node:fs";
import path from "node:path";
import { buildPlain, MAKING, processScript, workletFolder, worklets } from "./plain.mjs";
import { Halt, has, installDebian, ROOT, run, say } from "./shell.mjs";

/** What the migration ends with where a later release has served the database (studio/server/db/migrate.ts). */
const LATER = 2;

const at = (...parts) => path.join(ROOT, ...parts);

export function ensureNode() {
  const [major, minor] = process.versions.node.split(".").map(Number);
  if (major < 20 || (major === 20 && minor < 20)) throw new Halt(`Node 20.20 or newer is needed; this is ${process.versions.node}.`);
}

/** The node modules of the lock file, installed when they are not the ones that are there. */
export function ensureModules() {
  const lock = createHash("sha256")
    .update(fs.readFileSync(at("package-lock.json")))
    .digest("hex");
  const mark = at("node_modules", ".wet-thread-lock");
  if (fs.existsSync(mark) && fs.readFileSync(mark, "utf8") === lock) return;
  say("installing node modules");
  run("npm", ["ci", "--no-audit", "--no-fund", "--loglevel=error"]);
  fs.writeFileSync(mark, lock);
}

export function ensureChromium() {
  if (!has("chromium")) installDebian(["chromium"]);
}

/** Decodes and encodes what is not plain samples. The application works without it, and says what it lacks. */
export function ensureFfmpeg() {
  if (has("ffmpeg")) return;
  try {
    installDebian(["ffmpeg"]);
  } catch (error) {
    if (!(error instanceof Halt)) throw error;
    say(`FLAC, MP3, Ogg, Opus and M4A can't be read or written without ffmpeg. ${error.message}`);
  }
}

/** Programs that files of the tests are made and read with. */
export function ensureTestTools() {
  const packages = { ffmpeg: "ffmpeg", flac: "flac", sox: "sox", opusenc: "opus-tools" };
  const missing = Object.entries(packages).flatMap(([command, name]) => (has(command) ? [] : [name]));
  if (missing.length > 0) installDebian(missing);
}

export const ENV = { NEXT_TELEMETRY_DISABLED: "1", WET_THREAD_STUDIO: at("studio") };
export const NEXT = at("node_modules", "next", "dist", "bin", "next");
export const TSX = ["--import", "tsx"];

function* filesIn(folder) {
  for (const entry of fs.readdirSync(folder, { withFileTypes: true })) {
    if (["node_modules", "public"].includes(entry.name) || entry.name.startsWith(MAKING)) continue;
    const file = path.join(folder, entry.name);
    if (entry.isDirectory()) yield* filesIn(file);
    else if (!/\.(test\.tsx?|tsbuildinfo)$/.test(entry.name)) yield file;
  }
}

/** What decides the built application. */
function sourceHash() {
  const hash = createHash("sha256");
  for (const file of [
    ...filesIn(at("core", "src")),
    ...filesIn(at("studio")),
    ...filesIn(at("demo")),
    at("scripts", "lib", "plain.mjs"),
    at("package-lock.json"),
  ].sort()) {
    if (file.endsWith("next-env.d.ts")) continue;
    hash.update(path.relative(ROOT, file)).update(fs.readFileSync(file));
  }
  return hash.digest("hex");
}

/** What the framework does not build by itself while it is developed on. Returns what its server is to be told. */
export async function buildForDev() {
  await buildPlain("dev");
  return worklets("dev");
}

/** Builds that are finished lie beside it, each under the hash of its sources: a server that runs goes on with its own, whatever is built meanwhile. */
const FINISHED = `${MAKING}-`;
/** Builds that are kept beside those in use. */
const KEPT = 2;

/** The build that each process of this machine that can be looked into goes by. */
function* inUse() {
  for (const pid of fs.readdirSync("/proc").filter((p) => /^\d+$/.test(p))) {
    let environment;
    try {
      environment = fs.readFileSync(`/proc/${pid}/environ`, "utf8");
    } catch {
      // It has ended, or is somebody else's.
      continue;
    }
    const build = /(?:^|\0)WET_THREAD_BUILD=([^\0]+)/.exec(environment)?.[1];
    if (build) yield build;
  }
}

/** Takes away builds that nobody goes by, but for the last few; `own` is the one that is about to be gone by. */
function dropOldBuilds(own) {
  const used = new Set([own, ...inUse()]);
  const age = (name) => fs.statSync(at("studio", name)).mtimeMs;
  const names = fs.readdirSync(at("studio")).filter((name) => name.startsWith(FINISHED) && !used.has(name));
  for (const name of names.sort((a, b) => age(b) - age(a)).slice(KEPT))
    for (const folder of [at("studio", name), workletFolder(name.slice(FINISHED.length))]) fs.rmSync(folder, { recursive: true, force: true });
}

/**
 * Builds the application unless there is a build of these very sources, and has all that is started from here go by it. A process that was
 * told which build it is to go by builds nothing.
 */
export async function ensureBuild() {
  if (process.env.WET_THREAD_BUILD) return;
  const build = `${FINISHED}${sourceHash().slice(0, 16)}`;
  if (!fs.existsSync(at("studio", build))) {
    say("building the application (about a minute)");
    fs.rmSync(at("studio", MAKING), { recursive: true, force: true });
    const hash = build.slice(FINISHED.length);
    run("node", [NEXT, "build"], { cwd: at("studio"), env: { ...process.env, ...ENV, ...worklets(hash), NODE_ENV: "production" } });
    // Afterwards: the framework's build takes away what lay there before.
    await buildPlain(hash);
    fs.renameSync(at("studio", MAKING), at("studio", build));
    // The types of the addresses, which a check of types takes in.
    fs.cpSync(at("studio", build, "types"), at("studio", MAKING, "types"), { recursive: true });
  }
  process.env.WET_THREAD_BUILD = build;
  dropOldBuilds(build);
}

/** Brings a database to what the application that is built needs. Throws Halt; in its own words where a later release has served it. */
export function migrate(databaseUrl) {
  const env = { ...process.env, ...ENV, DATABASE_URL: databaseUrl };
  const done = spawnSync("node", [processScript("migrate")], { cwd: at("studio"), env, encoding: "utf8" });
  if (done.status === LATER) throw new Halt(done.stderr.trim());
  if (done.status !== 0) throw new Halt(`The database could not be made ready.\n${done.error?.message ?? done.stderr.trim()}`);
}
