import { beforeAll, describe, expect, it } from "vitest";
import { addSource, api, exportWav, newProject, noise, readWav, wavFile } from "../client";

const RATE = 48_000;
/** Three words of noise in a quiet room, the last with a tick before it; [from, to) of each. */
const WORDS = [
  [48_000, 72_000],
  [96_000, 120_000],
  [192_000, 240_000],
] as const;
const TICK = 150_016;
const LENGTH = 288_000;
function speech(): Float32Array {
  const x = noise(LENGTH, 3).map((v) => v * 0.002);
  const loud = noise(LENGTH, 4);
  for (const [from, to] of WORDS) for (let i = from; i < to; i++) x[i] = loud[i];
  for (let i = TICK; i < TICK + 64; i++) x[i] = 0.4;
  return x;
}

describe("sound in clips", () => {
  let projectId: string;
  let versionId: string;
  let sourceId: string;
  const sound = (more: object, clipIds = ["c"]) => api("POST", `/api/versions/${versionId}/sound`, { clipIds, ...more });
  const rule = { threshold: -40, shortestSilence: 9600, shortestSound: 480 };
  beforeAll(async () => {
    ({ projectId, versionId } = await newProject(RATE));
    const x = speech();
    ({ id: sourceId } = await addSource(projectId, wavFile([x, x.map((v) => v * 0.1)], "i24")));
    const edits = [
      { type: "add-track", id: "t", name: "Guide" },
      { type: "add-clip", id: "c", trackId: "t", sourceId, start: 10_000, offset: 24_000, length: 250_000 },
    ];
    expect((await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits })).status).toBe(200);
  });

  it("is found where it is on the timeline, ticks left out, pads and the clip's edges kept to", async () => {
    const by = 10_000 - 24_000;
    const { body } = await sound({ ...rule, padBefore: 1000, padAfter: 2000 });
    const keep: [number, number][] = body.clips[0].keep;
    expect(keep.length).toBe(3);
    // Borders lie on blocks of 64 samples of the recording.
    for (const [i, [from, to]] of keep.entries()) {
      expect(Math.abs(from - (WORDS[i][0] + by - 1000))).toBeLessThanOrEqual(64);
      expect(Math.abs(to - (WORDS[i][1] + by + 2000))).toBeLessThanOrEqual(64);
    }
    const silent = 250_000 - keep.reduce((sum, [from, to]) => sum + to - from, 0);
    expect(body.clips[0].silent).toBe(silent);
    expect((await sound({ ...rule, shortestSound: 0 })).body.clips[0].keep.length).toBe(4);
    expect((await sound({ ...rule, shortestSilence: 30_000 })).body.clips[0].keep.length).toBe(2);
    expect((await sound({ ...rule, padBefore: 100_000_000 })).body.clips[0].keep[0][0]).toBe(10_000);
  });

  it("is measured as it is heard: a quieter clip has less of it", async () => {
    const { body } = await api("GET", `/api/versions/${versionId}`);
    await api("POST", `/api/versions/${versionId}/edits`, { revision: body.revision, edits: [{ type: "set-gain", clipIds: ["c"], by: -40 }] });
    expect((await sound(rule)).body.clips[0].keep).toEqual([]);
    await api("POST", `/api/versions/${versionId}/undo`, {});
    expect((await sound(rule)).body.clips[0].keep.length).toBe(3);
  });

  it("has a threshold suggested for it, between the room and the voice", async () => {
    const { body } = await sound({ shortestSilence: 9600, shortestSound: 480 });
    expect(body.threshold).toBeGreaterThan(-62);
    expect(body.threshold).toBeLessThan(-12);
    expect(body.clips[0].keep.length).toBe(3);
  });

  it("stays when silence is cleared, sample for sample, and all comes back with undo", async () => {
    const whole = (await readWav(await exportWav(versionId)))[0];
    const { clips, revision } = (await sound(rule)).body;
    const edits = [{ type: "clear-silence", clipIds: ["c"], keep: { c: clips[0].keep } }];
    const done = await api("POST", `/api/versions/${versionId}/edits`, { revision, edits });
    expect([done.status, done.body.name]).toEqual([200, "Clear silence of x"]);
    const cleared = (await readWav(await exportWav(versionId)))[0];
    const inside = (s: number): boolean => clips[0].keep.some(([from, to]: [number, number]) => s >= from && s < to);
    expect(cleared.findIndex((v, s) => v !== (inside(s) ? whole[s] : 0))).toBe(-1);
    await api("POST", `/api/versions/${versionId}/undo`, {});
    expect((await readWav(await exportWav(versionId)))[0]).toEqual(whole);
  });

  it("is not looked for in clips that are not there, or by a rule that is none", async () => {
    expect((await sound({}, ["gone"])).status).toBe(404);
    expect((await sound({}, [])).status).toBe(400);
    expect((await sound({ threshold: 3 })).body).toMatchObject({ error: "malformed", path: "threshold" });
    expect((await sound({ padAfter: -1 })).status).toBe(400);
  });
});
