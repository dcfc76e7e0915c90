import { type Material, makeWhole } from "@wet-thread/core/dsp/make-recording";
import { loadStretcher } from "@wet-thread/core/dsp/stretcher";
import { treat } from "@wet-thread/core/dsp/treat/treat";
import type { Making } from "@wet-thread/core/model/recipe/played-recording";
import { ofPlayedId, playedId } from "@wet-thread/core/model/recipe/played-recording";
import { Chain } from "@wet-thread/core/model/recipe/treatment";
import type { Clip } from "@wet-thread/core/model/schema";
import { sameSamples } from "@wet-thread/core/testing/arbitraries";
import pg from "pg";
import { beforeAll, describe, expect, it } from "vitest";
import { addSource, api, BASE, exportWav, listenTo, newProject, noise, readWav, wavFile } from "../client";

const RATE = 48_000;
const CHUNK = 65_536;
const LENGTH = 40 * RATE;

/** Strikes that ring on over a hum, on two channels, for long enough that it is made in pieces. */
function struck(channel: number): Float32Array {
  const out = noise(LENGTH, 5 + channel).map((v, i) => v * 0.001 + 0.05 * Math.sin(i * 0.021));
  for (let at = 9600; at < LENGTH; at += 20_011)
    for (let i = 0; i < 18_000 && at + i < LENGTH; i++) out[at + i] += 0.5 * Math.exp(-i / 3000) * Math.cos(i * (0.08 + (at % 5) * 0.02));
  return out;
}

/** Waits until a chunk of what a clip plays is there. */
async function chunkOf(id: string, chunk: number): Promise<Float32Array> {
  for (let tries = 0; tries < 400; tries++) {
    const answer = await fetch(`${BASE}/api/sources/${id}/pcm?chunk=${chunk}`);
    if (answer.status === 200) return new Float32Array(await answer.arrayBuffer());
    expect([202, 404]).toContain(answer.status);
    await new Promise((wake) => setTimeout(wake, 50));
  }
  throw new Error(`Chunk ${chunk} of ${id} was never made.`);
}

describe("what recipes make", () => {
  let [versionId, sourceId, projectId, revision] = ["", "", "", 0];
  let samples: Float32Array[];
  let material: Material;
  const edit = async (...edits: object[]) => {
    const answer = await api("POST", `/api/versions/${versionId}/edits`, { revision, edits });
    expect(answer.status, JSON.stringify(answer.body)).toBe(200);
    revision = answer.body.revision;
  };
  const clipOf = async (id: string): Promise<Clip> => (await api("GET", `/api/versions/${versionId}`)).body.clips.find((c: Clip) => c.id === id);
  const expected = (making: Making): Promise<Float32Array[]> => makeWhole(material, making, samples);

  beforeAll(async () => {
    await loadStretcher();
    const project = await newProject(RATE);
    versionId = project.versionId;
    projectId = project.projectId;
    samples = [struck(0), struck(1)];
    const source = await addSource(project.projectId, wavFile(samples, "f32"));
    sourceId = source.id;
    const { body } = await api("GET", `/api/projects/${project.projectId}`);
    material = { length: LENGTH, channels: 2, sampleRate: RATE, hits: body.sources[0].transients };
    await edit(
      { type: "add-track", id: "t", name: "Loom" },
      { type: "add-clip", id: "c", trackId: "t", sourceId, start: 0, offset: 24 * RATE, length: 4 * RATE },
    );
  });

  it("is exported as it is made, wherever in the recording it is asked for", async () => {
    await edit({ type: "stretch", clipIds: ["c"], length: 6 * RATE, kind: "hits" });
    const clip = await clipOf("c");
    const wav = await readWav(await exportWav(versionId, { span: { start: 0, end: 6 * RATE } }));
    const made = await expected({ stretch: { kind: "hits", from: 2, to: 3 } });
    for (const c of [0, 1]) expect(sameSamples(wav[c], made[c].subarray(clip.offset, clip.offset + clip.length))).toBe(true);
  });

  it("is read in chunks, backwards too, as clips play it", async () => {
    await edit({ type: "set-pitch", clipIds: ["c"], cents: -300 });
    const made = await expected({ stretch: { kind: "hits", from: 2, to: 3 }, pitch: -300 });
    let clip = await clipOf("c");
    const index = Math.floor(clip.offset / CHUNK);
    const chunk = await chunkOf(playedId(clip), index);
    expect(sameSamples(chunk.subarray(0, CHUNK), made[0].subarray(index * CHUNK, (index + 1) * CHUNK))).toBe(true);
    await edit({ type: "reverse", clipIds: ["c"] });
    clip = await clipOf("c");
    const turned = await chunkOf(playedId(clip), Math.floor(clip.offset / CHUNK));
    const from = Math.floor(clip.offset / CHUNK) * CHUNK;
    const back = made[1].slice(made[1].length - from - CHUNK, made[1].length - from).reverse();
    expect(sameSamples(turned.subarray(CHUNK), back)).toBe(true);
    await edit({ type: "reverse", clipIds: ["c"] });
  });

  it("is made once, however often it is asked for at the same time", async () => {
    const heard = await listenTo(BASE, projectId);
    const queue = new pg.Client({ connectionString: process.env.DATABASE_URL });
    await queue.connect();
    try {
      const madeAnew = async (factor: number): Promise<string> => {
        await edit({ type: "stretch", clipIds: ["c"], factor, kind: "smooth" });
        return ofPlayedId(playedId(await clipOf("c"))).forwards;
      };
      const id = await madeAnew(1.3);
      const clip = await clipOf("c");
      const payload = { madeId: id, from: Math.floor(clip.offset / CHUNK), to: Math.ceil((clip.offset + clip.length) / CHUNK) };
      for (let k = 0; k < 3; k++) await queue.query("select graphile_worker.add_job('make', $1::json)", [JSON.stringify(payload)]);
      const next = await madeAnew(1.1);
      const said = await heard.hears(`"madeId":"${next}","status":"ready"`);
      const told = said.split("\n").filter((line) => line.includes(`"madeId":"${id}"`));
      expect(told.filter((line) => line.includes('"status":"ready"'))).toHaveLength(1);
      expect(new Set(told).size).toBe(told.length);
    } finally {
      heard.stop();
      await queue.end();
    }
  });

  it("shows the recording's peaks until it is there, then its own", async () => {
    await edit({ type: "stretch", clipIds: ["c"], factor: 1.25, kind: "smooth" });
    const id = playedId(await clipOf("c"));
    const peaks = async () => {
      const answer = await fetch(`${BASE}/api/sources/${id}/peaks?level=2&tile=0`);
      expect(answer.status).toBe(200);
      return { kept: answer.headers.get("cache-control") !== "no-store", values: new Float32Array(await answer.arrayBuffer()) };
    };
    const before = await peaks();
    expect(before.kept).toBe(false);
    const loudest = (v: Float32Array): number => v.reduce((m, x) => Math.max(m, Math.abs(x)), 0);
    expect(loudest(before.values)).toBeGreaterThan(0.4);
    for (let i = 0; i * CHUNK < 1024 * 1024; i++) await chunkOf(id, i);
    const after = await peaks();
    expect(after.kept).toBe(true);
    expect(after.values.length).toBe(before.values.length);
    expect(Math.abs(loudest(after.values) - loudest(before.values))).toBeLessThan(0.2);
  });

  it("is found silent and loud, printed and measured as any recording is", async () => {
    const sound = await api("POST", `/api/versions/${versionId}/sound`, { clipIds: ["c"], threshold: -30, shortestSilence: 960, shortestSound: 480 });
    expect(sound.status).toBe(200);
    expect(sound.body.clips[0].keep.length).toBeGreaterThan(0);
    const seams = await api("GET", `/api/versions/${versionId}/seams`);
    expect(seams.status).toBe(200);
    expect(seams.body.seams.every((s: { click: number | null }) => s.click !== undefined)).toBe(true);
  });

  it("comes back at once by undo, and by redo", async () => {
    const before = await clipOf("c");
    await edit({ type: "as-recorded", clipIds: ["c"] });
    expect((await clipOf("c")).recipe).toBeUndefined();
    const undone = await api("POST", `/api/versions/${versionId}/undo`, { revision });
    revision = undone.body.revision;
    expect(await clipOf("c")).toEqual(before);
  });

  it("is treated: in the order of the chain, from the recording's own run-in on, cut or not; taken off, the recording's own samples", async () => {
    await edit({ type: "as-recorded", clipIds: ["c"] });
    const clip = await clipOf("c");
    const span = { start: clip.start, end: clip.start + clip.length };
    const bare = await readWav(await exportWav(versionId, { span }));
    const chain = Chain.parse([
      { kind: "lowCut", hz: 150 },
      { kind: "compressor", threshold: -24 },
      { kind: "bell", hz: 3000, db: 6 },
    ]);
    await edit({ type: "treat", clipIds: ["c"], chain });
    const treated = await readWav(await exportWav(versionId, { span }));
    // By one who hears all that comes before, and half a second more after it.
    const from = clip.offset - 4 * RATE;
    const own = samples.map((x) => x.slice(from, clip.offset + clip.length + RATE / 2));
    treat(own, chain, RATE, from);
    for (const c of [0, 1]) for (let i = 0; i < clip.length; i += 11) expect(Math.abs(treated[c][i] - own[c][i + 4 * RATE])).toBeLessThan(3e-6);
    await edit({ type: "split", clipIds: ["c"], at: clip.start + RATE }, { type: "reverse", clipIds: ["c"] }, { type: "reverse", clipIds: ["c"] });
    const cut = await readWav(await exportWav(versionId, { span }));
    expect(sameSamples(cut[0], treated[0]) && sameSamples(cut[1], treated[1])).toBe(true);
    const { body } = await api("GET", `/api/versions/${versionId}`);
    await edit({ type: "treat", clipIds: body.clips.map((c: Clip) => c.id), chain: null });
    const off = await readWav(await exportWav(versionId, { span }));
    expect(sameSamples(off[0], bare[0]) && sameSamples(off[1], bare[1])).toBe(true);
  });

  it("rings out past its window, hears nothing but it, and is stretched, treated and turned round in one recipe", async () => {
    const { body } = await api("GET", `/api/versions/${versionId}`);
    const [clip] = body.clips as Clip[];
    await edit({
      type: "treat",
      clipIds: [clip.id],
      chain: [{ kind: "echo", time: 250, feedback: 0, mix: 1, tone: 20_000 }],
      grow: true,
      overlap: "cover",
    });
    const grown = await clipOf(clip.id);
    const { tail } = grown.recipe?.treat ?? { tail: 0 };
    expect(grown.length).toBe(clip.length + tail);
    const heard = await readWav(await exportWav(versionId, { span: { start: grown.start, end: grown.start + grown.length } }));
    expect(heard[0].subarray(0, RATE / 4).every((v) => v === 0)).toBe(true);
    expect(heard[0].subarray(clip.length).some((v) => Math.abs(v) > 0.01)).toBe(true);
    await edit({ type: "stretch", clipIds: [clip.id], factor: 1.5, kind: "tape" }, { type: "reverse", clipIds: [clip.id] });
    const turned = await clipOf(clip.id);
    const both = await readWav(await exportWav(versionId, { span: { start: turned.start, end: turned.start + turned.length } }));
    expect(both[0].some((v) => Math.abs(v) > 0.01)).toBe(true);
  });

  it("is measured, so that a normalise can be laid on to a peak or a loudness; presets are kept for every project", async () => {
    const { body } = await api("GET", `/api/versions/${versionId}`);
    const clip = (body.clips as Clip[]).find((c) => !c.recipe) as Clip;
    const measured = await api("POST", `/api/versions/${versionId}/measure`, { clipIds: [clip.id], chain: [{ kind: "gain", db: -6 }] });
    expect(measured.status).toBe(200);
    const own = samples.map((x) => x.subarray(clip.offset, clip.offset + clip.length));
    const peak = 20 * Math.log10(Math.max(...own.map((x) => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0))));
    expect(measured.body.clips[0].peak).toBeCloseTo(peak - 6, 3);
    expect(measured.body.clips[0].loudness).toBeLessThan(peak - 6);
    const gain = -1 - measured.body.clips[0].peak;
    await edit({
      type: "treat",
      clipIds: [clip.id],
      chain: [
        { kind: "gain", db: -6 },
        { kind: "normalise", level: -1, gain },
      ],
    });
    const heard = await readWav(await exportWav(versionId, { span: { start: clip.start, end: clip.start + clip.length } }));
    const loudest = Math.max(...heard.map((x) => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0)));
    expect(20 * Math.log10(loudest)).toBeCloseTo(-1, 2);

    // A range is measured as one, and what is laid on it goes behind what is there.
    const range = { start: clip.start, end: clip.start + clip.length, trackIds: [clip.trackId] };
    const whole = await api("POST", `/api/versions/${versionId}/measure`, { range });
    expect(whole.body.range.peak).toBeCloseTo(-1, 2);
    await edit({ type: "treat-range", ...range, chain: [{ kind: "normalise", level: -7, gain: -7 - whole.body.range.peak }] });
    expect((await clipOf(clip.id)).recipe?.treat?.chain.map((p) => p.kind)).toEqual(["gain", "normalise", "normalise"]);
    const lower = await readWav(await exportWav(versionId, { span: { start: range.start, end: range.end } }));
    expect(20 * Math.log10(Math.max(...lower.map((x) => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0))))).toBeCloseTo(-7, 2);
    expect((await api("POST", `/api/versions/${versionId}/measure`, { chain: [] })).status).toBe(400);

    const name = `Hum ${Date.now()}`;
    const kept = await api("POST", "/api/presets", { name, chain: [{ kind: "lowCut", hz: 90 }] });
    expect(kept.status).toBe(201);
    expect((await api("GET", "/api/presets")).body.presets).toContainEqual(kept.body);
    expect((await api("POST", "/api/presets", { name, chain: [] })).status).toBe(400);
    expect((await api("DELETE", `/api/presets/${kept.body.id}`)).status).toBe(200);
    expect((await api("DELETE", `/api/presets/${kept.body.id}`)).status).toBe(404);
  });

  it("keeps feels by name: written over, refused in words, removed", async () => {
    const name = `Shuttle ${Date.now()}`;
    const step = { kind: "note", division: 8, feel: "straight" };
    const first = await api("POST", "/api/feels", { name, step, offsets: [0, 12.5, -3] });
    expect(first.status).toBe(201);
    const second = await api("POST", "/api/feels", { name, step, offsets: [0, 30, 0] });
    expect(second.body).toEqual({ id: first.body.id, name, step, offsets: [0, 30, 0] });
    const named = (await api("GET", "/api/feels")).body.feels.filter((f: { name: string }) => f.name === name);
    expect(named).toEqual([second.body]);
    for (const wrong of [{ offsets: [] }, { offsets: [9999] }, { step: { kind: "note", division: 7 } }, { name: "" }])
      expect((await api("POST", "/api/feels", { name, step, offsets: [0], ...wrong })).status).toBe(400);
    expect((await api("GET", "/api/feels")).body.feels).toContainEqual(second.body);
    expect((await api("DELETE", `/api/feels/${first.body.id}`)).status).toBe(200);
    expect((await api("DELETE", `/api/feels/${first.body.id}`)).status).toBe(404);
  });

  it("refuses ids that nothing is made under", async () => {
    const answer = await fetch(`${BASE}/api/sources/${sourceId}~m0123456789abcdef0123456789/pcm?chunk=0`);
    expect(answer.status).toBe(404);
    expect((await answer.json()).message).toMatch(/recording/);
  });
});
