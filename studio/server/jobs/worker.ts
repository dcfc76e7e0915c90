import { getTableName, sql } from "drizzle-orm";
import { type JobHelpers, run } from "graphile-worker";
import { databaseUrl, db, pool } from "../db/client";
import { exportJobs, made, printJobs, recordings, sources } from "../db/schema";
import { purgeMade } from "../made";
import { purgeProjects } from "../projects";
import { endSilentRecordings } from "../recordings";
import { dropBrokenUploads, madeByJob, purgeRemoved } from "../sources";
import { purgeFolders } from "../temporary";
import { purgeVersions } from "../version-list";
import { runExport } from "./export";
import { importSource } from "./import";
import { runMake } from "./make";
import { runPrint } from "./print";
import type { JobPayloads } from "./queue";
import { runRecord } from "./record";

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

/** What a job is about: its row, named by one field of the payload. */
const ROWS = {
  import: { table: sources, key: "sourceId" },
  export: { table: exportJobs, key: "exportId" },
  print: { table: printJobs, key: "printId" },
  record: { table: recordings, key: "recordingId" },
  make: { table: made, key: "madeId" },
};
const UNDER_WAY = sql`('queued', 'importing', 'rendering')`;

/** Jobs that have been begun as often as they may and hang, since a killed worker tells nobody: they end here, in words. */
async function endHanging(): Promise<void> {
  const { rows } = await db().execute<{ id: string; task: keyof typeof ROWS; payload: Record<string, string>; error: string | null }>(
    sql`select j.id::text, t.identifier as task, j.payload, j.last_error as error from graphile_worker._private_jobs j
        join graphile_worker._private_tasks t on t.id = j.task_id where j.attempts >= j.max_attempts and j.locked_at is null`,
  );
  for (const { id, task, payload, error } of rows) {
    const of = ROWS[task];
    if (!of) continue;
    const why = error ? `It failed again and again: ${error}` : "What worked on it was killed each time.";
    await db()
      .update(of.table)
      .set({ status: "failed", error: `${why} What was there before is kept; it can be tried again.` })
      .where(sql`id = ${payload[of.key]} and status in ${UNDER_WAY}`);
    await db().execute(sql`select graphile_worker.complete_jobs(array[${id}]::bigint[])`);
  }
}

/** How long a row may wait for a job that is not there. */
const LOST_SECONDS = 10;

/** What is under way without a job in the queue never ends by itself: a database put back from a copy, a job that was deleted by hand. */
async function endLost(): Promise<void> {
  for (const { table, key } of Object.values(ROWS)) {
    const name = sql.identifier(getTableName(table));
    const byJob = table === sources ? sql`and not ${madeByJob}` : sql``;
    await db().execute(
      sql`update ${name} set status = 'failed', error = 'The work on it was lost. What was there before is kept; it can be tried again.'
          where status in ${UNDER_WAY} and created_at < now() - make_interval(secs => ${LOST_SECONDS}) ${byJob}
            and not exists (select 1 from graphile_worker._private_jobs j where j.payload->>${key} = ${name}.id)`,
    );
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
  table: typeof sources | typeof exportJobs | typeof printJobs | typeof recordings | typeof made,
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
    record: job<"record">(
      (asked) => runRecord(asked),
      recordings,
      ({ recordingId }) => recordingId,
    ),
    make: job<"make">(
      (asked) => runMake(asked),
      made,
      ({ madeId }) => madeId,
    ),
  },
});

// One of the two hands of this process whose hold on the database broke in the midst of a job lies down for good, and none takes its place:
// without both, nothing would ever be done again. The web process starts a fresh one.
runner.events.on("worker:stop", ({ error }) => {
  if (error) process.exit(1);
});

const DAY_MS = 86_400_000;
/** Lets go of what has been kept for long enough, at the start and once a day. */
function purge(): void {
  void Promise.all([purgeRemoved(), purgeMade(), purgeVersions(), purgeProjects(), purgeFolders()]).catch((error) =>
    console.error("purge:", error.message),
  );
}
purge();
setInterval(purge, DAY_MS).unref();

/** One look after the other: two at once would only stand in each other's way. */
async function lookAfterJobs(): Promise<void> {
  await sweep();
  await endHanging();
  await endLost();
  await dropBrokenUploads();
  await endSilentRecordings();
}
let looking = false;
const timer = setInterval(() => {
  if (looking) return;
  looking = true;
  void lookAfterJobs()
    .catch((error) => console.error("sweep:", error.message))
    .finally(() => {
      looking = false;
    });
}, SWEEP_MS);

async function stop(): Promise<void> {
  clearInterval(timer);
  await runner.stop().catch(() => {});
  process.exit(0);
}
process.on("SIGTERM", () => void stop());
process.on("SIGINT", () => void stop());
