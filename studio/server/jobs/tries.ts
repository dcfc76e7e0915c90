import { type SQL, sql } from "drizzle-orm";
import { db } from "../db/client";

// A job is given up when it fails by itself, or ends its own worker, again and again. One that died with others (the machine was switched
// off, the database was killed, the web server with its worker) has not failed: that try is given back.

/** What a worker tells the process that started it: that it begins on a job, or is at an end with it. */
export interface FromWorker {
  readonly job: string;
  readonly on: boolean;
}
/** A worker that lost its hold on the database ends with this: no job ended it. */
export const LOST_DATABASE = 3;

const change = (jobId: string, by: SQL): Promise<unknown> =>
  db().execute(sql`update graphile_worker._private_jobs set attempts = greatest(0, attempts ${by}) where id = ${jobId}`);

/** Gives back a try that ended with its worker, or with the database, whatever ended them. */
export const giveBack = (jobId: string): Promise<unknown> => change(jobId, sql`- 1`);

/** Counts a try that ended its worker while all the rest lived, as the worker's parent sees it: against what is given back for it. */
export const countDeath = (jobId: string): Promise<unknown> => change(jobId, sql`+ 1`).catch(() => {});

/** Begins what was put aside, at the start of a server. */
export const takeUpAgain = (): Promise<unknown> =>
  db().execute(sql`update graphile_worker._private_jobs set run_at = now() where payload->>'rested' is not null and locked_at is null`);
