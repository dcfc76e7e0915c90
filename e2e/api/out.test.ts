import { execFileSync, spawnSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import pg from "pg";
import { afterAll, describe, expect, it } from "vitest";
import { addSource, api, BASE, newProject, readWav, until, wavFile } from "../client";
import { unzipped } from "../zip";

// Sound out: what other programs read in the files that are written.

const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-out-"));
const at = (name: string): string => path.join(folder, name);
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

const RATE = 48_000;
const FRAMES = 4 * RATE;
/** Steps of 16 bits, different on both sides. */
const sound = [0, 1].map((c) =>
  Float32Array.from({ length: FRAMES }, (_, i) => {
    const t = i / RATE;
    // On the left one that rises, so that it lies in one place only.
    return Math.round(3000 * (1 + c) * Math.sin(2 * Math.PI * (c === 0 ? 300 + 170 * t : 800) * t)) / 32_768;
  }),
);

async function piece() {
  const { projectId, versionId } = await newProject(RATE);
  const source = await addSource(projectId, wavFile(sound, "i16"));
  const edits = [
    { type: "add-track", id: "left", name: 'Left: "loom"' },
    { type: "add-track", id: "right", name: "Right" },
    { type: "add-clip", id: "a", trackId: "left", sourceId: source.id, start: RATE, length: 2 * RATE, offset: RATE / 2, name: "Aux" },
    { type: "add-clip", id: "b", trackId: "right", sourceId: source.id, start: 2 * RATE, length: RATE },
    { type: "add-marker", position: RATE + 4800, name: "Belt" },
    { type: "set-fade", clipIds: ["a", "b"], edge: "in", length: 0 },
    { type: "set-fade", clipIds: ["a", "b"], edge: "out", length: 0 },
    { type: "add-section", start: RATE, end: 2 * RATE, name: "First / half" },
    { type: "add-section", start: 2 * RATE, end: 3 * RATE, name: "Second" },
  ];
  const done = await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  if (done.status !== 200) throw new Error(JSON.stringify(done.body));
  return { projectId, versionId };
}

async function exported(versionId: string, request: Record<string, unknown>) {
  const { status, body } = await api("POST", `/api/versions/${versionId}/exports`, request);
  if (status !== 202) throw new Error(`${status} ${JSON.stringify(body)}`);
  const { body: job } = await until(
    () => api("GET", `/api/exports/${body.id}`),
    (a) => ["ready", "failed"].includes(a.body.status),
  );
  if (job.status === "failed") throw new Error(job.error);
  const answer = await fetch(`${BASE}/api/exports/${body.id}/file`);
  return { job, type: answer.headers.get("content-type"), bytes: new Uint8Array(await answer.arrayBuffer()) };
}

/** What ffmpeg's own meter says of a file. */
function ebur128(file: string): { integrated: number; truePeak: number; range: number } {
  const { stderr } = spawnSync("ffmpeg", ["-hide_banner", "-i", file, "-af", "ebur128=peak=true", "-f", "null", "-"], { encoding: "utf8" });
  const summary = stderr.slice(stderr.lastIndexOf("Summary:"));
  const number = (pattern: RegExp): number => Number(pattern.exec(summary)?.[1]);
  return { integrated: number(/I:\s+(-?[\d.]+) LUFS/), truePeak: number(/Peak:\s+(-?[\d.]+) dBFS/), range: number(/LRA:\s+(-?[\d.]+) LU/) };
}
const probe = (file: string) =>
  JSON.parse(execFileSync("ffprobe", ["-v", "error", "-show_streams", "-show_format", "-show_chapters", "-of", "json", file], { encoding: "utf8" }));

describe("sound out", () => {
  it("writes FLAC that Debian's flac finds whole, with the very samples of the WAV", async () => {
    const { versionId } = await piece();
    for (const encoding of ["pcm16", "pcm24"]) {
      const [flac, wav] = [
        await exported(versionId, { format: "flac", encoding, markers: true, tags: { title: "Mühle = 1" } }),
        await exported(versionId, { encoding }),
      ];
      expect(flac.type).toBe("audio/flac");
      fs.writeFileSync(at("x.flac"), flac.bytes);
      execFileSync("flac", ["-s", "-t", at("x.flac")]);
      execFileSync("flac", ["-s", "-d", "-f", at("x.flac"), "-o", at("x.wav")]);
      const [a, b] = [await readWav(new Uint8Array(fs.readFileSync(at("x.wav")))), await readWav(wav.bytes)];
      for (const c of [0, 1]) expect(Buffer.compare(Buffer.from(a[c].buffer), Buffer.from(b[c].buffer))).toBe(0);
      const tags = execFileSync("metaflac", ["--no-utf8-convert", "--export-tags-to=-", at("x.flac")], { encoding: "utf8" });
      expect(tags.split("\n")).toEqual(expect.arrayContaining(["title=Mühle = 1", "CHAPTER001=00:00:01.100", "CHAPTER001NAME=Belt"]));
    }
  });
  it.each([
    ["mp3", { bits: 192 }, "x.mp3"],
    ["mp3", { quality: 2 }, "v.mp3"],
    ["opus", { bits: 160 }, "x.opus"],
  ])("writes %s that lies where the piece lies, and is as long: %o", async (format, more, name) => {
    const { versionId } = await piece();
    const [coded, wav] = [
      await exported(versionId, { format, markers: true, tags: { artist: "Mill" }, ...more }),
      await exported(versionId, { encoding: "float32" }),
    ];
    fs.writeFileSync(at(name), coded.bytes);
    execFileSync("ffmpeg", ["-v", "error", "-y", "-i", at(name), "-c:a", "pcm_f32le", at("y.wav")]);
    const [a, b] = [await readWav(new Uint8Array(fs.readFileSync(at("y.wav")))), await readWav(wav.bytes)];
    expect(a[0].length).toBe(b[0].length);
    let [best, most] = [0, -1];
    for (let by = -1200; by <= 1200; by++) {
      let sum = 0;
      for (let i = 60_000; i < 80_000; i++) sum += a[0][i + by] * b[0][i];
      if (sum > most) [best, most] = [by, sum];
    }
    expect(best).toBe(0);
    const tags = JSON.stringify(probe(at(name)));
    expect(tags).toMatch(/Mill/);
    expect(tags).toMatch(/Belt/);
  });
  it("writes Broadcast WAV with its place, loudness and marks, which is read back", async () => {
    const { projectId, versionId } = await piece();
    const { bytes, job } = await exported(versionId, {
      format: "bwf",
      sampleRate: 96_000,
      markers: true,
      span: { start: RATE, end: 3 * RATE },
      tags: { title: "Loom" },
    });
    expect(job.files[0]).toMatchObject({ length: 4 * RATE, sampleRate: 96_000 });
    const v = new DataView(bytes.buffer);
    expect(new TextDecoder().decode(bytes.subarray(12, 16))).toBe("bext");
    expect([v.getUint32(20 + 338, true), v.getUint16(20 + 346, true)]).toEqual([96_000, 2]);
    expect(v.getInt16(20 + 412, true)).toBe(Math.round(job.files[0].loudness.integrated * 100));
    const again = await addSource(projectId, bytes);
    expect(again).toMatchObject({ length: 2 * RATE, timeReference: RATE, marks: [{ position: 4800, name: "Belt" }], title: "Loom" });
  });
  it("measures as an independent meter does, and normalises to a loudness below a ceiling", async () => {
    const { versionId } = await piece();
    for (const [request, close] of [
      [{}, null],
      [{ normalise: { loudness: -30 } }, -30],
      [{ normalise: { loudness: -16 }, format: "flac" }, null],
      [{ normalise: { peak: -6 } }, null],
    ] as const) {
      const { bytes, job } = await exported(versionId, request);
      const name = at(`n${JSON.stringify(request).length}${job.name}`);
      fs.writeFileSync(name, bytes);
      const [meter, { loudness }] = [ebur128(name), job.files[0]];
      expect(Math.abs(meter.integrated - loudness.integrated)).toBeLessThanOrEqual(0.1);
      expect(Math.abs(meter.truePeak - loudness.truePeak)).toBeLessThanOrEqual(0.2);
      expect(meter.truePeak).toBeLessThanOrEqual(0);
      if (close !== null) expect(Math.abs(loudness.integrated - close)).toBeLessThan(0.01);
      if ("normalise" in request) expect(loudness.truePeak).toBeLessThanOrEqual(-1);
      if ("normalise" in request && "peak" in request.normalise) expect(loudness.samplePeak).toBeCloseTo(-6, 3);
    }
    // What can't be reached is said.
    const loud = await exported(versionId, { normalise: { loudness: -5 } });
    expect(loud.job.files[0].notes).toEqual([expect.stringMatching(/dB below what is asked.*-1 dBTP/)]);
    expect(loud.job.files[0].loudness.truePeak).toBeCloseTo(-1, 1);
  });
  it("says what is cut off above full scale, and not where it is kept or turned down", async () => {
    const { versionId, projectId } = await piece();
    const notes = async (request: Record<string, unknown>) => (await exported(versionId, request)).job.files[0].notes;
    expect(await notes({})).toEqual([]);
    const revision = (await api("GET", `/api/versions/${versionId}`)).body.revision;
    const clipIds = (await api("GET", `/api/versions/${versionId}`)).body.clips.map((c: { id: string }) => c.id);
    expect(clipIds.length, projectId).toBeGreaterThan(0);
    await api("POST", `/api/versions/${versionId}/edits`, { revision, edits: [{ type: "set-gain", clipIds, gain: 24 }] });
    for (const [request, words] of [
      [{}, /above full scale: what is more than 24 bits hold was cut off. Asked for a level, or in 32 float, it/],
      [{ encoding: "pcm16", measure: true }, /16 bits hold would be cut off/],
      [{ format: "flac" }, /was cut off. Asked for a level it/],
      [{ format: "mp3" }, /most players/],
    ] as const)
      expect(await notes(request)).toEqual([expect.stringMatching(words)]);
    for (const request of [{ encoding: "float32" }, { normalise: { peak: -3 } }, { normalise: { peak: -3 }, measure: true }])
      expect(await notes(request)).toEqual([]);
  });
  it("of silence tells nothing, and leaves it as it is", async () => {
    const { versionId } = await piece();
    const { job } = await exported(versionId, { span: { start: 0, end: RATE }, normalise: { loudness: -16 } });
    expect(job.files[0]).toMatchObject({ gain: 0, notes: [expect.stringMatching(/left as it is/)], loudness: { integrated: null, truePeak: null } });
  });
  it("only measures when that is all that is asked", async () => {
    const { versionId } = await piece();
    const { body } = await api("POST", `/api/versions/${versionId}/exports`, { measure: true });
    const { body: job } = await until(
      () => api("GET", `/api/exports/${body.id}`),
      (a) => a.body.status === "ready",
    );
    expect(job.bytes).toBe(0);
    expect(job.files[0].loudness.overTime.momentary.length).toBe(30);
    expect((await api("GET", `/api/exports/${body.id}/file`)).status).toBe(409);
  });
  it("converts to another rate as a good converter does", async () => {
    const { versionId } = await piece();
    const { bytes, job } = await exported(versionId, { sampleRate: 44_100, encoding: "float32" });
    expect(job.files[0]).toMatchObject({ length: Math.ceil(3 * 44_100), sampleRate: 44_100 });
    const [, right] = await readWav(bytes);
    // In the middle of a clip, well away from its edges: the tone itself, at the other rate.
    for (let i = 60_000; i < 70_000; i++) {
      const t = i / 44_100 - 1 + 0.5;
      const exact = (6000 / 32_768) * Math.sin(2 * Math.PI * 800 * t);
      expect(Math.abs(right[i] - exact)).toBeLessThan(2.2e-5);
    }
  });
  it("writes one file for each track, section or clip, in one zip, with names that every system takes", async () => {
    const { versionId } = await piece();
    const names = async (request: Record<string, unknown>) => {
      const preview = await api("POST", `/api/versions/${versionId}/exports/preview`, request);
      const { bytes, type } = await exported(versionId, request);
      expect(type).toBe("application/zip");
      const files = await unzipped(bytes);
      expect([...files.keys()]).toEqual(preview.body.files);
      return files;
    };
    const tracks = await names({ split: "tracks", encoding: "float32" });
    expect([...tracks.keys()]).toEqual(["01 Left- -loom-.wav", "02 Right.wav"]);
    const all = [...tracks.values()].map((b) => readWav(new Uint8Array(b)));
    const [left, right] = await Promise.all(all);
    expect([left[0].length, right[0].length]).toEqual([3 * RATE, 3 * RATE]);
    const whole = await readWav((await exported(versionId, { encoding: "float32" })).bytes);
    for (let i = 0; i < 3 * RATE; i += 7) expect(Math.abs(left[0][i] + right[0][i] - whole[0][i])).toBeLessThan(1e-6);
    expect([...(await names({ split: "sections" })).keys()]).toEqual(["01 First - half.wav", "02 Second.wav"]);
    const clips = await names({ split: "clips", pattern: "{name}", handles: RATE, encoding: "float32" });
    // One name is a device's on some systems; the other is its recording's.
    expect([...clips.keys()][0]).toBe("_Aux.wav");
    const lengths = await Promise.all([...clips.values()].map(async (b) => (await readWav(new Uint8Array(b)))[0].length));
    // Half a second lies before the first clip's window, a second and a half after it; before the second nothing.
    expect(lengths).toEqual([RATE / 2 + 2 * RATE + RATE, RATE + RATE]);
  });
  it("lists what was exported, makes it again, and takes it away with its bytes", async () => {
    const { projectId, versionId } = await piece();
    const { job, bytes } = await exported(versionId, { format: "flac" });
    const [row] = (await api("GET", `/api/projects/${projectId}/exports`)).body.exports;
    expect(row).toMatchObject({ id: job.id, version: "First version", revision: 1, changed: false, spec: { format: "flac" } });
    await api("POST", `/api/versions/${versionId}/edits`, { revision: 1, edits: [{ type: "mute", clipIds: ["a"], mute: true }] });
    expect((await api("GET", `/api/projects/${projectId}/exports`)).body.exports[0].changed).toBe(true);
    for (const same of [true, false]) {
      const { body } = await api("POST", `/api/exports/${job.id}/again`, { same });
      await until(
        () => api("GET", `/api/exports/${body.id}`),
        (a) => a.body.status === "ready",
      );
      const made = Buffer.from(await (await fetch(`${BASE}/api/exports/${body.id}/file`)).arrayBuffer());
      expect(made.equals(Buffer.from(bytes))).toBe(same);
    }
    expect((await api("DELETE", `/api/exports/${job.id}`)).status).toBe(200);
    expect((await api("GET", `/api/exports/${job.id}`)).status).toBe(404);
  });
  it.each([
    [{ format: "mp3", sampleRate: 96_000 }, /not written at 96000/],
    [{ format: "flac", encoding: "float32" }, /no samples of that kind/],
    [{ format: "wav", bits: 128 }, /loses nothing/],
    [{ format: "opus", bits: 300 }, /64 to 256/],
    [{ normalise: { loudness: 3 } }, /normalise/],
  ])("refuses %o in words", async (request, message) => {
    const { versionId } = await piece();
    const answer = await api("POST", `/api/versions/${versionId}/exports`, request);
    expect([answer.status, answer.body.message]).toEqual([400, expect.stringMatching(message)]);
  });

  it("fails in words, and keeps nothing of it, where samples of a recording can't be read", async () => {
    const { projectId, versionId } = await piece();
    const { body: project } = await api("GET", `/api/projects/${projectId}`);
    const database = new pg.Client({ connectionString: process.env.DATABASE_URL });
    await database.connect();
    try {
      await database.query("delete from source_bytes where source_id = $1", [project.sources[0].id]);
    } finally {
      await database.end();
    }
    await expect(exported(versionId, {})).rejects.toThrow(/^Samples of .+ could not be read\. .+not kept; the piece is as it was\.$/);
  });
});
