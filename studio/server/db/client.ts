import type { SQL } from "drizzle-orm";
import { drizzle, type NodePgDatabase } from "drizzle-orm/node-postgres";
import { PgDialect } from "drizzle-orm/pg-core";
import pg from "pg";
import { ofProcess } from "../process/of-process";

export type Database = NodePgDatabase;

interface Held {
  readonly pool: pg.Pool;
  readonly db: Database;
  /** One connection for those who only ask whether the database is there: they wait behind nobody's work. */
  readonly aside: pg.Pool;
}

export function databaseUrl(): string {
  const url = process.env.DATABASE_URL;
  if (!url) throw new Error("DATABASE_URL is not set. Start with `npm start`, which sets it.");
  return url;
}

const held = (): Held =>
  ofProcess("database", () => {
    // A database that is away refuses at once; one that only takes its time (a busy machine) is waited for. Connections stay open through
    // the pauses of someone at work.
    const poolOf = (max: number): pg.Pool => {
      const pool = new pg.Pool({ connectionString: databaseUrl(), max, connectionTimeoutMillis: 10_000, idleTimeoutMillis: 120_000 });
      // A connection that breaks while idle must not take the process down; the next query gets a new one.
      pool.on("connect", (client) => client.on("error", () => {}));
      pool.on("error", (error) => console.error("database connection lost:", error.message));
      return pool;
    };
    const pool = poolOf(12);
    return { pool, db: drizzle(pool), aside: poolOf(1) };
  });

export const pool = (): pg.Pool => held().pool;
export const db = (): Database => held().db;
/** Resolves when the database answers. Rejects where it is away. */
export const databaseAnswers = async (): Promise<void> => void (await held().aside.query("select 1"));

const dialect = new PgDialect();

/** Runs a statement that the database is to remember how to do, under a name: worth it for those that are run for every edit. Its text never varies. */
export function runNamed<Row extends object>(name: string, statement: SQL): Promise<{ rows: Row[] }> {
  const { sql: text, params: values } = dialect.sqlToQuery(statement);
  return pool().query<Row>({ name, text, values });
}
