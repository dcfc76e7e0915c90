import pg from "pg";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { noise, until, wavFile } from "../client";
import { OwnServer } from "../own-server";

let own: OwnServer;
let database: pg.Client;
beforeAll(async () => {
  own = await OwnServer.start(".test/put-aside");
  database = new pg.Client({ connectionString: own.databaseUrl });
  await database.connect();
});
afterAll(async () => {
  await database?.end();
  await own?.stop();
});

const RATE = 44_100;

/** A recording at another rate, so that taking it in takes a while; its id. */
async function recording(seconds: number): Promise<string> {
  const project = await own.must("POST", "/api/projects", { name: "Put aside", sampleRate: 48_000 });
  const samples = noise(RATE * seconds, 5);
  const { id } = await own.must("POST", `/api/projects/${project.id}/sources?name=long.wav`, wavFile([samples, samples], "i16", RATE));
  return id;
}
const jobOf = async (id: string) =>
  (
    await database.query<{ id: string; attempts: number; worker: string | null; locked: boolean; rested: number | null }>(
      "select id::text, attempts, locked_by as worker, locked_at is not null as locked, (payload->>'rested')::float8 as rested from graphile_worker._private_jobs where payload->>'sourceId' = $1",
      [id],
    )
  ).rows[0];
const source = (id: string) => own.must("GET", `/api/sources/${id}`);
const ready = (id: string) =>
  until(
    () => source(id),
    (s) => s.status === "ready",
  );

describe("a job whose worker ended", () => {
  it("has not failed where others ended with it, and has where it ended by itself", async () => {
    const id = await recording(400);
    /** Waits for another worker to be at work on it; by how many tries that count. */
    const taken = async (before: string | null) => {
      const { worker, attempts } = await until(
        () => jobOf(id),
        (job) => job?.locked && job.worker !== before,
      );
      return { worker, attempts };
    };
    const first = await taken(null);
    expect(first.attempts).toBe(1);
    // The web server is killed, and its worker ends with it: that try was none.
    await own.killWeb();
    await own.startWeb();
    const second = await taken(first.worker);
    expect(second.attempts).toBe(1);
    // It is in the midst of it: how far it is changes.
    const { progress } = await until(
      () => source(id),
      (s) => s.status === "importing",
    );
    await until(
      () => source(id),
      (s) => s.progress !== progress,
    );
    // The worker alone is killed: its parent counts that.
    expect(own.killWorker()).toBe(1);
    expect((await taken(second.worker)).attempts).toBe(2);
    await ready(id);
  }, 120_000);

  it("is put aside where that happens each time, is tried again at the next start, and when somebody asks", async () => {
    const [first, second] = [await recording(5), await recording(5)];
    for (const id of [first, second]) await ready(id);
    /** As it is when a worker was killed on it as often as may be. */
    const killedEachTime = async (id: string): Promise<void> => {
      await database.query("update sources set status = 'importing' where id = $1", [id]);
      await database.query(
        "select graphile_worker.add_job('import', json_build_object('sourceId', $1::text), max_attempts => 4, job_key => 'import ' || $1, run_at => now() + interval '1 hour')",
        [id],
      );
      await database.query("update graphile_worker._private_jobs set attempts = 4 where payload->>'sourceId' = $1", [id]);
    };
    for (const id of [first, second]) await killedEachTime(id);
    for (const id of [first, second]) {
      const put = await until(
        () => source(id),
        (s) => s.status === "failed",
      );
      expect(put.error).toMatch(
        /killed each time.*kept; it is tried again by itself in 10 minutes, and at the next start, and can be tried again now\.$/,
      );
      const job = await until(
        () => jobOf(id),
        (j) => j?.rested !== null,
      );
      expect(job).toMatchObject({ attempts: 3, locked: false, rested: 10 });
    }
    await own.must("POST", `/api/sources/${second}/retry`);
    await ready(second);
    // It was taken up, and not begun beside it.
    expect(await jobOf(second)).toBeUndefined();
    expect((await source(first)).status).toBe("failed");
    await own.killWeb();
    await own.startWeb();
    expect((await ready(first)).error).toBeNull();
    expect(await jobOf(first)).toBeUndefined();
  }, 120_000);

  it("is taken before what nobody waits for", async () => {
    const rank = async (name: string): Promise<number[]> => {
      const { rows } = await database.query(
        "select distinct priority from graphile_worker._private_jobs j join graphile_worker._private_tasks t on t.id = j.task_id where t.identifier = $1",
        [name],
      );
      return rows.map((r) => r.priority);
    };
    const project = await own.must("POST", "/api/projects", { name: "Ranks", sampleRate: 48_000 });
    const at = `/api/versions/${project.versions[0].id}`;
    const long = await own.must("POST", `/api/projects/${project.id}/sources?name=a.wav`, wavFile([noise(48_000, 1)]));
    await ready(long.id);
    await own.must("POST", `${at}/edits`, {
      revision: 0,
      edits: [
        { type: "add-track", id: "t" },
        { type: "add-clip", id: "c", trackId: "t", sourceId: long.id, start: 0 },
        { type: "repeat", clipIds: ["c"], times: 500 },
      ],
    });
    // Both hands are at work on exports, and more wait.
    const jobs: string[] = [];
    for (let i = 0; i < 6; i++) jobs.push((await own.must("POST", `${at}/exports`, { span: { start: 0, end: 48_000 * 3600 } })).id);
    await until(
      async () => (await Promise.all(jobs.map((id) => own.must("GET", `/api/exports/${id}`)))).filter((e) => e.status === "rendering").length,
      (n) => n === 2,
    );
    expect(await rank("export")).toEqual([4]);
    const quick = await recording(2);
    await ready(quick);
    const still = (await Promise.all(jobs.map((id) => own.must("GET", `/api/exports/${id}`)))).filter((e) => e.status === "queued").length;
    expect(still).toBeGreaterThanOrEqual(3);
    for (const id of jobs) await own.must("DELETE", `/api/exports/${id}`);
  }, 120_000);
});
