import { beforeAll, describe, expect, it } from "vitest";
import { isMade, type Making, makingOf, playedId } from "../model/recipe/played-recording";
import type { EnvelopePoint } from "../model/schema";
import { pitchRatio } from "./bend";
import { makeWhole } from "./make-recording";
import { loadStretcher } from "./stretcher";

const RATE = 48_000;
beforeAll(loadStretcher);

const tone = (hz: number, seconds: number): Float32Array =>
  Float32Array.from({ length: Math.round(seconds * RATE) }, (_, i) => 0.5 * Math.sin((2 * Math.PI * hz * i) / RATE));
const make = async (x: Float32Array, making: Making, hits: readonly number[] = []): Promise<Float32Array> =>
  (await makeWhole({ length: x.length, channels: 1, sampleRate: RATE, hits }, making, [x]))[0];

/**
 * How far the pitch of `y` is from `hz(at)` at most, in cents, and its level from half scale, in dB, in windows of 100 ms of [from, to): the
 * sound is turned back by the phase that it should have, and what is left must stand still.
 */
function strays(y: Float32Array, hz: (at: number) => number, from: number, to: number): { cents: number; db: number } {
  const n = 2400;
  let phase = 0;
  const re = new Float64Array(y.length);
  const im = new Float64Array(y.length);
  for (let i = 0; i < y.length; i++) {
    re[i] = y[i] * Math.cos(phase);
    im[i] = -y[i] * Math.sin(phase);
    phase += (2 * Math.PI * hz(i)) / RATE;
  }
  const vector = (at: number): [number, number] => {
    let [a, b] = [0, 0];
    for (let i = 0; i < n; i++) {
      const w = 1 - Math.cos((2 * Math.PI * i) / n);
      a += w * re[at + i];
      b += w * im[at + i];
    }
    return [a / n, b / n];
  };
  let [cents, db] = [0, 0];
  for (let at = from; at + 2 * n <= to; at += n) {
    const [p, q] = [vector(at), vector(at + n)];
    const turn = Math.atan2(q[1] * p[0] - q[0] * p[1], q[0] * p[0] + q[1] * p[1]);
    const off = ((turn / (2 * Math.PI)) * RATE) / n;
    cents = Math.max(cents, Math.abs(1200 * Math.log2(1 + off / hz(at + n))));
    db = Math.max(db, Math.abs(20 * Math.log10((2 * Math.hypot(...p)) / 0.5)));
  }
  return { cents, db };
}

const at = (seconds: number, value: number, hold?: true): EnvelopePoint => ({ at: Math.round(seconds * RATE), value, ...(hold && { hold }) });

describe("an envelope of pitch", () => {
  const glide = [at(0.5, 0), at(1.5, 700), at(2.5, -500), at(3, -500)];

  it.each([
    ["smooth", 110, 0, 1, 1],
    ["smooth", 3000, 300, 1, 1],
    ["hits", 440, 0, 3, 2],
    ["smooth", 440, -200, 2, 3],
    ["tape", 440, 0, 5, 4],
  ] as const)(
    "bends a tone along its line, %s, %i Hz, shifted by %i cents, %i samples made %i",
    { timeout: 60_000 },
    async (kind, hz, pitch, from, to) => {
      const y = await make(tone(hz, 4), { stretch: { kind, from, to }, pitchLine: glide, ...(pitch && { pitch }) });
      expect(y.length).toBe((4 * RATE * to) / from);
      const speed = kind === "tape" ? from / to : 1;
      const found = strays(y, (i) => hz * speed * pitchRatio(glide, pitch, (i * from) / to), 12_000, y.length - 6000);
      expect(found.cents).toBeLessThan(3);
      expect(found.db).toBeLessThan(0.5);
    },
  );

  it("holds a pitch until the next point, and goes no further than two octaves", async () => {
    const steps = [at(0, 0, true), at(1, 1200, true), at(2, -700)];
    const y = await make(tone(440, 3), { pitchLine: steps, pitch: 2000 });
    for (const [from, to, cents] of [
      [0.2, 0.9, 2000],
      [1.2, 1.9, 2400],
      [2.2, 2.9, 1300],
    ]) {
      const found = strays(y.subarray(from * RATE, to * RATE), () => 440 * 2 ** (cents / 1200), 0, Math.round((to - from) * RATE));
      expect(found.cents).toBeLessThan(3);
    }
  });

  it("leaves hits where they are, their attacks bent with the rest", async () => {
    const hits = [20_000, 52_345, 101_000];
    const x = new Float32Array(3 * RATE);
    for (const hit of hits) for (let i = 0; i < 4800; i++) x[hit + i] = 0.7 * Math.exp(-i / 900) * Math.sin(i / 5);
    const y = await make(x, { stretch: { kind: "hits", from: 1, to: 1 }, pitchLine: [at(0, -600), at(2.5, 900)] }, hits);
    for (const hit of hits) {
      const first = y.findIndex((v, i) => i > hit - 2000 && Math.abs(v) > 0.1);
      expect(Math.abs(first - hit)).toBeLessThan(RATE / 1000);
    }
  });

  it("goes on through the borders of pieces", { timeout: 60_000 }, async () => {
    // A pause every five seconds, so that borders lie in some of them; the tone around each is whole.
    const x = tone(330, 32).map((v, i) => v * (i % (5 * RATE) < 0.2 * RATE ? 0 : 1));
    const line = [at(0, -200), at(32, 400)];
    const y = await make(x, { pitchLine: line });
    const hz = (i: number): number => 330 * pitchRatio(line, 0, i);
    for (let k = 0; k < 6; k++) {
      const from = Math.round((5 * k + 0.5) * RATE);
      const part = y.subarray(from, from + 4 * RATE);
      const found = strays(part, (i) => hz(from + i), 0, part.length);
      expect(found.cents).toBeLessThan(3);
      expect(found.db).toBeLessThan(0.5);
    }
  });

  it("along zero makes nothing, and is no other recording", () => {
    const flat = { pitchLine: [at(0, 0), at(1, 0)] };
    expect(makingOf(flat)).toBeUndefined();
    expect(playedId({ sourceId: "bell", recipe: flat })).toBe("bell");
    expect(playedId({ sourceId: "bell", recipe: { ...flat, reverse: true } })).toBe(playedId({ sourceId: "bell", recipe: { reverse: true } }));
    expect(isMade(playedId({ sourceId: "bell", recipe: { pitchLine: glide } }))).toBe(true);
  });
});
