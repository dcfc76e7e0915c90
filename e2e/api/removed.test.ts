import pg from "pg";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { noise, until, wavFile } from "../client";
import { OwnServer } from "../own-server";

let own: OwnServer;
beforeAll(async () => {
  own = await OwnServer.start(".test/removed");
});
afterAll(() => own?.stop());

describe("a recording that nothing uses, and an export", () => {
  it("goes for good after a month, the recording unless some step of the history names it", async () => {
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

    // Time passes, for two of them, and for an export.
    const client = new pg.Client({ connectionString: own.databaseUrl });
    await client.connect();
    await client.query("update sources set removed_at = now() - interval '31 days' where id = any($1)", [[never, once]]);
    await client.query("update exports set created_at = now() - interval '31 days' where id = $1", [oldExport]);
    await client.end();
    // Each worker looks when it starts.
    own.killWorker();
    await until(
      () => own.call("GET", `/api/sources/${never}`),
      (a) => a.status === 404,
    );
    await until(
      () => own.call("GET", `/api/exports/${oldExport}`),
      (a) => a.status === 404,
    );
    expect((await fetch(`${own.url}/api/exports/${newExport}/file`)).status).toBe(200);
    for (const kept of [once, used, lately]) expect((await fetch(`${own.url}/api/sources/${kept}/file`)).status).toBe(200);

    // What a step still names is whole: undone, the clip plays again.
    await own.must("POST", `${at}/undo`, {});
    expect((await own.must("GET", at)).clips.map((c: { sourceId: string }) => c.sourceId).sort()).toEqual([once, used].sort());
    expect(await own.must("GET", `/api/sources/${once}`)).toMatchObject({ status: "ready", length: 9600 });
  });
});
