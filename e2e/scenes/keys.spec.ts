import fs from "node:fs";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

test("the palette finds a command by words and does it; a key typed into a field does nothing else", async ({ page }) => {
  const demo = await aDemo("Palette");
  const editor = await EditorPage.open(page, demo, { snapOn: true });
  const before = await editor.version();
  await editor.select("clip-1");
  await page.keyboard.press("Control+k");
  await page.getByPlaceholder("What do you want to do?").fill("mute or un");
  await expect(page.getByRole("option").first()).toContainText("Mute or unmute");
  await page.keyboard.press("Enter");
  await editor.saved();
  expect((await editor.clip("clip-1")).mute).toBe(true);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.clip("clip-1")).mute).toBe(false);

  // While typing, no key is a command; Escape closes and nothing was done.
  await page.keyboard.press("Control+k");
  await page.keyboard.type("guxd/");
  await expect(page.getByText("No command fits “guxd/”.")).toBeVisible();
  // A word of the trade finds what is called otherwise here, and the help's pages that hold it.
  await page.getByPlaceholder("What do you want to do?").fill("crossfade");
  await expect(page.getByRole("option").first()).toContainText("Blend over the range");
  await page.getByPlaceholder("What do you want to do?").fill("blend");
  await expect(page.getByText("In the help")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toHaveCount(0);
  expect({ ...(await editor.version()), revision: 0 }).toEqual({ ...before, revision: 0 });
});

test("keys are changed by pressing others, clashes are shown, a set is kept as a file and read again", async ({ page }, info) => {
  const demo = await aDemo("Keys");
  const editor = await EditorPage.open(page, demo);
  await page.keyboard.press("Control+/");
  const sheet = page.getByRole("dialog", { name: "Keys" });
  await sheet.getByLabel("Search commands and keys").fill("mute or unmute");
  await sheet.getByRole("button", { name: "Change the key of Mute or unmute" }).click();
  await page.keyboard.press("d");
  await expect(sheet.getByRole("alert")).toContainText("is the key of Duplicate");
  await sheet.getByRole("button", { name: "Leave it" }).click();
  await sheet.getByRole("button", { name: "Change the key of Mute or unmute" }).click();
  await page.keyboard.press("d");
  await sheet.getByRole("button", { name: "Take it from there" }).click();
  await expect(sheet.getByRole("listitem").first()).toContainText("D");
  const [saved] = await Promise.all([page.waitForEvent("download"), sheet.getByRole("button", { name: "Save as file" }).click()]);
  const kept = info.outputPath("keys.json");
  fs.copyFileSync(await saved.path(), kept);
  await sheet.getByRole("button", { name: "Close" }).click();

  // The new key mutes, the old one does nothing, and the context menu says so.
  await editor.select("clip-1");
  await page.keyboard.press("d");
  await editor.saved();
  expect((await editor.clip("clip-1")).mute).toBe(true);
  await page.keyboard.press("u");
  await editor.settle();
  expect((await editor.clip("clip-1")).mute).toBe(true);
  const { x, y } = await editor.nameOf("clip-1");
  await page.mouse.click(x, y, { button: "right" });
  await expect(page.getByRole("menuitem", { name: /^Unmute/ })).toContainText("D");
  await page.keyboard.press("Escape");

  // All as they were; a file that is none is refused in words; the kept one brings the key back.
  await page.keyboard.press("Control+/");
  await sheet.getByRole("button", { name: "All as they were" }).click();
  const broken = info.outputPath("broken.json");
  fs.writeFileSync(broken, "no keys");
  await sheet.getByLabel("Set of keys").setInputFiles(broken);
  await expect(page.getByText(/This file is no set of keys/)).toBeVisible();
  await sheet.getByLabel("Set of keys").setInputFiles(kept);
  await sheet.getByLabel("Search commands and keys").fill("mute or unmute");
  await expect(sheet.getByRole("listitem").first()).toContainText("D");
});

test("views: taller waveforms change only the drawing, all tracks taller in one step, the playhead kept in the middle", async ({ page }) => {
  const demo = await aDemo("Views");
  const editor = await EditorPage.open(page, demo);
  const before = await editor.version();
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("ArrowUp");
  await expect(page.getByText("waveforms × 2.0")).toBeVisible();
  expect((await editor.version()).revision).toBe(before.revision);
  await page.keyboard.press("Control+ArrowDown");
  await expect(page.getByText(/waveforms ×/)).toHaveCount(0);

  await page.keyboard.press("Shift+ArrowUp");
  await editor.saved();
  const after = await editor.version();
  expect(after.revision).toBe(before.revision + 1);
  expect(after.tracks.map((t) => t.height)).toEqual(before.tracks.map((t) => Math.round(t.height * 1.25)));

  await editor.show(48_000 * 10, 48_000 * 14);
  await page.keyboard.press("f");
  await expect(page.getByText("The playhead stays in the middle.")).toBeVisible();
  const at = await editor.rulerAt(48_000 * 13);
  await page.mouse.click(at.x, at.y);
  await page.keyboard.press("Space");
  const box = await editor.lanes.boundingBox();
  if (!box) throw new Error("no lanes");
  await expect
    .poll(async () => {
      const line = await page.getByTestId("playhead").boundingBox();
      return line ? Math.abs(line.x - box.x - box.width / 2) : 1000;
    })
    .toBeLessThan(12);
  await page.keyboard.press("Space");
});
