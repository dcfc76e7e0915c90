import fs from "node:fs";
import path from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { startPostgres } from "../../scripts/lib/postgres.mjs";
import { startServer } from "../../scripts/lib/server.mjs";
import { migrate } from "../../scripts/lib/setup.mjs";
import { freePort, ROOT } from "../../scripts/lib/shell.mjs";
import { noise, wavFile } from "../client";

/** A cluster and a server of this file's own, to be killed at will. */
const FOLDER = ".test/killed";
let postgres: Awaited<ReturnType<typeof startPostgres>>;
let server: Awaited<ReturnType<typeof startServer>>;
let base = "";

const up = async (): Promise<void> => {
  server = await startServer({ databaseUrl: postgres.url, port: await freePort(), quiet: true });
  base = server.url;
};
// biome-ignore lint/suspicious/noExplicitAny: answers of every form
const call = async (method: string, at: string, body?: unknown): Promise<{ status: number; body: any }> => {
  const raw = body instanceof Uint8Array;
  const answer = await fetch(`${base}${at}`, { method, body: body === undefined ? undefined : raw ? (body as BodyInit) : JSON.stringify(body) });
  return { status: answer.status, body: await answer.json() };
};

beforeAll(async () => {
  fs.rmSync(path.join(ROOT, FOLDER), { recursive: true, force: true });
  postgres = await startPostgres(FOLDER);
  migrate(postgres.url);
  await up();
});
afterAll(async () => {
  await server?.stop();
  await postgres?.stop();
});

/** Edits as fast as they go until something breaks; every acknowledged one is noted. */
async function editUntilBroken(versionId: string, done: { count: number; revision: number }, most: number): Promise<void> {
  for (let i = 0; i < most; i++) {
    try {
      const { status, body } = await call("POST", `/api/versions/${versionId}/edits`, {
        revision: done.revision,
        edits: [{ type: "add-track", id: `t${done.count}` }],
      });
      if (status !== 200) return;
      done.count++;
      done.revision = body.revision;
    } catch {
      return;
    }
  }
}

async function expectAll(versionId: string, done: { count: number; revision: number }): Promise<void> {
  const { body } = await call("GET", `/api/versions/${versionId}`);
  const ids = body.tracks.map((t: { id: string }) => t.id);
  // What was acknowledged is there, in order; the one that was on its way may be, too.
  expect(ids.slice(0, done.count)).toEqual(Array.from({ length: done.count }, (_, i) => `t${i}`));
  expect(ids.length).toBeLessThanOrEqual(done.count + 1);
  expect(body.revision).toBe(ids.length);
  done.count = ids.length;
  done.revision = body.revision;
}

describe("nothing that was acknowledged is lost", () => {
  it("when the web server is killed, again and again, in the midst of edits", async () => {
    const { body } = await call("POST", "/api/projects", { name: "Killed" });
    const versionId = body.versions[0].id;
    const done = { count: 0, revision: 0 };
    for (let round = 0; round < 3; round++) {
      const before = done.count;
      const work = editUntilBroken(versionId, done, 5000);
      while (done.count < before + 4 + 3 * round) await wait(5);
      server.child.kill("SIGKILL");
      await server.exit;
      await work;
      await up();
      await expectAll(versionId, done);
    }
    expect(done.count).toBeGreaterThan(10);
  });

  it("when PostgreSQL is killed in the midst of edits; meanwhile the answer says what was kept", async () => {
    const { body } = await call("POST", "/api/projects", { name: "Killed" });
    const versionId = body.versions[0].id;
    const done = { count: 0, revision: 0 };
    const work = editUntilBroken(versionId, done, 5000);
    while (done.count < 10) await wait(5);
    postgres.kill();
    await work;
    const away = await call("POST", `/api/versions/${versionId}/edits`, { revision: done.revision, edits: [{ type: "add-track" }] });
    expect(away).toMatchObject({ status: 503, body: { error: "database-away", kept: "Nothing was changed." } });
    await wait(10_000);
    postgres = await startPostgres(FOLDER);
    for (let i = 0; i < 100 && (await call("GET", "/api/health")).status !== 200; i++) await wait(100);
    await expectAll(versionId, done);
    await editUntilBroken(versionId, done, 3);
    await expectAll(versionId, done);
  });

  it("when the worker is killed in the midst of an import: another takes the job up", async () => {
    const { body: project } = await call("POST", "/api/projects", { name: "Killed", sampleRate: 48_000 });
    // At another rate, so that reading it takes a while.
    const samples = noise(44_100 * 240, 5);
    const { body: source } = await call("POST", `/api/projects/${project.id}/sources?name=long.wav`, wavFile([samples, samples], "i16", 44_100));
    for (let i = 0; i < 200; i++) {
      const now = (await call("GET", `/api/sources/${source.id}`)).body;
      if (now.status === "importing") break;
      await wait(25);
    }
    for (const pid of fs.readdirSync("/proc").filter((p) => /^\d+$/.test(p))) {
      // Only the worker whose parent is this test's own server.
      const stat = fs.existsSync(`/proc/${pid}/status`) ? fs.readFileSync(`/proc/${pid}/status`, "utf8") : "";
      if (!new RegExp(`^PPid:\\s+${server.child.pid}$`, "m").test(stat)) continue;
      if (fs.readFileSync(`/proc/${pid}/cmdline`, "utf8").includes("worker.ts")) process.kill(Number(pid), "SIGKILL");
    }
    let now = { status: "", length: 0 };
    for (let i = 0; i < 1500 && now.status !== "ready"; i++) {
      now = (await call("GET", `/api/sources/${source.id}`)).body;
      await wait(100);
    }
    expect(now).toMatchObject({ status: "ready", length: 48_000 * 240 });
  }, 180_000);
});
