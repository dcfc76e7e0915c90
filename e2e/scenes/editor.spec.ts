import { clipEnd } from "@wet-thread/core/model/schema";
import { addSource, api, newProject, noise, wavFile } from "../client";
import { EditorPage } from "../editor";
import { seriousFaults } from "../readable";
import { expect, test } from "../scene";

const RATE = 48_000;
/** The sample of a beat, counted from zero, at 92 a minute. */
const beat = (n: number): number => Math.round((n * RATE * 60) / 92);
const BEAT = beat(1);

async function piece() {
  const made = await newProject();
  const source = await addSource(made.projectId, wavFile([noise(RATE * 8, 41)], "i16"), "Loom.wav");
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "a", name: "Above", height: 100 },
      { type: "add-track", id: "b", name: "Below", height: 100 },
      { type: "add-clip", id: "c", trackId: "a", sourceId: source.id, start: beat(2), offset: RATE, length: RATE * 3, name: "Loom" },
    ],
  });
  return { ...made, sourceId: source.id as string };
}
const SNAP = { targets: ["grid"], pull: "always", step: { kind: "beat", count: 1 }, followsZoom: false, edgeFadeMs: 0, overlaps: "layer" };

test("move: onto the grid, across tracks, by G off the grid, Escape puts it back", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), SNAP);
  const per = await editor.samplesPerPixel();
  const grip = await editor.at(beat(2) + 10_000, "a", 14);
  // A little past the next beat and one track down: it lands on the beat.
  await editor.drag(grip, { x: grip.x + (BEAT + 4000) / per, y: grip.y + 100 });
  await editor.saved();
  expect(await editor.clip("c")).toMatchObject({ start: beat(3), trackId: "b" });
  // The grid key pressed during the drag: it stays where the hand is.
  const again = await editor.at(beat(3) + 10_000, "b", 14);
  await editor.drag(again, { x: again.x + 7777 / per, y: again.y }, async () => {
    await page.keyboard.down("g");
    await expect(page.getByTestId("mode-line")).toContainText("Snap is off while you hold G");
  });
  await page.keyboard.up("g");
  await editor.saved();
  const free = (await editor.clip("c")).start;
  expect(Math.abs(free - beat(3) - 7777)).toBeLessThan(per);
  // Escape in mid drag: nothing happens.
  const third = await editor.at(free + 10_000, "b", 14);
  await editor.drag(third, { x: third.x + 100, y: third.y }, () => page.keyboard.press("Escape"));
  expect((await editor.clip("c")).start).toBe(free);
});

test("G tapped turns snapping on and off", async ({ page }) => {
  await EditorPage.open(page, await piece(), SNAP);
  await expect(page.getByRole("switch", { name: "Snap" })).toBeChecked();
  await page.keyboard.press("g");
  await expect(page.getByRole("switch", { name: "Snap" })).not.toBeChecked();
  await expect(page.getByTestId("mode-line")).toContainText("Snap is off");
  await page.keyboard.press("g");
  await expect(page.getByRole("switch", { name: "Snap" })).toBeChecked();
});

test("trim by the edges, with nothing lost; no farther than the recording", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), SNAP);
  const per = await editor.samplesPerPixel();
  const before = await editor.clip("c");
  const start = await editor.at(before.start, "a", 60);
  await editor.drag({ x: start.x + 2, y: start.y }, { x: start.x + 2 + BEAT / per, y: start.y });
  await editor.saved();
  expect(await editor.clip("c")).toMatchObject({ start: beat(3), offset: before.offset + beat(3) - beat(2) });
  const trimmed = await editor.at(beat(3), "a", 60);
  // Far to the left: the recording has one second before, and the grid's last line within it is taken.
  await editor.drag({ x: trimmed.x + 2, y: trimmed.y }, { x: trimmed.x - 400, y: trimmed.y });
  await editor.saved();
  expect((await editor.clip("c")).start).toBe(BEAT);
  expect((await editor.clip("c")).offset).toBe(before.offset - (beat(2) - BEAT));
});

test("fades by the corners, seams by their marks, undo and redo by key and by name", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), { ...SNAP, snapOn: false });
  const per = await editor.samplesPerPixel();
  const clip = await editor.clip("c");
  const corner = await editor.at(clip.start, "a", 8);
  await editor.drag({ x: corner.x + 3, y: corner.y }, { x: corner.x + 3 + 40, y: corner.y });
  await editor.saved();
  const faded = (await editor.clip("c")).fadeIn.length;
  expect(Math.abs(faded - 40 * per)).toBeLessThan(1.5 * per);
  // The raw end: its mark, smoothed by a double click.
  const mark = await editor.at(clipEnd(clip), "a", 92);
  await page.mouse.click(mark.x, mark.y);
  await expect(page.getByTestId("seam-class")).toHaveText("raw");
  await page.mouse.dblclick(mark.x, mark.y);
  await expect(page.getByTestId("seam-class")).toHaveText("smooth");
  await editor.saved();
  await page.keyboard.press("Control+z");
  await expect(page.getByTestId("seam-class")).toHaveText("raw");
  await page.keyboard.press("Control+Shift+z");
  await expect(page.getByTestId("seam-class")).toHaveText("smooth");
  await page.getByRole("tab", { name: "History" }).click();
  await page.getByRole("button", { name: "Before the first step" }).click();
  await expect.poll(async () => (await editor.version()).tracks.length).toBe(0);
  await page.getByRole("button", { name: /Smooth seam/ }).click();
  await expect.poll(async () => (await editor.clip("c").catch(() => null))?.fadeIn.length).toBe(faded);
});

test("split by tool and by key, range and zoom, down to samples", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), SNAP);
  await page.keyboard.press("x");
  const cut = await editor.at(beat(3) + 2000, "a", 60);
  await page.mouse.click(cut.x, cut.y);
  await editor.saved();
  const halves = (await editor.version()).clips;
  expect(halves.map((c) => c.start)).toEqual([beat(2), beat(3)]);
  await page.keyboard.press("p");
  const seam = await editor.rulerAt(beat(3));
  await page.mouse.click(seam.x, seam.y);
  for (let i = 0; i < 30; i++) await page.keyboard.press("+");
  await editor.settle();
  expect(await editor.samplesPerPixel()).toBeLessThan(0.1);
  await page.keyboard.press("w");
  const body = await editor.at(beat(2) + 5000, "a", 60);
  await editor.drag(body, { x: body.x + 120, y: body.y + 70 });
  await expect(page.getByTestId("selection")).toContainText("2 tracks");
});

test("neighbours that a key moves or cuts are told, and outlined in the lanes", async ({ page }) => {
  const made = await piece();
  const next = { type: "add-clip", id: "d", trackId: "a", sourceId: made.sourceId, start: beat(2) + RATE * 3, offset: 0, length: RATE * 2 };
  await api("POST", `/api/versions/${made.versionId}/edits`, { revision: 1, edits: [next] });
  const editor = await EditorPage.open(page, made, { ...SNAP, overlaps: "cover", neighbours: "ripple", nudge: { kind: "step", step: SNAP.step } });
  const { keyboard } = page;
  const before = await editor.version();
  await keyboard.press("Alt+ArrowDown");
  await keyboard.press("n");
  await expect(page.getByTestId("selection")).toContainText("1 clip, Loom");
  // There is room in view for what will move along.
  await keyboard.press("-");
  await editor.settle();
  const box = (await editor.view()).box;
  const shot = () => page.screenshot({ clip: { x: box.x, y: box.y, width: box.width, height: 220 } });
  await keyboard.press("d");
  await expect(page.getByText("1 neighbour moved along")).toBeVisible();
  await editor.settle();
  const outlined = await shot();
  // The outline goes with the words; nothing else in the lanes changes meanwhile.
  await expect(page.locator("[data-sonner-toast]")).toHaveCount(0);
  await expect.poll(async () => (await shot()).equals(outlined)).toBe(false);
  await editor.saved();
  expect((await editor.clip("d")).start).toBe(beat(2) + RATE * 6);
  await keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips).toEqual(before.clips);

  // Laid over the next clip by a nudge, it cuts that one, and says so.
  // What was selected before the duplicate is selected again.
  await expect(page.getByTestId("selection")).toContainText("1 clip, Loom");
  await keyboard.press("1");
  await keyboard.press("Home");
  await keyboard.press(".");
  await expect(page.getByText("1 neighbour cut")).toBeVisible();
  await editor.saved();
  expect((await editor.clip("d")).length).toBe(RATE * 2 - BEAT);
});

test("two tabs stay in step", async ({ page, context }) => {
  const made = await piece();
  const editor = await EditorPage.open(page, made, SNAP);
  const other = await context.newPage();
  const second = await EditorPage.open(other, made, SNAP);
  await second.chooseTrack("Below");
  await other.keyboard.press("Escape");
  await other.getByLabel("Mute Below", { exact: true }).click();
  await expect(page.getByLabel("Mute Below", { exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.getByLabel("Mute Above", { exact: true }).click();
  await expect(other.getByLabel("Mute Above", { exact: true })).toHaveAttribute("aria-pressed", "true");
  await editor.saved();
});

test("recordings come in by drop and by dialog; what is no audio is refused in words", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), SNAP);
  const chooser = page.waitForEvent("filechooser");
  await page.getByRole("tab", { name: "Sources" }).click();
  await page.getByRole("button", { name: "Import recordings" }).click();
  await (await chooser).setFiles([
    { name: "Bell.wav", mimeType: "audio/wav", buffer: Buffer.from(wavFile([noise(20_000, 51)], "i24")) },
    { name: "letter.wav", mimeType: "audio/wav", buffer: Buffer.from("words, and more words, but nothing to hear") },
  ]);
  await page.getByRole("button", { name: /One below another/ }).click();
  await expect(page.getByText(/letter\.wav: This file is not audio/)).toBeVisible();
  await expect.poll(async () => (await editor.version()).tracks.map((t) => t.name)).toContain("Bell");
  // Dropped on a lane it lands there.
  const at = await editor.at(BEAT, "b", 50);
  const data = await page.evaluateHandle(
    (bytes) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([new Uint8Array(bytes)], "Dropped.wav", { type: "audio/wav" }));
      return transfer;
    },
    [...wavFile([noise(5000, 52)], "i16")],
  );
  await editor.lanes.dispatchEvent("drop", { dataTransfer: data, clientX: at.x, clientY: at.y });
  await expect.poll(async () => (await editor.version()).clips.find((c) => c.name === "Dropped")?.trackId).toBe("b");
});

test("every view is readable by a machine that reads for people", async ({ page }) => {
  const made = await piece();
  await page.goto("/");
  await expect(page.getByRole("heading", { name: "Projects" })).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  for (const theme of ["day", "vat"]) {
    const editor = await EditorPage.open(page, made, { ...SNAP, theme });
    if (theme === "vat") await page.keyboard.press("Control+Shift+L");
    const body = await editor.at(beat(3), "a", 60);
    await page.mouse.click(body.x, body.y);
    for (const tab of ["Clip", "Seam", "Track", "History", "Sources"]) {
      await page.getByRole("tab", { name: tab }).click();
      expect(await seriousFaults(page), `${theme}, ${tab}`).toEqual([]);
    }
  }
});
