import type { Clip } from "@wet-thread/core/model/schema";
import { edits } from "@wet-thread/core/testing/edits";
import fc from "fast-check";
import { beforeAll, describe, expect, it } from "vitest";
import { addSource, api, exportWav, newProject, noise, wavFile } from "../client";

const RATE = 48_000;

describe("versions of a project", () => {
  let [projectId, first, sourceId] = ["", "", ""];
  const get = async (id: string) => (await api("GET", `/api/versions/${id}`)).body;
  const edit = async (id: string, ...edits: object[]) => {
    const { revision } = await get(id);
    const answer = await api("POST", `/api/versions/${id}/edits`, { revision, edits });
    expect(answer.status, JSON.stringify(answer.body)).toBe(200);
  };
  const make = async (body: object) => {
    const answer = await api("POST", `/api/projects/${projectId}/versions`, body);
    expect(answer.status, JSON.stringify(answer.body)).toBe(201);
    return answer.body.id as string;
  };
  const listed = async () => (await api("GET", `/api/projects/${projectId}`)).body.versions.map((v: { name: string }) => v.name);
  beforeAll(async () => {
    ({ projectId, versionId: first } = await newProject(RATE));
    ({ id: sourceId } = await addSource(projectId, wavFile([noise(10 * RATE, 3)])));
    const clip = (id: string, start: number, offset: number) => ({ type: "add-clip", id, trackId: "t", sourceId, start, offset, length: RATE });
    await edit(first, { type: "add-track", id: "t", name: "Loom" }, clip("a", 0, 0), clip("b", 2 * RATE, 3 * RATE), clip("c", 4 * RATE, 5 * RATE));
    await edit(first, { type: "add-marker", id: "m", position: 2.5 * RATE, name: "Here" });
  });

  it("are made blank or as a copy, each with its own history; neither touches the other", async () => {
    const before = await get(first);
    const copy = await make({ name: "Short cut", from: first });
    const own = await get(copy);
    expect([own.clips, own.tracks, own.markers, own.revision]).toEqual([before.clips, before.tracks, before.markers, 0]);
    await edit(copy, { type: "delete", clipIds: ["a"] }, { type: "move", clipIds: ["b"], by: 4800 });
    expect(await get(first)).toEqual(before);
    expect((await api("GET", `/api/versions/${copy}/history`)).body.steps).toHaveLength(1);
    const blank = await make({ name: "Blank" });
    expect(await get(blank)).toMatchObject({ clips: [], tracks: [], tempo: [{ tick: 0, bpm: 92 }], revision: 0 });
    expect(await listed()).toEqual(["First version", "Short cut", "Blank"]);
  });

  it("are renamed, described, put in another order; deleted, and put back", async () => {
    const id = await make({ name: "Third", from: first });
    const patched = await api("PATCH", `/api/versions/${id}`, { name: "Gallery", description: "For the long room", place: 0 });
    expect(patched.body).toMatchObject({ name: "Gallery", description: "For the long room" });
    expect((await listed())[0]).toBe("Gallery");
    expect((await api("DELETE", `/api/versions/${id}`)).status).toBe(200);
    expect(await listed()).not.toContain("Gallery");
    const gone = await api("GET", `/api/versions/${id}`);
    expect([gone.status, gone.body.error]).toEqual([410, "deleted"]);
    expect((await api("POST", `/api/versions/${id}/edits`, { revision: 0, edits: [{ type: "add-track" }] })).status).toBe(410);
    expect((await api("POST", `/api/versions/${id}/restore`)).status).toBe(200);
    expect((await get(id)).clips).toHaveLength(3);
    await api("DELETE", `/api/versions/${id}`);
  });

  it("a project keeps its last one, also where two are deleted at once", async () => {
    const { projectId: p, versionId: v } = await newProject();
    expect((await api("DELETE", `/api/versions/${v}`)).status).toBe(409);
    const other = (await api("POST", `/api/projects/${p}/versions`, { name: "Two" })).body.id;
    const answers = await Promise.all([api("DELETE", `/api/versions/${v}`), api("DELETE", `/api/versions/${other}`)]);
    expect(answers.map((a) => a.status).sort()).toEqual([200, 409]);
  });

  it("are compared clip by clip", async () => {
    const other = await make({ name: "Compared", from: first });
    await edit(
      other,
      { type: "move", clipIds: ["b"], by: 4800 },
      { type: "trim", clipIds: ["c"], edge: "end", by: -480 },
      { type: "set-gain", clipIds: ["c"], gain: -3 },
      { type: "delete", clipIds: ["a"] },
      { type: "add-clip", id: "new", trackId: "t", sourceId, start: 8 * RATE, offset: 8 * RATE, length: RATE },
    );
    const { body } = await api("GET", `/api/versions/${first}/compare/${other}`);
    expect(body.differences.map((d: { a: Clip | null; b: Clip | null; kinds: string[] }) => [d.a?.id ?? null, d.b?.id ?? null, d.kinds])).toEqual([
      ["a", null, ["only-a"]],
      ["b", "b", ["moved"]],
      ["c", "c", ["trimmed", "changed"]],
      [null, "new", ["only-b"]],
    ]);
    const elsewhere = await newProject();
    expect((await api("GET", `/api/versions/${first}/compare/${elsewhere.versionId}`)).status).toBe(422);
  });

  it("bring clips over: chosen ones, a range with its marks, a whole track that is not there; as one step that undo takes back", async () => {
    const blank = await make({ name: "Built" });
    const bring = async (body: object) => {
      const { revision } = await get(blank);
      return api("POST", `/api/versions/${blank}/bring`, { revision, from: first, ...body });
    };
    const before = { ...(await get(blank)), revision: 0 };
    const brought = await bring({ clipIds: ["b"], at: RATE });
    expect(brought.status, JSON.stringify(brought.body)).toBe(200);
    let now = await get(blank);
    expect(now.tracks.map((t: { name: string }) => t.name)).toEqual(["Loom"]);
    expect(now.clips).toMatchObject([{ start: RATE, offset: 3 * RATE, length: RATE, sourceId }]);
    await api("POST", `/api/versions/${blank}/undo`, {});
    expect({ ...(await get(blank)), revision: 0 }).toEqual(before);
    await bring({ range: { start: 2.25 * RATE, end: 4.5 * RATE, trackIds: ["t"] }, marks: true });
    now = await get(blank);
    expect(now.clips.map((c: Clip) => [c.start, c.length, c.offset])).toEqual([
      [2.25 * RATE, 0.75 * RATE, 3.25 * RATE],
      [4 * RATE, 0.5 * RATE, 5 * RATE],
    ]);
    expect(now.markers).toMatchObject([{ position: 2.5 * RATE, name: "Here" }]);
    expect((await bring({ trackIds: ["t"] })).status).toBe(200);
    expect((await get(blank)).tracks).toHaveLength(1);
    expect((await bring({ clipIds: ["nothing"] })).status).toBe(422);
    expect((await get(first)).clips).toHaveLength(3);
  });

  it("bring over a take stack with its lanes, a track with its ride, tempo and meter: it is heard as it was there", async () => {
    const made = await newProject(RATE);
    const source = await addSource(made.projectId, wavFile([noise(RATE * 8, 9)]));
    const lay = (id: string, start: number, offset: number) => ({
      type: "add-clip",
      id,
      trackId: "v",
      sourceId: source.id,
      start,
      offset,
      length: 2 * RATE,
    });
    await edit(
      made.versionId,
      { type: "set-time", tempo: [{ tick: 0, bpm: 92 }], meter: [{ tick: 0, numerator: 3, denominator: 4 }], firstBar: 5 },
      { type: "add-track", id: "v", name: "Voice" },
      lay("one", RATE, 0),
      { ...lay("two", RATE, 3 * RATE), overlap: "layer" },
      { type: "stack-takes", id: "stack", clipIds: ["one", "two"], laneIds: ["low", "high"] },
      { type: "pick", bundleId: "stack", laneId: "low", start: 2 * RATE, end: 3 * RATE },
      {
        type: "set-ride",
        trackIds: ["v"],
        points: [
          { at: 0, value: -3 },
          { at: 4 * RATE, value: -12 },
        ],
      },
    );
    const blank = (await api("POST", `/api/projects/${made.projectId}/versions`, { name: "Built" })).body.id;
    await edit(blank, { type: "set-time", tempo: [{ tick: 0, bpm: 120 }], meter: [{ tick: 0, numerator: 4, denominator: 4 }] });
    const bring = (body: object) => api("POST", `/api/versions/${blank}/bring`, { revision: 1, from: made.versionId, ...body });
    expect((await bring({ trackIds: ["v"], time: true, at: 0 })).status).toBe(400);
    const brought = await bring({ trackIds: ["v"], time: true });
    expect([brought.status, brought.body.revision]).toEqual([200, 2]);
    const [there, here] = [await get(made.versionId), await get(blank)];
    expect([here.tempo, here.meter, here.firstBar]).toEqual([there.tempo, there.meter, there.firstBar]);
    const lanes = (v: { bundles: { takes: { name: string; clips: { at: number; offset: number; length: number }[] }[] }[] }) =>
      v.bundles.map((b) => b.takes.map((l) => [l.name, l.clips.map((c) => [c.at, c.offset, c.length])]));
    expect(lanes(here)).toEqual(lanes(there));
    expect(Buffer.compare(await exportWav(blank), await exportWav(made.versionId))).toBe(0);
    // It is a stack: another lane can be picked.
    const [{ id, takes }] = here.bundles;
    const picked = await api("POST", `/api/versions/${blank}/edits`, {
      revision: 2,
      edits: [{ type: "pick", bundleId: id, laneId: takes[0].id, start: RATE, end: 2 * RATE }],
    });
    expect(picked.status).toBe(200);
  });

  it("never touch one another's steps: random edits, undo and redo in two of them at once, each in a tab of its own", async () => {
    const made = await newProject(RATE);
    const [mono, stereo] = await Promise.all([
      addSource(made.projectId, wavFile([noise(20_000, 1)])),
      addSource(made.projectId, wavFile([noise(20_000, 2), noise(20_000, 3)])),
    ]);
    const clips = [0, 1, 2, 3].map((i) => {
      const at = { trackId: `t${i % 2}`, start: 1000 + 3000 * i, length: 2500, offset: 500 };
      return { type: "add-clip", id: `c${i}`, sourceId: i % 2 ? stereo.id : mono.id, ...at };
    });
    const tracks = [0, 1, 2].map((i) => ({ type: "add-track", id: `t${i}`, name: `Track ${i}` }));
    await edit(made.versionId, ...tracks, ...clips);
    const { body: copy } = await api("POST", `/api/projects/${made.projectId}/versions`, { name: "Copy", from: made.versionId });
    const named = (e: object): object => JSON.parse(JSON.stringify(e).replaceAll('"mono"', `"${mono.id}"`).replaceAll('"stereo"', `"${stereo.id}"`));
    const tab = async (id: string, seed: number): Promise<number> => {
      let [now, done] = [await get(id), 0];
      for (const [i, one] of fc.sample(edits, { seed, numRuns: 60 }).entries()) {
        // Whatever was done in the other one meanwhile, this one is as its own last step left it.
        expect(await get(id)).toEqual(now);
        const way = i % 7 === 5 ? "undo" : i % 7 === 6 ? "redo" : "edits";
        const body = way === "edits" ? { revision: now.revision, edits: [named(one)] } : { revision: now.revision };
        const { status } = await api("POST", `/api/versions/${id}/${way}`, body);
        // Impossible ones change nothing.
        expect([200, 409, 422]).toContain(status);
        const next = await get(id);
        if (status !== 200) expect(next).toEqual(now);
        done += next.revision - now.revision;
        now = next;
      }
      const { steps } = (await api("GET", `/api/versions/${id}/steps?after=0`)).body;
      expect(steps.map((s: { revision: number }) => s.revision)).toEqual(Array.from({ length: now.revision }, (_, k) => k + 1));
      return done;
    };
    const done = await Promise.all([tab(made.versionId, 11), tab(copy.id, 12)]);
    expect(Math.min(...done)).toBeGreaterThan(15);
  });
});
