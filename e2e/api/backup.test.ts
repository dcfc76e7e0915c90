import { spawnSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import pg from "pg";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { startPostgres } from "../../scripts/lib/postgres.mjs";
import { startServer } from "../../scripts/lib/server.mjs";
import { migrate } from "../../scripts/lib/setup.mjs";
import { freePort, ROOT } from "../../scripts/lib/shell.mjs";
import { noise, talkTo, until, wavFile } from "../client";
import { OwnServer } from "../own-server";

const [from, to] = [`.test/backed-up-${process.pid}`, `.test/restored-${process.pid}`];
const place = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-backup-"));
const file = path.join(place, "all.backup");
let own: OwnServer;

/** A command as a person runs it, on a data folder. */
function done(script: "backup" | "restore", folder: string, ...args: string[]) {
  const env = { ...process.env, WET_THREAD_DATA: folder, INIT_CWD: place };
  const { status, stdout, stderr } = spawnSync("node", [`scripts/${script}.mjs`, ...args], { cwd: ROOT, encoding: "utf8", env });
  return { status, said: `${stdout}${stderr}` };
}

beforeAll(async () => {
  own = await OwnServer.start(from);
});
afterAll(async () => {
  await own.stop();
  for (const folder of [path.join(ROOT, to), place]) fs.rmSync(folder, { recursive: true, force: true });
});

describe("a backup", () => {
  it("made while the server runs holds all of it, and is restored into an empty folder", async () => {
    const project = await own.must("POST", "/api/projects", { name: "Kept apart", sampleRate: 48_000 });
    const sound = wavFile([noise(100_000, 5)]);
    const source = await (await fetch(`${own.url}/api/projects/${project.id}/sources?name=a.wav`, { method: "POST", body: sound })).json();
    await until(
      () => own.must("GET", `/api/sources/${source.id}`),
      (s) => s.status === "ready",
    );
    const version = `/api/versions/${project.versions[0].id}`;
    const edits = [
      { type: "add-track", id: "t", name: "Bells" },
      { type: "add-clip", id: "c", trackId: "t", sourceId: source.id, start: 4000, offset: 100, length: 50_000 },
    ];
    await own.must("POST", `${version}/edits`, { revision: 0, edits });
    const backup = done("backup", from, "all.backup");
    expect(backup).toEqual({ status: 0, said: expect.stringMatching(/wet thread: 1 project is in .*all\.backup \(\d+ MB\); npm run restore -- /) });
    const kept = await own.must("GET", version);
    // What is done afterwards is not in it.
    await own.must("POST", `${version}/edits`, { revision: 1, edits: [{ type: "mute", clipIds: ["c"], mute: true }] });

    const restored = done("restore", to, file);
    expect(restored).toEqual({ status: 0, said: expect.stringMatching(/1 project is back in /) });
    const database = await startPostgres(to);
    migrate(database.url);
    const server = await startServer({ databaseUrl: database.url, port: await freePort(), quiet: true });
    try {
      const { must } = talkTo(() => server.url);
      expect(await must("GET", version)).toEqual(kept);
      expect((await must("GET", `${version}/history`)).steps).toHaveLength(1);
      const bytes = new Uint8Array(await (await fetch(`${server.url}/api/sources/${source.id}/file`)).arrayBuffer());
      expect(Buffer.compare(bytes, sound)).toBe(0);
      // It is a piece to go on with: rendered, and edited.
      const { id } = await must("POST", `${version}/exports`, { encoding: "float32" });
      const { status, files } = await until(
        () => must("GET", `/api/exports/${id}`),
        (e) => e.status === "ready" || e.status === "failed",
      );
      expect([status, files[0].length]).toEqual(["ready", 54_000]);
      expect((await must("POST", `${version}/undo`, {})).revision).toBe(2);
      // A database that is in use, and one that holds projects, is left alone.
      expect(done("restore", to, file)).toEqual({ status: 1, said: expect.stringMatching(/is in use.*\nNothing was restored/) });
    } finally {
      await server.stop();
      await database.stop();
    }
    expect(done("restore", to, file)).toEqual({ status: 1, said: expect.stringMatching(/There is a project in .* already.*\nNothing was restored/) });
  });
  it("never writes over a file, and says where there is nothing to keep", () => {
    const before = fs.statSync(file);
    expect(done("backup", from, "all.backup")).toEqual({ status: 1, said: expect.stringMatching(/is there already.*\nNo backup was written/) });
    expect(fs.statSync(file)).toEqual({ ...before, atime: expect.anything(), atimeMs: expect.anything() });
    expect(done("backup", `.test/nothing-${process.pid}`)).toEqual({ status: 1, said: expect.stringMatching(/There is nothing in/) });
    expect(done("backup", from, "no/such/folder/x.backup")).toEqual({ status: 1, said: expect.stringMatching(/There is no folder/) });
    expect(fs.readdirSync(place)).toEqual(["all.backup"]);
  });
  it("that is damaged, cut short, of a later release, or none at all is refused in words, and nothing is made of it", async () => {
    const empty = `.test/empty-${process.pid}`;
    const whole = fs.readFileSync(file);
    const refused = (bytes: Uint8Array, why: RegExp): void => {
      fs.writeFileSync(path.join(place, "bad.backup"), bytes);
      const { status, said } = done("restore", empty, "bad.backup");
      expect(said).toMatch(why);
      expect(said).toMatch(/Nothing was restored/);
      expect(status).toBe(1);
    };
    try {
      refused(Buffer.from("a text"), /is no backup of Wet Thread, or is damaged/);
      refused(new Uint8Array(), /is no backup of Wet Thread, or is damaged/);
      refused(whole.subarray(0, whole.length - 60_000), /bad\.backup is (damaged|no backup)/);
      const database = new pg.Client({ connectionString: own.databaseUrl });
      await database.connect();
      await database.query("insert into drizzle.__drizzle_migrations (hash, created_at) values ('of later', 9000000000000)");
      expect(done("backup", from, "later.backup").status).toBe(0);
      await database.query("delete from drizzle.__drizzle_migrations where hash = 'of later'");
      await database.end();
      refused(fs.readFileSync(path.join(place, "later.backup")), /made by a later release/);
      expect(done("restore", empty, "nowhere.backup").said).toMatch(/There is no file/);
      expect(done("restore", empty).said).toMatch(/Say which file/);
      // After all that the folder takes the whole one.
      expect(done("restore", empty, file).status).toBe(0);
    } finally {
      fs.rmSync(path.join(ROOT, empty), { recursive: true, force: true });
    }
  });
});
