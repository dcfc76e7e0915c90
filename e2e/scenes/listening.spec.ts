import { addSource, api, newProject, noise, wavFile } from "../client";
import { listen } from "../ear";
import { EditorPage } from "../editor";
import { expect, test } from "../scene";

const RATE = 48_000;
const tone = (hertz: number, seconds: number): Float32Array =>
  Float32Array.from({ length: RATE * seconds }, (_, i) => 0.4 * Math.sin((2 * Math.PI * hertz * i) / RATE));
const loudest = (x: readonly number[]): number => x.reduce((most, v) => Math.max(most, Math.abs(v)), 0);

/** Two tracks of twelve seconds: a tone and noise. */
async function twoTracks() {
  const made = await newProject();
  const [low, hiss] = [
    await addSource(made.projectId, wavFile([tone(220, 12)]), "Tone.wav"),
    await addSource(made.projectId, wavFile([noise(RATE * 12, 4)]), "Hiss.wav"),
  ];
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "a", name: "Tone" },
      { type: "add-track", id: "b", name: "Hiss" },
      { type: "add-clip", id: "ca", trackId: "a", sourceId: low.id, start: 0 },
      { type: "add-clip", id: "cb", trackId: "b", sourceId: hiss.id, start: 0 },
    ],
  });
  return made;
}

test("stop stays or returns, pre-roll begins before, play to ends there, play from begins at the selection", { tag: "@alone" }, async ({ page }) => {
  const editor = await EditorPage.open(page, await twoTracks(), { readOuts: ["samples", "time"], followsZoom: false, targets: [] });
  const read = async (): Promise<number> => {
    await editor.settle();
    return Number((await page.getByTestId("read-out-0").textContent())?.replace(/\D/g, ""));
  };
  const spot = await editor.rulerAt(5 * RATE);
  await page.mouse.click(spot.x, spot.y);
  const placed = await read();
  expect(Math.abs(placed - 5 * RATE)).toBeLessThan(RATE / 10);
  const plays = async (): Promise<void> => {
    await page.keyboard.press("Space");
    await expect.poll(read).toBeGreaterThan(placed + RATE / 4);
    await page.keyboard.press("Space");
  };
  await plays();
  expect(await read()).toBeGreaterThan(placed + RATE / 4);
  // Returning: the same key, and the playhead is back where it began.
  await page.mouse.click(spot.x, spot.y);
  await page.getByRole("button", { name: "How playing begins and ends" }).click();
  await page.getByRole("radio", { name: "returns" }).click();
  await page.getByLabel("Pre-roll in seconds").fill("2");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Space");
  await expect.poll(read).toBeLessThan(placed - RATE);
  await expect.poll(read).toBeGreaterThan(placed - RATE);
  await page.keyboard.press("Space");
  await expect.poll(read).toBe(placed);

  // Up to the playhead: it ends by itself, and the playhead is where it was.
  await page.keyboard.press("Control+Enter");
  await expect(page.getByRole("button", { name: "Stop", exact: true })).toBeVisible();
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible({ timeout: 8000 });
  await expect.poll(read).toBe(placed);

  // From where the selection begins.
  await editor.range(8 * RATE, 9 * RATE, "a");
  await page.getByRole("button", { name: "How playing begins and ends" }).click();
  await page.getByLabel("Pre-roll in seconds").fill("0");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Shift+Enter");
  await expect.poll(read).toBeGreaterThan(8 * RATE - RATE / 10);
  await page.keyboard.press("Space");
});

test("a track is heard alone while its key is held, and nothing was edited", { tag: "@alone" }, async ({ page }) => {
  const made = await twoTracks();
  const editor = await EditorPage.open(page, made);
  await editor.chooseTrack("Tone");
  const heard = await listen(page, 4, {
    during: async (frames) => {
      await frames(RATE);
      await page.keyboard.down("'");
      await frames(2.5 * RATE);
      await page.keyboard.up("'");
    },
  });
  // Noise jumps from sample to sample; the tone alone moves by less than this.
  const jumps = (from: number): number => {
    let most = 0;
    for (let i = from + 1; i < from + RATE / 4; i++) most = Math.max(most, Math.abs(heard[i] - heard[i - 1]));
    return most;
  };
  expect(jumps(RATE / 2)).toBeGreaterThan(0.3);
  expect(jumps(2 * RATE)).toBeLessThan(0.05);
  expect(jumps(3.6 * RATE)).toBeGreaterThan(0.3);
  expect((await editor.version()).revision).toBe(1);
});

test("the metronome ticks on the beats, only in the ear", { tag: "@alone" }, async ({ page }) => {
  const made = await newProject();
  await api("POST", `/api/versions/${made.versionId}/edits`, { revision: 0, edits: [{ type: "add-track", id: "a", name: "Empty" }] });
  await EditorPage.open(page, made);
  await page.keyboard.press("Shift+T");
  const heard = await listen(page, 3);
  // 92 beats a minute.
  const beat = (60 / 92) * RATE;
  for (let k = 0; k < 4; k++) {
    const at = Math.round(k * beat);
    expect(loudest(heard.slice(at, at + 1000)), `beat ${k + 1}`).toBeGreaterThan(0.05);
    expect(loudest(heard.slice(at + 6000, at + 20_000)), `after beat ${k + 1}`).toBeLessThan(1e-6);
  }
});

test("scrubbing sounds at the pointer's speed and rests with it", { tag: "@alone" }, async ({ page }) => {
  const made = await twoTracks();
  const editor = await EditorPage.open(page, made, { readOuts: ["samples", "time"], targets: [] });
  await page.getByLabel("Mute Hiss", { exact: true }).click();
  await editor.show(0, 12 * RATE);
  const [from, to] = [await editor.at(2 * RATE, "a", 50), await editor.at(6 * RATE, "a", 50)];
  await page.keyboard.press("8");
  const heard = await listen(page, 2, {
    begin: async () => {
      await page.mouse.move(from.x, from.y);
      await page.mouse.down();
      for (let i = 1; i <= 20; i++) await page.mouse.move(from.x + ((to.x - from.x) * i) / 20, from.y);
    },
    during: async (frames) => {
      // It comes to rest under a hand that rests.
      await frames(1.9 * RATE);
    },
    end: () => page.mouse.up(),
    again: async () => {},
  });
  expect(loudest(heard)).toBeGreaterThan(0.1);
  expect(loudest(heard.slice(-RATE / 10))).toBeLessThan(0.02);
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await expect.poll(async () => Number((await page.getByTestId("read-out-0").textContent())?.replace(/\D/g, ""))).toBeGreaterThan(5.9 * RATE);
});

test("sound that does not come is told, and comes back; the engine that broke is started again", { tag: "@alone" }, async ({ page }) => {
  const made = await twoTracks();
  await EditorPage.open(page, made);
  const engine = page.getByTestId("engine");
  await page.route("**/pcm?chunk=*", (route) => route.abort());
  await page.keyboard.press("Space");
  await expect(engine).toContainText("sound is missing");
  await page.unroute("**/pcm?chunk=*");
  await expect(engine).not.toContainText("sound is missing");
  // A request that hangs counts as not there after a while, and is made anew.
  const healed = { timeout: 30_000 };
  await expect(engine).toContainText("engine on", healed);
  await page.keyboard.press("Space");

  // A server that is slow: playing stands still and says so, and goes on by itself when the sound has come.
  await page.reload();
  let answer: () => void = () => {};
  const late = new Promise<void>((done) => {
    answer = done;
  });
  await page.route("**/pcm?chunk=*", async (route) => {
    await late;
    await route.continue();
  });
  await expect(page.getByTestId("lanes")).toHaveAttribute("data-samples-per-pixel", /\d/);
  await page.keyboard.press("Home");
  await page.keyboard.press("Space");
  await expect(engine).toContainText("waiting for the sound");
  await expect(page.getByTestId("read-out-0")).toHaveText("1.1.000");
  answer();
  await expect(engine).toContainText("engine on", healed);
  await expect(page.getByTestId("read-out-0")).not.toHaveText("1.1.000");
  await page.unroute("**/pcm?chunk=*");

  // Broken in the midst of playing: it stops, says so, and sounds again at the next press.
  for (const worker of page.workers()) await worker.evaluate("void setTimeout(() => { throw new Error('broken by the test'); })");
  await expect(page.getByText("The sound engine stopped and was started again")).toBeVisible();
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await page.keyboard.press("Home");
  const heard = await listen(page, 1);
  expect(loudest(heard)).toBeGreaterThan(0.1);
});
