import fs from "node:fs";
import path from "node:path";
import { decodeFrames } from "@wet-thread/core/media/pcm";
import { memorySource } from "@wet-thread/core/media/source";
import { openWav } from "@wet-thread/core/media/wav/format";
import { random, soften, whiteNoise } from "./random";
import { at, RATE } from "./score";

/** A recording of the demo as it is made: its channels and what is true of it. */
export interface Made {
  readonly name: string;
  readonly rate: number;
  readonly channels: Float32Array[];
  /** Samples of this recording at which a hit begins, and how far each is off its beat. */
  readonly hits?: readonly { sample: number; offBeat: number }[];
  /** Pauses between sentences, in samples of this recording. */
  readonly pauses?: readonly { start: number; end: number }[];
}

const seconds = (s: number): number => Math.round(s * RATE);

/** A struck loom: noise and two wooden tones that die away; it starts at full strength on its first sample. */
function strike(out: Float32Array, start: number, level: number, pitch: number, ring: number, seed: number): void {
  const grit = whiteNoise(Math.min(seconds(0.5), out.length - start), seed);
  for (let i = 0; i < grit.length; i++) {
    const t = i / RATE;
    const wood =
      Math.cos(2 * Math.PI * pitch * t) * Math.exp(-t / ring) + 0.5 * Math.cos(2 * Math.PI * pitch * 2.76 * t) * Math.exp(-t / (ring * 0.6));
    const gritty = i === 0 ? 0.3 : grit[i] * 0.5 * Math.exp(-t / 0.012);
    out[start + i] += level * (0.55 * wood + gritty);
  }
}

/** Shuttle and treadle: hits on each beat, early or late by known amounts in ms (a fixed round of them). */
function loom(name: string, bars: number, firstBar: number, late: readonly number[], pitch: number, ring: number, seed: number): Made {
  const lead = seconds(0.25);
  const length = at(firstBar + bars) - at(firstBar) + 2 * lead;
  const out = soften(whiteNoise(length, seed), 0.2).map((v) => v * 0.004);
  const next = random(seed + 1);
  const hits: { sample: number; offBeat: number }[] = [];
  for (let bar = 0; bar < bars; bar++) {
    for (let beat = 1; beat <= 4; beat++) {
      const offBeat = Math.round((late[hits.length % late.length] * RATE) / 1000);
      const sample = lead + at(firstBar + bar, beat) - at(firstBar) + offBeat;
      strike(out, sample, 0.4 + 0.35 * next() + (beat === 1 ? 0.15 : 0), pitch * (1 + 0.02 * (next() - 0.5)), ring, seed + 10 + hits.length);
      hits.push({ sample, offBeat });
    }
  }
  return { name, rate: RATE, channels: [out], hits };
}

/** A hand bell: inharmonic partials, each dying at its own pace, placed between left and right. */
function bell(name: string, strikes: readonly number[], pitch: number, place: number, seed: number): Made {
  const length = (strikes.at(-1) as number) + seconds(3.2);
  const channels = [new Float32Array(length), new Float32Array(length)];
  const next = random(seed);
  const partials = [1, 2.02, 2.41, 3.01, 4.18, 5.43].map((ratio, k) => ({
    ratio,
    level: 0.32 / (1 + k),
    decay: 1.5 / (1 + k * 0.7),
    phase: next() * 6.28,
  }));
  for (const start of strikes) {
    for (let i = 0; i < length - start; i++) {
      const t = i / RATE;
      let v = 0;
      for (const p of partials) v += p.level * Math.sin(2 * Math.PI * pitch * p.ratio * t + p.phase) * Math.exp(-t / p.decay);
      v *= Math.min(1, i / 24);
      channels[0][start + i] += v * (1 - place) * 0.8;
      channels[1][start + i] += v * place * 0.8;
    }
  }
  return { name, rate: RATE, channels, hits: strikes.map((sample) => ({ sample, offBeat: 0 })) };
}

/** Lead-in of the hum choir before its bar, in samples. */
export const HUM_LEAD = seconds(0.42);

/** Three voices that start before the bar, swell, and carry a little of each other. */
function hums(): Made[] {
  const length = HUM_LEAD + at(9) - at(5) + seconds(0.8);
  const voices = [146.8, 220, 293.7].map((pitch, v) => {
    const breath = soften(whiteNoise(length, 300 + v), 0.25);
    return Float32Array.from({ length }, (_, i) => {
      const t = i / RATE;
      const rise = Math.min(1, i / HUM_LEAD) * Math.min(1, (length - i) / seconds(0.7));
      const swell = 0.75 + 0.25 * Math.sin(2 * Math.PI * t * 0.383);
      const vibrato = 2 * Math.PI * pitch * t + 0.35 * Math.sin(2 * Math.PI * 4.6 * t + v);
      const tone = Math.sin(vibrato) + 0.4 * Math.sin(2 * vibrato) + 0.18 * Math.sin(3 * vibrato) + 0.07 * Math.sin(4 * vibrato);
      return rise * swell * tone * 0.22 + breath[i] * 0.012;
    });
  });
  return ["Hum, low voice", "Hum, middle voice", "Hum, high voice"].map((name, v) => ({
    name,
    rate: RATE,
    channels: [voices[v].map((x, i) => x + 0.03 * voices[(v + 1) % 3][i] + 0.03 * voices[(v + 2) % 3][i])],
  }));
}

function rain(): Made {
  const length = seconds(58);
  const channels = [1, 2].map((c) => {
    const bed = soften(whiteNoise(length, 400 + c), 0.35).map((v) => v * 0.07);
    const next = random(420 + c);
    for (let i = 0; i < length; i += Math.round(200 + next() * 4000)) {
      const level = 0.02 + 0.1 * next() ** 3;
      for (let k = 0; k < 300 && i + k < length; k++) bed[i + k] += level * Math.sin(0.25 * k) * Math.exp(-k / 60);
    }
    return bed;
  });
  return { name: "Rain bed", rate: RATE, channels };
}

function clock(): Made {
  const out = whiteNoise(seconds(12.2), 500).map((v) => v * 0.0008);
  const hits = Array.from({ length: 12 }, (_, n) => ({ sample: seconds(0.1 + n), offBeat: 0 }));
  hits.forEach(({ sample }, n) => strike(out, sample, n % 2 ? 0.22 : 0.3, n % 2 ? 1900 : 2300, 0.02, 510 + n));
  return { name: "Mill-yard clock", rate: RATE, channels: [out], hits };
}

async function sentence(name: string): Promise<{ samples: Float32Array; rate: number }> {
  const bytes = new Uint8Array(fs.readFileSync(path.join(import.meta.dirname, "speech", `${name}.wav`)));
  const info = await openWav(memorySource(bytes));
  const samples = new Float32Array(info.frames);
  decodeFrames(bytes.subarray(info.dataOffset, info.dataOffset + info.frames * info.frameBytes), info, [samples]);
  // The synthesiser leaves silence around its sentences; the pauses here are our own.
  const loud = (v: number): boolean => Math.abs(v) > 0.004;
  const first = samples.findIndex(loud);
  const last = samples.findLastIndex(loud);
  return { samples: samples.slice(first, last + 1), rate: info.sampleRate };
}

/** A take of the guide: sentences with pauses of known lengths; a breath at the end of each longer one. */
async function take(name: string, parts: readonly (string | number)[], seed: number): Promise<Made> {
  const out: number[] = [];
  const pauses: { start: number; end: number }[] = [];
  let rate = 22_050;
  let breathSeed = seed;
  for (const part of parts) {
    if (typeof part === "number") {
      const n = Math.round(part * rate);
      const start = out.length;
      const room = whiteNoise(n, breathSeed++);
      const breath = soften(whiteNoise(n, breathSeed++), 0.5);
      const breathing = part >= 0.6 ? Math.round(0.32 * rate) : 0;
      for (let i = 0; i < n; i++) {
        const into = i - (n - breathing);
        const b = into >= 0 ? Math.sin((Math.PI * into) / breathing) ** 2 * 0.045 : 0;
        out.push(room[i] * 0.0006 + breath[i] * b);
      }
      pauses.push({ start, end: out.length });
    } else {
      const { samples, rate: spoken } = await sentence(part);
      rate = spoken;
      for (const v of samples) out.push(v * 0.8);
    }
  }
  return { name, rate, channels: [Float32Array.from(out)], pauses };
}

/** Hits of the shuttle come off their beats by these many ms, in turn. */
export const SHUTTLE_LATE = [0, 11, -8, 17, 4, -14, 22, -3, 9, -19, 6, 13, -6, 0, 26, -11];
export const TREADLE_LATE = [0, 7, -5, 12, 3, -9, 15, -2];

/** Every recording of the night, the same on every machine. */
export async function makeRecordings(): Promise<Made[]> {
  const bellAt = (bar: number, beat: number, base: number) => at(bar, beat) - at(base) + seconds(0.2);
  return [
    loom("Shuttle", 12, 5, SHUTTLE_LATE, 210, 0.09, 100),
    loom("Treadle bed", 8, 5, TREADLE_LATE, 92, 0.16, 200),
    await take("Guide, take 1", [0.25, "welcome", 0.9, "shuttle-false-start", 0.45, "shuttle", 0.7, "sleep", 0.3], 600),
    await take("Guide, take 2", [0.2, "shuttle", 0.65, "treadle", 0.8, "oil", 0.35], 620),
    await take("Guide, take 3", [0.2, "bell", 0.75, "sleep", 0.6, "lights", 0.4], 640),
    bell(
      "Bells, low",
      [1, 3].flatMap((beat) => [0, 1].map((bar) => bellAt(5 + bar, beat, 5))).sort((a, b) => a - b),
      392,
      0.35,
      700,
    ),
    bell("Bells, high", [bellAt(5, 1, 5), bellAt(5, 2, 5), bellAt(5, 4, 5)], 784, 0.65, 720),
    ...hums(),
    rain(),
    clock(),
  ];
}
