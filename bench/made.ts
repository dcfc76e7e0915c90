// The rows about what recipes make: stretching, pitch, tape, treatments, in times of real time of what comes out.
import { makeWhole } from "@wet-thread/core/dsp/make-recording";
import { loadStretcher } from "@wet-thread/core/dsp/stretcher";
import { treat } from "@wet-thread/core/dsp/treat/treat";
import type { Making } from "@wet-thread/core/model/recipe/played-recording";
import { Chain } from "@wet-thread/core/model/recipe/treatment";
import { RATE } from "@wet-thread/core/testing/arbitraries";
import type { Row } from "./rows";

const SECONDS = 30;

function struck(): { samples: Float32Array; hits: number[] } {
  const hits: number[] = [];
  const samples = Float32Array.from({ length: SECONDS * RATE }, (_, i) => 0.05 * Math.sin(i * 0.021));
  for (let at = 9600; at < samples.length; at += 20_011) {
    hits.push(at);
    for (let i = 0; i < 18_000 && at + i < samples.length; i++) samples[at + i] += 0.5 * Math.exp(-i / 3000) * Math.cos(i * 0.1);
  }
  return { samples, hits };
}

const MAKINGS: readonly (readonly [string, string, Making])[] = [
  ["make.smooth", "≥ 40", { stretch: { kind: "smooth", from: 4, to: 5 } }],
  ["make.hits", "≥ 40", { stretch: { kind: "hits", from: 4, to: 5 } }],
  ["make.tape", "≥ 200", { stretch: { kind: "tape", from: 4, to: 5 } }],
  ["make.pitch", "–", { pitch: -300 }],
  ["make.pitch, drawn", "–", { pitchLine: [0, 1, 2, 3].map((k) => ({ at: k * 10 * RATE, value: k % 2 ? 300 : -200 })) }],
];

export async function madeRows(): Promise<Row[]> {
  await loadStretcher();
  const { samples, hits } = struck();
  const material = { length: samples.length, channels: 1, sampleRate: RATE, hits };
  const rows: Row[] = [];
  // The code is compiled once.
  await makeWhole({ ...material, length: RATE }, { stretch: { kind: "tape", from: 4, to: 5 } }, [samples.subarray(0, RATE)]);
  for (const [name, budget, making] of MAKINGS) {
    const began = performance.now();
    const [out] = await makeWhole(material, making, [samples]);
    rows.push({ name, value: out.length / RATE / ((performance.now() - began) / 1000), unit: "× real time, one channel", budget });
  }
  const filter = Chain.parse([{ kind: "bell" }]);
  treat([samples.slice()], filter, RATE, 0);
  const filtered = performance.now();
  treat([samples.slice()], filter, RATE, 0);
  rows.push({ name: "treat.biquad", value: SECONDS / ((performance.now() - filtered) / 1000), unit: "× real time, one channel", budget: "≥ 1500" });
  const chain = Chain.parse([{ kind: "lowCut" }, { kind: "gate" }, { kind: "bell" }, { kind: "compressor" }, { kind: "drive" }, { kind: "room" }]);
  const began = performance.now();
  treat([samples.slice()], chain, RATE, 0);
  rows.push({ name: "treat.chain", value: SECONDS / ((performance.now() - began) / 1000), unit: "× real time, six processors", budget: "–" });
  return rows;
}
