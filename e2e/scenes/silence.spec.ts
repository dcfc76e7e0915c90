import fs from "node:fs";
import path from "node:path";
import { gapsBetween } from "@wet-thread/core/analysis/silence";
import { clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

const RATE = 48_000;
const truth = JSON.parse(fs.readFileSync(path.join(import.meta.dirname, "../../demo/truth.json"), "utf8"));
const TAKE = truth.recordings["Guide, take 1"] as { rate: number; pauses: [number, number][] };
const [BEFORE, AFTER] = [0.06, 0.15].map((s) => Math.round(s * RATE));
/** A border found by level lies this near to where the voice really begins or ends. */
const NEAR = 0.03 * RATE;

test("clear silence: found by level and shown first, tuned by hand and by number, cleared with fades, closed up, taken back", async ({ page }) => {
  const demo = await aDemo("Silence");
  const editor = await EditorPage.open(page, demo, { neighbours: "hold", snapOn: false });
  const whole = await editor.version();
  const [take] = await editor.lane("guide");
  const pauses = TAKE.pauses
    .map(([from, to]) => [at(2) + Math.round((from * RATE) / TAKE.rate), at(2) + Math.round((to * RATE) / TAKE.rate)])
    .map(([from, to]) => ({ from: Math.max(from, take.start), to: Math.min(to, clipEnd(take)) }));
  const name = await editor.nameOf(take.id);
  await page.mouse.click(name.x, name.y);
  const panel = page.getByRole("dialog", { name: "Clear silence" });
  const count = page.getByTestId("silence-count");
  const level = panel.getByLabel("Threshold in dB");
  const found = async (): Promise<number> => Number(/^(\d+) pauses?, /.exec((await count.textContent()) ?? "")?.[1] ?? -1);
  /** Types a threshold and waits for what it finds, which is not what was found before. */
  const typed = async (db: string): Promise<number> => {
    const old = await count.textContent();
    await level.fill(db);
    await level.press("Tab");
    await expect(count).not.toHaveText(old as string);
    return found();
  };

  // A suggestion that leaves the breaths in; a threshold typed, or moved by key, is looked at at once.
  await page.keyboard.press("Shift+U");
  await expect.poll(found).toBeGreaterThan(0);
  const suggested = await level.inputValue();
  const few = await found();
  const many = await typed("-26");
  expect(many).toBeGreaterThan(few);
  await panel.getByRole("slider", { name: "Threshold" }).press("ArrowLeft");
  await expect(level).toHaveValue("−27");
  await panel.getByRole("button", { name: "Suggest", exact: true }).click();
  await expect(level).toHaveValue(suggested);
  await expect.poll(found).toBe(few);
  // The threshold lies over the waveform, which is drawn so tall that it can be seen; dragged outwards, it rises.
  const line = page.getByTestId("threshold-line").first();
  const grip = await line.boundingBox();
  if (!grip) throw new Error("no line");
  const hold = { x: grip.x + grip.width / 2, y: grip.y + 5 };
  await editor.drag(hold, { x: hold.x, y: hold.y - 12 });
  await expect.poll(async () => Number((await level.inputValue()).replace("−", "-"))).toBeGreaterThan(Number(suggested.replace("−", "-")) + 1);
  await panel.getByRole("button", { name: "Suggest", exact: true }).click();
  await expect.poll(found).toBe(few);
  const shortest = panel.getByLabel("Shortest silence");
  await shortest.fill("60000");
  await shortest.press("Tab");
  await expect.poll(found).toBeLessThan(few);
  await shortest.fill("300");
  await shortest.press("Tab");
  await expect.poll(found).toBe(few);
  // Looking changes nothing, and Escape leaves it at that.
  await page.keyboard.press("Escape");
  await expect(panel).toHaveCount(0);
  expect(await editor.version()).toEqual(whole);

  // Cleared: a gap at each pause, as wide as it was but for the pads, and a fade at each end that was made.
  await page.keyboard.press("Shift+U");
  await expect.poll(found).toBe(few);
  // Enter goes by what was typed just now, not by what was found for the suggestion.
  await level.fill("-26");
  await level.press("Enter");
  await expect(panel).toHaveCount(0);
  await editor.saved();
  const parts = (await editor.lane("guide")).filter((c) => c.sourceId === take.sourceId && c.start < clipEnd(take));
  const gaps = gapsBetween(
    parts.map((c) => [c.start, clipEnd(c)] as const),
    take.start,
    clipEnd(take),
  );
  expect(gaps.length).toBe(many);
  for (const pause of pauses) {
    const [from, to] = [pause.from === take.start ? pause.from : pause.from + AFTER, pause.to === clipEnd(take) ? pause.to : pause.to - BEFORE];
    expect(gaps.some((g) => Math.abs(g[0] - from) < NEAR && Math.abs(g[1] - to) < NEAR)).toBe(true);
  }
  for (const c of parts) expect([c.fadeIn.length, c.fadeOut.length]).toEqual([192, 192]);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips).toEqual(whole.clips);

  // With neighbours that move along it closes up; the other tracks stay where they are.
  await page.mouse.click(name.x, name.y);
  await page.keyboard.press("2");
  await page.keyboard.press("Shift+U");
  await expect.poll(found).toBe(few);
  await panel.getByRole("button", { name: "Clear and close" }).click();
  await expect(panel).toHaveCount(0);
  await editor.saved();
  const closed = (await editor.lane("guide")).filter((c) => c.sourceId === take.sourceId);
  expect(closed.length).toBeGreaterThan(few - 2);
  for (const [i, c] of closed.entries()) expect(c.start).toBe(i === 0 ? take.start : clipEnd(closed[i - 1]));
  const others = (v: typeof whole) => v.clips.filter((c) => c.trackId !== "guide");
  expect(others(await editor.version())).toEqual(others(whole));
});
