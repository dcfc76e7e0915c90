import fs from "node:fs";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { clicksAt } from "../clicks";
import { api } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

const RATE = 48_000;

interface SeamFigure {
  readonly trackId: string;
  readonly position: number;
  readonly class: string;
  readonly click: number | null;
}
const seamsOf = async (versionId: string): Promise<SeamFigure[]> => (await api("GET", `/api/versions/${versionId}/seams`)).body.seams;

test("seam check: every seam in a table, sorted, filtered, its figures foretold, smoothed in one step, saved as CSV", async ({ page }) => {
  const demo = await aDemo("Seam check");
  const editor = await EditorPage.open(page, demo, { edgeFadeMs: 4 });
  const before = await editor.version();
  await page.keyboard.press("Shift+Y");
  const panel = page.getByRole("region", { name: "Seam check" });
  const rows = page.getByTestId("seam-rows").getByRole("row");
  await expect(page.getByTestId("measured")).toHaveText(/^\d+ measured$/);
  const truth = await seamsOf(demo.versionId);
  await expect(panel.getByRole("radio", { name: /^All/ })).toHaveText(`All ${truth.length}`);
  await expect(panel.getByRole("radio", { name: /^Raw/ })).toHaveText(`Raw ${truth.filter((s) => s.class === "raw").length}`);

  // Loudest click first; the row leads to its place, and its figures are those of the API.
  await panel.getByRole("button", { name: /Click dB/ }).click();
  const loudest = truth.filter((s) => s.click !== null).sort((a, b) => (b.click as number) - (a.click as number))[0];
  await expect(rows.first()).toContainText(`−${Math.abs(loudest.click as number).toFixed(0)}`);
  await rows.first().click();
  await expect(page.getByTestId("seam-class")).toHaveText("raw");
  await page.keyboard.press("ArrowDown");

  await panel.getByRole("combobox", { name: "Track" }).selectOption({ label: "Treadle" });
  await expect(rows).toHaveCount(truth.filter((s) => s.trackId === "treadle").length);
  await panel.getByRole("combobox", { name: "Track" }).selectOption({ label: "All tracks" });
  await panel.getByRole("combobox", { name: "Click" }).selectOption({ label: "From −36 dB" });
  await expect(rows).toHaveCount(truth.filter((s) => s.click !== null && s.click >= -36).length);
  await panel.getByRole("combobox", { name: "Click" }).selectOption({ label: "Any click" });

  // What each raw one would get, then all of them in one step; the piece is changed only then.
  await panel.getByRole("radio", { name: /^Raw/ }).click();
  await panel.getByRole("button", { name: "Preview the figures" }).click();
  await expect(rows.filter({ hasText: /(blended|smooth), none/ })).toHaveCount(truth.filter((s) => s.class === "raw").length);
  expect((await editor.version()).revision).toBe(before.revision);
  await panel.getByRole("button", { name: /^Smooth \d+ raw/ }).click();
  await editor.saved();
  const after = await seamsOf(demo.versionId);
  expect(after.filter((s) => s.class === "raw" || s.click !== null)).toEqual([]);
  await expect(panel.getByText("No seam is like that.")).toBeVisible();

  await panel.getByRole("radio", { name: /^All/ }).click();
  const [saved] = await Promise.all([page.waitForEvent("download"), panel.getByRole("button", { name: "Save as CSV" }).click()]);
  const lines = fs
    .readFileSync(await saved.path(), "utf8")
    .trim()
    .split("\r\n");
  expect(lines).toHaveLength(after.length + 1);
  expect(lines[0]).toContain("position,bars,time,track");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips).toEqual(before.clips);
});

test("scene 2, pops in the hand bells: links suspended, edges pulled back off the grid and smoothed, attacks back on the bar; nothing else moved", async ({
  page,
}) => {
  const demo = await aDemo("Pops in the bells");
  const { body } = await api("GET", `/api/versions/${demo.versionId}`);
  // Two microphones on one bell rope: the bells are linked with the clock, and two more of them are cut into.
  const cutInto = [at(19), at(25)];
  await api("POST", `/api/versions/${demo.versionId}/edits`, {
    revision: body.revision,
    edits: [
      { type: "set-track", trackIds: ["bells", "clock"], link: "rope" },
      ...body.clips
        .filter((c: Clip) => c.trackId === "bells" && cutInto.some((p) => c.start < p && p < clipEnd(c)))
        .slice(0, 2)
        .flatMap((c: Clip) => [
          { type: "trim", clipIds: [c.id], edge: "start", to: c.start + Math.round(0.23 * RATE), links: false },
          { type: "set-fade", clipIds: [c.id], edge: "in", length: 0, links: false },
        ]),
    ],
  });
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    pull: "near",
    followsZoom: false,
    step: { kind: "bar", count: 1 },
    edgeFadeMs: 4,
  });
  const before = await editor.version();
  const { transients } = (await api("GET", `/api/sources/${(await editor.lane("bells"))[0].sourceId}`)).body;
  await page.getByLabel("Solo Hand bells").click();
  await page.keyboard.press("Shift+L");
  await expect(page.getByTestId("mode-line")).toContainText("links suspended");

  const bell = (await editor.lane("bells"))[0];
  const attack = (c: Clip): number =>
    c.start + (transients as number[]).reduce((a, h) => (Math.abs(h - 12_000) < Math.abs(a - 12_000) ? h : a)) - c.offset;
  await editor.show(bell.start - RATE, bell.start + RATE);
  const zoomed = await editor.samplesPerPixel();
  // Holding the grid key, the edge is pulled back before the attack; then it is faded there.
  const edge = await editor.at(bell.start, "bells", 50);
  await page.keyboard.down("g");
  await editor.drag(edge, { x: edge.x - (0.12 * RATE) / zoomed, y: edge.y });
  await page.keyboard.up("g");
  await editor.saved();
  const pulled = await editor.clip(bell.id);
  expect(pulled.start).toBeLessThan(bell.start - 0.1 * RATE);
  expect(attack(pulled)).toBe(attack(bell));
  await editor.chooseTrack("Hand bells");
  const ahead = await editor.rulerAt(pulled.start - 0.05 * RATE);
  await page.mouse.click(ahead.x, ahead.y);
  await page.keyboard.press("j");
  await page.keyboard.press("y");
  await editor.saved();

  // The attack back on the bar: stepped to by key, made the clip's sync point, and placed.
  await editor.select(bell.id);
  await page.mouse.click(ahead.x, ahead.y);
  const heard = (transients as number[]).filter((t) => t >= pulled.offset && t <= attack(pulled) - pulled.start + pulled.offset);
  for (let i = 0; i < heard.length; i++) await page.keyboard.press("h");
  await editor.select(bell.id);
  await page.getByRole("tab", { name: "Clip" }).click();
  await page.getByRole("button", { name: "At playhead" }).click();
  await editor.saved();
  const synced = await editor.clip(bell.id);
  expect(synced.sync).not.toBeNull();
  const sync = page.getByRole("tabpanel").getByLabel("Sync point");
  await sync.fill("15.1.000");
  await sync.press("Enter");
  await editor.saved();
  const placed = await editor.clip(bell.id);
  expect(placed.start + (placed.sync ?? 0)).toBe(at(15));
  expect(await editor.samplesPerPixel()).toBe(zoomed);

  // The other two by the check, at once; links on again: nothing moves. Back to the view before.
  await page.keyboard.press("Shift+Y");
  const panel = page.getByRole("region", { name: "Seam check" });
  await panel.getByRole("combobox", { name: "Track" }).selectOption({ label: "Hand bells" });
  await expect(page.getByTestId("measured")).toHaveText(/^\d+ measured$/);
  await panel.getByRole("button", { name: /^Smooth \d+ raw/ }).click();
  await editor.saved();
  const there = (await editor.version()).clips;
  await page.keyboard.press("Shift+L");
  await page.keyboard.press("Shift+Z");
  await editor.settle();
  expect((await editor.version()).clips).toEqual(there);
  expect(await editor.samplesPerPixel()).not.toBe(zoomed);
  const bells = (await seamsOf(demo.versionId)).filter((s) => s.trackId === "bells");
  expect(bells.filter((s) => s.click !== null || s.class === "raw")).toEqual([]);
  const others = (v: typeof before) => v.clips.filter((c) => c.trackId !== "bells");
  expect(others(await editor.version())).toEqual(others(before));
  // And in what an export holds.
  const places = bells.map((s) => s.position);
  const wet = await editor.heard({ start: 0, end: Math.max(...places) + RATE }, ["bells"]);
  expect(clicksAt(wet, places)).toEqual(places.map(() => null));
});

test("a blend by hand: over a range, by Alt on its mark, its side and middle dragged; heard bare and as it is", async ({ page }) => {
  const demo = await aDemo("Blends by hand");
  const editor = await EditorPage.open(page, demo, { snapOn: false });
  const [, , third] = await editor.lane("treadle");
  const join = third.start;
  await editor.show(join - RATE / 4, join + RATE / 4);
  const ms = (n: number): number => (n * RATE) / 1000;
  const per = await editor.samplesPerPixel();
  const lane = (await editor.version()).tracks.find((t) => t.id === "treadle")?.height ?? 84;

  // Pressed at the splice on the rail and pulled with Alt.
  const mark = await editor.at(join, "treadle", lane - 8);
  await page.keyboard.down("Alt");
  await editor.drag(mark, { x: mark.x + ms(60) / per, y: mark.y });
  await page.keyboard.up("Alt");
  await editor.saved();
  const pulled = await editor.clip(third.id);
  expect(Math.abs(pulled.fadeIn.length - ms(60))).toBeLessThan(3 * per);
  expect(pulled.blend?.splice).toBe(join);

  // A side makes it longer on both; the middle takes the splice along.
  const side = await editor.at(pulled.start, "treadle", lane - 26);
  await editor.drag(side, { x: side.x - ms(20) / per, y: side.y });
  await editor.saved();
  const longer = await editor.clip(third.id);
  expect(Math.abs(longer.fadeIn.length - pulled.fadeIn.length - ms(40))).toBeLessThan(4 * per);
  const middle = await editor.at(join, "treadle", lane - 26);
  await editor.drag(middle, { x: middle.x + ms(30) / per, y: middle.y });
  await editor.saved();
  const moved = await editor.clip(third.id);
  expect(Math.abs((moved.blend?.splice ?? 0) - join - ms(30))).toBeLessThan(3 * per);
  expect(moved.fadeIn.length).toBe(longer.fadeIn.length);
  expect(moved.offset - moved.start).toBe(third.offset - third.start);

  // In the inspector: separate halves, then off again; the splice stays where it was dragged.
  const rail = await editor.at(moved.blend?.splice ?? 0, "treadle", lane - 8);
  await page.mouse.click(rail.x, rail.y);
  await page.getByRole("radio", { name: "Separate" }).click();
  await editor.saved();
  expect((await editor.clip(third.id)).blend?.linked).toBe(false);
  await page.getByRole("radio", { name: "Bare" }).click();
  await page.getByRole("tabpanel").getByRole("button", { name: "Listen" }).click();
  await expect(page.getByRole("tabpanel").getByRole("button", { name: "Stop" })).toBeVisible();
  await page.getByRole("radio", { name: "As it is" }).click();
  await page.getByRole("tabpanel").getByRole("button", { name: "Stop" }).click();
  await page.getByRole("button", { name: "Take the blend off" }).click();
  await editor.saved();
  expect((await editor.clip(third.id)).start).toBe(moved.blend?.splice);

  // Over a range around the splice, one key.
  const splice = moved.blend?.splice ?? 0;
  await editor.range(splice - ms(25), splice + ms(60), "treadle");
  await page.keyboard.press("c");
  await editor.saved();
  const over = await editor.clip(third.id);
  expect(Math.abs(over.fadeIn.length - ms(85))).toBeLessThan(4 * per);
  expect(over.blend?.splice).toBe(splice);
});
