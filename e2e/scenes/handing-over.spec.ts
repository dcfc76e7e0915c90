import { execFileSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { api, exportWav } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, type Page, test } from "../scene";

// Scene 22: each track as FLAC and the whole at −16 LUFS in one go; a Broadcast WAV; a timeline, a list, MIDI, tables; the whole project as an
// archive, read back as a second one.

/** Waits for what is being saved, and reads it. */
async function saved(page: Page, press: () => Promise<unknown>): Promise<{ name: string; bytes: Buffer }> {
  const coming = page.waitForEvent("download");
  await press();
  const download = await coming;
  return { name: download.suggestedFilename(), bytes: fs.readFileSync(await download.path()) };
}

test("everything is handed over, and the archive is the same project again", async ({ page }) => {
  test.setTimeout(180_000);
  const demo = await aDemo("Handed over");
  await EditorPage.open(page, demo);
  await page.getByTestId("export").click();
  const dialog = page.getByRole("dialog", { name: "Export" });
  const choose = (name: string) => dialog.getByRole("radio", { name, exact: true }).click();
  await choose("Each track");
  await choose("FLAC");
  await expect(dialog.getByText("01 Shuttle.flac")).toBeVisible();
  await dialog.getByRole("button", { name: "Render" }).click();
  const zip = await saved(page, () => dialog.getByRole("link", { name: /Save file/ }).click({ timeout: 60_000 }));
  expect([zip.name, zip.bytes.subarray(0, 2).toString()]).toEqual([expect.stringMatching(/\.zip$/), "PK"]);
  await expect(dialog.getByLabel("File", { exact: true }).getByRole("option")).toHaveCount(9);

  await choose("One");
  await choose("Broadcast");
  await choose("To a loudness");
  await dialog.getByLabel("Loudness", { exact: true }).fill("-16");
  await page.keyboard.press("Enter");
  await dialog.getByRole("button", { name: "Render" }).click();
  await expect(dialog.getByRole("img", { name: "Chart: loudness over time" })).toBeVisible({ timeout: 60_000 });
  const wav = await saved(page, () => dialog.getByRole("link", { name: /Save file/ }).click());
  expect(wav.bytes.subarray(12, 16).toString()).toBe("bext");
  const report = (await api("GET", `/api/projects/${demo.projectId}/exports`)).body.exports[0].files[0];
  expect(report.loudness.truePeak).toBeLessThanOrEqual(-1);
  // It says so where the ceiling kept it from what was asked.
  if (report.loudness.integrated < -16.05) await expect(dialog.getByText(/below what is asked/)).toBeVisible();

  await choose("For other programs");
  for (const [button, save, name] of [
    ["Timeline (OTIO)", "Save the timeline", /\.otio$/],
    ["List (EDL)", "Save the list", /\.edl$/],
  ] as const) {
    if (save.includes("list")) await dialog.getByLabel("Frames a second").selectOption("29.97 drop");
    await dialog.getByRole("button", { name: button }).click();
    expect((await saved(page, () => dialog.getByRole("link", { name: save }).click())).name).toMatch(name);
  }
  expect((await saved(page, () => dialog.getByRole("link", { name: "markers" }).click())).bytes.toString()).toContain("Shift starts");
  const archive = await saved(page, () => dialog.getByRole("link", { name: "Archive (zip)" }).click());

  await choose("Made before");
  await expect(dialog.getByRole("list", { name: "Exports" }).getByRole("listitem")).toHaveCount(2);
  await page.goto("/");
  await page.getByLabel("Project archive").setInputFiles({ name: "mill.zip", mimeType: "application/zip", buffer: archive.bytes });
  await page.waitForURL(/\/p\//);
  const id = page.url().split("/p/")[1].split(/[?#]/)[0];
  expect(id).not.toBe(demo.projectId);
  await expect
    .poll(async () => (await api("GET", `/api/projects/${id}`)).body.sources.every((s: { status: string }) => s.status === "ready"), {
      timeout: 60_000,
    })
    .toBe(true);
  const { versions } = (await api("GET", `/api/projects/${id}`)).body;
  expect(Buffer.compare(await exportWav(versions[0].id), await exportWav(demo.versionId))).toBe(0);
});

test("a folder of ten kinds is dropped: each sound is laid, one cut short asks, what is no sound is passed over", async ({ page }) => {
  test.setTimeout(120_000);
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-kinds-"));
  const wav = new URL("../../demo/speech/bell.wav", import.meta.url).pathname;
  const kinds = ["a.wav", "b.aiff", "c.flac", "d.mp3", "e.ogg", "f.opus", "g.m4a", "h.caf", "i.txt"];
  for (const name of kinds) {
    const to = path.join(folder, name);
    if (name.endsWith(".txt") || name.endsWith(".caf")) fs.writeFileSync(to, "Notes of the night shift, which are no sound.");
    else execFileSync("ffmpeg", ["-v", "error", "-y", "-i", wav, ...(name.endsWith("ogg") ? ["-c:a", "libvorbis"] : []), to]);
  }
  const whole = fs.readFileSync(path.join(folder, "c.flac"));
  fs.writeFileSync(path.join(folder, "j.flac"), whole.subarray(0, Math.floor(whole.length * 0.7)));
  const { body } = await api("POST", "/api/projects", { name: "Kinds", sampleRate: 48_000 });
  const editor = await EditorPage.open(page, { projectId: body.id, versionId: body.versions[0].id });
  const chooser = page.waitForEvent("filechooser");
  // Before the key comes, the browser knows that its dialog is answered from here.
  await editor.settle();
  await page.keyboard.press("Control+o");
  await (await chooser).setFiles([...kinds, "j.flac"].map((n) => path.join(folder, n)));
  await page.getByRole("button", { name: /One below another/ }).click();
  await expect.poll(async () => (await api("GET", `/api/versions/${body.versions[0].id}`)).body.clips.length, { timeout: 60_000 }).toBe(7);
  // What could not be read is told together, beside what is asked; neither hides the other.
  const notices = page.getByRole("region", { name: /^Notifications/ });
  await expect(notices.getByText("2 files were not taken in.")).toBeVisible();
  await expect(notices.getByText(/^h\.caf, i\.txt: This file is not audio of a kind that is read here/)).toBeVisible();
  await notices.getByRole("button", { name: "Close" }).click({ trial: true });
  await notices.getByRole("button", { name: "Keep" }).click({ trial: true });
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.getByRole("button", { name: "Keep what is there" }).click();
  await expect(page.getByText("The end of its file is missing; what was there was kept.")).toBeVisible();
  await expect(notices.getByRole("button", { name: "Keep" })).toHaveCount(0);
  fs.rmSync(folder, { recursive: true });
});

test("the picture follows the playhead, frame by frame, with its offset", async ({ page }) => {
  const demo = await aDemo("Picture");
  await EditorPage.open(page, demo);
  await page.keyboard.press("Alt+q");
  const picture = page.getByTestId("picture");
  await expect(picture).toHaveAttribute("data-frame", "0");
  for (let i = 0; i < 3; i++) await page.keyboard.press("Shift+ArrowRight");
  await expect(picture).toHaveAttribute("data-frame", "3");
  await page.keyboard.press("Shift+ArrowLeft");
  await expect(picture).toHaveAttribute("data-frame", "2");
  await page.getByLabel("Offset of the picture").fill("100");
  await page.keyboard.press("Enter");
  await expect(picture).toHaveAttribute("data-frame", "102");
  await page.getByRole("button", { name: "Close the picture" }).click();
  await expect(picture).toHaveCount(0);
});
