import { makeWhole } from "@wet-thread/core/dsp/make-recording";
import { loadStretcher } from "@wet-thread/core/dsp/stretcher";
import { treat } from "@wet-thread/core/dsp/treat/treat";
import { makingOf, playedId, runsBackwards } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { sameSamples } from "@wet-thread/core/testing/arbitraries";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { noise, until, wavFile } from "../client";
import { OwnServer } from "../own-server";

const RATE = 48_000;
const CHUNK = 65_536;
const LENGTH = 20 * RATE;

let own: OwnServer;
beforeAll(async () => {
  await loadStretcher();
  own = await OwnServer.start(".test/killed-made");
}, 60_000);
afterAll(() => own?.stop());

/** Strikes over a hum. */
function struck(): Float32Array {
  const out = noise(LENGTH, 5).map((v, i) => v * 0.001 + 0.05 * Math.sin(i * 0.021));
  for (let at = 9600; at < LENGTH; at += 20_011)
    for (let i = 0; i < 18_000 && at + i < LENGTH; i++) out[at + i] += 0.5 * Math.exp(-i / 3000) * Math.cos(i * (0.08 + (at % 5) * 0.02));
  return out;
}

/** What is laid on the clip, each on what was there. */
const EDITS: readonly object[] = [
  { type: "stretch", length: 15 * RATE, kind: "hits" },
  { type: "set-envelope", kind: "pitch", from: "clip", points: [0, 1, 2, 3].map((k) => ({ at: k * 4 * RATE, value: 200 * (k % 2) })) },
  {
    type: "treat",
    chain: [
      { kind: "drive", db: 9 },
      { kind: "lowCut", hz: 120 },
    ],
    overlap: "layer",
  },
];

describe("what recipes make", () => {
  it("is made to the sample though web server, worker and database are killed while it is", { timeout: 240_000 }, async () => {
    const project = await own.must("POST", "/api/projects", { name: "Killed", sampleRate: RATE });
    const versionId = project.versions[0].id;
    const samples = struck();
    const { id: sourceId } = await own.must("POST", `/api/projects/${project.id}/sources?name=loom.wav`, wavFile([samples], "f32"));
    const source = await until(
      () => own.must("GET", `/api/sources/${sourceId}`),
      (s) => s.status === "ready",
    );
    const material = { length: LENGTH, channels: 1, sampleRate: RATE, hits: source.transients as number[] };
    let { revision } = await own.must("POST", `/api/versions/${versionId}/edits`, {
      revision: 0,
      edits: [
        { type: "add-track", id: "t" },
        { type: "add-clip", id: "c", trackId: "t", sourceId, start: 0, offset: 4 * RATE, length: 12 * RATE },
      ],
    });
    const laid: Clip[] = [];
    for (const [round, edit] of EDITS.entries()) {
      ({ revision } = await own.must("POST", `/api/versions/${versionId}/edits`, { revision, edits: [{ ...edit, clipIds: ["c"] }] }));
      laid.push((await own.must("GET", `/api/versions/${versionId}`)).clips[0]);
      // As soon as the making has begun, or is over.
      const [clip] = laid.slice(-1);
      await until(
        async () => (await fetch(`${own.url}/api/sources/${playedId(clip)}/pcm?chunk=${Math.floor(clip.offset / CHUNK)}`)).status,
        (status) => status === 202 || status === 200,
      );
      const what = (["worker", "database", "web"] as const)[round % 3];
      if (what === "worker") own.killWorker();
      else if (what === "database") {
        own.killDatabase();
        await own.startDatabase();
      } else {
        await own.killWeb();
        await own.startWeb();
      }
    }
    for (const clip of laid) {
      const making = makingOf(clip.recipe);
      if (!making) throw new Error("Nothing is made.");
      const { treat: treatment, ...time } = making;
      let [made] = await makeWhole(material, time, [samples]);
      if (treatment) treat([made], treatment.chain, RATE, 0);
      if (runsBackwards(clip.recipe)) made = made.slice().reverse();
      for (let chunk = Math.floor(clip.offset / CHUNK); chunk * CHUNK < clip.offset + clip.length; chunk++) {
        const answer = await until(
          () => fetch(`${own.url}/api/sources/${playedId(clip)}/pcm?chunk=${chunk}`),
          (a) => a.status === 200,
        );
        const there = new Float32Array(await answer.arrayBuffer()).subarray(0, CHUNK);
        const [from, to] = [Math.max(chunk * CHUNK, clip.offset), Math.min((chunk + 1) * CHUNK, clip.offset + clip.length)];
        const part = there.subarray(from - chunk * CHUNK, to - chunk * CHUNK);
        expect(sameSamples(part, made.subarray(from, to)), `${JSON.stringify(clip.recipe).slice(0, 120)}, chunk ${chunk}`).toBe(true);
      }
    }
  });
});
