import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";
import { RATE, small } from "../small";

const tempoOf = async (editor: EditorPage) => (await editor.version()).tempo as { tick: number; bpm: number }[];

test("a range is two bars long: the tempo is exactly that; taps tell one; what no tempo can do is said and changes nothing", async ({ page }) => {
  const editor = await small(page);
  await editor.range(0.5 * RATE, 4.5 * RATE, "t1");
  await page.keyboard.press("Alt+p");
  const panel = page.getByRole("dialog", { name: "Tempo" });
  const told = panel.getByTestId("tempo-told");
  await panel.getByLabel("How many").fill("2");
  await panel.getByLabel("A bar begins where it begins").uncheck();
  await expect(told).toHaveText(/^1(19|20)\.\d\d from/);
  await panel.getByRole("button", { name: "Set the tempo" }).click();
  await editor.saved();
  await expect(panel).toHaveCount(0);
  const set = await tempoOf(editor);
  expect(set.length).toBe(1);
  // Two bars are a whole number of samples, the range's.
  const samples = (8 * 60 * RATE) / set[0].bpm;
  expect(Math.abs(samples - Math.round(samples))).toBeLessThan(1e-6);
  expect(Math.abs(samples - 4 * RATE)).toBeLessThan(2 * (await editor.samplesPerPixel()));
  const clips = await editor.lane("t1");

  await page.keyboard.press("Alt+p");
  await panel.getByLabel("How many").fill("0.25");
  await panel.getByLabel("How many").press("Tab");
  await expect(told).toHaveText(/^That asks for a tempo of 1[45].*; one lies between 20 and 400\.$/);
  await expect(panel.getByRole("button", { name: "Set the tempo" })).toBeDisabled();
  await panel.getByLabel("How many").press("Enter");
  await editor.settle();
  expect(await tempoOf(editor)).toEqual(set);
  await panel.getByLabel("How many").fill("2");
  await page.keyboard.press("Escape");

  // Taps by any letter: none of them is a command while the pad has the focus.
  await page.keyboard.press("Alt+p");
  await panel.getByRole("radio", { name: "Taps" }).click();
  await expect(told).toHaveText("Tap along with the music");
  for (let i = 0; i < 4; i++) await page.keyboard.press("d");
  await expect(told).not.toHaveText(/more$/);
  expect(await editor.lane("t1")).toEqual(clips);
  await page.keyboard.press("Escape");
});

test("the loom's tempo is heard in its hits, and its bar lines are laid on them to the sample; clips keep their time; undone in one step", async ({
  page,
}) => {
  const demo = await aDemo("Tempo");
  const editor = await EditorPage.open(page, demo, { snapOn: false });
  const [bed] = await editor.lane("treadle");
  const before = await editor.version();
  await editor.select(bed.id);
  await page.keyboard.press("Alt+p");
  const panel = page.getByRole("dialog", { name: "Tempo" });
  await panel.getByRole("radio", { name: "Sound" }).click();
  const readings = panel.getByRole("radiogroup", { name: "Tempo readings" }).getByRole("radio");
  expect((await readings.allTextContents()).some((t) => Math.abs(Number(t) - 92) < 0.5)).toBe(true);
  await panel.getByRole("radio", { name: "Lines" }).click();
  await expect(panel.getByTestId("tempo-told")).toHaveText(/^\d+ bars on hits(, \d+ without one near)?$/);
  await panel.getByRole("button", { name: "Set the tempo" }).click();
  await editor.saved();
  expect((await tempoOf(editor)).length).toBeGreaterThan(before.tempo.length);
  expect(await editor.lane("treadle")).toEqual((before.clips as { trackId: string }[]).filter((c) => c.trackId === "treadle"));
  await page.keyboard.press("Control+z");
  await editor.saved();
  expect(await tempoOf(editor)).toEqual(before.tempo);
});
