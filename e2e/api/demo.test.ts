import fs from "node:fs";
import { beforeAll, describe, expect, it } from "vitest";
import { createDemo } from "../../demo/create";
import { makeTruth, TRUTH_FILE } from "../../demo/truth";
import { api, BASE } from "../client";

describe("the demo", () => {
  const truth = JSON.parse(fs.readFileSync(TRUTH_FILE, "utf8")) as Awaited<ReturnType<typeof makeTruth>>;
  let ids: { projectId: string; versionId: string };
  beforeAll(async () => {
    ids = await createDemo(BASE, "Truth");
  });

  it("is as its truth says, on every machine", async () => {
    expect(JSON.parse(JSON.stringify(await makeTruth()))).toEqual(truth);
  });
  it("has each loom hit found to the sample, and no other", async () => {
    const { body } = await api("GET", `/api/projects/${ids.projectId}`);
    for (const name of ["Shuttle", "Treadle bed", "Mill-yard clock"]) {
      const found = body.sources.find((s: { name: string }) => s.name === name).transients;
      expect(found, name).toEqual((truth.recordings[name].hits as number[][]).map(([sample]) => sample));
    }
  });
  it("has just the raw seams that were left in it", async () => {
    const { body } = await api("GET", `/api/versions/${ids.versionId}/seams`);
    const raw = body.seams
      .filter((s: { class: string }) => s.class === "raw")
      .map((s: { trackId: string; position: number }) => `${s.trackId} ${s.position}`);
    // Musical lengths are rounded to samples once each way: a sample of play.
    expect(raw.length).toBe(truth.rawSeams.length);
    for (const { track, position } of truth.rawSeams)
      expect(
        raw.some((r: string) => [-1, 0, 1].some((d) => r === `${track} ${position + d}`)),
        `${track} ${position}: ${raw}`,
      ).toBe(true);
  });
  it("clicks at every raw seam, and nowhere else", async () => {
    const { body } = await api("GET", `/api/versions/${ids.versionId}/seams`);
    for (const seam of body.seams) {
      if (seam.class === "raw") expect(seam.click, `${seam.trackId} ${seam.position}`).not.toBeNull();
      else expect(seam.click, `${seam.trackId} ${seam.position}`).toBeNull();
    }
  });
  it("was made by named steps that can all be undone", async () => {
    const before = (await api("GET", `/api/versions/${ids.versionId}`)).body;
    await api("POST", `/api/versions/${ids.versionId}/undo`, { to: 0 });
    const blank = (await api("GET", `/api/versions/${ids.versionId}`)).body;
    expect([blank.tracks, blank.clips, blank.sections]).toEqual([[], [], []]);
    await api("POST", `/api/versions/${ids.versionId}/redo`, { to: before.revision });
    const again = (await api("GET", `/api/versions/${ids.versionId}`)).body;
    expect({ ...again, revision: 0 }).toEqual({ ...before, revision: 0 });
  });
});
