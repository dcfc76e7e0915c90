import { at } from "../../demo/score";
import { addSource, noise, wavFile } from "../client";
import { EditorPage } from "../editor";
import { seriousFaults } from "../readable";
import { aDemo, expect, test } from "../scene";

test("a recording is found, heard by itself, dragged to a lane and below; unused ones are removed, and brought back", async ({ page }) => {
  const demo = await aDemo("Sources");
  await addSource(demo.projectId, wavFile([noise(48_000, 3)]), "Spare hiss.wav");
  const editor = await EditorPage.open(page, demo, {
    snapOn: true,
    targets: ["grid"],
    pull: "always",
    followsZoom: false,
    step: { kind: "bar", count: 1 },
  });
  await page.getByRole("tab", { name: "Sources" }).click();
  const list = page.getByRole("list", { name: "Recordings" });
  await page.getByLabel("Find a recording").fill("spare");
  await expect(list.getByRole("listitem")).toHaveCount(1);
  await expect(list).toContainText("not used");

  // Heard by itself: the level moves, the playhead does not.
  await page.getByRole("button", { name: "Hear Spare hiss", exact: true }).click();
  await expect(page.getByTestId("engine")).toHaveAttribute("data-engine", "on");
  await expect(page.getByRole("button", { name: "Stop Spare hiss" })).toBeVisible();
  await expect(page.getByRole("button", { name: "Hear Spare hiss", exact: true })).toBeVisible({ timeout: 5000 });
  await expect(page.getByTestId("read-out-0")).toHaveText("1.1.000");

  // Dragged: it snaps to the bar on the lane it is let go of over; Escape calls it off.
  const thumb = await page.getByRole("button", { name: /^Hear Spare hiss from where/ }).boundingBox();
  if (!thumb) throw new Error("no waveform");
  const grip = { x: thumb.x + 40, y: thumb.y + 10 };
  const place = await editor.at(at(3) + 9000, "bells", 40);
  const { revision } = await editor.version();
  await editor.drag(grip, place, () => page.keyboard.press("Escape"));
  expect((await editor.version()).revision).toBe(revision);
  await editor.drag(grip, place);
  await editor.saved();
  const laid = (await editor.lane("bells")).find((c) => c.name === "Spare hiss");
  expect(laid?.start).toBe(at(3));
  await expect(list).toContainText("used once");

  // Taken off again it can be removed; undoing the removal brings it back, and so does undoing the deletion.
  await page.keyboard.press("Control+z");
  await expect(list).toContainText("not used");
  await page.getByLabel("Find a recording").fill("");
  await page.getByRole("button", { name: /^Remove the one that is not used/ }).click();
  await expect(list).not.toContainText("Spare hiss");
  await page.getByRole("button", { name: "Undo", exact: true }).last().click();
  await expect(list).toContainText("Spare hiss");
  await page.getByRole("button", { name: /^Remove the one that is not used/ }).click();
  await expect(list).not.toContainText("Spare hiss");
  await page.keyboard.press("Control+Shift+z");
  await expect(list).toContainText("Spare hiss");
  expect((await editor.lane("bells")).some((c) => c.name === "Spare hiss")).toBe(true);
});

test("a part of a clip is kept under a name of its own, heard, laid by dragging and by a press, and kept no longer", async ({ page }) => {
  const demo = await aDemo("Parts");
  const editor = await EditorPage.open(page, demo, { snapOn: false });
  const [clip] = await editor.lane("guide");
  const [from, to] = [clip.start + 48_000, clip.start + 96_000];
  await editor.range(from, to, "guide");
  await page.keyboard.press("Alt+Shift+P");
  await page.keyboard.type("The looms");
  await page.keyboard.press("Enter");
  const parts = page.getByRole("list", { name: /^Parts of Guide, take 1/ });
  await expect(parts.getByRole("listitem")).toHaveCount(1);
  await expect(parts).toContainText("The looms");

  await parts.getByRole("button", { name: "Hear The looms" }).click();
  await expect(parts.getByRole("button", { name: "Stop The looms" })).toBeVisible();
  await expect(parts.getByRole("button", { name: "Hear The looms" })).toBeVisible({ timeout: 5000 });

  // What was hidden beyond its edges came along: it can be pulled out.
  const grip = await parts.getByText("The looms").boundingBox();
  if (!grip) throw new Error("no part");
  const place = await editor.at(at(3), "bells", 40);
  await editor.drag({ x: grip.x + 10, y: grip.y + 8 }, place);
  await editor.saved();
  const laid = (await editor.lane("bells")).find((c) => c.name === "The looms");
  const pixel = await editor.samplesPerPixel();
  expect(laid?.sourceId).toBe(clip.sourceId);
  expect(Math.abs((laid?.offset ?? 0) - clip.offset - 48_000)).toBeLessThan(2 * pixel);
  expect(Math.abs((laid?.length ?? 0) - 48_000)).toBeLessThan(3 * pixel);

  // Laid on a track of its own where none is chosen, found by its name, and undone.
  await page.getByLabel("Find a recording").fill("looms");
  await expect(page.getByRole("list", { name: "Recordings" }).locator(":scope > li")).toHaveCount(1);
  await parts.getByRole("button", { name: "Lay The looms at the playhead" }).click();
  await editor.saved();
  expect((await editor.version()).clips.filter((c) => c.name === "The looms")).toHaveLength(2);
  await page.keyboard.press("Control+z");
  await editor.saved();
  expect((await editor.version()).clips.filter((c) => c.name === "The looms")).toHaveLength(1);

  // Kept no longer its clip stays, and it can be had back.
  await parts.getByRole("button", { name: "Keep The looms no longer" }).click();
  await expect(parts).toHaveCount(0);
  await page.locator("[data-sonner-toast]").filter({ hasText: "no longer kept" }).getByRole("button", { name: "Undo" }).click();
  await page.getByLabel("Find a recording").fill("");
  await expect(parts).toContainText("The looms");
  // From the menu of a clip, under the clip's own name; Escape leaves that.
  await editor.select(clip.id);
  await page.keyboard.press("Alt+Shift+P");
  await page.keyboard.press("Escape");
  await expect(parts.getByRole("listitem")).toHaveCount(2);
  await expect(parts).toContainText(clip.name);
});

test("the piece is walked as a list by keys alone, and no view has a serious fault for a screen reader", async ({ page }) => {
  const demo = await aDemo("List");
  await EditorPage.open(page, demo);
  await page.keyboard.press("Control+l");
  const tracks = page.getByRole("listbox", { name: "Tracks" });
  await expect(tracks).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(tracks.getByRole("option", { selected: true })).toContainText("Treadle");
  await page.keyboard.press("ArrowRight");
  const items = page.getByRole("listbox", { name: "Clips and seams of the track" });
  await expect(items).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(items.getByRole("option", { selected: true })).toContainText("Clip Treadle bed");
  expect(await seriousFaults(page)).toEqual([]);
  await page.keyboard.press("Enter");
  await expect(page.getByTestId("selection")).toContainText("1 clip");
  await page.keyboard.press("Control+l");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("End");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("tab", { name: "Seam" })).toHaveAttribute("aria-selected", "true");

  for (const view of ["Clip", "Track", "Marks", "History", "Sources"]) {
    await page.getByRole("tab", { name: view }).click();
    expect(await seriousFaults(page), view).toEqual([]);
  }
  for (const [keys, name] of [
    ["Control+k", "Find a command"],
    ["Control+/", "Keys"],
  ] as const) {
    await page.keyboard.press(keys);
    await expect(page.getByRole("dialog", { name })).toBeVisible();
    expect(await seriousFaults(page), name).toEqual([]);
    await page.keyboard.press("Escape");
  }
  await page.keyboard.press("Shift+Y");
  await expect(page.getByRole("table").or(page.getByRole("grid")).first()).toBeVisible();
  expect(await seriousFaults(page), "seam check").toEqual([]);
});
