// npm run backup [-- FILE]: all that is kept, as it is at one moment, in one file. The server may run meanwhile, and people may go on working.
import fs from "node:fs";
import path from "node:path";
import { hasCluster, startPostgres } from "./lib/postgres.mjs";
import { Halt, run, say } from "./lib/shell.mjs";

/** The release of PostgreSQL that packs five times as fast. */
const FIRST_WITH_ZSTD = 16;

const folder = process.env.WET_THREAD_DATA ?? ".data";
const stamp = new Date().toISOString().slice(0, 16).replace("T", "-").replace(":", "");
// Where npm was called, not where it runs its scripts.
const file = path.resolve(process.env.INIT_CWD ?? ".", process.argv[2] ?? `wet-thread-${stamp}.backup`);
const part = `${file}.part`;
let postgres;
let failed = false;
try {
  if (!hasCluster(folder)) throw new Halt(`There is nothing in ${folder} that could be backed up.`);
  if (fs.existsSync(file)) throw new Halt(`${file} is there already. It was left as it is; give another name.`);
  if (!fs.existsSync(path.dirname(file))) throw new Halt(`There is no folder ${path.dirname(file)}.`);
  postgres = await startPostgres(folder);
  if (!postgres.sql("select to_regclass('projects')")) throw new Halt(`There is nothing in ${folder} that could be backed up.`);
  const projects = Number(postgres.sql("select count(*) from projects"));
  const size = Number(postgres.sql("select pg_database_size(current_database())"));
  say(`writing at most some ${Math.max(1, Math.round(size / 1e6))} MB to ${file} …`);
  // Bytes are written as two letters each: packed, they take as much room as they did.
  const release = Number(/(\d+)/.exec(run(path.join(postgres.programs, "pg_dump"), ["--version"]))?.[1] ?? 0);
  const packed = release >= FIRST_WITH_ZSTD ? "zstd:1" : "1";
  run(path.join(postgres.programs, "pg_dump"), [
    "--format=custom",
    `--compress=${packed}`,
    "--no-owner",
    "--no-privileges",
    `--file=${part}`,
    postgres.url,
  ]);
  run(path.join(postgres.programs, "pg_restore"), ["--list", part]);
  fs.renameSync(part, file);
  const megabytes = Math.max(1, Math.round(fs.statSync(file).size / 1e6));
  say(
    `${projects === 1 ? "1 project is" : `${projects} projects are`} in ${file} (${megabytes} MB); npm run restore -- ${file} brings ${projects === 1 ? "it" : "them"} back`,
  );
} catch (error) {
  failed = true;
  fs.rmSync(part, { force: true });
  const why = error instanceof Halt ? error.message : `${error.message}.`;
  console.error(`wet thread: ${why}\nNo backup was written; what is kept is as it was.`);
} finally {
  if (postgres && !postgres.adopted) await postgres.stop();
}
process.exit(failed ? 1 : 0);
