import os from "node:os";
import { eq, sql } from "drizzle-orm";
import { type JobHelpers, type Runner, run, type Task } from "graphile-worker";
import { databaseUrl, db, pool } from "../db/client";
import { isAway } from "../db/faults";
import { purgeExports } from "../out/exports";
import { purgeProjects } from "../pieces/projects";
import { purgeVersions } from "../pieces/version-list";
import { purgeFolders } from "../process/temporary";
import { purgeMade } from "../recorded/made";
import { endSilentRecordings } from "../recorded/recordings";
import { dropBrokenUploads, madeByJob, purgeRemoved } from "../recorded/sources";
import { awaken, endHanging, endLost } from "./hanging";
import { JOBS, type JobKind, SOON } from "./kinds";
import type { JobName, JobPayloads } from "./queue";
import { type FromWorker, giveBack, LOST_DATABASE } from "./tries";

/** A third of the share that others have where there is not enough for all. */
const NICE = 5;
// People wait for the web server's answers, and only now and then for this: it takes what they leave.
os.setPriority(NICE);

// The web process that started this one holds a channel; when that is gone, so is the reason to run. Asked again and again, since the
// channel may break before anyone listens. A worker started by hand has no channel and goes on.
const spawned = process.send !== undefined;
process.on("disconnect", () => process.exit(0));
setInterval(() => spawned && !process.connected && process.exit(0), 1000).unref();

/** How often jobs of dead workers are looked for, and how long a fresh lock is left alone. */
const SWEEP_MS = 3000;
const FRESH_SECONDS = 5;

/** Holds an advisory lock while a job runs: the lock dies with its process, and so tells a killed worker from a slow one. */
async function held({ job: { id } }: JobHelpers, work: () => Promise<void>): Promise<void> {
  const client = await pool().connect();
  const tell = (on: boolean): void => void process.send?.({ job: id, on } satisfies FromWorker);
  try {
    await client.query("select pg_advisory_lock(7451, $1::bigint::int)", [id]);
    tell(true);
    await work();
  } finally {
    tell(false);
    await client.query("select pg_advisory_unlock(7451, $1::bigint::int)", [id]).catch(() => {});
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
    if (!got[0]?.free) continue;
    await giveBack(job.id);
    await db().execute(sql`select graphile_worker.force_unlock_workers(array[${job.locked_by}])`);
  }
}

/** Says so where a job has failed for the last time. A try that ended since the database was away is none. */
async function giveUp({ job }: JobHelpers, error: unknown, mark: (message: string) => Promise<unknown>): Promise<never> {
  if (isAway(error)) await giveBack(job.id);
  else if (job.attempts >= job.max_attempts)
    await mark(`${(error as Error).message} It was tried ${job.attempts} times; what was there before is kept.`);
  throw error;
}

/** A task that holds its lock, and marks its row failed when it gives up. */
function task<K extends JobName>(name: K): Task {
  const { table, key, run: work } = JOBS[name] as JobKind<K>;
  return (given, helpers) =>
    held(helpers, async () => {
      const { rested, ...payload } = given as JobPayloads[K] & { rested?: number };
      const id = String((payload as Record<string, unknown>)[key]);
      if (rested) await awaken(name, id);
      await work(payload as unknown as JobPayloads[K]).catch((error) =>
        giveUp(helpers, error, (why) => db().update(table).set({ status: "failed", error: why }).where(eq(table.id, id))),
      );
    });
}

/** Runs jobs of some kinds, so many at a time. */
async function hands(names: readonly JobName[], concurrency: number): Promise<Runner> {
  const runner = await run({
    connectionString: databaseUrl(),
    concurrency,
    pollInterval: 1000,
    noHandleSignals: true,
    taskList: Object.fromEntries(names.map((name) => [name, task(name)])),
  });
  // A hand of this process whose hold on the database broke in the midst of a job lies down for good, and none takes its place: without
  // all of them, nothing would ever be done again. The web process starts a fresh one.
  runner.events.on("worker:stop", ({ error }) => {
    if (error) process.exit(LOST_DATABASE);
  });
  return runner;
}

const runners = [await hands(Object.keys(JOBS) as JobName[], 2), await hands(SOON, 1)];

const DAY_MS = 86_400_000;
/** Lets go of what has been kept for long enough, at the start and once a day. */
function purge(): void {
  void Promise.all([purgeRemoved(), purgeMade(), purgeVersions(), purgeProjects(), purgeExports(), purgeFolders()]).catch((error) =>
    console.error("purge:", error.message),
  );
}
purge();
setInterval(purge, DAY_MS).unref();

/** One look after the other: two at once would only stand in each other's way. */
async function lookAfterJobs(): Promise<void> {
  await sweep();
  await endHanging();
  await endLost(madeByJob);
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
  await Promise.all(runners.map((runner) => runner.stop().catch(() => {})));
  process.exit(0);
}
process.on("SIGTERM", () => void stop());
process.on("SIGINT", () => void stop());
