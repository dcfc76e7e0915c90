// The rows that ask the server: many at once, whole pieces, long histories, many projects; and how it answers others meanwhile.
import { setTimeout as wait } from "node:timers/promises";
import { loadLargePiece } from "./load";
import type { Row } from "./rows";
import { BASE, call, newProject } from "./server";

/** Asks for the server's health until told to end, and returns how long each answer took. */
function watchHealth(): () => Promise<number[]> {
  const times: number[] = [];
  let over = false;
  const watching = (async () => {
    while (!over) {
      const since = performance.now();
      await call("/api/health");
      times.push(performance.now() - since);
      await wait(5);
    }
  })();
  return async () => {
    over = true;
    await watching;
    return times.sort((a, b) => a - b);
  };
}
const at = (sorted: readonly number[], part: number): number => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))] ?? 0;
const health = (name: string, times: readonly number[]): Row => ({
  name: `health while ${name}`,
  value: at(times, 0.99),
  unit: `ms p99 of ${times.length}`,
  budget: "< 50",
});

/** How long a minute of many clients is, for a bench. */
const SECONDS = 20;

async function forty(): Promise<Row[]> {
  const made = await Promise.all(Array.from({ length: 40 }, (_, i) => newProject(`Forty ${i}`, 48_000)));
  const times: number[] = [];
  const until = performance.now() + SECONDS * 1000;
  const well = watchHealth();
  await Promise.all(
    made.map(async ({ versionId }) => {
      let revision = 0;
      for (let n = 0; performance.now() < until; n++) {
        const since = performance.now();
        const edits = [{ type: "add-marker", position: n }];
        ({ revision } = await call<{ revision: number }>(`/api/versions/${versionId}/edits`, { revision, edits }));
        times.push(performance.now() - since);
      }
    }),
  );
  times.sort((a, b) => a - b);
  return [
    { name: "edits.forty", value: times.length / SECONDS, unit: "edits/s, 40 clients on 40 versions", budget: "≥ 400" },
    { name: "edits.forty, each", value: at(times, 0.99), unit: "ms p99", budget: "< 150" },
    health("forty edit", await well()),
  ];
}

async function large(): Promise<Row[]> {
  const { versionId } = await loadLargePiece();
  const rows: Row[] = [];
  for (const [name, budget] of [
    ["seams.api, from nothing", "–"],
    ["seams.api", "< 1000"],
  ] as const) {
    const well = watchHealth();
    const since = performance.now();
    const { seams } = await call<{ seams: unknown[] }>(`/api/versions/${versionId}/seams`);
    rows.push({ name, value: performance.now() - since, unit: `ms for ${seams.length} seams`, budget });
    rows.push(health(name, await well()));
  }
  const { revision } = await call<{ revision: number }>(`/api/versions/${versionId}`);
  const times: number[] = [];
  for (let i = 0; i < 3; i++) {
    const since = performance.now();
    await call(`/api/versions/${versionId}/edits`, { revision: revision + i, edits: [{ type: "insert-time", at: 1_000_000, length: 96_000 }] });
    times.push(performance.now() - since);
  }
  rows.push({ name: "insert-time over the API", value: Math.min(...times), unit: "ms, 20,000 clips", budget: "< 500" });
  return rows;
}

async function history(): Promise<Row> {
  const { versionId } = await newProject("A long history", 48_000);
  for (let revision = 0; revision < 4000; revision++)
    await call(`/api/versions/${versionId}/edits`, { revision, edits: [{ type: "add-marker", position: revision }] });
  const since = performance.now();
  await call(`/api/versions/${versionId}/undo`, { to: 0 });
  return { name: "history.jump", value: performance.now() - since, unit: "ms, 4,000 steps back", budget: "< 2000" };
}

async function projects(): Promise<Row> {
  for (let i = 0; i < 2000; i += 20) await Promise.all(Array.from({ length: 20 }, (_, k) => newProject(`Project ${i + k}`, 48_000)));
  const times: number[] = [];
  for (let i = 0; i < 7; i++) {
    const since = performance.now();
    await (await fetch(`${BASE}/api/projects`)).arrayBuffer();
    times.push(performance.now() - since);
  }
  return { name: "projects.list", value: times.sort((a, b) => a - b)[3], unit: "ms, 2,000 projects, median", budget: "< 200" };
}

export async function manyRows(): Promise<Row[]> {
  return [...(await forty()), ...(await large()), await history(), await projects()];
}
