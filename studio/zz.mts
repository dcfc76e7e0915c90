import { pool } from "./server/db/client";
import { runExport } from "./server/jobs/export";
import { importSource } from "./server/jobs/import";

const t = performance.now();
if (process.argv[2] === "x") await runExport({ exportId: process.argv[3] });
else await importSource({ sourceId: process.argv[3] });
console.log(process.argv[2], performance.now() - t, process.memoryUsage().rss / 1e6);
await pool().end();
