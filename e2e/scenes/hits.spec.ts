import { expect, test } from "@playwright/test";
import type { Clip } from "@wet-thread/core/model/schema";
import { createDemo } from "../../demo/create";
import { api, BASE } from "../client";
import { EditorPage } from "../editor";

const RATE = 48_000;

test("scene 17, its first half: the hits of a loom read off, the sensitivity down, one added, one moved to its attack, taken away, and all as found", async ({
  page,
}) => {
  const demo = await createDemo(BASE, "Hits");
  const editor = await EditorPage.open(page, demo, { snapOn: false, followsZoom: false, step: { kind: "note", division: 16, feel: "straight" } });
  const [bed] = (await editor.lane("treadle")) as [Clip];
  const { hits, transients } = (await api("GET", `/api/sources/${bed.sourceId}`)).body as {
    hits: { at: number; strength: number }[];
    transients: number[];
  };
  const inside = (at: number): boolean => at >= bed.offset && at < bed.offset + bed.length;
  const sure = transients.filter(inside);
  expect(hits.filter((h) => h.strength >= 0.5).map((h) => h.at)).toEqual(transients);
  await editor.show(bed.start, bed.start + 6 * RATE);
  await editor.select(bed.id);
  const part = page.getByRole("region", { name: "Hits" });
  const count = part.getByTestId("hit-count");
  await expect(count).toHaveText(`${sure.length} hits`);

  // Each hit and how far it is from its line.
  await part.getByRole("button", { name: "draw on the cloth" }).click();
  await part.getByText("Each hit and its line").click();
  await expect(part.getByRole("row")).toHaveCount(sure.length + 1);
  await expect(part.getByRole("row").nth(2)).toContainText(/[+−]\d+\.\d/);

  // By key on the slider: fewer hits with each step, told while it moves and kept in the version.
  const slider = part.getByRole("slider", { name: "Sensitivity" });
  await slider.press("Home");
  await editor.saved();
  expect((await editor.clip(bed.id)).hits).toEqual({ sensitivity: 0 });
  await expect(count).toHaveText(/^\d hits?$/);
  await page.keyboard.press("Control+z");
  await editor.saved();
  await expect(count).toHaveText(`${sure.length} hits`);

  // A hit by hand between two, off any attack while the grid key is held; then dragged to the attack after it.
  const [first, second] = sure;
  const place = bed.start + Math.round((first + second) / 2) - bed.offset;
  await page.keyboard.down("g");
  const ruler = await editor.rulerAt(place);
  await page.mouse.click(ruler.x, ruler.y);
  await part.getByRole("button", { name: "Add" }).click();
  await page.keyboard.up("g");
  await editor.saved();
  const added = (await editor.clip(bed.id)).hits?.added?.[0] ?? 0;
  expect(Math.abs(added - (first + second) / 2)).toBeLessThan((await editor.samplesPerPixel()) + 1);
  await expect(count).toHaveText(`${sure.length + 1} hits, 1 by hand`);

  // By its foot, to 5 ms before the second hit's attack: that one is taken away first, and the hand's is drawn to it.
  const lane = await editor.at(bed.start, "treadle", 0);
  const height = (await editor.version()).tracks.find((t) => t.id === "treadle")?.height ?? 0;
  const foot = (sample: number) => editor.at(bed.start + sample - bed.offset, "treadle", height - 20);
  expect(lane.y).toBeGreaterThan(0);
  const gone = await foot(second);
  await page.mouse.dblclick(gone.x, gone.y);
  await editor.saved();
  expect((await editor.clip(bed.id)).hits?.removed).toEqual([second]);
  await editor.drag(await foot(added), await foot(second - RATE / 200));
  await editor.saved();
  // Back where one was found: nothing by hand is left of either.
  expect((await editor.clip(bed.id)).hits).toBeUndefined();
  await expect(count).toHaveText(`${sure.length} hits`);

  // None at all: nothing to split at or to tighten, in words; and all as found by one step back.
  await part.getByRole("button", { name: "Clear all" }).click();
  await editor.saved();
  await expect(count).toContainText("0 hits");
  await expect(part.getByText("No hits at this sensitivity.")).toBeVisible();
  await part.getByRole("button", { name: "As found" }).click();
  await editor.saved();
  expect((await editor.clip(bed.id)).hits).toBeUndefined();
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Control+z");
  await editor.saved();
  await expect(count).toHaveText(`${sure.length} hits`);
});
