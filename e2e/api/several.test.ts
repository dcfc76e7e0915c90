import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { startServer } from "../../scripts/lib/server.mjs";
import { freePort } from "../../scripts/lib/shell.mjs";
import { addSource, BASE, listenTo, newProject, noise, talkTo, until, wavFile } from "../client";

/** A second web server, as on another machine, beside the one of all tests; both know each other by the database alone. */
let other: Awaited<ReturnType<typeof startServer>>;
const one = talkTo(() => BASE);
const two = talkTo(() => other.url);
beforeAll(async () => {
  const databaseUrl = process.env.DATABASE_URL as string;
  other = await startServer({ databaseUrl, port: await freePort(), quiet: true, env: { WET_THREAD_NO_WORKER: "1" } });
});
afterAll(() => other?.stop());

/** Steps after which both servers are compared. */
const ROUNDS = 12;

describe("several web servers on one database", () => {
  it("are one: edits, undo and redo through either are in order, whole, and the same for both", async () => {
    const { projectId, versionId } = await newProject();
    const source = await addSource(projectId, wavFile([noise(96_000, 4)]));
    const path = `/api/versions/${versionId}`;
    const track = { type: "add-track", id: "t" };
    const clip = { type: "add-clip", id: "c", trackId: "t", sourceId: source.id, start: 0, offset: 0, length: 90_000 };
    let { revision } = await one.must("POST", `${path}/edits`, { revision: 0, edits: [track, clip] });
    for (let round = 0; round < ROUNDS; round++) {
      // Both at once, each from what it knows: one of them may be told that it is behind, with what it missed, and does it again then.
      const steps = [one, two].map(async (server, i) => {
        const at = 500 + (((2 * round + i) * 6367) % 89_000);
        // Every third round one of them goes back, every sixth the other forward again.
        const walk = round % 3 === 2 && i === 1 ? "undo" : round % 6 === 5 ? "redo" : null;
        for (let known = revision, tries = 0; ; tries++) {
          const answer = walk
            ? await server.call("POST", `${path}/${walk}`, { revision: known })
            : await server.call("POST", `${path}/edits`, { revision: known, edits: [{ type: "split", trackIds: ["t"], at: [at] }] });
          if (answer.status !== 409 || answer.body.steps === undefined || tries === 5) return answer;
          expect(answer.body.steps.map((s: { revision: number }) => s.revision).at(-1)).toBe(answer.body.revision);
          known = answer.body.revision;
        }
      });
      for (const { status } of await Promise.all(steps)) expect([200, 422]).toContain(status);
      const [here, there] = await Promise.all([one.must("GET", path), two.must("GET", path)]);
      expect(there).toEqual(here);
      revision = here.revision;
      const seams = await Promise.all([one, two].map((s) => s.must("GET", `${path}/seams`)));
      expect(seams[1]).toEqual(seams[0]);
      expect(await two.must("GET", `${path}/history`)).toEqual(await one.must("GET", `${path}/history`));
    }
    expect(revision).toBeGreaterThan(1.5 * ROUNDS);
  });
  it("tell each other's pages what happens, and take up what the other began", async () => {
    const { projectId, versionId } = await newProject();
    const { hears, stop } = await listenTo(other.url, projectId);
    await one.must("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits: [{ type: "add-track", id: "t" }] });
    expect(await hears(versionId)).toContain('"revision":1');
    // An upload of which each takes every other part; read, it is there for both, byte for byte.
    const bytes = wavFile([noise(5_000_000, 6)]);
    const { id, part } = await one.must("POST", `/api/projects/${projectId}/uploads`, { name: "a.wav", size: bytes.length });
    for (let offset = 0, k = 0; offset < bytes.length; offset += part, k++)
      await [one, two][k % 2].must("PATCH", `/api/uploads/${id}?offset=${offset}`, bytes.subarray(offset, Math.min(bytes.length, offset + part)));
    await until(
      () => two.must("GET", `/api/sources/${id}`),
      (s) => s.status === "ready",
    );
    expect(await hears('"status":"ready"')).toContain(id);
    stop();
    const back = Buffer.from(await (await fetch(`${other.url}/api/sources/${id}/file`)).arrayBuffer());
    expect(back.equals(Buffer.from(bytes))).toBe(true);
    // What is stretched through one is made once, and exported through the other, whose process has never heard of it.
    const clip = { type: "add-clip", id: "c", trackId: "t", sourceId: id, start: 0, offset: 0, length: 96_000 };
    const stretch = { type: "stretch", clipIds: ["c"], factor: 1.25, kind: "hits" };
    await two.must("POST", `/api/versions/${versionId}/edits`, { revision: 1, edits: [clip, stretch] });
    const sound = async (server: typeof one, base: string): Promise<Buffer> => {
      const { id: exportId } = await server.must("POST", `/api/versions/${versionId}/exports`, { encoding: "float32" });
      const { status } = await until(
        () => server.must("GET", `/api/exports/${exportId}`),
        (e) => e.status === "ready" || e.status === "failed",
      );
      expect(status).toBe("ready");
      return Buffer.from(await (await fetch(`${base}/api/exports/${exportId}/file`)).arrayBuffer());
    };
    const [a, b] = [await sound(one, BASE), await sound(two, other.url)];
    expect(a.equals(b)).toBe(true);
    expect(a.length).toBeGreaterThan(120_000 * 8);
  });
});
