import { drizzle, type NodePgDatabase } from "drizzle-orm/node-postgres";
import pg from "pg";

export type Database = NodePgDatabase;

interface Held {
  pool: pg.Pool;
  db: Database;
}
// Next loads this module more than once in one process; the pool is kept where all of them see it.
const place = globalThis as typeof globalThis & { wetThreadDatabase?: Held };

export function databaseUrl(): string {
  const url = process.env.DATABASE_URL;
  if (!url) throw new Error("DATABASE_URL is not set. Start with `npm start`, which sets it.");
  return url;
}

function held(): Held {
  if (!place.wetThreadDatabase) {
    // A database that is away refuses at once; one that only takes its time (a busy machine) is waited for. Connections stay open through
    // the pauses of someone at work.
    const pool = new pg.Pool({ connectionString: databaseUrl(), max: 12, connectionTimeoutMillis: 10_000, idleTimeoutMillis: 120_000 });
    // A connection that breaks while idle must not take the process down; the next query gets a new one.
    pool.on("connect", (client) => client.on("error", () => {}));
    pool.on("error", (error) => console.error("database connection lost:", error.message));
    place.wetThreadDatabase = { pool, db: drizzle(pool) };
  }
  return place.wetThreadDatabase;
}

export const pool = (): pg.Pool => held().pool;
export const db = (): Database => held().db;
