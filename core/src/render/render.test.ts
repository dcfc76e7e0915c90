import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyEdit } from "../edit/registry";
import type { Document } from "../model/document";
import { ofPlayedId } from "../model/recipe/played-recording";
import { type Clip, clipEnd, FADE_SHAPES } from "../model/schema";
import { documentOf, documents, noise, PCM, plainClip, sameSamples } from "../testing/arbitraries";
import { MemoryReader } from "./reader";
import { Renderer, spansNeeded } from "./renderer";

const reader = new MemoryReader(PCM);

function render(doc: Document, count = 16_000, block = count): Float32Array[] {
  const out = [new Float32Array(count), new Float32Array(count)];
  const renderer = new Renderer(doc, reader);
  for (let at = 0; at < count; at += block) renderer.render(at, Math.min(block, count - at), out[0], out[1], at);
  return out;
}

/** The formulas of the contract written down again, sample by sample and in doubles, to hold the engine against. */
const WARP = (u: number, b: number) => (b === 0 ? u : (Math.exp(6 * b * u) - 1) / (Math.exp(6 * b) - 1));
const SHAPES = {
  straight: (u: number) => u,
  power: (u: number) => Math.sin((Math.PI * u) / 2),
  s: (u: number) => (1 - Math.cos(Math.PI * u)) / 2,
  slow: (u: number) => (Math.exp(5 * u) - 1) / (Math.exp(5) - 1),
  fast: (u: number) => (Math.exp(-5 * u) - 1) / (Math.exp(-5) - 1),
};
function independent(doc: Document, t: number): [number, number] {
  const out: [number, number] = [0, 0];
  for (const id of doc.piece.trackOrder) {
    const here = (doc.lanes.get(id)?.clips ?? []).filter((c) => !c.mute && c.start <= t && t < clipEnd(c));
    const top = here.sort((a, b) => b.layer - a.layer || b.start - a.start || (b.id > a.id ? 1 : -1))[0];
    if (!top) continue;
    const gain = (c: Clip): number => {
      let g = 10 ** (c.gain / 20);
      const i = t - c.start;
      const j = clipEnd(c) - 1 - t;
      if (i < c.fadeIn.length) g *= SHAPES[c.fadeIn.shape](WARP((i + 0.5) / c.fadeIn.length, c.fadeIn.bend));
      if (j < c.fadeOut.length) g *= SHAPES[c.fadeOut.shape](WARP((j + 0.5) / c.fadeOut.length, c.fadeOut.bend));
      return g;
    };
    const pcm = PCM.get(top.sourceId) as readonly Float32Array[];
    const at = top.offset + t - top.start;
    out[0] += pcm[0][at] * gain(top) * Math.min(1, 1 - top.pan);
    out[1] += (pcm[1] ?? pcm[0])[at] * gain(top) * Math.min(1, 1 + top.pan);
  }
  return out;
}

describe("the renderer", () => {
  it("nulls against an independent computation below −120 dB", () => {
    fc.assert(
      fc.property(documents, (doc) => {
        const [left, right] = render(doc);
        let most = 0;
        for (let t = 0; t < 16_000; t += 7) {
          const [l, r] = independent(doc, t);
          most = Math.max(most, Math.abs(left[t] - l), Math.abs(right[t] - r));
        }
        expect(most).toBeLessThan(1e-6);
      }),
      { numRuns: 60 },
    );
  });
  it("does not depend on the block size", () => {
    fc.assert(
      fc.property(documents, fc.integer({ min: 1, max: 5000 }), (doc, block) => {
        const [whole, parts] = [render(doc), render(doc, 16_000, block)];
        expect(sameSamples(parts[0], whole[0]) && sameSamples(parts[1], whole[1])).toBe(true);
      }),
      { numRuns: 40 },
    );
  });
  it("gives untouched audio back to the last bit", () => {
    const out = render(documentOf(1, [plainClip({ id: "c0", sourceId: "stereo", start: 100, length: 9000 })]), 9200);
    expect(out.map((c) => c.subarray(100, 9100))).toEqual(PCM.get("stereo"));
    expect(out[0].subarray(0, 100).every((v) => v === 0)).toBe(true);
  });
  it("hears solo alone, mute not at all, and keeps what a muted clip lies on", () => {
    const doc = documentOf(2, [
      plainClip({ id: "c0" }),
      plainClip({ id: "c1", layer: 1, mute: true, offset: 2000 }),
      plainClip({ id: "c2", trackId: "t1", offset: 3000 }),
    ]);
    const solo = applyEdit(doc, { type: "set-track", trackIds: ["t0"], solo: true }).doc;
    expect(render(solo, 1000)[0]).toEqual((PCM.get("mono") as Float32Array[])[0].slice(0, 1000));
    const muted = applyEdit(doc, { type: "set-track", trackIds: ["t0", "t1"], mute: true }).doc;
    expect(render(muted, 1000)[0].every((v) => v === 0)).toBe(true);
  });
  it("asks beforehand for every sample that it reads", () => {
    fc.assert(
      fc.property(documents, fc.integer({ min: 0, max: 12_000 }), fc.integer({ min: 1, max: 4000 }), (doc, from, count) => {
        const spans = spansNeeded(doc, from, from + count);
        const strict = {
          read(sourceId: string, channel: number, at: number, out: Float32Array, o: number, n: number) {
            expect(spans.some((s) => s.sourceId === sourceId && s.from <= at && at + n <= s.to)).toBe(true);
            return reader.read(sourceId, channel, at, out, o, n);
          },
        };
        new Renderer(doc, strict).render(from, count, new Float32Array(count), new Float32Array(count));
      }),
    );
  });
  it("glides live gain changes over 5 ms, without a step", () => {
    const flat = new MemoryReader(new Map([["mono", [new Float32Array(6000).fill(0.5)]]]));
    const doc = documentOf(1, [plainClip({ id: "c0", length: 6000 })]);
    const renderer = new Renderer(doc, flat, { live: true });
    const out = new Float32Array(4000);
    renderer.render(0, 2000, out, new Float32Array(4000));
    renderer.setDocument(applyEdit(doc, { type: "set-track", trackIds: ["t0"], mute: true }).doc);
    renderer.render(2000, 2000, out, new Float32Array(4000), 2000);
    let most = 0;
    for (let i = 1; i < 4000; i++) most = Math.max(most, Math.abs(out[i] - out[i - 1]));
    expect(most).toBeLessThan(0.003);
    expect(out[2000 + 241]).toBe(0);
  });
});

describe("blends", () => {
  const pair = documentOf(1, [plainClip({ id: "c0", length: 3000 }), plainClip({ id: "c1", start: 3000, offset: 3000, length: 2900 })]);
  const shapes = fc.constantFrom(...FADE_SHAPES);
  const bends = fc.constantFrom(-1, -0.5, 0, 0.5, 1);
  it("of like material at equal gain play on as if nothing had been cut", () => {
    fc.assert(
      fc.property(
        shapes,
        bends,
        fc.constantFrom("gain", "auto"),
        fc.integer({ min: 1, max: 1000 }),
        fc.constantFrom("centred", "before", "after"),
        (shape, bend, law, length, place) => {
          const out = render(applyEdit(pair, { type: "set-blend", clipId: "c1", length, place, law, shape, bend }).doc, 5900)[0];
          const mono = (PCM.get("mono") as Float32Array[])[0];
          expect(out.reduce((most, v, i) => Math.max(most, Math.abs(v - mono[i])), 0)).toBeLessThan(1e-6);
        },
      ),
      { numRuns: 60 },
    );
  });
  it("of unlike material hold their power", () => {
    const other = noise(6000, 99);
    const unlike = new MemoryReader(new Map([...PCM, ["stereo", [other, other]]]));
    const doc = documentOf(1, [
      plainClip({ id: "c0", length: 3000 }),
      plainClip({ id: "c1", sourceId: "stereo", start: 3000, offset: 3000, length: 2900 }),
    ]);
    for (const law of ["auto", "power"]) {
      const out = [new Float32Array(5900), new Float32Array(5900)];
      new Renderer(applyEdit(doc, { type: "set-blend", clipId: "c1", length: 4000, law }).doc, unlike).render(0, 5900, out[0], out[1]);
      const power = (a: number, b: number) => out[0].subarray(a, b).reduce((s, v) => s + v * v, 0) / (b - a);
      expect(Math.abs(10 * Math.log10(power(2000, 4000) / power(0, 1000)))).toBeLessThan(0.6);
    }
  });

  it("says which recording could not be read, and nothing where all could", () => {
    fc.assert(
      fc.property(documents, (doc) => {
        const [left, right] = [new Float32Array(2000), new Float32Array(2000)];
        const silent = new Renderer(doc, { read: () => false });
        silent.render(0, 2000, left, right);
        if (silent.missing !== null) expect(doc.sources.has(ofPlayedId(silent.missing).sourceId)).toBe(true);
        const read: string[] = [];
        const whole = new Renderer(doc, { read: (id) => read.push(id) > 0 });
        whole.render(0, 2000, left, right);
        expect(whole.missing).toBeNull();
        // Whoever asks for samples and gets none says so.
        expect(silent.missing !== null).toBe(read.length > 0);
      }),
    );
  });
});
