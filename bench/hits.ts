// The rows about hits: tightening, the tempo of hits, settling, the room.
import { tempoOfHits } from "@wet-thread/core/analysis/tempo";
import { hitsOfChannels, OnsetFinder } from "@wet-thread/core/analysis/transients";
import { applyEdit } from "@wet-thread/core/edit/registry";
import { tightened } from "@wet-thread/core/edit/remaking/tightening";
import { SURE } from "@wet-thread/core/model/clip/hits";
import { type Document, documentFrom, NEW_PIECE, timebaseOf } from "@wet-thread/core/model/document";
import { MemoryReader } from "@wet-thread/core/render/reader";
import { settlePlace } from "@wet-thread/core/seam/settle";
import { noise, plainClip, plainTrack, RATE } from "@wet-thread/core/testing/arbitraries";
import { accuracy, generatedHits, MATERIALS } from "@wet-thread/core/testing/generated-hits";
import { p95, type Row, timed } from "./rows";

const HITS = 2000;
/** A hit each eighth at 120, early and late by up to 20 ms. */
const hitsOf = (count: number): number[] => Array.from({ length: count }, (_, i) => Math.max(0, (i + 1) * (RATE / 4) + ((i * 7919) % 1920) - 960));

function loom(): Document {
  const length = (HITS + 4) * (RATE / 4);
  return documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: ["t0"] },
      tracks: [plainTrack("t0")],
      clips: [plainClip({ id: "c0", sourceId: "loom", start: 0, offset: 0, length })],
      markers: [],
      sections: [],
    },
    new Map([["loom", { id: "loom", name: "Loom", length, channels: 1, hits: hitsOf(HITS) }]]),
  );
}

/** Milliseconds of runs, the first of which only warm up. */
function times(count: number, run: (i: number) => void): number[] {
  return Array.from({ length: count + 4 }, (_, i) => timed(() => run(i))).slice(4);
}

function settled(): Row {
  const LENGTH = 4 * RATE;
  const doc = documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: ["t0"] },
      tracks: [plainTrack("t0")],
      clips: [
        plainClip({ id: "a", sourceId: "tape", start: 0, offset: RATE / 2, length: RATE }),
        plainClip({ id: "b", sourceId: "tape", start: RATE, offset: 2 * RATE, length: RATE }),
      ],
      markers: [],
      sections: [],
    },
    new Map([["tape", { id: "tape", name: "Tape", length: LENGTH, channels: 1, hits: [] }]]),
  );
  const reader = new MemoryReader(new Map([["tape", [noise(LENGTH, 3)]]]));
  const [left, right] = ["a", "b"].map((id) => doc.clips.get(id));
  if (!left || !right) throw new Error("no clips");
  const how = { reach: RATE / 50, length: 480, shifts: false };
  const each = p95(times(60, () => void settlePlace(doc, { left, right, splice: RATE }, how, reader)));
  return { name: "settle", value: each, unit: "ms p95 a seam, ± 20 ms, without shifts", budget: "< 10 (1,000 in 10 s)" };
}

/** A detector by energy alone, to compare: 10 ms that are 6 dB louder than the 40 ms before them, and above −60 dB. */
function byEnergy(samples: Float32Array): number[] {
  const step = RATE / 200;
  const levels = Array.from({ length: Math.floor(samples.length / step) }, (_, k) => {
    let sum = 1e-6;
    for (let i = k * step; i < (k + 1) * step; i++) sum += (samples[i] * samples[i]) / step;
    return sum;
  });
  const hits: number[] = [];
  for (let k = 8; k < levels.length; k++)
    if (levels[k] > 4 * Math.max(...levels.slice(k - 8, k)) && k * step - (hits.at(-1) ?? -RATE) >= 0.04 * RATE) hits.push(k * step);
  return hits;
}

/** How right the detector is on each generated material, beside energy alone; and how fast. */
function accuracyRows(): Row[] {
  // The code is compiled once.
  const warm = new OnsetFinder(RATE);
  warm.push(generatedHits("drums", 60, 3).samples);
  warm.finish();
  return MATERIALS.flatMap((material): Row[] => {
    const { samples, hits } = generatedHits(material, 1000 / MATERIALS.length, 11);
    let found: number[] = [];
    const ms = timed(() => {
      const finder = new OnsetFinder(RATE);
      finder.push(samples);
      found = hitsOfChannels([finder.finish()], RATE)
        .filter((h) => h.strength >= SURE)
        .map((h) => h.at);
    });
    const words = (list: readonly number[]): string => {
      const { recall, precision, errors } = accuracy(hits, list, RATE);
      const off = errors.map((e) => Math.abs(e.off) / (RATE / 1000)).sort((a, b) => a - b);
      const at = (part: number): string => (off[Math.floor(part * (off.length - 1))] ?? 0).toFixed(2);
      return `recall ${recall.toFixed(3)}, precision ${precision.toFixed(3)}, off by ${at(0.5)} ms (median), ${at(0.95)} ms (95 %)`;
    };
    return [
      {
        name: `hits.${material}`,
        value: samples.length / (RATE / 1000) / ms,
        unit: `x real time; ${words(found)}; by energy: ${words(byEnergy(samples))}`,
        budget: "recall, precision >= 0.97; >= 400 x",
      },
    ];
  });
}

export function hitRows(): Row[] {
  const doc = loom();
  const base = timebaseOf(doc);
  const how = { step: { kind: "note", division: 16, feel: "straight" } as const, swing: 0.1, strength: 0.8, reach: RATE, leave: 0 };
  const hits = hitsOf(HITS);
  const long = hitsOf(20_000);
  const edit = {
    type: "tighten",
    clipIds: ["c0"],
    grid: how.step,
    strength: 0.8,
    lead: 192,
    edgeFade: { length: 192, shape: "power" as const, bend: 0 },
  };
  const passages = [{ sourceId: "loom", from: RATE, to: 4 * RATE }];
  const room = { type: "fill-room", trackId: "t0", start: 1000 * RATE, end: 1600 * RATE, passages };
  return [
    { name: "tighten.preview", value: p95(times(30, () => void tightened(hits, base, how))), unit: `ms p95, ${HITS} hits`, budget: "< 30" },
    {
      name: "tighten.edit",
      value: p95(times(20, (i) => void applyEdit(doc, { ...edit, key: `tighten${i}` }))),
      unit: `ms p95, ${HITS} hits cut and moved`,
      budget: "< 100",
    },
    { name: "tempo.hits", value: p95(times(6, () => void tempoOfHits(long, RATE))), unit: "ms p95, 20,000 hits", budget: "–" },
    settled(),
    ...accuracyRows(),
    {
      name: "room.weave",
      value: p95(times(10, (i) => void applyEdit(doc, { ...room, key: `room${i}` }))),
      unit: "ms p95, a gap of ten minutes",
      budget: "–",
    },
  ];
}
