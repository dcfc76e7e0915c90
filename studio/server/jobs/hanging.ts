import { type SQL, sql } from "drizzle-orm";
import { db } from "../db/client";
import { JOBS } from "./kinds";
import type { JobName } from "./queue";

const QUEUE = sql.raw("graphile_worker._private_jobs");

/** The first rest of a job that is put aside, each further one three times as long, and the longest. */
const FIRST_REST_MINUTES = 10;
const LONGEST_REST_MINUTES = 1440;

/** What is put aside: killed each time, or ended by a full disk, neither of which need be so for good. */
const PASSING = /disk|no space/i;

const UNDER_WAY = sql`('queued', 'importing', 'rendering')`;

/**
 * Jobs that have been begun as often as they may and hang, since a killed worker tells nobody: they end here, in words. Those on which nothing
 * is wrong that is known are put aside, and are begun again by themselves after a rest, and at each start of the server.
 */
export async function endHanging(): Promise<void> {
  const { rows } = await db().execute<{ id: string; task: JobName; payload: Record<string, string>; error: string | null; rested: number | null }>(
    sql`select j.id::text, t.identifier as task, j.payload, j.last_error as error, (j.payload->>'rested')::float8 as rested
        from ${QUEUE} j join graphile_worker._private_tasks t on t.id = j.task_id where j.attempts >= j.max_attempts and j.locked_at is null`,
  );
  for (const { id, task, payload, error, rested } of rows) {
    const of = JOBS[task];
    if (!of) continue;
    const aside = !error || PASSING.test(error);
    const rest = Math.min(LONGEST_REST_MINUTES, rested ? rested * 3 : FIRST_REST_MINUTES);
    const why = error ? `It failed again and again: ${error}` : "What worked on it was killed each time.";
    const then = aside
      ? `it is tried again by itself in ${rest} minutes, and at the next start, and can be tried again now`
      : "it can be tried again";
    await db()
      .update(of.table)
      .set({ status: "failed", error: `${why} What was there before is kept; ${then}.` })
      .where(sql`id = ${payload[of.key]} and status in ${UNDER_WAY}`);
    if (aside)
      await db().execute(
        sql`update ${QUEUE} set attempts = max_attempts - 1, last_error = null, run_at = now() + make_interval(mins => ${rest}),
            payload = (payload::jsonb || jsonb_build_object('rested', ${rest}::float8))::json where id = ${id}`,
      );
    else await db().execute(sql`select graphile_worker.complete_jobs(array[${id}]::bigint[])`);
  }
}

/** Has a row that was put aside count as waiting again, for its job begins. */
export const awaken = (task: JobName, id: string): Promise<unknown> =>
  db().update(JOBS[task].table).set({ status: "queued", error: null }).where(sql`id = ${id} and status = 'failed'`);

/** How long a row may wait for a job that is not there. */
const LOST_SECONDS = 10;

/** What is under way without a job in the queue never ends by itself: a database put back from a copy, a job that was deleted by hand. */
export async function endLost(madeByJob: SQL): Promise<void> {
  for (const { table, key } of Object.values(JOBS)) {
    const byJob = table === JOBS.import.table ? sql`and not ${madeByJob}` : sql``;
    await db().execute(
      sql`update ${table} set status = 'failed', error = 'The work on it was lost. What was there before is kept; it can be tried again.'
          where status in ${UNDER_WAY} and created_at < now() - make_interval(secs => ${LOST_SECONDS}) ${byJob}
            and not exists (select 1 from ${QUEUE} j where j.payload->>${key} = ${table.id})`,
    );
  }
}
