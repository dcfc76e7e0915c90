import fs from "node:fs";
import path from "node:path";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { api } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

const RATE = 48_000;
const truth = JSON.parse(fs.readFileSync(path.join(import.meta.dirname, "../../demo/truth.json"), "utf8"));
const TAKE = truth.recordings["Guide, take 1"] as { rate: number; pauses: [number, number][] };
/** Pauses between sentences, on the timeline, without the silence at the ends. */
const PAUSES = TAKE.pauses
  .slice(1, -1)
  .map(([from, to]) => ({ from: at(2) + Math.round((from * RATE) / TAKE.rate), to: at(2) + Math.round((to * RATE) / TAKE.rate) }));
const KEPT = Math.round(0.1 * RATE);

test("scene 5, the guide's story: pauses out, sentences in another order, short blends, joined and printed; the old clips come back", async ({
  page,
}) => {
  const demo = await aDemo("Guide's story");
  const editor = await EditorPage.open(page, demo, { neighbours: "ripple", overlaps: "blend", snapOn: false });
  const before = await editor.version();
  const take = (await editor.lane("guide"))[0];
  const long = PAUSES.filter((p) => p.to - p.from > 3 * KEPT).slice(0, 2);
  expect(long).toHaveLength(2);

  // Each pause is shortened: a range over it, and Delete closes up.
  let removed = 0;
  for (const pause of long) {
    const [from, to] = [pause.from + KEPT - removed, pause.to - KEPT - removed];
    await editor.show(from - 2 * RATE, to + 2 * RATE);
    await editor.range(from, to, "guide");
    await page.keyboard.press("Delete");
    await editor.saved();
    const lane = await editor.lane("guide");
    const last = before.clips
      .filter((c) => c.trackId === "guide")
      .sort((a, b) => a.start - b.start)
      .at(-1) as Clip;
    removed = last.start - (lane.at(-1) as Clip).start;
  }
  expect(removed).toBeGreaterThan(RATE / 2);
  const others = (v: typeof before) => v.clips.filter((c) => c.trackId !== "guide");
  expect(others(await editor.version())).toEqual(others(before));
  const pieces = (await editor.lane("guide")).filter((c) => c.sourceId === take.sourceId);
  expect(pieces).toHaveLength(3);
  expect(pieces[1].start).toBe(clipEnd(pieces[0]));
  expect(clipEnd(pieces[2]) - pieces[0].start).toBe(take.length - removed);

  // The second sentence group goes to the front: the others make room, the total stays.
  const end = clipEnd(pieces[2]);
  await editor.show(at(1), end + 2 * RATE);
  await page.keyboard.press("3");
  await expect(page.getByTestId("mode-line")).toContainText("change places");
  await editor.drag(await editor.nameOf(pieces[1].id), await editor.at(pieces[0].start + RATE / 10, "guide", 30));
  await editor.saved();
  const turned = (await editor.lane("guide")).slice(0, 3);
  expect(turned.map((c) => c.id)).toEqual([pieces[1].id, pieces[0].id, pieces[2].id]);
  expect([turned[0].start, clipEnd(turned[2])]).toEqual([take.start, end]);

  // From seam to seam by key, each blended over the set length.
  await editor.chooseTrack("Guide voice");
  const start = await editor.rulerAt(turned[0].start + RATE / 2);
  await page.mouse.click(start.x, start.y);
  for (let i = 0; i < 2; i++) {
    await page.keyboard.press("j");
    await page.keyboard.press("y");
    await editor.saved();
  }
  const blended = (await editor.lane("guide")).slice(0, 3);
  // Before the take's first sentence its recording has nothing to blend with: there both sides fade.
  expect(blended.map((c) => c.blend?.with ?? null)).toEqual([null, null, turned[1].id]);
  expect([blended[0].fadeOut.length, blended[2].fadeIn.length]).toEqual([192, 192]);
  const { body: seams } = await api("GET", `/api/versions/${demo.versionId}/seams`);
  for (const seam of seams.seams.filter(
    (s: { trackId: string; position: number }) => s.trackId === "guide" && s.position > take.start && s.position < end,
  )) {
    expect(["smooth", "blended"]).toContain(seam.class);
  }

  // Joined without rendering, then printed: the notice says that a new recording is made.
  await editor.select(...blended.map((c) => c.id));
  await expect(page.getByTestId("selection")).toContainText("3 clips");
  await page.keyboard.press("Control+j");
  await expect(page.getByTestId("selection")).toContainText("Bundle of 3 clips");
  const span = { start: take.start, end };
  const dry = await editor.heard(span, ["guide"]);
  await page.keyboard.press("Shift+P");
  await expect(page.getByText(/Printed to a new recording/)).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText("Undo brings them back.")).toBeVisible();
  const printed = (await editor.lane("guide"))[0];
  expect({ start: printed.start, end: clipEnd(printed) }).toEqual(span);
  const [wet, wetRight] = await editor.heard(span, ["guide"]);
  expect(wet.every((v, i) => v === dry[0][i]) && wetRight.every((v, i) => v === dry[1][i])).toBe(true);

  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.lane("guide")).slice(0, 3).map((c) => c.id)).toEqual(blended.map((c) => c.id));
});
