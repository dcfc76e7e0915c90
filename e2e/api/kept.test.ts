import pg from "pg";
import { afterAll, describe, expect, it } from "vitest";
import { addSource, aPart, api, BASE, exportWav, listenTo, newProject, noise, readWav, until, wavFile } from "../client";

const database = new pg.Pool({ connectionString: process.env.DATABASE_URL, max: 2 });
afterAll(() => database.end());

/** A project with a recording and a track. */
async function project() {
  const { projectId, versionId } = await newProject();
  const source = await addSource(projectId, wavFile([noise(60_000, 7)]));
  let revision = 0;
  const edit = async (...edits: Record<string, unknown>[]) => {
    const answer = await api("POST", `/api/versions/${versionId}/edits`, { revision, edits });
    if (answer.status === 200) revision = answer.body.revision;
    return answer;
  };
  await edit({ type: "add-track", id: "t" });
  const look = async () => (await api("GET", `/api/versions/${versionId}`)).body;
  return { projectId, versionId, sourceId: source.id as string, edit, look, at: () => revision };
}

describe("an export", () => {
  it("is of the revision that was there when it was asked for, or of one that is named", async () => {
    const { versionId, sourceId, edit, at } = await project();
    await edit({ type: "add-clip", id: "c", trackId: "t", sourceId, start: 0 });
    const first = at();
    const before = await readWav(await exportWav(versionId));
    await edit({ type: "set-gain", clipIds: ["c"], gain: -20 });
    const named = await readWav(await exportWav(versionId, { revision: first }));
    expect(named[0].every((v, i) => v === before[0][i])).toBe(true);
    const now = await readWav(await exportWav(versionId));
    expect(Math.max(...now[0].slice(0, 1000))).toBeLessThan(0.2 * Math.max(...before[0].slice(0, 1000)));
    expect((await api("POST", `/api/versions/${versionId}/exports`, { revision: 999 })).status).toBe(409);
  });
  it("of tracks that are named hears them whatever is soloed", async () => {
    const { versionId, sourceId, edit } = await project();
    await edit({ type: "add-track", id: "u" }, { type: "add-clip", id: "c", trackId: "t", sourceId, start: 0 });
    const plain = await readWav(await exportWav(versionId, { tracks: ["t"] }));
    await edit({ type: "set-track", trackIds: ["u"], solo: true });
    const soloed = await readWav(await exportWav(versionId, { tracks: ["t"] }));
    expect(soloed[0].every((v, i) => v === plain[0][i])).toBe(true);
  });
  it("fails in words where the sound of a clip is gone, and can be taken away", async () => {
    const { versionId, sourceId, edit } = await project();
    await edit({ type: "add-clip", id: "c", trackId: "t", sourceId, start: 0, name: "Bell" });
    await database.query("update sources set status = 'failed' where id = $1", [sourceId]);
    const { body } = await api("POST", `/api/versions/${versionId}/exports`, {});
    const done = await until(
      () => api("GET", `/api/exports/${body.id}`),
      (a) => a.body.status === "failed" || a.body.status === "ready",
    );
    expect(done.body).toMatchObject({ status: "failed", error: expect.stringMatching(/recording of Bell .* is not there/) });
    expect((await api("DELETE", `/api/exports/${body.id}`)).body).toEqual({ removed: true });
    expect((await api("GET", `/api/exports/${body.id}`)).status).toBe(404);
  });
});

describe("a recording that is taken away", () => {
  it("keeps its sound while a step may bring a clip of it back", async () => {
    const { versionId, sourceId, edit } = await project();
    await edit({ type: "add-clip", id: "c", trackId: "t", sourceId, start: 0 });
    expect((await api("DELETE", `/api/sources/${sourceId}`)).status).toBe(409);
    await edit({ type: "delete", clipIds: ["c"] });
    expect((await api("DELETE", `/api/sources/${sourceId}`)).body).toEqual({ removed: true, kept: true });
    await api("POST", `/api/versions/${versionId}/undo`, {});
    const [left] = await readWav(await exportWav(versionId));
    const whole = noise(60_000, 7);
    expect(left.every((v, i) => v === whole[i])).toBe(true);
  });
  it("and a clip that is laid of it at once: one of both is refused", async () => {
    for (let round = 0; round < 12; round++) {
      const { sourceId, edit, look } = await project();
      const [gone, laid] = await Promise.all([
        api("DELETE", `/api/sources/${sourceId}`),
        edit({ type: "add-clip", id: "c", trackId: "t", sourceId, start: 0 }),
      ]);
      expect([gone.status === 200, laid.status === 200].filter(Boolean)).toHaveLength(1);
      if (laid.status !== 200) expect((await look()).clips).toEqual([]);
    }
  }, 60_000);
});

describe("a version that is broken", () => {
  it("opens with what can be read, says what not, and can be undone", async () => {
    const { versionId, sourceId, edit, look } = await project();
    await edit({ type: "add-clip", id: "c", trackId: "t", sourceId, start: 0 });
    await edit({ type: "add-clip", id: "d", trackId: "t", sourceId, start: 70_000 });
    await edit({ type: "move", clipIds: ["d"], by: 500 });
    // As an earlier release could write it.
    await database.query(`update entities set data = jsonb_set(data, '{fadeIn,length}', '-19424') where version_id = $1 and id = 'd'`, [versionId]);
    await database.query("update versions set revision = revision + 1 where id = $1", [versionId]);
    await database.query(
      `insert into steps (version_id, revision, kind, name, edits, changes, state) select $1, revision, 'edit', 'Drop', '[]',
        '[{"kind":"clip","id":"d","before":{"fadeIn":{"length":0,"shape":"power","bend":0}},"after":{"fadeIn":{"length":-19424,"shape":"power","bend":0}}}]', 'done'
       from versions where id = $1`,
      [versionId],
    );
    const broken = await look();
    expect(broken.clips.map((c: { id: string }) => c.id)).toEqual(["c"]);
    expect(broken.unread).toEqual([{ kind: "clip", id: "d", why: expect.stringMatching(/fadeIn.length/) }]);
    expect((await api("POST", `/api/versions/${versionId}/undo`, {})).status).toBe(200);
    const whole = await look();
    expect(whole.clips.map((c: { id: string; start: number }) => [c.id, c.start])).toEqual([
      ["c", 0],
      ["d", 70_500],
    ]);
    expect(whole.unread).toBeUndefined();
  });
});

describe("bad requests", () => {
  it("are refused in words: control characters, depth, unknown parameters, maps that make none", async () => {
    const { versionId, edit } = await project();
    const deep = `{"revision":1,"edits":[{"type":"add-marker","position":1,"x":${"[".repeat(20_000)}${"]".repeat(20_000)}}]}`;
    expect((await api("POST", `/api/versions/${versionId}/edits`, deep)).status).toBe(422);
    expect((await edit({ type: "add-track", id: "a\u0000b" })).status).toBe(422);
    expect((await edit({ type: "add-track", name: "a\u0000b\ud800" })).status).toBe(200);
    expect((await edit({ type: "add-marker", position: 5, when: "now" })).body).toMatchObject({
      path: "when",
      message: expect.stringMatching(/"when"/),
    });
    expect((await api("GET", `/api/versions/${encodeURIComponent("a\u0000b")}`)).status).toBe(404);
    for (const more of [
      { tempo: [{ tick: 5, bpm: 90 }] },
      {
        tempo: [
          { tick: 0, bpm: 90 },
          { tick: 0, bpm: 91 },
        ],
      },
      { meter: [{ tick: 9, numerator: 4, denominator: 4 }] },
    ])
      expect((await api("POST", "/api/projects", { name: "x", ...more })).status).toBe(400);
    expect((await api("GET", `/api/versions/${versionId}/steps?after=${2 ** 40}`)).status).toBe(400);
    expect((await api("GET", "/api/projects/none/events")).status).toBe(404);
  });
  it("are not read further than they may be long", async () => {
    const { versionId } = await project();
    const body = `{"revision":0,"edits":[],"name":"${"x".repeat(33 * 1024 * 1024)}"}`;
    expect((await api("POST", `/api/versions/${versionId}/edits`, body)).status).toBe(413);
  });
  it("of 20,000 markers keep nobody else waiting", async () => {
    const { versionId, at } = await project();
    const edits = Array.from({ length: 20_000 }, (_, i) => ({ type: "add-marker", position: i * 10 }));
    const waits: number[] = [];
    let done = false;
    const asking = (async () => {
      while (!done) {
        const since = performance.now();
        await api("GET", "/api/health");
        waits.push(performance.now() - since);
      }
    })();
    const answer = await api("POST", `/api/versions/${versionId}/edits`, { revision: at(), edits });
    done = true;
    await asking;
    expect([answer.status, answer.body.changes?.length]).toEqual([200, 20_000]);
    expect(waits.length).toBeGreaterThan(20);
  }, 60_000);
});

describe("parts of a recording", () => {
  const part = aPart();
  it("are told to every project that has the recording", async () => {
    const { projectId, sourceId } = await project();
    const copy = (await api("POST", `/api/projects/${projectId}/duplicate`, {})).body.id;
    const hearing = await Promise.all([projectId, copy].map((id) => listenTo(BASE, id)));
    expect((await api("POST", `/api/sources/${sourceId}/parts`, { parts: [part] })).status).toBe(200);
    for (const { hears, stop } of hearing) {
      expect(await hears(sourceId)).toContain('"type":"source"');
      stop();
    }
    expect((await api("GET", `/api/projects/${copy}`)).body.sources[0].parts).toHaveLength(1);
  });
  it("are kept under names, laid again as they were, and hold their recording", async () => {
    const { projectId, versionId, sourceId, edit } = await project();
    const parts = (list: object[]) => api("POST", `/api/sources/${sourceId}/parts`, { parts: list });
    expect((await parts([part, { ...part, id: "q", name: "Rest", offset: 10_000, recipe: { reverse: true } }])).body.parts).toHaveLength(2);
    expect((await parts([{ ...part, name: "First stroke" }])).body.parts.map((p: { name: string }) => p.name)).toEqual(["First stroke", "Rest"]);
    expect((await api("DELETE", `/api/sources/${sourceId}`)).body).toMatchObject({
      error: "in-use",
      message: expect.stringMatching(/parts of it are kept/),
    });
    expect((await api("POST", `/api/projects/${projectId}/sources/unused`, {})).body.ids).toEqual([]);
    // Twice in one request it is still one.
    expect((await parts([part, { ...part, name: "First stroke" }])).body.parts.map((p: { name: string }) => p.name)).toEqual([
      "First stroke",
      "Rest",
    ]);
    const [kept] = (await api("GET", `/api/projects/${projectId}`)).body.sources[0].parts;
    await edit({ type: "paste", at: 4000, clips: [{ ...kept, sourceId, trackId: "t", start: 0, layer: 0, blend: null }] });
    const [left] = await readWav(await exportWav(versionId));
    const whole = noise(60_000, 7);
    const off = Math.max(...left.slice(4000, 9000).map((v, i) => Math.abs(v - whole[700 + i] * 10 ** (-3 / 20))));
    expect(off).toBeLessThan(1e-6);
    // Kept no longer, its clips stay.
    for (const id of ["p", "q"]) expect((await api("DELETE", `/api/sources/${sourceId}/parts/${id}`)).status).toBe(200);
    expect((await api("DELETE", `/api/sources/${sourceId}/parts/p`)).status).toBe(404);
    expect((await api("GET", `/api/versions/${versionId}`)).body.clips).toHaveLength(1);
  });
  it("that can't be are refused in words, and many at once are all there", async () => {
    const { sourceId } = await project();
    const parts = (list: unknown) => api("POST", `/api/sources/${sourceId}/parts`, { parts: list });
    for (const wrong of [
      [],
      [{ ...part, length: 60_000 }],
      [{ ...part, name: "" }],
      [{ ...part, offset: -1 }],
      [{ ...part, channels: [1] }],
      [{ ...part, recipe: { stretch: { kind: "smooth", from: 2, to: 1 } }, offset: 29_000 }],
      "all",
    ])
      expect([400, 422], JSON.stringify(wrong)).toContain((await parts(wrong)).status);
    expect((await api("POST", "/api/sources/nobody/parts", { parts: [part] })).status).toBe(404);
    await Promise.all(Array.from({ length: 20 }, (_, i) => parts([{ ...part, id: `p${i}` }])));
    expect((await api("GET", `/api/sources/${sourceId}`)).body.parts).toHaveLength(20);
  });
});

describe("steps", () => {
  it("that are named with nothing, or at length, are done and undone like others", async () => {
    const { versionId, edit, look } = await project();
    const name = (n: string) => async (revision: number) =>
      (await api("POST", `/api/versions/${versionId}/edits`, { revision, name: n, edits: [{ type: "add-marker", position: 1 }] })).body.revision;
    await name("")(1);
    await name("n".repeat(900))(2);
    expect((await look()).markers).toHaveLength(2);
    for (let i = 0; i < 2; i++) expect((await api("POST", `/api/versions/${versionId}/undo`, {})).status).toBe(200);
    expect((await look()).markers).toEqual([]);
    expect(edit).toBeDefined();
  });
  it("are jumped over by the thousand as one", async () => {
    const { versionId, look } = await project();
    let revision = 1;
    for (let i = 0; i < 300; i++)
      revision = (await api("POST", `/api/versions/${versionId}/edits`, { revision, edits: [{ type: "add-marker", id: `m${i}`, position: i }] })).body
        .revision;
    const back = await api("POST", `/api/versions/${versionId}/undo`, { to: 1 });
    expect([back.body.revision, back.body.changes.length]).toEqual([revision + 1, 300]);
    expect((await look()).markers).toEqual([]);
    const forward = await api("POST", `/api/versions/${versionId}/redo`, { to: 151 });
    expect(forward.status).toBe(200);
    expect((await look()).markers).toHaveLength(150);
    await api("POST", `/api/versions/${versionId}/redo`, {});
    expect((await look()).markers).toHaveLength(151);
  }, 60_000);
});

describe("a job that hangs", () => {
  it("is ended in words, and can be begun anew", async () => {
    const { sourceId } = await project();
    await database.query("update sources set status = 'importing', progress = 0.03, created_at = now() - interval '1 hour' where id = $1", [
      sourceId,
    ]);
    const lost = await until(
      () => api("GET", `/api/sources/${sourceId}`),
      (a) => a.body.status === "failed",
    );
    expect(lost.body.error).toMatch(/can be tried again/);
    await api("POST", `/api/sources/${sourceId}/retry`);
    const again = await until(
      () => api("GET", `/api/sources/${sourceId}`),
      (a) => a.body.status === "ready" || a.body.status === "failed",
    );
    expect(again.body).toMatchObject({ status: "ready", length: 60_000 });
  });
  it("and an upload of a server that died leaves nothing behind", async () => {
    const { projectId } = await newProject();
    await database.query(
      `insert into sources (id, project_id, name, status, sample_rate, alive_at) values ('dead-' || $1, $1, 'Dead', 'receiving', 48000, now() - interval '1 minute')`,
      [projectId],
    );
    await until(
      () => api("GET", `/api/projects/${projectId}`),
      (a) => a.body.sources.length === 0,
    );
  });
});

describe("whoever listens", () => {
  it("is told when something may have been missed, and hears what comes after", async () => {
    const { projectId, edit } = await project();
    const { hears, stop } = await listenTo(BASE, projectId);
    await edit({ type: "add-marker", position: 1 });
    await hears('"step"');
    await database.query("select pg_terminate_backend(pid) from pg_stat_activity where query = 'listen wet_thread'");
    await hears('"again"');
    await edit({ type: "add-marker", position: 2 });
    await hears('"step"');
    stop();
  });
});
