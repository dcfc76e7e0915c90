// The rows of what goes in and out coded: each against real time, through the readers, writers and ffmpeg as jobs use them.
import { LoudnessMeter } from "@wet-thread/core/analysis/loudness";
import { formatOf } from "@wet-thread/core/media/formats";
import { memorySource } from "@wet-thread/core/media/source";
import type { OutFormatId } from "@wet-thread/core/media/writers";
import { decode } from "../studio/server/media/decode";
import { encoded } from "../studio/server/media/encode";
import type { Row } from "./rows";

const RATE = 48_000;
const SECONDS = 120;
const BLOCK = 65_536;

/** Something between noise and tones, as music is to codecs. */
function sound(): Float32Array[] {
  let s = 1;
  return [0, 1].map((c) =>
    Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
      s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
      const t = i / RATE;
      return 0.25 * Math.sin(2 * Math.PI * (220 + 50 * c) * t) * (1 + Math.sin(3 * t)) + 0.05 * (s / 2 ** 31 - 1);
    }),
  );
}

async function* pieces(planes: readonly Float32Array[]) {
  for (let at = 0; at < planes[0].length; at += BLOCK) {
    const count = Math.min(BLOCK, planes[0].length - at);
    yield { planes: planes.map((p) => p.slice(at, at + count)), count };
  }
}

const times = async (work: () => Promise<unknown>): Promise<number> => {
  const start = performance.now();
  await work();
  return (SECONDS * 1000) / (performance.now() - start);
};

export async function codecRows(): Promise<Row[]> {
  const planes = sound();
  const rows: Row[] = [];
  const budgets: Partial<Record<string, string>> = { "flac in": "≥ 150", "flac out": "≥ 100", "mp3 in": "≥ 150", "mp3 out": "≥ 20" };
  for (const format of ["flac", "mp3", "opus"] as const satisfies readonly OutFormatId[]) {
    const parts: Uint8Array[] = [];
    const to = {
      format,
      samples: "pcm24",
      channels: 2,
      sampleRate: RATE,
      frames: planes[0].length,
      dither: true,
      seed: 1,
      tags: {},
      marks: [],
    } as const;
    const out = await times(async () => {
      for await (const part of encoded(to, pieces(planes))) parts.push(part.slice());
    });
    rows.push({ name: `codec.${format}.out`, value: out, unit: "× real time, stereo", budget: budgets[`${format} out`] ?? "–" });
    const bytes = memorySource(new Uint8Array(Buffer.concat(parts)));
    const into = await times(async () => {
      const reader = await formatOf(bytes);
      const { stretches } = await decode(reader, bytes, await reader.open(bytes));
      for await (const _ of stretches) {
        // Only the time counts.
      }
    });
    rows.push({ name: `codec.${format}.in`, value: into, unit: "× real time, stereo", budget: budgets[`${format} in`] ?? "–" });
  }
  const meter = await times(async () => {
    const own = new LoudnessMeter(2, RATE);
    for await (const { planes: p, count } of pieces(planes)) own.push(p, count);
    own.finish();
  });
  rows.push({ name: "loudness", value: meter, unit: "× real time, stereo, with true peak", budget: "≥ 200" });
  return rows;
}
