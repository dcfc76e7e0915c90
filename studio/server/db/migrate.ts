import path from "node:path";
import { migrate } from "drizzle-orm/node-postgres/migrator";
import { runMigrations } from "graphile-worker";
import { databaseUrl, db, pool } from "./client";

await migrate(db(), { migrationsFolder: path.join(import.meta.dirname, "migrations") });
await runMigrations({ connectionString: databaseUrl() });
await pool().end();
