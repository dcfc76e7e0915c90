import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { SHUTTLE_LATE } from "../../demo/sound";
import { api, exportWav, readWav } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

/** Hits of the shuttle that are put right, by number from bar 5 on. */
const HITS = [9, 10, 11];
const late = (hit: number): number => Math.round((SHUTTLE_LATE[hit % SHUTTLE_LATE.length] * 48_000) / 1000);
const lineOf = (hit: number): number => at(5 + Math.floor(hit / 4), (hit % 4) + 1);

test("scene 1, loom hits off the line: each on its line to the sample, no holes, no raw seams, everything else where it was", async ({ page }) => {
  const demo = await aDemo("Loom hits");
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    pull: "always",
    step: { kind: "beat", count: 1 },
    followsZoom: false,
    overlaps: "blend",
  });
  const before = await editor.version();
  const shuttle = before.clips.find((c) => c.trackId === "shuttle" && c.name === "Shuttle") as Clip;
  const [dry] = await readWav(await exportWav(demo.versionId, { tracks: ["shuttle"] }));

  await editor.chooseTrack("Shuttle");
  await editor.show(lineOf(HITS[0] - 1), lineOf(HITS[2] + 2));
  const pieces: string[] = [];
  for (const hit of HITS) {
    // To just before the hit, then to the hit itself by key: the cut falls on its first sample.
    await editor.chooseTrack("Shuttle");
    const ahead = await editor.rulerAt(lineOf(hit) - 4000);
    await page.keyboard.down("g");
    await page.mouse.click(ahead.x, ahead.y);
    await page.keyboard.up("g");
    await page.keyboard.press("h");
    await page.keyboard.press("/");
    await page.keyboard.press("h");
    await page.keyboard.press("/");
    await editor.saved();
    // It starts at its hit, or where the piece before has been moved over it, a blend before that.
    const heard = lineOf(hit) + late(hit);
    const piece = (await editor.version()).clips.find(
      (c) =>
        c.trackId === "shuttle" &&
        clipEnd(c) === lineOf(hit + 1) + late(hit + 1) &&
        (c.start === heard || (c.blend && c.start + c.fadeIn.length === heard)),
    );
    expect(piece, `hit ${hit} is cut out`).toBeDefined();
    const into = heard - (piece as Clip).start;
    pieces.push((piece as Clip).id);

    // By its name strip onto its grid line. The drag begins well inside, so that the clip goes by its start.
    const wish = lineOf(hit) - (piece as Clip).start - into;
    const grip = await editor.at((piece as Clip).start + 9000, "shuttle", 14);
    const per = await editor.samplesPerPixel();
    await page.keyboard.press("Escape");
    await editor.drag(grip, { x: grip.x + wish / per + (wish < 0 ? -5 : 5), y: grip.y });
    await editor.saved();
    // What is on the line is the hit: a blend over the clip before it lies in front of it.
    const laid = await editor.clip((piece as Clip).id);
    expect(laid.start - laid.offset, `hit ${hit} on its line`).toBe(lineOf(hit) - into - (piece as Clip).offset);
    expect(laid.start + laid.fadeIn.length).toBeLessThanOrEqual(lineOf(hit) + 192);
  }

  // Leave the grid for a moment and pull the edges out to their neighbours, a little over them: the overlap blends.
  const holes = async (): Promise<{ left: Clip; right: Clip }[]> => {
    const lane = (await editor.version()).clips
      .filter((c) => c.trackId === "shuttle" && c.start < clipEnd(shuttle))
      .sort((a, b) => a.start - b.start);
    const found: { left: Clip; right: Clip }[] = [];
    let [reaching] = lane;
    for (const right of lane.slice(1)) {
      if (right.start > clipEnd(reaching)) found.push({ left: reaching, right });
      if (clipEnd(right) > clipEnd(reaching)) reaching = right;
    }
    return found;
  };
  for (let hole = (await holes())[0]; hole; hole = (await holes())[0]) {
    const per = await editor.samplesPerPixel();
    const edge = await editor.at(clipEnd(hole.left), "shuttle", 60);
    await page.keyboard.down("g");
    await editor.drag({ x: edge.x - 1, y: edge.y }, { x: edge.x - 1 + (hole.right.start - clipEnd(hole.left)) / per + 2, y: edge.y });
    await page.keyboard.up("g");
    await editor.saved();
  }

  // Whatever seam is still raw: double-click on its mark.
  type Row = { class: string; position: number; trackId: string; click: number | null };
  const seams = async (): Promise<Row[]> => (await api<{ seams: Row[] }>("GET", `/api/versions/${demo.versionId}/seams`)).body.seams;
  const span = { from: lineOf(HITS[0]) - 3000, to: lineOf(HITS[2] + 1) + 3000 };
  const rawHere = async (): Promise<Row[]> =>
    (await seams()).filter((s) => s.trackId === "shuttle" && s.class === "raw" && s.position > span.from && s.position < span.to);
  for (let raw = await rawHere(); raw.length > 0; raw = await rawHere()) {
    const mark = await editor.at(raw[0].position, "shuttle", 95);
    await page.mouse.dblclick(mark.x, mark.y);
    await editor.saved();
    expect((await rawHere()).length).toBeLessThan(raw.length);
  }

  // What counts at the end.
  const after = await editor.version();
  for (const [i, hit] of HITS.entries()) {
    const piece = after.clips.find((c) => c.id === pieces[i]) as Clip;
    // The hit's own sample, wherever the piece's edge was pulled since.
    const attack = shuttle.offset + (lineOf(hit) + late(hit) - shuttle.start);
    expect(piece.start + attack - piece.offset, `hit ${hit}`).toBe(lineOf(hit));
  }
  expect(await holes()).toEqual([]);
  expect(await rawHere()).toEqual([]);
  for (const clip of before.clips) if (clip.trackId !== "shuttle") expect(after.clips.find((c) => c.id === clip.id)).toEqual(clip);

  // By ear: each attack sounds on its line just as it did where it was, and far from the cuts nothing changed by one sample.
  const [wet] = await readWav(await exportWav(demo.versionId, { tracks: ["shuttle"] }));
  for (const hit of HITS) {
    const [was, is] = [lineOf(hit) + late(hit), lineOf(hit)];
    let most = 0;
    // From past the blend at the piece's start on.
    for (let i = 2000; i < 12_000; i++) most = Math.max(most, Math.abs(wet[is + i] - dry[was + i]));
    expect(most, `sound of hit ${hit}`).toBe(0);
  }
  const [head, tail] = [lineOf(HITS[0]) - 6000, lineOf(HITS[2] + 1) + 6000];
  expect(Buffer.compare(Buffer.from(wet.buffer, 0, head * 4), Buffer.from(dry.buffer, 0, head * 4))).toBe(0);
  expect(Buffer.compare(Buffer.from(wet.buffer, tail * 4), Buffer.from(dry.buffer, tail * 4))).toBe(0);

  // And play it.
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
});
