import fs from "node:fs/promises";
import { addSource, api, newProject, noise, readWav, wavFile } from "../client";
import { listen } from "../ear";
import { EditorPage } from "../editor";
import { expect, type Page, test } from "../scene";
import { unzipped } from "../zip";

const RATE = 48_000;
/** Where the blows of the recording begin, and how long each rings. */
const BLOWS = [4800, 28_800, 57_600, 81_600];
const RINGS = 9600;

function blows(): Float32Array {
  const x = new Float32Array(2.2 * RATE);
  for (const [k, at] of BLOWS.entries()) {
    const n = noise(RINGS, 11 + k);
    for (let i = 0; i < RINGS; i++) x[at + i] = n[i] * Math.exp(-i / 1500);
  }
  return x;
}

async function kit(page: Page) {
  const made = await newProject(RATE);
  const source = await addSource(made.projectId, wavFile([blows()]), "Blows.wav");
  const edits = [
    { type: "add-track", id: "loom", name: "Loom" },
    { type: "add-clip", id: "blows", name: "Blows", trackId: "loom", sourceId: source.id, start: 0 },
  ];
  await api("POST", `/api/versions/${made.versionId}/edits`, { revision: 0, edits });
  const editor = await EditorPage.open(page, made, { snapOn: false, edgeFadeMs: 0, followsZoom: false });
  await page.keyboard.press("w");
  await page.keyboard.press("Control+a");
  await page.keyboard.press("Shift+G");
  const panel = page.getByRole("dialog", { name: "Slice kit" });
  await expect(panel.getByTestId("kit-count")).toHaveAttribute("data-ready", "4");
  return { editor, panel };
}

/** How far what was heard lies from what it should be, at its best place within a few samples of the beginning. */
function furthest(heard: readonly number[], due: (i: number) => number, count: number): number {
  const first = heard.findIndex((v) => v !== 0);
  let worst = 0;
  for (let i = 0; i < count; i++) worst = Math.max(worst, Math.abs((heard[first + i] ?? 0) - due(i)));
  return worst;
}

test("hits on keys: struck by key and by pointer they are heard as they are, and softer where that is set", { tag: "@alone" }, async ({ page }) => {
  const { panel } = await kit(page);
  const x = blows();
  // The slice begins at the hit that was found, within a sample or two of the blow.
  const struck = { ahead: 128, end: async () => {}, again: async () => {} };
  const heard = await listen(page, 0.15, { begin: () => page.keyboard.press("w"), ...struck });
  let best = Number.POSITIVE_INFINITY;
  for (let shift = -3; shift <= 3; shift++)
    best = Math.min(
      best,
      furthest(heard, (i) => x[BLOWS[1] + shift + i] ?? 0, 5000),
    );
  expect(best).toBeLessThan(1e-6);

  await expect(panel.getByRole("button", { name: "Strike Blows 2, key W" })).toHaveAttribute("aria-pressed", "true");
  // A pad that was lit goes out, also where another was struck in between.
  await page.keyboard.press("e");
  await page.keyboard.press("w");
  await expect(panel.locator("[data-lit]")).toHaveCount(0);
  await panel.getByLabel("Gain of the slice").fill("-6");
  await panel.getByLabel("Gain of the slice").press("Enter");
  const soft = await listen(page, 0.15, {
    begin: () => panel.getByRole("button", { name: "Strike Blows 2, key W" }).click(),
    ...struck,
  });
  const loudest = (list: readonly number[]): number => list.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  expect(loudest(soft) / loudest(heard)).toBeCloseTo(10 ** (-6 / 20), 3);
});

test("notes are taken down on the grid or as played, in one step, and MIDI strikes keys harder or softer", async ({ page }) => {
  await page.addInitScript(() => {
    const input = { onmidimessage: null as ((e: { data: Uint8Array }) => void) | null };
    const access = { inputs: new Map([["one", input]]), onstatechange: null };
    Object.assign(navigator, { requestMIDIAccess: async () => access });
    Object.assign(window, { midi: (...data: number[]) => input.onmidimessage?.({ data: Uint8Array.from(data) }) });
  });
  const { editor, panel } = await kit(page);
  await panel.getByRole("button", { name: "MIDI" }).click();
  await expect(panel.getByRole("button", { name: "MIDI is heard" })).toBeVisible();
  await panel.focus();
  const before = await editor.version();
  await panel.getByRole("button", { name: "Take notes down" }).click();
  await panel.focus();
  const position = async (): Promise<number> =>
    Number(
      (await page.getByTestId("read-out-1").textContent())
        ?.match(/(\d+)\.(\d+)/)
        ?.slice(1)
        .join(".") ?? 0,
    );
  await expect.poll(position).toBeGreaterThan(0.4);
  await page.keyboard.press("q");
  await expect.poll(position).toBeGreaterThan(1.2);
  await page.keyboard.press("e");
  await expect.poll(position).toBeGreaterThan(1.9);
  await page.evaluate(() => (window as unknown as { midi: (...data: number[]) => void }).midi(0x90, 39, 32));
  await expect(panel.getByRole("button", { name: "Lay 3 notes" })).toBeVisible();
  await page.keyboard.press(" ");
  await expect.poll(async () => (await editor.version()).tracks.length).toBe(2);
  const { clips, tracks } = await editor.version();
  const played = clips.filter((c) => c.trackId === tracks[1].id).sort((a, b) => a.start - b.start);
  expect(played.map((c) => c.name)).toEqual(["Blows 1", "Blows 3", "Blows 4"]);
  // On lines of the grid that is set, sixteenths at 92 beats a minute.
  const sixteenth = (RATE * 60) / 92 / 4;
  for (const c of played) expect(Math.abs(c.start / sixteenth - Math.round(c.start / sixteenth)) * sixteenth).toBeLessThan(1);
  expect(played[2].gain).toBeCloseTo(40 * Math.log10(32 / 127), 6);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips).toEqual(before.clips);
});

test("saved as SFZ: one WAV a slice, on keys from 36 up, with the slice's own samples", async ({ page }) => {
  const { panel } = await kit(page);
  await page.keyboard.press("r");
  await panel.getByRole("button", { name: "Forwards" }).click();
  await panel.getByLabel("Pitch of the slice").fill("-2,5");
  await panel.getByLabel("Pitch of the slice").press("Enter");
  const [download] = await Promise.all([page.waitForEvent("download"), panel.getByRole("button", { name: "Save as SFZ" }).click()]);
  expect(download.suggestedFilename()).toBe("Blows kit.zip");
  const files = await unzipped(new Uint8Array(await fs.readFile(await download.path())));
  expect([...files.keys()].sort()).toEqual(["01 Blows 1.wav", "02 Blows 2.wav", "03 Blows 3.wav", "04 Blows 4.wav", "Blows kit.sfz"]);
  const text = new TextDecoder().decode(files.get("Blows kit.sfz"));
  expect(text.match(/pitch_keycenter=\d+/g)).toEqual([36, 37, 38, 39].map((k) => `pitch_keycenter=${k}`));
  expect(text).toContain("sample=04 Blows 4.wav\nlokey=39\nhikey=39\npitch_keycenter=39\ntranspose=-2\ntune=-50");
  const x = blows();
  const [second] = await readWav(files.get("02 Blows 2.wav") as Uint8Array);
  let best = Number.POSITIVE_INFINITY;
  for (let shift = -3; shift <= 3; shift++) {
    let worst = 0;
    for (let i = 0; i < 5000; i++) worst = Math.max(worst, Math.abs(second[i] - (x[BLOWS[1] + shift + i] ?? 0)));
    best = Math.min(best, worst);
  }
  expect(best).toBeLessThan(3 / 2 ** 23);
  // Turned round, the last one ends with its attack.
  const [last] = await readWav(files.get("04 Blows 4.wav") as Uint8Array);
  const half = Math.floor(last.length / 2);
  const energy = (from: number, to: number): number => last.subarray(from, to).reduce((s, v) => s + v * v, 0);
  expect(energy(half, last.length)).toBeGreaterThan(10 * energy(0, half));
});

test("a key that is struck while playing waits for sound does not end it", async ({ page }) => {
  const { editor, panel } = await kit(page);
  const late = await addSource(editor.projectId, wavFile([noise(3 * RATE, 9)]), "Late.wav");
  let come = (): void => {};
  const came = new Promise<void>((done) => {
    come = done;
  });
  await page.route(`**/api/sources/${late.id}/pcm**`, async (route) => {
    await came;
    await route.continue();
  });
  const { revision } = await editor.version();
  await api("POST", `/api/versions/${editor.versionId}/edits`, {
    revision,
    edits: [
      { type: "add-track", id: "late", name: "Late" },
      { type: "add-clip", id: "late", trackId: "late", sourceId: late.id, start: 0 },
    ],
  });
  await editor.version();
  await panel.focus();
  await page.keyboard.press(" ");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("q");
  come();
  const place = (): Promise<string | null> => page.getByTestId("read-out-1").textContent();
  const before = await place();
  await expect.poll(place, { timeout: 15_000 }).not.toBe(before);
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
});
