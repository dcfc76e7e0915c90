import { clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { clicksAt } from "../clicks";
import { BASE, exportWav, readWav } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

test("scene 8, lights out: one range to the end over every track, one key, a fade-out on each of its own length", async ({ page }) => {
  const demo = await aDemo("Lights out");
  const editor = await EditorPage.open(page, demo, { targets: ["grid"], pull: "always", step: { kind: "bar", count: 1 }, followsZoom: false });
  const before = await editor.version();
  const start = at(35);
  const end = Math.max(...before.clips.map(clipEnd));

  // One range from bar 35 to past the end, over all tracks, made in the ruler; one key.
  await page.keyboard.press("w");
  await editor.settle();
  const [from, to] = [await editor.rulerAt(start), await editor.rulerAt(end)];
  await editor.drag(from, { x: to.x + 30, y: to.y });
  await expect(page.getByTestId("selection")).toContainText("Range 35.1.000");
  await expect(page.getByTestId("selection")).toContainText("9 tracks");
  await page.keyboard.press("o");
  await editor.saved();

  const after = await editor.version();
  const lastOf = (v: typeof before, trackId: string) =>
    v.clips.filter((c) => c.trackId === trackId && clipEnd(c) > start).sort((a, b) => clipEnd(b) - clipEnd(a))[0];
  let faded = 0;
  for (const track of before.tracks) {
    const [was, now] = [lastOf(before, track.id), lastOf(after, track.id)];
    if (!was) continue;
    faded++;
    const own = clipEnd(was) - Math.max(start, was.start);
    expect(now.fadeOut.length, track.name).toBe(Math.min(own, was.length - was.fadeIn.length));
    expect({ ...now, fadeOut: null }).toEqual({ ...was, fadeOut: null });
  }
  expect(faded).toBeGreaterThanOrEqual(4);
  const touched = after.clips.filter((c) => JSON.stringify(c) !== JSON.stringify(before.clips.find((b) => b.id === c.id)));
  expect(touched).toHaveLength(faded);

  // What is heard: the rendered end of each faded clip against its own samples times the curve, worked out here.
  const clock = lastOf(after, "clock");
  const span = { start: clock.start, end: clipEnd(clock) };
  const [wet] = await readWav(await exportWav(demo.versionId, { span, tracks: ["clock"] }));
  const dryVersion = await fetch(`${BASE}/api/sources/${clock.sourceId}/file`).then(async (r) => readWav(new Uint8Array(await r.arrayBuffer())));
  let most = 0;
  const ramp = (n: number, k: number) => Math.sin((Math.PI / 2) * ((k + 0.5) / n));
  for (let i = 0; i < wet.length; i++) {
    const j = wet.length - 1 - i;
    const gain = (i < clock.fadeIn.length ? ramp(clock.fadeIn.length, i) : 1) * (j < clock.fadeOut.length ? ramp(clock.fadeOut.length, j) : 1);
    most = Math.max(most, Math.abs(wet[i] - dryVersion[0][clock.offset + i] * gain));
  }
  expect(most).toBeLessThan(1e-6);

  // Measured in exports: none of the faded ends clicks.
  for (const track of before.tracks) {
    const now = lastOf(after, track.id);
    if (!now || lastOf(before, track.id) === undefined) continue;
    const around = { start: Math.max(0, clipEnd(now) - 4800), end: clipEnd(now) + 4800 };
    const heard = await readWav(await exportWav(demo.versionId, { span: around, tracks: [track.id] }));
    expect(clicksAt(heard, [clipEnd(now) - around.start]), track.name).toEqual([null]);
  }

  // One step: one undo puts every track back.
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips).toEqual(before.clips);
});
