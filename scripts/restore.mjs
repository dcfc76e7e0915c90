// npm run restore -- FILE: what a backup holds, into a data folder in which there is nothing yet.
import fs from "node:fs";
import path from "node:path";
import { startPostgres } from "./lib/postgres.mjs";
import { claim } from "./lib/running.mjs";
import { Halt, ROOT, run, say } from "./lib/shell.mjs";

const folder = process.env.WET_THREAD_DATA ?? ".data";
const elsewhere = "WET_THREAD_DATA=/another/folder npm run restore -- FILE";
let [postgres, running, failed] = [null, null, false];

/** The release that made a backup, by the last change to its tables. Throws Halt for a file that is none. */
function madeBy(programs, file) {
  try {
    const list = run(path.join(programs, "pg_restore"), ["--list", file]);
    if (!/TABLE DATA public projects/.test(list)) throw new Halt("It holds no projects.");
    const rows = run(path.join(programs, "pg_restore"), ["--data-only", "--schema=drizzle", "--file=-", file]);
    return Math.max(0, ...[...rows.matchAll(/\t(\d{13})$/gm)].map((m) => Number(m[1])));
  } catch (error) {
    throw new Halt(`${file} is no backup of Wet Thread, or is damaged. ${error.message}`);
  }
}

try {
  if (!process.argv[2]) throw new Halt("Say which file: npm run restore -- FILE.");
  const file = path.resolve(process.env.INIT_CWD ?? ".", process.argv[2]);
  if (!fs.existsSync(file)) throw new Halt(`There is no file ${file}.`);
  running = await claim(folder);
  if (running.url) throw new Halt(`A server runs on ${folder} (${running.url}). End it first, or restore elsewhere: ${elsewhere}.`);
  postgres = await startPostgres(folder);
  if (postgres.adopted) throw new Halt(`The database of ${folder} is in use. End what uses it first, or restore elsewhere: ${elsewhere}.`);
  const there = postgres.sql("select to_regclass('projects')") ? Number(postgres.sql("select count(*) from projects")) : 0;
  if (there > 0)
    throw new Halt(`There ${there === 1 ? "is a project" : `are ${there} projects`} in ${folder} already. Restore elsewhere: ${elsewhere}.`);
  const journal = JSON.parse(fs.readFileSync(path.join(ROOT, "studio", "server", "db", "migrations", "meta", "_journal.json"), "utf8"));
  if (madeBy(postgres.programs, file) > Math.max(...journal.entries.map((e) => e.when)))
    throw new Halt(`${file} was made by a later release than this one, which could not read all of it. Restore it with that release.`);
  const how = ["--clean", "--if-exists", "--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction"];
  say(`reading ${Math.max(1, Math.round(fs.statSync(file).size / 1e6))} MB from ${file} …`);
  try {
    run(path.join(postgres.programs, "pg_restore"), [...how, `--dbname=${postgres.url}`, file]);
  } catch (error) {
    throw new Halt(`${file} is damaged, or can't be taken in: ${error.message.split("\n").at(-1)}.`);
  }
  const projects = Number(postgres.sql("select count(*) from projects"));
  say(`${projects === 1 ? "1 project is" : `${projects} projects are`} back in ${folder}; npm start opens ${projects === 1 ? "it" : "them"}`);
} catch (error) {
  failed = true;
  const why = error instanceof Halt ? error.message : `${error.message}.`;
  console.error(`wet thread: ${why}\nNothing was restored; what is kept is as it was.`);
} finally {
  if (postgres && !postgres.adopted) await postgres.stop();
  running?.leave?.();
}
process.exit(failed ? 1 : 0);
