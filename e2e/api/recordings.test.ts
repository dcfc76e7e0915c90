import { describe, expect, it } from "vitest";
import { api, exportWav, newProject, noise, readWav, until } from "../client";

const RATE = 48_000;
const PART = 12_000;

async function stage() {
  const { projectId, versionId } = await newProject();
  const edits = ["t1", "t2"].map((id) => ({ type: "add-track", id, name: id === "t1" ? "Loom" : "Guide" }));
  await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  return { projectId, versionId };
}

/** Frames [from, to) of channels, interleaved as they are sent. */
function frames(channels: readonly Float32Array[], from: number, to: number): Uint8Array<ArrayBuffer> {
  const out = new Float32Array((to - from) * channels.length);
  for (let i = from; i < to; i++) for (const [c, x] of channels.entries()) out[(i - from) * channels.length + c] = x[i];
  return new Uint8Array(out.buffer);
}

const begin = (versionId: string, tracks: object[], start = 0) => api("POST", `/api/versions/${versionId}/recordings`, { tracks, start });
const send = (id: string, from: number, bytes: Uint8Array<ArrayBuffer>) => api("PATCH", `/api/recordings/${id}?from=${from}`, bytes);
const ended = (id: string) =>
  until(
    () => api("GET", `/api/recordings/${id}`),
    (a) => a.body.status === "ready" || a.body.status === "failed",
  );

describe("recording", () => {
  it("takes in what comes part by part, and lays each track's where it was played to, as one step", async () => {
    const { projectId, versionId } = await stage();
    const came = [noise(RATE, 1), noise(RATE, 2), noise(RATE, 3)];
    const begun = await begin(
      versionId,
      [
        { trackId: "t1", name: "Loom take", channels: 1 },
        { trackId: "t2", channels: 2 },
      ],
      90_000,
    );
    expect(begun).toMatchObject({ status: 201, body: { status: "recording", frames: 0 } });
    const { id, tracks } = begun.body;
    for (let at = 0; at < RATE; at += PART) {
      const answer = await send(id, at, frames(came, at, at + PART));
      expect(answer).toMatchObject({ status: 200, body: { frames: at + PART } });
      // An answer that was lost: the same part again, and one that goes on from the middle of it.
      expect((await send(id, at, frames(came, at, at + PART))).body.frames).toBe(at + PART);
    }
    expect((await send(id, RATE - 100, frames(came, RATE - 100, RATE))).body.frames).toBe(RATE);
    const lay = [
      {
        type: "lay-recording",
        tracks: tracks.map((t: { trackId: string; sourceId: string }) => ({
          ...t,
          name: undefined,
          channels: undefined,
          takes: [[{ start: 96_000, offset: 6000, length: 40_000 }]],
        })),
      },
    ];
    expect(await api("POST", `/api/recordings/${id}/end`, { frames: RATE, lay })).toMatchObject({ status: 202, body: { status: "queued" } });
    expect(await ended(id)).toMatchObject({ body: { status: "ready", error: null } });
    const { body } = await api("GET", `/api/versions/${versionId}`);
    expect(
      body.clips.map((c: { trackId: string; start: number; offset: number; length: number; name: string }) => [
        c.trackId,
        c.start,
        c.offset,
        c.length,
        c.name,
      ]),
    ).toEqual([
      ["t1", 96_000, 6000, 40_000, "Loom take"],
      ["t2", 96_000, 6000, 40_000, "Guide"],
    ]);
    const [one, two] = await Promise.all(tracks.map((t: { sourceId: string }) => api("GET", `/api/sources/${t.sourceId}`)));
    expect(one.body).toMatchObject({ name: "Loom take", channels: 1, length: RATE, status: "ready", timeReference: 90_000, originalRate: RATE });
    expect(two.body).toMatchObject({ name: "Guide", channels: 2, length: RATE });
    // What came is what lies there, to the bit.
    const out = await readWav(await exportWav(versionId, { tracks: ["t2"], span: { start: 96_000, end: 136_000 } }));
    for (const c of [0, 1]) expect(out[c]).toEqual(came[c + 1].subarray(6000, 46_000));
    // One step, and the recordings stay when it is taken back.
    await api("POST", `/api/versions/${versionId}/undo`, {});
    expect((await api("GET", `/api/versions/${versionId}`)).body.clips).toEqual([]);
    expect((await api("GET", `/api/projects/${projectId}`)).body.sources).toHaveLength(2);
    // Asked to end again it is as it was; nothing more is taken in.
    expect((await api("POST", `/api/recordings/${id}/end`, {})).body.status).toBe("ready");
    expect(await send(id, RATE, frames(came, 0, 10))).toMatchObject({ status: 409, body: { error: "ended" } });
  });

  it("asks for what is missing, and refuses what is no sound, in words", async () => {
    const { versionId } = await stage();
    const came = [noise(RATE, 4)];
    const { id } = (await begin(versionId, [{ trackId: "t1" }])).body;
    expect(await send(id, 500, frames(came, 500, 600))).toMatchObject({ status: 409, body: { error: "gap", frames: 0 } });
    expect((await send(id, 0, new Uint8Array([1, 2, 3]))).status).toBe(400);
    expect((await send(id, 0, frames([Float32Array.of(0, Number.NaN)], 0, 2))).status).toBe(422);
    expect((await send(id, 0, frames(came, 0, 100))).body.frames).toBe(100);
    expect(await api("POST", `/api/recordings/${id}/end`, { frames: 200 })).toMatchObject({ status: 409, body: { error: "gap", frames: 100 } });
    expect((await send(id, 50, frames(came, 50, 200))).body.frames).toBe(200);
    expect((await api("POST", `/api/recordings/${id}/end`, { frames: 200 })).status).toBe(202);
    expect((await ended(id)).body).toMatchObject({ status: "ready", frames: 200 });
    expect((await api("GET", "/api/recordings/none")).status).toBe(404);
    expect((await begin(versionId, [{ trackId: "nowhere" }])).status).toBe(404);
    expect((await begin(versionId, [])).status).toBe(400);
  });

  it("lets one page at a time record on a track, lists what is under way, and drops it when told", async () => {
    const { projectId, versionId } = await stage();
    const first = (await begin(versionId, [{ trackId: "t1" }])).body;
    expect(await begin(versionId, [{ trackId: "t1" }, { trackId: "t2" }])).toMatchObject({
      status: 409,
      body: { error: "track-held", trackId: "t1" },
    });
    expect((await begin(versionId, [{ trackId: "t2" }])).status).toBe(201);
    await send(first.id, 0, frames([noise(1000, 5)], 0, 1000));
    const { recordings } = (await api("GET", `/api/versions/${versionId}/recordings`)).body;
    expect(recordings.map((r: { id: string; frames: number }) => r.frames)).toEqual([1000, 0]);
    expect((await api("DELETE", `/api/recordings/${first.id}`)).body).toEqual({ removed: true });
    expect((await api("GET", `/api/recordings/${first.id}`)).status).toBe(404);
    // Of one to which nothing came nothing is left.
    const silent = recordings[1].id;
    expect((await api("POST", `/api/recordings/${silent}/end`, {})).body.status).toBe("empty");
    expect((await api("GET", `/api/projects/${projectId}`)).body.sources).toEqual([]);
  });

  it("is begun once though the answer was lost: asked for again with its key it is the same", async () => {
    const { versionId } = await stage();
    const ask = (key: string) => api("POST", `/api/versions/${versionId}/recordings`, { tracks: [{ trackId: "t1" }], key });
    const first = await ask("begin-key-1");
    const again = await ask("begin-key-1");
    expect(again).toMatchObject({ status: 201, body: { id: first.body.id, tracks: first.body.tracks } });
    expect((await ask("begin-key-2")).status).toBe(409);
    await api("DELETE", `/api/recordings/${first.body.id}`);
  });
  it("keeps in the list of recordings what can't be laid, and says why", async () => {
    const { projectId, versionId } = await stage();
    const { id, tracks } = (await begin(versionId, [{ trackId: "t1" }])).body;
    await send(id, 0, frames([noise(RATE, 6)], 0, RATE));
    await api("POST", `/api/versions/${versionId}/edits`, { revision: 1, edits: [{ type: "remove-track", trackId: "t1" }] });
    const lay = [
      { type: "lay-recording", tracks: [{ trackId: "t1", sourceId: tracks[0].sourceId, takes: [[{ start: 0, offset: 0, length: 100 }]] }] },
    ];
    await api("POST", `/api/recordings/${id}/end`, { lay });
    expect((await ended(id)).body.error).toMatch(/list of recordings/);
    expect((await api("GET", `/api/projects/${projectId}`)).body.sources).toMatchObject([{ status: "ready", length: RATE }]);
  });
});
