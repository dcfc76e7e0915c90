import { describe, expect, it } from "vitest";
import { addSource, api, exportWav, newProject, noise, readWav, until, wavFile } from "../client";

const RATE = 48_000;

async function stage(channels: number) {
  const { projectId, versionId } = await newProject();
  const source = await addSource(projectId, wavFile(Array.from({ length: channels }, (_, c) => noise(RATE * 6, c + 3))));
  const clip = (id: string, start: number, offset: number) => ({
    type: "add-clip",
    id,
    trackId: "t1",
    sourceId: source.id,
    start,
    offset,
    length: RATE,
    gain: -2,
  });
  const { body } = await api("POST", `/api/versions/${versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "t1", name: "Loom", gain: -6 },
      clip("a", 0, 1000),
      clip("b", RATE, 3 * RATE),
      clip("c", 3 * RATE, 2 * RATE),
      { type: "set-blend", clipId: "b", length: 4800 },
      { type: "set-fade", clipIds: ["a"], edge: "in", length: 9600, shape: "s", bend: 0.3 },
    ],
  });
  return { projectId, versionId, revision: body.revision as number };
}

async function print(versionId: string, clipIds: string[]) {
  const { status, body } = await api("POST", `/api/versions/${versionId}/prints`, { clipIds, name: "Loom, printed" });
  expect(status).toBe(202);
  return (
    await until(
      () => api("GET", `/api/prints/${body.id}`),
      (a) => a.body.status === "ready" || a.body.status === "failed",
    )
  ).body;
}

describe("printing clips", () => {
  it.each([1, 2])(
    "takes their place with a recording of %i channels that sounds the same to the last bit; undo brings them back",
    async (channels) => {
      const { projectId, versionId, revision } = await stage(channels);
      const before = (await api("GET", `/api/versions/${versionId}`)).body;
      const dry = await readWav(await exportWav(versionId));
      const job = await print(versionId, ["a", "b"]);
      expect(job).toMatchObject({ status: "ready", progress: 1, error: null });
      const after = (await api("GET", `/api/versions/${versionId}`)).body;
      expect(after.revision).toBe(revision + 1);
      const [printed, c] = after.clips;
      expect(printed).toMatchObject({
        start: 0,
        length: 2 * RATE,
        offset: 0,
        gain: 0,
        sourceId: job.sourceIds[0],
        fadeIn: { length: 0 },
        blend: null,
      });
      expect(c).toEqual(before.clips.find((x: { id: string }) => x.id === "c"));
      expect((await api("GET", `/api/sources/${job.sourceIds[0]}`)).body).toMatchObject({ name: "Loom, printed", channels, status: "ready" });
      // Float rounding of the track's gain is the same: the print was made before it.
      const wet = await readWav(await exportWav(versionId));
      const worst = Math.max(...wet.map((channel, k) => channel.reduce((m, v, i) => Math.max(m, Math.abs(v - dry[k][i])), 0)));
      expect(worst).toBeLessThan(1e-7);
      await api("POST", `/api/versions/${versionId}/undo`, {});
      expect((await api("GET", `/api/versions/${versionId}`)).body.clips).toEqual(before.clips);
      expect((await api("GET", `/api/projects/${projectId}`)).body.sources).toHaveLength(2);
    },
  );
  it("lays nothing of what it holds again, and covers nothing between clips that are no neighbours", async () => {
    const { versionId, revision } = await stage(1);
    const { status } = await api("POST", `/api/versions/${versionId}/edits`, {
      revision,
      edits: [
        { type: "remove-blend", clipId: "b" },
        { type: "reverse", clipIds: ["a"] },
        { type: "stretch", clipIds: ["c"], factor: 1.25, kind: "tape" },
        { type: "treat", clipIds: ["c"], chain: [{ kind: "gain", db: -3 }] },
        { type: "set-envelope", clipIds: ["a", "c"], points: [{ at: 0, value: -6 }] },
        {
          type: "set-ride",
          trackIds: ["t1"],
          points: [
            { at: 0, value: -6 },
            { at: 4 * RATE, value: 0 },
          ],
        },
      ],
    });
    expect(status).toBe(200);
    const dry = await readWav(await exportWav(versionId));
    const job = await print(versionId, ["a", "c"]);
    expect(job).toMatchObject({ status: "ready", error: null });
    expect(job.sourceIds).toHaveLength(2);
    const { clips } = (await api("GET", `/api/versions/${versionId}`)).body;
    expect(clips.map((c: { sourceId: string }) => job.sourceIds.includes(c.sourceId))).toEqual([true, false, true]);
    for (const c of [clips[0], clips[2]]) for (const field of ["recipe", "envelopes", "conform", "hits"]) expect(c).not.toHaveProperty(field);
    const wet = await readWav(await exportWav(versionId));
    expect(Math.max(...wet.map((channel, k) => channel.reduce((m, v, i) => Math.max(m, Math.abs(v - dry[k][i])), 0)))).toBeLessThan(1e-6);
  });
  it("refuses clips that are not there, and a finished one can't be cancelled", async () => {
    const { versionId } = await stage(1);
    const refused = await api("POST", `/api/versions/${versionId}/prints`, { clipIds: ["gone"] });
    expect(refused).toMatchObject({ status: 422, body: { path: "clipIds" } });
    const { body } = await api("POST", `/api/versions/${versionId}/prints`, { clipIds: ["c"] });
    await until(
      () => api("GET", `/api/prints/${body.id}`),
      (a) => a.body.status === "ready",
    );
    expect((await api("DELETE", `/api/prints/${body.id}`)).body).toEqual({ cancelled: false });
    expect((await api("GET", "/api/prints/none")).status).toBe(404);
  });
});
