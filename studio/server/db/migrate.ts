import { readFileSync } from "node:fs";
import path from "node:path";
import { migrate } from "drizzle-orm/node-postgres/migrator";
import { runMigrations } from "graphile-worker";
import { databaseUrl, db, pool } from "./client";

const FOLDER = path.join(import.meta.dirname, "migrations");
/** What this ends with where the database is of a later release: its last words are for people. */
const LATER = 2;

/** Whether a later release than this one has changed the tables: it could not read all that is kept, and might write what that one can't read. */
async function isLater(): Promise<boolean> {
  const { rows: found } = await pool().query("select to_regclass('drizzle.__drizzle_migrations') as name");
  if (!found[0].name) return false;
  const { rows } = await pool().query<{ last: string | null }>("select max(created_at)::text as last from drizzle.__drizzle_migrations");
  const { entries } = JSON.parse(readFileSync(path.join(FOLDER, "meta", "_journal.json"), "utf8")) as { entries: { when: number }[] };
  return Number(rows[0].last ?? 0) > Math.max(...entries.map((e) => e.when));
}

if (await isLater()) {
  console.error(
    "This data was last served by a later release, which kept it in a way that this one can't read. Nothing was changed: start that release.",
  );
  process.exit(LATER);
}
await migrate(db(), { migrationsFolder: FOLDER });
await runMigrations({ connectionString: databaseUrl() });
await pool().end();
