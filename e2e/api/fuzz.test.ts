import { execFileSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { formatOf } from "@wet-thread/core/media/formats";
import { type ByteSource, MediaError, memorySource } from "@wet-thread/core/media/source";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { wavFile } from "../client";

// Every reader, on files of every format that were changed at random: ends cut off, bytes changed, stretches doubled, lost, or put elsewhere.

/** Changed files of each format; a long look takes ten thousand. */
const FILES = Number(process.env.WET_THREAD_FUZZ ?? 2000);
/** So long may one file take, in ms, on a machine that does much else. */
const MOST_MS = 2000;
/** A reader may read so many times what the file holds. */
const MOST_READ = 400;

const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-fuzz-"));
const at = (name: string): string => path.join(folder, name);
const KINDS = ["a.wav", "a.rf64", "a.aiff", "a.flac", "a.mp3", "vbr.mp3", "a.ogg", "a.opus", "a.m4a", "alac.m4a"];

beforeAll(() => {
  const run = (command: string, ...args: string[]): void => void execFileSync(command, args, { stdio: ["ignore", "ignore", "pipe"] });
  const tone = [0, 1].map((c) => Float32Array.from({ length: 14_400 }, (_, i) => 0.3 * Math.sin(i * (0.03 + 0.01 * c)) * Math.cos(i * 0.0007)));
  fs.writeFileSync(at("a.wav"), wavFile(tone, "i16"));
  const ff = (...args: string[]): void => run("ffmpeg", "-v", "error", "-y", "-i", at("a.wav"), ...args);
  ff("-f", "wav", "-rf64", "always", at("a.rf64"));
  run("sox", at("a.wav"), at("a.aiff"));
  run("flac", "-s", "-f", at("a.wav"), "-o", at("a.flac"));
  run("opusenc", "--quiet", at("a.wav"), at("a.opus"));
  ff("-c:a", "libmp3lame", "-b:a", "128k", "-metadata", "title=Bell", at("a.mp3"));
  ff("-c:a", "libmp3lame", "-q:a", "5", at("vbr.mp3"));
  ff("-c:a", "libvorbis", "-q:a", "4", at("a.ogg"));
  ff("-c:a", "aac", "-b:a", "96k", at("a.m4a"));
  ff("-c:a", "alac", at("alac.m4a"));
});
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

/** Numbers that only look random (mulberry32): the same files in each run. */
function dice(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), state | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** A file with one to six changes. Most fall near its beginning, where what is told lies. */
function changed(file: Uint8Array<ArrayBuffer>, roll: () => number): Uint8Array<ArrayBuffer> {
  let bytes = file.slice();
  const whole = (n: number): number => Math.floor(roll() * n);
  const place = (): number => (roll() < 0.6 ? whole(Math.min(400, bytes.length)) : whole(bytes.length));
  const joined = (...parts: Uint8Array[]): Uint8Array<ArrayBuffer> => new Uint8Array(Buffer.concat(parts));
  for (let n = 1 + whole(6); n > 0 && bytes.length > 0; n--) {
    const [from, size] = [place(), 1 + whole(roll() < 0.8 ? 16 : 4000)];
    const to = Math.min(bytes.length, from + size);
    switch (whole(6)) {
      case 0:
        bytes = bytes.slice(0, place());
        break;
      case 1:
        for (let i = from; i < to; i++) bytes[i] = whole(256);
        break;
      case 2:
        bytes.fill(roll() < 0.5 ? 0 : 255, from, to);
        break;
      case 3:
        bytes = joined(bytes.subarray(0, to), bytes.subarray(from));
        break;
      case 4:
        bytes = joined(bytes.subarray(0, from), bytes.subarray(to));
        break;
      case 5:
        bytes[from] ^= 1 << whole(8);
    }
  }
  return bytes;
}

/** Counts what is read, and refuses endless reading. */
function counted(bytes: Uint8Array): ByteSource {
  const source = memorySource(bytes);
  let read = 0;
  return {
    size: source.size,
    read: async (offset, length) => {
      const found = await source.read(offset, length);
      read += found.length + 16;
      if (read > MOST_READ * (bytes.length + 4096)) throw new Error(`It reads on and on: ${read} bytes of a file of ${bytes.length}.`);
      return found;
    },
  };
}

describe("files changed at random", () => {
  it.each(KINDS)("of %s are read as far as they go or refused in words, soon, and with little memory", { timeout: 600_000 }, async (name) => {
    const file = new Uint8Array(fs.readFileSync(at(name)));
    const roll = dice(KINDS.indexOf(name) + 1);
    let [refused, slowest] = [0, 0];
    for (let n = 0; n < FILES; n++) {
      const bytes = changed(file, roll);
      const began = performance.now();
      try {
        const source = counted(bytes);
        const format = await formatOf(source);
        const info = await format.open(source);
        expect(info.channels).toBeGreaterThan(0);
        if (info.frames !== null) expect(Number.isSafeInteger(info.frames) && info.frames >= 0).toBe(true);
        const { marks, loops } = info.told;
        for (const { position } of marks) expect(Number.isSafeInteger(position) && position >= 0).toBe(true);
        for (const { start, end } of loops) expect(Number.isSafeInteger(start) && end >= start).toBe(true);
        const survey = await format.survey?.(source);
        for (const { from, to } of survey?.whole ?? []) expect(from >= 0 && to >= from && to <= bytes.length).toBe(true);
        for (const gap of survey?.gaps ?? []) expect(Number.isSafeInteger(gap.at) && gap.frames > 0).toBe(true);
      } catch (error) {
        // Anything but a reason in words is a fault of the reader; the file that showed it is kept to be looked at.
        if (!(error instanceof MediaError)) {
          fs.writeFileSync(path.join(os.tmpdir(), `wet-thread-fuzz-${n}-${name}`), bytes);
          throw new Error(`File ${n} of ${name}: ${error}`);
        }
        expect(error.message.length).toBeGreaterThan(10);
        refused++;
      }
      slowest = Math.max(slowest, performance.now() - began);
    }
    expect(slowest).toBeLessThan(MOST_MS);
    expect(refused).toBeGreaterThan(0);
    expect(refused).toBeLessThan(FILES);
  });
});
