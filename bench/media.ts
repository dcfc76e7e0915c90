// The rows that take long recordings in and give long renders out, through the running server.
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import type { Row } from "./rows";
import { call, longWavBytes, newProject, sendLong, BASE as URL, until, whenRead } from "./server";

const RATE = 48_000;
const HOURS = Number(process.env.WET_THREAD_BENCH_HOURS ?? 2);

/** Greatest resident memory, in MB, of this server and its workers while something goes on; they are told by their command lines. */
async function peakMemory<T>(work: () => Promise<T>): Promise<{ result: T; megabytes: number }> {
  const pids = (): string[] => fs.readdirSync("/proc").filter((p) => /^\d+$/.test(p));
  const workers = (): string[] =>
    pids().filter((p) => {
      try {
        return fs.readFileSync(`/proc/${p}/cmdline`, "utf8").includes("processes/worker.mjs");
      } catch {
        return false;
      }
    });
  let most = 0;
  const look = (): void => {
    for (const pid of workers()) {
      try {
        const kilobytes = Number(/VmRSS:\s+(\d+)/.exec(fs.readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0);
        most = Math.max(most, kilobytes / 1000);
      } catch {
        // It ended between the two looks.
      }
    }
  };
  const timer = setInterval(look, 200);
  try {
    return { result: await work(), megabytes: most };
  } finally {
    clearInterval(timer);
  }
}

async function importLong(): Promise<{ rows: Row[]; projectId: string; versionId: string; sourceId: string }> {
  const { projectId, versionId } = await newProject("Bench: a long recording", RATE);
  const seconds = HOURS * 3600;
  const megabytes = longWavBytes(seconds, 2, RATE) / 1e6;
  const start = performance.now();
  const sourceId = await sendLong(projectId, seconds, 2, RATE, "Long");
  const sent = performance.now();
  const { megabytes: memory } = await peakMemory(() => whenRead(sourceId));
  const end = performance.now();
  return {
    projectId,
    versionId,
    sourceId,
    rows: [
      { name: "import.send", value: megabytes / ((sent - start) / 1000), unit: `MB/s, ${HOURS} h stereo, 16 bit`, budget: "≥ 60" },
      { name: "import.long", value: megabytes / ((end - sent) / 1000), unit: `MB/s of the file, decoded, peaks, hits`, budget: "≥ 60" },
      { name: "import.memory", value: memory, unit: "MB, worker", budget: "< 300" },
    ],
  };
}

async function exportLong(): Promise<Row> {
  const { projectId, versionId } = await newProject("Bench: 32 tracks", RATE);
  const minutes = 10;
  const ids: string[] = [];
  for (let i = 0; i < 8; i++) ids.push(await sendLong(projectId, minutes * 60, 1, RATE, `Part${i}`));
  for (const id of ids) await whenRead(id);
  const fade = { length: 480, shape: "power", bend: 0 };
  const edits = Array.from({ length: 32 }, (_, i) => [
    { type: "add-track", id: `t${i}`, name: `Track ${i}` },
    { type: "add-clip", id: `c${i}`, trackId: `t${i}`, sourceId: ids[i % 8], start: 0, fadeIn: fade, fadeOut: fade, gain: -18 },
  ]).flat();
  await call(`/api/versions/${versionId}/edits`, { revision: 0, edits });
  const start = performance.now();
  const { id } = await call<{ id: string }>(`/api/versions/${versionId}/exports`, { encoding: "pcm24" });
  const { status } = await until<{ status: string }>(`/api/exports/${id}`, (e) => e.status === "ready" || e.status === "failed");
  if (status !== "ready") throw new Error(status);
  return {
    name: "export.long",
    value: (minutes * 60 * 1000) / (performance.now() - start),
    unit: "× real time, 32 tracks × 10 min",
    budget: "≥ 60",
  };
}

/** Where hours of a recording hold sound: asked first, and again while the threshold is turned. */
async function silence(versionId: string, sourceId: string): Promise<Row[]> {
  await call(`/api/versions/${versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "t" },
      { type: "add-clip", id: "c", trackId: "t", sourceId, start: 0 },
    ],
  });
  const times: number[] = [];
  for (const threshold of [undefined, -40, -35, -45, -30, -50]) {
    const start = performance.now();
    await call(`/api/versions/${versionId}/sound`, { clipIds: ["c"], threshold, shortestSilence: 12_000, shortestSound: 2400 });
    times.push(performance.now() - start);
  }
  const [first, ...again] = times;
  return [
    { name: "silence, first", value: first, unit: `ms, ${HOURS} h`, budget: "–" },
    { name: "silence", value: again.sort((a, b) => a - b)[2], unit: `ms, ${HOURS} h, another threshold, median of five`, budget: "< 200" },
  ];
}

/** A project's archive written and read back, its recordings' jobs not counted. */
async function archives(projectId: string): Promise<Row[]> {
  const file = path.join(os.tmpdir(), `wet-thread-bench-${process.pid}.zip`);
  try {
    const begin = performance.now();
    const answer = await fetch(`${URL}/api/projects/${projectId}/archive`);
    await pipeline(Readable.fromWeb(answer.body as never), fs.createWriteStream(file));
    const written = performance.now();
    const megabytes = fs.statSync(file).size / 1e6;
    const read = await fetch(`${URL}/api/projects/archive`, {
      method: "POST",
      body: Readable.toWeb(fs.createReadStream(file)) as never,
      duplex: "half",
    } as RequestInit);
    if (read.status !== 201) throw new Error(await read.text());
    const end = performance.now();
    return [
      { name: "archive.out", value: megabytes / ((written - begin) / 1000), unit: `MB/s, ${Math.round(megabytes)} MB`, budget: "≥ 60" },
      { name: "archive.in", value: megabytes / ((end - written) / 1000), unit: "MB/s, sent, checked, written", budget: "≥ 60" },
    ];
  } finally {
    fs.rmSync(file, { force: true });
  }
}

export async function mediaRows(): Promise<Row[]> {
  const { rows, projectId, versionId, sourceId } = await importLong();
  return [...rows, ...(await silence(versionId, sourceId)), ...(await archives(projectId)), await exportLong()];
}
