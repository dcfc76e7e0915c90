import { sql } from "drizzle-orm";
import type { Database } from "../db/client";

/** Work that runs in a worker process. */
export interface JobPayloads {
  import: { sourceId: string };
  export: { exportId: string };
  print: { printId: string };
}

/** Puts a job in the queue; inside a transaction it exists once that commits. */
export async function enqueue<K extends keyof JobPayloads>(on: Pick<Database, "execute">, name: K, payload: JobPayloads[K]): Promise<void> {
  await on.execute(sql`select graphile_worker.add_job(${name}, ${JSON.stringify(payload)}::json, max_attempts => 5)`);
}
