import { sql } from "drizzle-orm";
import type { Database } from "../db/client";

/** Work that runs in a worker process. */
export interface JobPayloads {
  import: { sourceId: string };
  export: { exportId: string };
  print: { printId: string };
  record: { recordingId: string };
  /** Chunks [from, to) of what a recipe makes. */
  make: { madeId: string; from: number; to: number };
}
export type JobName = keyof JobPayloads;

/** So often is a job begun, also where its worker was killed in the midst, before it is put aside: in half a minute when it fails by itself. */
export const MOST_TRIES = 4;

/** What a hand waits for goes first; the lower, the sooner. */
const RANK: Record<JobName, number> = { record: 0, make: 1, import: 2, print: 3, export: 4 };

/** Jobs for the same are one: asked for again, it is the newer that counts, and one that was put aside is taken up. */
const keyOf = (name: JobName, payload: object): string => [name, ...Object.values(payload)].join(" ");

/** Puts a job in the queue; inside a transaction it exists once that commits. */
export async function enqueue<K extends JobName>(on: Pick<Database, "execute">, name: K, payload: JobPayloads[K]): Promise<void> {
  await on.execute(
    sql`select graphile_worker.add_job(${name}, ${JSON.stringify(payload)}::json, max_attempts => ${MOST_TRIES}, priority => ${RANK[name]},
        job_key => ${keyOf(name, payload)})`,
  );
}
