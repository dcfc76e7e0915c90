import { createHash } from "node:crypto";
import fs from "node:fs";
import path from "node:path";
import { buildPlain, processScript } from "./plain.mjs";
import { Halt, has, installDebian, ROOT, run, say } from "./shell.mjs";

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
    if (["node_modules", ".next", "worklet"].includes(entry.name) && entry.name !== "src") continue;
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

/** Says of which sources the build is that is there. */
const mark = at("studio", ".next", "wet-thread-source");

/** What the framework does not build by itself while it is developed on. The build that was there is none any more. */
export async function buildForDev() {
  fs.rmSync(mark, { force: true });
  await buildPlain();
}

/** Builds the application unless the build that is there is of these very sources. */
export async function ensureBuild() {
  const hash = sourceHash();
  if (fs.existsSync(mark) && fs.readFileSync(mark, "utf8") === hash) return;
  say("building the application (about a minute)");
  fs.rmSync(at("studio", ".next"), { recursive: true, force: true });
  run("node", [NEXT, "build"], { cwd: at("studio"), env: { ...process.env, ...ENV, NODE_ENV: "production" } });
  // Afterwards: the framework's build takes away what lay there before.
  await buildPlain();
  fs.writeFileSync(mark, hash);
}

/** Brings a database to what the application that is built needs. */
export function migrate(databaseUrl) {
  run("node", [processScript("migrate")], { cwd: at("studio"), env: { ...process.env, ...ENV, DATABASE_URL: databaseUrl } });
}
