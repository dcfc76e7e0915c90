import { sql } from "drizzle-orm";
import { type JobHelpers, run } from "graphile-worker";
import { databaseUrl, db, pool } from "../db/client";
import { exportJobs, printJobs, sources } from "../db/schema";
import { purgeRemoved } from "../sources";
import { runExport } from "./export";
import { importSource } from "./import";
import { runPrint } from "./print";
import type { JobPayloads } from "./queue";

// The web process that started this one holds a channel; when that is gone, so is the reason to run. Asked again and again, since the
// channel may break before anyone listens. A worker started by hand has no channel and goes on.
const spawned = process.send !== undefined;
process.on("disconnect", () => process.exit(0));
setInterval(() => spawned && !process.connected && process.exit(0), 1000).unref();

/** How often jobs of dead workers are looked for, and how long a fresh lock is left alone. */
const SWEEP_MS = 3000;
const FRESH_SECONDS = 5;

/** Holds an advisory lock while a job runs: the lock dies with its process, and so tells a killed worker from a slow one. */
async function held(helpers: JobHelpers, work: () => Promise<void>): Promise<void> {
  const client = await pool().connect();
  try {
    await client.query("select pg_advisory_lock(7451, $1::bigint::int)", [helpers.job.id]);
    await work();
  } finally {
    await client.query("select pg_advisory_unlock(7451, $1::bigint::int)", [helpers.job.id]).catch(() => {});
    client.release();
  }
}

/** Frees the jobs whose worker is gone, so that they are taken up again. */
async function sweep(): Promise<void> {
  const { rows } = await db().execute<{ id: string; locked_by: string }>(
    sql`select id, locked_by from graphile_worker.jobs where locked_at < now() - make_interval(secs => ${FRESH_SECONDS})`,
  );
  for (const job of rows) {
    const { rows: got } = await db().execute<{ free: boolean }>(
      sql`select case when pg_try_advisory_lock(7451, ${job.id}::bigint::int) then pg_advisory_unlock(7451, ${job.id}::bigint::int) else false end as free`,
    );
    if (got[0]?.free) await db().execute(sql`select graphile_worker.force_unlock_workers(array[${job.locked_by}])`);
  }
}

/** Says so where a job has failed for the last time. */
async function giveUp(helpers: JobHelpers, error: unknown, mark: (message: string) => Promise<unknown>): Promise<never> {
  if (helpers.job.attempts >= helpers.job.max_attempts)
    await mark(`${(error as Error).message} It was tried ${helpers.job.attempts} times; what was there before is kept.`);
  throw error;
}

/** A task that holds its lock, and marks its row failed when it gives up. */
function job<K extends keyof JobPayloads>(
  work: (payload: JobPayloads[K]) => Promise<void>,
  table: typeof sources | typeof exportJobs | typeof printJobs,
  idOf: (payload: JobPayloads[K]) => string,
) {
  return (payload: unknown, helpers: JobHelpers): Promise<void> =>
    held(helpers, () =>
      work(payload as JobPayloads[K]).catch((e) =>
        giveUp(helpers, e, (error) =>
          db()
            .update(table)
            .set({ status: "failed", error })
            .where(sql`id = ${idOf(payload as JobPayloads[K])}`),
        ),
      ),
    );
}

const runner = await run({
  connectionString: databaseUrl(),
  concurrency: 2,
  pollInterval: 1000,
  noHandleSignals: true,
  taskList: {
    import: job<"import">(
      ({ sourceId }) => importSource({ sourceId }),
      sources,
      ({ sourceId }) => sourceId,
    ),
    export: job<"export">(
      ({ exportId }) => runExport({ exportId }),
      exportJobs,
      ({ exportId }) => exportId,
    ),
    print: job<"print">(
      ({ printId }) => runPrint({ printId }),
      printJobs,
      ({ printId }) => printId,
    ),
  },
});

void purgeRemoved().catch((error) => console.error("purge:", error.message));
const timer = setInterval(() => void sweep().catch((error) => console.error("sweep:", error.message)), SWEEP_MS);

async function stop(): Promise<void> {
  clearInterval(timer);
  await runner.stop().catch(() => {});
  process.exit(0);
}
process.on("SIGTERM", () => void stop());
process.on("SIGINT", () => void stop());
