// npm run bench [-- --json]: measures what the budgets of docs/performance.md name.
import { spawnSync } from "node:child_process";
import { ensureModules, TSX } from "./lib/setup.mjs";
import { ROOT } from "./lib/shell.mjs";

ensureModules();
process.exit(spawnSync("node", [...TSX, "bench/run.ts", ...process.argv.slice(2)], { cwd: ROOT, stdio: "inherit" }).status ?? 1);
