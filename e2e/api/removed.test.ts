import pg from "pg";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { migrate } from "../../scripts/lib/setup.mjs";
import { noise, until, wavFile } from "../client";
import { OwnServer } from "../own-server";

let own: OwnServer;
beforeAll(async () => {
  own = await OwnServer.start(".test/removed");
});
afterAll(() => own?.stop());

describe("a database of a later release", () => {
  it("is refused in words, and left as it is", async () => {
    const client = new pg.Client({ connectionString: own.databaseUrl });
    await client.connect();
    await client.query("insert into drizzle.__drizzle_migrations (hash, created_at) values ('of later', 9000000000000)");
    expect(() => migrate(own.databaseUrl)).toThrow(/^This data was last served by a later release.*Nothing was changed: start that release\.$/);
    await client.query("delete from drizzle.__drizzle_migrations where hash = 'of later'");
    await client.end();
    expect(() => migrate(own.databaseUrl)).not.toThrow();
  });
});

describe("what was removed a month ago", () => {
  it("goes for good: recordings that no step of a history names, projects but for what others share, and exports", async () => {
    const { id, versions } = await own.must("POST", "/api/projects", { name: "Removed", sampleRate: 48_000 });
    const at = `/api/versions/${versions[0].id}`;
    const send = async (name: string): Promise<string> => {
      const source = await own.must("POST", `/api/projects/${id}/sources?name=${name}.wav`, wavFile([noise(9600, 3)], "i16"));
      await until(
        () => own.must("GET", `/api/sources/${source.id}`),
        (s) => s.status === "ready",
      );
      return source.id;
    };
    const [never, once, used, lately] = [await send("never"), await send("once"), await send("used"), await send("lately")];
    const lay = (sourceId: string, clip: string) => ({ type: "add-clip", id: clip, trackId: "t", sourceId, start: 0 });
    await own.must("POST", `${at}/edits`, { revision: 0, edits: [{ type: "add-track", id: "t" }, lay(used, "a"), lay(once, "b")] });
    await own.must("POST", `${at}/edits`, { revision: 1, edits: [{ type: "delete", clipIds: ["b"] }] });
    const { ids } = await own.must("POST", `/api/projects/${id}/sources/unused`, {});
    expect(ids.sort()).toEqual([never, once, lately].sort());

    const rendered = async (): Promise<string> => {
      const { id: job } = await own.must("POST", `${at}/exports`, {});
      await until(
        () => own.must("GET", `/api/exports/${job}`),
        (e) => e.status === "ready",
      );
      return job;
    };
    const [oldExport, newExport] = [await rendered(), await rendered()];

    // A project whose copy shares its recording.
    const shared = await own.must("POST", "/api/projects", { name: "Shared", sampleRate: 48_000 });
    const { id: held } = await own.must("POST", `/api/projects/${shared.id}/sources?name=held.wav`, wavFile([noise(4800, 4)], "i16"));
    await until(
      () => own.must("GET", `/api/sources/${held}`),
      (s) => s.status === "ready",
    );
    const copy = await own.must("POST", `/api/projects/${shared.id}/duplicate`, {});
    await own.must("DELETE", `/api/projects/${shared.id}`);

    // Time passes, for two of the recordings, for an export and for the project.
    const client = new pg.Client({ connectionString: own.databaseUrl });
    await client.connect();
    await client.query("update sources set removed_at = now() - interval '31 days' where id = any($1)", [[never, once]]);
    await client.query("update exports set created_at = now() - interval '31 days' where id = $1", [oldExport]);
    await client.query("update projects set removed_at = now() - interval '31 days' where id = $1", [shared.id]);
    await client.end();
    // Each worker looks when it starts.
    own.killWorker();
    await until(
      () => own.call("GET", `/api/sources/${never}`),
      (a) => a.status === 404,
    );
    await until(
      () => own.call("GET", `/api/projects/${shared.id}`),
      (a) => a.status === 404,
    );
    const left = await own.must("GET", `/api/projects/${copy.id}`);
    expect(left.sources.map((s: { id: string; projectId: string }) => [s.id, s.projectId])).toEqual([[held, copy.id]]);
    expect((await fetch(`${own.url}/api/sources/${held}/file`)).status).toBe(200);
    expect((await fetch(`${own.url}/api/exports/${newExport}/file`)).status).toBe(200);
    await until(
      () => own.call("GET", `/api/exports/${oldExport}`),
      (a) => a.status === 404,
    );
    for (const kept of [once, used, lately]) expect((await fetch(`${own.url}/api/sources/${kept}/file`)).status).toBe(200);

    // What a step still names is whole: undone, the clip plays again.
    await own.must("POST", `${at}/undo`, {});
    expect((await own.must("GET", at)).clips.map((c: { sourceId: string }) => c.sourceId).sort()).toEqual([once, used].sort());
    expect(await own.must("GET", `/api/sources/${once}`)).toMatchObject({ status: "ready", length: 9600 });
  });
  it("stays where a clip of it is laid in the very moment in which it would go", async () => {
    const { id, versions } = await own.must("POST", "/api/projects", { name: "Meant", sampleRate: 48_000 });
    const source = await own.must("POST", `/api/projects/${id}/sources?name=meant.wav`, wavFile([noise(9600, 3)], "i16"));
    await until(
      () => own.must("GET", `/api/sources/${source.id}`),
      (s) => s.status === "ready",
    );
    const one = new pg.Client({ connectionString: own.databaseUrl });
    const other = new pg.Client({ connectionString: own.databaseUrl });
    for (const client of [one, other]) await client.connect();
    await one.query("update sources set removed_at = now() - interval '31 days' where id = $1", [source.id]);
    // As whoever lays a clip does: its row is held, and the clip comes with the same step.
    await one.query(`begin; select id from sources where id = '${source.id}' for share`);
    const waits = async (): Promise<number> =>
      (await other.query("select count(*)::int as n from pg_stat_activity where wait_event_type = 'Lock' and query ilike '%sources%'")).rows[0].n;
    own.killWorker();
    await until(waits, (n) => n > 0);
    const clip = { id: "c", sourceId: source.id };
    await one.query("insert into entities (version_id, kind, id, data) values ($1, 'clip', 'c', $2)", [versions[0].id, JSON.stringify(clip)]);
    await one.query("commit");
    await until(waits, (n) => n === 0);
    for (const client of [one, other]) await client.end();
    expect((await own.call("GET", `/api/sources/${source.id}`)).status).toBe(200);
  });
});
