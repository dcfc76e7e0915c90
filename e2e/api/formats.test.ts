import { execFileSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { formatOf } from "@wet-thread/core/media/formats";
import { headerAt } from "@wet-thread/core/media/mp3/frames";
import { memorySource } from "@wet-thread/core/media/source";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { addSource, api, BASE, newProject, until, wavFile } from "../client";

// Recordings in every format, written by the programs that others write them with, and read over the API.

const CHUNK = 65_536;
const FRAMES = 200_001;
const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-formats-"));
const at = (name: string): string => path.join(folder, name);
const bytesOf = (name: string): Uint8Array<ArrayBuffer> => new Uint8Array(fs.readFileSync(at(name)));
const run = (command: string, ...args: string[]): void => void execFileSync(command, args, { stdio: ["ignore", "ignore", "pipe"] });

/** A sound that no codec mistakes: tones that come and go, different in both channels, on the steps of 16 bits. */
const original = [0, 1].map((c) =>
  Float32Array.from({ length: FRAMES }, (_, i) => {
    const t = i / 48_000;
    const v =
      0.3 * Math.sin(2 * Math.PI * (220 + 110 * c) * t) * (1 + Math.sin(2 * Math.PI * 3 * t)) + 0.1 * Math.sin(2 * Math.PI * (900 + 700 * t) * t);
    return Math.round(v * 32_767 * 0.9) / 32_768;
  }),
);

beforeAll(() => {
  fs.writeFileSync(at("a.wav"), wavFile(original, "i16"));
  fs.writeFileSync(
    at("a24.wav"),
    wavFile(
      original.map((x) => x.map((v) => v * 0.999)),
      "i24",
    ),
  );
  const ff = (...args: string[]): void => run("ffmpeg", "-v", "error", "-y", "-i", at("a.wav"), ...args);
  run("flac", "-s", "-f", at("a.wav"), "-o", at("a.flac"));
  run("flac", "-s", "-f", at("a24.wav"), "-o", at("a24.flac"));
  run("sox", at("a.wav"), at("a.aiff"));
  run("opusenc", "--quiet", "--bitrate", "160", at("a.wav"), at("a.opus"));
  ff("-c:a", "libmp3lame", "-b:a", "192k", at("a.mp3"));
  ff("-c:a", "libmp3lame", "-q:a", "2", at("vbr.mp3"));
  ff("-c:a", "libvorbis", "-q:a", "6", at("a.ogg"));
  ff("-c:a", "aac", "-b:a", "192k", at("a.m4a"));
  ff("-c:a", "alac", at("alac.m4a"));
});
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

async function samplesOf(source: { id: string; length: number; channels: number }): Promise<Float32Array[]> {
  const out = Array.from({ length: source.channels }, () => new Float32Array(source.length));
  for (let k = 0; k * CHUNK < source.length; k++) {
    const all = new Float32Array(await (await fetch(`${BASE}/api/sources/${source.id}/pcm?chunk=${k}`)).arrayBuffer());
    const n = all.length / source.channels;
    for (let c = 0; c < source.channels; c++) out[c].set(all.subarray(c * n, (c + 1) * n), k * CHUNK);
  }
  return out;
}

async function read(bytes: Uint8Array<ArrayBuffer>, name = "x.bin") {
  const { projectId } = await newProject();
  const source = await addSource(projectId, bytes, name);
  return { source, samples: source.status === "ready" ? await samplesOf(source) : [] };
}

/** By how many samples one sound lies behind another, and how alike they are then. */
function behind(a: Float32Array, b: Float32Array, from = 60_000, n = 20_000): { by: number; likeness: number } {
  let best = { by: 0, likeness: -1 };
  for (let by = -1500; by <= 1500; by++) {
    let [ab, aa, bb] = [0, 0, 0];
    for (let i = from; i < from + n; i += 2) {
      ab += a[i] * b[i + by];
      aa += a[i] ** 2;
      bb += b[i + by] ** 2;
    }
    const likeness = ab / Math.sqrt(aa * bb);
    if (likeness > best.likeness) best = { by, likeness };
  }
  return best;
}

describe("recordings in other formats", () => {
  it.each([
    ["a.flac", "a.wav"],
    ["a24.flac", "a24.wav"],
    ["a.aiff", "a.wav"],
    ["alac.m4a", "a.wav"],
  ])("%s gives the very samples of %s", async (name, wav) => {
    const [one, other] = await Promise.all([read(bytesOf(name), "takes.doc"), read(bytesOf(wav))]);
    expect(one.source).toMatchObject({ length: FRAMES, channels: 2, originalRate: 48_000, notes: [], name: "takes" });
    for (const c of [0, 1]) expect(Buffer.compare(Buffer.from(one.samples[c].buffer), Buffer.from(other.samples[c].buffer))).toBe(0);
  });
  it.each(["a.mp3", "vbr.mp3", "a.ogg", "a.opus", "a.m4a"])("%s lies where its original lay, and is as long", async (name) => {
    const { source, samples } = await read(bytesOf(name));
    expect(source).toMatchObject({ status: "ready", length: FRAMES, channels: 2 });
    for (const c of [0, 1]) {
      const { by, likeness } = behind(original[c], samples[c]);
      expect(by).toBe(0);
      expect(likeness).toBeGreaterThan(0.99);
    }
  });
  it("gives the original bytes back under their own ending", async () => {
    const { source } = await read(bytesOf("a.mp3"));
    const answer = await fetch(`${BASE}/api/sources/${source.id}/file`);
    expect(answer.headers.get("content-disposition")).toMatch(/\.mp3/);
    expect(Buffer.compare(Buffer.from(await answer.arrayBuffer()), Buffer.from(bytesOf("a.mp3")))).toBe(0);
  });
  it("takes the first sound of a file with a picture, and says so", async () => {
    run(
      "ffmpeg",
      "-v",
      "error",
      "-y",
      "-f",
      "lavfi",
      "-i",
      "testsrc=d=2:r=25:s=64x64",
      "-i",
      at("a.wav"),
      "-shortest",
      "-c:v",
      "mpeg4",
      "-c:a",
      "aac",
      at("film.mp4"),
    );
    const { source } = await read(bytesOf("film.mp4"));
    expect(source).toMatchObject({ status: "ready", channels: 2, notes: [expect.stringMatching(/picture/)] });
    expect(Math.abs(source.length - 96_000)).toBeLessThan(2048);
  });
  it("tells chapters and titles of MP3, M4A, FLAC and Opus", async () => {
    fs.writeFileSync(
      at("about.txt"),
      ";FFMETADATA1\ntitle=Mill, morning\n[CHAPTER]\nTIMEBASE=1/1000\nSTART=500\nEND=1500\ntitle=Belt\n[CHAPTER]\nTIMEBASE=1/1000\nSTART=1500\nEND=4000\ntitle=Bell\n",
    );
    const tags = ["TITLE=Mill, morning", "CHAPTER001=00:00:00.500", "CHAPTER001NAME=Belt", "CHAPTER002=00:00:01.500", "CHAPTER002NAME=Bell"];
    run("flac", "-s", "-f", ...tags.map((t) => `--tag=${t}`), at("a.wav"), "-o", at("c.flac"));
    run("opusenc", "--quiet", ...tags.flatMap((t) => ["--comment", t]), at("a.wav"), at("c.opus"));
    for (const codec of ["mp3", "m4a"])
      run("ffmpeg", "-v", "error", "-y", "-i", at("a.wav"), "-i", at("about.txt"), "-map_metadata", "1", "-map_chapters", "1", at(`c.${codec}`));
    for (const name of ["c.mp3", "c.m4a", "c.flac", "c.opus"]) {
      const { source } = await read(bytesOf(name));
      expect([name, source.title, source.marks]).toEqual([
        name,
        "Mill, morning",
        [
          { position: 24_000, name: "Belt" },
          { position: 72_000, name: "Bell" },
        ],
      ]);
    }
  });
});

describe("damaged recordings", () => {
  /** Where two sounds differ, from the first to the last sample. */
  function differs(a: Float32Array, b: Float32Array): [number, number] {
    let [first, last] = [-1, -1];
    for (let i = 0; i < Math.min(a.length, b.length); i++)
      if (Math.abs(a[i] - b[i]) > 1e-6) {
        if (first < 0) first = i;
        last = i;
      }
    return [first, last];
  }
  it.each(["a.flac", "a.mp3", "a.ogg", "a.opus"])("a hole in %s is silent, and what follows lies where it lay", async (name) => {
    const whole = await read(bytesOf(name));
    const bytes = bytesOf(name);
    const middle = bytes.length >> 1;
    bytes.fill(0, middle, middle + 3000);
    const { source, samples } = await read(bytes);
    expect(source).toMatchObject({ status: "ready", length: FRAMES, notes: [expect.stringMatching(/damaged in 1 place.*silent/)] });
    const [first, last] = differs(samples[0], whole.samples[0]);
    expect(first).toBeGreaterThan(FRAMES * 0.2);
    expect(last).toBeLessThan(FRAMES * 0.9);
    expect(last).toBeGreaterThan(first);
    if (name === "a.flac") expect(samples[0].subarray(first, last + 1).every((v) => v === 0)).toBe(true);
  });
  it("a frame of an MP3 that is missing altogether is silence of its length, where it was", async () => {
    const whole = await read(bytesOf("a.mp3"));
    const bytes = bytesOf("a.mp3");
    const starts: number[] = [];
    let place = 0;
    while (!headerAt(bytes, place)) place++;
    for (let h = headerAt(bytes, place); h; h = headerAt(bytes, place)) {
      starts.push(place);
      place += h.bytes;
    }
    const without = new Uint8Array([...bytes.subarray(0, starts[80]), ...bytes.subarray(starts[81])]);
    const { source, samples } = await read(without);
    expect(source).toMatchObject({ status: "ready", length: FRAMES });
    const [first, last] = differs(samples[0], whole.samples[0]);
    expect(Math.abs(first - (79 * 1152 - 1105))).toBeLessThan(1200);
    expect(last - first).toBeLessThan(5 * 1152);
  });
  it.each(["a.wav", "a.aiff", "a.flac", "a.mp3", "a.ogg"])("%s without its tail asks, keeps what is there, or nothing", async (name) => {
    const { projectId } = await newProject();
    const bytes = bytesOf(name);
    const upload = await api("POST", `/api/projects/${projectId}/sources?name=${name}`, bytes.slice(0, (bytes.length * 0.6) | 0));
    expect(upload.status).toBe(201);
    const { id } = upload.body;
    const asked = await until(
      () => api("GET", `/api/sources/${id}`),
      (a) => !["queued", "importing"].includes(a.body.status),
    );
    expect(asked.body).toMatchObject({ status: "asking", asking: { message: expect.stringMatching(/cut short.*are there/) } });
    const { said, there } = asked.body.asking;
    expect(there).toBe(asked.body.length);
    expect(said === null ? name : said).toBe(name === "a.ogg" ? name : FRAMES);
    // Until it is answered no clip can be made of it.
    const version = (await api("GET", `/api/projects/${projectId}`)).body.versions[0].id;
    const edits = [
      { type: "add-track", id: "t" },
      { type: "add-clip", trackId: "t", sourceId: id, start: 0 },
    ];
    expect((await api("POST", `/api/versions/${version}/edits`, { revision: 0, edits })).status).toBe(422);
    const kept = await api("POST", `/api/sources/${id}/answer`, { keep: true });
    expect(kept.body).toMatchObject({ status: "ready", length: there, notes: [expect.stringMatching(/end of its file is missing/)] });
    expect((await samplesOf(kept.body))[0].length).toBe(there);
    expect((await api("POST", `/api/versions/${version}/edits`, { revision: 0, edits })).status).toBe(200);
    expect((await api("POST", `/api/sources/${id}/answer`, { keep: true })).status).toBe(409);
  });
  it("is taken away when what is there is not wanted", async () => {
    const { projectId } = await newProject();
    const { id } = (await api("POST", `/api/projects/${projectId}/sources?name=x`, bytesOf("a.wav").slice(0, 90_000))).body;
    await until(
      () => api("GET", `/api/sources/${id}`),
      (a) => a.body.status === "asking",
    );
    expect((await api("POST", `/api/sources/${id}/answer`, { keep: false })).body).toMatchObject({ removed: true });
    expect((await api("GET", `/api/sources/${id}`)).status).toBe(404);
  });
  it("no reader crashes, hangs or takes more than it is given, whatever is changed in a file", async () => {
    let seed = 7;
    const next = (most: number): number => {
      seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
      return Math.floor((seed / 2 ** 32) * most);
    };
    for (const name of ["a.flac", "a.mp3", "a.ogg", "a.opus", "a.m4a", "a.aiff"]) {
      // The beginning, where most is said, and enough of the rest.
      const file = bytesOf(name).slice(0, 60_000);
      for (let k = 0; k < 400; k++) {
        const bytes = file.slice(0, next(10) === 0 ? next(file.length) : 8000 + next(20_000));
        for (let changes = next(12); changes >= 0; changes--)
          if (bytes.length > 0) bytes[next(Math.min(bytes.length, next(2) ? 600 : bytes.length))] = next(256);
        const source = memorySource(bytes);
        try {
          const format = await formatOf(source);
          await format.open(source);
          const found = await format.survey?.(source);
          for (const range of found?.whole ?? []) expect(range.to).toBeLessThanOrEqual(bytes.length);
        } catch (error) {
          expect((error as Error).name).toBe("MediaError");
        }
      }
    }
  }, 60_000);
});
