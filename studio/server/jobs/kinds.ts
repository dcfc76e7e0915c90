import type { PgColumn, PgTable } from "drizzle-orm/pg-core";
import { exportJobs, made, printJobs, recordings, sources } from "../db/schema";
import { runExport } from "./export";
import { importSource } from "./import";
import { runMake } from "./make";
import { runPrint } from "./print";
import type { JobName, JobPayloads } from "./queue";
import { runRecord } from "./record";

/** What a job is about: its row, which the payload names by one of its fields, and the work itself. */
export interface JobKind<K extends JobName> {
  readonly table: PgTable & { readonly id: PgColumn };
  readonly key: keyof JobPayloads[K] & string;
  run(payload: JobPayloads[K]): Promise<void>;
}

/** All kinds of jobs; each has its work in a file of its own, and its payload and rank in queue.ts. */
export const JOBS: { readonly [K in JobName]: JobKind<K> } = {
  import: { table: sources, key: "sourceId", run: importSource },
  export: { table: exportJobs, key: "exportId", run: runExport },
  print: { table: printJobs, key: "printId", run: runPrint },
  record: { table: recordings, key: "recordingId", run: runRecord },
  make: { table: made, key: "madeId", run: runMake },
};

/** What a hand waits for, and what is soon done: there is always somebody free for it, however long the rest takes. */
export const SOON: readonly JobName[] = ["record", "make", "import"];
