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

/** So often is a job begun, also where its worker was killed in the midst, before it is given up: in half a minute when it fails by itself. */
export const MOST_TRIES = 4;

/** Puts a job in the queue; inside a transaction it exists once that commits. */
export async function enqueue<K extends keyof JobPayloads>(on: Pick<Database, "execute">, name: K, payload: JobPayloads[K]): Promise<void> {
  await on.execute(sql`select graphile_worker.add_job(${name}, ${JSON.stringify(payload)}::json, max_attempts => ${MOST_TRIES})`);
}
