import { gapsBetween } from "@wet-thread/core/analysis/silence";
import { clipEnd } from "@wet-thread/core/model/schema";
import { clicksAt } from "../clicks";
import { api } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";
import { RATE, small } from "../small";

const level = (x: Float32Array): number => 10 * Math.log10(x.reduce((sum, v) => sum + v * v, 0) / x.length);

test("scene 19, the guide in one room: silence cleared, what is left filled with the room, no click, the pauses alike, no word lost", async ({
  page,
}) => {
  const demo = await aDemo("One room");
  const editor = await EditorPage.open(page, demo, { neighbours: "hold", snapOn: false });
  const [take] = await editor.lane("guide");
  const span = { start: take.start, end: clipEnd(take) };
  const before = (await editor.heard(span, ["guide"]))[0];
  await editor.select(take.id);
  await page.keyboard.press("Shift+U");
  await expect(page.getByTestId("silence-count")).toHaveText(/^\d+ pauses?, /);
  await page.keyboard.press("Enter");
  await editor.saved();
  const words = (await editor.lane("guide")).filter((c) => c.start < span.end);
  const gaps = gapsBetween(
    words.map((c): [number, number] => [c.start, clipEnd(c)]),
    words[0].start,
    clipEnd(words[words.length - 1]),
  );
  expect(gaps.length).toBeGreaterThan(3);

  await page.keyboard.press("Alt+o");
  await expect(page.getByText(new RegExp(`^${gaps.length} gaps are filled`))).toBeVisible();
  await editor.saved();
  const after = (await editor.heard(span, ["guide"]))[0];
  const lane = (await editor.lane("guide")).filter((c) => c.start < span.end);
  const levels: number[] = [];
  for (const [from, to] of gaps) {
    expect(lane.some((c) => c.start <= from && clipEnd(c) > from)).toBe(true);
    const [a, b] = [from - span.start, to - span.start];
    if (b - a >= RATE / 10) levels.push(level(after.subarray(a, b)));
    // Never empty, not for a hundredth of a second.
    for (let at = a; at + 480 <= b; at += 480) expect(level(after.subarray(at, at + 480))).toBeGreaterThan(-100);
  }
  // All pauses are as loud as each other.
  expect(levels.length).toBeGreaterThan(2);
  expect(Math.max(...levels) - Math.min(...levels)).toBeLessThan(1.5);
  // The words are what they were, but for the blends at their edges.
  for (const c of words.filter((w) => w.length > RATE / 4)) {
    const [a, b] = [c.start - span.start + RATE / 50, clipEnd(c) - span.start - RATE / 50];
    expect(after.subarray(a, b).every((v, i) => v === before[a + i])).toBe(true);
  }
  const seams = (await api("GET", `/api/versions/${demo.versionId}/seams`)).body.seams as {
    trackId: string;
    position: number;
    click: number | null;
  }[];
  expect(seams.filter((s) => s.trackId === "guide" && s.position < span.end && s.click !== null)).toEqual([]);
  const places = lane.map((c) => c.start - span.start).filter((at) => at > 0);
  expect(clicksAt([after], places).filter((c) => c !== null)).toEqual([]);

  await page.keyboard.press("Control+z");
  await editor.saved();
  expect((await editor.lane("guide")).filter((c) => c.start < span.end)).toEqual(words);
});

test("the room is taken by hand, and what can't be filled is said", async ({ page }) => {
  const editor = await small(page);
  await page.keyboard.press("Alt+o");
  await expect(page.getByText(/^Make a range over gaps/)).toBeVisible();
  // Noise all through has no pause in which only a room is heard that would differ from it: the range says what is the room.
  await editor.range(1.1 * RATE, 1.9 * RATE, "t1");
  await page.keyboard.press("Alt+Shift+o");
  await expect(page.getByText(/taken as the room\.$/)).toBeVisible();
  await editor.range(1.9 * RATE, 2.6 * RATE, "t1");
  await page.keyboard.press("Alt+o");
  await expect(page.getByText(/^The gap is filled\./)).toBeVisible();
  await editor.saved();
  const room = (await editor.lane("t1")).filter((c) => c.name === "Room");
  expect(room.length).toBeGreaterThan(0);
  // Nothing of what the clip beside it plays is heard again forwards.
  expect(room.every((c) => c.recipe?.reverse)).toBe(true);
  const { revision } = await editor.version();
  await editor.range(1.2 * RATE, 1.6 * RATE, "t1");
  await page.keyboard.press("Alt+o");
  await expect(page.getByText("There is no gap to fill there.")).toBeVisible();
  await editor.range(5.2 * RATE, 7.9 * RATE, "t1");
  await page.keyboard.press("Alt+o");
  await expect(page.getByText(/^The pauses hold .* of room; a gap of .* needs more/)).toBeVisible();
  expect((await editor.version()).revision).toBe(revision);
});
