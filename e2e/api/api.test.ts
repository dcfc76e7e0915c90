import { EDITS } from "@wet-thread/core/edit/registry";
import { beforeAll, describe, expect, it } from "vitest";
import { addSource, api, BASE, exportWav, newProject, noise, readWav, until, wavFile } from "../client";

describe("projects and recordings", () => {
  it("says that it is well", async () => {
    expect((await api("GET", "/api/health")).body).toMatchObject({ ok: true, database: "up" });
  });
  it("gives a recording back byte for byte, whole and in ranges", async () => {
    const { projectId } = await newProject();
    const bytes = wavFile([noise(150_000, 1), noise(150_000, 2)], "i24");
    const source = await addSource(projectId, bytes, "Mill yard.wav");
    expect(source).toMatchObject({ name: "Mill yard", status: "ready", length: 150_000, channels: 2, sampleRate: 48_000 });
    const whole = await fetch(`${BASE}/api/sources/${source.id}/file`);
    expect(Buffer.from(await whole.arrayBuffer()).equals(bytes)).toBe(true);
    const part = await fetch(`${BASE}/api/sources/${source.id}/file`, { headers: { range: "bytes=100-199" } });
    expect([part.status, part.headers.get("content-range")]).toEqual([206, `bytes 100-199/${bytes.length}`]);
    expect(Buffer.from(await part.arrayBuffer()).equals(bytes.subarray(100, 200))).toBe(true);
    const tail = await fetch(`${BASE}/api/sources/${source.id}/file`, { headers: { range: "bytes=-50" } });
    expect(Buffer.from(await tail.arrayBuffer()).equals(bytes.subarray(-50))).toBe(true);
    expect((await fetch(`${BASE}/api/sources/${source.id}/file`, { headers: { range: `bytes=${bytes.length}-` } })).status).toBe(416);
  });
  it("takes another rate to the project's rate", async () => {
    const { projectId } = await newProject(48_000);
    const source = await addSource(projectId, wavFile([noise(44_100, 3)], "i16", 44_100));
    expect(source).toMatchObject({ length: 48_000, originalRate: 44_100 });
  });
});

describe("bad recordings", () => {
  const whole = wavFile([noise(5000, 4)], "i16");
  it.each<[string, Uint8Array<ArrayBuffer>, number, RegExp]>([
    ["not audio", new TextEncoder().encode("only words, and not a sound among them at all"), 415, /not audio/],
    ["a header and no sample", whole.slice(0, 44), 422, /cut short/],
    ["nothing", new Uint8Array(0), 422, /empty/],
    ["no samples", wavFile([new Float32Array(0)]), 422, /no samples/],
  ])("refuses %s and keeps nothing of it", async (_, bytes, status, message) => {
    const { projectId } = await newProject();
    const answer = await api("POST", `/api/projects/${projectId}/sources?name=x.wav`, bytes);
    expect([answer.status, answer.body.message]).toEqual([status, expect.stringMatching(message)]);
    expect(answer.body.kept).toMatch(/project is as it was/);
    expect((await api("GET", `/api/projects/${projectId}`)).body.sources).toEqual([]);
  });
  it("refuses 1,000 channels", async () => {
    const { projectId } = await newProject();
    const bytes = wavFile([noise(4000, 5)], "i16");
    new DataView(bytes.buffer).setUint16(22, 1000, true);
    const answer = await api("POST", `/api/projects/${projectId}/sources?name=x.wav`, bytes);
    expect([answer.status, answer.body.message]).toEqual([422, expect.stringMatching(/1000 channels; up to 32/)]);
  });
  it("says where samples are not numbers, and keeps the bytes", async () => {
    const { projectId } = await newProject();
    const samples = noise(4000, 6);
    samples[1234] = Number.NaN;
    const source = await addSource(projectId, wavFile([samples]));
    expect(source).toMatchObject({ status: "failed", error: expect.stringMatching(/sample 1234 of channel 1.*bytes are kept/s) });
  });
  it("takes silence as it is", async () => {
    const { projectId } = await newProject();
    expect(await addSource(projectId, wavFile([new Float32Array(3000)]))).toMatchObject({ status: "ready", length: 3000, transients: [] });
  });
  it("shows names with paths and scripts as plain text, and lets none reach a path", async () => {
    const { projectId } = await newProject();
    const source = await addSource(projectId, whole, '../../etc/<script>alert(1)</script>"\n.wav');
    expect(source.name).toBe('script>"');
    const file = await fetch(`${BASE}/api/sources/${source.id}/file`);
    expect(file.headers.get("content-disposition")).not.toMatch(/[\n<]/);
  });
  it("cleans up after an upload that breaks off", async () => {
    const { projectId } = await newProject();
    const stop = new AbortController();
    const body = new ReadableStream({
      start(c) {
        c.enqueue(whole.slice(0, 2000));
        setTimeout(() => stop.abort(), 300);
      },
    });
    await fetch(`${BASE}/api/projects/${projectId}/sources?name=x.wav`, {
      method: "POST",
      body,
      signal: stop.signal,
      duplex: "half",
    } as RequestInit).catch(() => {});
    const { body: project } = await until(
      () => api("GET", `/api/projects/${projectId}`),
      (a) => a.body.sources.length === 0,
    );
    expect(project.sources).toEqual([]);
  });
});

describe("edits", () => {
  let projectId: string;
  let versionId: string;
  let sourceId: string;
  const samples = [noise(96_000, 7), noise(96_000, 8)];
  beforeAll(async () => {
    ({ projectId, versionId } = await newProject());
    sourceId = (await addSource(projectId, wavFile(samples))).id;
  });
  const version = async () => (await api("GET", `/api/versions/${versionId}`)).body;
  const edit = async (...edits: unknown[]) => api("POST", `/api/versions/${versionId}/edits`, { revision: (await version()).revision, edits });

  it("are described by JSON Schema, all of them", async () => {
    const { body } = await api("GET", "/api/edits");
    expect(body.edits.map((e: { type: string }) => e.type)).toEqual(EDITS.map((e) => e.type));
    for (const e of body.edits) expect(e.schema.properties.type).toEqual({ const: e.type });
  });
  it("are done, listed, undone and done again", async () => {
    await edit({ type: "add-track", id: "t", name: "Loom" }, { type: "add-clip", id: "c", trackId: "t", sourceId, start: 1000 });
    const before = await version();
    const { body } = await edit({ type: "split", clipIds: ["c"], at: 50_000, key: "cutcut" });
    expect(body.changes.map((c: { id: string }) => c.id).sort()).toEqual(["c", "cutcut.1"]);
    const after = await version();
    expect(after.clips).toHaveLength(2);
    const undone = await api("POST", `/api/versions/${versionId}/undo`, {});
    expect((await version()).clips).toEqual(before.clips);
    expect(undone.body.revision).toBe(after.revision + 1);
    await api("POST", `/api/versions/${versionId}/redo`, {});
    expect((await version()).clips).toEqual(after.clips);
    const { body: history } = await api("GET", `/api/versions/${versionId}/history`);
    expect(history.steps.at(-1)).toMatchObject({ name: "Split x", state: "done" });
  });
  it("play the very same samples after a split, to the last bit", async () => {
    const [left, right] = await readWav(await exportWav(versionId));
    expect(Buffer.from(left.buffer, 4000, 96_000 * 4).equals(Buffer.from(samples[0].buffer))).toBe(true);
    expect(Buffer.from(right.buffer, 4000, 96_000 * 4).equals(Buffer.from(samples[1].buffer))).toBe(true);
  });
  it("are refused with the missing steps when the caller is behind, and with none from the future", async () => {
    const { revision } = await version();
    const behind = await api("POST", `/api/versions/${versionId}/edits`, {
      revision: revision - 1,
      edits: [{ type: "mute", clipIds: ["c"], mute: true }],
    });
    expect(behind.status).toBe(409);
    expect(behind.body).toMatchObject({ error: "behind", revision, steps: [{ revision, kind: "redo" }] });
    const ahead = await api("POST", `/api/versions/${versionId}/edits`, {
      revision: revision + 5,
      edits: [{ type: "mute", clipIds: ["c"], mute: true }],
    });
    expect(ahead).toMatchObject({ status: 409, body: { error: "ahead", revision, steps: [] } });
    expect((await version()).revision).toBe(revision);
  });
  it.each<[unknown, number, string]>([
    [{ type: "move", clipIds: ["gone"], by: 10 }, 422, "clipIds"],
    [{ type: "trim", clipIds: ["c"], edge: "start", by: -5000 }, 422, "by"],
    [{ type: "vanish" }, 422, "type"],
    [{ type: "move", clipIds: ["c"], by: 1.5 }, 422, "by"],
    [{ type: "set-time", tempo: [{ tick: 0, bpm: -3 }] }, 422, "tempo.0.bpm"],
    [{ type: "add-clip", trackId: "t", sourceId: "none", start: 0 }, 422, "sourceId"],
  ])("that can't be done are refused in words: %j", async (bad, status, path) => {
    const { revision } = await version();
    const answer = await edit({ type: "mute", clipIds: ["c"], mute: true }, bad);
    expect(answer).toMatchObject({ status, body: { path: expect.stringContaining(path), kept: "Nothing was changed." } });
    expect((await version()).revision).toBe(revision);
  });
  it("malformed requests get 400, unknown things 404, other origins 403", async () => {
    expect((await api("POST", `/api/versions/${versionId}/edits`, "{nonsense")).status).toBe(400);
    expect((await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits: [] })).status).toBe(400);
    expect((await api("GET", "/api/versions/nowhere")).status).toBe(404);
    expect((await api("POST", "/api/projects", { name: "x" }, { origin: "http://elsewhere.invalid" })).status).toBe(403);
    expect((await api("POST", "/api/projects", { name: "x", sampleRate: 1 })).status).toBe(400);
  });
  it("sent twice under one key are done once", async () => {
    const { revision, clips } = await version();
    const step = { revision, key: "once-and-only-once", edits: [{ type: "move", clipIds: ["c", "cutcut.1"], by: 10 }] };
    const [first, second] = [
      await api("POST", `/api/versions/${versionId}/edits`, step),
      await api("POST", `/api/versions/${versionId}/edits`, step),
    ];
    expect(second.body).toEqual(first.body);
    expect((await version()).clips[0].start).toBe(clips[0].start + 10);
  });
  it("of two at once, one wins and the other is told", async () => {
    const { revision } = await version();
    const one = (gain: number) => api("POST", `/api/versions/${versionId}/edits`, { revision, edits: [{ type: "set-gain", clipIds: ["c"], gain }] });
    const answers = await Promise.all([one(-1), one(-2), one(-3)]);
    expect(answers.map((a) => a.status).sort()).toEqual([200, 409, 409]);
  });
});

describe("exports", () => {
  it("are the same samples as an independent mix, within −120 dB", async () => {
    const { projectId, versionId } = await newProject();
    const [a, b] = [noise(60_000, 9), noise(60_000, 10)];
    const [s, t] = [await addSource(projectId, wavFile([a])), await addSource(projectId, wavFile([b]))];
    await api("POST", `/api/versions/${versionId}/edits`, {
      revision: 0,
      edits: [
        { type: "add-track", id: "x" },
        { type: "add-track", id: "y", gain: -6, pan: 0.5 },
        {
          type: "add-clip",
          id: "p",
          trackId: "x",
          sourceId: s.id,
          start: 500,
          offset: 100,
          length: 40_000,
          gain: 2,
          fadeIn: { length: 3000, shape: "s", bend: 0.3 },
        },
        { type: "add-clip", id: "q", trackId: "y", sourceId: t.id, start: 0, fadeOut: { length: 7000, shape: "slow", bend: 0 } },
      ],
    });
    const [left, right] = await readWav(await exportWav(versionId));
    expect(left.length).toBe(60_000);
    const db = (v: number) => 10 ** (v / 20);
    let most = 0;
    for (let n = 0; n < 60_000; n++) {
      let p = 0;
      if (n >= 500 && n < 40_500) {
        const i = n - 500;
        const u = (i + 0.5) / 3000;
        p = a[100 + i] * db(2) * (i < 3000 ? (1 - Math.cos(Math.PI * ((Math.exp(1.8 * u) - 1) / (Math.exp(1.8) - 1)))) / 2 : 1);
      }
      const j = 60_000 - 1 - n;
      const q = b[n] * db(-6) * (j < 7000 ? (Math.exp((5 * (j + 0.5)) / 7000) - 1) / (Math.exp(5) - 1) : 1);
      most = Math.max(most, Math.abs(left[n] - (p + q * 0.5)), Math.abs(right[n] - (p + q)));
    }
    expect(most).toBeLessThan(1e-6);
  });
  it("of a span, of some tracks, at 16 and 24 bits, mono", async () => {
    const { projectId, versionId } = await newProject();
    const samples = noise(9000, 11).map((v) => Math.round(v * 32_768) / 32_768);
    const s = await addSource(projectId, wavFile([samples], "i16"));
    await api("POST", `/api/versions/${versionId}/edits`, {
      revision: 0,
      edits: [
        { type: "add-track", id: "x" },
        { type: "add-track", id: "y" },
        { type: "add-clip", trackId: "x", sourceId: s.id, start: 0 },
        { type: "add-clip", trackId: "y", sourceId: s.id, start: 0 },
      ],
    });
    for (const encoding of ["pcm16", "pcm24"]) {
      const [mono] = await readWav(await exportWav(versionId, { encoding, channels: 1, tracks: ["x"], span: { start: 1000, end: 4000 } }));
      expect(mono).toEqual(samples.slice(1000, 4000));
    }
  });
  it("of nothing are refused", async () => {
    const { versionId } = await newProject();
    expect((await api("POST", `/api/versions/${versionId}/exports`, {})).status).toBe(422);
    expect((await api("POST", `/api/versions/${versionId}/exports`, { span: { start: 5, end: 5 } })).status).toBe(400);
  });
});

describe("seams", () => {
  it("are listed with class, click and dip", async () => {
    const { projectId, versionId } = await newProject();
    const tone = Float32Array.from({ length: 48_000 }, (_, i) => 0.4 * Math.sin(0.05 * i));
    const s = await addSource(projectId, wavFile([tone]));
    await api("POST", `/api/versions/${versionId}/edits`, {
      revision: 0,
      edits: [
        { type: "add-track", id: "x" },
        {
          type: "add-clip",
          id: "a",
          trackId: "x",
          sourceId: s.id,
          start: 0,
          length: 10_000,
          offset: 30,
          fadeIn: { length: 480, shape: "s", bend: 0 },
        },
        {
          type: "add-clip",
          id: "b",
          trackId: "x",
          sourceId: s.id,
          start: 10_000,
          length: 10_000,
          offset: 20_040,
          fadeOut: { length: 480, shape: "s", bend: 0 },
        },
        { type: "split", clipIds: ["b"], at: 15_000, key: "splt" },
      ],
    });
    const { body } = await api("GET", `/api/versions/${versionId}/seams`);
    expect(body.seams.map((m: { class: string; position: number }) => [m.position, m.class])).toEqual([
      [0, "smooth"],
      [10_000, "raw"],
      [15_000, "unbroken"],
      [20_000, "smooth"],
    ]);
    expect(body.seams[1].click).toBeGreaterThan(-40);
    expect(body.seams[2].click).toBeNull();
  });
});
