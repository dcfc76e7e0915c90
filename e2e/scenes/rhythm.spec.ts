import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { clicksAt } from "../clicks";
import { api } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

const RATE = 48_000;
test("scene 4, a rhythm from one passage: four hits pulled out, doubled, laid end to attack, blended, printed, repeated; the old clips are still there", async ({
  page,
}) => {
  const demo = await aDemo("A rhythm");
  const editor = await EditorPage.open(page, demo, {
    snapOn: false,
    overlaps: "blend",
    edgeFadeMs: 1,
    targets: ["grid"],
    followsZoom: false,
    step: { kind: "beat", count: 1 },
  });
  const before = await editor.version();
  const bed = (await editor.lane("treadle"))[0];
  const { transients } = (await api("GET", `/api/sources/${bed.sourceId}`)).body as { transients: number[] };
  const hits = transients.map((t) => bed.start + t - bed.offset);
  const first = hits.find((h) => h > at(7)) as number;
  const [, , , , fifth] = hits.slice(hits.indexOf(first));

  // A new track below; four hits, with a little after them, pulled out to it as a copy.
  await page.getByRole("button", { name: "Add track" }).click();
  await editor.saved();
  const lane = (await editor.version()).tracks.at(-1)?.id as string;
  await editor.show(first - RATE / 2, fifth + RATE);
  await editor.range(first, fifth + RATE / 5, "treadle");
  const strip = await editor.at(first + RATE / 2, "treadle", 12);
  // Down the long way: the lanes are scrolled by the wheel so that both can be seen.
  await page.mouse.move(strip.x, strip.y);
  await page.mouse.wheel(0, 400);
  await editor.settle();
  await page.keyboard.press("Control+c");
  const place = await editor.at(first, lane, 40);
  await editor.menu(place, "Paste here");
  await editor.saved();
  const [one] = await editor.lane(lane);
  expect(one.offset).toBeGreaterThan(0);
  // The new edge fades, and takes nothing from the hit on which it lies.
  expect(one.fadeIn).toMatchObject({ length: 16, lent: true });

  // Duplicated; the second trimmed to its four hits and laid with its attack over the end of the first: the overlap blends.
  await page.keyboard.press("d");
  await editor.saved();
  const [, two] = await editor.lane(lane);
  expect(two.start).toBe(clipEnd(one));
  await editor.show(one.start, clipEnd(two) + RATE / 4);
  await page.mouse.move(place.x, place.y);
  await page.mouse.wheel(0, 900);
  await editor.settle();
  const per = await editor.samplesPerPixel();
  const four = fifth - first;
  const grip = await editor.nameOf(two.id);
  await editor.drag(grip, { x: grip.x - (clipEnd(one) - (one.start + four)) / per, y: grip.y });
  await editor.saved();
  const laid = await editor.clip(two.id);
  expect(laid.blend?.with).toBe(one.id);
  expect(Math.abs(laid.start - one.start - four)).toBeLessThan(per);

  // Exactly four hits apart, by number; then the walk-in before the first hit is recovered by pulling its edge.
  await editor.select(two.id);
  await page.keyboard.press("Escape");
  const edge = await editor.at(one.start, lane, 30);
  await editor.drag(edge, { x: edge.x - (0.05 * RATE) / per, y: edge.y });
  await editor.saved();
  const walk = await editor.clip(one.id);
  expect(walk.start).toBeLessThan(one.start - 0.03 * RATE);
  expect(walk.offset - walk.start).toBe(one.offset - one.start);

  // Both waves are compared over each other; the blend is set shorter there.
  const rail = await editor.at(laid.blend?.splice ?? 0, lane, 96 - 8);
  await page.mouse.click(rail.x, rail.y);
  await page.getByRole("radio", { name: "Over", exact: true }).click();
  await page.getByLabel("Length of the blend").fill("30");
  await page.getByLabel("Length of the blend").press("Enter");
  await editor.saved();
  expect((await editor.clip(two.id)).fadeIn.length).toBe(0.03 * RATE);

  // Fades of a few samples at the outer edges, then printed.
  await editor.select(one.id, two.id);
  await page.getByRole("tab", { name: "Clip" }).click();
  const row = await editor.lane(lane);
  const span = { start: row[0].start, end: clipEnd(row[1]) };
  const dry = await editor.heard(span, [lane]);
  await page.keyboard.press("Shift+P");
  await expect(page.getByText(/Printed to a new recording/)).toBeVisible({ timeout: 30_000 });
  const [printed] = await editor.lane(lane);
  expect([printed.start, clipEnd(printed)]).toEqual([span.start, span.end]);
  const [wet] = await editor.heard(span, [lane]);
  expect(wet.every((v, i) => v === dry[0][i])).toBe(true);

  // A track for it; the old one muted, hidden and renamed; repeated for four bars.
  const clock = page.getByLabel("Name of track Treadle");
  await page.mouse.move(place.x, place.y);
  await page.mouse.wheel(0, -3000);
  await editor.settle();
  await clock.dblclick();
  await clock.fill("Treadle, old");
  await clock.press("Enter");
  await editor.saved();
  await page.getByLabel("Mute Treadle, old").click();
  const head = await page.locator("[data-track=treadle]").boundingBox();
  if (!head) throw new Error("no head");
  await editor.menu({ x: head.x + 60, y: head.y + head.height - 20 }, "Hide track");
  await editor.saved();
  const old = (await editor.version()).tracks.find((t) => t.id === "treadle");
  expect(old).toMatchObject({ name: "Treadle, old", mute: true, hidden: true });
  await page.mouse.move(place.x, place.y);
  await page.mouse.wheel(0, 3000);
  await editor.settle();
  await editor.select(printed.id);
  await page.keyboard.press("Shift+D");
  await page.getByLabel("Copies").fill("3");
  await page.getByLabel("Copies").press("Enter");
  await expect.poll(async () => (await editor.lane(lane)).length).toBe(4);
  const copies = await editor.lane(lane);
  expect(copies.map((c: Clip) => c.start)).toEqual([0, 1, 2, 3].map((k) => printed.start + k * printed.length));

  // No click at any seam of it, in what an export holds; the old clips are as they were.
  const whole = { start: span.start - RATE / 2, end: clipEnd(copies[3]) + RATE / 2 };
  const out = await editor.heard(whole, [lane]);
  const seams = [...copies.map((c: Clip) => c.start), clipEnd(copies[3])].map((p) => p - whole.start);
  expect(clicksAt(out, seams)).toEqual(seams.map(() => null));
  const kept = (v: typeof before) => v.clips.filter((c) => c.trackId === "treadle");
  expect(kept(await editor.version())).toEqual(kept(before));
});
