import { addSource, api, exportWav, newProject, noise, readWav, wavFile } from "../client";
import { listen } from "../ear";
import { EditorPage } from "../editor";
import { expect, test } from "../scene";

async function project(samples: Float32Array) {
  const made = await newProject();
  const source = await addSource(made.projectId, wavFile([samples]));
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "t", name: "Hum", gain: -2, pan: -0.25 },
      { type: "add-clip", id: "c", trackId: "t", sourceId: source.id, start: 0, fadeIn: { length: 9000, shape: "s", bend: 0.2 } },
    ],
  });
  return made;
}

test("what is played is what is exported, sample for sample", { tag: "@alone" }, async ({ page }) => {
  const made = await project(noise(48_000 * 6, 21));
  await EditorPage.open(page, made);
  const left = await listen(page, 3);
  const [rendered] = await readWav(await exportWav(made.versionId));
  let different = 0;
  for (let i = 0; i < 48_000 * 3; i++) if (left[i] !== rendered[i]) different++;
  expect(different).toBe(0);
});

test("edits while it plays are heard without a click, and nothing is left out", { tag: "@alone" }, async ({ page }) => {
  // A smooth tone: any step in it would stand out.
  const tone = Float32Array.from({ length: 48_000 * 12 }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 220 * i) / 48_000));
  const made = await project(tone);
  const editor = await EditorPage.open(page, made);
  const left = await listen(page, 5, {
    during: async (frames) => {
      await frames(48_000);
      await page.getByLabel("Mute Hum", { exact: true }).click();
      await frames(120_000);
      await page.getByLabel("Mute Hum", { exact: true }).click();
    },
  });
  const silent = left.slice(48_000, 200_000).filter((v) => Math.abs(v) < 1e-9).length;
  expect(silent, "the mute was heard").toBeGreaterThan(20_000);
  // Second differences of the tone itself stay below 0.0005; a hard cut at its peak would be near 0.4.
  let most = 0;
  for (let i = 2; i < left.length; i++) most = Math.max(most, Math.abs(left[i] - 2 * left[i - 1] + left[i - 2]));
  expect(most).toBeLessThan(0.004);
  await editor.saved();
  expect((await editor.version()).tracks[0].mute).toBe(false);
});

test("a loop goes round to the sample", { tag: "@alone" }, async ({ page }) => {
  const samples = noise(48_000 * 4, 31);
  const made = await project(samples);
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 1,
    edits: [{ type: "set-loop", loop: { start: 0, end: 30_000, on: true } }],
  });
  await EditorPage.open(page, made);
  const left = await listen(page, 2);
  for (let i = 0; i < 60_000; i += 97) expect(left[i + 30_000]).toBe(left[i]);
});
