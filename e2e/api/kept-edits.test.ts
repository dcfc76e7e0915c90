import { edits } from "@wet-thread/core/testing/edits";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { noise, until, wavFile } from "../client";
import { OwnServer } from "../own-server";

let own: OwnServer;
beforeAll(async () => {
  own = await OwnServer.start(".test/kept-edits");
}, 60_000);
afterAll(() => own?.stop());

/** Edits between two looks at what is kept. */
const ROUND = 18;
const MOST_TRIED = 200;

describe("what an edit changes", () => {
  it("is kept as it is in memory: after random edits, undo and redo, a server that is started anew finds the same", {
    timeout: 120_000,
  }, async () => {
    const project = await own.must("POST", "/api/projects", { name: "Kept", sampleRate: 48_000 });
    const versionId = project.versions[0].id;
    const at = `/api/versions/${versionId}`;
    const source = async (name: string, ...channels: Float32Array[]): Promise<string> => {
      const { id } = await own.must("POST", `/api/projects/${project.id}/sources?name=${name}.wav`, wavFile(channels));
      await until(
        () => own.must("GET", `/api/sources/${id}`),
        (s) => s.status === "ready",
      );
      return id;
    };
    const [mono, stereo] = [await source("mono", noise(20_000, 1)), await source("stereo", noise(20_000, 2), noise(20_000, 3))];
    const clips = [0, 1, 2, 3].map((i) => {
      const place = { trackId: `t${i % 2}`, start: 1000 + 3000 * i, length: 2500, offset: 500 };
      return { type: "add-clip", id: `c${i}`, sourceId: i % 2 ? stereo : mono, ...place };
    });
    const tracks = [0, 1, 2].map((i) => ({ type: "add-track", id: `t${i}`, name: `Track ${i}` }));
    await own.must("POST", `${at}/edits`, { revision: 0, edits: [...tracks, ...clips] });
    const named = (e: object): object => JSON.parse(JSON.stringify(e).replaceAll('"mono"', `"${mono}"`).replaceAll('"stereo"', `"${stereo}"`));
    for (let round = 0; round < 3; round++) {
      // Many fit nothing that is there: it goes on until enough were done, whatever kinds of edits there are.
      let done = 0;
      for (const [i, one] of fc.sample(edits, { seed: 100 + round, numRuns: MOST_TRIED }).entries()) {
        if (done === ROUND) break;
        const { revision } = await own.must("GET", at);
        const way = i % 9 === 7 ? "undo" : i % 9 === 8 ? "redo" : "edits";
        const { status } = await own.call("POST", `${at}/${way}`, way === "edits" ? { revision, edits: [named(one)] } : { revision });
        expect([200, 422]).toContain(status);
        if (status === 200) done++;
      }
      const before = await own.must("GET", at);
      await own.killWeb();
      await own.startWeb();
      expect(await own.must("GET", at)).toEqual(before);
      expect(done).toBe(ROUND);
    }
  });
});
