import { describe, expect, it } from "vitest";
import { addSource, api, newProject, noise, wavFile } from "../client";

const RATE = 48_000;
/** Sound that lasts from one second to another, of noise without its highest part; the same for a seed. */
function said(seconds: number, from: number, to: number, seed: number): Float32Array {
  const x = noise((to - from) * RATE + 64, seed);
  const out = new Float32Array(seconds * RATE);
  for (let i = 0; i < (to - from) * RATE; i++) out[from * RATE + i] = x.subarray(i, i + 32).reduce((a, b) => a + b, 0) / 16;
  return out;
}
const later = (x: Float32Array, by: number): Float32Array => {
  const out = new Float32Array(x.length);
  out.set(x.subarray(0, x.length - by), by);
  return out;
};

/** A stack of two takes that begin at once; asks where the second would be lined up. */
async function linedUp(first: readonly Float32Array[], second: readonly Float32Array[]) {
  const { projectId, versionId } = await newProject(RATE);
  const [one, two] = [await addSource(projectId, wavFile(first), "One.wav"), await addSource(projectId, wavFile(second), "Two.wav")];
  const edits = [
    { type: "add-track", id: "voice" },
    { type: "add-clip", id: "two", trackId: "voice", sourceId: two.id, start: RATE },
    { type: "add-clip", id: "one", trackId: "voice", sourceId: one.id, start: RATE, overlap: "layer" },
    { type: "stack-takes", id: "stack", clipIds: ["one", "two"], laneIds: ["low", "high"] },
  ];
  expect((await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits })).status).toBe(200);
  const { status, body } = await api("POST", `/api/versions/${versionId}/line-up`, { bundleId: "stack", laneId: "low" });
  expect(status).toBe(200);
  return body as { by: number; likeness: number; sureness: number; sure: boolean };
}

describe("a take is lined up with another", () => {
  it("where both have sound, however late in them that is", async () => {
    const voice = said(27, 22, 26, 3);
    const { by, likeness, sure } = await linedUp([voice], [later(voice, 3210)]);
    expect([by, sure]).toEqual([-3210, true]);
    expect(likeness).toBeGreaterThan(0.9);
  });
  it("by all its channels, and turned over as well", async () => {
    const voice = said(6, 1, 5, 4);
    const none = new Float32Array(voice.length);
    const { by, likeness, sure } = await linedUp([none, voice], [none, later(voice, 480).map((v) => -v)]);
    expect([by, sure]).toEqual([-480, true]);
    expect(likeness).toBeLessThan(-0.9);
  });
  it("nowhere, where it is like it nowhere", async () => {
    const { by, sure, likeness } = await linedUp([said(6, 0, 6, 5)], [said(6, 0, 6, 6)]);
    expect([by, sure]).toEqual([0, false]);
    expect(Math.abs(likeness)).toBeLessThan(0.3);
  });
});
