// Makes the demo on a server that has no project yet: `node --import tsx demo/first.ts http://127.0.0.1:4310`.
import pg from "pg";
import { call, createDemo, type Project } from "./create";
import { demoSteps, PROJECT } from "./project";

/** Takes away a demo that was cut off while it was made: it is made anew, as on the first start. */
async function dropHalfMade(base: string): Promise<void> {
  const { projects } = await call<{ projects: { id: string; name: string }[] }>(`${base}/api/projects`);
  const steps = demoSteps({ get: () => "any" }, { get: () => Number.MAX_SAFE_INTEGER }).length;
  for (const { id, name } of projects) {
    if (name !== PROJECT.name) continue;
    const { versions } = await call<Project>(`${base}/api/projects/${id}`);
    // Whoever worked on it has more steps behind them, never fewer.
    if (versions[0].revision >= steps) continue;
    const database = new pg.Client({ connectionString: process.env.DATABASE_URL });
    await database.connect();
    await database.query("delete from projects where id = $1", [id]);
    await database.end();
  }
}

const base = process.argv[2];
await dropHalfMade(base);
const { projects } = await call<{ projects: unknown[] }>(`${base}/api/projects`);
if (projects.length === 0) {
  console.log("wet thread: making the demo, Night shift at Harrow Mill");
  await createDemo(base);
}
